"""Rays against a tree of Embree's, one after the other, see scene.embree.

The layout of a ray and of what it hits is that of RTCRayHit (Embree 4 API manual).
"""

from __future__ import annotations

from typing import Any

import numpy as np
from llvmlite import ir
from numba import njit, types
from numba.extending import intrinsic

F = np.float32
f4, i4, address = types.float32, types.int32, types.intp
IN1 = types.Array(i4, 1, "C", readonly=True)
IN2 = types.Array(f4, 2, "C", readonly=True)
WHOLE1 = types.Array(i4, 1, "C")
OUT1 = types.Array(f4, 1, "C")

ORIGIN, NEAR, DIRECTION, TIME, FAR, RAY_MASK, FLAGS = 0, 3, 4, 7, 8, 9, 11  # a ray, 12 words of 4 bytes
HIT_U, HIT_V, PRIMITIVE, GEOMETRY = 15, 16, 17, 18  # what it hits, behind it
ROOM = 32  # words, with what Embree may add

_ASKING = {"nogil": True, "cache": True, "error_model": "numpy"}  # Embree writes to what is an argument here


@intrinsic  # type: ignore[untyped-decorator]
def _ask(_context: Any, _query: Any, _tree: Any, _ray: Any) -> Any:
    """Calls rtcIntersect1 or rtcOccluded1 by its address."""

    def call(context: Any, builder: Any, _signature: Any, given: Any) -> Any:
        pointer = ir.IntType(8).as_pointer()
        function = ir.FunctionType(ir.VoidType(), [pointer, pointer, pointer]).as_pointer()
        tree, ray = (builder.inttoptr(one, pointer) for one in given[1:])
        builder.call(builder.inttoptr(given[0], function), [tree, ray, ir.Constant(pointer, None)])
        return context.get_dummy_value()

    return types.void(address, address, address), call


@njit(nogil=True, error_model="numpy")
def _put(origins, directions, i, far, ray):
    """Makes a ray ready. Where there is one origin, all rays begin there."""
    at = i if len(origins) > 1 else 0
    for axis in range(3):
        ray[ORIGIN + axis] = origins[at, axis]
        ray[DIRECTION + axis] = directions[i, axis]
    ray[NEAR], ray[TIME], ray[FAR] = F(0), F(0), far


@njit(types.void(address, address, address, IN1, IN2, IN2, OUT1, WHOLE1, WHOLE1, OUT1, OUT1, OUT1), **_ASKING)
def nearest(query, tree, place, first, origins, directions, ray, words, triangle, u, v, distance):
    """The nearest hits of rays up to `distance`, which is made smaller; what finds nothing nearer stays as it is.

    query, tree : addresses of rtcIntersect1 and of the tree. place : the address of `ray` and `words`, one room for a
    ray, (ROOM,). first : the number of the first triangle of each geometry. origins : (n, 3) or (1, 3). directions :
    (n, 3). triangle, u, v, distance : (n,).
    """
    for i in range(len(directions)):
        _put(origins, directions, i, distance[i], ray)
        words[RAY_MASK], words[FLAGS], words[PRIMITIVE], words[GEOMETRY] = -1, 0, -1, -1
        _ask(query, tree, place)
        if words[GEOMETRY] >= 0:
            triangle[i] = first[words[GEOMETRY]] + words[PRIMITIVE]
            u[i], v[i], distance[i] = ray[HIT_U], ray[HIT_V], ray[FAR]


@njit(types.void(address, address, address, IN2, IN2, types.Array(f4, 1, "C", readonly=True), OUT1, WHOLE1, WHOLE1),
      **_ASKING)  # fmt: skip
def occluded(query, tree, place, origins, directions, distance, ray, words, out):
    """Writes 0 to `out` (n,) where rays that have -1 there meet anything up to `distance` (n,), or (1,) for all.

    query : the address of rtcOccluded1; the others as for `nearest`.
    """
    for i in range(len(directions)):
        if out[i] < 0:
            _put(origins, directions, i, distance[i if len(distance) > 1 else 0], ray)
            words[RAY_MASK], words[FLAGS] = -1, 0
            _ask(query, tree, place)
            if ray[FAR] < F(0):
                out[i] = 0
