"""Writing a mesh as one binary glTF file, from which `glb.read_gltf` makes the same mesh again."""

from __future__ import annotations

import json
import struct
from pathlib import Path
from typing import Any

import numpy as np

from collage.core.base.errors import disk_errors
from collage.core.base.safe_write import put, replacing
from collage.core.geometry.glb import DATA_CHUNK, JSON_CHUNK, OWN
from collage.core.geometry.mesh import Mesh

FLOAT, UNSIGNED = 5126, 5125
ELEMENTS = 34963  # of a list that names vertices
TYPES = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}


def write_glb(mesh: Mesh, path: Path) -> None:
    """Writes a mesh; the file before stays whole until the new one is. Raises CollageError."""
    text, data = _Writer(mesh).made()
    length = 12 + 8 + len(text) + 8 + sum(len(one) for one in data)
    head = struct.pack("<4sIIII", b"glTF", 2, length, len(text), JSON_CHUNK) + text
    head += struct.pack("<II", sum(len(one) for one in data), DATA_CHUNK)
    with disk_errors("The object cannot be written", about=path.name, remedy="Check the folder and the free space."):
        path.parent.mkdir(parents=True, exist_ok=True)
        with replacing(path) as temporary:
            put(temporary, head, *data)


class _Writer:
    def __init__(self, mesh: Mesh) -> None:
        self.mesh = mesh
        self.data: list[memoryview] = []
        self.size = 0
        self.views: list[dict[str, Any]] = []
        self.accessors: list[dict[str, Any]] = []

    def made(self) -> tuple[bytes, list[memoryview]]:
        """The description, padded to four bytes, and the data."""
        mesh = self.mesh
        part, _, slot = mesh.ids
        order = np.lexsort((np.arange(len(part)), slot, part))
        nodes: list[dict[str, Any]] = []
        meshes: list[dict[str, Any]] = []
        ends = np.flatnonzero(np.diff(part[order])) + 1
        for run in np.split(order, ends):
            number = int(part[run[0]])
            name = mesh.part_names[number] if number < len(mesh.part_names) else f"Part {number + 1}"
            slots = np.split(run, np.flatnonzero(np.diff(slot[run])) + 1)
            nodes.append({"name": name, "mesh": len(meshes)})
            meshes.append({"name": name, "primitives": [self._primitive(one) for one in slots],
                           "extras": {OWN: self._own(slots)}})  # fmt: skip
        materials = [{"name": name} for name in mesh.slot_names] or [{"name": ""}]
        about = {
            "asset": {"version": "2.0", "generator": "Collage"}, "scene": 0,
            "scenes": [{"nodes": list(range(len(nodes)))}], "nodes": nodes, "meshes": meshes, "materials": materials,
            "accessors": self.accessors, "bufferViews": self.views, "buffers": [{"byteLength": self.size}],
        }  # fmt: skip
        text = json.dumps(about).encode()
        return text + b" " * (-len(text) % 4), self.data

    def _own(self, slots: list[np.ndarray]) -> dict[str, Any]:
        own: dict[str, Any] = {"uv_sets": list(self.mesh.uv)}
        faces = np.asarray(self.mesh.face)
        if not np.array_equal(faces, np.arange(len(faces))):
            own["faces"] = [self._accessor(faces[one].astype(np.uint32)[:, None]) for one in slots]
        return own

    def _primitive(self, triangles: np.ndarray) -> dict[str, Any]:
        """The triangles of one part and slot, their equal corners made one."""
        mesh = self.mesh
        at = (3 * triangles[:, None] + np.arange(3)).ravel()
        vertex = mesh.triangles[triangles].ravel()
        values = {"POSITION": mesh.positions[vertex], "NORMAL": mesh.normals[at]}
        for number, place in enumerate(mesh.uv.values()):
            values[f"TEXCOORD_{number}"] = _down(place[at])
        for number, colour in enumerate(mesh.colours.values()):
            values[f"COLOR_{number}"] = colour[at]
        numbers = [vertex.astype(np.uint32)[:, None], *(one.view(np.uint32) for one in values.values())]
        first, index = _distinct(np.concatenate(numbers, axis=1))
        attributes = {name: self._accessor(np.ascontiguousarray(one[first])) for name, one in values.items()}
        slot = int(mesh.ids[2][triangles[0]])
        return {"attributes": attributes, "indices": self._accessor(index[:, None], ELEMENTS), "material": slot}

    def _accessor(self, values: np.ndarray, target: int = 0) -> int:
        data = values.data.cast("B")
        view: dict[str, Any] = {"buffer": 0, "byteOffset": self.size, "byteLength": len(data)}
        if target:
            view["target"] = target
        kind = FLOAT if values.dtype == np.float32 else UNSIGNED
        about: dict[str, Any] = {"bufferView": len(self.views), "componentType": kind, "count": len(values),
                                 "type": TYPES[values.shape[1]]}  # fmt: skip
        if values.dtype == np.float32 and len(values):
            about |= {"min": values.min(axis=0).tolist(), "max": values.max(axis=0).tolist()}
        self.views.append(view)
        self.accessors.append(about)
        self.data.append(data)
        self.size += len(data)  # all numbers have four bytes, so that every list begins at a multiple of four
        return len(self.accessors) - 1


def _down(place: np.ndarray) -> np.ndarray:
    return np.stack([place[:, 0], 1 - place[:, 1]], axis=1)


def _distinct(rows: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Which rows (n, k) uint32 are met first, in their order, and for each row which of those it is, (n,) uint32."""
    key = np.zeros(len(rows), np.uint64)
    with np.errstate(over="ignore"):
        for column in rows.T:
            key = (key ^ column) * np.uint64(0x9E3779B97F4A7C15)
            key ^= key >> np.uint64(32)
    _, first, inverse = np.unique(key, return_index=True, return_inverse=True)
    if not np.array_equal(rows[first[inverse]], rows):  # two rows have the same key
        _, first, inverse = np.unique(rows, axis=0, return_index=True, return_inverse=True)
        inverse = inverse.reshape(-1)
    order = np.argsort(first)
    rank = np.empty(len(order), np.uint32)
    rank[order] = np.arange(len(order), dtype=np.uint32)
    return first[order], rank[inverse]
