"""Pictures of what cards put out, on the flat sheet that spans the box of the object."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from collections.abc import Set as AbstractSet
from contextlib import suppress
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path
from typing import Literal

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.document.model import Card, Network, inside
from collage.core.document.types import CHANNELS
from collage.core.evaluate.literals import LOUD, Loud
from collage.core.evaluate.plan import CardOutput, Place, Plan, build_plan
from collage.core.evaluate.run import ResultCache, Workers, never, run
from collage.core.geometry.points import Points, sheet
from collage.core.geometry.surroundings import one_box
from collage.core.images.store import ImageRef, ImageStore
from collage.core.images.tiles import is_pattern
from collage.core.nodes.behaviour import Array
from collage.core.nodes.library import Library
from collage.core.render.film import shown_value, to_display
from collage.core.render.samples import find_samples
from collage.core.render.values import NO_NUMBER, limits_of, marked, marks, scaled
from collage.core.scene.bench import BenchObject, stock
from collage.core.scene.cameras import Camera
from collage.core.scene.scene import GROUND, build_bounds, build_scene

Box = tuple[tuple[float, float, float], tuple[float, float, float]]
UNIT_BOX: Box = ((0.0, 0.0, 0.0), (1.0, 1.0, 0.0))
Ground = Literal["flat", "shape", "raw"]
"""What pictures lie on: flat; on a ball; or flat with their least and greatest value as black and white. Of cards that
look around, on the object itself instead of a ball."""

NEEDS_SHAPE = {"normal", "viewdirection", "facingratio", "clg_slope_mask", "clg_rim_mask"}
"""Kinds of cards that say nothing on a flat sheet: they look at how the surface lies."""

NEEDS_OBJECT = {"clg_crevice_mask", "clg_edge_mask", "clg_distance_mask", "clg_thickness", "clg_part_mask"}
"""Kinds of cards that look around with rays: they are shown on the object that wears the material, which stands on the
ground alone, or on a pot."""

IN_METRES = {"clg_waves", "clg_relief_depth", "clg_vector_relief", "clg_thickness"}
"""Kinds of cards whose numbers are far from 0 to 1: shown from the least to the greatest."""

SURROUND = 0.195
"""Linear grey around the ball."""


def image_picture(images: ImageStore, ref: ImageRef, side: int) -> np.ndarray:
    """An image as it is shown, (h, w, 3) uint8, at least `side` pixels wide or high where it has as many.

    Raises CollageError for one that cannot be read.
    """
    pyramid = images.open(ref)
    number = min(max((max(pyramid.width, pyramid.height) // side).bit_length() - 1, 0), pyramid.last)
    stored = pyramid.level(number)
    height, width, channels = stored.shape
    light = pyramid.linear(np.ascontiguousarray(stored.reshape(-1, channels).T))
    shown = shown_value(light, "color3", height * width)
    return to_display(np.ascontiguousarray(shown.T).reshape(height, width, 3))


_DIRECTIONS = {"normalmap", "bump", "normal", "tangent", "bitangent"}  # shown as a map would store them


@dataclass(frozen=True, eq=False)
class CardPictures:
    """Pictures (h, w, 3) uint8 and the values shown, (k, h w), by card; and what was wrong by place.

    waiting : places of cards whose images are being read; until then a grey stands in.
    """

    pictures: Mapping[str, np.ndarray]
    problems: Mapping[Place, CollageError]
    values: Mapping[str, np.ndarray]
    waiting: frozenset[Place] = frozenset()


@lru_cache(maxsize=8)
def _sheet(width: int, height: int, box: Box) -> Points:
    return sheet(width, height, low=box[0], high=box[1], filtered=True)


@lru_cache(maxsize=4)
def _ball(width: int, height: int, box: Box) -> tuple[Points, np.ndarray]:
    """Points on a ball that fits into the box, seen from the front, and the light on each, (n,); 0 beside the ball."""
    flat = sheet(width, height)
    size = 0.47 * min(width, height)
    x = (np.tile(np.arange(width) + 0.5, height) - width / 2) / size
    y = (height / 2 - np.repeat(np.arange(height) + 0.5, width)) / size
    inside = x * x + y * y < 1
    z = np.sqrt(np.maximum(1 - x * x - y * y, 0))
    normal = np.where(inside, np.stack([x, y, z]), np.array([[0.0], [0], [1]])).astype(np.float32)
    middle = (np.array(box[0]) + box[1]) / 2
    radius = max(np.array(box[1]) - box[0]) / 2
    turn, rise = np.arctan2(normal[0], normal[2]), np.arcsin(np.clip(normal[1], -1, 1))
    tangent = np.stack([np.cos(turn), np.zeros_like(turn), -np.sin(turn)]).astype(np.float32)
    bitangent = np.cross(normal, tangent, axis=0).astype(np.float32)
    uv = np.stack([turn / (2 * np.pi) + 0.5, rise / np.pi + 0.5]).astype(np.float32)
    across = radius * 2 * np.pi * np.cos(rise)
    points = Points(
        position=(middle[:, None] + radius * normal).astype(np.float32),
        normal=normal,
        tangent=tangent,
        bitangent=bitangent,
        uv={"UVMap": uv},
        along_u=(tangent * across).astype(np.float32),
        along_v=(bitangent * radius * np.pi).astype(np.float32),
        step_u=np.full(flat.count, 0.5 / size / np.pi, np.float32),
        step_v=np.full(flat.count, 1.0 / size / np.pi, np.float32),
        view=flat.view,
        around=one_box(*box),
    )
    light = np.clip(normal[0] * -0.35 + normal[1] * 0.5 + normal[2] * 0.79, 0, 1) * 0.75 + 0.25
    return points, np.where(inside, light, 0).astype(np.float32)


@dataclass(frozen=True)
class _Shown:
    """An object that cards are shown on, told from others by its key."""

    item: BenchObject = field(compare=False)
    key: str


def _pot() -> _Shown:
    item = stock("Pot", "pot", sizes={"segments": 64}, scale=0.45)
    return _Shown(item, item.key)


def _whole(item: BenchObject) -> _Shown:
    """All of an object, as if it wore one material and none of it were hidden."""
    shown = item.model_copy(update={"assigned": (), "hidden": False, "hidden_faces": ()})
    return _Shown(shown, shown.key)


@lru_cache(maxsize=4)
def _standing(shown: _Shown, width: int, height: int) -> tuple[Points, np.ndarray, np.ndarray]:
    """Points on an object that stands on the ground where it does on the bench, the pixel of each, and the light in
    every pixel, 0 beside it. Raises CollageError for one whose mesh cannot be read, or that is not seen."""
    camera = Camera(turn=20, height=28).framing(*build_bounds((shown.item,)))
    camera = camera.model_copy(update={"distance": camera.distance * 0.72})
    found = find_samples(build_scene((shown.item,), True), camera, (width, height), edges=False)
    group = next((one for one in found.groups if one.region != GROUND), None)
    if group is None:
        raise CollageError(f"“{shown.item.name}” is not seen.")
    light, pixel = np.zeros(width * height, np.float32), found.pixel[group.start : group.stop]
    normal = group.points.normal
    light[pixel] = np.clip(normal[0] * -0.35 + normal[1] * 0.5 + normal[2] * 0.79, 0, 1) * 0.75 + 0.25
    return group.points.changed(effort=1.0), pixel, light


def _around(on: BenchObject | None, width: int, height: int) -> tuple[Points, np.ndarray, np.ndarray]:
    """What cards that look around are shown on: the object itself, or a pot."""
    if on is not None:
        with suppress(CollageError):
            return _standing(_whole(on), width, height)
    return _standing(_pot(), width, height)


def first_output(library: Library, card: Card) -> tuple[str, str] | None:
    """Name and type of the output that stands for a card in its picture; None if it has no picture."""
    if card.network is not None:
        for out in card.network.outputs.values():
            if out.type in CHANNELS:
                return out.name, out.type
        return None
    try:
        outputs = library.definition(card).outputs
    except CollageError:
        return "", "color3"
    # a whole number shows nothing; most of such cards have a number of 0..1 beside it
    name, tab = next(
        ((name, tab) for name, tab in outputs.items() if tab.type != "integer"), next(iter(outputs.items()))
    )
    return (name, tab.type) if tab.type in CHANNELS else None


def needs_shape(network: Network, name: str) -> bool:
    """Whether what a card puts out depends on how the surface lies, by itself or by what it takes in."""
    return any(_is_one(network.cards[one], NEEDS_SHAPE | NEEDS_OBJECT) for one in network.upstream(name))


def needs_object(network: Network, name: str) -> bool:
    """Whether it depends on what lies around."""
    return any(_is_one(network.cards[one], NEEDS_OBJECT) for one in network.upstream(name))


def _is_one(card: Card, kinds: AbstractSet[str]) -> bool:
    """Whether a card is of one of the kinds, or has one in it."""
    within = card.network.cards.values() if card.network is not None else ()
    return card.category in kinds or any(_is_one(one, kinds) for one in within)


def card_pictures(
    library: Library,
    document: Network,
    names: Iterable[str],
    *,
    path: tuple[str, ...] = (),
    folder: Path | None = None,
    images: ImageStore | None = None,
    cache: ResultCache | None = None,
    workers: Workers | None = None,
    size: tuple[int, int] = (114, 68),
    box: Box = UNIT_BOX,
    on: BenchObject | None = None,
    ground: Ground = "flat",
    mark: bool = False,
    loud: Loud = LOUD,
    until: float | None = None,
    cancelled: Callable[[], bool] = never,
) -> CardPictures:
    """What the cards `names` of the network at `path` put out. Raises Cancelled.

    until : see `build_plan`.
    on : the object that cards which look around are shown on; a pot where there is none, or it cannot be read.
    ground : what they lie on; those that say nothing when flat lie on a ball even so. mark : hatch what lies outside 0
    to 1; what is no number is loud in any case.
    """
    network = inside(document, path)

    def made(some: list[str], lies: Ground, looks: bool = False) -> CardPictures:
        targets: dict[str, CardOutput] = {}
        types: dict[str, str] = {}
        for name in some:
            found = first_output(library, network.cards[name])
            if found is not None and CHANNELS.get(found[1], 99) <= 4:
                targets[name], types[name] = CardOutput(name, found[0], path), found[1]
        loaded = images.loaded if images is not None else 0
        plan = build_plan(library, document, targets, folder=folder, images=images, loud=loud, until=until)
        points, light = _ball(*size, box) if lies == "shape" else (_sheet(*size, box), None)
        pixel = None
        if looks:
            points, pixel, light = _around(on, *size)
        values = run(plan, points, cache=cache, workers=workers, cancelled=cancelled)
        pictures, read = {}, {}
        for name, value in values.items():
            if isinstance(value, np.ndarray):
                number = np.broadcast_to(value.astype(np.float32), (len(value), points.count))
                if pixel is not None:
                    spread = np.zeros((len(number), size[0] * size[1]), np.float32)
                    spread[:, pixel] = number
                    number = spread
                read[name] = number
                what = "normal" if network.cards[name].category in _DIRECTIONS else types[name]
                shown_on: Ground = "raw" if network.cards[name].category in IN_METRES else lies
                pictures[name] = _picture(number, what, size, shown_on, light, mark)
        return CardPictures(pictures, plan.problems, read, _waiting(plan, loaded))

    every = list(names)
    around = [name for name in every if needs_object(network, name)] if ground in ("flat", "shape") else []
    on_ball = [name for name in every if needs_shape(network, name)] if ground == "flat" else []
    on_ball = [name for name in on_ball if name not in around]
    found = made([name for name in every if name not in on_ball and name not in around], ground)
    for more in (made(on_ball, "shape") if on_ball else None, made(around, "shape", True) if around else None):
        if more is not None:
            found = CardPictures(
                {**found.pictures, **more.pictures}, {**found.problems, **more.problems},
                {**found.values, **more.values}, found.waiting | more.waiting,
            )  # fmt: skip
    return found


def _waiting(plan: Plan, loaded: int) -> frozenset[Place]:
    """The cards in whose pictures greys stand in, as far as that will change: tiles are read only where they are seen.

    loaded : how many images the store had read before.
    """
    images = plan.images
    some = images.loaded != loaded
    return frozenset(
        place for place, one in plan.waiting.items() if some or not is_pattern(one.path) or images.is_reading(one)
    )


def _picture(
    value: Array, what: str, size: tuple[int, int], ground: Ground, light: np.ndarray | None, mark: bool
) -> np.ndarray:
    codes = marks(value) if what != "normal" else np.where(np.isfinite(value).all(axis=0), 0, NO_NUMBER)
    if not mark:
        codes = np.where(codes == NO_NUMBER, codes, 0)
    if ground == "raw":
        value, what = scaled(value, limits_of(value)), "float" if len(value) < 3 else "vector3"
    shown = shown_value(value, what, value.shape[1])
    if light is not None:
        shown = np.where(light > 0, shown * light, SURROUND)
        codes = np.where(light > 0, codes, 0)
    picture = to_display(shown.T.reshape(size[1], size[0], 3))
    return marked(picture, codes.reshape(size[1], size[0])) if codes.any() else picture
