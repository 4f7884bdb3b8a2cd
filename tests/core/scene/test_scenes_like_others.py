"""A scene that is made of one of the same shape is the one that is made anew, and shares its tracer."""

from __future__ import annotations

import numpy as np
import pytest

from collage.core.project.pictures import with_uv_set
from collage.core.scene.bench import Assigned, Bench, BenchObject, stock
from collage.core.scene.geometry import UvSet, held_uv
from collage.core.scene.scene import Scene, build_scene

BENCH = Bench(
    objects=(
        stock("Pot", "pot", sizes={"segments": 24}, place=(0.1, 0, 0), turn=20.0),
        stock("Boards", "planks", sizes={"count": 3}, place=(-0.5, 0, 0.2), tilt=15.0),
        stock("Ball", "sphere", sizes={"segments": 16}, scale=0.5),
    )
)


def changed(how: str) -> Bench:
    pot, boards, ball = BENCH.objects
    if how == "uv":
        held = UvSet(name="UVMap", held=held_uv(boards.mesh().uv["UVMap"] * 2 + 0.25))
        return with_uv_set(BENCH, "Boards", held)
    if how == "assigned":
        one = Assigned(by="part", name="Plank 2", material="other")
        return BENCH.model_copy(update={"objects": (pot, boards.model_copy(update={"assigned": (one,)}), ball)})
    if how == "set":
        more = (UvSet(name="UVMap", of="UVMap"), UvSet(name="second", of="UVMap"))
        return BENCH.model_copy(update={"objects": (pot.model_copy(update={"uv_sets": more}), boards, ball)})
    return BENCH.model_copy(update={"objects": (pot, boards.model_copy(update={"name": "Shelf"}), ball)})


def same(one: Scene, other: Scene) -> None:
    for name in ("corners", "faces", "ids", "rotations"):
        assert np.array_equal(getattr(one, name), getattr(other, name)), name
    assert np.array_equal(one.around.gradients, other.around.gradients)
    assert (one.regions, one.uv_sets, one.shape, one.keys, one.remarks) == (
        other.regions, other.uv_sets, other.shape, other.keys, other.remarks)  # fmt: skip


@pytest.mark.parametrize("how", ["uv", "assigned", "set", "name"])
def test_it_is_the_same_and_shares_the_tracer(how: str) -> None:
    before, bench = build_scene(BENCH.objects, True), changed(how)
    made = build_scene(bench.objects, True, before)
    same(made, build_scene(bench.objects, True))
    assert made.tracer is before.tracer
    assert not np.shares_memory(made.corners, before.corners)


def test_what_moves_or_is_hidden_has_another_shape() -> None:
    shape = build_scene(BENCH.objects, True).shape

    def other(**fields: object) -> BenchObject:
        return BENCH.objects[0].model_copy(update=fields)

    for one in (other(place=(0.2, 0, 0)), other(turn=1.0), other(scale=2.0), other(hidden=True),
                other(hidden_faces=(("part", "", 0),))):  # fmt: skip
        assert build_scene((one, *BENCH.objects[1:]), True).shape != shape
    assert build_scene(BENCH.objects, False).shape != shape
