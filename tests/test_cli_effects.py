"""Effects and masks by the command line."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from collage.core.document.materials import surface_card
from collage.core.images.files import write_image
from collage.core.nodes.projectors import frame_of
from collage.core.project.folder import load_project, save_project
from collage.core.project.fresh import ball_project
from command_line import collage


def test_effects_and_masks_go_on_and_come_off(tmp_path: Path) -> None:
    folder = tmp_path / "project"
    save_project(ball_project(), folder)
    (name, before), *_ = load_project(folder)[0].materials.items()
    assert "Moss where the surface is closed in" in collage("cards", "effect", folder, name).stdout
    done = collage("cards", "effect", folder, name, "moss")
    assert done.returncode == 0, done.stderr
    card = done.stdout.strip()
    assert f"on it: {card}" in collage("cards", "effect", folder, name).stdout
    assert collage("cards", "effect", folder, name, card, "--remove").returncode == 0
    after = load_project(folder)[0].materials[name]
    assert after.cards.keys() == before.cards.keys()
    assert collage("cards", "effect", folder, name, "glitter").returncode == 1

    edge = collage("cards", "add", folder, name, "Edge mask").stdout.strip()
    used = collage(
        "cards", "mask", folder, name, edge, "--set", "base_color=#ff0000", "--set", "specular_roughness=0.9"
    )
    assert used.returncode == 0, used.stderr
    surface = surface_card(load_project(folder)[0].materials[name])
    assert surface.inputs["base_color"].wire is not None
    assert collage("cards", "mask", folder, name, edge).returncode == 1
    assert collage("cards", "mask", folder, name, edge, "--set", "no_such=1").returncode == 1
    assert collage("cards", "mask", folder, name, edge, "--release").returncode == 0
    left = load_project(folder)[0].materials[name]
    assert left.cards.keys() == before.cards.keys() | {edge}

    grime = tmp_path / "grime.png"
    write_image(grime, np.full((4, 4, 3), 60, np.uint8))
    mapped = collage("cards", "mask", folder, name, edge, "--map", f"base_color={grime}", "--set", "coat_weight=1")
    assert mapped.returncode == 0, mapped.stderr
    made = [card for card in load_project(folder)[0].materials[name].cards.values() if card.title == "grime"]
    assert [card.type for card in made] == ["color3"]
    assert collage("cards", "mask", folder, name, edge, "--map", f"base_color={tmp_path}/none.png").returncode == 1


def test_labels_lie_in_a_frame_or_fill_a_uv_set_and_masks_are_broken(tmp_path: Path) -> None:
    folder, picture = tmp_path / "project", tmp_path / "tag.png"
    save_project(ball_project(), folder)
    (name, before), *_ = load_project(folder)[0].materials.items()
    write_image(picture, np.full((8, 16, 4), 128, np.uint8))
    framed = collage("cards", "label", folder, name, picture, "--at", "0", "0.1", "0.1", "--width", "0.05")
    assert framed.returncode == 0, framed.stderr
    cards = load_project(folder)[0].materials[name].cards
    place = next(one for one in cards.values() if one.category == "clg_projector")
    assert frame_of(place).size == (0.05, 0.025, 0.05)
    assert (folder / "maps" / "labels" / "tag-label.exr").exists()
    laid = collage("cards", "label", folder, name, picture, "--set", "UVMap")
    assert laid.returncode == 0, laid.stderr
    assert collage("cards", "label", folder, name, picture, "--set", "none").returncode == 1
    for card in (laid.stdout.strip(), framed.stdout.strip()):
        assert collage("cards", "effect", folder, name, card, "--remove").returncode == 0
    assert load_project(folder)[0].materials[name].cards.keys() == before.cards.keys()

    edge = collage("cards", "add", folder, name, "Edge mask").stdout.strip()
    assert collage("cards", "mask", folder, name, edge, "--set", "coat_weight=1").returncode == 0
    made = collage("cards", "break", folder, name, edge).stdout.strip()
    cards = load_project(folder)[0].materials[name].cards
    assert cards[made].inputs["in"].wire.card == edge
    mixed = next(one for one in cards.values() if one.category == "mix")
    assert mixed.inputs["mix"].wire.card == made
