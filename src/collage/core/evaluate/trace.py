"""Watches a function at work on symbols instead of numbers, and writes down what it computes.

Functions of cards are plain NumPy expressions on (k, n) arrays. Called with symbols they yield a program of
simple operations, channel by channel, which the machine in kernels.elementwise runs without intermediate
arrays. What cannot be followed (a look at values, an operation the machine lacks) raises NotFollowed; such a
card is run as NumPy.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from numpy.lib.mixins import NDArrayOperatorsMixin

COLUMNS = 2
"""A symbol stands for many columns; any number above 1 says so to functions that look at the shape."""

LOG2_E, LN_2 = np.float32(1.4426950408889634), np.float32(0.6931471805599453)

Value = int | np.float32
"""A number found at each point (an index into the trace), or a constant."""


class NotFollowed(Exception):
    """The function does something that symbols cannot follow."""


class Trace:
    """Operations in the order in which they were asked for; the same operation is written down once."""

    def __init__(self) -> None:
        self.operations: list[tuple[str, tuple[Value, ...]]] = []
        self._known: dict[tuple[Any, ...], int] = {}

    def input(self, name: str, channel: int) -> int:
        """The number of the operation that reads a channel of an input."""
        return self._add(("input", name, channel), ("input", ()))

    def _add(self, key: tuple[Any, ...], operation: tuple[str, tuple[Value, ...]]) -> int:
        found = self._known.get(key)
        if found is None:
            found = self._known[key] = len(self.operations)
            self.operations.append(operation)
        return found

    def __call__(self, name: str, *operands: Value) -> Value:
        if all(isinstance(one, np.float32) for one in operands):
            return _computed(name, operands)
        simple = _simplified(name, operands)
        if simple is not None:
            return simple
        key = (name, *((one.tobytes() if isinstance(one, np.float32) else one) for one in operands))
        return self._add(key, (name, operands))


def _simplified(name: str, operands: Sequence[Value]) -> Value | None:
    """What adds nothing: a sum with 0, a product with 1."""
    a, b = operands[0], operands[1] if len(operands) > 1 else None
    if name in ("add", "subtract") and isinstance(b, np.float32) and b == 0:
        return a
    if name == "add" and isinstance(a, np.float32) and a == 0:
        return b
    if name in ("multiply", "divide") and isinstance(b, np.float32) and b == 1:
        return a
    if name == "multiply" and isinstance(a, np.float32) and a == 1:
        return b
    if name == "where" and isinstance(a, np.float32):
        return operands[1] if a != 0 else operands[2]
    return None


def _computed(name: str, operands: Sequence[Any]) -> np.float32:
    """The operation on constants."""
    a = operands[0]
    with np.errstate(all="ignore"):
        if name == "where":
            return np.float32(operands[1] if a != 0 else operands[2])
        if name == "not":
            return np.float32(1 - a)
        if name == "power":  # by logarithms, as the machine does it
            b = operands[1]
            undecided = (a == 1 and np.isinf(b)) or (a == np.inf and b == 0)
            if a <= 0 or undecided:
                return np.float32(0 if a == 0 else np.nan)
        return np.float32(getattr(np, name)(*operands))


_PLAIN = {
    "negative", "absolute", "floor", "ceil", "trunc", "rint", "sqrt", "sign", "log2", "exp2", "add", "subtract",
    "multiply", "divide", "minimum", "maximum", "fmin", "fmax", "less", "less_equal", "equal", "not_equal", "power",
}  # fmt: skip
_TURNED = {"greater": "less", "greater_equal": "less_equal"}
_OTHER: dict[str, Callable[..., Value]] = {
    "positive": lambda trace, a: a,
    "square": lambda trace, a: trace("multiply", a, a),
    "exp": lambda trace, a: trace("exp2", trace("multiply", a, LOG2_E)),
    "log": lambda trace, a: trace("multiply", trace("log2", a), LN_2),
    "logical_and": lambda trace, a, b: trace("multiply", a, b),
    "logical_or": lambda trace, a, b: trace("maximum", a, b),
    "logical_not": lambda trace, a: trace("not", a),
    "logical_xor": lambda trace, a, b: trace("not_equal", a, b),
}
_OTHER["bitwise_and"], _OTHER["bitwise_or"] = _OTHER["logical_and"], _OTHER["logical_or"]
_OTHER["bitwise_xor"], _OTHER["invert"] = _OTHER["logical_xor"], _OTHER["logical_not"]
_TRUTHS = {"less", "less_equal", "greater", "greater_equal", "equal", "not_equal"}
_OF_TRUTHS = {name for name in _OTHER if name.startswith(("logical", "bitwise", "invert"))}


class Symbol(NDArrayOperatorsMixin):
    """Stands for a (k, n) array, or for a row (n,) of one; `rows` holds the value of each channel."""

    def __init__(self, trace: Trace, rows: Sequence[Value], *, flat: bool = False, truth: bool = False) -> None:
        self.trace, self.rows, self.flat, self.truth = trace, tuple(rows), flat, truth

    @property
    def shape(self) -> tuple[int, ...]:
        """As of an array (channels, COLUMNS); how many points there will be is not known."""
        return (COLUMNS,) if self.flat else (len(self.rows), COLUMNS)

    @property
    def ndim(self) -> int:
        """As of an array."""
        return len(self.shape)

    @property
    def dtype(self) -> np.dtype[Any]:
        """As of an array."""
        return np.dtype(np.bool_ if self.truth else np.float32)

    def __len__(self) -> int:
        if self.flat:
            raise NotFollowed("the number of points")
        return len(self.rows)

    def __iter__(self) -> Any:
        return iter([Symbol(self.trace, [row], flat=True, truth=self.truth) for row in self.rows])

    def __bool__(self) -> bool:
        raise NotFollowed("a decision on values")

    def __pow__(self, times: Any) -> Any:
        """A whole power is a product, for numbers below 0 too; `np.power` is the standard's, by logarithms."""
        if not isinstance(times, int) or times < 1:
            raise NotFollowed("a power that is no whole number")
        if times == 1:
            return self
        half = self ** (times // 2)
        return half * half * self if times % 2 else half * half

    def copy(self) -> Symbol:
        """Itself: symbols do not change."""
        return self

    def astype(self, kind: Any, copy: bool = True) -> Symbol:
        """The same as float32. Raises NotFollowed for any other kind of number."""
        if np.dtype(kind) != np.float32:
            raise NotFollowed("another kind of number")
        return Symbol(self.trace, self.rows, flat=self.flat)

    def __getitem__(self, at: Any) -> Symbol:
        if self.flat:
            if at is None or at == (None, slice(None)):
                return Symbol(self.trace, self.rows, truth=self.truth)
            raise NotFollowed("a choice of points")
        if isinstance(at, slice):
            return Symbol(self.trace, self.rows[at], truth=self.truth)
        if isinstance(at, int):
            return Symbol(self.trace, [self.rows[at]], flat=True, truth=self.truth)
        raise NotFollowed("this way to index")

    def __array_ufunc__(self, ufunc: np.ufunc, method: str, *inputs: Any, **options: Any) -> Any:
        out = options.pop("out", None)
        if method != "__call__" or options or (out is not None and out != (self,)):
            raise NotFollowed(f"{ufunc.__name__} in this form")
        return apply(self.trace, ufunc.__name__, inputs)

    def __array_function__(self, function: Any, kinds: Any, inputs: Any, options: Any) -> Any:
        work = _FUNCTIONS.get(function)
        if work is None:
            raise NotFollowed(function.__name__)
        return work(self.trace, *inputs, **options)


def apply(trace: Trace, name: str, inputs: Sequence[Any]) -> Symbol:
    """A ufunc on symbols and constants, channel by channel."""
    parts = [symbol(trace, one) for one in inputs]
    truth = name in _TRUTHS or (name in _OF_TRUTHS and all(one.truth for one in parts))
    if name in _OF_TRUTHS and not truth:
        raise NotFollowed("bits of numbers")
    if name in _TURNED:
        parts, name = parts[::-1], _TURNED[name]
    if name in _PLAIN:
        return _each(trace, parts, lambda *one: trace(name, *one), truth)
    if name in _OTHER:
        return _each(trace, parts, lambda *one: _OTHER[name](trace, *one), truth)
    raise NotFollowed(name)


def symbol(trace: Trace, value: Any) -> Symbol:
    """A symbol as it is; a number or a (k, 1) array as constants."""
    if isinstance(value, Symbol):
        return value
    array = np.asarray(value)
    truth = array.dtype == np.bool_
    if array.ndim == 0 or array.shape == (1,):
        return Symbol(trace, [np.float32(array.reshape(()))], flat=True, truth=truth)
    if array.ndim == 2 and array.shape[1] == 1 and array.dtype.kind in "fib":
        return Symbol(trace, [np.float32(one) for one in array[:, 0]], truth=truth)
    raise NotFollowed("an array of another shape")


def _each(trace: Trace, parts: Sequence[Symbol], work: Callable[..., Value], truth: bool = False) -> Symbol:
    count = max(len(one.rows) for one in parts)
    if any(len(one.rows) not in (1, count) for one in parts):
        raise NotFollowed("channels that do not fit")
    rows = [work(*(one.rows[k % len(one.rows)] for one in parts)) for k in range(count)]
    return Symbol(trace, rows, flat=all(one.flat for one in parts), truth=truth)


def _where(trace: Trace, condition: Any, first: Any, second: Any) -> Symbol:
    parts = [symbol(trace, one) for one in (condition, first, second)]
    return _each(trace, parts, lambda *one: trace("where", *one), parts[1].truth and parts[2].truth)


def _clip(trace: Trace, value: Any, low: Any, high: Any) -> Symbol:
    return apply(trace, "minimum", (apply(trace, "maximum", (value, low)), high))


def _joined(trace: Trace, parts: Sequence[Any], axis: int = 0) -> Symbol:
    if axis != 0:
        raise NotFollowed("joining points")
    symbols = [symbol(trace, one) for one in parts]
    return Symbol(trace, [row for one in symbols for row in one.rows], truth=all(one.truth for one in symbols))


def _repeated(trace: Trace, value: Symbol, times: int, axis: int | None = None) -> Symbol:
    if axis != 0 or len(value.rows) != 1:
        raise NotFollowed("repeating points")
    return Symbol(trace, value.rows * times, truth=value.truth)


def _spread(trace: Trace, value: Any, shape: Any) -> Symbol:
    part = symbol(trace, value)
    if len(shape) != 2 or len(part.rows) not in (1, shape[0]):
        raise NotFollowed("another shape")
    return Symbol(trace, part.rows * (shape[0] // len(part.rows)), truth=part.truth)


def _spread_all(trace: Trace, *values: Any) -> tuple[Symbol, ...]:
    return tuple(symbol(trace, one) for one in values)


def _selected(trace: Trace, conditions: Sequence[Any], choices: Sequence[Any], default: Any = 0) -> Symbol:
    value = symbol(trace, default)
    for condition, choice in zip(reversed(conditions), reversed(choices), strict=True):
        value = _where(trace, condition, choice, value)
    return value


_FUNCTIONS: dict[Any, Callable[..., Any]] = {
    np.where: _where,
    np.clip: _clip,
    np.concatenate: _joined,
    np.stack: _joined,
    np.repeat: _repeated,
    np.broadcast_to: _spread,
    np.broadcast_arrays: _spread_all,
    np.select: _selected,
}
