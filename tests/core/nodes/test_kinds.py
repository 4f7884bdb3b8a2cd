"""What the add field finds: one kind for each name, by the words that people use, and the nearest for any others."""

from __future__ import annotations

import pytest

from collage.core.nodes.kinds import found_kinds, is_near_only
from collage.core.nodes.labels import offers


@pytest.fixture(scope="module")
def every(library):
    return offers(library)


def test_a_kind_has_one_row_with_all_its_types(every):
    found = found_kinds(every, "remap")
    assert found[0].label == "Remap"
    assert [kind.label for kind in found].count("Remap") == 1
    types = [one.definition.type for one in found[0].offers]
    assert types[:2] == ["color3", "float"]
    assert len(types) == len(set(types))
    assert {"vector2", "vector3"} <= set(types)


def test_the_wanted_type_is_taken_where_there_is_one(every):
    kind = found_kinds(every, "remap")[0]
    assert kind.usual("float").definition.type == "float"
    assert kind.usual("surfaceshader") is kind.found
    vector = found_kinds(every, "mix vector")[0]
    assert vector.label == "Mix"
    assert vector.usual().definition.type == "vector3", "a type that is typed counts"


@pytest.mark.parametrize(
    ("words", "label"),
    [
        ("swap", "Join 3"), ("negate", "Multiply"), ("flip green", "Normal map"), ("displace", "Bump"),
        ("curvature", "Slope mask"), ("axis", "Split 3"), ("layers", "Mix"), ("decal", "Image"), ("label", "Image"),
        ("stripes", "Checkerboard"), ("rust", "Streaks"), ("dirt", "Fractal"), ("brick", "Courses"),
        ("plank", "Courses"),
    ],
)  # fmt: skip
def test_words_of_the_trade_find_what_helps(every, words, label):
    assert not is_near_only(every, words)
    assert label in [kind.label for kind in found_kinds(every, words)]


@pytest.mark.parametrize(
    ("words", "label"), [("fractel", "Fractal"), ("chekerboard", "Checkerboard"), ("weeve", "Weave")]
)
def test_a_slip_finds_the_nearest(every, words, label):
    assert is_near_only(every, words)
    assert label in [kind.label for kind in found_kinds(every, words)]


def test_what_may_not_be_shown_is_in_no_kind(every):
    found = found_kinds(every, "remap", lambda one: one.definition.type == "float")
    assert [[one.definition.type for one in kind.offers] for kind in found if kind.label == "Remap"] == [["float"]]
    assert found_kinds(every, "qqqqqqq") == []
