"""glTF 2.0, as one binary file or with files beside it: nodes, parts, slots, every UV set, vertex colours.

Khronos, glTF 2.0 specification, 2021. Its u runs to the right and v downwards; ours runs upwards.
"""

from __future__ import annotations

import base64
import binascii
import json
import struct
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, cast
from urllib.parse import unquote

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.geometry.raw import FIRST_SET, MOST_TRIANGLES, RawMesh, SlotLook

KINDS = {5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
JSON_CHUNK, DATA_CHUNK = 0x4E4F534A, 0x004E4942
MOST_NODES, DEEPEST = 100_000, 500
OWN = "collage"  # the name of what only Collage reads: names of UV sets, and polygons
UNREAD = ("KHR_draco_mesh_compression", "EXT_meshopt_compression")


def read_gltf(path: Path) -> RawMesh:
    """Reads a .glb or .gltf file. Raises CollageError, and OSError."""
    try:
        return _Reader(path).read()
    except CollageError:
        raise
    except (ValueError, KeyError, IndexError, TypeError, AttributeError, struct.error, OverflowError,
            RecursionError) as error:  # fmt: skip
        raise _broken("parts that do not fit each other", path.name) from error


def _broken(what: str, name: str) -> CollageError:
    return CollageError(f"The file has {what}.", about=name, remedy="It is broken; export it again.")


@dataclass
class _Primitive:
    """Triangles of one part and slot, in world space."""

    positions: np.ndarray
    triangles: np.ndarray
    normals: np.ndarray | None
    uv: dict[str, np.ndarray]
    colours: dict[str, np.ndarray]
    part: int
    slot: int
    face: np.ndarray | None


class _Reader:
    def __init__(self, path: Path) -> None:
        self.path = path
        self.json, self.own_data = _parts(path)
        self.buffers: dict[int, bytes | memoryview] = {}
        self.parts: list[str] = []
        self.slots: dict[int, int] = {}  # by the number of the material, -1 for none
        self.left_out: set[str] = set()

    def read(self) -> RawMesh:
        for name in self.json.get("extensionsRequired", []):
            if name in UNREAD:
                raise CollageError("The mesh is compressed in a way that Collage does not read.", about=self.path.name,
                                   remedy="Export it without compression.")  # fmt: skip
        found = [one for node, matrix in self._nodes() for one in self._primitives(node, matrix)]
        if not found:
            raise CollageError("There are no faces in it.", about=self.path.name,
                               remedy="Export the object with its faces.")  # fmt: skip
        return self._joined(found)

    # ---- nodes ----------------------------------------------------------------------------------

    def _nodes(self) -> Iterator[tuple[dict[str, Any], np.ndarray]]:
        """Every node with a mesh, and where it stands: a (4, 4) matrix for columns."""
        nodes = self.json.get("nodes", [])
        scenes = self.json.get("scenes", [])
        roots = scenes[self.json.get("scene", 0)].get("nodes", []) if scenes else _roots(nodes)
        waiting: list[tuple[int, np.ndarray, tuple[int, ...]]]
        waiting = [(int(one), np.eye(4), (int(one),)) for one in reversed(roots)]
        count = 0
        while waiting:
            number, above, path = waiting.pop()
            count += 1
            if count > MOST_NODES or len(path) > DEEPEST:
                raise _broken("too many objects inside each other", self.path.name)
            node = nodes[number]
            matrix = above @ _matrix(node)
            if "mesh" in node:
                yield node, matrix
            for child in reversed(node.get("children", [])):
                if child in path:
                    raise _broken("an object that lies inside itself", self.path.name)
                waiting.append((int(child), matrix, (*path, int(child))))

    def _primitives(self, node: dict[str, Any], matrix: np.ndarray) -> Iterator[_Primitive]:
        mesh = self.json["meshes"][node["mesh"]]
        own = mesh.get("extras", {}).get(OWN, {}) if isinstance(mesh.get("extras"), dict) else {}
        names = own.get("uv_sets", []) if isinstance(own, dict) else []
        if "skin" in node:
            self.left_out.add("bones")
        part = len(self.parts)
        self.parts.append(str(node.get("name") or mesh.get("name") or f"Part {part + 1}"))
        for number, one in enumerate(mesh["primitives"]):
            made = self._primitive(one, matrix, names, part)
            if made is not None:
                faces = own.get("faces", []) if isinstance(own, dict) else []
                if number < len(faces):
                    made.face = self._accessor(faces[number])[:, 0].astype(np.int64)
                yield made

    def _primitive(self, one: dict[str, Any], matrix: np.ndarray, names: list[str], part: int) -> _Primitive | None:
        mode = one.get("mode", 4)
        if mode not in (4, 5, 6):
            self.left_out.add("points" if mode == 0 else "lines")
            return None
        attributes = one["attributes"]
        positions = self._accessor(attributes["POSITION"])[:, :3].astype(np.float64)
        index = self._accessor(one["indices"])[:, 0] if "indices" in one else np.arange(len(positions))
        triangles = _as_triangles(index.astype(np.int64), mode)
        if triangles.size and (triangles.max() >= len(positions) or triangles.min() < 0):
            raise _broken(f"a face that names vertex {triangles.max()}, but there are {len(positions)}", self.path.name)
        linear = matrix[:3, :3]
        positions = (positions @ linear.T + matrix[:3, 3]).astype(np.float32)
        flipped = np.linalg.det(linear) < 0
        if flipped:
            triangles = triangles[:, ::-1]
        at = triangles.ravel()
        normals = None
        if "NORMAL" in attributes:
            turn = np.linalg.inv(linear).T if abs(np.linalg.det(linear)) > 1e-30 else np.eye(3)
            normals = (self._accessor(attributes["NORMAL"])[:, :3] @ turn.T).astype(np.float32)[at]
        uv = {_set_name(key, names): _up(self._accessor(accessor)[:, :2])[at]
              for key, accessor in sorted(attributes.items()) if key.startswith("TEXCOORD_")}  # fmt: skip
        colours = {key.replace("COLOR_", "Colour "): _four(self._accessor(accessor))[at]
                   for key, accessor in sorted(attributes.items()) if key.startswith("COLOR_")}  # fmt: skip
        slot = self.slots.setdefault(int(one.get("material", -1)), len(self.slots))
        return _Primitive(positions, triangles, normals, uv, colours, part, slot, None)

    # ---- numbers --------------------------------------------------------------------------------

    def _accessor(self, number: int) -> np.ndarray:
        """(n, width) numbers; whole ones that stand for 0 to 1 are turned into float32."""
        about = self.json["accessors"][number]
        kind, width, count = np.dtype(KINDS[about["componentType"]]), WIDTHS[about["type"]], int(about["count"])
        if count < 0 or count > 3 * MOST_TRIANGLES:
            raise _broken(f"a list that should have {count:,} entries", self.path.name)
        if "bufferView" in about:
            values = self._view(about["bufferView"], int(about.get("byteOffset", 0)), kind, width, count)
        else:
            values = np.zeros((count, width), kind)
        if "sparse" in about:
            values = self._with_sparse(values.copy(), about["sparse"], kind, width)
        if about.get("normalized") and kind.kind in "iu":
            values = np.maximum(values.astype(np.float32) / np.iinfo(kind.type).max, -1)
        return values

    def _with_sparse(self, values: np.ndarray, sparse: dict[str, Any], kind: np.dtype, width: int) -> np.ndarray:
        count, at, what = int(sparse["count"]), sparse["indices"], sparse["values"]
        index_kind = np.dtype(KINDS[at["componentType"]])
        index = self._view(at["bufferView"], int(at.get("byteOffset", 0)), index_kind, 1, count)[:, 0]
        values[index] = self._view(what["bufferView"], int(what.get("byteOffset", 0)), kind, width, count)
        return values

    def _view(self, number: int, offset: int, kind: np.dtype, width: int, count: int) -> np.ndarray:
        about = self.json["bufferViews"][number]
        data = self._buffer(int(about["buffer"]))
        start, length = int(about.get("byteOffset", 0)), int(about["byteLength"])
        size, stride = kind.itemsize * width, int(about.get("byteStride", 0)) or kind.itemsize * width
        end = start + offset + stride * (count - 1) + size if count else start
        if min(start, offset, length) < 0 or start + length > len(data) or end > start + length or stride < size:
            raise _broken("a list that ends after its data", self.path.name)
        return np.ndarray((count, width), kind, data, start + offset, (stride, kind.itemsize))

    def _buffer(self, number: int) -> bytes | memoryview:
        if number not in self.buffers:
            about = self.json["buffers"][number]
            name = about.get("uri")
            self.buffers[number] = self.own_data if name is None else self._file(str(name))
        return self.buffers[number]

    def _file(self, name: str) -> bytes:
        """The bytes of a file beside it, or those written into its name."""
        if name.startswith("data:"):
            try:
                return base64.b64decode(name.partition(",")[2], validate=True)
            except binascii.Error as error:
                raise _broken("data that cannot be read", self.path.name) from error
        folder = self.path.parent.resolve()
        file = (folder / unquote(name)).resolve()
        if "://" in name or not file.is_relative_to(folder):
            raise CollageError(f"It wants “{name[:60]}”, which is not in its folder.", about=self.path.name,
                               remedy="Put all its files into one folder.")  # fmt: skip
        try:
            return file.read_bytes()
        except OSError as error:
            raise CollageError(f"“{name[:60]}”, which belongs to it, is not there.", about=self.path.name,
                               remedy="Put it beside the file.") from error  # fmt: skip

    # ---- together -------------------------------------------------------------------------------

    def _joined(self, found: list[_Primitive]) -> RawMesh:
        starts = np.cumsum([0] + [len(one.positions) for one in found])
        corners = [3 * len(one.triangles) for one in found]
        names = list(dict.fromkeys(name for one in found for name in one.uv))
        colours = list(dict.fromkeys(name for one in found for name in one.colours))
        have_normals = any(one.normals is not None for one in found)

        def by_corner(values: list[np.ndarray | None], width: int) -> np.ndarray:
            rows = [np.zeros((count, width), np.float32) if one is None else one
                    for one, count in zip(values, corners, strict=True)]  # fmt: skip
            return np.concatenate(rows)

        def by_triangle(values: list[int]) -> np.ndarray:
            return np.repeat(np.array(values, np.int32), [len(one.triangles) for one in found])

        materials = self.json.get("materials", [])
        return RawMesh(
            np.concatenate([one.positions for one in found]),
            np.concatenate([one.triangles + start for one, start in zip(found, starts[:-1], strict=True)]),
            by_corner([one.normals for one in found], 3) if have_normals else None,
            {name: by_corner([one.uv.get(name) for one in found], 2) for name in names},
            {name: by_corner([one.colours.get(name) for one in found], 4) for name in colours},
            by_triangle([one.part for one in found]), by_triangle([one.slot for one in found]), _faces(found),
            tuple(self.parts), tuple(_look(materials, one) for one in self.slots),
            tuple(f"It has {one}, which are left out." for one in sorted(self.left_out)),
        )  # fmt: skip


def _parts(path: Path) -> tuple[dict[str, Any], memoryview]:
    """What a file says, and the data in it. Raises CollageError."""
    data = path.read_bytes()
    body: memoryview = memoryview(b"")
    text: bytes = data
    if data[:4] == b"glTF":
        version, length = struct.unpack_from("<II", data, 4)
        if version != 2:
            raise CollageError(f"It is glTF of version {version}; Collage reads version 2.", about=path.name,
                               remedy="Export it as glTF 2.0.")  # fmt: skip
        if length > len(data):
            raise _broken("less bytes than it says", path.name)
        at, text = 12, b""
        while at + 8 <= length:
            size, kind = struct.unpack_from("<II", data, at)
            part = memoryview(data)[at + 8 : at + 8 + size]
            if len(part) < size:
                raise _broken("less bytes than it says", path.name)
            if kind == JSON_CHUNK and not text:
                text = bytes(part)
            elif kind == DATA_CHUNK and not len(body):
                body = part
            at += 8 + size
    try:
        found = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise _broken("no description that can be read", path.name) from error
    if not isinstance(found, dict) or not isinstance(found.get("asset"), dict):
        raise CollageError("It is no glTF file.", about=path.name, remedy="Export it as glTF 2.0.")
    return found, body


def _roots(nodes: list[dict[str, Any]]) -> list[int]:
    children = {child for node in nodes for child in node.get("children", [])}
    return [number for number in range(len(nodes)) if number not in children]


def _matrix(node: dict[str, Any]) -> np.ndarray:
    if "matrix" in node:
        return np.array(node["matrix"], np.float64).reshape(4, 4).T
    out = np.eye(4)
    x, y, z, w = np.array(node.get("rotation", (0, 0, 0, 1)), np.float64)
    turn = np.array([[1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
                     [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
                     [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)]])  # fmt: skip
    out[:3, :3] = turn * np.array(node.get("scale", (1, 1, 1)), np.float64)
    out[:3, 3] = node.get("translation", (0, 0, 0))
    return out


def _as_triangles(index: np.ndarray, mode: int) -> np.ndarray:
    """(t, 3) of a list (4), a strip (5) or a fan (6)."""
    if mode == 4:
        return index[: len(index) // 3 * 3].reshape(-1, 3)
    count = max(len(index) - 2, 0)
    at = np.arange(count)
    if mode == 6:
        return np.stack([np.zeros(count, np.int64) + (index[0] if len(index) else 0), index[at + 1], index[at + 2]], 1)
    odd = at % 2
    return np.stack([index[at], index[at + 1 + odd], index[at + 2 - odd]], axis=1)


def _set_name(key: str, names: list[str]) -> str:
    number = int(key.removeprefix("TEXCOORD_"))
    if number < len(names):
        return str(names[number])
    return FIRST_SET if number == 0 else f"{FIRST_SET} {number + 1}"


def _up(place: np.ndarray) -> np.ndarray:
    return np.stack([place[:, 0], 1 - place[:, 1]], axis=1).astype(np.float32)


def _four(colour: np.ndarray) -> np.ndarray:
    """Red, green, blue and how opaque; a missing one is 1."""
    out = np.ones((len(colour), 4), np.float32)
    out[:, : colour.shape[1]] = colour
    return out


def _faces(found: list[_Primitive]) -> np.ndarray | None:
    """Polygons, numbered through; None where no primitive has any."""
    if all(one.face is None for one in found):
        return None
    made, start = [], 0
    for one in found:
        count = len(one.triangles)
        face = one.face if one.face is not None and len(one.face) == count else np.arange(count)
        face = np.unique(face, return_inverse=True)[1].reshape(-1)  # they are numbered through the whole mesh
        made.append(face + start)
        start += int(face.max(initial=-1)) + 1
    return np.concatenate(made).astype(np.int32)


def _look(materials: list[dict[str, Any]], number: int) -> SlotLook:
    if not 0 <= number < len(materials):
        return SlotLook("")
    about = materials[number]
    surface = about.get("pbrMetallicRoughness", {})
    red, green, blue = (float(part) for part in cast(list[float], surface.get("baseColorFactor", [1, 1, 1, 1]))[:3])
    return SlotLook(str(about.get("name", f"Material {number + 1}")), (red, green, blue))
