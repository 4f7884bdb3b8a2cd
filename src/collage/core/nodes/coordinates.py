"""Coordinates to choose from for maps and patterns: the card that gives them, and how it is exchanged."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from collage.core.base.errors import CollageError
from collage.core.document import edits
from collage.core.document.model import MAP_SET, Card, Input, Network, Value, Wire
from collage.core.nodes.library import Library, TabDef, shown_value, tabs_of
from collage.core.nodes.wiring import join, origin

MADE = "clg_coordinates"
"""Marks the cards that a choice of coordinates has made; only those are removed when another is chosen."""

COORDINATES = ("texcoord", "position")
"""Inputs that take coordinates."""

_BEFORE = {"place2d": "texcoord", "clg_vary_uv": "texcoord", "clg_crops": "texcoord"}
"""Cards between coordinates and a map, by category, and the input that takes them."""


@dataclass(frozen=True)
class Coordinates:
    """One choice.

    key : as the command line takes it. label, help : as the screen shows them. definition : of the card that gives
    them. flat, solid : its output for images and for patterns in space. values : that the card starts with. index : of
    the UV set.
    """

    key: str
    label: str
    help: str
    definition: str
    flat: str = "out"
    solid: str = "out"
    values: Mapping[str, tuple[str, Value]] = field(default_factory=dict)
    index: int = 0

    def output(self, tab: TabDef) -> str:
        """The output that fits an input."""
        return self.flat if tab.type == "vector2" else self.solid

    @property
    def told_by(self) -> tuple[str, tuple[tuple[str, Value], ...]]:
        """What a card is recognised by: its definition, and the values that make this choice of it."""
        telling = ("space", "geomprop", "fit", "of", "shape", "object", "index")
        return self.definition, tuple((name, self.values[name][1]) for name in telling if name in self.values)


def _with(name: str, kind: str, value: Value) -> dict[str, tuple[str, Value]]:
    return {name: (kind, value)}


def _projector(key: str, label: str, help_: str, shape: int) -> Coordinates:
    return Coordinates(key, label, help_, "ND_clg_projector", "uv", "place", _with("shape", "integer", shape))


STANDARD = (
    Coordinates("uv", "UV", "The first UV set of the mesh", "ND_texcoord_vector2"),
    Coordinates("object", "Object position", "Metres in the object's own space", "ND_position_vector3",
                values=_with("space", "string", "object")),
    Coordinates("world", "World position", "Metres on the bench: objects move through it", "ND_position_vector3",
                values=_with("space", "string", "world")),
    Coordinates("box", "Box, stretched", "0 to 1 along each side of the object's box", "ND_clg_box_position",
                values=_with("fit", "integer", 0)),
    Coordinates("box-even", "Box, equal proportions", "0 to 1 along the longest side of the object's box",
                "ND_clg_box_position", values=_with("fit", "integer", 1)),
    Coordinates("box-size", "Box, real size", "The same size on all objects, so that they share one grain",
                "ND_clg_box_position", values=_with("fit", "integer", 2)),
    _projector("flat", "Projector, flat", "Laid on from the front of a frame", 0),
    _projector("cylinder", "Projector, cylinder", "Wrapped around a frame", 1),
    _projector("sphere", "Projector, sphere", "Wrapped around a ball in a frame", 2),
    Coordinates("direction", "Surface direction", "Which way the surface faces, as on a lat-long image",
                "ND_clg_direction", "uv", "direction", _with("of", "integer", 0)),
    Coordinates("reflection", "Reflection", "Where a reflection comes from, as on a lat-long image",
                "ND_clg_direction", "uv", "direction", _with("of", "integer", 1)),
    Coordinates("screen", "Screen", "Where it is in the picture", "ND_clg_camera", "screen", "screen"),
    Coordinates("camera", "Camera position", "Metres from the camera", "ND_clg_camera", "position", "position"),
)  # fmt: skip
"""Those that need no mesh and no other object."""

UV_SET, SPACE_OF = "uv:", "space:"
"""Keys of a UV set by its name, and of another object's space by the object's."""


def choices(uv_sets: Iterable[str] = (), objects: Iterable[str] = ()) -> list[Coordinates]:
    """All choices for meshes with these UV sets, on a bench with these objects."""
    sets = [
        Coordinates(f"{UV_SET}{name}", f"UV set “{name}”", "A UV set of the mesh by its name",
                    "ND_geompropvalue_vector2", values=_with("geomprop", "string", name), index=index)
        for index, name in list(enumerate(uv_sets))[1:]
    ]  # fmt: skip
    spaces = [
        Coordinates(f"{SPACE_OF}{name}", f"Space of “{name}”", "The position as that object sees it: follows it",
                    "ND_clg_object_space", "position", "position", _with("object", "string", name))
        for name in objects
    ]  # fmt: skip
    return [STANDARD[0], *sets, *STANDARD[1:], *spaces]


@dataclass(frozen=True)
class Place:
    """An input that takes coordinates, behind the placement of a map if it has one."""

    card: str
    tab: TabDef


def place_of(library: Library, network: Network, name: str) -> Place | None:
    """The input where the coordinates of a card come in; None for a card that takes none."""
    card = network.cards.get(name)
    if card is None:
        return None
    if card.network is not None:
        return _place_of_set(card)
    tab = next((tab for key, tab in tabs_of(library, card).items() if key in COORDINATES), None)
    if tab is None:
        return None
    one = card.inputs.get(tab.name)
    if one is not None and one.wire is not None:
        source = network.cards.get(origin(network, one.wire)[0].card)
        if source is not None and source.category in _BEFORE:
            return place_of(library, network, source.name)
    return Place(name, tab)


def _place_of_set(card: Card) -> Place | None:
    """Of a map set: its own input if it has one; one that can be made where it reads the mesh's UVs by itself."""
    if card.attributes.get(MAP_SET) != "true" or card.network is None:
        return None
    if "texcoord" in card.inputs:
        return Place(card.name, TabDef("texcoord", "vector2"))
    return Place(card.name, TabDef("texcoord", "vector2", None, "UV0")) if _inner_uv(card.network) else None


def _inner_uv(inner: Network) -> str:
    """The UV card inside a map set that its placement starts from; empty where there is none."""
    return next((name for name, card in inner.cards.items() if card.category == "texcoord"), "")


def _opened(network: Network, card: Card) -> Network:
    """With an input for coordinates at a map set, in the place of the UV card inside it."""
    if card.network is None or "texcoord" in card.inputs:
        return network
    inner, uv = card.network, _inner_uv(card.network)
    for user, name, _ in inner.consumers(uv):
        taken = Input(name, "vector2", interface="texcoord")
        inner = inner.with_card(inner.cards[user].with_input(taken))
    inner = inner.without_cards({uv})
    shown = Input("texcoord", "vector2", (0.0, 0.0), attributes={"uiname": "Coordinates"})
    return network.with_card(replace(card.with_input(shown), network=inner))


def chosen(library: Library, network: Network, name: str, among: Iterable[Coordinates]) -> Coordinates | None:
    """The coordinates that a card has; None where something else is wired."""
    place = place_of(library, network, name)
    if place is None:
        return None
    one = network.cards[place.card].inputs.get(place.tab.name)
    among = list(among)
    if one is None or one.wire is None:
        key = {"UV0": "uv", "Pobject": "object", "Pworld": "world"}.get(place.tab.geometry, "")
        return next((choice for choice in among if choice.key == key), None)
    wire = origin(network, one.wire)[0]
    source = network.cards.get(wire.card)
    if source is None or source.network is not None:
        return None
    definition = library.definition(source)
    for choice in among:
        named, values = choice.told_by
        if len(definition.outputs) > 1 and wire.output != choice.output(place.tab):
            continue
        if named != definition.name or (choice.key == "uv" and shown_value(source, definition.inputs["index"]) != 0):
            continue
        if all(shown_value(source, definition.inputs[key]) == value for key, value in values):
            return choice
    return None


def with_coordinates(library: Library, network: Network, name: str, choice: Coordinates) -> Network:
    """With other coordinates for a card, and for all that share its placement.

    Raises CollageError where the card takes none or they do not fit.
    """
    place = place_of(library, network, name)
    if place is None:
        raise CollageError(f"“{name}” takes no coordinates.", about=name, remedy="Choose a map or a pattern.")
    user, tab = network.cards[place.card], place.tab
    if user.network is not None and choice.key != "uv":
        network = _opened(network, user)
        user, tab = network.cards[place.card], TabDef("texcoord", "vector2")
    network, before = _unwired(network, user, tab)
    network = _with_tangents(network, place.card, choice.index)
    if {"UV0": "uv", "Pobject": "object"}.get(tab.geometry) == choice.key:
        return network
    definition = library[choice.definition]
    made = network.free_name(choice.key.split(":")[0].replace("-", "_"))
    card = definition.new_card(made)
    for key, (kind, value) in choice.values.items():
        card = card.with_input(Input(key, kind, value))
    card = card.with_attribute(MADE, "true")
    if before is not None and before.category == card.category:  # what was set of it stays: the frame of a projector
        kept = {key: one for key, one in before.inputs.items() if key not in choice.values}
        for one in kept.values():
            card = card.with_input(one)
    x, y = before.position if before is not None else (user.position[0] - 1.0, user.position[1])
    network = edits.move_cards(edits.add_card(network, card), {made: (x, y)})
    wire = Wire(made, choice.output(tab) if len(definition.outputs) > 1 else "")
    return join(library, network, wire, place.card, tab.name, tab.type)


def _unwired(network: Network, user: Card, tab: TabDef) -> tuple[Network, Card | None]:
    """Without the wire of an input, and without the card behind it where nothing else takes from it."""
    one = user.inputs.get(tab.name)
    if one is None or one.wire is None:
        return network, None
    source = network.cards.get(origin(network, one.wire)[0].card)
    network = edits.disconnect(network, user.name, tab.name)
    if source is None or not (MADE in source.attributes or source.category == "texcoord"):
        return network, source if source is not None and source.category.startswith("clg_") else None
    if network.consumers(source.name):
        return network, source
    return edits.remove_cards(network, [source.name], {}), source


def _with_tangents(network: Network, name: str, index: int) -> Network:
    """Normal maps behind a map get the tangents of its UV set; of the first they have them by themselves."""
    for card in network.downstream(name, lambda one: one.category == "normalmap"):
        if card.category == "normalmap":
            for which in ("tangent", "bitangent"):
                network = _with_tangent(network, card.name, which, index)
    return network


def _with_tangent(network: Network, name: str, which: str, index: int) -> Network:
    card = network.cards[name]
    one = card.inputs.get(which)
    if one is not None and one.wire is not None:
        source = network.cards.get(one.wire.card)
        if source is None or MADE not in source.attributes:
            return network  # somebody's own
        network = edits.disconnect(network, name, which)
        if not network.consumers(source.name):
            network = edits.remove_cards(network, [source.name], {})
    if index == 0:
        return network
    made = network.free_name(which)
    given = {"space": Input("space", "string", "world"), "index": Input("index", "integer", index)}
    attributes = {"nodedef": f"ND_{which}_vector3", MADE: "true"}
    network = edits.add_card(network, Card(made, which, "vector3", given, attributes))
    x, y = card.position
    network = edits.move_cards(network, {made: (x - 0.9, y + (0.7 if which == "tangent" else 1.4))})
    return edits.connect(network, Wire(made), name, which, "vector3")


# ---- placement --------------------------------------------------------------------------------


def placement_of(network: Network, name: str) -> str:
    """The card that places a map: itself for a map set, the placement before it; empty where there is none."""
    card = network.cards.get(name)
    while card is not None:
        if card.attributes.get(MAP_SET) == "true" or card.category == "place2d":
            return card.name
        one = card.inputs.get("texcoord")
        card = (
            network.cards.get(origin(network, one.wire)[0].card) if one is not None and one.wire is not None else None
        )
        if card is not None and card.category not in _BEFORE:
            return ""
    return ""


def with_placement(library: Library, network: Network, names: Sequence[str]) -> tuple[Network, str]:
    """One placement for maps that had none or others; it starts with the coordinates and the placement of the first.

    Returns its name too. Raises CollageError for a map that takes no flat coordinates.
    """
    places = {name: place_of(library, network, name) for name in names}
    tabs = {name: tabs_of(library, network.cards[name]).get("texcoord") for name in names}
    bad = next((name for name in names if places[name] is None or tabs[name] is None), "" if names else "nothing")
    if bad:
        raise CollageError(f"“{bad}” has no placement.", about=bad, remedy="Choose images or flat patterns.")
    first = names[0]
    made, before = network.free_name("placement"), placement_of(network, first)
    x, y = network.cards[first].position
    old = network.cards[before] if before else None
    inputs = {key: one for key, one in old.inputs.items() if key != "texcoord"} if old is not None else {}
    card = Card(made, "place2d", "vector2", inputs, {"nodedef": "ND_place2d_vector2", "uiname": "Placement"})
    network = edits.move_cards(edits.add_card(network, card), {made: (x - 1.0, y - 0.6)})
    place = places[first]
    assert place is not None
    source = network.cards[place.card].inputs.get(place.tab.name)
    if source is not None and source.wire is not None:
        network = edits.connect(network, source.wire, made, "texcoord", "vector2")
    else:
        uv = network.free_name("uv")
        network = edits.add_card(network, Card(uv, "texcoord", "vector2", {}, {"nodedef": "ND_texcoord_vector2"}))
        network = edits.move_cards(network, {uv: (x - 2.0, y - 0.6)})
        network = edits.connect(network, Wire(uv), made, "texcoord", "vector2")
    idle = set()
    for name in names:
        idle.add(placement_of(network, name))
        network = edits.connect(network, Wire(made), name, "texcoord", "vector2")
    for one in idle - {"", made}:
        if not network.consumers(one):
            network = edits.remove_cards(network, [one], {one: None})
    return network, made


def mirrored(card: Card, axis: int) -> Card:
    """A placement turned over across u (axis 0) or v (axis 1): its tile has a negative size."""
    one = card.inputs.get("scale")
    size = one.value if one is not None and isinstance(one.value, tuple) and len(one.value) == 2 else (1.0, 1.0)
    u, v = (-number if at == axis else number for at, number in enumerate(size))
    attributes = one.attributes if one is not None else {}
    return card.with_input(Input("scale", "vector2", (u, v), attributes=attributes))
