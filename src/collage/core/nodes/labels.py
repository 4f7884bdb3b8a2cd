"""Plain labels and trade synonyms for cards, and which kinds the add field offers."""

from __future__ import annotations

from dataclasses import dataclass

from collage.core.document.model import Card, Input, Value
from collage.core.document.types import CHANNELS
from collage.core.nodes.library import Library, NodeDef

LABELS = {
    "clg_courses": "Courses", "clg_streaks": "Streaks", "clg_weave": "Weave", "clg_curve": "Curve",
    "clg_rim_mask": "Rim mask", "clg_slope_mask": "Slope mask", "clg_height_mask": "Height mask",
    "creatematrix": "Matrix from rows", "determinant": "Determinant", "invertmatrix": "Inverse matrix",
    "transpose": "Transposed matrix",
    "flake2d": "Flakes on UV", "flake3d": "Flakes", "hextilednormalmap": "Scattered normal map",
    "latlongimage": "Surround image", "viewdirection": "View direction",
    "transformpoint": "Point to space", "transformvector": "Vector to space", "transformnormal": "Normal to space",
    "image": "Image", "tiledimage": "Tiled image", "hextiledimage": "Scattered image",
    "triplanarprojection": "Three-way image", "constant": "Value", "ramplr": "Ramp", "ramptb": "Ramp upright",
    "ramp4": "Ramp of four", "ramp": "Ramp with stops", "ramp_gradient": "Ramp part",
    "splitlr": "Split left and right", "splittb": "Split top and bottom", "noise2d": "Smooth noise on UV",
    "noise3d": "Smooth noise", "fractal2d": "Fractal on UV", "fractal3d": "Fractal",
    "cellnoise2d": "Blocks on UV", "cellnoise3d": "Blocks", "worleynoise2d": "Cells on UV",
    "worleynoise3d": "Cells", "unifiednoise2d": "Noise mixer on UV", "unifiednoise3d": "Noise mixer",
    "checkerboard": "Checks", "line": "Line", "circle": "Circle", "cloverleaf": "Clover leaf",
    "hexagon": "Hexagon", "grid": "Grid", "crosshatch": "Crosshatch", "tiledcircles": "Dots",
    "tiledcloverleafs": "Clover leaves", "tiledhexagons": "Hexagons", "randomfloat": "Random value",
    "randomcolor": "Random colour", "place2d": "Placement", "texcoord": "UV", "position": "Position",
    "normal": "Direction", "tangent": "Tangent", "bitangent": "Bitangent", "geompropvalue": "UV set",
    "normalmap": "Normal map", "bump": "Bump", "heighttonormal": "Height to normal", "remap": "Remap",
    "range": "Levels", "smoothstep": "Soft step", "contrast": "Contrast", "luminance": "Luminance",
    "hsvadjust": "Hue shift", "saturate": "Saturation", "colorcorrect": "Grade", "rgbtohsv": "To hue",
    "hsvtorgb": "From hue", "invert": "Invert", "clamp": "Clamp", "mix": "Mix", "plus": "Blend, add",
    "minus": "Blend, subtract", "difference": "Blend, difference", "burn": "Blend, burn",
    "dodge": "Blend, dodge", "screen": "Blend, screen", "overlay": "Blend, overlay", "over": "Over",
    "in": "In", "out": "Out", "mask": "Mask by alpha", "matte": "Matte", "disjointover": "Over, apart",
    "inside": "Inside mask", "outside": "Outside mask", "premult": "Multiply alpha in",
    "unpremult": "Take alpha out", "combine2": "Join two", "combine3": "Join three", "combine4": "Join four",
    "separate2": "Split in two", "separate3": "Split in three", "separate4": "Split in four",
    "extract": "One channel", "convert": "Convert", "add": "Add", "subtract": "Subtract",
    "multiply": "Multiply", "divide": "Divide", "modulo": "Modulo", "fract": "Fraction",
    "absval": "Absolute", "floor": "Round down", "ceil": "Round up", "round": "Round", "power": "Power",
    "safepower": "Power, signed", "sin": "Sine", "cos": "Cosine", "tan": "Tangent of angle",
    "asin": "Arc sine", "acos": "Arc cosine", "atan2": "Angle of", "sqrt": "Square root", "ln": "Logarithm",
    "exp": "Exponential", "sign": "Sign", "min": "Smaller", "max": "Larger", "normalize": "Normalise",
    "magnitude": "Length", "distance": "Distance", "dotproduct": "Dot product",
    "crossproduct": "Cross product", "rotate2d": "Rotate", "rotate3d": "Rotate in space",
    "trianglewave": "Triangle wave", "reflect": "Reflect", "refract": "Refract",
    "transformmatrix": "Through a matrix", "ifgreater": "If greater", "ifgreatereq": "If at least",
    "ifequal": "If equal", "switch": "Switch", "and": "And", "or": "Or", "not": "Not", "xor": "Either",
    "dot": "Pass on", "blur": "Blur", "nodegraph": "Group", "facingratio": "Facing",
    "blackbody": "Glow of heat",
}  # fmt: skip
"""Label of each category. Categories that are not here are shown by their standard name."""

SYNONYMS = {
    "clg_courses": "bricks planks tiles wall floor boards masonry pattern rows",
    "clg_streaks": "drips runs rain rust leaks stains pattern",
    "clg_weave": "cloth fabric textile linen twill basket threads pattern",
    "clg_curve": "tone response shape levels",
    "clg_rim_mask": "fresnel edge grazing view facing",
    "clg_slope_mask": "dust snow moss up angle steepness",
    "clg_height_mask": "tide damp dirt ground gradient world",
    "blackbody": "temperature kelvin emission fire lamp warm cold",
    "flake3d": "car paint metallic glitter sparkle mica",
    "flake2d": "car paint metallic glitter sparkle mica",
    "image": "map bitmap picture texture file albedo diffuse gloss photo",
    "fractal3d": "fbm clouds grunge dirt turbulence noise perlin",
    "fractal2d": "fbm clouds grunge dirt turbulence noise perlin",
    "noise3d": "perlin gradient noise",
    "noise2d": "perlin gradient noise",
    "worleynoise3d": "worley voronoi cellular crackle stones noise",
    "worleynoise2d": "worley voronoi cellular crackle stones noise",
    "cellnoise3d": "random id noise",
    "cellnoise2d": "random id noise",
    "range": "levels remap gamma input output",
    "remap": "fit scale from to",
    "mix": "blend lerp layer mask",
    "place2d": "repeat tiling scale offset rotate uv transform",
    "texcoord": "coordinates uv",
    "normalmap": "bump relief tangent",
    "bump": "height relief",
    "ramplr": "gradient",
    "ramptb": "gradient",
    "ramp": "gradient stops colours",
    "constant": "number colour color float swatch",
    "hsvadjust": "hue saturation value tint",
    "saturate": "desaturate grey grayscale",
    "colorcorrect": "grade gain lift gamma exposure",
    "invert": "negative flip one minus gloss",
    "screen": "lighten blend layer",
    "overlay": "blend layer",
    "smoothstep": "threshold mask edge step",
    "checkerboard": "checker check squares",
    "combine3": "rgb pack join channels",
    "separate3": "rgb unpack channels split",
    "extract": "channel red green blue alpha",
    "grid": "lines tiles",
    "tiledcircles": "dots spots",
    "randomcolor": "id variation",
    "position": "coordinates object world generated",
    "normal": "facing slope direction",
}

TYPE_WORDS = {
    "float": "number", "color3": "colour", "color4": "colour with alpha", "vector2": "2-vector",
    "vector3": "vector", "vector4": "4-vector", "integer": "whole number", "boolean": "yes or no",
    "matrix33": "matrix", "matrix44": "4×4 matrix", "multioutput": "several", "surfaceshader": "surface",
    "string": "text", "filename": "file", "displacementshader": "displacement", "material": "material",
}  # fmt: skip

PATTERNS = (
    "fractal3d", "noise3d", "worleynoise3d", "cellnoise3d", "checkerboard", "ramptb", "ramplr", "grid",
    "tiledcircles", "tiledhexagons", "crosshatch", "fractal2d", "worleynoise2d", "unifiednoise3d",
    "clg_courses", "clg_weave", "clg_streaks", "flake3d",
)  # fmt: skip
"""Categories shown as patterns among the sources."""

_HIDDEN_GROUPS = {
    "material",
    "shader",
    "light",
    "pbr",
    "application",
    "organization",
    "translation",
    "colortransform",
    "hidden",
}
_SHOWN = {"blackbody"}  # although its group is hidden
_HIDDEN = {
    "dot", "in", "out", "gooch_shade", "geomcolor", "geompropvalueuniform", "UsdPrimvarReader", "UsdTransform2d",
    "UsdUVTexture", "gltf_image", "gltf_colorimage", "gltf_normalmap", "gltf_iridescence_thickness",
    "gltf_anisotropy_image", "ramp_gradient",
}  # fmt: skip
INPUTS = {
    "in": "Input", "in1": "First", "in2": "Second", "in3": "Third", "in4": "Fourth", "inlow": "In, low",
    "inhigh": "In, high", "outlow": "Out, low", "outhigh": "Out, high", "fg": "Foreground", "bg": "Background",
    "mix": "Amount", "texcoord": "Coordinates", "valuel": "Left", "valuer": "Right", "valuet": "Top",
    "valueb": "Bottom", "valuetl": "Top left", "valuetr": "Top right", "valuebl": "Bottom left",
    "valuebr": "Bottom right", "operationorder": "Order", "lumacoeffs": "Weights", "doclamp": "Clamp",
    "uaddressmode": "Outside, u", "vaddressmode": "Outside, v", "filtertype": "Filter", "iny": "Up", "inx": "Along",
    "uvtiling": "Repeats", "uvoffset": "Offset", "realworldimagesize": "Image size", "realworldtilesize": "Tile size",
    "color1": "First colour", "color2": "Second colour", "value1": "Compare", "value2": "With", "mat": "Matrix",
    "diminish": "Gain", "coat_ior": "Coat index", "geomprop": "Name",
}  # fmt: skip
"""Plain labels of inputs whose standard names are short."""

CHOICES = {"SRT": "Scale, turn, move", "TRS": "Move, turn, scale"}
_WORDS = {"color": "colour", "luma": "luminance", "coeffs": "weights"}


SURFACE_LABELS = {"open_pbr_surface": "Surface", "mix": "Surface blend"}
"""Surfaces that can be added to a board."""

STARTS: dict[str, dict[str, float]] = {
    "ramplr": {"valuer": 1.0},
    "ramptb": {"valuet": 1.0},
    "ramp4": {"valuetr": 1.0, "valuebl": 1.0},
    "splitlr": {"valuer": 1.0, "center": 0.5},
    "splittb": {"valuet": 1.0, "center": 0.5},
    "noise2d": {"amplitude": 0.5, "pivot": 0.5},
    "noise3d": {"amplitude": 0.5, "pivot": 0.5},
    "constant": {"value": 0.5},
    "mix": {"mix": 0.5},
    "range": {"doclamp": 1.0},
}
"""Values that a new card starts with where the standard's defaults would show nothing."""


def new_card(definition: NodeDef, name: str) -> Card:
    """A card of a kind, with values to start from."""
    card = definition.new_card(name)
    for key, number in STARTS.get(definition.category, {}).items():
        tab = definition.inputs.get(key)
        if tab is not None and tab.type == "boolean":
            card = card.with_input(Input(key, tab.type, bool(number)))
        elif tab is not None and tab.type in CHANNELS and tab.type != "integer":
            count = CHANNELS[tab.type]
            value: Value = number if count == 1 else (number,) * count
            card = card.with_input(Input(key, tab.type, value))
    return card


@dataclass(frozen=True)
class Offer:
    """A kind of card that the add field offers."""

    definition: NodeDef
    label: str
    words: str  # lower-case text that a search looks through


def label_of(category: str, type_name: str = "") -> str:
    if type_name == "surfaceshader" and category in SURFACE_LABELS:
        return SURFACE_LABELS[category]
    return LABELS.get(category, category.replace("_", " "))


def title_of(card: Card) -> str:
    """What stands on a card: the name a person gave it, or its kind's label."""
    return card.title or label_of(card.category, card.type)


def input_label(name: str, given: str = "") -> str:
    """A plain label of an input: the definition's own, in British spelling and sentence case."""
    text = given or INPUTS.get(name) or name.replace("_", " ")
    words = [_WORDS.get(word.lower(), word.lower()) if word.lower() in _WORDS else word for word in text.split()]
    text = " ".join(words)
    return text[:1].upper() + text[1:].lower() if not text.isupper() else text


def offers(library: Library) -> list[Offer]:
    """Every kind that can be added, one for each category and output type, plain types first.

    A pattern is a number before it is a colour: most of them become masks.
    """
    preferred = {"color3": 1, "float": 2, "vector3": 3, "vector2": 4, "multioutput": 5}

    def rank(one: NodeDef) -> int:
        pattern = one.group in ("procedural2d", "procedural3d") and one.type == "float"
        return 0 if pattern else preferred.get(one.type, 9)

    found: list[Offer] = []
    seen: set[tuple[str, str]] = set()
    for definition in sorted(library, key=lambda one: (label_of(one.category), rank(one))):
        key = (definition.category, definition.type)
        hidden = definition.group in _HIDDEN_GROUPS and definition.category not in _SHOWN
        hidden = hidden or definition.category in _HIDDEN
        surface = definition.type == "surfaceshader" and definition.category in SURFACE_LABELS
        if key in seen or not (surface or (not hidden and library.evaluates(definition))) or definition.type == "BSDF":
            continue
        if definition.type == "surfaceshader" and not surface:
            continue
        if "_to_" in definition.category or definition.category.startswith(("Lama", "gltf", "Usd")):
            continue
        seen.add(key)
        label = (
            "Colour"
            if definition.category == "constant" and "color" in definition.type
            else label_of(definition.category, definition.type)
        )
        family = "pattern" if definition.group in ("procedural2d", "procedural3d") else ""
        words = (SYNONYMS.get(definition.category, ""), TYPE_WORDS.get(definition.type, ""), family)
        parts = (label, definition.category, *words)
        found.append(Offer(definition, label, " ".join(parts).lower()))
    return found


def search(every: list[Offer], text: str) -> list[Offer]:
    """The offers whose words hold every word of the text, best first; all of them for an empty text."""
    wanted = text.lower().split()

    def score(offer: Offer) -> tuple[int, int]:
        label = offer.label.lower()
        start = (
            0
            if label.startswith(" ".join(wanted))
            else 1
            if offer.definition.category.startswith(" ".join(wanted))
            else 2
        )
        return start, len(label)

    hits = [
        offer
        for offer in every
        if all(any(part.startswith(word) for part in offer.words.replace(",", " ").split()) for word in wanted)
    ]
    if not wanted:
        return hits
    found: list[Offer] = []
    for offer in sorted(hits, key=score):  # of kinds found by their meaning alone, the plainest type is enough
        if score(offer)[0] < 2 or all(one.label != offer.label for one in found):
            found.append(offer)
    return found
