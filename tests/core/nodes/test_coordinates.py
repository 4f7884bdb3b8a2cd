"""Coordinates, projectors and variation: against closed forms, and own functions against their standard graphs."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest

from collage.core.document.model import Card, Input, Network, Wire
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import run
from collage.core.geometry.mesh import Mesh
from collage.core.geometry.points import Points, sheet
from collage.core.geometry.stock import shape
from collage.core.geometry.surroundings import Surroundings, name_number
from collage.core.images.files import write_image
from collage.core.nodes.behaviour import Context
from collage.core.nodes.coordinates import choices, chosen, with_coordinates
from collage.core.nodes.projectors import frame_rotation
from collage.core.render.samples import find_samples
from collage.core.scene.bench import Bench, BenchObject, stock
from collage.core.scene.cameras import Camera
from collage.core.scene.geometry import StockShape
from collage.core.scene.scene import build_scene


def evaluated(library, points: Points, category: str, given: dict, output: str, kind: str = "multioutput"):
    """What one card puts out at some points, (k, n) float64."""
    card = Card("n", category, kind, {name: Input(name, *rest) for name, rest in given.items()})
    plan = build_plan(library, Network().with_card(card), {"out": CardOutput("n", output)}, strict=True)
    value = run(plan, points)["out"]
    return np.broadcast_to(value, (len(value), points.count)).astype(np.float64)


def seen(*objects: BenchObject, size: tuple[int, int] = (96, 72), camera: Camera | None = None) -> list[Points]:
    """The points in the middles of pixels of a picture, by object."""
    bench = Bench(objects=objects, ground=False, camera=camera or Camera())
    samples = find_samples(build_scene(objects, False), bench.camera, size, edges=False)
    return [group.points for group in samples.groups]


def scattered(count: int = 4000, seed: int = 3) -> Points:
    """Points anywhere in a cube of two metres, with any normal."""
    rng = np.random.default_rng(seed)
    normal = rng.normal(size=(3, count))
    flat = sheet(count, 1)
    return replace(
        flat,
        position=rng.uniform(-1, 1, (3, count)).astype(np.float32),
        normal=(normal / np.linalg.norm(normal, axis=0)).astype(np.float32),
    )


# ---- projectors -------------------------------------------------------------------------------

TURNED = {"centre": ("vector3", (0.1, 0.2, -0.05)), "turn": ("vector3", (20.0, -35.0, 50.0)),
          "size": ("vector3", (0.4, 0.7, 0.5))}  # fmt: skip


def on_cylinder(radius: float, height: float) -> tuple[Points, np.ndarray]:
    """Points on an upright cylinder about the origin, and their (angle / 360 degrees, height / cylinder's)."""
    angle, up = (part.ravel() for part in np.meshgrid(np.linspace(-0.499, 0.499, 80), np.linspace(-0.5, 0.5, 21)))
    where = np.stack([radius * np.sin(angle * 2 * np.pi), up * height, radius * np.cos(angle * 2 * np.pi)])
    normal = np.stack([np.sin(angle * 2 * np.pi), 0 * up, np.cos(angle * 2 * np.pi)])
    points = replace(sheet(angle.size, 1), position=where.astype(np.float32), normal=normal.astype(np.float32))
    return points, np.stack([angle + 0.5, up + 0.5])


def test_each_projection_on_its_own_shape_gives_its_analytic_coordinates(library) -> None:
    points, wanted = on_cylinder(0.2, 0.6)
    given = {"shape": ("integer", 1), "size": ("vector3", (0.4, 0.6, 0.4))}
    found = evaluated(library, points, "clg_projector", given, "uv")
    assert np.abs(found - wanted).max() < 1e-5
    assert evaluated(library, points, "clg_projector", given, "inside").min() == 1

    turn, rise = (part.ravel() for part in np.meshgrid(np.linspace(-0.499, 0.499, 80), np.linspace(-0.49, 0.49, 41)))
    y, ring = np.sin(rise * np.pi), np.cos(rise * np.pi)
    where = 0.3 * np.stack([ring * np.sin(turn * 2 * np.pi), y, ring * np.cos(turn * 2 * np.pi)])
    ball = replace(sheet(turn.size, 1), position=where.astype(np.float32), normal=(where / 0.3).astype(np.float32))
    found = evaluated(library, ball, "clg_projector", {"shape": ("integer", 2), "size": ("vector3", (0.6,) * 3)}, "uv")
    assert np.abs(found - np.stack([turn + 0.5, rise + 0.5])).max() < 1e-5

    plane = sheet(40, 30, low=(-0.3, -0.1, 0.0), high=(0.3, 0.1, 0.0))
    found = evaluated(library, plane, "clg_projector", {"size": ("vector3", (0.6, 0.2, 0.1))}, "uv")
    assert np.abs(found - plane.uv_set()).max() < 1e-5


@pytest.mark.parametrize("form", [0, 1, 2])
@pytest.mark.parametrize("caps", [0, 1])
@pytest.mark.parametrize("output", ["uv", "inside", "place"])
def test_the_projector_is_its_graph_of_standard_nodes(library, form: int, caps: int, output: str) -> None:
    points = scattered()
    given = {**TURNED, "shape": ("integer", form), "caps": ("integer", caps), "image_turn": ("float", 33.0)}
    found = evaluated(library, points, "clg_projector", given, output)
    graph = library.graph(library["ND_clg_projector"])
    cards = dict(graph.cards)
    values = {**{tab.name: (tab.type, tab.default) for tab in library["ND_clg_projector"].inputs.values()}, **given}
    network = (
        Network(cards).with_card(Card("position", "position", "vector3")).with_card(Card("normal", "normal", "vector3"))
    )
    for name, card in cards.items():
        for one in card.inputs.values():
            if one.interface in ("position", "normal"):
                network = network.with_card(
                    network.cards[name].with_input(Input(one.name, one.type, None, Wire(one.interface)))
                )
            elif one.interface is not None:
                value = Input(one.name, one.type, values[one.interface][1])
                network = network.with_card(network.cards[name].with_input(value))
    out = graph.outputs[output].wire
    plan = build_plan(library, network, {"out": CardOutput(out.card, out.output)}, strict=True)
    wanted = run(plan, points)["out"]
    apart = np.abs(found - wanted)
    if output == "uv" and form:
        edge = np.abs(found - np.rint(found)).min(axis=0) < 1e-4
        apart = apart[:, ~edge]
    assert np.quantile(apart, 0.999) < 2e-5


def test_a_frame_turns_as_an_object_does() -> None:
    item = BenchObject(name="it", turn=-35.0, tilt=20.0, roll=50.0)
    own = np.array([[0.3, -0.2, 0.5]])
    world = own @ item.matrix()
    assert frame_rotation(np.array([20.0, -35.0, 50.0])) @ world[0] == pytest.approx(own[0])


def test_the_image_turns_inside_the_frame_about_its_middle(library) -> None:
    points = sheet(32, 32, low=(-0.5, -0.5, 0), high=(0.5, 0.5, 0))
    size = {"size": ("vector3", (1.0, 1.0, 1.0))}
    plain = evaluated(library, points, "clg_projector", size, "uv") - 0.5
    turned = evaluated(library, points, "clg_projector", {**size, "image_turn": ("float", 90.0)}, "uv") - 0.5
    assert np.abs(turned - np.stack([plain[1], -plain[0]])).max() < 1e-6


def test_an_image_is_as_sharp_where_its_ends_meet_as_elsewhere(library) -> None:
    """On a drum seen from behind: a step over the line where u jumps from 1 to 0 is as short as its neighbours."""
    drum = stock("drum", "cylinder", turn=180.0)
    (points,) = seen(drum, size=(160, 120))
    along = points.shifted(0)
    given = {"shape": ("integer", 1), "size": ("vector3", (0.2, 0.3, 0.2))}
    here = evaluated(library, points, "clg_projector", given, "uv")
    card = Card("n", "clg_projector", "multioutput", {name: Input(name, *rest) for name, rest in given.items()})
    function = library.definition(card).function
    tabs = library.definition(card).inputs
    values = {name: np.array(tab.default, np.float32).reshape(-1, 1) for name, tab in tabs.items() if not tab.geometry}
    values |= {"shape": np.array([[1]]), "size": np.array([[0.2], [0.3], [0.2]], np.float32)}
    there = function(Context(along), position=along.object_position, normal=points.object_normal, **values)["uv"]
    sides = np.abs(points.object_normal[1]) < 0.5
    steps = np.abs(there - here)[0, sides]
    assert np.ptp(here[0, sides]) > 0.9  # the line is in the picture
    assert steps.max() < 0.1


def test_box_joins_add_to_one_and_are_continuous(library, tmp_path) -> None:
    for name, value in (("x", 40), ("y", 120), ("z", 220)):
        write_image(tmp_path / f"{name}.png", np.full((8, 8, 1), value, np.uint8))
    angle = np.linspace(0, np.pi / 2, 2001)
    normal = np.stack([np.cos(angle), 0 * angle, np.sin(angle)]).astype(np.float32)
    points = replace(sheet(angle.size, 1), normal=normal)
    files = {f"file{axis}": ("filename", str(tmp_path / f"{axis}.png")) for axis in "xyz"}
    for blend in (0.1, 0.3, 1.0):
        given = {**files, "blend": ("float", blend)}
        found = evaluated(library, points, "clg_box_projector", given, "", "float")[0]
        assert found[0] == pytest.approx(40 / 255, abs=1e-4)
        assert found[-1] == pytest.approx(220 / 255, abs=1e-4)
        assert np.all(np.diff(found) >= -1e-6)  # from one to the other, never beyond
        assert np.abs(np.diff(found)).max() < 0.05
        same = {**{f"file{axis}": ("filename", str(tmp_path / "y.png")) for axis in "xyz"}, "blend": ("float", blend)}
        one = evaluated(library, points, "clg_box_projector", same, "", "float")
        assert np.abs(one - 120 / 255).max() < 1e-5  # the shares add to one


# ---- boxes, spaces, camera --------------------------------------------------------------------


def test_the_box_of_an_object_stretched_even_and_real(library) -> None:
    plank = stock("plank", "wall", place=(0.3, 0.1, 0.0), turn=25.0)
    low, high = plank.mesh().bounds
    (points,) = seen(plank)
    own = points.object_position.astype(np.float64)
    middle, size = (low + high) / 2, high - low
    for fit, wanted in (
        (0, (own - low[:, None]) / size[:, None]),
        (1, (own - middle[:, None]) / size.max() + 0.5),
        (2, (own - middle[:, None]) / 0.25 + 0.5),
    ):
        given = {"fit": ("integer", fit)}
        found = evaluated(library, points, "clg_box_position", given, "", "vector3")
        assert np.abs(found - wanted).max() < 1e-5


def test_many_objects_in_one_go_have_each_its_own_box(library) -> None:
    """From a dozen objects on, those of one material are evaluated together."""
    balls = [stock(f"ball {n}", "sphere", sizes={"radius": 0.03 + 0.005 * n}, place=(0.12 * n - 0.8, 0.05, 0), material="m")
             for n in range(14)]  # fmt: skip
    bench = Bench(objects=tuple(balls), ground=False, camera=Camera(target=(0, 0.05, 0), distance=2.2))
    samples = find_samples(build_scene(tuple(balls), False), bench.camera, (320, 120), edges=False, worn=bench.worn)
    assert len(samples.groups) == 1
    points = samples.groups[0].points
    found = evaluated(library, points, "clg_box_position", {}, "", "vector3")
    numbers = points.object_number
    assert len(set(numbers)) == 14
    for number, ball in enumerate(balls):
        low, high = ball.mesh().bounds
        here = numbers == number
        wanted = (points.object_position[:, here] - low[:, None]) / (high - low)[:, None]
        assert np.abs(found[:, here] - wanted).max() < 1e-5
    random = evaluated(library, points, "clg_part_random", {"by": ("integer", 0)}, "random")[0]
    assert len({float(random[numbers == number][0]) for number in range(14)}) == 14
    assert all(np.ptp(random[numbers == number]) == 0 for number in range(14))


def test_the_space_of_another_object_and_of_the_camera(library) -> None:
    other = stock("post", "cylinder", place=(0.5, 0.0, 0.2), turn=40.0, tilt=10.0)
    camera = Camera(target=(0, 0.1, 0), distance=1.5)
    (points, _) = seen(stock("ball", "sphere"), other, camera=camera)
    world = points.position.astype(np.float64)
    found = evaluated(library, points, "clg_object_space", {"object": ("string", "post")}, "position")
    wanted = other.matrix() @ (world - np.array([[0.5], [0.0], [0.2]]))
    assert np.abs(found - wanted).max() < 1e-5
    assert np.abs(found.T @ other.matrix() + np.array([0.5, 0, 0.2]) - world.T).max() < 1e-5
    facing = evaluated(library, points, "clg_object_space", {"object": ("string", "post")}, "normal")
    assert np.abs(facing - other.matrix() @ points.normal).max() < 1e-5
    unknown = evaluated(library, points, "clg_object_space", {"object": ("string", "gone")}, "position")
    assert np.abs(unknown - world).max() == 0

    right, up, forward = camera.axes()
    eye = camera.position()
    found = evaluated(library, points, "clg_camera", {}, "position")
    wanted = np.stack([right, up, -forward]) @ (world - eye[:, None])
    assert np.abs(found - wanted).max() < 1e-5
    assert np.abs(evaluated(library, points, "clg_camera", {}, "distance")[0]
                  - np.linalg.norm(world - eye[:, None], axis=0)).max() < 1e-5  # fmt: skip


def test_the_screen_is_where_a_point_is_seen(library) -> None:
    """The middle of each pixel, counted in picture heights from the middle of the picture."""
    width, height = 96, 72
    item = stock("ball", "sphere")
    samples = find_samples(build_scene((item,), False), Camera(), (width, height), edges=False)
    points, pixel = samples.groups[0].points, samples.pixel[samples.groups[0].start : samples.groups[0].stop]
    found = evaluated(library, points, "clg_camera", {}, "screen")
    column, row = pixel % width, pixel // width
    wanted = np.stack([(column + 0.5 - width / 2) / height + 0.5, (height / 2 - row - 0.5) / height + 0.5])
    assert np.abs(found - wanted).max() < 1e-4


def test_directions_of_the_surface_of_reflections_and_of_the_view(library) -> None:
    (points,) = seen(stock("ball", "sphere"))
    n, view = points.normal.astype(np.float64), points.view.astype(np.float64)
    for which, wanted in ((0, n), (1, view - 2 * (view * n).sum(axis=0) * n), (2, view)):
        found = evaluated(library, points, "clg_direction", {"of": ("integer", which)}, "direction")
        assert np.abs(found - wanted).max() < 1e-5
        uv = evaluated(library, points, "clg_direction", {"of": ("integer", which)}, "uv")
        u = 0.5 - np.arctan2(wanted[0], wanted[2]) / (2 * math.pi)
        assert np.abs(uv - np.stack([u, 0.5 + np.arcsin(np.clip(wanted[1], -1, 1)) / math.pi])).max() < 1e-4


# ---- UV sets ----------------------------------------------------------------------------------


def with_second_set() -> BenchObject:
    """A ball whose second UV set is turned, stretched, and mirrored on one half."""
    mesh = shape("sphere")
    u, v = mesh.uv["UVMap"].T
    side = np.repeat((mesh.positions[mesh.triangles][:, :, 0].mean(axis=1) > 0), 3)
    second = np.stack([np.where(side, 1.0, -1.0) * (2 * u + 0.3 * v), 0.7 * v - 0.2 * u], axis=1)
    made = Mesh(mesh.positions, mesh.triangles, mesh.normals, {"UVMap": mesh.uv["UVMap"], "second": second})

    class Given(StockShape):
        def mesh(self) -> Mesh:
            return made

    item = BenchObject(name="it", turn=30.0)
    return item.model_copy(update={"geometry": Given()})


def test_tangents_of_every_uv_set_agree_with_finite_differences_of_its_uvs(library) -> None:
    """A small step along the tangent changes u and hardly v less than along the bitangent; on mirrored islands too."""
    item = with_second_set()
    (points,) = seen(item, size=(120, 90))
    mesh = item.mesh()
    assert points.triangle is not None
    corners = mesh.positions[mesh.triangles[points.triangle]].astype(np.float64) @ item.matrix()
    mirrored = 0
    for index, name in enumerate(("UVMap", "second")):
        uv = mesh.uv[name].reshape(-1, 3, 2)[points.triangle].astype(np.float64)
        e = np.stack([corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]], axis=2)  # (n, 3, 2)
        d = np.stack([uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]], axis=2)  # (n, 2, 2)
        area = np.abs(np.linalg.det(d))
        good = area > 1e-7
        to_uv = d[good] @ np.linalg.pinv(e[good])  # (n, 2, 3): how u and v change with a step in space
        tangent = evaluated(
            library, points, "tangent", {"space": ("string", "world"), "index": ("integer", index)}, "", "vector3"
        )
        bitangent = evaluated(
            library, points, "bitangent", {"space": ("string", "world"), "index": ("integer", index)}, "", "vector3"
        )
        assert np.abs(np.linalg.norm(tangent, axis=0) - 1).max() < 1e-4
        assert np.abs((tangent * points.normal).sum(axis=0)).max() < 1e-4
        du, dv = np.einsum("nij,nj->in", to_uv, tangent.T[good] * 1e-3)
        _, bv = np.einsum("nij,nj->in", to_uv, bitangent.T[good] * 1e-3)
        assert (du > 0).all(), "along the tangent u grows"
        assert (bv > 0).all(), "along the bitangent v grows"
        # the tangent is dP/du: along it v stands still, but for the bend of the shading normal
        assert np.median(np.abs(dv) / np.abs(du)) < 0.02
        handed = (np.cross(points.normal.T, tangent.T)[good] * bitangent.T[good]).sum(axis=1)
        assert np.abs(np.abs(handed) - 1).max() < 1e-3
        mirrored += int((handed < 0).sum())
    assert mirrored > 20


@pytest.mark.parametrize("inside", [False, True])
@pytest.mark.parametrize("index", [0, 1])
def test_tangents_between_corners_are_those_of_the_ball_and_not_of_its_faces(inside: bool, index: int) -> None:
    """Its UVs follow its circles, so tangents do so everywhere; those of flat faces are up to two degrees beside."""
    mesh = shape("sphere")
    u, v = mesh.uv["UVMap"].T
    mirrored = np.stack([-u if index else u, v], axis=1)
    made = Mesh(mesh.positions, mesh.triangles, mesh.normals, {"UVMap": mesh.uv["UVMap"], "second": mirrored})

    class Given(StockShape):
        def mesh(self) -> Mesh:
            return made

    item = BenchObject(name="it", turn=30.0).model_copy(update={"geometry": Given()})
    centre = ((made.bounds[0] + made.bounds[1]) / 2) @ item.matrix()
    camera = Camera(target=tuple(centre), distance=0.006) if inside else Camera()
    samples = find_samples(build_scene((item,), False), camera, (120, 90), edges=False)
    points = samples.groups[0].points
    away = points.position.T - centre
    circle = np.stack([away[:, 2], np.zeros(len(away)), -away[:, 0]], axis=1)
    lean = np.linalg.norm(circle, axis=1) / np.linalg.norm(away, axis=1)
    seam = np.abs(points.uv["UVMap"][0] - 0.5) > 0.47
    good = (lean > 0.3) & ~seam
    assert good.sum() > 500
    tangent = points.tangents(index)[0].T
    cosine = (tangent * circle).sum(axis=1)[good] / np.linalg.norm(circle[good], axis=1)
    assert np.degrees(np.arccos(np.clip(cosine * np.sign(cosine[0]), -1, 1))).max() < 0.3
    assert (cosine[0] > 0) == (index == 0), "in the mirrored set u grows the other way"


def test_a_step_of_the_points_moves_every_uv_set_by_what_the_position_moves(library) -> None:
    item = with_second_set()
    (points,) = seen(item, size=(120, 90))
    mesh = item.mesh()
    corners = mesh.positions[mesh.triangles[points.triangle]].astype(np.float64) @ item.matrix()
    e = np.stack([corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]], axis=2)
    for axis in (0, 1):
        there = points.shifted(axis)
        move = (there.position - points.position).astype(np.float64)
        for name in ("UVMap", "second"):
            uv = mesh.uv[name].reshape(-1, 3, 2)[points.triangle].astype(np.float64)
            d = np.stack([uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]], axis=2)
            good = np.abs(np.linalg.det(d)) > 1e-7
            wanted = np.einsum("nij,nj->in", d[good] @ np.linalg.pinv(e[good]), move.T[good])
            step = (there.uv[name] - points.uv[name])[:, good]
            assert np.abs(step - wanted).max() < 1e-3 * max(np.abs(wanted).max(), 1e-9) + 2e-5


# ---- variation --------------------------------------------------------------------------------


def test_random_numbers_of_parts_are_even_and_stay_when_a_part_is_added(library) -> None:
    def of(names: list[str]) -> dict[str, float]:
        around = Surroundings(
            ("pot",), np.zeros((1, 3), np.float32), np.ones((1, 3), np.float32), np.eye(3, dtype=np.float32)[None],
            np.zeros((1, 3), np.float32), [np.array([name_number(one) for one in names], np.float32)],
        )  # fmt: skip
        count = len(names)
        points = replace(sheet(count, 1), around=around, part=np.arange(count, dtype=np.int32),
                         triangle=None)  # fmt: skip
        found = evaluated(library, points, "clg_part_random", {"by": ("integer", 1)}, "random")
        return dict(zip(names, found[0], strict=True))

    names = [f"slat {number}" for number in range(400)]
    before, after = of(names), of(["rim", *names])
    assert all(after[name] == before[name] for name in names)
    values = np.sort(list(before.values()))
    assert np.abs(values - (np.arange(400) + 0.5) / 400).max() < 0.07  # even, as chance has it (Kolmogorov-Smirnov)
    assert np.all((values >= 0) & (values < 1))


def test_crops_cut_one_picture_and_each_part_keeps_to_one_of_them(library) -> None:
    flat = sheet(64, 64)
    hit = set()
    for seed in range(40):
        dice = np.random.default_rng(seed).uniform(0, 1, 3)
        given = {"random": ("color3", tuple(dice)), "crops": ("vector2", (2.0, 3.0))}
        uv = evaluated(library, flat, "clg_vary_uv", given, "", "vector2")
        window = np.floor(uv.mean(axis=1) * (2, 3))
        assert np.all(np.floor(uv * np.array([[2], [3]])) == window[:, None]), "all of a part in one crop"
        assert np.ptp(uv[0]) == pytest.approx(63 / 128, abs=1e-4)
        hit.add(tuple(window))
    assert hit == {(float(a), float(b)) for a in range(2) for b in range(3)}


def test_a_part_shows_one_of_the_drawn_crops_and_stays_inside_it(library) -> None:
    flat, boxes = sheet(16, 16), [(0.1, 0.2, 0.3, 0.4), (0.5, 0.0, 0.25, 1.0), (0.0, 0.6, 1.0, 0.4)]
    for random, wanted in ((0.0, 0), (0.32, 0), (0.34, 1), (0.66, 1), (0.68, 2), (1.0, 2)):
        given = {f"crop{number}": ("vector4", box) for number, box in enumerate(boxes, 1)}
        given |= {"random": ("float", random), "count": ("integer", 3)}
        uv = evaluated(library, flat, "clg_crops", given, "", "vector2")
        left, bottom, width, height = boxes[wanted]
        place = np.asarray(flat.uv["UVMap"], np.float64)
        assert uv == pytest.approx(np.stack([left + width * place[0], bottom + height * place[1]]), abs=1e-6)
    further = replace(flat, uv={"UVMap": flat.uv["UVMap"] + np.float32([[3], [-2]])})
    assert evaluated(library, further, "clg_crops", given, "", "vector2") == pytest.approx(uv, abs=1e-5)


@pytest.mark.parametrize("count", [4, 8])
def test_images_are_drawn_by_their_weights(library, tmp_path, count: int) -> None:
    values = [10 + 30 * number for number in range(count)]
    for number, value in enumerate(values, 1):
        write_image(tmp_path / f"{number}.png", np.full((4, 4, 1), value, np.uint8))
    weights = np.array([1.0, 3.0, 0.0, 2.0, 0.5, 1.5, 0.0, 4.0][:count])
    random = np.linspace(0, 0.9999, 600)
    seen_values = []
    for one in random[::5]:
        given = {f"file{number}": ("filename", str(tmp_path / f"{number}.png")) for number in range(1, count + 1)}
        given |= {f"weight{number}": ("float", float(weight)) for number, weight in enumerate(weights, 1)}
        found = evaluated(
            library, sheet(2, 2), "clg_vary_image", {**given, "random": ("float", float(one))}, "", "float"
        )
        seen_values.append(round(float(found[0, 0]) * 255))
    shares = [seen_values.count(value) / len(seen_values) for value in values]
    assert shares == pytest.approx(list(weights / weights.sum()), abs=0.02)


# ---- choosing ---------------------------------------------------------------------------------


@pytest.fixture
def mapped(library) -> Network:
    """A map with a placement, and a normal map behind another one."""

    def card(name, category, kind, **given):
        return Card(name, category, kind, {key: Input(key, *rest) for key, rest in given.items()})

    cards = [
        card("uv", "texcoord", "vector2"),
        card("placement", "place2d", "vector2", texcoord=("vector2", None, Wire("uv"))),
        card("wood", "image", "color3", texcoord=("vector2", None, Wire("placement"))),
        card("bent", "image", "vector3", texcoord=("vector2", None, Wire("placement"))),
        card("normal", "normalmap", "vector3", **{"in": ("vector3", None, Wire("bent"))}),
        card("moss", "fractal3d", "float"),
    ]
    return Network({one.name: one for one in cards})


def test_every_choice_is_recognised_when_it_was_chosen_and_gives_what_it_says(library, mapped) -> None:
    every = choices(["UVMap", "label"], ["Pot"])
    assert chosen(library, mapped, "wood", every).key == "uv"
    assert chosen(library, mapped, "moss", every).key == "object"
    for name in ("wood", "moss"):
        network = mapped
        for choice in (*every, *reversed(every)):
            network = with_coordinates(library, network, name, choice)
            assert chosen(library, network, name, every) == choice
            plan = build_plan(library, network, {"out": CardOutput(name)}, strict=True)
            assert np.isfinite(run(plan, sheet(8, 8))["out"]).all()
        left = set(network.cards) - set(mapped.cards)
        assert len(left) <= 2, f"nothing is left of what was chosen before: {left}"


def test_a_placement_stays_between_a_map_and_its_coordinates(library, mapped) -> None:
    network = with_coordinates(library, mapped, "wood", choices()[4])
    assert network.cards["wood"].inputs["texcoord"].wire == Wire("placement")
    assert network.cards["bent"].inputs["texcoord"].wire == Wire("placement")
    source = network.cards[network.cards["placement"].inputs["texcoord"].wire.card]
    assert source.category in ("convert", "clg_box_position")


def test_normal_maps_get_the_tangents_of_their_uv_set_and_lose_them_again(library, mapped) -> None:
    every = choices(["UVMap", "label"])
    network = with_coordinates(library, mapped, "bent", every[1])
    for which in ("tangent", "bitangent"):
        made = network.cards[network.cards["normal"].inputs[which].wire.card]
        assert (made.category, made.inputs["index"].value) == (which, 1)
    back = with_coordinates(library, network, "bent", every[0])
    assert all(back.cards["normal"].inputs.get(which) is None or back.cards["normal"].inputs[which].wire is None
               for which in ("tangent", "bitangent"))  # fmt: skip
    assert not [card for card in back.cards.values() if card.category in ("tangent", "bitangent")]


def test_a_map_set_gets_coordinates_as_a_whole(library, whole_shed) -> None:
    from collage.core.project.folder import load_project

    document = load_project(whole_shed)[0].materials["Celadon glaze"]
    every = choices()
    assert chosen(library, document, "celadon", every).key == "uv"
    given = with_coordinates(library, document, "celadon", next(one for one in every if one.key == "cylinder"))
    assert chosen(library, given, "celadon", every).key == "cylinder"
    inner = given.cards["celadon"].network
    assert inner.cards["placement"].inputs["texcoord"].interface == "texcoord"
    (points,) = seen(stock("drum", "cylinder"))
    plan = build_plan(
        library, given, {"out": CardOutput("celadon", "base_color")}, folder=whole_shed / "materials", strict=True
    )
    before = build_plan(
        library, document, {"out": CardOutput("celadon", "base_color")}, folder=whole_shed / "materials", strict=True
    )
    found, plain = run(plan, points)["out"], run(before, points)["out"]
    assert np.abs(found - plain).mean() > 0.01
    back = with_coordinates(library, given, "celadon", every[0])
    again = run(
        build_plan(library, back, {"out": CardOutput("celadon", "base_color")}, folder=whole_shed / "materials"), points
    )["out"]
    assert np.abs(again - plain).max() < 1e-6


# ---- vertex colours ---------------------------------------------------------------------------


def test_vertex_colours_go_evenly_from_corner_to_corner(library) -> None:
    """Painted as a linear function of the place, they are that function everywhere; a step aside too."""
    mesh = shape("plane")
    place = mesh.positions[mesh.triangles].reshape(-1, 3)
    paint = np.stack([0.5 + place[:, 0], 0.3 - 0.5 * place[:, 2], 0.2 + 0 * place[:, 0], 0.5 + place[:, 2]], axis=1)
    made = replace(mesh, colours={"Col": paint.astype(np.float32)})

    class Given(StockShape):
        def mesh(self) -> Mesh:
            return made

    item = BenchObject(name="it", turn=25.0).model_copy(update={"geometry": Given()})
    points, bare = seen(item, stock("bare", "sphere", place=(0.3, 0, 0)), camera=Camera(distance=2.0))
    found = evaluated(library, points, "geomcolor", {}, "", "color4")
    x, _, z = points.object_position.astype(np.float64)
    assert np.abs(found - np.stack([0.5 + x, 0.3 - 0.5 * z, 0.2 + 0 * x, 0.5 + z])).max() < 1e-4
    there = points.shifted(0)
    x, _, z = there.object_position
    assert np.abs(there.vertex_colour(0)[0] - (0.5 + x)).max() < 1e-4
    assert np.abs(evaluated(library, bare, "geomcolor", {}, "", "color3")).max() == 0
    assert np.abs(evaluated(library, sheet(4, 4), "geomcolor", {}, "", "float")).max() == 0


def test_objects_that_stand_in_several_ways_are_evaluated_together_as_each_alone(library) -> None:
    """Positions, normals, steps and projectors in the object's space, a dozen of them turned, tilted and rolled."""
    rng = np.random.default_rng(9)
    pots = [stock(f"pot {n}", "pot", place=(0.2 * n - 1.3, 0.05, 0), material="m", turn=float(rng.uniform(-180, 180)),
                  tilt=float(rng.uniform(-40, 40)), roll=float(rng.uniform(-40, 40))) for n in range(14)]  # fmt: skip
    bench = Bench(objects=tuple(pots), ground=False, camera=Camera(target=(0, 0.1, 0), distance=3.5))
    scene, size = build_scene(tuple(pots), False), (420, 120)
    (together,) = find_samples(scene, bench.camera, size, edges=False, worn=bench.worn).groups
    apart = find_samples(scene, bench.camera, size, edges=False).groups
    assert len(apart) == 14
    for category, given, output, kind in (
        ("position", {"space": ("string", "object")}, "", "vector3"), ("normal", {"space": ("string", "object")}, "", "vector3"),
        ("tangent", {"space": ("string", "object")}, "", "vector3"),
        ("clg_projector", {"shape": ("integer", 1)}, "uv", "multioutput"),
        ("clg_box_position", {}, "", "vector3"),
        ("transformnormal", {"in": ("vector3", (0.3, 0.5, 0.8)), "fromspace": ("string", "object"), "tospace": ("string", "world")}, "", "vector3"),
        ("viewdirection", {"space": ("string", "object")}, "", "vector3"),
    ):  # fmt: skip
        whole = evaluated(library, together.points, category, given, output, kind)
        numbers = together.points.object_number
        for group in apart:
            alone = evaluated(library, group.points, category, given, output, kind)
            number = int(group.points.object_number[0])
            assert np.abs(whole[:, numbers == number] - alone).max() < 2e-6, category
    steps = together.points.shifted(0).object_position
    for group in apart:
        number = int(group.points.object_number[0])
        assert (
            np.abs(steps[:, together.points.object_number == number] - group.points.shifted(0).object_position).max()
            < 1e-6
        )
