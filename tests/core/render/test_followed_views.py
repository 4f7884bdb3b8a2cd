"""A hand in the UVs of one object: pictures are those of a renderer that never saw another, and cost that object."""

from __future__ import annotations

import numpy as np
import pytest

from collage.core.document.making import card, given
from collage.core.document.materials import new_material
from collage.core.document.model import Network, Wire
from collage.core.project.pictures import with_uv_set
from collage.core.render import lighting
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest, Quality
from collage.core.scene.bench import AreaLight, Bench, BenchObject, Camera, stock
from collage.core.scene.geometry import UvSet, held_uv

SIZE = (80, 60)


def patterned(category: str) -> Network:
    """A material whose base colour is a pattern over the UVs."""
    network = new_material()
    network = network.with_card(card("pattern", category, "color3", (0, 0)))
    return network.with_card(network.cards["surface"].with_input(given("base_color", "color3", Wire("pattern", ""))))


def see_through() -> Network:
    network = new_material()
    return network.with_card(network.cards["surface"].with_input(given("geometry_opacity", "float", 0.4)))


MATERIALS = {"boards": patterned("checkerboard"), "pot": patterned("noise2d"), "pane": see_through()}
BENCH = Bench(
    objects=(
        stock("Boards", "planks", sizes={"count": 3}, tilt=60.0, material="boards"),
        stock("Pot", "pot", sizes={"segments": 24}, place=(0.4, 0, 0.2), scale=0.7, material="pot"),
        stock("Pane", "sphere", sizes={"segments": 16}, place=(-0.1, 0, 0.3), material="pane"),
    ),
    lights=(AreaLight(),),
    camera=Camera(turn=0, height=25, distance=1.6, target=(0.1, 0.1, 0)),
)


def moved(name: str, by: float, bench: Bench = BENCH) -> Bench:
    mesh = next(one for one in bench.objects if one.name == name).mesh()
    return with_uv_set(bench, name, UvSet(name="UVMap", held=held_uv(mesh.uv["UVMap"] + np.float32(by))))


def drawn(renderer: Renderer, bench: Bench, quality: Quality) -> np.ndarray:
    made = renderer.picture(PictureRequest(bench, MATERIALS, *SIZE, quality=quality))
    assert not made.problems
    assert not made.remarks
    return made.linear


@pytest.mark.parametrize("quality", ["coarse", "draft"])
def test_every_picture_is_that_of_a_renderer_that_saw_no_other(library, quality: Quality) -> None:
    following, last = Renderer(library), drawn(Renderer(library), BENCH, quality)
    for bench in (BENCH, moved("Boards", 0.13), moved("Boards", 0.29), moved("Pot", 0.2), BENCH):
        found, wanted = drawn(following, bench, quality), drawn(Renderer(library), bench, quality)
        np.testing.assert_array_equal(found, wanted)
        assert bench is BENCH or not np.array_equal(found, last)
        last = found


@pytest.fixture
def traced(monkeypatch) -> list[int]:
    """An item for each time that rays are sent to a light."""
    found, add = [], lighting.LightTarget.add

    def counted(*given) -> None:
        found.append(1)
        add(*given)

    monkeypatch.setattr(lighting.LightTarget, "add", counted)
    return found


def test_what_did_not_change_is_neither_traced_nor_evaluated_again(library, traced: list[int]) -> None:
    renderer = Renderer(library)
    plain = BENCH.model_copy(update={"objects": BENCH.objects[:2]})
    drawn(renderer, plain, "draft")
    first, rays = renderer.cache.evaluated, len(traced)
    assert rays
    drawn(renderer, moved("Boards", 0.1, plain), "draft")
    second = renderer.cache.evaluated
    assert 0 < second - first < first
    drawn(renderer, moved("Pot", 0.1, plain), "draft")
    assert renderer.cache.evaluated - second == first, "the pot's, and the boards' as they were"
    assert len(traced) == rays


def test_uvs_moved_many_times_look_as_they_do_made_anew(library, traced: list[int]) -> None:
    """Rows of what is moved are put behind the others until there is no more room; then all lie elsewhere."""
    renderer = Renderer(library)
    bench, costs = BENCH.model_copy(update={"objects": BENCH.objects[:2]}), []
    drawn(renderer, bench, "draft")
    for step in range(1, 24):
        bench = moved("Boards" if step % 3 else "Pot", 0.01 * step, bench)
        count = len(traced)
        found = drawn(renderer, bench, "draft")
        costs.append(len(traced) - count)
        if step % 4 == 0:
            assert np.array_equal(found, drawn(Renderer(library), bench, "draft"))
    assert sum(cost == 0 for cost in costs) >= 18, "light is traced anew only where rows have lost their places"


def test_what_a_hand_that_turns_the_camera_sees_is_not_kept_and_what_it_changes_is(library) -> None:
    renderer = Renderer(library)
    plain = BENCH.model_copy(update={"objects": BENCH.objects[:2]})

    def shown(bench: Bench, **materials: Network) -> int:
        before = renderer.cache.evaluated
        request = PictureRequest(bench, {**MATERIALS, **materials}, *SIZE, quality="coarse")
        next(renderer.stages(request, patient=False))  # as the window does while a hand moves
        return renderer.cache.evaluated - before

    def rough(value: float) -> Network:
        network = MATERIALS["pot"]
        return network.with_card(network.cards["surface"].with_input(given("specular_roughness", "float", value)))

    for turn in (1.0, 2.0, 3.0):
        shown(plain.model_copy(update={"camera": plain.camera.model_copy(update={"turn": turn})}))
    assert renderer.cache._store.count == 0
    still = plain.model_copy(update={"camera": plain.camera.model_copy(update={"turn": 3.0})})
    assert shown(still, pot=rough(0.3)) > 0, "the second look is kept"
    assert renderer.cache._store.count > 0
    assert shown(still, pot=rough(0.4)) == 0, "a plain value of the surface asks for no step anew"


@pytest.mark.parametrize("how", ["name", "material", "place"])
def test_with_anything_else_changed_all_is_new(library, how: str) -> None:
    """A name, since other objects' materials may go by it; where it stands; and which material it wears."""
    changes = {"name": "Shelf", "material": "pot", "place": (0.2, 0.0, 0.1)}
    boards: BenchObject = BENCH.objects[0].model_copy(update={how: changes[how]})
    bench = BENCH.model_copy(update={"objects": (boards, *BENCH.objects[1:])})
    following = Renderer(library)
    drawn(following, BENCH, "draft")
    np.testing.assert_array_equal(drawn(following, bench, "draft"), drawn(Renderer(library), bench, "draft"))
