"""Baked maps against closed forms: read back on the light mesh, on another tangent basis, and as numbers."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from collage.core.bake.baking import baking, made_ready
from collage.core.bake.files import BakedFiles, baking_files
from collage.core.bake.recipe import MAPS, Bake
from collage.core.bake.source import source_of
from collage.core.bake.target import at_places, target_of
from collage.core.bake.texels import Strip, strips
from collage.core.bake.tile import padded
from collage.core.base.errors import CollageError
from collage.core.base.progress import finished
from collage.core.document.materialx import parse_document
from collage.core.document.model import Network
from collage.core.images.files import read_pixels
from collage.core.images.made import make_again, read_record, record_path
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.render.samples import find_hits
from collage.core.scene.bench import Bench, BenchObject, Division, stock
from collage.core.scene.geometry import MeshFile, MeshReading, UvSet

RADIUS = 0.1


@pytest.fixture
def renderer(library) -> Renderer:
    return Renderer(library)


def request_of(*objects: BenchObject, **materials: Network) -> PictureRequest:
    return PictureRequest(Bench(objects=objects), materials, 64, 64)


def ball(name: str, segments: int, **more) -> BenchObject:
    return stock(name, "sphere", sizes={"segments": segments, "radius": RADIUS}, **more)


def half_mirrored(item: BenchObject, folder: Path) -> BenchObject:
    """An object whose islands on the right half of the tile are mirrored, where they lie."""
    uv = next(iter(item.mesh().uv.values())).reshape(-1, 3, 2).copy()
    right = (uv[:, :, 0] >= 0.5 - 1e-6).all(axis=1)
    uv[right, :, 0] = 1.5 - uv[right, :, 0]
    path = folder / "mirrored.npy"
    np.save(path, np.ascontiguousarray(uv.reshape(-1, 2), np.float32))
    return item.model_copy(update={"uv_sets": (UvSet(name="mirrored", file=str(path)),)})


def of_file(name: str, path: Path, text: str, **more) -> BenchObject:
    path.write_text(text)
    return BenchObject(name=name, geometry=MeshFile(reading=MeshReading(file=str(path))), **more)


def baked(renderer: Renderer, asked: PictureRequest, folder: Path, **how) -> BakedFiles:
    return finished(baking_files(renderer, asked, Bake(**how), folder, "made"))


def reading(path: Path, space: str = "tangent") -> Network:
    """A material with the normal map."""
    convert = (
        '<normalmap name="n" type="vector3"><input name="in" type="vector3" nodename="i"/></normalmap>'
        if space == "tangent"
        else """<multiply name="d" type="vector3"><input name="in1" type="vector3" nodename="i"/>
            <input name="in2" type="float" value="2"/></multiply>
        <subtract name="s" type="vector3"><input name="in1" type="vector3" nodename="d"/>
            <input name="in2" type="float" value="1"/></subtract>
        <transformnormal name="n" type="vector3"><input name="in" type="vector3" nodename="s"/>
            <input name="fromspace" type="string" value="object"/>
            <input name="tospace" type="string" value="world"/></transformnormal>"""
    )
    return parse_document(
        f"""<materialx version="1.39"><image name="i" type="vector3">
            <input name="file" type="filename" value="{path}"/></image>{convert}
        <open_pbr_surface name="surface" type="surfaceshader">
            <input name="geometry_normal" type="vector3" nodename="n"/></open_pbr_surface>
        <surfacematerial name="m" type="material"><input name="surfaceshader" type="surfaceshader" nodename="surface"/>
        </surfacematerial></materialx>""".encode()
    )


def seen(renderer: Renderer, item: BenchObject, material: Network) -> tuple[np.ndarray, np.ndarray]:
    """Places (n, 3) all over an object, as rays from all sides meet it, and the normals (n, 3) that light falls on."""
    source = source_of(renderer, request_of(item, m=material), item.model_copy(update={"material": "m"}))
    ways = np.random.default_rng(3).normal(size=(20_000, 3)).astype(np.float32)
    ways /= np.linalg.norm(ways, axis=1, keepdims=True)
    middle = (source.scene.bounds[0] + source.scene.bounds[1]).astype(np.float32) / 2
    found = find_hits(source.scene, middle + ways, -ways, 2.0, 1e-4)
    (group,) = found.groups
    return group.points.position.T - middle, source.normals(group.points, 0).T


def degrees_between(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    one, other = (a / np.linalg.norm(a, axis=1, keepdims=True) for a in (one.astype(float), other.astype(float)))
    return np.degrees(np.arccos(np.clip((one * other).sum(axis=1), -1, 1)))


@pytest.mark.parametrize(("form", "most"), [("png16", 0.5), ("png8", 1.0), ("exr", 0.5)])
@pytest.mark.parametrize("space", ["tangent", "object"])
def test_a_ball_s_normals_come_back_through_a_baked_map(renderer, tmp_path, form, most, space) -> None:
    light = half_mirrored(ball("light", 16, turn=35, place=(0.3, 0, 0)), tmp_path)
    made = baked(renderer, request_of(light, ball("dense", 192, place=(5, 5, 5))), tmp_path, target="light",
                 source="dense", size=512, form=form, space=space)  # fmt: skip
    assert made.missed is None
    assert made.remarks == ()
    place, normal = seen(renderer, light, reading(made.paths[0], space))
    error = degrees_between(normal, place)
    facets = degrees_between(seen(renderer, light, Network())[1], place)
    assert error.mean() < most
    assert facets.mean() > 0.05  # there was something to mend
    assert np.quantile(error, 0.99) < 3


def test_a_map_read_on_another_tangent_basis_gives_nearly_the_same_light(renderer, tmp_path) -> None:
    """On that of the standard's reference: tangents of triangles summed up at each vertex (E. Lengyel, Computing
    tangent space basis vectors for an arbitrary mesh, 2001), laid across the normal."""
    light = ball("light", 48)
    made = baked(renderer, request_of(light, bumpy(tmp_path)), tmp_path, target="light", source="bumpy", size=512)
    pixels = read_pixels(made.paths[0]).astype(float) / 65535 * 2 - 1
    target = target_of(light, "", True)
    mesh, lit = target.mesh, []
    uv, along_u = target.uv, np.repeat(mesh.gradients[0].astype(float), 3, axis=0)
    key = np.unique(np.concatenate([np.repeat(mesh.positions, 1, axis=0)[mesh.triangles.ravel()], uv], axis=1),
                    axis=0, return_inverse=True)[1].ravel()  # fmt: skip
    total = np.stack([np.bincount(key, along_u[:, axis]) for axis in range(3)], axis=1)[key]
    tangents = total - mesh.normals * (total * mesh.normals).sum(axis=1, keepdims=True)
    tangents /= np.linalg.norm(tangents, axis=1, keepdims=True)
    sun = np.array([0.5, 0.6, 0.4]) / np.linalg.norm([0.5, 0.6, 0.4])
    for strip in strips(target.uv, (0, 0), 512, 1):
        places = target.places(strip)
        inside = np.abs(places.position[:, 1] - RADIUS) < 0.85 * RADIUS  # at the poles u has no direction
        n = at_places(mesh.normals.astype(float), strip)
        n /= np.linalg.norm(n, axis=1, keepdims=True)
        t = at_places(tangents, strip)
        t = t - n * (t * n).sum(axis=1, keepdims=True)
        t /= np.linalg.norm(t, axis=1, keepdims=True)
        side = np.sign((np.cross(n, t) * mesh.gradients[1][strip.triangle]).sum(axis=1, keepdims=True))
        texel = pixels.reshape(-1, 3)[strip.texel]
        world = t * texel[:, :1] + np.cross(n, t) * side * texel[:, 1:2] + n * texel[:, 2:]
        own = places.tangent * texel[:, :1] + places.bitangent * texel[:, 1:2] + places.normal * texel[:, 2:]
        lit.append(np.stack([np.maximum(world @ sun, 0), np.maximum(own @ sun, 0)], axis=1)[inside])
    theirs, ours = np.concatenate(lit).T
    assert ours.mean() > 0.1
    assert np.abs(theirs - ours).mean() / ours.mean() < 0.02


def bumpy(folder: Path) -> BenchObject:
    """A ball with bumps of its own, as a file."""
    mesh = ball("dense", 192).mesh()
    middle = np.array([0, RADIUS, 0]) if mesh.bounds[0][1] > -1e-6 else np.zeros(3)
    way = mesh.positions - middle
    wave = np.prod(np.sin(way * 60), axis=1, keepdims=True)
    places = middle + way * (1 + 0.02 * wave)
    lines = [f"v {x:.7f} {y:.7f} {z:.7f}" for x, y, z in places]
    lines += [f"f {a} {b} {c}" for a, b, c in mesh.triangles + 1]
    return of_file("bumpy", folder / "bumpy.obj", "\n".join(lines))


WAVES, DEEP = 3, 0.004


def wavy(bump: bool = False) -> Network:
    """A wave along u, displaced or as bump."""
    height = f"""<texcoord name="t" type="vector2"/>
        <separate2 name="s" type="multioutput"><input name="in" type="vector2" nodename="t"/></separate2>
        <multiply name="a" type="float"><input name="in1" type="float" nodename="s" output="outx"/>
            <input name="in2" type="float" value="{2 * np.pi * WAVES}"/></multiply>
        <sin name="h" type="float"><input name="in" type="float" nodename="a"/></sin>"""
    surface = '<open_pbr_surface name="surface" type="surfaceshader"/>'
    if bump:
        surface = f"""<bump name="b" type="vector3"><input name="height" type="float" nodename="h"/>
                <input name="scale" type="float" value="{DEEP / 0.4 * 16}"/></bump>
            <open_pbr_surface name="surface" type="surfaceshader">
                <input name="geometry_normal" type="vector3" nodename="b"/></open_pbr_surface>"""
    shader = "" if bump else '<input name="displacementshader" type="displacementshader" nodename="d"/>'
    return parse_document(
        f"""<materialx version="1.39">{height}{surface}
        <displacement name="d" type="displacementshader"><input name="displacement" type="float" nodename="h"/>
            <input name="scale" type="float" value="{DEEP}"/></displacement>
        <surfacematerial name="m" type="material"><input name="surfaceshader" type="surfaceshader" nodename="surface"/>
            {shader}</surfacematerial></materialx>""".encode()
    )


@pytest.mark.parametrize("bump", [False, True])
def test_displacement_and_bump_are_baked_as_they_are_in_closed_form(renderer, tmp_path, bump) -> None:
    sheet = stock("Sheet", "plane", sizes={"width": 0.4, "depth": 0.4}, material="m", division=Division(level=1))
    made = baked(renderer, request_of(sheet, m=wavy(bump)), tmp_path, target="Sheet", maps=("normal", "height"),
                 size=256)  # fmt: skip
    normal, height = (read_pixels(path).astype(float) / 65535 for path in made.paths)
    u = (np.arange(256) + 0.5) / 256
    slope = DEEP * 2 * np.pi * WAVES / 0.4 * np.cos(2 * np.pi * WAVES * u)
    wanted = np.stack([-slope, 0 * u, np.ones(256)], axis=1)
    inner = slice(4, -4)  # on the border of a displaced sheet rays go past it
    error = degrees_between(normal[128, inner] * 2 - 1, wanted[inner])
    assert error.mean() < 0.2
    depth = read_record(made.paths[1]).baked["depth"]
    assert depth == pytest.approx(made.depth)
    metres = (height[128, inner, 0] - 0.5) * depth
    assert np.abs(metres - (0 if bump else DEEP * np.sin(2 * np.pi * WAVES * u[inner]))).max() < 0.02 * DEEP


def test_occlusion_beside_a_long_wall_is_what_its_angle_says(renderer, tmp_path) -> None:
    """A long wall whose top stands t degrees above the ground takes (1 - cos t) / 2 of the sky, weighted."""
    text = """v -40 0 -40\nv 40 0 -40\nv 40 0 40\nv -40 0 40\nv -40 0 -0.3\nv 40 0 -0.3\nv 40 0.5 -0.3\nv -40 0.5 -0.3
        f 1 4 3 2\nf 5 6 7 8\n"""
    wall = of_file("Wall", tmp_path / "wall.obj", text)
    floor = stock("Floor", "plane", sizes={"width": 0.4, "depth": 0.4})
    made = baked(renderer, request_of(floor, wall), tmp_path, target="Floor", source="Wall", maps=("occlusion",),
                 size=32, rays=4096, across=2, outward=0.001, inward=0.001, reach=100.0)  # fmt: skip
    found = read_pixels(made.paths[0]).astype(float)[:, :, 0] / 65535
    target = target_of(floor, "", True)
    (strip,) = strips(target.uv, (0, 0), 32, 1)
    away = target.places(strip).position[:, 2] + 0.3
    wanted = 1 - (1 - np.cos(np.arctan2(0.5, away))) / 2
    assert np.abs(found.ravel()[strip.texel] - wanted).max() < 0.01


def test_curvature_of_a_ring_is_that_of_a_torus(renderer, tmp_path) -> None:
    around, thick = 0.09, 0.02
    ring = stock("Ring", "ring", sizes={"radius": around, "thickness": thick, "segments": 192})
    made = baked(renderer, request_of(ring), tmp_path, target="Ring", maps=("curvature",), size=128, form="exr")
    found = read_pixels(made.paths[0])[:, :, 0].ravel()
    target = target_of(ring, "", True)
    (strip,) = strips(target.uv, (0, 0), 128, 1)
    place = target.places(strip).position
    low, high = target.mesh.bounds
    place = place - (low + high) / 2
    axis = int(np.argmin(high - low))
    across = np.linalg.norm(np.delete(place, axis, axis=1), axis=1)
    radius = float(high[axis] - low[axis]) / 2
    middle = float((high - low).max()) / 2 - radius
    cosine = (across - middle) / radius
    wanted = (middle + 2 * radius * cosine) / (2 * radius * (middle + radius * cosine))
    assert np.abs(found[strip.texel] / wanted - 1).mean() < 0.02


def test_position_and_parts(renderer, tmp_path) -> None:
    planks = stock("Planks", "planks")
    made = baked(renderer, request_of(planks), tmp_path, target="Planks", maps=("position", "part"), size=128,
                 form="exr")  # fmt: skip
    position, part = (read_pixels(path) for path in made.paths)
    target = target_of(planks, "", True)
    checked = 0
    for strip in strips(target.uv, (0, 0), 128, 1):
        place = target.places(strip).position
        away = np.abs(position.reshape(-1, 3)[strip.texel] - place).max(axis=1)
        assert (away < 0.01).mean() > 0.95  # a texel is about so wide; but at borders
        same = part.ravel()[strip.texel] == target.mesh.ids[0][strip.triangle]
        checked += len(same)
        assert same.mean() > 0.97  # but at borders
    assert checked > 5000
    names = read_record(made.paths[1]).baked["parts"]
    assert [one["name"] for one in names.values()] == list(planks.mesh().part_names)
    colours = {tuple(one["colour"]) for one in names.values()}
    assert len(colours) == len(names)


def test_rays_that_miss_are_told_and_shown(renderer, tmp_path) -> None:
    large, small = ball("large", 24), ball("small", 24, scale=0.5, place=(0, RADIUS / 2, 0))
    made = baked(renderer, request_of(large, small), tmp_path, target="large", source="small", size=64,
                 outward=0.001, inward=0.02, as_placed=True)  # fmt: skip
    (remark,) = made.remarks
    assert "meet nothing within 1 mm outward and 20 mm inward" in remark
    assert made.missed is not None
    picture = read_pixels(made.missed)
    told = float(remark.split(" %")[0]) / 100
    red = (picture == (196, 64, 42)).all(axis=2)
    assert red.sum() / (picture != (122, 122, 122)).any(axis=2).sum() == pytest.approx(told, abs=0.001)
    assert told == pytest.approx(1, abs=0.01)  # half the radius is 50 mm away
    near = baked(renderer, request_of(large, small), tmp_path, target="large", source="small", size=64, inward=0.06,
                 as_placed=True)  # fmt: skip
    assert near.missed is None


def test_uvs_on_two_tiles_make_two_files(renderer, tmp_path) -> None:
    item = ball("light", 16)
    uv = next(iter(item.mesh().uv.values())).reshape(-1, 3, 2).copy()
    uv[(uv[:, :, 0] >= 0.5 - 1e-6).all(axis=1), :, 0] += 0.5
    path = tmp_path / "two.npy"
    np.save(path, np.ascontiguousarray(uv.reshape(-1, 2), np.float32))
    light = item.model_copy(update={"uv_sets": (UvSet(name="two", file=str(path)),)})
    made = baked(renderer, request_of(light, ball("dense", 96)), tmp_path, target="light", source="dense", size=128)
    assert [path.name for path in made.paths] == ["made_normal.1001.png", "made_normal.1002.png"]
    tiled = tmp_path / "made_normal.<UDIM>.png"
    place, normal = seen(renderer, light, reading(tiled))
    assert degrees_between(normal, place).mean() < 1


def test_texels_beside_islands_are_padded() -> None:
    found = np.zeros((40, 1100), bool)
    found[10:20, 1015:1030] = True
    values = np.zeros((40, 1100, 1), np.float32)
    values[found] = np.linspace(0.1, 1, found.sum())[:, None]
    made = padded(values, found, np.array([0.25]), 6)
    y, x = np.nonzero(found)
    for row, column in ((9, 1020), (14, 1035), (4, 1015), (25, 1031), (21, 1013), (0, 1020), (14, 1037), (3, 1012)):
        away = np.hypot(y - row, x - column)
        nearest = {float(values[y[at], x[at], 0]) for at in np.flatnonzero(away <= away.min() + 1e-9)}
        assert float(made[row, column, 0]) in (nearest if away.min() <= 6 else {0.25})


def test_samples_cover_each_texel_by_as_much_as_the_island_does() -> None:
    uv = np.array([[0.1, 0.1], [0.83, 0.22], [0.31, 0.9]], np.float32)
    every: list[Strip] = list(strips(uv, (0, 0), 64, 4))
    texel = np.concatenate([one.texel for one in every])
    area = 0.5 * ((0.83 - 0.1) * (0.9 - 0.1) - (0.31 - 0.1) * (0.22 - 0.1))
    assert len(texel) / (64 * 4) ** 2 == pytest.approx(area, rel=0.005)
    row, column = np.divmod(texel, 64)
    assert ((column + 0.5) / 64).mean() == pytest.approx((0.1 + 0.83 + 0.31) / 3, abs=0.005)
    assert (1 - (row + 0.5) / 64).mean() == pytest.approx((0.1 + 0.22 + 0.9) / 3, abs=0.005)


def test_the_record_says_how_and_the_bake_is_the_same_again(renderer, tmp_path) -> None:
    asked = request_of(ball("light", 16), ball("dense", 96))
    first = baked(renderer, asked, tmp_path, target="light", source="dense", size=64, maps=tuple(MAPS))
    kept = {path.name: path.read_bytes() for path in first.paths}
    how = Bake.model_validate(read_record(first.paths[0]).baked["bake"])
    assert how.outward is not None
    again = finished(baking_files(renderer, asked, how, tmp_path, "made"))
    assert {path.name: path.read_bytes() for path in again.paths} == kept
    assert json.loads(record_path(first.paths[1]).read_text())["baked"]["map"] == "height"
    with pytest.raises(CollageError, match="baked from objects"):
        finished(make_again(first.paths[0]))


def test_a_file_that_was_not_baked_stays(renderer, tmp_path) -> None:
    mine = tmp_path / "made_height.png"
    mine.write_bytes(b"mine")
    asked = request_of(ball("light", 16))
    with pytest.raises(CollageError, match="not baked"):
        baked(renderer, asked, tmp_path, target="light", size=16, maps=("normal", "height"))
    assert [path.name for path in tmp_path.iterdir()] == ["made_height.png"]
    assert mine.read_bytes() == b"mine"


@pytest.mark.parametrize(
    ("how", "words"),
    [
        ({"target": "none"}, "no such object"),
        ({"target": "light", "source": "none"}, "no such object"),
        ({"target": "light", "uv_set": "other"}, "no UV set"),
        ({"target": "bare"}, "no UVs"),
        ({"target": "light", "source": "dense", "outward": 0.0, "inward": 0.0}, "nowhere to go"),
        ({"target": "light", "source": "broken"}, "names vertex"),
    ],
)
def test_what_cannot_be_baked_is_said(renderer, tmp_path, how, words) -> None:
    bare = of_file("bare", tmp_path / "bare.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n")
    broken = of_file("broken", tmp_path / "broken.obj", "v 0 0 0\nf 1 2 3\n")
    asked = request_of(ball("light", 16), ball("dense", 16), bare, broken)
    with pytest.raises(CollageError, match=words):
        made_ready(renderer, asked, Bake(**how))


@pytest.mark.parametrize("uv", [[0, 0, 0, 0, 0, 0], [-3e8, 0, 3e8, 1, 0, 2e8], [0.5, 0.5, 0.6, 0.5, 0.7, 0.5]])
def test_uvs_that_hold_no_texel_are_told(renderer, tmp_path, uv) -> None:
    text = "v 0 0 0\nv 1 0 0\nv 0 1 0\n" + "".join(f"vt {uv[2 * at]} {uv[2 * at + 1]}\n" for at in range(3))
    item = of_file("thin", tmp_path / "thin.obj", text + "f 1/1 2/2 3/3\n")
    ready = made_ready(renderer, request_of(item), Bake(target="thin", size=64, maps=tuple(MAPS)))
    assert len(ready.tiles) <= 100
    made = [finished(baking(ready, tile, renderer)) for tile in ready.tiles]
    assert all(np.isfinite(values).all() for one in made for values in one.maps.sums.values())


def test_a_texel_on_two_islands_is_of_the_one_that_has_more_of_it() -> None:
    """Two squares side by side, the border between them at a third of a texel."""
    edge = (10 + 1 / 3) / 32
    left, right = [(0, 0), (edge, 0), (edge, 1), (0, 1)], [(edge, 0), (1, 0), (1, 1), (edge, 1)]
    uv = np.array([square[at] for square in (left, right) for at in (0, 1, 2, 0, 2, 3)], np.float32)
    island = np.array([0, 0, 1, 1], np.int32)
    (strip,) = strips(uv, (0, 0), 32, 4, island)
    column = strip.texel % 32
    assert set(island[strip.triangle[column == 9]]) == {0}
    assert set(island[strip.triangle[column == 10]]) == {1}
    assert (column == 10).sum() == 32 * 3 * 4  # a column of four lies on the other
