"""Pictures of what cards put out, on the flat sheet that spans the box of the object."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np

from collage.core.document.model import Card, Network, inside
from collage.core.document.types import CHANNELS
from collage.core.errors import CollageError
from collage.core.evaluate.plan import CardOutput, Place, build_plan
from collage.core.evaluate.points import Points, sheet
from collage.core.evaluate.run import ResultCache, Workers, never, run
from collage.core.images.store import ImageStore
from collage.core.nodes.library import Library
from collage.core.render.picture import shown_value, to_display

Box = tuple[tuple[float, float, float], tuple[float, float, float]]
UNIT_BOX: Box = ((0.0, 0.0, 0.0), (1.0, 1.0, 0.0))


_DIRECTIONS = {"normalmap", "bump", "normal", "tangent", "bitangent"}  # shown as a map would store them


@dataclass(frozen=True, eq=False)
class CardPictures:
    """Pictures (h, w, 3) uint8 by card, and what was wrong by place."""

    pictures: Mapping[str, np.ndarray]
    problems: Mapping[Place, CollageError]


@lru_cache(maxsize=8)
def _sheet(width: int, height: int, box: Box) -> Points:
    return sheet(width, height, low=box[0], high=box[1], filtered=True)


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
    cancelled: Callable[[], bool] = never,
) -> CardPictures:
    """What the cards `names` of the network at `path` put out. Raises Cancelled."""
    network = inside(document, path)
    targets: dict[str, CardOutput] = {}
    types: dict[str, str] = {}
    for name in names:
        found = first_output(library, network.cards[name])
        if found is not None and CHANNELS.get(found[1], 99) <= 4:
            targets[name], types[name] = CardOutput(name, found[0], path), found[1]
    plan = build_plan(library, document, targets, folder=folder, images=images)
    points = _sheet(*size, box)
    values = run(plan, points, cache=cache, workers=workers, cancelled=cancelled)
    pictures = {}
    for name, value in values.items():
        if isinstance(value, np.ndarray):
            what = "normal" if network.cards[name].category in _DIRECTIONS else types[name]
            shown = shown_value(value.astype(np.float32), what, points.count)
            pictures[name] = to_display(shown.T.reshape(size[1], size[0], 3))
    return CardPictures(pictures, plan.problems)
