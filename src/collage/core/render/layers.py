"""Layers of a traced picture beside what it shows: light in parts, the surface, and what it belongs to."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from collage.core.kernels.path_rows import BASE_COLOUR, DEPTH, OCCLUSION, SEEN_NORMAL, SEEN_POSITION, SEEN_ROUGHNESS
from collage.core.render.traced import Exposed
from collage.core.scene.bench import Bench
from collage.core.scene.scene import OBJECT, PART, REGION, Scene


@dataclass(frozen=True, eq=False)
class Layer:
    """A layer of a picture.

    values : (h, w, k) float32. channels : the names of its k channels in a file. names : of the numbers that it holds,
    if it holds numbers of things.
    """

    values: np.ndarray
    channels: tuple[str, ...]
    names: Mapping[int, str] | None = None


_OF_SURFACE = (
    ("base_colour", BASE_COLOUR, "RGB"), ("normal", SEEN_NORMAL, "XYZ"), ("position", SEEN_POSITION, "XYZ"),
    ("roughness", SEEN_ROUGHNESS, "Y"), ("depth", DEPTH, "Z"), ("occlusion", OCCLUSION, "Y"),
)  # fmt: skip


def layers_of_picture(exposed: Exposed, scene: Scene, bench: Bench, triangle: np.ndarray) -> dict[str, Layer]:
    """All layers by name. triangle : (h, w), what is in the middle of each pixel; (0, 0) where that is not known."""
    height, width = triangle.shape
    if not triangle.size:
        return {}
    share = np.float32(1 / max(exposed.samples, 1))
    direct = (exposed.direct.T * share).reshape(height, width, 3)
    indirect = ((exposed.radiance - exposed.direct).T * share).reshape(height, width, 3)
    out = {"direct": _layer("direct", direct, "RGB"), "indirect": _layer("indirect", indirect, "RGB")}
    for name, row, letters in _OF_SURFACE:
        out[name] = _layer(name, exposed.guide(row, len(letters)).reshape(height, width, -1), letters)
    objects = {at: item.name for at, item in enumerate(bench.objects)}
    out["object_id"] = _ids("object_id", scene.ids[OBJECT].take(triangle, mode="wrap"), objects)
    out["part_id"] = _ids("part_id", scene.ids[PART].take(triangle, mode="wrap"), None)
    region = {name: at for at, name in enumerate(dict.fromkeys(bench.worn))}
    worn = np.array([region[name] for name in bench.worn] + [-1, -1], np.int32)
    material = worn[scene.ids[REGION].take(triangle, mode="wrap")]
    out["material_id"] = _ids("material_id", material, {at: name for name, at in region.items()})
    return out


def _layer(name: str, values: np.ndarray, letters: str) -> Layer:
    return Layer(np.asarray(values, np.float32), tuple(f"{name}.{letter}" for letter in letters))


def _ids(name: str, numbers: np.ndarray, names: Mapping[int, str] | None) -> Layer:
    return Layer(numbers[:, :, None].astype(np.float32), (f"{name}.Y",), names)


def stacked(
    picture: np.ndarray, layers: Mapping[str, Layer], alpha: np.ndarray | None = None
) -> tuple[np.ndarray, tuple[str, ...], dict[str, str]]:
    """A picture (h, w, 3) with its layers: all channels, their names, and what a file is to tell of them.

    alpha : (h, w), how much of each pixel is covered, where that counts.
    """
    every = dict(layers) if alpha is None else {"alpha": Layer(alpha[:, :, None], ("A",)), **layers}
    channels = ("R", "G", "B", *(name for layer in every.values() for name in layer.channels))
    told = {
        f"{name}_names": json.dumps({str(number): text for number, text in layer.names.items()})
        for name, layer in layers.items()
        if layer.names is not None
    }
    values = [picture, *(layer.values for layer in every.values())]
    return np.concatenate(values, axis=2), channels, told
