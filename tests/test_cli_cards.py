"""Cards built from the command line: what the board can do, the commands can."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from typer.testing import CliRunner

from collage.cli.root import app
from collage.core.base.errors import CollageError
from collage.core.document.model import Card, Network, Wire
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import run
from collage.core.geometry.points import sheet
from collage.core.images.colour import srgb_to_linear
from collage.core.images.files import write_image
from collage.core.nodes import ramps, stacks
from collage.core.nodes.library import Library
from collage.core.project.folder import load_project
from collage.demo.shed import make_sample

Do = Callable[..., str]


@pytest.fixture(scope="module")
def sample(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("sample") / "ball"
    make_sample("plain-ball", folder)
    return folder


@pytest.fixture
def folder(sample: Path, tmp_path: Path) -> Path:
    import shutil

    return Path(shutil.copytree(sample, tmp_path / "ball"))


@pytest.fixture
def material(folder: Path) -> str:
    return next(iter(load_project(folder)[0].materials))


@pytest.fixture
def do(folder: Path, material: str) -> Do:
    """Runs one of the commands for cards on the material; gives what it says."""

    def command(name: str, *words: object) -> str:
        done = CliRunner().invoke(app, ["cards", name, str(folder), material, *map(str, words)])
        if isinstance(done.exception, CollageError):
            raise done.exception
        assert done.exit_code == 0, done.output
        return done.stdout.strip()

    return command


@pytest.fixture
def cards(folder: Path, material: str) -> Callable[[], dict[str, Card]]:
    return lambda: dict(load_project(folder)[0].materials[material].cards)


def test_a_material_is_built_card_by_card(do: Do, cards, folder: Path, material: str, library: Library) -> None:
    noise = do("add", "Fractal", "--set", "octaves=4", "--at", 1, 2)
    assert noise == "fractal3d"
    assert cards()[noise].inputs["octaves"].value == 4
    finer = cards()[noise].inputs["position"].wire
    assert finer is not None, "a pattern in space starts from a finer position, as on the board"
    levels = do("add", "range", "--type", "float", "--name", "edge")
    do("wire", noise, "edge.in")
    do("set", "edge.inhigh", 0.4)
    mixed = do("add", "mix", "--type", "color3")
    do("set", f"{mixed}.fg", "#ffffff")
    do("set", f"{mixed}.bg", "0.2, 0.1, 0")
    do("wire", levels, f"{mixed}.mix")
    surface = next(name for name, card in cards().items() if card.type == "surfaceshader")
    do("wire", mixed, f"{surface}.base_color")
    do("wire", mixed, f"{surface}.specular_roughness", "--by", "weights")
    inputs = cards()[surface].inputs
    assert inputs["base_color"].wire == Wire(mixed)
    between = cards()[inputs["specular_roughness"].wire.card]
    assert between.category == "luminance" or cards()[between.inputs["in"].wire.card].category == "luminance"
    project, problems = load_project(folder)
    assert not problems
    plan = build_plan(library, project.materials[material], {"out": CardOutput(mixed)}, strict=True)
    values = run(plan, sheet(8, 8))["out"]
    assert np.ptp(values) > 0.05
    do("set", f"{mixed}.mix", 1)
    assert cards()[mixed].inputs["mix"].wire is None, "a value takes the wire's place"
    np.testing.assert_allclose(cards()[mixed].inputs["fg"].value, (1, 1, 1), atol=1e-5)


def test_cards_are_skipped_muted_cut_copied_named_and_removed(do: Do, cards) -> None:
    first = do("add", "noise2d", "--type", "float")
    second = do("add", "contrast", "--type", "float")
    third = do("add", "invert", "--type", "float")
    do("wire", first, f"{second}.in")
    do("wire", second, f"{third}.in")
    do("skip", second)
    assert cards()[second].skipped
    do("skip", second, "--use")
    assert not cards()[second].skipped
    copy = do("duplicate", second)
    assert cards()[copy].inputs["in"].wire == Wire(first)
    do("name", second, "Harder")
    assert cards()[second].title == "Harder"
    do("cut", f"{copy}.in")
    assert "in" not in cards()[copy].inputs
    do("remove", second)
    assert cards()[third].inputs["in"].wire == Wire(first), "the wires are joined"
    do("mute", "base_color")
    surface = next(card for card in cards().values() if card.type == "surfaceshader")
    assert surface.inputs["base_color"].muted
    do("mute", "base_color", "--use")
    surface = next(card for card in cards().values() if card.type == "surfaceshader")
    assert "base_color" not in surface.inputs or not surface.inputs["base_color"].muted
    do("set", f"{first}.amplitude", 2)
    do("reset", f"{first}.amplitude")
    assert "amplitude" not in cards()[first].inputs


def test_what_a_card_has_is_listed(do: Do) -> None:
    noise = do("add", "noise2d", "--type", "float", "--set", "amplitude=0.25")
    contrast = do("add", "contrast", "--type", "float")
    do("wire", noise, f"{contrast}.in")
    rows = {row["input"]: row for row in json.loads(do("show", noise, "--json"))}
    assert rows["amplitude"] == {"input": "amplitude", "type": "float", "value": 0.25, "default": 1.0}
    assert f"from {noise}" in do("show", contrast)


def test_a_ramp_has_any_number_of_stops(do: Do, cards) -> None:
    name = do("add", "ramp")
    do("ramp", name, "0=#000000", "0.3=0.5,0.2,0.1", "1=#ffffff", "--how", "smooth")
    stops, how = ramps.stops_of(cards()[name])
    assert [place for place, _ in stops] == [0, 0.3, 1]
    assert stops[1][1] == (0.5, 0.2, 0.1, 1.0)
    assert how == ramps.SMOOTH
    do("ramp", name, *[f"{k / 13:.3f}={k / 13:.3f}" for k in range(14)])
    assert len(ramps.stops_of(cards()[name])[0]) == 14
    assert all(colour[3] == 1 for _, colour in ramps.stops_of(cards()[name])[0]), "a grey is opaque"
    with pytest.raises(CollageError, match="no interpolation “softly”"):
        do("ramp", name, "0=0", "1=1", "--how", "softly")


def test_a_stack_gets_layers_modes_and_an_order(do: Do, cards) -> None:
    first, second = (do("add", "constant", "--type", "color3") for _ in range(2))
    stack = do("stack", first, second)
    assert [one.source.wire for one in stacks.layers(cards()[stack])] == [Wire(first), Wire(second)]
    do("layer", stack, 3, "--title", "Dust", "--mode", "screen", "--opacity", 0.5, "--value", "#804020")
    dust = stacks.layers(cards()[stack])[2]
    assert (dust.title, dust.mode, dust.opacity.value) == ("Dust", "screen", 0.5)
    np.testing.assert_allclose(dust.source.value, [0.215861, 0.051269, 0.014444], atol=1e-5)
    do("layer", stack, 3, "--to", 1, "--off")
    assert next(one.title for one in stacks.layers(cards()[stack])) == "Dust"
    assert not stacks.layers(cards()[stack])[0].on
    do("layer", stack, 2, "--remove")
    assert len(stacks.layers(cards()[stack])) == 2
    with pytest.raises(CollageError, match="has 2 layers"):
        do("layer", stack, 9)


def test_groups_show_inputs_put_out_more_and_are_kept(
    do: Do, cards, folder: Path, material: str, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setattr("collage.core.assets.shelf.default_folder", lambda: tmp_path / "saved-groups")
    first = do("add", "noise2d", "--type", "float")
    second = do("add", "contrast", "--type", "float")
    do("wire", first, f"{second}.in")
    do("group", first, second, "--title", "Grain")
    do("edit-group", "group", "--show", f"{first}.amplitude", "--show", f"{second}.amount", "--out", first)
    group = cards()["group"]
    assert list(group.inputs)[-2:] == ["amplitude", "amount"]
    assert any(out.wire == Wire(first) for out in group.network.outputs.values())
    do("edit-group", "group", "--order", "amount,amplitude", "--label", "amount=How hard", "--hide", "amplitude")
    group = cards()["group"]
    assert next(iter(group.inputs)) == "amount"
    assert group.inputs["amount"].attributes["uiname"] == "How hard"
    assert "amplitude" not in group.inputs
    do("set", f"{first}.pivot", 0.75, "--in", "group")
    assert cards()["group"].network.cards[first].inputs["pivot"].value == 0.75
    with pytest.raises(CollageError, match="no group “elsewhere”"):
        do("set", f"{first}.pivot", 0.75, "--in", "elsewhere")
    assert do("save-group", "group") == "Grain"
    assert CliRunner().invoke(app, ["cards", "saved-groups"]).stdout.split() == ["Grain"]
    do("insert-group", "Grain")
    assert sum(card.title == "Grain" for card in cards().values()) == 2


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("add", "mystery"), "no kind of card “mystery”"),
        (("add", "mix", "--type", "matrix33"), "no kind of card “mix, matrix33”"),
        (("set", "nothing.amplitude", "1"), "no card “nothing”"),
        (("wire", "nothing", "also.in"), "no card “nothing”"),
        (("set", "here", "1"), "names no input"),
        (("skip", "nothing"), "no card “nothing”"),
        (("ramp", "surface", "0=0", "1=1"), "no ramp with stops"),
        (("edit-group", "surface", "--show", "a.b"), "is no group"),
        (("insert-group", "Nothing kept"), "cannot be read"),
    ],
)
def test_what_cannot_be_done_is_a_sentence_and_nothing_changes(
    do: Do, cards, words: tuple[str, ...], said: str
) -> None:
    surface = next(name for name, card in cards().items() if card.type == "surfaceshader")
    before = cards()
    with pytest.raises(CollageError, match=said):
        do(*[surface if word == "surface" else word for word in words])
    assert cards() == before


def test_a_value_of_the_wrong_kind_is_told(do: Do) -> None:
    name = do("add", "mix", "--type", "color3")
    with pytest.raises(CollageError, match="cannot be “many”"):
        do("set", f"{name}.mix", "many")
    with pytest.raises(CollageError, match="2 numbers, color3 takes 3"):
        do("set", f"{name}.fg", "1, 2")
    with pytest.raises(CollageError, match="has no input “gain”"):
        do("set", f"{name}.gain", "1")


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (("copy", "nosuch"), "no card"),
        (("unlink", "nosuch.in"), "no card"),
        (("unlink", "surface.base_weight"), "follows no other value"),
        (("set", "surface.base_weight", "nan"), "NaN"),
        (("set", "surface.base_color", "1,inf,0"), "NaN"),
    ],
)
def test_what_is_not_there_and_what_is_no_number_is_told(do: Do, words: tuple[str, ...], told: str) -> None:
    with pytest.raises(CollageError, match=told):
        do(*words)


def test_a_picture_is_rendered_by_the_name_of_the_project_file(folder: Path, tmp_path: Path) -> None:
    done = CliRunner().invoke(
        app, ["render", str(folder / "project.json"), "-o", str(tmp_path / "a.png"), "--size", "24x24"]
    )
    assert done.exit_code == 0, done.output
    assert (tmp_path / "a.png").is_file()


def test_an_output_that_is_not_there_is_not_wired(do: Do, cards) -> None:
    name = do("add", "separate3")
    before = cards()
    for output in ("outz", "out"):
        with pytest.raises(CollageError, match="no output") as told:
            do("wire", f"{name}.{output}", "surface.base_weight")
        assert "outr" in told.value.remedy, "what there is instead is named"
    assert cards() == before
    do("wire", f"{name}.outg", "surface.base_weight")


def test_a_file_that_is_set_gets_its_colour_space_and_another_one_by_command(do: Do, cards, tmp_path: Path) -> None:
    write_image(tmp_path / "photo.png", np.random.default_rng(1).integers(0, 255, (8, 8, 3)).astype(np.uint8))
    name = do("add", "image", "--type", "color3")
    do("set", f"{name}.file", tmp_path / "photo.png")
    assert cards()[name].inputs["file"].attributes["colorspace"] == "srgb_texture"
    do("space", f"{name}.file", "acescg")
    assert cards()[name].inputs["file"].attributes["colorspace"] == "acescg"
    do("space", f"{name}.file", "lin_rec709")
    assert "colorspace" not in cards()[name].inputs["file"].attributes
    with pytest.raises(CollageError, match="no colour space"):
        do("space", f"{name}.file", "sepia")


def test_an_image_with_alpha_puts_out_colour_and_alpha(
    do: Do, cards, library: Library, folder: Path, tmp_path: Path
) -> None:
    pixels = np.random.default_rng(2).integers(0, 255, (4, 4, 4)).astype(np.uint8)
    write_image(tmp_path / "cut.png", pixels)
    name = do("image", tmp_path / "cut.png")
    network = Network(cards())
    plan = build_plan(library, network, {key: CardOutput(name, key) for key in ("colour", "alpha")},
                      folder=folder / "materials", filtered=False)  # fmt: skip
    found = run(plan, sheet(4, 4))
    wanted = np.moveaxis(pixels.astype(float) / 255, 2, 0).reshape(4, -1)
    np.testing.assert_allclose(found["alpha"][0], wanted[3], atol=1e-6)
    np.testing.assert_allclose(found["colour"], srgb_to_linear(wanted[:3]), atol=1e-5)
