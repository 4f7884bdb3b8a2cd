"""Trees of triangles by Embree, through its own C interface (Embree 4 API manual).

It is asked in the library that `embreex` brings along. Embreex itself copies a mesh number by number, which takes five
times as long as Embree builds a tree of it: meshes are shared here.
"""

from __future__ import annotations

import ctypes
import weakref
from collections.abc import Sequence
from functools import cache
from typing import Any

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.kernels import Family

k = Family("embree")

TRIANGLES, INDICES, VERTICES, THREE_INDICES, THREE_FLOATS = 0, 0, 1, 0x5003, 0x9003
WATERTIGHT = 4  # RTC_SCENE_FLAG_ROBUST: no ray slips through between two triangles
OUT_OF_MEMORY = 4
_POINTER, _NUMBER, _SIZE = ctypes.c_void_p, ctypes.c_uint, ctypes.c_size_t
_CALLS = {  # by name: what it returns, and what it takes
    "rtcNewDevice": (_POINTER, ctypes.c_char_p),
    "rtcGetDeviceError": (_NUMBER, _POINTER),
    "rtcNewScene": (_POINTER, _POINTER),
    "rtcSetSceneFlags": (None, _POINTER, _NUMBER),
    "rtcNewGeometry": (_POINTER, _POINTER, _NUMBER),
    "rtcSetSharedGeometryBuffer": (None, _POINTER, _NUMBER, _NUMBER, _NUMBER, _POINTER, _SIZE, _SIZE, _SIZE),
    "rtcCommitGeometry": (None, _POINTER),
    "rtcAttachGeometryByID": (None, _POINTER, _POINTER, _NUMBER),
    "rtcReleaseGeometry": (None, _POINTER),
    "rtcCommitScene": (None, _POINTER),
    "rtcReleaseScene": (None, _POINTER),
    "rtcIntersect1": (None, _POINTER, _POINTER, _POINTER),
    "rtcOccluded1": (None, _POINTER, _POINTER, _POINTER),
}


@cache
def _library() -> Any:
    """Embree's functions, as embreex is linked with them."""
    import embreex.rtcore_scene

    found = ctypes.CDLL(embreex.rtcore_scene.__file__)
    for name, (result, *takes) in _CALLS.items():
        call = getattr(found, name)
        call.restype, call.argtypes = result, takes
    return found


@cache
def _device() -> int:
    return int(_library().rtcNewDevice(None))


@cache
def _address(name: str) -> int:
    return int(ctypes.cast(getattr(_library(), name), ctypes.c_void_p).value or 0)


def occlusion() -> int:
    """The address of rtcOccluded1."""
    return _address("rtcOccluded1")


class Tree:
    """A tree of some meshes, which are its geometries in their order."""

    def __init__(self, meshes: Sequence[tuple[np.ndarray, np.ndarray]]) -> None:
        """meshes : vertices (v, 3), metres, and triangles (t, 3) of each. Raises CollageError where memory is short."""
        embree, device = _library(), _device()
        self.address = int(embree.rtcNewScene(device))
        weakref.finalize(self, embree.rtcReleaseScene, self.address)
        embree.rtcSetSceneFlags(self.address, WATERTIGHT)
        self._shared = [arrays for number, mesh in enumerate(meshes) for arrays in self._share(number, *mesh)]
        embree.rtcCommitScene(self.address)
        if embree.rtcGetDeviceError(device) == OUT_OF_MEMORY:
            count = sum(len(triangles) for _, triangles in meshes)
            raise CollageError(
                f"There is not enough memory for {count:,} triangles.",
                remedy="Hide what is not needed, or divide displaced surfaces less.",
            )

    def _share(self, number: int, vertices: np.ndarray, triangles: np.ndarray) -> Sequence[np.ndarray]:
        """Lets Embree read a mesh where it lies; what must stay there as long as the tree."""
        if not len(triangles):
            return ()
        embree = _library()
        padded = np.zeros((len(vertices) + 1, 3), np.float32)  # Embree reads four floats at each vertex
        padded[:-1] = vertices
        triangles = np.ascontiguousarray(triangles, np.int32)
        geometry = embree.rtcNewGeometry(_device(), TRIANGLES)
        for kind, form, rows, count in (
            (VERTICES, THREE_FLOATS, padded, len(vertices)),
            (INDICES, THREE_INDICES, triangles, len(triangles)),
        ):
            embree.rtcSetSharedGeometryBuffer(geometry, kind, 0, form, rows.ctypes.data, 0, 12, count)
        embree.rtcCommitGeometry(geometry)
        embree.rtcAttachGeometryByID(self.address, geometry, number)
        embree.rtcReleaseGeometry(geometry)  # the tree holds it
        return padded, triangles

    def nearest(
        self, first: np.ndarray, origins: np.ndarray, directions: np.ndarray, triangle: np.ndarray, u: np.ndarray,
        v: np.ndarray, distance: np.ndarray,
    ) -> None:  # fmt: skip
        """Writes what rays meet nearer than `distance`; see kernels.embree.nearest."""
        k.nearest(_address("rtcIntersect1"), self.address, first, origins, directions, triangle, u, v, distance)
