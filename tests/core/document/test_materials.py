"""Materials as documents: their surface, and a second one over it."""

from __future__ import annotations

import pytest

from collage.core.document.materials import blended, hidden_on_board, new_material, showing, surface_card
from collage.core.document.materialx import parse_document, write_document
from collage.core.document.model import Network, Wire


def test_a_blend_takes_the_old_surface_below_and_a_new_one_on_top() -> None:
    after, front = blended(new_material(), (3.0, 1.0))
    blend = surface_card(after)
    assert blend is not None
    assert (blend.category, blend.type) == ("mix", "surfaceshader")
    assert blend.inputs["bg"].wire == Wire("surface")
    assert blend.inputs["fg"].wire == Wire(front)
    assert after.cards["surface"].position == (3.0, 1.0)
    assert {front, "surface"}.isdisjoint(hidden_on_board(after)), "both can be seen and changed"
    again = parse_document(write_document(after).encode())
    assert surface_card(again) == blend


def test_any_surface_can_be_the_one_that_shows() -> None:
    after, front = blended(new_material(), (0.0, 0.0))
    shown = surface_card(showing(after, front))
    assert shown is not None
    assert shown.name == front
    plain = Network({"surface": new_material().cards["surface"]})
    assert showing(plain, "surface").cards["material"].inputs["surfaceshader"].wire == Wire("surface")


def test_nothing_to_blend_without_a_surface() -> None:
    with pytest.raises(KeyError):
        blended(Network(), (0.0, 0.0))
