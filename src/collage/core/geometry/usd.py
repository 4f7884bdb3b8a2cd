"""USD, where the library for it is installed: meshes with their places, subsets, UV sets and colours."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.geometry.polygons import triangulated
from collage.core.geometry.raw import FIRST_SET, RawMesh, SlotLook

USUAL_UV = ("st", "UVMap", "uv")  # names of the first UV set


def read_usd(path: Path) -> RawMesh:
    """Reads a USD file, upright and in metres. Raises CollageError, and OSError."""
    try:
        from pxr import Tf, Usd
    except ImportError as error:
        raise CollageError("USD is read by a library that is not installed.", about=path.name,
                           remedy="Install it: pip install 'collage[usd]'.") from error  # fmt: skip
    with path.open("rb"):  # what cannot be opened is told as for any other file
        pass
    try:
        stage = Usd.Stage.Open(str(path))
    except Tf.ErrorException as error:
        raise _broken("no scene that can be read", path.name) from error
    if stage is None:
        raise _broken("no scene that can be read", path.name)
    try:
        return _Reader(stage, path.name).read()
    except (ValueError, IndexError, TypeError, RuntimeError) as error:
        raise _broken("parts that do not fit each other", path.name) from error


def _broken(what: str, name: str) -> CollageError:
    return CollageError(f"The file has {what}.", about=name, remedy="It is broken; export it again.")


class _Reader:
    def __init__(self, stage: Any, name: str) -> None:
        from pxr import UsdGeom

        self.stage, self.name = stage, name
        self.metres = float(UsdGeom.GetStageMetersPerUnit(stage))
        self.z_up = UsdGeom.GetStageUpAxis(stage) == UsdGeom.Tokens.z
        self.parts: list[str] = []
        self.slots: dict[str, int] = {}
        self.meshes: list[RawMesh] = []

    def read(self) -> RawMesh:
        from pxr import Usd, UsdGeom

        cache = UsdGeom.XformCache()
        for prim in Usd.PrimRange(self.stage.GetPseudoRoot(), Usd.TraverseInstanceProxies()):
            if prim.IsA(UsdGeom.Mesh) and UsdGeom.Imageable(prim).ComputeVisibility() != UsdGeom.Tokens.invisible:
                self._add(UsdGeom.Mesh(prim), np.array(cache.GetLocalToWorldTransform(prim), np.float64))
        if not self.meshes:
            raise CollageError("There are no faces in it.", about=self.name,
                               remedy="Export the object with its faces.")  # fmt: skip
        return self._joined()

    def _add(self, mesh: Any, matrix: np.ndarray) -> None:
        """One mesh; the matrix is for rows, as (4, 4)."""
        sizes = np.array(mesh.GetFaceVertexCountsAttr().Get() or [], np.int64)
        corners = np.array(mesh.GetFaceVertexIndicesAttr().Get() or [], np.int64)
        points = np.array(mesh.GetPointsAttr().Get() or np.zeros((0, 3)), np.float64).reshape(-1, 3)
        if not len(sizes):
            return
        if sizes.min() < 3 or sizes.sum() != len(corners) or corners.min() < 0 or corners.max() >= len(points):
            raise _broken("a face that names a point which is not there", self.name)
        at, polygon = triangulated(corners, sizes, points)
        if str(mesh.GetOrientationAttr().Get()) == "leftHanded":
            at = at[:, ::-1]
        linear = matrix[:3, :3]
        if np.linalg.det(linear) < 0:
            at = at[:, ::-1]
        flat = at.ravel()
        spread = _Spread(flat, corners[flat], np.repeat(polygon, 3))
        normals = self._normals(mesh, spread, linear)
        uv, colours = self._primvars(mesh, spread)
        part = len(self.parts)
        self.parts.append(mesh.GetPrim().GetName())
        self.meshes.append(RawMesh(
            (points @ linear + matrix[3, :3]).astype(np.float32), corners[at], normals, uv, colours,
            np.full(len(at), part, np.int32), self._slots(mesh, len(sizes))[polygon], polygon,
        ))  # fmt: skip

    def _normals(self, mesh: Any, spread: _Spread, linear: np.ndarray) -> np.ndarray | None:
        values = mesh.GetNormalsAttr().Get()
        if not values:
            return None
        found = spread(np.array(values, np.float64), str(mesh.GetNormalsInterpolation()))
        return None if found is None else (found @ np.linalg.inv(linear).T).astype(np.float32)

    def _primvars(self, mesh: Any, spread: _Spread) -> tuple[dict[str, np.ndarray], dict[str, np.ndarray]]:
        """UV sets and colours by name."""
        from pxr import UsdGeom

        uv: dict[str, np.ndarray] = {}
        colours: dict[str, np.ndarray] = {}
        for primvar in UsdGeom.PrimvarsAPI(mesh.GetPrim()).GetPrimvars():
            kind, name = str(primvar.GetTypeName()), str(primvar.GetPrimvarName())
            values = primvar.ComputeFlattened() if primvar.HasValue() else None
            if values is None:
                continue
            found = spread(np.array(values, np.float64), str(primvar.GetInterpolation()))
            if found is None:
                continue
            if "2" in kind and found.shape[1] == 2:
                uv[FIRST_SET if name in USUAL_UV and FIRST_SET not in uv else name] = found.astype(np.float32)
            elif kind.startswith("color") and found.shape[1] == 3:
                opaque = np.ones((len(found), 1))
                colours[f"Colour {len(colours)}"] = np.concatenate([found, opaque], axis=1).astype(np.float32)
        return uv, colours

    def _slots(self, mesh: Any, faces: int) -> np.ndarray:
        """(faces,) int32: the slot of every polygon, by the subsets that materials are bound to."""
        from pxr import UsdGeom, UsdShade

        def number(prim: Any) -> int:
            material, _ = UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()
            return self.slots.setdefault(material.GetPrim().GetName() if material else "", len(self.slots))

        out = np.full(faces, number(mesh.GetPrim()), np.int32)
        for subset in UsdGeom.Subset.GetAllGeomSubsets(mesh):
            index = np.array(subset.GetIndicesAttr().Get() or [], np.int64)
            out[index[(index >= 0) & (index < faces)]] = number(subset.GetPrim())
        return out

    def _joined(self) -> RawMesh:
        starts = np.cumsum([0] + [len(one.positions) for one in self.meshes])
        faces = np.cumsum([0] + [int(np.asarray(one.face).max()) + 1 for one in self.meshes])
        positions = np.concatenate([one.positions for one in self.meshes]) * np.float32(self.metres)
        normals = None
        if any(one.normals is not None for one in self.meshes):
            normals = np.concatenate([np.zeros((3 * len(one.triangles), 3), np.float32) if one.normals is None
                                      else one.normals for one in self.meshes])  # fmt: skip
        if self.z_up:
            positions = np.stack([positions[:, 0], positions[:, 2], -positions[:, 1]], axis=1)
            if normals is not None:
                normals = np.stack([normals[:, 0], normals[:, 2], -normals[:, 1]], axis=1)
        return RawMesh(
            positions,
            np.concatenate([one.triangles + start for one, start in zip(self.meshes, starts[:-1], strict=True)]),
            normals, self._sets("uv", 2), self._sets("colours", 4),
            np.concatenate([np.asarray(one.part) for one in self.meshes]),
            np.concatenate([np.asarray(one.slot) for one in self.meshes]),
            np.concatenate([np.asarray(one.face) + start for one, start in zip(self.meshes, faces[:-1], strict=True)]),
            tuple(self.parts), tuple(SlotLook(name) for name in self.slots),
        )  # fmt: skip

    def _sets(self, kind: str, width: int) -> dict[str, np.ndarray]:
        names = list(dict.fromkeys(name for one in self.meshes for name in getattr(one, kind)))
        return {
            name: np.concatenate([getattr(one, kind).get(name, np.zeros((3 * len(one.triangles), width), np.float32))
                                  for one in self.meshes])
            for name in names
        }  # fmt: skip


class _Spread:
    """Gives values to the corners of triangles. flat : places in the list of corners; vertex, face : of each."""

    def __init__(self, flat: np.ndarray, vertex: np.ndarray, face: np.ndarray) -> None:
        self.index = {"faceVarying": flat, "vertex": vertex, "varying": vertex, "uniform": face,
                      "constant": np.zeros(len(flat), np.int64)}  # fmt: skip

    def __call__(self, values: np.ndarray, interpolation: str) -> np.ndarray | None:
        """(c, width); None where there are too few values."""
        index = self.index.get(interpolation)
        if index is None or values.ndim != 2 or not len(values) or int(index.max(initial=0)) >= len(values):
            return None
        return values[index]
