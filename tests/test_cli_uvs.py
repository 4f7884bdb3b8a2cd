"""`collage uv` and the commands for coordinates and projectors, as a person calls them."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from collage.core.geometry.islands import islands_of, overlapping
from collage.core.geometry.uv_picking import border_of, ends_of, shared_corners, with_shared
from collage.core.nodes.projectors import frame_of
from collage.core.project.folder import load_project, save_project
from collage.core.project.fresh import ball_project
from command_line import collage


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    save_project(ball_project(), tmp_path / "project")
    assert collage("objects", "add", tmp_path / "project", "planks", "--material", "Plain").returncode == 0
    return tmp_path / "project"


def mesh_of(folder: Path, name: str = "Planks"):
    bench = load_project(folder)[0].bench.in_folder(folder)
    return next(item for item in bench.objects if item.name == name).mesh()


def test_sets_are_made_unwrapped_changed_measured_and_removed(folder: Path) -> None:
    assert collage("uv", "new", folder, "Planks", "--set", "label").stdout.strip() == "label"
    assert collage("uv", "list", folder).stdout.splitlines()[-1] == "Planks: UVMap, label"
    done = collage("uv", "unwrap", folder, "Planks", "--set", "label", "--margin", "2")
    assert done.returncode == 0, done.stderr
    assert overlapping(mesh_of(folder).uv["label"])[1] == 0
    told = collage("uv", "measure", folder, "Planks", "--set", "label").stdout
    assert "flipped faces  0" in told
    assert "overlap        0.00 %" in told
    before = mesh_of(folder).uv["label"]
    assert collage("uv", "move", folder, "Planks", "--set", "label", "--u", "0.25").returncode == 0
    assert np.abs(mesh_of(folder).uv["label"] - before - (0.25, 0)).max() < 1e-6
    assert collage("uv", "change", folder, "Planks", "flip u", "--set", "label").returncode == 0
    assert "flipped faces  0" not in collage("uv", "measure", folder, "Planks", "--set", "label").stdout
    assert collage("uv", "project", folder, "Planks", "flatten").returncode == 0
    assert collage("uv", "pack", folder, "Planks", "--no-turn").returncode == 0
    assert mesh_of(folder).uv["UVMap"].max() <= 1
    assert collage("uv", "rename", folder, "Planks", "label", "sticker").returncode == 0
    assert collage("uv", "remove", folder, "Planks", "UVMap").returncode == 0
    assert list(mesh_of(folder).uv) == ["sticker"]


def test_picked_faces_and_their_border_are_moved_and_cut_off(folder: Path) -> None:
    assert collage("objects", "pick", folder, "Planks", "Top", "--facing", "0,1,0").returncode == 0
    before = mesh_of(folder)
    islands = int(islands_of(before, "UVMap").max())
    assert collage("uv", "move", folder, "Planks", "--faces", "Top", "--border", "--v", "0.5").returncode == 0
    gone = mesh_of(folder).uv["UVMap"] - before.uv["UVMap"]
    border = with_shared(shared_corners(before, "UVMap"), ends_of(border_of(before, mesh_of(folder).sets["Top"])))
    assert gone == pytest.approx(np.where(border[:, None], (0, 0.5), (0, 0)), abs=1e-6)
    assert collage("uv", "change", folder, "Planks", "cut off", "--faces", "Top").returncode == 0
    assert int(islands_of(mesh_of(folder), "UVMap").max()) > islands
    assert "no faces “Side”" in collage("uv", "change", folder, "Planks", "fit", "--faces", "Side").stderr


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (("remove", "Planks", "UVMap"), "last UV set"),
        (("measure", "Planks", "--set", "none"), "no UV set"),
        (("unwrap", "Planks", "--part", "none"), "no such faces"),
        (("project", "Planks", "star"), "no layout"),
        (("change", "Planks", "melt"), "no “melt”"),
        (("measure", "Nothing"), "no object"),
        (("pack", "Planks", "--margin", "600"), "no room"),
    ],
)
def test_what_cannot_be_done_is_told_in_a_sentence(folder: Path, words: tuple[str, ...], told: str) -> None:
    done = collage("uv", words[0], folder, *words[1:])
    assert done.returncode == 1
    assert told in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1


def test_a_broken_uv_file_is_left_out_and_the_mesh_has_its_own(folder: Path) -> None:
    own = mesh_of(folder).uv["UVMap"].copy()
    collage("uv", "change", folder, "Planks", "turn left")
    (file,) = (folder / "meshes").glob("*.npy")
    whole = file.read_bytes()
    for data in (b"", b"text", whole[:200], whole[: len(whole) // 2], whole.replace(b"<f4", b"<f8")):
        file.write_bytes(data)
        found = load_project(folder)[0].bench.in_folder(folder).objects[-1]
        again = found.model_copy(update={"name": f"again {len(data)}"})
        from collage.core.scene.geometry import with_uv_sets

        with_uv_sets.cache_clear()
        assert np.array_equal(again.mesh().uv["UVMap"], own)


def test_coordinates_are_listed_and_set_and_a_projector_is_placed(folder: Path) -> None:
    collage("cards", "add", folder, "Plain", "checkerboard", "--name", "checks")
    listed = collage("cards", "coordinates", folder, "Plain", "checks").stdout
    assert "* uv" in listed
    assert "cylinder" in listed
    assert collage("cards", "coordinates", folder, "Plain", "checks", "cylinder").returncode == 0
    shown = collage(
        "cards", "projector", folder, "Plain", "cylinder", "--size", "0.2,0.3,0.2", "--turn", "0,90,0"
    ).stdout
    assert "size     0.2, 0.3, 0.2" in shown
    frame = frame_of(load_project(folder)[0].materials["Plain"].cards["cylinder"])
    assert frame.turn == (0.0, 90.0, 0.0)
    assert (
        collage(
            "cards", "projector", folder, "Plain", "cylinder", "--fit", "Planks/Plank 1", "--axis", "best"
        ).returncode
        == 0
    )
    done = collage("cards", "projector", folder, "Plain", "checks")
    assert done.returncode == 1
    assert "no projector" in done.stderr
    done = collage("cards", "coordinates", folder, "Plain", "checks", "moon")
    assert done.returncode == 1
    assert "no coordinates" in done.stderr


def test_maps_share_a_placement_are_mirrored_and_laid_once(folder: Path) -> None:
    for name in ("first", "second"):
        collage("cards", "add", folder, "Plain", "image", "--type", "color3", "--name", name)
    made = collage("cards", "placement", folder, "Plain", "first", "second").stdout.strip()
    cards = load_project(folder)[0].materials["Plain"].cards
    assert all(cards[name].inputs["texcoord"].wire.card == made for name in ("first", "second"))
    assert collage("cards", "mirror", folder, "Plain", made, "v").returncode == 0
    assert load_project(folder)[0].materials["Plain"].cards[made].inputs["scale"].value == (1.0, -1.0)
    assert collage("cards", "outside", folder, "Plain", made, "once").returncode == 0
    cards = load_project(folder)[0].materials["Plain"].cards
    assert {cards[name].inputs["vaddressmode"].value for name in ("first", "second")} == {"constant"}
    for words in (("mirror", folder, "Plain", made, "w"), ("outside", folder, "Plain", made, "never"),
                  ("mirror", folder, "Plain", "surface", "u"), ("placement", folder, "Plain", "surface")):  # fmt: skip
        done = collage("cards", *words)
        assert (done.returncode, len(done.stderr.strip().splitlines())) == (1, 1), words
