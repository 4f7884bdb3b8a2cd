"""New cards with what they need to show something: coordinates for placements, a finer position for patterns."""

from __future__ import annotations

from collections.abc import Sequence

from collage.core.document import edits, making
from collage.core.document.model import Card, Input, Network, Output, Wire
from collage.core.nodes import stacks
from collage.core.nodes.labels import new_card, title_of
from collage.core.nodes.library import Library, NodeDef
from collage.core.nodes.wiring import fits, join, output_type

FINER = 24.0
"""Patterns in space start this much finer than metres; else they would hardly change on an object."""

FOR_PATTERNS = "clg_for_patterns"
"""Marks the card that new patterns share; another one, whoever made it, is not touched."""

BUMP_UNITS = 16.0  # the standard's bump divides slopes by this many
RELIEF = ("bump", "heighttonormal")
"""Cards that make relief of a height."""

NATURAL = 0.16
"""The strength that relief starts with: a hundredth of the UV square deep, a centimetre on an object of one metre."""

STARTING_SCALE = {**dict.fromkeys(RELIEF, NATURAL), "displacement": 0.01}
"""What relief starts with; of displacement, metres at white. The standard's 1 would burst every object."""

IN_METRES = {"clg_waves"}  # patterns that say in real units how large they are

Place = tuple[float, float]


def image_card(name: str, file: str, channels: int, title: str) -> Card:
    """A card that reads a file; one of four channels is a group that puts out colour and alpha apart."""
    if channels != 4:
        kind = "float" if channels == 1 else "color3"
        given = {"file": Input("file", "filename", file)}
        return Card(name, "image", kind, given, {"nodedef": f"ND_image_{kind}", "uiname": title})
    read = making.card
    alpha: dict[str, making.Given] = {"in": ("color4", Wire("picture")), "index": ("integer", 3)}
    whole = read("picture", "image", "color4", (0, 0), "Image").with_input(Input("file", "filename", interface="file"))
    cards = {
        "picture": whole,
        "rgb": read("rgb", "convert", "color3", (1.2, 0), "Colour", **{"in": ("color4", Wire("picture"))}),
        "a": read("a", "extract", "float", (1.2, 1), "Alpha",
                  **alpha),
    }  # fmt: skip
    outputs = {"colour": Output("colour", "color3", Wire("rgb")), "alpha": Output("alpha", "float", Wire("a"))}
    shown = Input("file", "filename", file, attributes={"uiname": "File"})
    return Card(name, "nodegraph", "multioutput", {"file": shown}, {"uiname": title}, Network(cards, {}, outputs))


def free_place(network: Network, place: Place) -> Place:
    """The place on the board, or the next one below it where no card lies."""
    x, y = place
    others = [card.position for card in network.cards.values() if card.placed]
    while any(abs(x - a) < 0.85 and abs(y - b) < 0.85 for a, b in others):
        y += 0.2
    return x, y


def added(
    library: Library,
    network: Network,
    definition: NodeDef,
    place: Place,
    source: Wire | None = None,
    target: str = "",
    name: str = "",
) -> tuple[Network, str]:
    """A new card on the board, wired from `source` to its input `target` if given. Returns its name too.

    Raises CollageError for a name that is taken, and for a wire that does not fit.
    """
    name = name or network.free_name(definition.category)
    place = free_place(network, place)
    network = edits.move_cards(edits.add_card(network, new_card(definition, name)), {name: place})
    if definition.category in STARTING_SCALE:
        network = edits.set_value(network, name, "scale", "float", STARTING_SCALE[definition.category])
    if "texcoord" in definition.inputs and not definition.inputs["texcoord"].geometry and target != "texcoord":
        network = _with_coordinates(network, name, place)
    made_finer = definition.group == "procedural3d" and definition.category not in IN_METRES
    if made_finer and "position" in definition.inputs and target != "position":
        network = _with_position(network, name, place)
    if source is not None and target:
        network = join(library, network, source, name, target, definition.inputs[target].type)
    return network, name


def _with_coordinates(network: Network, name: str, place: Place) -> Network:
    """A placement starts from the surface's UV, which the standard does not wire by itself."""
    uv = network.free_name("uv")
    card = Card(uv, "texcoord", "vector2", {}, {"nodedef": "ND_texcoord_vector2"})
    network = edits.move_cards(edits.add_card(network, card), {uv: (place[0] - 1.0, place[1])})
    return edits.connect(network, Wire(uv), name, "texcoord", "vector2")


def _with_position(network: Network, name: str, place: Place) -> Network:
    """A pattern in space starts from the position made finer; a card that was made for this is used again."""
    for card in network.cards.values():
        if FOR_PATTERNS in card.attributes and name not in network.upstream(card.name):
            return edits.connect(network, Wire(card.name), name, "position", "vector3")
    position, finer = network.free_name("position"), network.free_name("finer")
    x, y = place
    own = Card(position, "position", "vector3", {}, {"nodedef": "ND_position_vector3"})
    inputs = {
        "in1": Input("in1", "vector3", None, Wire(position)),
        "in2": Input("in2", "float", FINER),
    }
    scaled = Card(
        finer,
        "multiply",
        "vector3",
        inputs,
        {"nodedef": "ND_multiply_vector3FA", "uiname": "Finer", FOR_PATTERNS: "true"},
    )
    network = edits.add_card(edits.add_card(network, own), scaled)
    network = edits.move_cards(network, {position: (x - 2.0, y), finer: (x - 1.0, y)})
    return edits.connect(network, Wire(finer), name, "position", "vector3")


def stack_of(library: Library, network: Network, names: Sequence[str], place: Place) -> tuple[Network, str]:
    """A new stack whose layers, the lowest first, are cards that put out a colour or what becomes one."""
    stack = network.free_name("stack")
    network = edits.move_cards(network.with_card(stacks.new_stack(stack)), {stack: place})
    fitting = [name for name in names if fits(library, output_type(library, network, Wire(name)), "color3")]
    if not fitting:
        return network, stack
    grey = Input("layer", "color3", (0.5, 0.5, 0.5))
    layers = [stacks.Layer(title_of(network.cards[name]), grey) for name in fitting]
    network = network.with_card(stacks.with_layers(network.cards[stack], layers))
    for number, name in enumerate(fitting, 1):
        network = join(library, network, Wire(name), stack, f"layer_{number}", "color3")
    return network, stack
