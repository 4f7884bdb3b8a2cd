"""A relief that a hand changes: what is made ready for it, and what is seen on the way to the complete picture."""

from __future__ import annotations

import gc
from dataclasses import replace

import numpy as np
import pytest
from test_displacement import material

from collage.core.evaluate.run import Cancelled
from collage.core.render import work
from collage.core.render.fine_relief import with_fine_relief
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.scene.bench import Bench, DistantLight, stock
from collage.core.scene.scene import Scene


def asked(depth: float, **more) -> PictureRequest:
    """A ball whose depth is changed, one that is displaced and stays, and a box."""
    objects = (
        stock("Ball", "sphere", material="m"),
        stock("Other", "sphere", material="other", place=(0.3, 0, 0)),
        stock("Box", "rounded box", place=(-0.3, 0, 0)),
    )
    materials = {"m": material("noise", depth), "other": material("noise", 0.01)}
    return PictureRequest(Bench(objects=objects), materials, 120, 90, **more)


@pytest.fixture
def renderer(library, workers) -> Renderer:
    return Renderer(library, workers=workers)


def moving_scene(renderer: Renderer, depth: float) -> Scene:
    """What the picture of a moving hand shows of a new depth."""
    request = asked(depth, quality="coarse")
    next(renderer.stages(request, patient=False))
    reliefs = renderer.reliefs.of(request)
    return renderer.caches.scene(request.bench, request.geometry_key, reliefs.objects, moving=True)


def test_what_stays_is_ready_before_the_hand_moves_and_after_it_has_rested(renderer) -> None:
    renderer.picture(asked(0.01))
    renderer.ready_for_hand(asked(0.01), "m")
    (ready,) = [one for one in renderer.caches._scenes.values() if not one.tracer.is_whole]
    first, second = moving_scene(renderer, 0.012), moving_scene(renderer, 0.014)
    *_, complete = renderer.stages(asked(0.014))
    assert complete.complete
    third = moving_scene(renderer, 0.016)
    for one in (first, second, third):
        assert one.tracer.trees[0] is ready.tracer.trees[0]
        assert one.rows is ready.rows
        assert {one.spans[0].start for one in (first, second, third)} != {ready.spans[0].start}
        assert (one.spans[1], one.spans[2]) == (ready.spans[1], ready.spans[2])


def test_nothing_is_made_ready_of_what_is_not_displaced_or_coarse_anyway_or_called_off(renderer) -> None:
    plain = Bench(objects=(stock("Ball", "sphere", material="m"),))
    flat = replace(asked(0.01), bench=plain, materials={"m": asked(0.01).materials["m"].without_cards({"d", "moved"})})
    renderer.picture(asked(0.01))
    count = len(list(renderer.caches._scenes.values()))
    renderer.ready_for_hand(flat, "m")
    with pytest.raises(Cancelled):
        renderer.ready_for_hand(asked(0.017), "m", lambda: True)
    assert len(list(renderer.caches._scenes.values())) <= count + 1


def test_a_surface_divided_anew_is_at_once_as_fine_as_it_will_be(renderer) -> None:
    renderer.picture(asked(0.01))
    first, complete = renderer.stages(asked(0.02))
    assert [one.complete for one in (first, complete)] == [False, True]
    assert np.array_equal(first.triangle, complete.triangle)
    assert first.linear.mean() == pytest.approx(complete.linear.mean(), rel=0.03)
    anew = Renderer(renderer.library).picture(asked(0.02))
    assert np.array_equal(complete.linear, anew.linear), "what the first one left out is in the last one"


def test_fine_relief_that_is_there_is_not_taken_for_less(renderer, monkeypatch) -> None:
    """A light that moves, at rest: its first picture has the normals of the last one before it."""
    seen: list[bool] = []

    def told(*given, **named):
        seen.append(given[3])
        return with_fine_relief(*given, **named)

    monkeypatch.setattr(work, "with_fine_relief", told)
    list(renderer.stages(asked(0.02)))
    assert (seen[0], seen[-1]) == (True, False)
    count = len(seen)
    moved = asked(0.02).bench.model_copy(update={"lights": (DistantLight(turn=70.0, height=30.0),)})
    first, *_ = renderer.stages(replace(asked(0.02), bench=moved))
    assert not first.complete
    assert len(seen) == count


def test_light_that_is_sent_on_stays_while_a_depth_is_dragged_and_is_right_at_rest(renderer) -> None:
    renderer.picture(asked(0.01))
    moving_scene(renderer, 0.012)
    count = len(list(renderer.caches._surroundings.values()))
    moving_scene(renderer, 0.013)
    assert len(list(renderer.caches._surroundings.values())) == count
    rested, anew = renderer.picture(asked(0.013)), Renderer(renderer.library).picture(asked(0.013))
    assert np.array_equal(rested.linear, anew.linear)


def test_a_depth_that_is_dragged_for_long_keeps_no_more_than_a_few_scenes(renderer) -> None:
    """Each step has a scene and a view of its own, of which the budget alone would keep hundreds."""
    renderer.picture(asked(0.01))
    before = {id(one) for one in gc.get_objects() if isinstance(one, Scene)}
    for number in range(40):
        next(renderer.stages(asked(0.011 + 0.0001 * number, quality="coarse"), patient=False))
    gc.collect()
    alive = [one for one in gc.get_objects() if isinstance(one, Scene) and id(one) not in before]
    assert len(alive) <= 8
    assert renderer.has_view(asked(0.011 + 0.0001 * 39, quality="coarse"))
    assert not renderer.has_view(asked(0.011, quality="coarse"))


def test_light_of_a_view_that_is_let_go_of_goes_too(renderer) -> None:
    renderer.picture(asked(0.01))
    held = renderer.caches.results._store.count
    for number in range(12):
        renderer.picture(replace(asked(0.011 + 0.001 * number), width=40, height=30))
    count = renderer.caches.results._store.count
    for number in range(12, 24):
        renderer.picture(replace(asked(0.011 + 0.001 * number), width=40, height=30))
    assert held > 0
    assert renderer.caches.results._store.count <= count
