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


def rows_of(scene: Scene) -> np.ndarray:
    """The numbers of all triangles, object by object."""
    spans = dict(sorted(scene.spans.items(), key=lambda one: one[0] % 1000))  # the ground comes last
    return np.concatenate([np.arange(one.start, one.stop) for one in spans.values()] or [np.zeros(0, int)])


def same(one: Scene, other: Scene) -> None:
    """Whether what is read of every triangle is the same, wherever it lies."""
    ours, theirs = rows_of(one), rows_of(other)
    corners, their_corners = ((3 * rows[:, None] + np.arange(3)).ravel() for rows in (ours, theirs))
    assert np.array_equal(one.corners[corners], other.corners[their_corners])
    assert np.array_equal(one.turns[corners], other.turns[their_corners])
    assert np.array_equal(one.around.turns[:, corners], other.around.turns[:, their_corners])
    assert np.array_equal(one.faces[ours], other.faces[theirs])
    assert np.array_equal(one.ids[:, ours], other.ids[:, theirs])
    nothing = np.setdiff1d(np.arange(one.ids.shape[1]), ours)
    assert (one.ids[:, nothing] == one.ids[:, -1:]).all(), "what is of other scenes is of no object here"
    assert np.array_equal(one.rotations, other.rotations)
    assert np.array_equal(one.around.gradients[:, ours], other.around.gradients[:, theirs])
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


def moved(scene: Scene, objects: tuple[BenchObject, ...]) -> Scene:
    return build_scene(objects, True, scene, moving=True)


def rays(count: int) -> tuple[np.ndarray, np.ndarray]:
    rng = np.random.default_rng(5)
    origins = rng.normal(size=(count, 3)) * 0.6 + (0, 0.5, 0)
    ways = rng.uniform(-0.6, 0.6, (count, 3)) * (1, 0.4, 1) + (0, 0.1, 0) - origins
    return origins.astype(np.float32), ways.astype(np.float32)


def test_a_moving_hand_makes_ready_what_it_moves_alone() -> None:
    """Whatever is moved, one thing after the other: rays meet the same, in trees of what stays and of what moves."""
    scene, objects = build_scene(BENCH.objects, True), BENCH.objects
    trees = []
    for number, place in ((0, 0.2), (0, 0.3), (0, 0.4), (2, 0.5), (2, 0.6)):
        one = objects[number].model_copy(update={"place": (place, 0.02, 0)})
        objects = (*objects[:number], one, *objects[number + 1 :])
        scene = moved(scene, objects)
        whole = build_scene(objects, True)
        same(scene, whole)
        assert (scene.tracer.is_whole, whole.tracer.is_whole) == (False, True)
        trees.append(scene.tracer.trees)
        own = np.full(whole.ids.shape[1], -1)
        own[rows_of(whole)] = rows_of(scene)  # what the triangles of the whole are called in the other scene
        origins, ways = rays(4000)
        found, wanted = scene.nearest(origins, ways), whole.nearest(origins, ways)
        assert (wanted.triangle >= 0).mean() > 0.3
        np.testing.assert_array_equal(found.triangle, own[wanted.triangle])
        for one, other in zip(found[1:], wanted[1:], strict=True):
            np.testing.assert_array_equal(one, other)
        assert (found.triangle[wanted.triangle < 0] == -1).all()
        far = np.random.default_rng(6).uniform(0.2, 1.2, len(ways)).astype(np.float32)
        for distances in (None, far):
            blocked = scene.occluded(origins, ways, distances) >= 0
            np.testing.assert_array_equal(blocked, whole.occluded(origins, ways, distances) >= 0)
        np.testing.assert_array_equal(
            scene.tracer.nearest(origins, ways, far).triangle, own[whole.tracer.nearest(origins, ways, far).triangle]
        )
    assert trees[0][0] is trees[1][0] is trees[2][0], "what stays is made ready once"
    assert trees[3][0] is trees[4][0]
    assert trees[2][0] is not trees[3][0]


def test_a_moving_hand_copies_nothing_of_what_stays() -> None:
    """Many steps: what stays lies where it lay, until the room is used up; scenes of before are as they were."""
    scene, ball = moved(build_scene(BENCH.objects, True), BENCH.objects), BENCH.objects[2]
    made, wanted = [], []
    for number in range(40):
        one = ball.model_copy(update={"place": (0.01 * number, 0.0, 0.0)})
        objects = (*BENCH.objects[:2], one)
        scene = moved(scene, objects)
        made.append(scene)
        wanted.append(build_scene(objects, True))
    for one, other in zip(made, wanted, strict=True):
        same(one, other)
    fresh = sum(one.rows is not other.rows for one, other in zip(made[1:], made, strict=False))
    assert 1 <= fresh <= 3
    assert made[1].rows is made[2].rows
    assert made[2].nbytes < made[0].rows.nbytes_each * sum(one.stop - one.start for one in made[0].spans.values()) / 4
    assert not made[2].corners.flags.writeable


def test_at_rest_all_is_one_again() -> None:
    scene = moved(
        build_scene(BENCH.objects, True), (*BENCH.objects[:2], BENCH.objects[2].model_copy(update={"scale": 1.0}))
    )
    assert not scene.tracer.is_whole
    assert build_scene(
        (*BENCH.objects[:2], BENCH.objects[2].model_copy(update={"scale": 1.0})), True, scene
    ).tracer.is_whole


@pytest.mark.parametrize("objects", [(), BENCH.objects[:1]])
def test_a_scene_of_nothing_or_of_other_things_is_no_help(objects: tuple[BenchObject, ...]) -> None:
    made = moved(build_scene(objects, False), BENCH.objects)
    same(made, build_scene(BENCH.objects, True))
    emptied = moved(made, ())
    met = emptied.nearest(*rays(100)).triangle
    assert set(emptied.ids[0][met]) <= {-1, -2}, "the ground alone"
