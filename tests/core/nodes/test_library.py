"""The library: definitions from the standard, functions found by walking, labels, wiring, layout."""

from __future__ import annotations

import pytest

from collage.core.base.errors import CollageError
from collage.core.document.model import CONVERT, Card, Input, Network, Wire
from collage.core.document.types import CHANNELS
from collage.core.nodes.labels import LABELS, STARTS, input_label, label_of, new_card, offers, search
from collage.core.nodes.layout import tidy
from collage.core.nodes.wiring import fits, join, origin, steps_between, told

PROMISED = [
    "constant",
    "image",
    "tiledimage",
    "texcoord",
    "position",
    "normal",
    "tangent",
    "place2d",
    "rotate2d",
    "rotate3d",
    "noise2d",
    "noise3d",
    "fractal2d",
    "fractal3d",
    "cellnoise2d",
    "cellnoise3d",
    "worleynoise2d",
    "worleynoise3d",
    "checkerboard",
    "ramplr",
    "ramptb",
    "ramp4",
    "splitlr",
    "splittb",
    "add",
    "subtract",
    "multiply",
    "divide",
    "modulo",
    "absval",
    "sign",
    "floor",
    "ceil",
    "round",
    "power",
    "sin",
    "cos",
    "tan",
    "asin",
    "acos",
    "atan2",
    "sqrt",
    "ln",
    "exp",
    "clamp",
    "min",
    "max",
    "normalize",
    "magnitude",
    "dotproduct",
    "crossproduct",
    "invert",
    "remap",
    "range",
    "smoothstep",
    "contrast",
    "luminance",
    "rgbtohsv",
    "hsvtorgb",
    "hsvadjust",
    "saturate",
    "mix",
    "plus",
    "minus",
    "difference",
    "burn",
    "dodge",
    "screen",
    "overlay",
    "disjointover",
    "in",
    "mask",
    "matte",
    "out",
    "over",
    "inside",
    "outside",
    "premult",
    "unpremult",
    "combine2",
    "combine3",
    "combine4",
    "separate2",
    "separate3",
    "separate4",
    "extract",
    "convert",
    "ifgreater",
    "ifgreatereq",
    "ifequal",
    "switch",
    "normalmap",
    "heighttonormal",
    "bump",
]


@pytest.mark.parametrize("category", PROMISED)
def test_every_promised_kind_computes_in_every_type(library, category: str) -> None:
    kinds = [one for one in library.of_category(category) if one.type in CHANNELS or one.type == "multioutput"]
    assert kinds
    assert [one.name for one in kinds if not library.evaluates(one)] == []


def test_every_function_belongs_to_a_definition(library) -> None:
    from collage.core.nodes.library import _functions

    known = {one.category for one in library} | {one.name for one in library}
    assert [name for name in _functions() if name not in known] == []


def test_functions_take_the_inputs_of_their_definitions(library) -> None:
    import inspect

    for definition in library:
        if definition.function is None:
            continue
        mark, signature = definition.mark, inspect.signature(definition.function)
        assert mark is not None
        names = {
            *definition.inputs,
            *(f"{name}_d{axis}" for name in mark.heights for axis in "uv" if name in definition.inputs),
        }
        if any(one.kind is inspect.Parameter.VAR_KEYWORD for one in signature.parameters.values()):
            wanted = {
                name for name, one in signature.parameters.items() if one.kind is not inspect.Parameter.VAR_KEYWORD
            } - {"ctx"}
            assert wanted <= names, definition.name
        else:
            assert set(signature.parameters) - {"ctx"} == names, definition.name


def test_a_card_is_recognised_by_its_types(library) -> None:
    card = Card(
        "m", "multiply", "color3", {"in1": Input("in1", "color3", (1, 1, 1)), "in2": Input("in2", "float", 2.0)}
    )
    assert library.definition(card).name == "ND_multiply_color3FA"
    both = Card("m", "multiply", "color3", {"in2": Input("in2", "color3", (1, 1, 1))})
    assert library.definition(both).name == "ND_multiply_color3"
    with pytest.raises(CollageError, match="Collage has no") as caught:
        library.definition(Card("x", "mystery", "float"))
    assert caught.value.about == "x"


def test_labels_are_plain_and_unlike_each_other(library) -> None:
    categories = {one.category for one in library}
    assert set(LABELS) - categories <= {"nodegraph", "blur"}
    shown = [offer.definition.category for offer in offers(library)]
    assert {label_of(category) for category in shown}, "there is something to add"
    labels = [LABELS[category] for category in set(shown) if category in LABELS]
    assert len(labels) == len(set(labels))


@pytest.mark.parametrize(
    ("words", "first"),
    [
        ("albedo", "image"),
        ("gradient", "ramplr"),
        ("levels", "range"),
        ("dirt", "fractal3d"),
        ("voronoi", "worleynoise3d"),
        ("mix", "mix"),
        ("checks", "checkerboard"),
    ],
)
def test_the_search_understands_the_trade(library, words: str, first: str) -> None:
    found = [offer.definition.category for offer in search(offers(library), words)]
    assert first in found[:6]


def test_the_search_finds_nothing_for_nonsense_and_all_for_nothing(library) -> None:
    every = offers(library)
    assert search(every, "qqqq") == []
    assert search(every, "") == every


def test_new_cards_start_with_values_that_show_something(library) -> None:
    for category in STARTS:
        for definition in library.of_category(category):
            card = new_card(definition, "n")
            for one in card.inputs.values():
                assert definition.inputs[one.name].type == one.type
    assert new_card(library.find("ramplr", "color3"), "r").inputs["valuer"].value == (1.0, 1.0, 1.0)


def two(kind_from: str, kind_to: str) -> Network:
    return Network().with_card(Card("a", "constant", kind_from)).with_card(Card("b", "add", kind_to))


@pytest.mark.parametrize(
    ("source", "target", "cards"),
    [
        ("float", "float", 0),
        ("float", "color3", 1),
        ("color3", "float", 2),
        ("vector3", "float", 1),
        ("color3", "vector3", 1),
        ("float", "vector2", 1),
    ],
)
def test_types_convert_by_standard_cards_in_between(library, source: str, target: str, cards: int) -> None:
    network = join(library, two(source, target), Wire("a"), "b", "in1", target)
    wire = network.cards["b"].inputs["in1"].wire
    assert wire is not None
    found, between = origin(network, wire)
    assert found == Wire("a")
    assert len(between) == cards
    assert all(card.attributes[CONVERT] == "true" and told(card) for card in between)
    assert [library.definition(card).type for card in between][-1:] == ([target] if cards else [])


def test_what_nothing_converts_is_refused_with_a_sentence(library) -> None:
    assert steps_between(library, "float", "surfaceshader") is None
    assert not fits(library, "matrix33", "float")
    with pytest.raises(CollageError, match="does not fit"):
        join(library, two("matrix33", "float"), Wire("a"), "b", "in1", "float")


def test_tidying_runs_left_to_right_without_overlap() -> None:
    network = Network()
    for name, sources in {"a": (), "b": (), "c": ("a", "b"), "d": ("c",), "e": ("a", "d")}.items():
        inputs = {f"in{at}": Input(f"in{at}", "float", None, Wire(source)) for at, source in enumerate(sources)}
        network = network.with_card(Card(name, "add", "float", inputs))
    places = tidy(network, list(network.cards))
    assert len(set(places.values())) == len(places)
    for name, card in network.cards.items():
        for one in card.inputs.values():
            assert one.wire is not None
            assert places[one.wire.card][0] < places[name][0]
    assert tidy(network, []) == {}


def test_every_offered_kind_has_a_plain_label_and_our_own_have_help_throughout(library) -> None:
    for offer in offers(library):
        assert offer.label[:1].isupper(), offer.label
        assert "_" not in offer.label, offer.label
        if offer.definition.category.startswith("clg_"):
            assert offer.definition.help
            for tab in offer.definition.inputs.values():
                assert tab.help, f"{offer.label} {tab.name}"
                assert "_" not in input_label(tab.name, tab.attributes.get("uiname", ""))
    shown = {offer.definition.category for offer in offers(library)}
    assert {"flake3d", "hextilednormalmap", "transformpoint", "viewdirection", "clg_courses", "clg_curve"} <= shown
    assert not {"clg_curve_weight", "clg_gltf_pbr_to_open_pbr_surface"} & shown


def test_axes_in_labels_keep_their_capitals() -> None:
    assert input_label("green_down", "Flip the green channel (Y down)") == "Flip the green channel (Y down)"
    assert input_label("scale", "Tile Size (m)") == "Tile size (m)"
