"""Displacement in pictures: closed forms, no tears, patterns that stay, what is picked, and hostile values."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.ndimage import binary_erosion

from collage.core.document.materialx import parse_document
from collage.core.document.model import Network
from collage.core.evaluate.plan import CardOutput
from collage.core.geometry.mesh import Mesh
from collage.core.geometry.stock import shape
from collage.core.images.colour import inverse_curve
from collage.core.render import displacement, relief
from collage.core.render.heights import height_of, words_for
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.scene import displaced
from collage.core.scene.bench import AreaLight, Assigned, Bench, BenchObject, Camera, Division, stock
from collage.core.scene.displaced import Displaced
from collage.core.scene.geometry import StockShape
from collage.core.scene.scene import build_scene

HEIGHTS = {
    "same": '<constant name="h" type="float"><input name="value" type="float" value="1"/></constant>',
    "noise": """<position name="q" type="vector3"/>
        <multiply name="p" type="vector3"><input name="in1" type="vector3" nodename="q"/>
            <input name="in2" type="float" value="9"/></multiply>
        <noise3d name="h" type="float"><input name="position" type="vector3" nodename="p"/></noise3d>""",
    "by uv": '<noise2d name="h" type="float"/>',
    "wave": """<texcoord name="t" type="vector2"/><separate2 name="s" type="multioutput">
            <input name="in" type="vector2" nodename="t"/></separate2>
        <multiply name="a" type="float"><input name="in1" type="float" nodename="s" output="outx"/>
            <input name="in2" type="float" value="6.2831853"/></multiply>
        <sin name="h" type="float"><input name="in" type="float" nodename="a"/></sin>""",
    "fine waves": """<texcoord name="t" type="vector2"/><separate2 name="s" type="multioutput">
            <input name="in" type="vector2" nodename="t"/></separate2>
        <multiply name="a" type="float"><input name="in1" type="float" nodename="s" output="outx"/>
            <input name="in2" type="float" value="251.3"/></multiply>
        <sin name="h" type="float"><input name="in" type="float" nodename="a"/></sin>""",
    "ridge": """<texcoord name="t" type="vector2"/><separate2 name="s" type="multioutput">
            <input name="in" type="vector2" nodename="t"/></separate2>
        <subtract name="a" type="float"><input name="in1" type="float" nodename="s" output="outx"/>
            <input name="in2" type="float" value="0.437"/></subtract>
        <absval name="b" type="float"><input name="in" type="float" nodename="a"/></absval>
        <range name="h" type="float"><input name="in" type="float" nodename="b"/>
            <input name="inlow" type="float" value="0.02"/><input name="inhigh" type="float" value="0"/>
            <input name="doclamp" type="boolean" value="true"/></range>""",
    "no number": """<constant name="c" type="float"><input name="value" type="float" value="0"/></constant>
        <texcoord name="t" type="vector2"/><separate2 name="s" type="multioutput">
            <input name="in" type="vector2" nodename="t"/></separate2>
        <multiply name="z" type="float"><input name="in1" type="float" nodename="s" output="outx"/>
            <input name="in2" type="float" nodename="c"/></multiply>
        <divide name="h" type="float"><input name="in1" type="float" nodename="z"/>
            <input name="in2" type="float" nodename="z"/></divide>""",
    "sideways": """<texcoord name="t" type="vector2"/><separate2 name="s" type="multioutput">
            <input name="in" type="vector2" nodename="t"/></separate2>
        <multiply name="x" type="float"><input name="in1" type="float" nodename="s" output="outx"/>
            <input name="in2" type="float" value="0"/></multiply>
        <add name="one" type="float"><input name="in1" type="float" nodename="x"/>
            <input name="in2" type="float" value="1"/></add>
        <combine3 name="h" type="vector3"><input name="in1" type="float" nodename="one"/>
            <input name="in2" type="float" nodename="x"/><input name="in3" type="float" nodename="x"/></combine3>""",
}


def material(height: str, scale: float) -> Network:
    kind = "vector3" if height == "sideways" else "float"
    return parse_document(
        f"""<materialx version="1.39">{HEIGHTS[height]}
        <position name="where" type="vector3"/>
        <open_pbr_surface name="surface" type="surfaceshader"/>
        <displacement name="d" type="displacementshader">
            <input name="displacement" type="{kind}" nodename="h"/><input name="scale" type="float" value="{scale}"/>
        </displacement>
        <surfacematerial name="m" type="material"><input name="surfaceshader" type="surfaceshader" nodename="surface"/>
            <input name="displacementshader" type="displacementshader" nodename="d"/></surfacematerial>
        </materialx>""".encode()
    )


def bench_of(*objects: BenchObject, **more) -> Bench:
    return Bench(**{"objects": objects, "lights": (AreaLight(),), "camera": Camera(height=20, distance=1.2), **more})


def request(bench: Bench, height: str = "noise", scale: float = 0.02, **more) -> PictureRequest:
    return PictureRequest(bench, {"m": material(height, scale)}, **{"width": 80, "height": 60, **more})


@pytest.fixture
def renderer(library) -> Renderer:
    return Renderer(library)


def made(renderer: Renderer, asked: PictureRequest) -> Displaced:
    (found,) = renderer.reliefs.of(asked).objects.values()
    return found


@pytest.mark.parametrize(("space", "wanted"), [(0, "tangent"), (1, "object"), (2, "world")])
@pytest.mark.parametrize("signed", [False, True])
def test_vectors_of_any_space_move_the_surface_that_way(renderer, space: int, wanted: str, signed: bool) -> None:
    """One sixth of a metre by two by minus three sixths, of an object that is turned."""
    vector = np.array([1, 2, -3]) / 6
    stored = vector if signed else vector / 2 + 0.5
    network = parse_document(
        f"""<materialx version="1.39"><clg_vector_relief name="h" type="vector3">
            <input name="in" type="vector3" value="{", ".join(map(str, stored))}"/>
            <input name="space" type="integer" value="{space}"/>
            <input name="signed" type="boolean" value="{str(signed).lower()}"/>
            <input name="depth" type="float" value="0.03"/></clg_vector_relief>
        <open_pbr_surface name="surface" type="surfaceshader"/>
        <displacement name="d" type="displacementshader"><input name="displacement" type="vector3" nodename="h"/>
        </displacement>
        <surfacematerial name="m" type="material"><input name="surfaceshader" type="surfaceshader" nodename="surface"/>
            <input name="displacementshader" type="displacementshader" nodename="d"/></surfacematerial>
        </materialx>""".encode()
    )
    ball = stock("Ball", "sphere", material="m", turn=35, tilt=20, sizes={"segments": 24}, division=Division(level=0))
    found = made(renderer, PictureRequest(bench_of(ball), {"m": network}, 80, 60))
    gone = found.mesh.positions - found.rest
    if wanted == "tangent":  # by how much along the normal, at the equator where tangents are plain
        corner = found.mesh.triangles.ravel()
        along = (gone[corner] * found.rest_normals).sum(axis=1)
        assert np.median(along) == pytest.approx(0.03 * vector[2], abs=1e-4)
        return
    turn = ball.matrix().T if wanted == "world" else np.eye(3)
    inner = np.abs(found.rest[:, 1] - found.rest[:, 1].mean()) < 0.09  # at the poles several tangents meet
    assert np.abs(gone - 0.03 * vector @ turn)[inner].max() < 1e-5


def volume_of(found: Displaced) -> float:
    p = found.mesh.positions[found.mesh.triangles].astype(float)
    return float(np.einsum("ij,ij->i", p[:, 0], np.cross(p[:, 1], p[:, 2])).sum() / 6)


def open_edges(found: Displaced) -> int:
    t = found.mesh.triangles
    ends = np.sort(np.concatenate([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]]), axis=1)
    _, count = np.unique(ends, axis=0, return_counts=True)
    return int((count != 2).sum())


def test_a_sphere_grows_by_as_much_as_is_asked(renderer) -> None:
    ball = stock("Ball", "sphere", material="m", sizes={"segments": 64}, division=Division(level=2, smooth=False))
    before = ball.mesh()
    middle = (before.bounds[0] + before.bounds[1]) / 2
    radius = float(np.linalg.norm(before.positions - middle, axis=1).mean())
    found = made(renderer, request(bench_of(ball), "same", 0.05))
    away = found.mesh.positions - middle
    wanted = 4 / 3 * np.pi * (radius + 0.05) ** 3
    shifted = found
    assert volume_of(shifted) == pytest.approx(wanted, rel=0.005)
    corner = found.mesh.triangles.ravel()
    radial = away[corner] / np.linalg.norm(away[corner], axis=1, keepdims=True)
    assert np.degrees(np.arccos(np.clip((radial * found.mesh.normals).sum(axis=1), -1, 1))).mean() < 1


def test_heights_are_those_of_the_network_and_normals_those_of_the_surface(renderer) -> None:
    sheet = stock("Sheet", "plane", material="m", division=Division(level=4))
    found = made(renderer, request(bench_of(sheet), "wave", 0.01))
    corner, uv = found.mesh.triangles.ravel(), found.mesh.uv["UVMap"]
    raised = found.mesh.positions[corner, 1] - found.rest[corner, 1]
    assert np.abs(raised - 0.01 * np.sin(2 * np.pi * uv[:, 0])).max() < 1e-5
    width = float(np.ptp(found.rest[:, 0]))
    slope = 0.01 * 2 * np.pi / width * np.cos(2 * np.pi * uv[:, 0])
    wanted = np.stack([-slope, np.ones_like(slope), 0 * slope], axis=1)
    wanted /= np.linalg.norm(wanted, axis=1, keepdims=True)
    inner = (np.abs(uv - 0.5) < 0.48).all(axis=1)
    error = np.degrees(np.arccos(np.clip((wanted * found.mesh.normals).sum(axis=1), -1, 1)))
    assert error[inner].mean() < 0.1


def test_a_vector_goes_along_the_tangent(renderer) -> None:
    sheet = stock("Sheet", "plane", material="m", division=Division(level=0))
    found = made(renderer, request(bench_of(sheet), "sideways", 0.03))
    rest = found.rest
    assert np.allclose(found.mesh.positions - rest, [0.03, 0, 0], atol=1e-6)


@pytest.mark.parametrize("height", ["noise", "by uv"])
@pytest.mark.parametrize("name", ["sphere", "pot", "cylinder", "rounded box", "ring"])
def test_closed_shapes_stay_closed_over_seams_and_hard_edges(renderer, name: str, height: str) -> None:
    item = stock("One", name, material="m", division=Division(level=1))
    found = made(renderer, request(bench_of(item), height, 0.03))
    assert open_edges(found) == 0
    assert not np.allclose(found.mesh.positions, found.rest, atol=1e-3)
    assert np.isfinite(found.mesh.normals).all()


def test_patterns_stay_where_they_were(renderer) -> None:
    sheet = stock("Sheet", "plane", material="m")
    bench = Bench(objects=(sheet,), camera=Camera(height=89.9, distance=1.0), ground=False)
    asked = request(bench, "same", 0.1, peek=("m", CardOutput("where")))
    flat = PictureRequest(bench, {"m": material("same", 0.0)}, 80, 60, peek=("m", CardOutput("where")))
    raised, plain = renderer.picture(asked), renderer.picture(flat).linear
    seen = np.zeros((60, 80), bool)
    seen[22:38, 25:55] = (raised.objects == 0)[22:38, 25:55]
    assert seen.sum() > 400
    assert np.abs(raised.linear[seen][:, 1]).max() < 1e-4, "the height is that of the surface as it was"
    assert 0 < raised.linear[30, 60, 0] < 0.95 * plain[30, 60, 0], "nearer to the eye, a place is seen further out"


def test_the_silhouette_changes_and_what_is_picked_is_as_before(renderer) -> None:
    ball = stock("Ball", "sphere", material="m", division=Division(level=1))
    side = stock("Side", "sphere", place=(0.4, 0, 0), material="plain")
    flat = renderer.picture(request(bench_of(ball, side), "same", 0.0))
    grown = renderer.picture(request(bench_of(ball, side), "same", 0.04))
    assert (grown.objects == 0).sum() > 1.2 * (flat.objects == 0).sum()
    assert grown.remarks == ()
    triangles = [len(one.mesh().triangles) for one in (ball, side)]
    assert grown.ids.shape == flat.ids.shape == (5, sum(triangles) + 2 + 1)
    own = grown.triangle[grown.objects == 1]
    assert own.min() >= triangles[0]
    assert own.max() < sum(triangles)


def test_a_part_of_another_material_stays_and_the_border_hangs_together(renderer) -> None:
    planks = stock("Planks", "planks", sizes={"count": 3}, material="plain", division=Division(level=0))
    planks = planks.model_copy(update={"assigned": (Assigned(by="part", name="Plank 2", material="m"),)})
    found = made(renderer, request(bench_of(planks), "same", 0.02))
    gone = np.linalg.norm(found.mesh.positions - found.rest, axis=1)
    part = found.mesh.ids[0]
    for number in range(3):
        own = gone[found.mesh.triangles[part == number]]
        assert (own.max() > 0.01) == (number == 1)


def test_the_hand_sees_a_coarse_one_until_the_fine_one_is_there(renderer) -> None:
    bench = bench_of(stock("Ball", "sphere", material="m"))
    coarse = made(renderer, request(bench, "fine waves", quality="coarse"))
    fine = made(renderer, request(bench, "fine waves"))
    assert len(coarse.mesh.triangles) * 2 < len(fine.mesh.triangles)
    assert made(renderer, request(bench, "fine waves", quality="coarse")) is fine
    assert made(renderer, request(bench, "noise", 0.021, quality="coarse")).key != coarse.key


def test_nothing_at_all_looks_as_without(renderer) -> None:
    ball = stock("Ball", "sphere", material="m", division=Division(level=0))
    none = renderer.picture(request(bench_of(ball), "noise", 0.0))
    network = material("noise", 0.0)
    bare = network.with_card(
        replace(network.cards["m"], inputs={"surfaceshader": network.cards["m"].inputs["surfaceshader"]})
    )
    plain = renderer.picture(PictureRequest(bench_of(ball), {"m": bare}, 80, 60))
    assert np.abs(none.display.astype(int) - plain.display).max() <= 2


@pytest.mark.parametrize(
    ("height", "scale", "told"),
    [
        ("no number", 1.0, "no number"),
        ("noise", 1e9, "cut off"),
        ("noise", float("inf"), ""),
        ("by uv", -1e30, "cut off"),
    ],
)
def test_hostile_values_are_told_and_bounded(renderer, height: str, scale: float, told: str) -> None:
    ball = stock("Ball", "sphere", material="m", sizes={"segments": 16})
    found = renderer.reliefs.of(request(bench_of(ball), height, scale))
    (one,) = found.objects.values()
    assert any(told in text for text in found.remarks)
    reach = float(np.linalg.norm(np.ptp(one.rest, axis=0)))
    assert np.linalg.norm(one.mesh.positions - one.rest, axis=1).max() <= 1.001 * reach
    assert np.isfinite(renderer.picture(request(bench_of(ball), height, scale)).linear).all()


def test_faces_that_are_too_large_for_the_height_are_told(renderer) -> None:
    """Forty waves over sixteen faces, and over two hundred and fifty-six."""
    for level, missed in ((0, True), (4, False)):
        sheet = stock("Sheet", "plane", material="m", division=Division(level=level))
        remarks = renderer.reliefs.of(request(bench_of(sheet), "fine waves")).remarks
        assert any("finer than its faces" in text for text in remarks) == missed
    for name, height in (("sphere", "noise"), ("plane", "same")):
        assert not renderer.reliefs.of(request(bench_of(stock("One", name, material="m")), height)).remarks


def test_a_mesh_that_is_coarse_for_a_moving_hand_alone_is_not_told(renderer) -> None:
    """Before the picture at rest is there it would be; one whose faces are as they were asked for is told always."""
    waved = bench_of(stock("Sheet", "plane", material="m", sizes={"divisions": 4}))
    moving = replace(request(waved, "fine waves"), quality="coarse")
    assert any("finer than its faces" in text for text in renderer.reliefs.of(moving, enough=12_000).remarks)
    renderer.caches.clear()
    assert not renderer.reliefs.of(moving).remarks
    fixed = bench_of(stock("Sheet", "plane", material="m", division=Division(level=0)))
    asked = replace(request(fixed, "fine waves"), quality="coarse")
    assert any("finer than its faces" in text for text in renderer.reliefs.of(asked).remarks)


def test_division_stops_at_what_fits(renderer, monkeypatch) -> None:
    monkeypatch.setattr(displaced, "MOST_TRIANGLES", 200_000)
    pot = stock("Pot", "pot", material="m", division=Division(level=8))
    found = renderer.reliefs.of(request(bench_of(pot)))
    (one,) = found.objects.values()
    assert 50_000 < len(one.mesh.triangles) <= 200_000
    assert any("too many faces" in text for text in found.remarks)


def normals_of(renderer: Renderer, item: BenchObject, height: str, scale: float) -> tuple[np.ndarray, np.ndarray]:
    """(h, w, 3) normals that light falls on, and where the object is, away from its edges."""
    width = 1280 if height == "fine waves" else 240  # a wave takes some pixels
    asked = PictureRequest(
        bench_of(item, ground=False), {"m": material(height, scale)}, width, width * 3 // 4, mode="normals"
    )
    found = renderer.picture(asked)
    stored = inverse_curve("srgb_texture")(found.linear) * 2 - 1
    where = binary_erosion(found.objects == 0, iterations=3)
    return stored / np.maximum(np.linalg.norm(stored, axis=-1, keepdims=True), 1e-6), where


@pytest.mark.parametrize(
    ("name", "level", "height", "scale", "most"),
    [
        ("plane", 6, "noise", 0.01, 0.5), ("sphere", 2, "noise", 0.01, 2.0), ("cylinder", 2, "by uv", 0.01, 2.0),
        ("rounded box", 2, "noise", 0.01, 2.0), ("ring", 2, "noise", 0.003, 4.0),
    ],
)  # fmt: skip
def test_what_is_finer_than_the_mesh_is_shaded_as_in_a_finely_divided_one(
    library, monkeypatch, name: str, level: int, height: str, scale: float, most: float
) -> None:
    """Against the normals of a mesh fine enough to hold all of it, with nothing of the kind."""
    coarse = stock("It", name, material="m", division=Division(level=1, smooth=False))
    found, here = normals_of(Renderer(library), coarse, height, scale)
    monkeypatch.setattr(relief, "with_slopes", lambda network: (network, {}))
    finely = coarse.model_copy(update={"division": Division(level=level, smooth=False)})
    wanted, there = normals_of(Renderer(library), finely, height, scale)
    both = here & there
    assert both.sum() > 500
    angle = np.degrees(np.arccos(np.clip((found * wanted).sum(axis=-1)[both], -1, 1)))
    assert angle.mean() < most


def test_fine_relief_is_worked_out_anew_when_the_height_changes(renderer) -> None:
    item = stock("It", "plane", material="m", division=Division(level=1))
    first, _ = normals_of(renderer, item, "fine waves", 0.0002)
    second, where = normals_of(renderer, item, "fine waves", 0.0004)
    again, _ = normals_of(renderer, item, "fine waves", 0.0002)
    assert np.array_equal(first, again)
    assert np.abs(first - second)[where].mean() > 0.02
    slopes = [np.abs(one[..., 0] / one[..., 1])[where].mean() for one in (first, second)]
    assert slopes[1] == pytest.approx(2 * slopes[0], rel=0.05)


def test_slopes_of_fine_waves_are_those_of_their_derivative(renderer) -> None:
    """Over all of a sheet, whose faces hold nothing of them; steps of a pixel flatten waves of eight by a twentieth."""
    sheet = stock("It", "plane", material="m", division=Division(level=1, smooth=False))
    found, where = normals_of(renderer, sheet, "fine waves", 0.0005)
    width = float(np.ptp(sheet.mesh().positions[:, 0]))
    slope = (found[..., 0] / found[..., 1])[where]
    assert np.sqrt((slope**2).mean()) == pytest.approx(0.0005 * 251.3 / width / np.sqrt(2), rel=0.08)
    assert np.abs((found[..., 2] / found[..., 1])[where]).max() < 0.02


def error_of(found: Displaced) -> float:
    """How far a sheet with the ridge is beside it, in the mean over the sheet, metres."""
    rng, mesh = np.random.default_rng(2), found.mesh
    share = rng.dirichlet((1, 1, 1), (len(mesh.triangles), 24))
    uv = np.einsum("tsk,tkc->tsc", share, mesh.uv["UVMap"].reshape(-1, 3, 2).astype(float))
    high = np.einsum("tsk,tk->ts", share, (mesh.positions - found.rest)[mesh.triangles][..., 1].astype(float))
    exact = 0.02 * np.clip(1 - np.abs(uv[..., 0] - 0.437) / 0.02, 0, 1)
    p = found.rest[mesh.triangles].astype(float)
    area = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1)
    return float(((high - exact) ** 2).mean(axis=1) @ area / area.sum()) ** 0.5


def test_triangles_go_where_the_height_asks_for_them(renderer, monkeypatch) -> None:
    """A ridge on a sheet: as near to it as an even division of at least three times as many triangles; and whole."""
    monkeypatch.setattr(relief, "BEGINNING", 600)
    sheet = stock("Sheet", "plane", material="m")
    found = made(renderer, request(bench_of(sheet), "ridge", quality="final"))
    evenly = [sheet.model_copy(update={"division": Division(level=level)}) for level in range(1, 5)]
    every = [made(renderer, request(bench_of(one), "ridge")) for one in evenly]
    as_near = next((one for one in every if error_of(one) <= 1.05 * error_of(found)), every[-1])
    assert error_of(found) < 0.02 * 0.02
    assert 3 * len(found.mesh.triangles) <= len(as_near.mesh.triangles)
    t = found.mesh.triangles
    ends = np.sort(np.concatenate([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]]), axis=1)
    _, count = np.unique(ends, axis=0, return_counts=True)
    border = np.abs(found.rest[:, [0, 2]]).max(axis=1) > 0.1999
    lone = np.unique(ends, axis=0)[count == 1]
    assert border[lone].all(), "open along the border alone"


def test_division_where_it_is_asked_for_stays_within_its_budget(renderer, monkeypatch) -> None:
    monkeypatch.setattr(relief, "BEGINNING", 3000)
    monkeypatch.setattr(displacement, "ENOUGH", 9000)
    ball = stock("Ball", "sphere", material="m", sizes={"segments": 24})
    found = made(renderer, request(bench_of(ball), "fine waves", 0.01))
    assert 6000 < len(found.mesh.triangles) <= 9000
    assert open_edges(found) == 0


def torn_apart(rng: np.random.Generator, mesh: Mesh) -> Mesh:
    """The mesh with islands of its own: each connected run of faces lies somewhere else in UV, turned and mirrored."""
    centre = mesh.positions[mesh.triangles].mean(axis=1)
    seeds = centre[rng.integers(0, len(centre), 7)]
    island = np.repeat(np.linalg.norm(centre[:, None] - seeds, axis=2).argmin(axis=1), 3)
    place = mesh.positions[mesh.triangles.ravel()].astype(float)
    uv = np.empty((len(place), 2))
    for number in range(7):
        here, axes = island == number, rng.normal(0, 4, (3, 2))
        uv[here] = place[here] @ axes + rng.random(2)
    return Mesh(mesh.positions, mesh.triangles, mesh.normals, {"UVMap": uv.astype(np.float32)}, face=mesh.face)


CLOSED = ("sphere", "rounded box", "cylinder", "ring")


@pytest.mark.parametrize("seed", range(50))
def test_no_ray_from_inside_gets_out_of_a_mesh_with_seams(renderer, monkeypatch, seed: int) -> None:
    """Islands at random: heights differ on the two sides of every seam, and still nothing opens."""
    monkeypatch.setattr(relief, "BEGINNING", 3000)
    rng = np.random.default_rng(seed)
    ready = torn_apart(rng, shape(CLOSED[seed % 4], **({"segments": 16} if seed % 4 != 1 else {"divisions": 6})))

    class Given(StockShape):
        def mesh(self) -> Mesh:
            return ready

    level = None if seed % 3 == 0 else int(rng.integers(0, 3))
    item = BenchObject(name="it", material="m", division=Division(level=level, smooth=bool(seed % 2)))
    item = item.model_copy(update={"geometry": Given(shape=f"torn {seed}")})
    found = made(renderer, request(bench_of(item), "by uv", 0.004))
    assert open_edges(found) == 0
    corner = ready.positions[ready.triangles[rng.integers(0, len(ready.triangles))]].mean(axis=0)
    inward = -ready.face_normals[
        int(np.argmin(np.linalg.norm(ready.positions[ready.triangles].mean(axis=1) - corner, axis=1)))
    ]
    start = (corner + 0.012 * inward).astype(np.float32)
    scene = build_scene((item,), False, displaced={0: found})
    ways = rng.normal(size=(2000, 3)).astype(np.float32)
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    assert (scene.nearest(np.tile(start, (2000, 1)), ways).triangle >= 0).all()


def test_the_view_of_heights_is_in_metres(renderer) -> None:
    """A sheet with one wave of a centimetre: each pixel says how high it is there."""
    sheet = stock("Sheet", "plane", material="m", division=Division(level=4, smooth=False))
    asked = request(bench_of(sheet, ground=False), "wave", 0.01, mode="height")
    found = renderer.picture(asked)
    assert found.span == pytest.approx((-0.01, 0.01), rel=1e-3)
    on_it = np.argwhere(binary_erosion(found.objects == 0))
    read = np.array([height_of(found.linear[y, x, 0], found.span) for y, x in on_it])
    view = renderer.view(asked, renderer.reliefs.of(asked), (0.0, 0.0), lambda: False)
    group = view.samples.groups[0]
    u = dict(zip(view.samples.pixel[group.start : group.stop], group.points.uv["UVMap"][0], strict=True))
    wanted = 0.01 * np.sin(2 * np.pi * np.array([u[y * 80 + x] for y, x in on_it]))
    assert np.abs(read - wanted).max() < 1e-4


def test_the_view_of_heights_without_any_is_even(renderer) -> None:
    asked = request(bench_of(stock("Ball", "sphere", material="m"), ground=False), "same", 0.0, mode="height")
    found = renderer.picture(asked)
    assert found.span == (-5e-4, 5e-4)
    read = [height_of(grey, found.span) for grey in found.linear[binary_erosion(found.objects == 0)][:, 0]]
    assert np.abs(read).max() < 1e-5


@pytest.mark.parametrize(("metres", "words"), [(0.0123, "+12.30 mm"), (-0.0042, "−4.20 mm"), (0.0, "+0.00 mm")])
def test_heights_are_told_in_millimetres(metres: float, words: str) -> None:
    assert words_for(metres) == words


@pytest.mark.parametrize("corners", [
    [[0, 0, 0], [0, 0, 0], [0, 0, 0]], [[0, 0, 0], [1, 0, 0], [2, 0, 0]], [[0, 0, 0], [0.1, 0, 0], [0, 0.1, 0]], [],
])  # fmt: skip
@pytest.mark.parametrize(("height", "scale"), [("noise", 0.01), ("fine waves", 1e9), ("no number", 1.0)])
def test_hostile_meshes_are_divided_without_harm(
    renderer, corners: list[list[float]], height: str, scale: float
) -> None:
    """A point, a line, one triangle and none at all, divided where the height asks for it and smoothed."""
    places = np.array(corners, np.float32).reshape(-1, 3)
    count = len(places) // 3
    triangles = np.arange(3 * count, dtype=np.int32).reshape(-1, 3)
    ready = Mesh(places, triangles, np.tile([0.0, 0, 1], (3 * count, 1)), {"UVMap": places[:, :2]})

    class Given(StockShape):
        def mesh(self) -> Mesh:
            return ready

    for division in (Division(), Division(level=8), Division(level=2, smooth=True, crease=0, hold_borders=True)):
        item = BenchObject(name="it", material="m", division=division)
        item = item.model_copy(update={"geometry": Given(shape=f"hostile {len(corners)} {places.sum()}")})
        found = renderer.picture(request(bench_of(item), height, scale))
        assert np.isfinite(found.linear).all()


def two_waves(broad: float, fine: float, depths: tuple[float, float]) -> Network:
    """Waves along u of two lengths, metres on a sheet 0.4 wide."""
    terms = "".join(
        f"""<multiply name="a{at}" type="float"><input name="in1" type="float" nodename="s" output="outx"/>
            <input name="in2" type="float" value="{2 * np.pi * 0.4 / length}"/></multiply>
        <sin name="w{at}" type="float"><input name="in" type="float" nodename="a{at}"/></sin>
        <multiply name="d{at}" type="float"><input name="in1" type="float" nodename="w{at}"/>
            <input name="in2" type="float" value="{depth}"/></multiply>"""
        for at, (length, depth) in enumerate(zip((broad, fine), depths, strict=True))
    )
    return parse_document(
        f"""<materialx version="1.39"><texcoord name="t" type="vector2"/>
        <separate2 name="s" type="multioutput"><input name="in" type="vector2" nodename="t"/></separate2>{terms}
        <add name="h" type="float"><input name="in1" type="float" nodename="d0"/>
            <input name="in2" type="float" nodename="d1"/></add>
        <open_pbr_surface name="surface" type="surfaceshader"/>
        <displacement name="d" type="displacementshader"><input name="displacement" type="float" nodename="h"/>
        </displacement>
        <surfacematerial name="m" type="material"><input name="surfaceshader" type="surfaceshader" nodename="surface"/>
            <input name="displacementshader" type="displacementshader" nodename="d"/></surfacematerial>
        </materialx>""".encode()
    )


def test_with_a_detail_broad_forms_move_the_surface_and_fine_ones_are_seen_in_the_light(renderer) -> None:
    """As high as a Gaussian of a quarter of the detail leaves them; the light sees the slopes of both."""
    broad, fine, depths, detail = 0.1, 0.004, (0.004, 0.0002), 0.02
    network = two_waves(broad, fine, depths)
    sheet = stock("Sheet", "plane", material="m", sizes={"width": 0.4, "depth": 0.4}, division=Division(detail=detail))
    camera = Camera(turn=0, height=89.9, distance=1, target=(0, 0, 0), field=10)
    asked = PictureRequest(Bench(objects=(sheet,), camera=camera, ground=False), {"m": network}, 400, 400,
                           mode="normals")  # fmt: skip
    found = made(renderer, asked)
    corner, u = found.mesh.triangles.ravel(), found.mesh.uv["UVMap"][:, 0] * 0.4
    inner = np.abs(u - 0.2) < 0.17
    raised = found.mesh.positions[corner, 1]
    left = np.exp(-2 * (np.pi * 0.25 * detail / broad) ** 2)
    assert np.abs(raised - left * depths[0] * np.sin(2 * np.pi * u / broad))[inner].max() < 0.03 * depths[0]
    broader = sheet.model_copy(update={"division": Division(detail=0.05)})
    less = made(renderer, replace(asked, bench=asked.bench.model_copy(update={"objects": (broader,)})))
    assert len(less.mesh.triangles) <= len(found.mesh.triangles) / 3
    picture = renderer.picture(asked)
    normal = linear_of(picture)[200, 100:300]
    x = (np.arange(100, 300) + 0.5 - 200) / asked.bench.camera.focal_length(400, 400)
    u = x + 0.2
    slope = sum(
        depth * 2 * np.pi / length * np.cos(2 * np.pi * u / length)
        for length, depth in zip((broad, fine), depths, strict=True)
    )
    lean = np.degrees(np.arctan2(-normal[:, 0], normal[:, 1]) - np.arctan(slope))
    assert np.abs(lean).mean() < 2
    assert np.degrees(np.arctan(np.abs(slope))).mean() > 8


def linear_of(picture) -> np.ndarray:
    """(h, w, 3) the normals that a picture of normals shows."""
    return inverse_curve("srgb_texture")(picture.linear) * 2 - 1
