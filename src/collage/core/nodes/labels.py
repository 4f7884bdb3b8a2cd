"""Plain labels and trade synonyms for cards, and which kinds the add field offers."""

from __future__ import annotations

import re
from dataclasses import dataclass

from collage.core.document.model import Card, Input, Value
from collage.core.document.types import CHANNELS
from collage.core.nodes.library import Library, NodeDef

LABELS = {
    "clg_courses": "Courses", "clg_streaks": "Streaks", "clg_weave": "Weave", "clg_curve": "Curve",
    "clg_box_position": "Box position", "clg_projector": "Projector", "clg_box_projector": "Box projector",
    "clg_direction": "Direction", "clg_camera": "Camera", "clg_object_space": "Other object's space",
    "clg_part_random": "Part random", "clg_vary_uv": "Vary placement", "clg_crops": "Crops",
    "clg_vary_colour": "Vary colour", "clg_vary_image": "Vary image",
    "clg_crevice_mask": "Crevice mask", "clg_edge_mask": "Edge mask", "clg_distance_mask": "Distance mask",
    "clg_part_mask": "Part mask", "clg_thickness": "Thickness", "clg_break_mask": "Break mask",
    "clg_combine_masks": "Combine masks", "clg_grow_mask": "Grow mask",
    "clg_height_blend": "Height blend", "clg_rim_mask": "Rim mask",
    "clg_slope_mask": "Slope mask", "clg_height_mask": "Height mask",
    "creatematrix": "Matrix from rows", "determinant": "Determinant", "invertmatrix": "Inverse matrix",
    "transpose": "Transposed matrix",
    "flake2d": "Flakes 2D", "flake3d": "Flakes", "hextilednormalmap": "Hex-tiled normal map",
    "latlongimage": "Lat-long image", "viewdirection": "View direction",
    "transformpoint": "Transform point", "transformvector": "Transform vector", "transformnormal": "Transform normal",
    "image": "Image", "tiledimage": "Tiled image", "hextiledimage": "Hex-tiled image",
    "triplanarprojection": "Triplanar image", "constant": "Value", "ramplr": "Ramp", "ramptb": "Vertical ramp",
    "ramp4": "Four-corner ramp", "ramp": "Ramp with stops", "ramp_gradient": "Ramp segment",
    "splitlr": "Split left and right", "splittb": "Split top and bottom", "noise2d": "Smooth noise 2D",
    "noise3d": "Smooth noise", "fractal2d": "Fractal 2D", "fractal3d": "Fractal",
    "cellnoise2d": "Blocks 2D", "cellnoise3d": "Blocks", "worleynoise2d": "Cells 2D",
    "worleynoise3d": "Cells", "unifiednoise2d": "Noise mixer 2D", "unifiednoise3d": "Noise mixer",
    "checkerboard": "Checkerboard", "line": "Line", "circle": "Circle", "cloverleaf": "Clover leaf",
    "hexagon": "Hexagon", "grid": "Grid", "crosshatch": "Crosshatch", "tiledcircles": "Dots",
    "tiledcloverleafs": "Tiled clover leaves", "tiledhexagons": "Hexagons", "randomfloat": "Random value",
    "randomcolor": "Random colour", "place2d": "Placement", "texcoord": "UV", "position": "Position",
    "normal": "Surface normal", "tangent": "Tangent", "bitangent": "Bitangent", "geomcolor": "Vertex colour",
    "geompropvalue": "UV set by name",
    "normalmap": "Normal map", "bump": "Bump", "heighttonormal": "Height to normal", "remap": "Remap",
    "range": "Levels", "smoothstep": "Smoothstep", "contrast": "Contrast", "luminance": "Luminance",
    "hsvadjust": "HSV adjust", "saturate": "Saturation", "colorcorrect": "Colour correct", "rgbtohsv": "RGB to HSV",
    "hsvtorgb": "HSV to RGB", "invert": "Invert", "clamp": "Clamp", "mix": "Mix", "plus": "Blend, add",
    "minus": "Blend, subtract", "difference": "Blend, difference", "burn": "Blend, burn",
    "dodge": "Blend, dodge", "screen": "Blend, screen", "overlay": "Blend, overlay", "over": "Blend, over",
    "in": "Blend, in", "out": "Blend, out", "mask": "Blend, mask", "matte": "Blend, matte",
    "disjointover": "Blend, disjoint over",
    "inside": "Multiply by mask", "outside": "Multiply by inverted mask", "premult": "Premultiply",
    "unpremult": "Unpremultiply", "combine2": "Join 2", "combine3": "Join 3", "combine4": "Join 4",
    "separate2": "Split 2", "separate3": "Split 3", "separate4": "Split 4",
    "extract": "Extract channel", "convert": "Convert", "add": "Add", "subtract": "Subtract",
    "multiply": "Multiply", "divide": "Divide", "modulo": "Modulo", "fract": "Fraction",
    "absval": "Absolute value", "floor": "Floor", "ceil": "Ceiling", "round": "Round", "power": "Power",
    "safepower": "Signed power", "sin": "Sine", "cos": "Cosine", "tan": "Tangent (trigonometry)",
    "asin": "Arcsine", "acos": "Arccosine", "atan2": "Arctangent", "sqrt": "Square root", "ln": "Natural logarithm",
    "exp": "Exponential", "sign": "Sign", "min": "Minimum", "max": "Maximum", "normalize": "Normalise",
    "magnitude": "Length", "distance": "Distance", "dotproduct": "Dot product",
    "crossproduct": "Cross product", "rotate2d": "Rotate 2D", "rotate3d": "Rotate 3D",
    "trianglewave": "Triangle wave", "reflect": "Reflect", "refract": "Refract",
    "transformmatrix": "Transform by matrix", "ifgreater": "If greater", "ifgreatereq": "If greater or equal",
    "ifequal": "If equal", "switch": "Switch", "and": "And", "or": "Or", "not": "Not", "xor": "Exclusive or",
    "dot": "Pass through", "blur": "Blur", "nodegraph": "Group", "facingratio": "Facing ratio",
    "blackbody": "Blackbody", "displacement": "Displacement",
    "clg_normal_format": "Normal map format", "clg_blend_normals": "Normal blend", "clg_relief_depth": "Relief depth",
    "clg_vector_relief": "Vector relief",
    "clg_waves": "Broad waves",
}  # fmt: skip
"""Label of each category. Categories that are not here are shown by their standard name."""

SYNONYMS = {
    "clg_courses": "bricks planks tiles wall floor boards masonry pattern rows stripes shingles",
    "clg_streaks": "drips runs rain rust leaks stains pattern",
    "clg_weave": "cloth fabric textile linen twill basket threads pattern",
    "clg_curve": "tone response shape levels",
    "clg_box_position": "coordinates generated bounding normalised object",
    "clg_projector": "coordinates planar flat cylinder cylindrical sphere spherical decal label sticker project wrap",
    "clg_box_projector": "coordinates cubic cube planar triplanar project image map",
    "clg_direction": "coordinates reflection normal environment lat-long matcap",
    "clg_camera": "coordinates screen view depth distance fog",
    "clg_object_space": "coordinates follow other position",
    "clg_part_random": "variation id object piece seed island plank",
    "clg_vary_uv": "variation random crop shift offset rotate mirror coordinates",
    "clg_crops": "variation random crop window region atlas coordinates planks",
    "clg_vary_colour": "variation random tint hue saturation value",
    "clg_vary_image": "variation random list switch map texture",
    "clg_rim_mask": "fresnel edge grazing view facing curvature",
    "clg_crevice_mask": "cavity ambient occlusion ao dirt moss hollow gap",
    "clg_edge_mask": "wear worn curvature corner chipped bevel scratched",
    "clg_distance_mask": "proximity contact ground splash near dirt",
    "clg_part_mask": "object slot piece faces id selection material",
    "clg_thickness": "thin translucent wall",
    "clg_break_mask": "sharpen contrast noise edge levels",
    "clg_combine_masks": "and or not multiply add subtract intersect union",
    "clg_grow_mask": "shrink choke spread expand contract bias wider",
    "clg_height_blend": "mortar mix displacement depth sand moss",
    "clg_slope_mask": "dust snow moss up angle steepness curvature",
    "clg_normal_format": "flip green channel swap axes invert y signed two channels blue convert",
    "clg_blend_normals": "combine stack add normal maps detail bump layers",
    "clg_vector_relief": "displacement vectors object world tangent space map",
    "clg_relief_depth": "displacement height midpoint amount outward limits clamp metres",
    "clg_waves": "uneven wavy wobble bend warp relief displacement wall pattern",
    "clg_height_mask": "tide damp dirt ground gradient world",
    "blackbody": "temperature kelvin emission fire lamp warm cold",
    "flake3d": "car paint metallic glitter sparkle mica",
    "flake2d": "car paint metallic glitter sparkle mica",
    "image": "map bitmap picture texture file albedo diffuse gloss photo decal label sticker",
    "fractal3d": "fbm clouds grunge dirt rust turbulence noise perlin",
    "fractal2d": "fbm clouds grunge dirt turbulence noise perlin",
    "noise3d": "perlin gradient noise",
    "noise2d": "perlin gradient noise",
    "worleynoise3d": "worley voronoi cellular crackle stones noise",
    "worleynoise2d": "worley voronoi cellular crackle stones noise",
    "cellnoise3d": "random id noise",
    "cellnoise2d": "random id noise",
    "range": "levels remap gamma input output",
    "remap": "fit scale from to",
    "mix": "blend lerp layers mask decal label",
    "place2d": "repeat tiling scale offset rotate uv transform",
    "texcoord": "coordinates uv",
    "normalmap": "bump relief tangent flip green axis",
    "bump": "height relief displace displacement",
    "ramplr": "gradient",
    "ramptb": "gradient",
    "ramp": "gradient stops colours",
    "constant": "number colour color float swatch",
    "hsvadjust": "hue saturation value tint",
    "saturate": "desaturate grey grayscale",
    "colorcorrect": "grade gain lift gamma exposure",
    "invert": "negative flip one minus gloss negate",
    "screen": "lighten blend layers",
    "overlay": "blend layers",
    "smoothstep": "threshold mask edge step",
    "checkerboard": "checker checks check squares chess stripes",
    "combine3": "rgb pack join channels swap axis flip green",
    "separate3": "rgb unpack channels split swap axis flip green",
    "extract": "channel red green blue alpha",
    "grid": "lines tiles",
    "tiledcircles": "dots spots",
    "randomcolor": "id variation",
    "geomcolor": "vertex paint painted color mask mesh",
    "position": "coordinates object world generated axis",
    "normal": "facing slope direction",
    "multiply": "times scale negate darken",
    "subtract": "minus negate",
    "over": "decal label layers alpha",
    "rotate3d": "axis turn",
    "trianglewave": "stripes wave",
    "sin": "stripes wave",
    "displacement": "height relief move vector depth",
    "heighttonormal": "bump relief displace",
    "switch": "choose swap",
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
    "clg_courses", "clg_weave", "clg_streaks", "clg_waves", "flake3d",
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
    "in": "Input", "in1": "First", "in2": "Second", "in3": "Third", "in4": "Fourth", "inlow": "Input low",
    "inhigh": "Input high", "outlow": "Output low", "outhigh": "Output high", "fg": "Foreground", "bg": "Background",
    "mix": "Amount", "texcoord": "Coordinates", "valuel": "Left", "valuer": "Right", "valuet": "Top",
    "valueb": "Bottom", "valuetl": "Top left", "valuetr": "Top right", "valuebl": "Bottom left",
    "valuebr": "Bottom right", "operationorder": "Order", "lumacoeffs": "Weights", "doclamp": "Clamp",
    "uaddressmode": "U outside tile", "vaddressmode": "V outside tile", "filtertype": "Filter",
    "iny": "Up", "inx": "Along",
    "uvtiling": "Repeats", "uvoffset": "Offset", "realworldimagesize": "Image size", "realworldtilesize": "Tile size",
    "color1": "First colour", "color2": "Second colour", "value1": "Value 1", "value2": "Value 2", "mat": "Matrix",
    "diminish": "Gain", "coat_ior": "Coat IOR", "geomprop": "Name",
}  # fmt: skip
"""Plain labels of inputs whose standard names are short."""

CHOICES = {"SRT": "Scale, rotate, offset", "TRS": "Offset, rotate, scale"}
_WORDS = {"color": "colour", "center": "centre", "luma": "luminance", "coeffs": "weights"}


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
    """What a kind of card is called, with its type where several share the name."""
    if type_name == "surfaceshader" and category in SURFACE_LABELS:
        return SURFACE_LABELS[category]
    return LABELS.get(category, category.replace("_", " "))


def title_of(card: Card) -> str:
    """What stands on a card: the name a person gave it, or its kind's label."""
    return card.title or label_of(card.category, card.type)


_ACRONYMS = {
    "uv": "UV", "ior": "IOR", "hsv": "HSV", "rgb": "RGB", "ev": "EV", "id": "ID", "2d": "2D", "3d": "3D",
    "srgb": "sRGB", "bsdf": "BSDF", "edf": "EDF", "vdf": "VDF", "fps": "FPS", "sss": "SSS", "abbe": "Abbe",
}  # fmt: skip

_SPELLED = {
    "freq": "frequency", "fg": "foreground", "bg": "background", "cw": "clockwise", "dir": "direction",
    "trans": "transmission", "spec": "specular", "num": "number", "prev": "previous", "max": "maximum",
    "min": "minimum", "thinfilm": "thin film", "st": "UV", "tex": "texture", "coord": "coordinate", "var": "variable",
}  # fmt: skip

_PARTS = frozenset((
    "absorption", "action", "address", "albedo", "amount", "angle", "anisotropy", "axis", "back", "base", "bg",
    "bleed", "blend", "bright", "brightest", "brightness", "cell", "center", "clamp", "clear", "coat", "color",
    "compensation", "continuation", "contrast", "coord", "curve", "dark", "diffuse", "dir", "direction",
    "displacement", "distance", "edge", "emissive", "end", "energy", "face", "facing", "fall", "fallback",
    "falloff", "fg", "file", "film", "filter", "first", "follow", "forward", "frame", "freq", "fresnel", "from",
    "front", "geom", "gloss", "high", "hue", "image", "in", "index", "inner", "input", "inversion", "ior", "layer",
    "left", "length", "light", "low", "luma", "mask", "material", "max", "method", "min", "mix", "mode", "name",
    "noise", "normal", "num", "of", "offset", "opacity", "out", "outer", "output", "over", "pivot", "point",
    "profile", "prop", "radius", "range", "ratio", "rays", "real", "reflection", "reflectivity", "relative",
    "retro", "right", "rotation", "roughness", "s", "saturation", "scale", "scatter", "shader", "sheen", "size",
    "space", "spec", "specular", "sss", "strength", "subset", "subsurface", "surface", "t", "tex", "thickness",
    "thinfilm", "threshold", "tile", "tiling", "tint", "to", "top", "topology", "trans", "transmission", "type",
    "unit", "up", "use", "value", "var", "vertical", "view", "volume", "which", "width", "wise", "workflow",
    "world", "wrap", "x", "y", "z",
))  # fmt: skip
"""Words that standard names run together."""


def _split(word: str) -> list[str]:
    """The words that a standard name runs together; the name itself where they are not all known."""
    found: dict[int, list[str]] = {0: []}
    for end in range(1, len(word) + 1):
        for start in range(end):  # long words first
            if start in found and end not in found and word[start:end] in _PARTS:
                found[end] = [*found[start], word[start:end]]
    return found.get(len(word), [word])


STRENGTH = {("bump", "scale"), ("heighttonormal", "scale"), ("normalmap", "scale")}
"""Inputs, by kind and name, that say how strong relief is: the standard calls them scale."""


def tab_label(category: str, name: str, given: str = "") -> str:
    """What an input of a kind of card is called on the screen."""
    return "Strength" if (category, name) in STRENGTH else input_label(name, given)


def input_label(name: str, given: str = "") -> str:
    """A plain label of an input: the definition's own, in British spelling and sentence case."""
    text = given or INPUTS.get(name) or _apart(re.sub(r"^in(?=\d+$)", "input", name))
    words = [_WORDS.get(word.lower(), word.lower()) for word in text.split()]
    text = " ".join(_ACRONYMS.get(word, word) for word in words)
    text = re.sub(r"\(([xyzuv])\b", lambda axis: axis.group().upper(), text)
    return text[:1].upper() + text[1:]


def _apart(name: str) -> str:
    """The words of a standard name: parted at underscores, before digits, and where it runs words together."""
    parts = re.sub(r"(?<=[a-z])(\d+)$", r" \1", name.replace("_", " ")).split()
    words = [one for part in parts for one in ([part] if len(part) < 4 else _split(part.lower()))]
    return " ".join(_SPELLED.get(word, word) for word in words)


VECTOR_DISPLACEMENT = "Vector displacement"


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
        moves = definition.category == "displacement"  # by a height or by a vector
        key = (definition.category, definition.name if moves else definition.type)
        hidden = definition.group in _HIDDEN_GROUPS and definition.category not in _SHOWN
        hidden = hidden or definition.category in _HIDDEN
        surface = definition.type == "surfaceshader" and definition.category in SURFACE_LABELS
        if (
            key in seen
            or not (surface or moves or (not hidden and library.evaluates(definition)))
            or definition.type == "BSDF"
        ):
            continue
        if definition.type == "surfaceshader" and not surface:
            continue
        if "_to_" in definition.category or definition.category.startswith(("Lama", "gltf", "Usd")):
            continue
        seen.add(key)
        label = (
            "Colour"
            if definition.category == "constant" and "color" in definition.type
            else VECTOR_DISPLACEMENT
            if definition.name == "ND_displacement_vector3"
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
