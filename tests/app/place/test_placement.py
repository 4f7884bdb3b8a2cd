"""How a map is placed, in the real window: repeats, real width, mirror, pivot, once only, one placement for all."""

from __future__ import annotations

import numpy as np
import pytest

from collage.app.shell.start import settle
from collage.core.document import edits
from collage.core.document.model import Card, Input
from collage.core.nodes.coordinates import placement_of
from collage.core.scene.bench import Camera, stock


@pytest.fixture
def place(window):
    """A plane of 40 x 40 cm with the wood."""
    session = window.session
    plane = stock("Plane", "plane", material="Weathered bench")
    session.edit_bench("objects", lambda bench: bench.model_copy(update={"objects": (plane,), "ground": False}))
    session.look(Camera(turn=0, height=50, distance=1).framing(*plane.mesh().bounds))
    session.show_material("Weathered bench")
    window.go_to([one.title for one in window.places].index("Place"))
    place = window.place("Place")
    place.maps.choose("bench_wood")
    assert settle(window)
    return place


def scale_of(window, name: str = "bench_wood"):
    return window.session.network.cards[name].inputs["scale"].value


def test_repeats_tile_and_width_say_the_same_and_the_words_too(window, place) -> None:
    panel = place.placement
    assert place.below.currentWidget() is panel
    panel.tile.repeats[0].edited.emit(4.0, False)
    assert scale_of(window) == pytest.approx((0.25, 0.25))
    assert panel.about.text() == "4 × 4 repeats, each tile 10 cm × 10 cm"
    panel.tile.widths[0].edited.emit(5.0, False)
    assert scale_of(window) == pytest.approx((0.125, 0.125), rel=1e-4)
    assert panel.about.text().startswith("8 × 8 repeats, each tile 5 cm")
    panel.tile.lock.setChecked(False)
    panel.tile.sizes[1].edited.emit(0.5, False)
    assert scale_of(window) == pytest.approx((0.125, 0.5), rel=1e-4)


def test_mirroring_turns_the_picture_over_and_twice_is_as_before(window, place) -> None:
    before = place.view.picture.display.astype(int)
    place.placement.buttons["u"].click()
    assert scale_of(window)[0] < 0 < scale_of(window)[1]
    assert settle(window)
    flipped = place.view.picture.display.astype(int)
    assert np.abs(flipped - before)[place.view.picture.objects == 0].mean() > 2
    place.placement.buttons["u"].click()
    assert settle(window)
    assert np.abs(place.view.picture.display.astype(int) - before).max() <= 1


def test_once_only_leaves_nothing_around_the_tile(window, place) -> None:
    place.placement.tile.repeats[0].edited.emit(3.0, False)
    assert settle(window)
    full = place.view.picture.linear.copy()
    place.placement.outside.setCurrentIndex(3)
    place.placement.outside.activated.emit(3)
    assert settle(window)
    once, mask = place.view.picture.linear, place.view.picture.objects == 0
    dark = (once.max(axis=2) < 0.35 * full.max(axis=2)) & mask
    assert 0.75 < dark[mask].mean() < 0.95  # eight of nine tiles
    inner = window.session.network.cards["bench_wood"].network
    assert inner.cards["height_map"].inputs["uaddressmode"].value == "constant"


def test_maps_that_were_placed_apart_get_one_placement_in_one_step(window, place) -> None:
    session = window.session
    first = session.add_image(session.folder / "maps" / "terracotta" / "terracotta_base_color.png", (-3.0, 5.0))
    second = session.add_image(session.folder / "maps" / "terracotta" / "terracotta_roughness.png", (-3.0, 7.0))
    place.maps.choose(first)
    assert place.placement.buttons["add"].isVisibleTo(place.placement)
    place.placement.buttons["add"].click()
    name = placement_of(session.network, first)
    assert session.network.cards[name].category == "place2d"
    session.set_value(name, "rotate", "float", 30.0)
    steps = len(session.history.labels)
    place.placement.buttons["all"].click()
    assert len(session.history.labels) == steps + 1
    assert placement_of(session.network, second) == placement_of(session.network, first)
    assert session.network.cards[placement_of(session.network, second)].inputs["rotate"].value == 30.0
    assert len([card for card in session.network.cards.values() if card.category == "place2d"]) == 1
    place.placement.rotate.edited.emit(12.0, False)
    assert session.network.cards[placement_of(session.network, first)].inputs["rotate"].value == 12.0


def test_a_pivot_is_typed_where_the_placement_has_one(window, place) -> None:
    session = window.session
    session.edit("image", lambda network: edits.add_card(network, Card(
        "picture", "image", "color3", {"file": Input("file", "filename", "")}, {"nodedef": "ND_image_color3"})))  # fmt: skip
    assert not place.placement.pairs["pivot", 0].isEnabled(), "a map set turns about its corner"
    place.maps.choose("picture")
    place.placement.buttons["add"].click()
    place.placement.pairs["pivot", 0].edited.emit(0.5, False)
    place.placement.pairs["pivot", 1].edited.emit(0.25, False)
    name = placement_of(session.network, "picture")
    assert session.network.cards[name].inputs["pivot"].value == (0.5, 0.25)
