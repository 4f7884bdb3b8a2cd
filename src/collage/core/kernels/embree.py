"""Rays against trees of Embree's, one after the other, see scene.embree.

The layout of a ray and of what it hits is that of RTCRayHit (Embree 4 API manual).
"""

from __future__ import annotations

from typing import Any

import numpy as np
from llvmlite import ir
from numba import njit, types
from numba.extending import intrinsic

from collage.core.kernels.at_hits import three_at
from collage.core.kernels.flags import INLINE, LOOP

F = np.float32
f4, i4, address = types.float32, types.int32, types.intp
IN1 = types.Array(i4, 1, "C", readonly=True)
IN2 = types.Array(f4, 2, "C", readonly=True)
REACH = types.Array(f4, 1, "C", readonly=True)
TREES = types.Array(types.int64, 1, "C", readonly=True)
WHOLE1 = types.Array(i4, 1, "C")
OUT1 = types.Array(f4, 1, "C")

# words of 4 bytes of a ray and, behind it, of its hit
ORIGIN, NEAR, WAY, TIME, FAR, MASK, FLAGS, HIT_U, HIT_V, PRIMITIVE, GEOMETRY = 0, 3, 4, 7, 8, 9, 11, 15, 16, 17, 18
RAY, WORDS = 12, 32  # words of a ray alone, and of one with its hit and what Embree may add
ALIGNED = 64  # where the latter lies, bytes; a ray alone may lie where 16 divides
_FOUR = ir.VectorType(ir.FloatType(), 4)


def _put(builder: Any, ray: Any, at: int, values: list[Any]) -> None:
    """Writes four words at once, as Embree reads them: what is written singly would have to be waited for."""
    four = ir.Constant(_FOUR, ir.Undefined)
    for place, value in enumerate(values):
        four = builder.insert_element(four, value, ir.IntType(32)(place))
    to = builder.gep(ray, [ir.IntType(32)(0), ir.IntType(32)(at)])
    builder.store(four, builder.bitcast(to, _FOUR.as_pointer()), align=16)


def _ask(builder: Any, query: Any, tree: Any, ray: Any) -> None:
    """Calls rtcIntersect1 or rtcOccluded1 by its address."""
    pointer = ir.IntType(8).as_pointer()
    function = ir.FunctionType(ir.VoidType(), [pointer, pointer, pointer]).as_pointer()
    given = builder.inttoptr(tree, pointer), builder.bitcast(ray, pointer), ir.Constant(pointer, None)
    builder.call(builder.inttoptr(query, function), given)


def _asked(builder: Any, query: Any, tree: Any, origin: Any, way: Any, far: Any) -> Any:
    """Asks a tree for a ray. Returns its words."""
    whole, real = ir.IntType(32), ir.FloatType()
    with builder.goto_entry_block():
        ray = builder.alloca(ir.ArrayType(real, WORDS))
    ray.align = ALIGNED
    none, nought = builder.bitcast(ir.Constant(whole, -1), real), real(0)
    _put(builder, ray, ORIGIN, [*(builder.extract_value(origin, axis) for axis in range(3)), nought])  # from 0 on
    _put(builder, ray, WAY, [*(builder.extract_value(way, axis) for axis in range(3)), nought])  # at time 0
    _put(builder, ray, FAR, [far, none, nought, nought])  # seen by all, without flags
    _put(builder, ray, HIT_V, [nought, none, none, none])
    _ask(builder, query, tree, ray)
    return ray


def _word(builder: Any, ray: Any, at: int) -> Any:
    return builder.load(builder.gep(ray, [ir.IntType(32)(0), ir.IntType(32)(at)]))


@intrinsic  # type: ignore[untyped-decorator]
def _hit(_context: Any, query: Any, tree: Any, origin: Any, way: Any, far: Any) -> Any:
    """Geometry, triangle, place in it and distance of the nearest hit."""
    result = types.Tuple((i4, i4, f4, f4, f4))

    def code(context: Any, builder: Any, _signature: Any, given: Any) -> Any:
        ray = _asked(builder, *given)
        ids = [builder.bitcast(_word(builder, ray, at), ir.IntType(32)) for at in (GEOMETRY, PRIMITIVE)]
        return context.make_tuple(builder, result, [*ids, *(_word(builder, ray, at) for at in (HIT_U, HIT_V, FAR))])

    return result(query, tree, origin, way, far), code


@intrinsic  # type: ignore[untyped-decorator]
def _free(_context: Any, query: Any, tree: Any, origin: Any, way: Any, far: Any) -> Any:
    """How far a ray may go, below 0 where anything is in its way."""

    def code(_context: Any, builder: Any, _signature: Any, given: Any) -> Any:
        return _word(builder, _asked(builder, *given), FAR)

    return f4(query, tree, origin, way, far), code


@intrinsic  # type: ignore[untyped-decorator]
def _free_there(_context: Any, query: Any, tree: Any, place: Any) -> Any:
    """The same of a ray that lies at an address, where it is noted."""

    def code(_context: Any, builder: Any, _signature: Any, given: Any) -> Any:
        ray = builder.inttoptr(given[2], ir.ArrayType(ir.FloatType(), RAY).as_pointer())
        _ask(builder, given[0], given[1], ray)
        return _word(builder, ray, FAR)

    return f4(query, tree, place), code


@njit(**INLINE)
def _blocked(query, trees, origin, way, far):
    """Whether a ray meets anything in some trees."""
    for tree in trees:  # noqa: SIM110 - a kernel knows no generators
        if _free(query, tree, origin, way, far) < F(0):
            return True
    return False


@njit(types.void(address, address, IN1, IN2, IN2, WHOLE1, OUT1, OUT1, OUT1), **LOOP)
def nearest(query, tree, first, origins, directions, triangle, u, v, distance):
    """The nearest hits of rays up to `distance`, which is made smaller; what finds nothing nearer stays as it is.

    query, tree : addresses of rtcIntersect1 and of the tree. first : the number of the first triangle of each geometry.
    origins : (n, 3), or (1, 3) where all rays begin. directions : (n, 3). triangle, u, v, distance : (n,).
    """
    for i in range(len(directions)):
        origin = three_at(origins, i if len(origins) > 1 else 0, 0)
        geometry, primitive, along, across, far = _hit(query, tree, origin, three_at(directions, i, 0), distance[i])
        if geometry >= 0:
            triangle[i] = first[geometry] + primitive
            u[i], v[i], distance[i] = along, across, far


@njit(types.void(address, TREES, IN2, IN2, REACH, WHOLE1), **LOOP)
def occluded(query, trees, origins, directions, distance, out):
    """Writes to `out` (n,) 0 where rays meet anything up to `distance` (n,), or (1,) for all, and -1 where they do not.

    query : the address of rtcOccluded1. trees : (k,) addresses. The others as for `nearest`.
    """
    for i in range(len(directions)):
        origin, far = three_at(origins, i if len(origins) > 1 else 0, 0), distance[i if len(distance) > 1 else 0]
        out[i] = 0 if _blocked(query, trees, origin, three_at(directions, i, 0), far) else -1


@njit(types.void(address, TREES, address, i4), **LOOP)
def mark_occluded(query, trees, rays, count):
    """Writes to rays that meet anything that they go as far as below 0.

    query, trees : see `occluded`. rays : the address of (count, RAY) words, as Embree takes them: no word is copied.
    """
    for i in range(count):
        for tree in trees:
            if _free_there(query, tree, rays + 4 * RAY * i) < F(0):
                break
