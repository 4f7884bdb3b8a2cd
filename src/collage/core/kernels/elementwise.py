"""A small machine for arithmetic on many points: one call runs a whole chain of cards.

A program is a list of instructions on registers, each a row of CHUNK numbers that stays in the processor's
nearest cache; an instruction is one loop over a row, which vectorises. Rows never overlap, and no instruction
writes where it reads.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from llvmlite import ir
from numba import njit, types
from numba.extending import intrinsic

from collage.core.kernels.flags import EXACT, EXACT_INLINE, INLINE

CHUNK = 512
F, W = np.float32, np.int32
ONE, NONE = np.float32(1), np.float32(0)

f4, i4 = types.float32, types.int32
ROWS = types.Array(f4, 2, "C")
ADDRESSES = types.Array(types.uint64, 1, "C")
CODE = types.Array(i4, 2, "C", readonly=True)

NAMES = [
    "copy",
    "negative",
    "absolute",
    "floor",
    "ceil",
    "trunc",
    "rint",
    "sqrt",
    "sign",
    "not",
    "log2",
    "exp2",
    "add",
    "subtract",
    "multiply",
    "divide",
    "minimum",
    "maximum",
    "fmin",
    "fmax",
    "less",
    "less_equal",
    "equal",
    "not_equal",
    "power",
    "multiply_add",
    "where",
]
OPERATIONS = {name: number for number, name in enumerate(NAMES)}


def _inline(work: Callable[..., Any]) -> Callable[..., Any]:
    return njit(**EXACT_INLINE)(work)


@njit(**INLINE)
def _log2(x):
    """Cephes' logf to the base of 2: a polynomial on the mantissa between sqrt(1/2) and sqrt(2)."""
    tiny = x < F(1.17549435e-38)
    bits = W(F(x * F(8388608.0) if tiny else x).view(np.int32))
    exponent = F(W(bits >> W(23)) - W(127)) - (F(23) if tiny else F(0))
    m = W(W(bits & W(0x007FFFFF)) | W(0x3F800000)).view(np.float32)
    high = m > F(1.41421356)
    m = F(m * F(0.5)) if high else m
    exponent = F(exponent + F(1)) if high else exponent
    t = F(m - F(1))
    s = F(t * t)
    p = F(7.0376836292e-2) * t + F(-1.1514610310e-1)
    p = p * t + F(1.1676998740e-1)
    p = p * t + F(-1.2420140846e-1)
    p = p * t + F(1.4249322787e-1)
    p = p * t + F(-1.6668057665e-1)
    p = p * t + F(2.0000714765e-1)
    p = p * t + F(-2.4999993993e-1)
    p = p * t + F(3.3333331174e-1)
    y = F(t * s * p - F(0.5) * s)
    # log2 of the mantissa: (t + y) / ln 2, its larger part kept apart
    value = F(y * F(0.44269504)) + F(t * F(0.44269504)) + y + t + exponent
    value = value if x < F(np.inf) else x
    value = value if x > F(0) else (F(-np.inf) if x == F(0) else F(np.nan))
    return value


@njit(**INLINE)
def _exp2(x):
    """2 to the power of x: Cephes' polynomial on -1/2..1/2."""
    held = min(max(x, F(-150)), F(129))
    whole = np.floor(held + F(0.5))
    t = F(held - whole)
    p = F(1.535336188319500e-4) * t + F(1.339887440266574e-3)
    p = p * t + F(9.618437357674640e-3)
    p = p * t + F(5.550332471162809e-2)
    p = p * t + F(2.402264791363012e-1)
    p = p * t + F(6.931472028550421e-1)
    p = p * t + F(1)
    # two steps, so that the very small and the very large come out right
    half = W(W(whole) >> W(1))
    rest = W(W(whole) - half)
    a = W(W(half + W(127)) << W(23)).view(np.float32)
    b = W(W(rest + W(127)) << W(23)).view(np.float32)
    value = F(F(p * a) * b)
    value = F(np.inf) if x > F(128) else value
    return value if x == x else x


@njit(**INLINE)
def _power(a, b):
    """As a graphics card has it: 0 for a base of 0, not a number below 0."""
    value = _exp2(F(b * _log2(a)))
    value = F(np.nan) if a < F(0) else value
    return F(0) if a == F(0) else value


@njit(**EXACT_INLINE)
def _one(work, rows, out, a, size):
    for i in range(size):
        rows[out, i] = work(rows[a, i])


@njit(**EXACT_INLINE)
def _two(work, rows, out, a, b, size):
    for i in range(size):
        rows[out, i] = work(rows[a, i], rows[b, i])


@njit(**EXACT_INLINE)
def _three(work, rows, out, a, b, c, size):
    for i in range(size):
        rows[out, i] = work(rows[a, i], rows[b, i], rows[c, i])


_copy = _inline(lambda a: a)
_negative = _inline(lambda a: -a)
_absolute = _inline(lambda a: abs(a))
_floor = _inline(lambda a: np.floor(a))
_ceil = _inline(lambda a: np.ceil(a))
_trunc = _inline(lambda a: np.trunc(a))
_rint = _inline(lambda a: np.rint(a))
_sqrt = _inline(lambda a: np.sqrt(a))
_sign = _inline(lambda a: ONE if a > NONE else (-ONE if a < NONE else a))
_not = _inline(lambda a: ONE - a)
_add = _inline(lambda a, b: a + b)
_subtract = _inline(lambda a, b: a - b)
_multiply = _inline(lambda a, b: a * b)
_divide = _inline(lambda a, b: a / b)
_minimum = _inline(lambda a, b: a if (a < b) | (a != a) else b)
_maximum = _inline(lambda a, b: a if (a > b) | (a != a) else b)
_fmin = _inline(lambda a, b: a if (a < b) | (b != b) else b)
_fmax = _inline(lambda a, b: a if (a > b) | (b != b) else b)
_less = _inline(lambda a, b: ONE if a < b else NONE)
_less_equal = _inline(lambda a, b: ONE if a <= b else NONE)
_equal = _inline(lambda a, b: ONE if a == b else NONE)
_not_equal = _inline(lambda a, b: ONE if a != b else NONE)
_multiply_add = _inline(lambda a, b, c: F(a * b) + c)
_where = _inline(lambda a, b, c: b if a != NONE else c)


@intrinsic
def _load(context, address, index):
    """The number at a place in memory; see `run_program` for why these places are good."""

    def generate(target, builder, signature, values):
        pointer = builder.inttoptr(values[0], ir.FloatType().as_pointer())
        return builder.load(builder.gep(pointer, [values[1]]))

    return f4(types.uint64, types.uint64), generate


@intrinsic
def _store(context, address, index, value):
    def generate(target, builder, signature, values):
        pointer = builder.inttoptr(values[0], ir.FloatType().as_pointer())
        builder.store(values[2], builder.gep(pointer, [values[1]]))
        return target.get_dummy_value()

    return types.void(types.uint64, types.uint64, f4), generate


@njit(types.void(CODE, ADDRESSES, ADDRESSES, types.uint64, types.Array(f4, 1, "C", readonly=True), ROWS), **EXACT)
def _run(code, inputs, outputs, count, constants, rows):
    """The order of the operations is that of NAMES; a test holds it."""
    first = np.uint64(constants.size)
    for k in range(constants.size):
        rows[k, :] = constants[k]
    for start in range(np.uint64(0), count, np.uint64(CHUNK)):
        size = min(np.uint64(CHUNK), count - start)
        for k in range(inputs.size):
            address = inputs[k]
            for i in range(size):
                rows[first + np.uint64(k), i] = _load(address, start + i)
        for at in range(code.shape[0]):
            operation, to = code[at, 0], code[at, 1]
            a, b, c = np.uint64(code[at, 2]), np.uint64(code[at, 3]), np.uint64(code[at, 4])
            if to < 0:
                address = outputs[-1 - to]
                for i in range(size):
                    _store(address, start + i, rows[a, i])
                continue
            out = np.uint64(to)
            if operation == 0:
                _one(_copy, rows, out, a, size)
            elif operation == 1:
                _one(_negative, rows, out, a, size)
            elif operation == 2:
                _one(_absolute, rows, out, a, size)
            elif operation == 3:
                _one(_floor, rows, out, a, size)
            elif operation == 4:
                _one(_ceil, rows, out, a, size)
            elif operation == 5:
                _one(_trunc, rows, out, a, size)
            elif operation == 6:
                _one(_rint, rows, out, a, size)
            elif operation == 7:
                _one(_sqrt, rows, out, a, size)
            elif operation == 8:
                _one(_sign, rows, out, a, size)
            elif operation == 9:
                _one(_not, rows, out, a, size)
            elif operation == 10:
                _one(_log2, rows, out, a, size)
            elif operation == 11:
                _one(_exp2, rows, out, a, size)
            elif operation == 12:
                _two(_add, rows, out, a, b, size)
            elif operation == 13:
                _two(_subtract, rows, out, a, b, size)
            elif operation == 14:
                _two(_multiply, rows, out, a, b, size)
            elif operation == 15:
                _two(_divide, rows, out, a, b, size)
            elif operation == 16:
                _two(_minimum, rows, out, a, b, size)
            elif operation == 17:
                _two(_maximum, rows, out, a, b, size)
            elif operation == 18:
                _two(_fmin, rows, out, a, b, size)
            elif operation == 19:
                _two(_fmax, rows, out, a, b, size)
            elif operation == 20:
                _two(_less, rows, out, a, b, size)
            elif operation == 21:
                _two(_less_equal, rows, out, a, b, size)
            elif operation == 22:
                _two(_equal, rows, out, a, b, size)
            elif operation == 23:
                _two(_not_equal, rows, out, a, b, size)
            elif operation == 24:
                _two(_power, rows, out, a, b, size)
            elif operation == 25:
                _three(_multiply_add, rows, out, a, b, c, size)
            else:
                _three(_where, rows, out, a, b, c, size)


def _addresses(arrays: Sequence[np.ndarray], count: int) -> np.ndarray:
    """Where every row of some (k, n) arrays begins."""
    places = []
    for array in arrays:
        if array.dtype != np.float32 or array.shape[1:] != (count,) or array.strides[1] != 4:
            raise ValueError("rows must be contiguous float32 of one length")
        begin = array.__array_interface__["data"][0]
        places += [begin + k * array.strides[0] for k in range(len(array))]
    return np.array(places, np.uint64)


def _room(registers: int) -> np.ndarray:
    """Rows that begin where a line of the cache does; else each vector would lie in two, a fifth of the time."""
    line = 64 // 4
    room = np.empty(registers * CHUNK + line, np.float32)
    start = -(room.__array_interface__["data"][0] // 4) % line
    return room[start : start + registers * CHUNK].reshape(registers, CHUNK)


def run_program(
    code: np.ndarray,
    constants: np.ndarray,
    inputs: Sequence[np.ndarray],
    outputs: Sequence[np.ndarray],
    registers: int,
) -> None:
    """Runs a program on all points.

    code : (m, 5) int32: operation, register written, registers read. A negative register written, -1 - k, copies
        the register read to output k.
    constants : (c,) float32, in the first registers; inputs : (k, n) float32 each, their rows in the registers that
        follow. outputs : (k, n) float32 each, written. registers : how many there are in all.
    Rows are handed over by their places in memory, whatever their number; they are checked, and held meanwhile.
    Raises ValueError for rows of another form.
    """
    count = outputs[0].shape[1]
    places = _addresses(inputs, count), _addresses(outputs, count)
    _run(code, *places, count, constants, _room(registers))
