"""Labels: an image with transparency, once, from a frame of its own, over another material."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from collage.core.document.making import card
from collage.core.document.model import Input, Network, Wire
from collage.core.nodes.adding import BUMP_UNITS
from collage.core.nodes.effects import EFFECT, MASK, Group
from collage.core.nodes.library import Library
from collage.core.nodes.masked import MASKED_BY, with_bump, with_mask
from collage.core.nodes.projectors import Frame, with_frame

LABEL = "label"
"""What the group's card has for the name of its effect."""

COVER, FULL, THICK = "cover", "full", "thickness"
USUAL = ("base_color", "specular_roughness", "base_metalness")
"""The inputs that a label changes, if nothing else is asked for."""


def frame_at(centre: Sequence[float], facing: Sequence[float], width: float, height: float) -> Frame:
    """A frame on a surface, upright, that faces the way the surface does; as deep as it is wide, metres."""
    x, y, z = np.asarray(facing, float) / max(float(np.linalg.norm(facing)), 1e-9)
    turn = (-math.degrees(math.asin(float(np.clip(y, -1, 1)))), math.degrees(math.atan2(x, z)), 0.0)
    a, b, c = (round(float(one), 6) for one in centre)
    return Frame((a, b, c), (round(turn[0], 3), round(turn[1], 3), 0.0), (width, height, max(width, height)))


def _group(file: str) -> Group:
    g = Group()
    g.inputs["file"] = Input("file", "filename", file, attributes={"uiname": "Image", "colorspace": "lin_rec709"})
    g.inputs["texcoord"] = Input("texcoord", "vector2", attributes={"uiname": "Coordinates"})
    g.inputs["inside"] = Input("inside", "float", 1.0, attributes={"uiname": "Inside the frame"})
    cover = g.offer("keep", "float", 0.35, "Relief below", (0, 1))
    rough = g.offer("roughness", "float", 0.62, "Roughness", (0, 1))
    printed = g.offer("ink", "float", 0.42, "Ink roughness", (0, 1))
    thick = g.offer("thick", "float", 0.00025, "Thickness (m)", (0, 0.002))
    amount = g.offer("amount", "float", 1.0, "Amount", (0, 1))
    image = card("picture", "image", "color4", (0, 0), "", texcoord=("vector2", (0.0, 0.0)),
                 uaddressmode=("string", "constant"), vaddressmode=("string", "constant"))  # fmt: skip
    image = image.without_input("texcoord").with_input(Input("texcoord", "vector2", interface="texcoord"))
    g.cards["picture"] = image.with_input(Input("file", "filename", interface="file"))
    alpha = g.put("alpha", "extract", "float", in_=("color4", Wire("picture")), index=("integer", 3))
    light = g.put("light", "convert", "color3", in_=("color4", Wire("picture")))
    some = g.put("some", "max", "float", in1=("float", alpha), in2=("float", 0.0001))
    colour = g.put("ink_colour", "divide", "color3", in1=("color3", light), in2=("float", some))
    there = g.times("there", alpha, "$inside")
    mask = g.times("shown", there, amount)
    covered = g.put("covered", "subtract", "float", in1=("float", 1.0), in2=("float", cover))
    g.give(MASK, "float", mask)
    g.give("base_color", "color3", colour)
    grey = g.put("grey", "luminance", "color3", in_=("color3", colour))
    bright = g.put("bright", "extract", "float", in_=("color3", grey), index=("integer", 0))
    paper = g.put("paper_share", "smoothstep", "float", in_=("float", bright), low=("float", 0.05), high=("float", 0.3))
    g.give("specular_roughness", "float", g.put(
        "rough", "mix", "float", bg=("float", printed), fg=("float", rough), mix=("float", paper)
    ))  # fmt: skip
    g.give("base_metalness", "float", g.put("metal", "constant", "float", value=("float", 0.0)))
    g.give(COVER, "float", g.times("hidden", mask, covered))
    g.give("flat", "vector3", g.put("flat_normal", "normal", "vector3", space=("string", "world")))
    g.give(THICK, "float", g.times("paper", there, thick))
    g.give(FULL, "float", g.put("one", "constant", "float", value=("float", 1.0)))
    return g


def with_label(
    library: Library, network: Network, file: str, frame: Frame | str, title: str, place: tuple[float, float],
    metres: float, inputs: Sequence[str] = USUAL,
) -> tuple[Network, str]:  # fmt: skip
    """A material with a label over it, and the name of the label's card. Raises CollageError.

    file : as the material stores it, see images.alpha. frame : in the object's space, or the name of a UV set whose
    tile it fills. metres : width of the UV square on the object, for the edge of the paper. inputs : of the surface,
    that the label changes.
    """
    x, y = place
    name, placer = network.free_name(LABEL), network.free_name("label_place")
    if isinstance(frame, Frame):
        lying = with_frame(card(placer, "clg_projector", "multioutput", place, f"Place of {title}"), frame)
    else:
        lying = card(placer, "geompropvalue", "vector2", place, f"Place of {title}", geomprop=("string", frame))
    made = _group(file).card(title, LABEL)
    lies = {EFFECT: LABEL, "xpos": f"{x + 1:g}", "ypos": f"{y:g}"}
    group = replace(made, name=name, attributes={**made.attributes, **lies})
    framed = isinstance(frame, Frame)
    group = group.with_input(replace(group.inputs["texcoord"], wire=Wire(placer, "uv" if framed else "")))
    if framed:
        group = group.with_input(replace(group.inputs["inside"], value=None, wire=Wire(placer, "inside")))
    network = network.with_card(lying.with_attribute(MASKED_BY, name)).with_card(group)
    at = (x + 2.9, y)
    mask = Wire(name, MASK)
    network = with_mask(library, network, mask, {one: Wire(name, one) for one in inputs}, at)
    at = (x + 2.9, y + 0.9 * len(inputs))
    network = with_mask(library, network, Wire(name, COVER), {"geometry_normal": Wire(name, "flat")}, at)
    at = (x + 3.9, at[1])
    return with_bump(network, Wire(name, FULL), Wire(name, THICK), BUMP_UNITS / metres, at), name
