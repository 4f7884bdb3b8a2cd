"""Effects and masks by the command line."""

from __future__ import annotations

from pathlib import Path

from collage.core.document.materials import surface_card
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
