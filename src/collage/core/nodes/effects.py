"""Effects that are ready to use: a group of cards that works on any material, dropped onto it in one act.

A group puts out a mask and, where it has them, values for inputs of the surface by their names, and a height in metres.
Everything is in real units, so that it looks alike on a pot and on a wall.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from collage.core.document.making import Given
from collage.core.document.making import card as card_of
from collage.core.document.model import Card, Input, Network, Output, Value, Wire
from collage.core.nodes.adding import BUMP_UNITS
from collage.core.nodes.library import Library
from collage.core.nodes.masked import with_bump, with_mask, without_mask

EFFECT = "clg_effect"
"""The attribute of a group's card that names its effect."""

MASK, HEIGHT = "mask", "height"

Source = Wire | Value | str
"""What an input gets: a wire, a value, or an input of the group by its name after a dollar sign."""

Range = tuple[float, float]


class Group:
    """Cards that become a group."""

    def __init__(self) -> None:
        self.cards: dict[str, Card] = {}
        self.inputs: dict[str, Input] = {}
        self.outputs: dict[str, Output] = {}

    def offer(self, name: str, kind: str, value: Value, label: str, limits: Range | None = None) -> str:
        """An input that the group shows. Returns what stands for it."""
        attributes = {"uiname": label}
        if limits is not None:
            attributes |= {"uisoftmin": f"{limits[0]:g}", "uisoftmax": f"{limits[1]:g}"}
        self.inputs[name] = Input(name, kind, value, attributes=attributes)
        return f"${name}"

    def put(self, name: str, category: str, kind: str, **inputs: tuple[str, Source]) -> Wire:
        """A card; a name that Python keeps for itself ends in an underscore."""
        plain: dict[str, Given] = {}
        followed = []
        for key, (type_name, value) in inputs.items():
            key = key.rstrip("_")
            if isinstance(value, str) and value.startswith("$"):
                followed.append(Input(key, type_name, interface=value[1:]))
            else:
                plain[key] = (type_name, value)
        made = card_of(name, category, kind, (1.0 * (len(self.cards) // 4), 1.0 * (len(self.cards) % 4)), "", **plain)
        self.cards[name] = replace(made, inputs={**made.inputs, **{one.name: one for one in followed}})
        return Wire(name)

    def give(self, name: str, kind: str, source: Wire) -> None:
        """An output of the group."""
        self.outputs[name] = Output(name, kind, source)

    def grain(self, name: str, per_metre: Source, seed: tuple[float, float, float], octaves: int = 4) -> Wire:
        """Noise of about 0 to 1 on the object, so fine per metre."""
        where = self.put(f"{name}_where", "position", "vector3", space=("string", "object"))
        fine = self.put(f"{name}_fine", "multiply", "vector3", in1=("vector3", where), in2=("float", per_metre))
        moved = self.put(f"{name}_moved", "add", "vector3", in1=("vector3", fine), in2=("vector3", seed))
        noise = self.put(
            f"{name}_noise", "fractal3d", "float", octaves=("integer", octaves), position=("vector3", moved)
        )
        half = self.put(f"{name}_half", "multiply", "float", in1=("float", noise), in2=("float", 0.7))
        raised = self.put(f"{name}_raised", "add", "float", in1=("float", half), in2=("float", 0.5))
        return self.put(name, "clamp", "float", in_=("float", raised))

    def times(self, name: str, one: Source, other: Source, kind: str = "float") -> Wire:
        return self.put(name, "multiply", kind, in1=(kind, one), in2=("float", other))

    def card(self, title: str, effect: str) -> Card:
        network = Network(self.cards, {}, self.outputs)
        return Card("effect", "nodegraph", "multioutput", self.inputs, {"uiname": title, EFFECT: effect}, network)


Colour = tuple[float, float, float]


def _plain(g: Group, mask: Wire, colour: Colour | None, roughness: float | None, metal: float | None = None) -> None:
    """The outputs of most effects: their mask times an amount, colour, roughness and metalness."""
    amount = g.offer("amount", "float", 1.0, "Amount", (0, 1))
    g.give(MASK, "float", g.times("amounts", mask, amount))
    if colour is not None:
        colour_in = g.offer("colour", "color3", colour, "Colour")
        g.give("base_color", "color3", g.put("coloured", "dot", "color3", in_=("color3", colour_in)))
    if roughness is not None:
        rough_in = g.offer("roughness", "float", roughness, "Roughness", (0, 1))
        g.give("specular_roughness", "float", g.put("rough", "dot", "float", in_=("float", rough_in)))
    if metal is not None:
        g.give("base_metalness", "float", g.put("metal", "constant", "float", value=("float", metal)))


def _dust(g: Group) -> None:
    full = g.offer("full", "float", 12.0, "Full up to (°)", (0, 90))
    none = g.offer("none", "float", 62.0, "None from (°)", (0, 120))
    patchy = g.offer("patchy", "float", 0.75, "Patchiness", (0, 1))
    slope = g.put("slope", "clg_slope_mask", "float", full=("float", full), none=("float", none))
    grain = g.grain("grain", 45.0, (3.1, 0.7, 5.3))
    broken = g.put("broken", "mix", "float", bg=("float", 1.0), fg=("float", grain), mix=("float", patchy))
    mask = g.times("lying", slope, broken)
    _plain(g, g.times("settled", mask, 0.48), (0.46, 0.41, 0.34), 0.92, 0.0)


def _moss(g: Group) -> None:
    reach = g.offer("reach", "float", 0.05, "Reach (m)", (0, 0.2))
    facing = g.offer("facing", "float", 0.7, "Only facing up", (0, 1))
    size = g.offer("fine", "float", 70.0, "Fineness (per m)", (5, 300))
    grain = g.grain("grain", size, (0.0, 4.0, 9.0), 5)
    closed = g.put("closed", "clg_crevice_mask", "float", reach=("float", reach), only=("float", facing),
                   strength=("float", 2.6), contrast=("float", 2.2), pattern=("float", grain),
                   broken=("float", 0.9))  # fmt: skip
    tint = g.grain("tint", 240.0, (7.0, 1.0, 2.0), 3)
    light = g.offer("colour", "color3", (0.105, 0.16, 0.035), "Colour")
    dark = g.times("dark", light, 0.32, "color3")
    colour = g.put("greens", "mix", "color3", bg=("color3", dark), fg=("color3", light), mix=("float", tint))
    _plain(g, closed, None, 0.95, 0.0)
    g.give("base_color", "color3", colour)
    rough = g.times("tufts", tint, 0.0016)
    g.give(HEIGHT, "float", rough)


def _worn(g: Group) -> None:
    width = g.offer("width", "float", 0.005, "Width (m)", (0, 0.05))
    size = g.offer("fine", "float", 160.0, "Fineness (per m)", (10, 600))
    grain = g.grain("grain", size, (2.0, 8.0, 1.0), 5)
    edge = g.put("edge", "clg_edge_mask", "float", width=("float", width), strength=("float", 1.7),
                 contrast=("float", 3.0), pattern=("float", grain), broken=("float", 1.2))  # fmt: skip
    _plain(g, g.times("rubbed", edge, 0.85), (0.5, 0.42, 0.34), 0.6)


def _drips(g: Group) -> None:
    long = g.offer("long", "float", 0.7, "Length (of the object)", (0.05, 1))
    size = g.offer("fine", "float", 70.0, "Drips (per m)", (5, 300))
    where = g.put("where", "position", "vector3", space=("string", "object"))
    parts = g.put("parts", "separate3", "multioutput", in_=("vector3", where))
    x, y, z = (Wire(parts.card, f"out{axis}") for axis in "xyz")
    down = g.times("down", y, 0.06)
    stretched = g.put("stretched", "combine3", "vector3", in1=("float", x), in2=("float", down), in3=("float", z))
    fine = g.put("fine_place", "multiply", "vector3", in1=("vector3", stretched), in2=("float", size))
    noise = g.put("runs", "fractal3d", "float", octaves=("integer", 3), position=("vector3", fine))
    run = g.put("run", "smoothstep", "float", in_=("float", noise), low=("float", 0.05), high=("float", 0.42))
    box = g.put("box", "clg_box_position", "vector3")
    high = g.put("high", "extract", "float", in_=("vector3", box), index=("integer", 1))
    below = g.put("below", "subtract", "float", in1=("float", 1.0), in2=("float", high))
    end = g.put("end", "add", "float", in1=("float", noise), in2=("float", 1.0))
    reach = g.put("reach", "multiply", "float", in1=("float", end), in2=("float", long))
    share = g.put("share", "divide", "float", in1=("float", below), in2=("float", reach))
    fade = g.put("fade", "smoothstep", "float", in_=("float", share), low=("float", 1.0), high=("float", 0.25))
    upright = g.put("upright", "clg_slope_mask", "float", full=("float", 180.0), none=("float", 181.0))
    steep = g.put("steep", "clg_slope_mask", "float", full=("float", 30.0), none=("float", 55.0))
    sides = g.put("sides", "subtract", "float", in1=("float", upright), in2=("float", steep))
    lying = g.times("running", g.times("faded", run, fade), sides)
    _plain(g, g.times("thin", lying, 0.6), (0.07, 0.058, 0.045), 0.5)


def _tide(g: Group) -> None:
    level = g.offer("level", "float", 0.05, "Level (m)", (0, 1))
    wander = g.offer("wander", "float", 0.012, "Wander (m)", (0, 0.1))
    line = g.offer("line", "float", 0.006, "Line width (m)", (0.0005, 0.05))
    where = g.put("where", "position", "vector3", space=("string", "world"))
    high = g.put("high", "extract", "float", in_=("vector3", where), index=("integer", 1))
    grain = g.grain("grain", 22.0, (1.0, 6.0, 3.0))
    off = g.put("off", "subtract", "float", in1=("float", grain), in2=("float", 0.5))
    moved = g.times("moved", off, wander)
    at = g.put("at", "add", "float", in1=("float", high), in2=("float", moved))
    under = g.put("under", "subtract", "float", in1=("float", level), in2=("float", at))
    scaled = g.put("scaled", "divide", "float", in1=("float", under), in2=("float", line))
    wet = g.put("wet", "smoothstep", "float", in_=("float", scaled), low=("float", -0.15), high=("float", 0.15))
    far = g.put("far", "smoothstep", "float", in_=("float", scaled), low=("float", 0.0), high=("float", 2.2))
    drying = g.put("drying", "mix", "float", bg=("float", 0.85), fg=("float", 0.35), mix=("float", far))
    mask = g.times("stain", wet, drying)
    _plain(g, mask, (0.16, 0.135, 0.105), 0.7)


def _prints(g: Group) -> None:
    size = g.offer("size", "float", 0.016, "Size (m)", (0.005, 0.05))
    cover = g.offer("cover", "float", 0.48, "Coverage", (0, 1))
    where = g.put("where", "position", "vector3", space=("string", "object"))
    cells = g.put("cells", "divide", "vector3", in1=("vector3", where), in2=("float", size))
    sparse = g.times("sparse", cells, 0.5, "vector3")
    near = g.put("near", "worleynoise3d", "float", position=("vector3", sparse))
    print_ = g.put("print", "smoothstep", "float", in_=("float", near), low=("float", 0.42), high=("float", 0.26))
    bent = g.grain("bent", 90.0, (5.0, 2.0, 8.0), 2)
    swirl = g.times("swirl", bent, 9.0)
    rings = g.times("rings", near, 85.0)
    phase = g.put("phase", "add", "float", in1=("float", rings), in2=("float", swirl))
    wave = g.put("wave", "sin", "float", in_=("float", phase))
    ridge = g.put("ridge", "smoothstep", "float", in_=("float", wave), low=("float", -0.5), high=("float", 0.5))
    some = g.grain("some", 28.0, (9.0, 9.0, 1.0), 2)
    level = g.put("level", "subtract", "float", in1=("float", 1.0), in2=("float", cover))
    above = g.put("above", "add", "float", in1=("float", level), in2=("float", 0.15))
    there = g.put("there", "smoothstep", "float", in_=("float", some), low=("float", level), high=("float", above))
    smear = g.put("smear", "mix", "float", bg=("float", 0.5), fg=("float", ridge), mix=("float", print_))
    greasy = g.put("greasy", "max", "float", in1=("float", print_), in2=("float", 0.25))
    mask = g.times("greased", g.times("touched", smear, greasy), there)
    _plain(g, mask, None, 0.62)


def _scratches(g: Group) -> None:
    """Lines of noise that hardly change along a way in the object, in two sets that cross at a narrow angle."""
    along = g.offer("along", "vector3", (1.0, 0.0, 0.0), "Direction")
    size = g.offer("fine", "float", 330.0, "Fineness (per m)", (50, 2000))
    density = g.offer("density", "float", 0.4, "Density", (0, 1))
    where = g.put("where", "position", "vector3", space=("string", "object"))
    limit = g.put("limit", "mix", "float", bg=("float", 0.62), fg=("float", 0.3), mix=("float", density))
    lines = []
    for name, aside, seed in (("one", (0.0, 0.0, 0.0), 3.0), ("other", (0.0, 0.02, 0.16), 8.0)):
        turned = g.put(f"{name}_turned", "add", "vector3", in1=("vector3", along), in2=("vector3", aside))
        way = g.put(f"{name}_way", "normalize", "vector3", in_=("vector3", turned))
        gone = g.put(f"{name}_gone", "dotproduct", "float", in1=("vector3", where), in2=("vector3", way))
        taken = g.put(
            f"{name}_taken",
            "multiply",
            "vector3",
            in1=("vector3", way),
            in2=("float", g.times(f"{name}_most", gone, 0.97)),
        )
        flat = g.put(f"{name}_flat", "subtract", "vector3", in1=("vector3", where), in2=("vector3", taken))
        fine = g.put(f"{name}_fine", "multiply", "vector3", in1=("vector3", flat), in2=("float", size))
        moved = g.put(f"{name}_moved", "add", "vector3", in1=("vector3", fine), in2=("vector3", (seed, seed, seed)))
        noise = g.put(f"{name}_noise", "noise3d", "float", position=("vector3", moved))
        past = g.put(f"{name}_past", "add", "float", in1=("float", limit), in2=("float", 0.3))
        lines.append(
            g.put(
                f"{name}_lines", "smoothstep", "float", in_=("float", noise), low=("float", limit), high=("float", past)
            )
        )
    either = g.put("either", "max", "float", in1=("float", lines[0]), in2=("float", lines[1]))
    some = g.grain("some", 9.0, (4.0, 4.0, 7.0), 3)
    mask = g.times("scratch", either, some)
    _plain(g, g.times("light", mask, 0.6), (0.5, 0.46, 0.41), 0.6)
    g.give(HEIGHT, "float", g.times("cut", mask, -0.0002))


def _paint(g: Group) -> None:
    wear = g.offer("wear", "float", 0.4, "Chipped", (0, 1))
    size = g.offer("fine", "float", 38.0, "Chips (per m)", (5, 200))
    grain = g.grain("grain", size, (6.0, 3.0, 0.0), 5)
    edge = g.put("edge", "clg_edge_mask", "float", width=("float", 0.012), strength=("float", 1.2),
                 contrast=("float", 1.0))  # fmt: skip
    both = g.put("both", "add", "float", in1=("float", grain), in2=("float", g.times("at_edges", edge, 0.45)))
    limit = g.put("limit", "mix", "float", bg=("float", 1.05), fg=("float", 0.5), mix=("float", wear))
    past = g.put("past", "add", "float", in1=("float", limit), in2=("float", 0.02))
    gone = g.put("gone", "smoothstep", "float", in_=("float", both), low=("float", limit), high=("float", past))
    left = g.put("left", "subtract", "float", in1=("float", 1.0), in2=("float", gone))
    _plain(g, left, (0.045, 0.135, 0.12), 0.42, 0.0)
    plain = g.put("plain", "smoothstep", "float", in_=("float", grain), low=("float", limit), high=("float", past))
    g.give(HEIGHT, "float", g.times("thick", plain, -0.0004))  # without edges, for which rays would be sent thrice


def _puddles(g: Group) -> None:
    size = g.offer("fine", "float", 9.0, "Puddles (per m)", (1, 60))
    cover = g.offer("cover", "float", 0.45, "Coverage", (0, 1))
    level = g.put("level_mask", "clg_slope_mask", "float", full=("float", 6.0), none=("float", 14.0))
    grain = g.grain("grain", size, (2.0, 0.0, 6.0), 3)
    limit = g.put("limit", "mix", "float", bg=("float", 0.95), fg=("float", 0.15), mix=("float", cover))
    past = g.put("past", "add", "float", in1=("float", limit), in2=("float", 0.06))
    there = g.put("there", "smoothstep", "float", in_=("float", grain), low=("float", limit), high=("float", past))
    mask = g.times("standing", there, level)
    _plain(g, mask, None, 0.06)
    g.give("coat_weight", "float", g.put("water", "constant", "float", value=("float", 1.0)))
    g.give("coat_roughness", "float", g.put("still", "constant", "float", value=("float", 0.02)))
    g.give("geometry_normal", "vector3", g.put("flat", "normal", "vector3", space=("string", "world")))


def _bleached(g: Group) -> None:
    towards = g.offer("towards", "vector3", (0.35, 1.0, 0.3), "Sun from")
    sharp = g.put("faces", "clg_slope_mask", "float", up=("vector3", towards), full=("float", 15.0),
                  none=("float", 95.0))  # fmt: skip
    grain = g.grain("grain", 16.0, (8.0, 1.0, 4.0))
    uneven = g.put("uneven", "mix", "float", bg=("float", 1.0), fg=("float", grain), mix=("float", 0.5))
    _plain(g, g.times("pale", g.times("lit", sharp, uneven), 0.24), (0.66, 0.61, 0.53), 0.8)


def _shaded(g: Group) -> None:
    """Mixing to black by a mask is the same as multiplying by what it leaves."""
    reach = g.offer("reach", "float", 0.06, "Reach (m)", (0, 0.3))
    strength = g.offer("strength", "float", 1.5, "Strength", (0, 4))
    closed = g.put("closed", "clg_crevice_mask", "float", reach=("float", reach), strength=("float", strength),
                   contrast=("float", 1.0))  # fmt: skip
    _plain(g, g.times("shade", closed, 0.85), (0.0, 0.0, 0.0), None)


@dataclass(frozen=True)
class Effect:
    """An effect. name : as it is stored. title, help : as the screen says."""

    name: str
    title: str
    help: str
    build: Callable[[Group], None]

    def card(self) -> Card:
        """Its group of cards."""
        group = Group()
        self.build(group)
        return group.card(self.title, self.name)


EFFECTS: dict[str, Effect] = {
    one.name: one
    for one in (
        Effect("shade", "Crevice shade", "Base colour times ambient occlusion: darker where it is closed in", _shaded),
        Effect("dust", "Dust on top", "Dust on what faces up, in patches", _dust),
        Effect("moss", "Moss in crevices", "Moss where the surface is closed in and faces up", _moss),
        Effect("worn edges", "Worn edges", "Edges rubbed down to a lighter ground", _worn),
        Effect("drips", "Drips below rims", "Dark runs from the top down the sides", _drips),
        Effect("tide line", "Water stain", "Damp up to a level above the ground, with a tide line", _tide),
        Effect("prints", "Finger prints", "Prints and smears in the roughness", _prints),
        Effect("scratches", "Scratches", "Fine scratches along a direction", _scratches),
        Effect("paint", "Chipped paint", "A coat of paint, chipped to what is underneath", _paint),
        Effect("puddles", "Puddles", "Standing water where it is level", _puddles),
        Effect("bleached", "Sun bleaching", "Paler where the sun falls", _bleached),
    )
}


def with_effect(
    library: Library, network: Network, effect: Effect, place: tuple[float, float], metres: float
) -> tuple[Network, str]:
    """A material with an effect over all that it has, and the name of the effect's card. Raises CollageError.

    place : where on the board it lies. metres : width of the UV square on the object, for the strength of its relief.
    """
    made = effect.card()
    name = network.free_name(effect.name.replace(" ", "_"))
    x, y = place
    made = replace(made, name=name, attributes={**made.attributes, "xpos": f"{x:g}", "ypos": f"{y:g}"})
    network = network.with_card(made)
    assert made.network is not None
    channels = [one for one in made.network.outputs if one not in (MASK, HEIGHT)]
    mask = Wire(name, MASK)
    network = with_mask(library, network, mask, {one: Wire(name, one) for one in channels}, (x + 1.9, y))
    if HEIGHT in made.network.outputs:
        at = (x + 1.9, y + 0.9 * len(channels))
        network = with_bump(network, mask, Wire(name, HEIGHT), BUMP_UNITS / metres, at)
    return network, name


def without_effect(network: Network, name: str) -> Network:
    """A material without an effect, by the name of its card: as it was before."""
    return without_mask(network, name).without_cards({name})


def effects_of(network: Network) -> dict[str, str]:
    """The effects of a material: by the name of the card, that of the effect."""
    return {one.name: one.attributes[EFFECT] for one in network.cards.values() if EFFECT in one.attributes}
