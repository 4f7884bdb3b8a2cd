"""Ramps of any number of stops.

The standard's ramp holds ten. A longer one is a group of standard cards: from the first colour on, each stop mixes
its colour over what was before, by how far the coordinate is on the way to it.
"""

from __future__ import annotations

from collections.abc import Sequence

from collage.core.base.errors import CollageError
from collage.core.document.model import RAMP, Card, Input, Network, Output, Wire

Stop = tuple[float, tuple[float, ...]]
"""A place from 0 to 1, and a colour with alpha."""

MOST = 10
"""Stops that the standard's card holds."""

LINEAR, SMOOTH, STEPS = 0, 1, 2


def is_long(card: Card) -> bool:
    """Whether a ramp has more stops than the standard's own ramp takes."""
    return card.network is not None and RAMP in card.attributes


def _number(value: object, otherwise: float = 0.0) -> float:
    return float(value) if isinstance(value, int | float) else otherwise


def stops_of(card: Card) -> tuple[list[Stop], int]:
    """The stops of a ramp, short or long, and how it goes from one to the next."""
    given = {name: one.value for name, one in card.inputs.items()}
    if is_long(card):
        count = len([name for name in given if name.startswith("interval")])
        how = {"1": SMOOTH, "2": STEPS}.get(card.attributes[RAMP], LINEAR)
    else:
        count = min(max(round(_number(given.get("num_intervals"), 2)), 2), MOST)
        how = round(_number(given.get("interpolation"), 1))
    found: list[Stop] = []
    for k in range(1, count + 1):
        colour = given.get(f"color{k}")
        usual = (0.0, 0.0, 0.0, 1.0) if k == 1 else (1.0, 1.0, 1.0, 1.0)
        four = colour if isinstance(colour, tuple) and len(colour) == 4 else usual
        found.append((_number(given.get(f"interval{k}"), 0.0 if k == 1 else 1.0), four))
    return sorted(found, key=lambda stop: stop[0]), how


def with_stops(card: Card, stops: Sequence[Stop], how: int) -> Card:
    """The ramp with these stops: the standard's card as long as they fit, a group of cards beyond.

    how : LINEAR, SMOOTH or STEPS. Raises CollageError for fewer than two stops, and for more than ten of a ramp
    that does not run along u.
    """
    if len(stops) < 2:
        raise CollageError("A ramp needs two stops.", about=card.name)
    ordered = sorted(stops, key=lambda stop: stop[0])
    kept = {name: one for name, one in card.inputs.items() if name == "texcoord"}
    attributes = {key: text for key, text in card.attributes.items() if key not in (RAMP, "nodedef")}
    numbers: dict[str, Input] = {}
    for k, (place, colour) in enumerate(ordered, 1):
        numbers[f"interval{k}"] = Input(f"interval{k}", "float", place)
        numbers[f"color{k}"] = Input(f"color{k}", "color4", colour)
    if len(ordered) <= MOST:
        others = {name: one for name, one in card.inputs.items() if name == "type"}
        own = {
            "num_intervals": Input("num_intervals", "integer", len(ordered)),
            "interpolation": Input("interpolation", "integer", how),
        }
        inputs, attributes = {**kept, **others, **own, **numbers}, {**attributes, "nodedef": "ND_ramp"}
        return Card(card.name, "ramp", "color4", inputs, attributes)
    kind = card.inputs.get("type")
    if kind is not None and kind.value not in (None, 0):
        raise CollageError(
            "Ten stops are the most for a ramp of this kind.", about=card.name, remedy="Make it a standard one first."
        )
    attributes.setdefault("uiname", "Ramp with stops")
    network = _inside(len(ordered), how, wired="texcoord" in kept)
    return Card(card.name, "nodegraph", "multioutput", {**kept, **numbers}, {**attributes, RAMP: str(how)}, network)


def _inside(count: int, how: int, *, wired: bool) -> Network:
    cards: dict[str, Card] = {}

    def put(name: str, category: str, type_name: str, *inputs: Input) -> Wire:
        place = {"xpos": f"{len(cards) // 3:.4f}", "ypos": f"{len(cards) % 3:.4f}"}
        cards[name] = Card(name, category, type_name, {one.name: one for one in inputs}, place)
        return Wire(name)

    def shown(name: str, type_name: str, what: str) -> Input:
        return Input(name, type_name, None, None, what)

    if wired:
        along = put("u", "extract", "float", shown("in", "vector2", "texcoord"), Input("index", "integer", 0))
    else:
        uv = put("uv", "texcoord", "vector2")
        along = put("u", "extract", "float", Input("in", "vector2", None, uv), Input("index", "integer", 0))
    colour = put("stop_1", "dot", "color4", shown("in", "color4", "color1"))
    for k in range(2, count + 1):
        before, here = f"interval{k - 1}", f"interval{k}"
        if how == STEPS:
            one, none = Input("in1", "float", 1.0), Input("in2", "float", 0.0)
            share = put(
                f"share_{k}", "ifgreatereq", "float",
                Input("value1", "float", None, along), shown("value2", "float", here), one, none,
            )  # fmt: skip
        else:
            held = put(
                f"way_{k}", "remap", "float", Input("in", "float", None, along),
                shown("inlow", "float", before), shown("inhigh", "float", here),
            )  # fmt: skip
            share = put(f"share_{k}", "clamp", "float", Input("in", "float", None, held))
            if how == SMOOTH:
                share = put(f"soft_{k}", "smoothstep", "float", Input("in", "float", None, share))
        colour = put(
            f"stop_{k}", "mix", "color4", shown("fg", "color4", f"color{k}"),
            Input("bg", "color4", None, colour), Input("mix", "float", None, share),
        )  # fmt: skip
    return Network(cards, {}, {"out": Output("out", "color4", colour)})
