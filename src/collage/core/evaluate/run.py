"""Runs a plan on points: in blocks that stay in the processor's cache, on threads, with a cache of results."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Mapping
from concurrent.futures import ThreadPoolExecutor, as_completed
from dataclasses import dataclass, replace
from functools import partial
from typing import Any, TypeVar

import numpy as np

from collage.core.base.budget import Budget, Store
from collage.core.base.threads import stand_back
from collage.core.document.types import CHANNELS, FLOATS
from collage.core.evaluate.fuse import Program, fuse
from collage.core.evaluate.literals import typed
from collage.core.evaluate.plan import Plan
from collage.core.evaluate.steps import Const, Neighbour, Ref, Shift, Source, Step
from collage.core.geometry.points import Points
from collage.core.images.store import OpenImages
from collage.core.nodes.behaviour import Array, Beside, Context, Mark

BLOCK = 16_384
"""Points a block where all intermediate arrays should stay in the processor's cache."""

LEAST = 2048
"""So few points are not worth a second thread."""

MOST = 65_536
"""Points a block where calls cost more than the cache gives."""

Item = TypeVar("Item")
Answer = TypeVar("Answer")


def block_size(count: int, threads: int, whole: int = 0) -> int:
    """Points a block, so that all threads get as much to do; a multiple of `whole` if that is not 0."""
    size = even_block(count, threads, min(max(BLOCK, -(-count // (8 * threads))), MOST))
    return -(-size // whole) * whole if whole else size


def even_block(count: int, threads: int, most: int) -> int:
    """At most this many things a block, so that the number of blocks is a multiple of the threads."""
    if count <= LEAST:
        return most
    rounds = -(-count // (most * threads))
    return -(-count // (rounds * threads))


class Cancelled(Exception):
    """Work was called off between two blocks; nobody wants the answer any more."""


def never() -> bool:
    """Work that is never called off."""
    return False


class Workers:
    """The shared threads that blocks are spread over; one by itself is the caller's own.

    behind : these threads stand back for others, as far as the system lets a thread do so.
    """

    def __init__(self, count: int | None = None, *, behind: bool = False) -> None:
        self.count = count or os.cpu_count() or 1
        self._own = self.count == 1 and not behind  # to hand work over and wait for it would only take time
        self._closed = False
        start = stand_back if behind else None
        self._pool = ThreadPoolExecutor(self.count, thread_name_prefix="collage", initializer=start)

    def map(self, work: Callable[[Item], Answer], items: Iterable[Item]) -> list[Answer]:
        """The answers in order. An exception is raised as soon as one is met, and what has not begun is dropped.

        Raises Cancelled once the threads are ended.
        """
        todo = list(items)
        if self._own:
            if self._closed:
                raise Cancelled
            return [work(one) for one in todo]
        answers: dict[int, Answer] = {}
        numbers = iter(range(len(todo)))

        def take_turns() -> None:
            for at in numbers:  # every thread takes the next that none has: cheaper than a future for each
                answers[at] = work(todo[at])

        try:
            futures = [self._pool.submit(take_turns) for _ in range(min(self.count, len(todo)))]
        except RuntimeError:
            raise Cancelled from None
        try:
            for future in as_completed(futures):
                future.result()
        finally:
            for _ in numbers:
                pass
        return [answers[at] for at in range(len(todo))]

    def close(self) -> None:
        """Ends the threads; work that runs is finished."""
        self._closed = True
        self._pool.shutdown(wait=True, cancel_futures=True)


class ResultCache:
    """Results by step and points; those not used for longest go when the budget is full."""

    def __init__(self, budget: Budget | None = None) -> None:
        self.budget = budget or Budget()
        self.evaluated = 0  # steps computed so far: tests count what an edit costs
        self._store: Store[tuple[str, int], Array] = Store(self.budget, lambda array: array.nbytes)
        self._seen: set[int] = set()  # points of which something was kept, and may still be

    def knows(self, points_id: int) -> bool:
        """Whether anything may be kept of some points."""
        return points_id in self._seen

    def get(self, name: str, points_id: int) -> Array | None:
        """The result of a step at some points; None where it is not kept."""
        return self._store.get((name, points_id))

    def put(self, name: str, points_id: int, value: Array) -> None:
        """Keeps the result of a step at some points."""
        self.put_all({name: value}, points_id)

    def put_all(self, values: Mapping[str, Array], points_id: int) -> None:
        """Keeps the results of steps at some points."""
        for value in values.values():
            value.flags.writeable = False
        self._seen.add(points_id)
        self._store.put_all({(name, points_id): value for name, value in values.items()})

    def forget(self, points_id: int) -> None:
        """Drops all results on some points that nobody looks at any more."""
        if points_id in self._seen:
            self._seen.discard(points_id)
            self._store.drop(lambda key: key[1] == points_id)

    def clear(self) -> None:
        """Lets go of all results."""
        self._seen.clear()
        self._store.clear()


def run(
    plan: Plan,
    points: Points,
    *,
    cache: ResultCache | None = None,
    workers: Workers | None = None,
    cancelled: Callable[[], bool] = never,
    progress: Callable[[float], None] | None = None,
) -> dict[str, Any]:
    """The value of every output of the plan.

    Returns by target name (k, n) arrays, or (k, 1) where the value is the same everywhere.
    Raises Cancelled when `cancelled` says so between two blocks.
    """
    return _Run(plan, points, cache, workers, cancelled, progress).results()


def _look(cancelled: Callable[[], bool]) -> None:
    if cancelled():
        raise Cancelled


@dataclass(frozen=True, eq=False)
class _Chosen:
    """What is to be done at some points.

    steps : how many there are. kept : names of results that are wanted outside. work : the steps in their order, those
    of arithmetic joined. done_with : what nothing reads after each piece of work.
    """

    steps: int
    kept: frozenset[str]
    work: list[Step | Program]
    done_with: list[list[str]]


class _Run:
    def __init__(
        self,
        plan: Plan,
        points: Points,
        cache: ResultCache | None,
        workers: Workers | None,
        cancelled: Callable[[], bool],
        progress: Callable[[float], None] | None,
    ) -> None:
        self.plan, self.points, self.cache, self.workers = plan, points, cache, workers
        self.cancelled, self.progress = cancelled, progress
        self.images = OpenImages(plan.images, partial(_look, cancelled))
        self.full: dict[str, Array] = {}  # whole arrays by result name: found in the cache, or being made
        if cache is None or not cache.knows(points.id):  # nothing is found: the same work as for other new points
            key = "new", plan.wanted, points.across, cache is not None and self._keeps()
            if key not in plan.memo:
                plan.memo[key] = self._selected()
            self.chosen: _Chosen = plan.memo[key]
        else:
            self.chosen = self._selected()

    def _keeps(self) -> bool:
        """Whether there is room to keep what is worth it."""
        assert self.cache is not None
        values = sum(CHANNELS[step.type] for step in self.plan.steps if step.keep and step.type in CHANNELS)
        return values * 4 * self.points.count <= self.cache.budget.limit // 4

    def _selected(self) -> _Chosen:
        """Which steps must run: those the outputs need, back to what the cache already has."""
        steps, across = self.plan.steps, self.points.across
        if across:
            steps = tuple(_by_neighbours(step, across) for step in steps)
        by_key = {step.key: step for step in steps}
        needed: set[str] = set()
        found: set[str] = set()
        waiting: list[Ref] = [one for one in self.plan.outputs.values() if isinstance(one, Ref)]
        while waiting:
            ref = waiting.pop()
            if ref.key in needed or ref.name in found:
                continue
            held = self.cache.get(ref.name, self.points.id) if self.cache is not None else None
            if held is not None:
                self.full[ref.name] = held
                found.add(ref.name)
                continue
            needed.add(ref.key)
            waiting += [one for one in by_key[ref.key].sources.values() if isinstance(one, Ref)]
        todo = [step for step in steps if step.key in needed]
        kept = self.plan.wanted - found
        if self.cache is not None and self._keeps():
            kept |= {step.key for step in todo if step.keep and step.type in CHANNELS}
        return self._arranged(todo, frozenset(kept))

    def _arranged(self, steps: list[Step], kept: frozenset[str]) -> _Chosen:
        """The steps in their order; the same for the same steps."""
        key = (tuple(step.key for step in steps), kept, self.points.across)
        if key not in self.plan.memo:
            work = fuse(steps, kept)
            self.plan.memo[key] = _Chosen(len(steps), kept, work, _last_uses(work))
        found: _Chosen = self.plan.memo[key]
        return found

    def results(self) -> dict[str, Any]:
        if self.chosen.steps:
            self._run_blocks()
        return {name: self._value(source) for name, source in self.plan.outputs.items()}

    def _value(self, source: Source) -> Any:
        return source.value if isinstance(source, Const) else self.full[source.name]

    def _run_blocks(self) -> None:
        count = self.points.count
        size = block_size(count, self.workers.count if self.workers is not None else 1, 2 * self.points.across)
        starts = list(range(0, count, size))
        done = 0

        def block(start: int) -> None:
            nonlocal done
            _look(self.cancelled)
            self._block(start, min(start + size, count))
            done += 1
            if self.progress is not None:
                self.progress(done / len(starts))

        if self.workers is None or len(starts) == 1:
            for start in starts:
                block(start)
        else:
            self.workers.map(block, starts)
        if self.cache is not None:
            self.cache.evaluated += self.chosen.steps
            self.cache.put_all({name: self.full[name] for name in self.chosen.kept}, self.points.id)

    def _block(self, start: int, stop: int) -> None:
        places: dict[Shift, Points] = {(): self.points.cut(start, stop)}
        local: dict[str, Any] = {}
        with np.errstate(all="ignore"):
            for piece, done in zip(self.chosen.work, self.chosen.done_with, strict=True):
                if isinstance(piece, Program):
                    given = {name: self._value_of(name, local, start, stop) for name, _ in piece.inputs}
                    places_kept = {
                        name: self._whole(name, rows, np.float32)[:, start:stop]
                        for name, rows, truth in piece.outputs
                        if name in self.chosen.kept and not truth
                    }
                    results = piece.run(given, places_kept, stop - start)
                else:
                    results = self._step(piece, places, local, start, stop)
                for name, value in results.items():
                    self._store(name, value, local, start, stop)
                for name in done:
                    local.pop(name, None)

    def _step(
        self, step: Step, places: dict[Shift, Points], local: dict[str, Any], start: int, stop: int
    ) -> dict[str, Any]:
        """The results of one function, by name."""
        room = None
        if step.key in self.chosen.kept and step.type in FLOATS:
            room = self._whole(step.key, CHANNELS[step.type], np.float32)[:, start:stop]
        context = Context(_at(places, step.shift), step.type, self.images, room)
        inputs = {name: self._input(one, local, start, stop) for name, one in step.wired.items()}
        result = typed(step.function(context, **step.constants, **inputs), step.type)
        if isinstance(result, dict):
            return {f"{step.key}:{output}": value for output, value in result.items()}
        return {step.key: result}

    def _input(self, source: Ref, local: dict[str, Any], start: int, stop: int) -> Any:
        value = self._value_of(source.name, local, start, stop)
        if isinstance(source, Neighbour):
            return exchanged(value, source.axis, self.points.across)
        return value

    def _value_of(self, name: str, local: dict[str, Any], start: int, stop: int) -> Any:
        if name in local:
            return local[name]
        whole = self.full[name]
        return whole if whole.shape[1] == 1 else whole[:, start:stop]

    def _store(self, name: str, value: Array, local: dict[str, Any], start: int, stop: int) -> None:
        local[name] = value
        if name in self.chosen.kept:
            part = self._whole(name, value.shape[0], value.dtype)[:, start:stop]
            if not np.may_share_memory(part, value):
                part[...] = value

    def _whole(self, name: str, rows: int, kind: Any) -> Array:
        """The array of a result that is wanted outside, made when first needed."""
        whole = self.full.get(name)
        if whole is None:
            # two threads may come here at once; setdefault lets one array win
            whole = self.full.setdefault(name, np.empty((rows, self.points.count), kind))
        return whole


def _by_neighbours(step: Step, across: int) -> Step:
    """The step with its inputs one step further taken from the neighbouring pixel, which has them already."""
    mark: Mark | None = getattr(step.function, "__collage__", None)
    if mark is None or not mark.heights:
        return step
    sources = dict(step.sources)
    for name in mark.heights:
        here = sources.get(name)
        for axis, suffix in ((0, "_du"), (1, "_dv")):
            if isinstance(here, Ref) and isinstance(sources.get(name + suffix), Ref):
                neighbour = Neighbour(here.key, here.type, here.output, axis)
                sources[name + suffix] = Const(Beside(across), here.type) if mark.beside else neighbour
    return replace(step, sources=sources)


def exchanged(value: Array, axis: int, across: int) -> Array:
    """Values (k, n) of a picture with each pair of neighbours in a row (axis 0) or column (axis 1) exchanged."""
    if value.shape[1] == 1:
        return value
    out = np.empty_like(value, order="C")
    apart = 1 if axis == 0 else across
    pairs, other = (one.reshape(len(one), -1, 2, apart) for one in (np.ascontiguousarray(value), out))
    other[:, :, 0], other[:, :, 1] = pairs[:, :, 1], pairs[:, :, 0]
    return out


def _last_uses(work: list[Step | Program]) -> list[list[str]]:
    """For each piece of work the results that nothing after it reads."""
    last: dict[str, int] = {}
    for at, piece in enumerate(work):
        for name in (*_made(piece), *_read(piece)):
            last[name] = at
    done: list[list[str]] = [[] for _ in work]
    for name, at in last.items():
        done[at].append(name)
    return done


def _made(piece: Step | Program) -> list[str]:
    """Names of the results of a piece of work; those of several outputs are told where they are read."""
    return [piece.key] if isinstance(piece, Step) else [name for name, _, _ in piece.outputs]


def _read(piece: Step | Program) -> list[str]:
    if isinstance(piece, Program):
        return [name for name, _ in piece.inputs]
    return [source.name for source in piece.sources.values() if isinstance(source, Ref)]


def _at(places: dict[Shift, Points], shift: Shift) -> Points:
    """The points after some small steps, made when first needed."""
    if shift not in places:
        places[shift] = _at(places, shift[:-1]).shifted(shift[-1])
    return places[shift]
