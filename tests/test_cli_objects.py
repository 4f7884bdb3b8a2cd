"""`collage objects`, as a person calls it."""

from __future__ import annotations

from pathlib import Path

import trimesh

from collage.core.project.folder import load_project, save_project
from collage.core.project.fresh import ball_project
from collage.core.scene.bench import Division
from command_line import collage


def test_from_a_file_to_a_mended_object_in_its_place(tmp_path: Path) -> None:
    folder = tmp_path / "project"
    save_project(ball_project(), folder)
    solid = trimesh.creation.torus(80, 30)
    solid.invert()
    solid.export(tmp_path / "ring.obj")
    done = collage("objects", "add", folder, tmp_path / "ring.obj", "--up", "z", "--metres", "0.001")
    assert done.returncode == 0, done.stderr
    assert done.stdout.strip() == "ring"
    assert "turned: 2048 faces" in done.stderr
    assert collage("objects", "mend", folder, "ring", "turned", "no_uv").returncode == 0
    assert collage("objects", "check", folder).stdout == ""
    done = collage("objects", "place", folder, "ring", "--at", "0.1,5,0", "--tilt", "90", "--scale", "2", "--drop")
    assert done.returncode == 0, done.stderr
    item = load_project(folder)[0].bench.objects[-1]
    assert item.place[0] == 0.1
    assert abs(item.place[1] - 0.22) < 2e-3
    listed = collage("objects", "list", folder).stdout
    assert "0.44 x 0.12 x 0.44 m, 2,048 triangles" in listed
    assert "UV sets: UVMap" in listed
    done = collage("objects", "add", folder, tmp_path / "none.obj")
    assert done.returncode == 1
    assert len(done.stderr.strip().splitlines()) == 1


def test_a_material_for_a_part(tmp_path: Path) -> None:
    folder = tmp_path / "project"
    save_project(ball_project(), folder)
    assert collage("objects", "add", folder, "planks").stdout.strip() == "Planks"
    collage("materials", "new", folder, "Oiled")
    done = collage("materials", "assign", folder, "Oiled", "Planks", "--part", "Plank 2")
    assert done.returncode == 0, done.stderr
    (rule,) = load_project(folder)[0].bench.objects[-1].assigned
    assert (rule.told_by, rule.material) == (("part", "Plank 2", 0), "Oiled")
    assert collage("materials", "assign", folder, "Oiled", "Planks", "--part", "Plank 9").returncode == 1
    assert collage("materials", "assign", folder, "Oiled", "Planks", "--piece", "9").returncode == 1
    assert (
        collage("materials", "assign", folder, "Oiled", "Planks", "--part", "Plank 1", "--piece", "1").returncode == 1
    )


def test_an_object_is_subdivided(tmp_path: Path) -> None:
    folder = tmp_path / "project"
    save_project(ball_project(), folder)
    name = load_project(folder)[0].bench.objects[0].name
    assert collage("objects", "subdivide", folder, name, "3", "--smooth").returncode == 0
    assert load_project(folder)[0].bench.objects[0].division == Division(level=3, smooth=True)
    assert collage("objects", "subdivide", folder, name).returncode == 0
    assert load_project(folder)[0].bench.objects[0].division == Division(level=None, smooth=True)
    assert collage("objects", "subdivide", folder, name, "2", "--crease", "60", "--hold-borders").returncode == 0
    division = load_project(folder)[0].bench.objects[0].division
    assert division == Division(level=2, smooth=True, crease=60, hold_borders=True)
    assert collage("objects", "subdivide", folder, name, "--detail", "5").returncode == 0
    assert load_project(folder)[0].bench.objects[0].division.detail == 0.005
    assert collage("objects", "subdivide", folder, name, "--detail", "0").returncode == 0
    assert load_project(folder)[0].bench.objects[0].division.detail is None
    assert collage("objects", "subdivide", folder, name, "--by-view").returncode == 0
    assert load_project(folder)[0].bench.objects[0].division.by_view
    assert collage("objects", "subdivide", folder, name, "--crease", "400").returncode == 1
    failed = collage("objects", "subdivide", folder, name, "20")
    assert failed.returncode == 1
    assert "0 to 8 levels" in failed.stderr


def test_faces_are_picked_named_assigned_and_forgotten(tmp_path: Path) -> None:
    folder = tmp_path / "project"
    save_project(ball_project(), folder)
    collage("objects", "add", folder, "planks")
    assert (
        collage("objects", "pick", folder, "Planks", "tops", "--facing", "0,1,0", "--angle", "5").stdout.strip()
        == "tops"
    )
    collage("materials", "new", folder, "Oiled")
    done = collage("materials", "assign", folder, "Oiled", "Planks", "--faces", "tops")
    assert done.returncode == 0, done.stderr
    item = load_project(folder)[0].bench.objects[-1]
    mesh = item.mesh()
    assert (mesh.face_normals[item.assigned[0].faces(mesh)][:, 1] > 0.99).all()
    assert collage("objects", "rename-faces", folder, "Planks", "tops", "decks").stdout.strip() == "decks"
    assert load_project(folder)[0].bench.objects[-1].assigned[0].name == "decks"
    assert collage("objects", "remove-faces", folder, "Planks", "decks").returncode == 0
    assert load_project(folder)[0].bench.objects[-1].assigned == ()
    for words in (("pick", folder, "Planks", "x", "--facing", "0,0,0.5", "--part", "none"),
                  ("remove-faces", folder, "Planks", "decks"), ("pick", folder, "Planks", "x", "--at", "999999")):  # fmt: skip
        done = collage("objects", *words)
        assert done.returncode == 1
        assert len(done.stderr.strip().splitlines()) == 1
    assert collage("objects", "lock", folder, "Planks").returncode == 0
    assert load_project(folder)[0].bench.objects[-1].locked
