"""Joins steps that are plain arithmetic to one program each, which runs without arrays in between."""

from __future__ import annotations

from collections.abc import Mapping, Sequence, Set
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np

from collage.core.document.types import CHANNELS, FLOATS, TEXTS
from collage.core.evaluate.steps import Const, Ref, Source, Step
from collage.core.evaluate.trace import Symbol, Trace, Value
from collage.core.kernels import Family
from collage.core.nodes.behaviour import Context

elementwise = Family("elementwise")


@dataclass(frozen=True, eq=False)
class Program:
    """Several steps as one call.

    inputs : the results it reads, as (name, channels). outputs : the results it makes, (name, channels, is bool).
    code, constants, registers : see kernels.elementwise.
    """

    inputs: tuple[tuple[str, int], ...]
    outputs: tuple[tuple[str, int, bool], ...]
    code: np.ndarray
    constants: np.ndarray
    registers: int

    def run(
        self, arrays: Mapping[str, np.ndarray], places: Mapping[str, np.ndarray], count: int
    ) -> dict[str, np.ndarray]:
        """The outputs by name, each (k, n), for inputs of (k, n) or (k, 1).

        places : where some of the outputs go; the others get arrays of their own.
        """
        given = [_rows_of(arrays[name], rows, count) for name, rows in self.inputs]
        made: dict[str, np.ndarray] = {}
        for name, rows, truth in self.outputs:
            there = places.get(name)
            usable = there is not None and not truth
            made[name] = there if usable and there is not None else np.empty((rows, count), np.float32)
        elementwise.run_program(self.code, self.constants, given, list(made.values()), self.registers)
        return {name: made[name] != 0 if truth else made[name] for name, _, truth in self.outputs}


def _rows_of(array: np.ndarray, rows: int, count: int) -> np.ndarray:
    """The rows of an input as contiguous float32; what is the same everywhere is spread out."""
    if array.dtype == np.float32 and array.shape == (rows, count) and array.strides[1] == 4:
        return array
    spread = np.empty((rows, count), np.float32)
    spread[...] = array
    return spread


def fuse(steps: Sequence[Step], kept: Set[str]) -> list[Step | Program]:
    """The steps in an order that does the same, arithmetic joined to programs.

    kept : names of results that are wanted outside. A program never reads what it does not need to.
    """
    plain = {step.key for step in steps if _plain(step)}
    order: list[Step | Program] = []
    for phase, members in _phases(steps, plain):
        if phase % 2:
            order += members
        else:
            order += _program(tuple(members), _wanted(members, steps, kept))
    return order


def _wanted(members: Sequence[Step], steps: Sequence[Step], kept: Set[str]) -> frozenset[str]:
    """Names of the results of some steps that the others read, or that are wanted outside."""
    inside = {step.key for step in members}
    read = {one.name for step in steps if step.key not in inside for one in step.wired.values()}
    return frozenset(name for name in read | kept if name.partition(":")[0] in inside)


@lru_cache(maxsize=4096)
def _plain(step: Step) -> bool:
    """Whether a step looks like arithmetic: no points, no texts, numbers in and out."""
    if step.spatial or (step.type not in FLOATS and step.type not in ("boolean", "multioutput")):
        return False
    numbers = all(
        source is None or source.type in FLOATS or source.type in ("boolean", "integer") or source.type in TEXTS
        for source in step.sources.values()
    )
    return numbers and _followed(_Call(step)) is not None


class _Alike:
    """Equal to another one of its kind of which the same is seen, as keys of what is kept are."""

    _seen: tuple[object, ...]

    def __eq__(self, other: object) -> bool:
        return isinstance(other, type(self)) and self._seen == other._seen

    def __hash__(self) -> int:
        return hash(self._seen)


class _Call(_Alike):
    """A step as its function sees it: equal to one with the same values, and other results of the same types."""

    def __init__(self, step: Step) -> None:
        self.step = step
        inputs = (
            (name, one.type if isinstance(one, Ref) else one and (one.key, one.type))
            for name, one in step.sources.items()
        )
        self._seen = (step.function, step.type, tuple(inputs))


@dataclass(frozen=True, eq=False)
class _Followed:
    """What a step computes, written down once: its operations as a trace has them, the input and channel that some of
    them read, and its results, by their names in the step, as the rows of symbols and whether they are truths."""

    operations: Sequence[tuple[str, tuple[Value, ...]]]
    reads: Mapping[int, tuple[str, int]]
    results: Mapping[str, tuple[tuple[Value, ...], bool]]


@lru_cache(maxsize=4096)
def _followed(call: _Call) -> _Followed | None:
    """What a step computes, None where it cannot be traced; kept, since most steps of a changed plan are as before."""
    trace, inputs, reads = Trace(), dict[str, Any](), dict[int, tuple[str, int]]()
    for name, source in call.step.sources.items():
        inputs[name] = source.value if isinstance(source, Const) else None
        if isinstance(source, Ref):
            rows = [trace.input(name, channel) for channel in range(CHANNELS[source.type])]
            inputs[name] = Symbol(trace, rows, truth=source.type == "boolean")
            reads.update({row: (name, channel) for channel, row in enumerate(rows)})
    try:
        result = call.step.function(Context(None, call.step.type), **inputs)
    except Exception:  # what a function does with something that only looks like an array is its own affair
        return None
    results = result if isinstance(result, dict) else {"": result}
    if not all(isinstance(value, Symbol) and not value.flat for value in results.values()):
        return None  # a result that is the same everywhere
    return _Followed(trace.operations, reads, {name: (one.rows, one.truth) for name, one in results.items()})


def _symbols(step: Step, trace: Trace, known: dict[str, Symbol]) -> dict[str, Symbol]:
    """The results of a step by name; inputs not known yet become inputs of the trace."""
    followed, values = _followed(_Call(step)), list[Value]()
    assert followed is not None
    inputs = {name: _known(source, trace, known) for name, source in step.sources.items() if isinstance(source, Ref)}
    for at, (name, operands) in enumerate(followed.operations):
        if name == "input":
            of, channel = followed.reads[at]
            values.append(inputs[of].rows[channel])
        else:
            values.append(trace(name, *(values[one] if isinstance(one, int) else one for one in operands)))
    return {
        f"{step.key}:{name}" if name else step.key: Symbol(
            trace, [values[one] if isinstance(one, int) else one for one in rows], truth=truth
        )
        for name, (rows, truth) in followed.results.items()
    }


def _known(source: Ref, trace: Trace, known: dict[str, Symbol]) -> Symbol:
    if source.name not in known:
        rows = [trace.input(source.name, channel) for channel in range(CHANNELS[source.type])]
        known[source.name] = Symbol(trace, rows, truth=source.type == "boolean")
    return known[source.name]


def _phases(steps: Sequence[Step], plain: set[str]) -> list[tuple[int, list[Step]]]:
    """Steps by phase: arithmetic in even ones, the rest in odd ones, each after what it reads."""
    phase: dict[str, int] = {}
    members: dict[int, list[Step]] = {}
    for step in steps:
        odd = step.key not in plain
        earliest = int(odd)
        for source in step.sources.values():
            if isinstance(source, Ref) and source.key in phase:
                before = phase[source.key]
                earliest = max(earliest, before if before % 2 == odd else before + 1)
        phase[step.key] = earliest
        members.setdefault(earliest, []).append(step)
    return sorted(members.items())


@lru_cache(maxsize=512)
def _program(members: tuple[Step, ...], wanted: frozenset[str]) -> list[Step | Program]:
    """What makes the wanted results of some steps; kept for the same steps."""
    shape = _Shape(members, wanted)
    made = _traced(shape)
    if not made.outputs:
        return []
    inputs = tuple((shape.inputs[int(number)], rows) for number, rows in made.inputs)
    outputs = tuple((shape.full(name), rows, truth) for name, rows, truth in made.outputs)
    return [replace(made, inputs=inputs, outputs=outputs)]


class _Shape(_Alike):
    """Steps of a program with their keys put as numbers: equal to one that does the same with other results.

    steps : those with numbers for keys. inputs : the names that stand for the numbers of what they read. wanted :
    numbered names of what is read of them.
    """

    def __init__(self, steps: Sequence[Step], wanted: Set[str]) -> None:
        number = {step.key: f"s{at}" for at, step in enumerate(steps)}
        self._keys = {one: key for key, one in number.items()}
        given: dict[str, Ref] = {}

        def numbered(source: Source | None) -> Source | None:
            if not isinstance(source, Ref):
                return source
            if source.key in number:
                return Ref(number[source.key], source.type, source.output)
            if source.name not in given:
                given[source.name] = Ref(str(len(given)), source.type)
            return given[source.name]

        self.steps = [
            replace(step, key=number[step.key], sources={name: numbered(one) for name, one in step.sources.items()})
            for step in steps
        ]
        self.inputs = tuple(given)
        parts = [name.partition(":") for name in wanted]
        self.wanted = frozenset(number[key] + colon + output for key, colon, output in parts if key in number)
        self._seen = (self.wanted, tuple(_Call(step) for step in self.steps), self._wires())

    def _wires(self) -> tuple[tuple[str, ...], ...]:
        return tuple(tuple(one.name for one in step.sources.values() if isinstance(one, Ref)) for step in self.steps)

    def full(self, name: str) -> str:
        """The name of a result as it was."""
        number, colon, output = name.partition(":")
        return self._keys[number] + colon + output


@lru_cache(maxsize=512)
def _traced(shape: _Shape) -> Program:
    """The program of some steps, with numbers for names; kept, since most of a changed plan is as before."""
    trace, known = Trace(), dict[str, Symbol]()
    results: dict[str, tuple[Symbol, bool]] = {}
    for step in shape.steps:
        for name, value in _symbols(step, trace, known).items():
            known[name] = value
            results[name] = (value, step.type == "boolean")
    outputs = [(name, *results[name]) for name in results if name in shape.wanted]
    inputs = {name: value for name, value in known.items() if name not in results}
    return Program(
        tuple((name, len(value.rows)) for name, value in inputs.items()),
        tuple((name, len(value.rows), truth) for name, value, truth in outputs),
        *_compiled(trace, [row for _, value, _ in outputs for row in value.rows]),
    )


def _compiled(trace: Trace, outputs: Sequence[Value]) -> tuple[np.ndarray, np.ndarray, int]:
    """Machine code of a trace: registers are given back after their last use."""
    operations = _joined_sums(trace.operations, outputs)
    live = _needed(operations, outputs)
    constants: dict[bytes, int] = {}
    values: list[np.float32] = []

    def constant(one: np.float32) -> int:
        key = one.tobytes()
        if key not in constants:
            constants[key] = len(values)
            values.append(one)
        return constants[key]

    for at in live:
        for one in operations[at][1]:
            if isinstance(one, np.float32):
                constant(one)
    for one in outputs:
        if isinstance(one, np.float32):
            constant(one)
    first = len(values)
    inputs = [at for at, (name, _) in enumerate(operations) if name == "input"]
    place = {at: first + number for number, at in enumerate(inputs)}
    last = {one: at for at in live for one in operations[at][1] if isinstance(one, int)}
    last |= {one: len(operations) for one in outputs if isinstance(one, int)}
    free: list[int] = []
    count = first + len(inputs)

    def register(one: Value) -> int:
        return constant(one) if isinstance(one, np.float32) else place[one]

    code: list[tuple[int, ...]] = []
    for at in live:
        name, operands = operations[at]
        if name == "input":
            continue
        place[at] = free.pop() if free else count
        count = max(count, place[at] + 1)
        read = [register(one) for one in operands]
        code.append((elementwise.OPERATIONS[name], place[at], *[*read, 0, 0, 0][:3]))
        free += {place[one] for one in operands if isinstance(one, int) and last[one] == at and one not in inputs}
    code += [(0, -1 - number, register(one), 0, 0) for number, one in enumerate(outputs)]
    return np.array(code, np.int32), np.array(values, np.float32), count


def _needed(operations: Sequence[tuple[str, tuple[Value, ...]]], outputs: Sequence[Value]) -> list[int]:
    wanted = {one for one in outputs if isinstance(one, int)}
    for at in range(len(operations) - 1, -1, -1):
        if at in wanted:
            wanted |= {one for one in operations[at][1] if isinstance(one, int)}
    return sorted(wanted)


def _joined_sums(
    operations: Sequence[tuple[str, tuple[Value, ...]]], outputs: Sequence[Value]
) -> list[tuple[str, tuple[Value, ...]]]:
    """A product that is only added to something becomes part of the sum."""
    uses: dict[int, int] = {}
    for _, operands in operations:
        for one in operands:
            if isinstance(one, int):
                uses[one] = uses.get(one, 0) + 1
    ends = {one for one in outputs if isinstance(one, int)}
    joined = list(operations)
    for at, (name, operands) in enumerate(operations):
        if name != "add":
            continue
        for first, second in (operands, operands[::-1]):
            if isinstance(first, int) and first not in ends and uses[first] == 1 and joined[first][0] == "multiply":
                joined[at] = ("multiply_add", (*joined[first][1], second))
                break
    return joined
