"""Meshes as they come from other programs: what is in them arrives, and what is broken is told in a sentence."""

from __future__ import annotations

import json
import struct
from contextlib import suppress
from pathlib import Path

import numpy as np
import pytest
import trimesh

from collage.core.base.errors import CollageError
from collage.core.geometry.files import FORMATS, guessed_unit, read_raw, turned
from collage.core.geometry.glb_write import write_glb
from collage.core.geometry.mesh import Mesh
from collage.core.geometry.raw import checked
from collage.core.geometry.shapes import rounded_box, sphere

SQUARE = """mtllib looks.mtl
o board
v 0 0 0
v 2 0 0
v 2 1 0
v 0 1 0
vt 0 0
vt 1 0
vt 1 1
vt 0 1
vn 0 0 1
usemtl oak
f 1/1/1 2/2/1 3/3/1 4/4/1
g knob
usemtl brass
f -4//-1 -3//-1 -2//-1
"""


def mesh_of(path: Path, **how) -> Mesh:
    return checked(read_raw(path), path.name, **how)


def written(path: Path, text: str) -> Path:
    path.write_text(text)
    return path


def many(parts: int, slots: int, sets: int) -> Mesh:
    """A mesh of many balls with several UV sets, some of them shared by a slot."""
    ball = sphere(radius=0.05, segments=12)
    count, corners = len(ball.triangles), len(ball.normals)
    rng = np.random.default_rng(2)
    shifts = rng.uniform(-1, 1, (parts, 3)).astype(np.float32)
    return Mesh(
        np.concatenate([ball.positions + shift for shift in shifts]),
        np.concatenate([ball.triangles + number * len(ball.positions) for number in range(parts)]),
        np.tile(ball.normals, (parts, 1)),
        {name: rng.uniform(-2, 3, (parts * corners, 2)).astype(np.float32) for name in ("UVMap", "label", "third")[:sets]},
        part=np.repeat(np.arange(parts), count), piece=np.repeat(np.arange(parts), count),
        slot=np.repeat(np.arange(parts) % slots, count), part_names=tuple(f"ball {number}" for number in range(parts)),
        slot_names=tuple(f"slot {number}" for number in range(slots)),
        face=np.repeat(np.arange(parts * count // 2), 2),
        colours={"Colour 0": rng.uniform(0, 1, (parts * corners, 4)).astype(np.float32)},
    )  # fmt: skip


def by_corner(mesh: Mesh) -> dict[str, np.ndarray]:
    """All that a mesh says of each corner, in its order."""
    return {
        "place": mesh.positions[mesh.triangles.ravel()], "normal": mesh.normals, **mesh.uv, **mesh.colours,
        **{name: np.repeat(ids, 3) for name, ids in zip(("part", "piece", "slot"), mesh.ids, strict=True)},
    }  # fmt: skip


def test_twenty_parts_five_slots_and_three_uv_sets_through_glb(tmp_path: Path) -> None:
    mesh = many(20, 5, 3)
    write_glb(mesh, tmp_path / "many.glb")
    found = mesh_of(tmp_path / "many.glb")
    assert (found.part_names, found.slot_names, list(found.uv)) == (mesh.part_names, mesh.slot_names, list(mesh.uv))
    assert len(found.positions) == len(mesh.positions), "vertices at one place are one again"
    for name, values in by_corner(mesh).items():
        tolerance = 3e-7 if name in mesh.uv or name == "normal" else 0
        np.testing.assert_allclose(by_corner(found)[name], values, atol=tolerance, err_msg=name)
    np.testing.assert_array_equal(found.face, mesh.face)
    write_glb(found, tmp_path / "again.glb")
    again = mesh_of(tmp_path / "again.glb")
    for name, values in by_corner(found).items():
        np.testing.assert_allclose(by_corner(again)[name], values, atol=3e-7, err_msg=name)


def test_other_programs_read_what_is_written(tmp_path: Path) -> None:
    box = rounded_box(width=0.3, divisions=4)
    write_glb(box, tmp_path / "box.glb")
    found = trimesh.load(tmp_path / "box.glb", force="mesh")
    assert found.area == pytest.approx(box.areas.sum(), rel=1e-5)
    assert found.bounds[1] - found.bounds[0] == pytest.approx([0.3, 0.2, 0.2], abs=1e-6)


def test_an_obj_has_its_parts_slots_and_polygons(tmp_path: Path) -> None:
    (tmp_path / "looks.mtl").write_bytes(b"newmtl oak\nKd 0.5 0.25 2\nmap_Kd oak \xe4.png\nnewmtl brass\n")
    raw = read_raw(written(tmp_path / "a.obj", SQUARE))
    mesh = checked(raw, "a.obj")
    assert (mesh.part_names, mesh.slot_names) == (("board", "knob"), ("oak", "brass"))
    np.testing.assert_array_equal(mesh.face, [0, 0, 1])
    np.testing.assert_array_equal(mesh.ids[0], [0, 0, 1])
    np.testing.assert_array_equal(mesh.ids[2], [0, 0, 1])
    np.testing.assert_array_equal(mesh.positions[mesh.triangles[2]], [[0, 0, 0], [2, 0, 0], [2, 1, 0]])
    np.testing.assert_array_equal(mesh.uv["UVMap"][:3], [[0, 0], [1, 0], [1, 1]])
    np.testing.assert_array_equal(mesh.uv["UVMap"][6:], np.zeros((3, 2)))
    np.testing.assert_allclose(mesh.normals, np.tile([[0, 0, 1]], (9, 1)))
    assert raw.slots[0].colour == (0.5, 0.25, 1.0)
    assert raw.slots[0].map == "oak ä.png"


@pytest.mark.parametrize("style", ["{0}", "{0}/{0}", "{0}//{0}", "{0}/{0}/{0}"])
def test_every_way_to_write_a_corner(tmp_path: Path, style: str) -> None:
    rows = "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 1 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nvt 1 1\n" + "vn 0 0 1\n" * 4
    faces = "f " + " ".join(style.format(one) for one in (1, 2, 3)) + "\nf " + " ".join(
        style.format(one) for one in (-1, -2, -3)) + "\n"  # fmt: skip
    mesh = mesh_of(written(tmp_path / "a.obj", rows + faces))
    np.testing.assert_array_equal(mesh.positions[mesh.triangles[1]], [[1, 1, 0], [0, 1, 0], [1, 0, 0]])
    if style.count("{0}") > 1 and "//" not in style:
        np.testing.assert_array_equal(mesh.uv["UVMap"], mesh.positions[mesh.triangles.ravel()][:, :2])


def test_a_hollow_polygon_is_cut_without_overlap(tmp_path: Path) -> None:
    """A letter U of eight corners: its area is that of its triangles, and none lies in the gap."""
    places = [(0, 0), (3, 0), (3, 3), (2, 3), (2, 1), (1, 1), (1, 3), (0, 3)]
    text = "".join(f"v {x} {y} 0\n" for x, y in places) + "f " + " ".join(map(str, range(1, 9))) + "\n"
    mesh = mesh_of(written(tmp_path / "u.obj", text))
    assert len(mesh.triangles) == 6
    assert mesh.areas.sum() == pytest.approx(7)
    middles = mesh.positions[mesh.triangles].mean(axis=1)
    assert not ((middles[:, 0] > 1) & (middles[:, 0] < 2) & (middles[:, 1] > 1)).any()
    assert (mesh.face_normals[:, 2] > 0.99).all()


def gltf(**more) -> dict:
    """Two nodes that show one triangle; the inner one is moved, twice as large, and mirrored."""
    data = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32).tobytes() + np.array(
        [[0, 0], [1, 0], [0, 1]], np.float32).tobytes() + np.array([0, 1, 2], np.uint8).tobytes()  # fmt: skip
    import base64

    return {
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}],
        "nodes": [{"name": "outer", "mesh": 0, "children": [1], "translation": [10, 0, 0]},
                  {"name": "inner", "mesh": 0, "scale": [2, 2, -2], "translation": [0, 5, 0]}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0, "TEXCOORD_1": 1}, "indices": 2, "material": 1}]}],
        "materials": [{"name": "unused"}, {"name": "glaze", "pbrMetallicRoughness": {"baseColorFactor": [0.1, 0.2, 0.3, 1]}}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"},
                      {"bufferView": 0, "byteOffset": 36, "componentType": 5126, "count": 3, "type": "VEC2"},
                      {"bufferView": 0, "byteOffset": 60, "componentType": 5121, "count": 3, "type": "SCALAR"}],
        "bufferViews": [{"buffer": 0, "byteLength": 63}],
        "buffers": [{"byteLength": 63, "uri": "data:application/octet-stream;base64," + base64.b64encode(data).decode()}],
        **more,
    }  # fmt: skip


def test_nodes_of_a_gltf_stand_where_it_says(tmp_path: Path) -> None:
    raw = read_raw(written(tmp_path / "a.gltf", json.dumps(gltf())))
    mesh = checked(raw, "a.gltf")
    assert (mesh.part_names, mesh.slot_names) == (("outer", "inner"), ("glaze",))
    assert raw.slots[0].colour == (0.1, 0.2, 0.3)
    places = mesh.positions[mesh.triangles]
    np.testing.assert_allclose(places[0], [[10, 0, 0], [11, 0, 0], [10, 1, 0]])
    assert {tuple(one) for one in places[1]} == {(10, 5, 0), (12, 5, 0), (10, 7, 0)}
    assert mesh.face_normals[1, 2] < -0.99, "a mirrored part is seen from the other side, its faces still outwards"
    np.testing.assert_allclose(mesh.uv["UVMap 2"][:3], [[0, 1], [1, 1], [0, 0]], err_msg="v runs upwards")


@pytest.mark.parametrize("mode", [5, 6])
def test_strips_and_fans(tmp_path: Path, mode: int) -> None:
    about = gltf()
    about["meshes"][0]["primitives"] = [{"attributes": {"POSITION": 0}, "mode": mode}]
    mesh = mesh_of(written(tmp_path / "a.gltf", json.dumps(about)))
    assert len(mesh.triangles) == 2
    assert mesh.face_normals[0, 2] > 0.99


@pytest.mark.parametrize("suffix", [".ply", ".stl"])
def test_scans(tmp_path: Path, suffix: str) -> None:
    ball = sphere(segments=16)
    solid = trimesh.Trimesh(ball.positions, ball.triangles, process=False)
    if suffix == ".ply":
        solid.visual.vertex_colors = np.tile([[255, 128, 0, 255]], (len(ball.positions), 1))
    solid.export(tmp_path / f"ball{suffix}")
    mesh = mesh_of(tmp_path / f"ball{suffix}")
    assert len(mesh.positions) == len(ball.positions), "vertices at one place are one"
    assert mesh.areas.sum() == pytest.approx(ball.areas.sum(), rel=1e-5)
    assert mesh.ids[1].max() == 0
    outward = np.einsum("ij,ij->i", mesh.normals, mesh.positions[mesh.triangles.ravel()] - [0, 0.1, 0])
    assert (outward > 0.09).all()
    if suffix == ".ply":
        np.testing.assert_allclose(mesh.colours["Colour 0"][5], [1, 128 / 255, 0, 1], atol=1e-6)


def test_pieces_are_numbered_as_they_come(tmp_path: Path) -> None:
    mesh = many(7, 1, 1)
    write_glb(mesh, tmp_path / "a.glb")
    np.testing.assert_array_equal(mesh_of(tmp_path / "a.glb").ids[1], mesh.ids[0])


def test_z_up_and_units() -> None:
    raw = read_raw_of_axis()
    found = turned(raw, z_up=True, scale=0.001)
    np.testing.assert_allclose(found.positions, [[0.001, 0, 0], [0, 0, -0.001], [0, 0.001, 0]])


def read_raw_of_axis():
    from collage.core.geometry.raw import RawMesh

    return RawMesh(np.eye(3, dtype=np.float32), np.array([[0, 1, 2]]))


@pytest.mark.parametrize(
    ("size", "unit"),
    [(0.3, None), (59, None), (300, "millimetres"), (0.0003, None), (61.0, "centimetres"), (40_000, "millimetres"),
     (0, None)],
)  # fmt: skip
def test_a_guess_when_it_is_far_too_large(size: float, unit: str | None) -> None:
    found = guessed_unit(size)
    assert (found[0] if found is not None else None) == unit


# ---- hostile ------------------------------------------------------------------------------------


def _told(path: Path) -> str:
    with pytest.raises(CollageError) as told:
        mesh_of(path)
    assert told.value.about == path.name
    return str(told.value)


HOSTILE_OBJ = {
    "no faces": "v 0 0 0\n", "empty": "", "NaN": "v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n",
    "far": "v 1e999 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "index": "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n",
    "zero": "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 0 1 2\n", "back": "v 0 0 0\nv 1 0 0\nv 0 1 0\nf -1 -2 -9\n",
    "two corners": "v 0 0 0\nv 1 0 0\nf 1 2\n", "words": "v 0 zero 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n",
    "letters": "v 0 0 0\nv 1 0 0\nv 0 1 0\nf a b c\n", "huge": "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 99999999999999999999\n",
    "no place": "f 1 2 3\n", "uv": "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1/1 2/1 3/1\n",
}  # fmt: skip


@pytest.mark.parametrize("text", HOSTILE_OBJ.values(), ids=HOSTILE_OBJ.keys())
def test_hostile_obj(tmp_path: Path, text: str) -> None:
    _told(written(tmp_path / "a.obj", text))


HOSTILE_GLTF = {
    "loop": {"nodes": [{"mesh": 0, "children": [1]}, {"children": [0]}]},
    "outside": {"buffers": [{"byteLength": 63, "uri": "../secret.bin"}]},
    "absolute": {"buffers": [{"byteLength": 63, "uri": "/etc/passwd"}]},
    "web": {"buffers": [{"byteLength": 63, "uri": "http://example.org/a.bin"}]},
    "not there": {"buffers": [{"byteLength": 63, "uri": "a.bin"}]},
    "two billion": {"accessors": [{"bufferView": 0, "componentType": 5126, "count": 2_000_000_000, "type": "VEC3"}] * 3},
    "long": {"accessors": [{"bufferView": 0, "componentType": 5126, "count": 30, "type": "VEC3"}] * 3},
    "before": {"bufferViews": [{"buffer": 0, "byteLength": 63, "byteOffset": -9}]},
    "no number": {"accessors": [{"bufferView": 9, "componentType": 1, "count": 3, "type": "VEC3"}]},
    "words": {"nodes": "all"}, "no scene": {"scene": 7}, "no asset": {"asset": None},
    "packed": {"extensionsRequired": ["KHR_draco_mesh_compression"]},
    "no base64": {"buffers": [{"byteLength": 63, "uri": "data:,äöü"}]},
}  # fmt: skip


@pytest.mark.parametrize("change", HOSTILE_GLTF.values(), ids=HOSTILE_GLTF.keys())
def test_hostile_gltf(tmp_path: Path, change: dict) -> None:
    (tmp_path.parent / "secret.bin").write_bytes(bytes(63))
    _told(written(tmp_path / "a.gltf", json.dumps(gltf(**change))))


def _cases(folder: Path) -> dict[str, bytes]:
    """A whole file of every format."""
    box = rounded_box(divisions=2)
    write_glb(box, folder / "w.glb")
    solid = trimesh.Trimesh(box.positions, box.triangles, process=False)
    for suffix in (".ply", ".stl", ".obj"):
        solid.export(folder / f"w{suffix}")
    return {suffix: (folder / f"w{suffix}").read_bytes() for suffix in (".glb", ".ply", ".stl", ".obj")}


@pytest.mark.parametrize("suffix", [".glb", ".ply", ".stl", ".obj"])
def test_files_cut_off_at_every_tenth_and_with_flipped_bits(tmp_path: Path, suffix: str) -> None:
    """A sentence, or a mesh of what is there; nothing else."""
    whole = _cases(tmp_path)[suffix]
    rng = np.random.default_rng(5)
    broken = [whole[: len(whole) * tenth // 10] for tenth in range(10)]
    for _ in range(60):
        data = bytearray(whole)
        for at in rng.integers(0, len(data), 3):
            data[at] ^= 1 << int(rng.integers(8))
        broken.append(bytes(data))
    for number, data in enumerate(broken):
        path = tmp_path / f"b{number}{suffix}"
        path.write_bytes(data)
        with suppress(CollageError):
            assert np.isfinite(mesh_of(path).positions).all()
    assert len(mesh_of(tmp_path / f"w{suffix}").triangles) == len(rounded_box(divisions=2).triangles)


def test_declared_billions_cost_nothing(tmp_path: Path) -> None:
    head = "ply\nformat ascii 1.0\nelement vertex 2000000000\nproperty float x\nend_header\n0\n"
    assert "2,000,000,000" in _told(written(tmp_path / "a.ply", head))
    (tmp_path / "a.stl").write_bytes(bytes(80) + struct.pack("<I", 2_000_000_000))
    assert "2,000,000,000" in _told(tmp_path / "a.stl")


@pytest.mark.parametrize("one", [suffix for one in FORMATS for suffix in one.suffixes])
def test_a_picture_that_is_called_a_mesh(tmp_path: Path, one: str) -> None:
    (tmp_path / f"a{one}").write_bytes(b"\x89PNG\r\n\x1a\n" + bytes(range(256)) * 20)
    _told(tmp_path / f"a{one}")


def test_what_is_no_mesh(tmp_path: Path) -> None:
    for name in ("a.txt", "none.glb", "a.blend"):
        with pytest.raises(CollageError):
            read_raw(tmp_path / name)
