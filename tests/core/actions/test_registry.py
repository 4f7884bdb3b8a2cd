"""Acts: every one has a command, every command that changes something has an act, and each is one undoable step."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
import typer

from collage.cli.root import COMMANDS, GROUPS, load_command
from collage.core.actions import bench, boxes, cards, groups, links, materials, wires
from collage.core.actions.load import load_actions
from collage.core.actions.registry import Action, act
from collage.core.actions.session import Session
from collage.core.document.links import Place
from collage.core.document.model import Wire
from collage.core.images.store import ImageStore
from collage.core.nodes.library import Library
from collage.core.scene.bench import AreaLight, Bench
from collage.core.scene.bench import stock as stock_object

WITHOUT_ACT = {
    "samples": "lists", "new": "makes a folder", "demo": "opens the window", "render": "makes a picture",
    "evaluate": "makes pictures", "nodes": "lists", "info": "lists", "library": "lists",
    "seamless": "makes a file", "derive": "makes files", "region": "makes a file", "remake": "makes a file",
    "section": "shows what there is", "masks": "makes a file",
    "cards list": "lists", "cards show": "lists", "cards saved-groups": "lists",
    "materials list": "lists", "materials picture": "makes a picture", "bench show": "lists",
    "cards ramp": "is groups.change with the stops of a ramp",
    "cards save-group": "saves to the library, not to the project",
    "cards insert-group": "is cards.paste from the library",
    "objects list": "shows what there is",
    "objects check": "shows what is wrong",
    "uv list": "shows what there is",
    "uv measure": "shows what there is",
    "renders list": "shows what waits",
    "renders add": "keeps a render on disk, not in the project",
    "renders go": "makes pictures",
    "renders remove": "takes a render off the disk",
    "files": "its acts are those of the dialog of the project's files",
}  # fmt: skip
"""Commands that no act stands behind, and why."""


@pytest.fixture(scope="module")
def actions() -> dict[str, Action]:
    return load_actions()


def all_commands() -> set[str]:
    found = set()
    for name in COMMANDS:
        command: Any = load_command(name)
        found |= (
            {f"{name} {one}" for one in command.list_commands(typer.Context(command))} if name in GROUPS else {name}
        )
    return found


def test_every_act_has_a_command_or_says_why_not(actions) -> None:
    commands = all_commands()
    lacking = {one.name for one in actions.values() if one.command not in commands and not one.without}
    assert lacking == set()


def test_every_command_has_an_act_or_says_why_not(actions) -> None:
    known = {one.command for one in actions.values()} | set(WITHOUT_ACT)
    assert all_commands() - known == set()
    assert set(WITHOUT_ACT) - all_commands() == set(), "the list names only commands that there are"


def test_every_act_has_a_label_and_a_sentence_of_help(actions) -> None:
    for one in actions.values():
        assert one.label, one.name
        assert one.help.endswith("."), f"{one.name} has no help"


def test_one_line_of_help_is_that_of_the_command_itself() -> None:
    for name, (_, text) in COMMANDS.items():
        if name not in GROUPS:
            assert load_command(name).help.split("\n\n")[0].replace("\n", " ").split(".")[0] == text.split(".")[0], name


def test_shortcuts_are_given_once(actions) -> None:
    keys = [one.keys for one in actions.values() if one.keys]
    assert len(keys) == len(set(keys))


def test_two_acts_of_one_name_are_refused(monkeypatch) -> None:
    monkeypatch.setattr(bench, "twin", act("cards.tidy", "Twin")(lambda session: None), raising=False)
    with pytest.raises(ValueError, match=r"called cards\.tidy"):
        load_actions()


@pytest.fixture
def session(library: Library, tmp_path: Path) -> Session:
    made = Session(library, ImageStore())
    lit = Bench(objects=(stock_object("Ball", "sphere", material="Plain"),), lights=(AreaLight(),))
    made.history.reset(made.project.with_bench(lit))
    for category in ("ND_fractal3d_float", "ND_multiply_float", "ND_mix_color3"):
        made.add(library[category], (0.0, 0.0))
    made.wire(Wire("fractal3d"), "multiply", "in1", "float")
    made.add(library["ND_invert_float"], (0.0, 2.0))
    made.wire(Wire("multiply"), "invert", "in", "float")
    made.select(["fractal3d", "multiply"])
    return made


STEPS = {
    "bench.expose": lambda s: bench.expose(s, 0.5),
    "bench.tone": lambda s: bench.tone(s, "srgb"),
    "bench.environment": lambda s: bench.switch_environment(s),
    "bench.light": lambda s: bench.switch_light(s, 0),
    "bench.move_light": lambda s: bench.move_light(s, 10, 5),
    "bench.change_environment": lambda s: bench.change_environment(s, turn=40.0),
    "bench.loud_colour": lambda s: bench.loud_colour(s, "#00ff00"),
    "boxes.add": lambda s: boxes.add_box(s),
    "boxes.note": lambda s: boxes.add_note(s, (0, 0), "dry"),
    "cards.tidy": lambda s: cards.tidy_cards(s),
    "cards.rename": lambda s: cards.rename_card(s, "fractal3d", "Clouds"),
    "cards.paste": lambda s: cards.paste(s, cards.copy(s)),
    "cards.take_out": lambda s: wires.take_out(s, ["multiply"]),
    "cards.swap": lambda s: wires.swap(s, "multiply", "in1", "in2"),
    "cards.cut": lambda s: wires.cut(s, [("multiply", "in1")]),
    "cards.move_wires": lambda s: wires.move_all_wires(s, Wire("multiply"), Wire("fractal3d")),
    "cards.skip": lambda s: s.skip(["multiply"]),
    "cards.remove": lambda s: s.remove(["multiply"]),
    "cards.duplicate": lambda s: s.duplicate(["multiply"]),
    "cards.set": lambda s: s.set_value("multiply", "in2", "float", 3.0),
    "channels.mute": lambda s: s.mute("base_color", True),
    "surfaces.blend": lambda s: s.blend_surface(),
    "groups.make": lambda s: groups.group_cards(s),
    "links.add": lambda s: links.link(s, Place("multiply", "in2"), Place("fractal3d", "amplitude"), "float", 1.0),
    "materials.new": lambda s: materials.new_material_named(s),
    "materials.duplicate": lambda s: materials.duplicate_material(s, "Plain"),
    "materials.rename": lambda s: materials.rename_material(s, "Plain", "Clay"),
    "materials.assign": lambda s: (materials.new_material_named(s, "Other"), materials.assign_material(s, 0, "Other")),
}


@pytest.mark.parametrize("name", STEPS)
def test_an_act_is_undone_in_one_step(session: Session, actions, name: str) -> None:
    assert name in actions
    before, told = session.project, []
    session.problem.connect(told.append)
    STEPS[name](session)
    assert told == []
    assert session.project != before
    session.history.undo()
    if name == "materials.assign":
        session.history.undo()
    assert session.project == before
