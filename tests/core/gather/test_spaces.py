"""What a file's numbers mean at an image card: by where they go, what the file holds and what it looks like."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from collage.core.document.materialx import parse_document
from collage.core.document.model import Input, Network
from collage.core.gather.spaces import DATA, LINEAR, SRGB, channels_fed, doubts_of, note_of, with_file
from collage.core.images.files import write_image

GRAPH = """<image name="i" type="{type}"/>
<multiply name="m" type="{type}"><input name="in1" type="{type}" nodename="i"/></multiply>{more}
<open_pbr_surface name="s" type="surfaceshader"><input name="{channel}" type="{type}" nodename="{last}"/></open_pbr_surface>"""


def network(calculate, channel: str = "base_color", kind: str = "color3", more: str = "", last: str = "m") -> Network:
    made: Network = calculate.document(GRAPH.format(type=kind, channel=channel, more=more, last=last))
    return made


def photograph(folder: Path, name: str = "p.png") -> Path:
    path = folder / name
    pixels = np.random.default_rng(1).random((80, 90, 3), np.float32)
    write_image(path, pixels if path.suffix == ".exr" else (pixels * 255).astype(np.uint8))
    return path


def normal_map(folder: Path) -> Path:
    lean = np.random.default_rng(2).normal(0, 0.2, (80, 90, 2))
    way = np.concatenate([lean, np.ones((80, 90, 1))], axis=2)
    way /= np.linalg.norm(way, axis=2, keepdims=True)
    write_image(folder / "n.png", np.rint((way * 0.5 + 0.5) * 255).astype(np.uint8))
    return folder / "n.png"


def space_at(graph: Network, path: Path) -> str:
    given = with_file(graph, "i", Input("file", "filename", str(path)), path)
    return given.attributes.get("colorspace", "")


def test_where_a_file_goes_is_followed_through_cards_and_outputs(calculate) -> None:
    assert channels_fed(network(calculate), "i") == {"base_color"}
    group = calculate.document('<image name="i" type="color3"/><output name="roughness" type="color3" nodename="i"/>')
    assert channels_fed(group, "i") == {"roughness"}


@pytest.mark.parametrize(
    ("channel", "kind", "file", "space"),
    [
        ("base_color", "color3", "p.png", SRGB),
        ("coat_color", "color3", "p.jpg", SRGB),
        ("base_color", "color3", "p.exr", ""),
        ("geometry_normal", "color3", "p.png", ""),
        ("specular_roughness", "float", "p.png", ""),
        ("geometry_normal", "vector3", "p.png", ""),
    ],
)
def test_a_file_gets_the_space_that_fits(
    calculate, tmp_path: Path, channel: str, kind: str, file: str, space: str
) -> None:
    assert space_at(network(calculate, channel, kind), photograph(tmp_path, file)) == space


def test_a_normal_map_that_goes_nowhere_yet_is_data_and_a_photograph_is_srgb(calculate, tmp_path: Path) -> None:
    free = calculate.document('<image name="i" type="color3"/>')
    assert space_at(free, normal_map(tmp_path)) == ""
    assert space_at(free, photograph(tmp_path)) == SRGB


def test_a_file_that_is_missing_keeps_what_it_has(calculate, tmp_path: Path) -> None:
    one = Input("file", "filename", "gone.png", attributes={"colorspace": "acescg"})
    assert with_file(network(calculate), "i", one, tmp_path / "gone.png") is one


@pytest.mark.parametrize(
    ("channel", "file", "space", "wanted", "doubted"),
    [
        ("base_color", "p.png", SRGB, SRGB, False),
        ("base_color", "p.png", "", SRGB, True),
        ("base_color", "p.png", "g22_rec709", SRGB, False),
        ("geometry_normal", "p.png", SRGB, DATA, True),
        ("base_color", "p.exr", SRGB, LINEAR, True),
        ("base_color", "p.exr", "", LINEAR, False),
    ],
)
def test_what_speaks_against_a_space_is_told(
    calculate, tmp_path: Path, channel: str, file: str, space: str, wanted: str, doubted: bool
) -> None:
    path = photograph(tmp_path, file)
    attributes = {"colorspace": space} if space else {}
    graph = network(calculate, channel)
    card = graph.cards["i"].with_input(Input("file", "filename", path.name, attributes=attributes))
    graph = graph.with_card(card)
    note = note_of(graph, card, card.inputs["file"], path)
    assert note is not None
    assert (note.wanted, bool(note.doubt)) == (wanted, doubted)
    assert note.text == ("90 × 80 · 32 bit float · RGB" if file.endswith("exr") else "90 × 80 · 8 bit · RGB")
    assert list(doubts_of(graph, lambda stored: tmp_path / stored)) == (["i"] if doubted else [])


def vectors(lean: float = 0.0, length: float = 1.0) -> np.ndarray:
    """A picture of directions that scatter about one that leans to the right."""
    rng = np.random.default_rng(5)
    out = np.concatenate([rng.normal(0, 0.2, (96, 96, 2)), np.ones((96, 96, 1))], axis=2) + np.array([lean, 0, 0])
    out *= length / np.linalg.norm(out, axis=2, keepdims=True)
    return np.round((out / 2 + 0.5) * 255).clip(0, 255).astype(np.uint8)


@pytest.mark.parametrize(
    ("pixels", "reason"),
    [
        (vectors(), ""),
        (vectors(lean=0.8), "lean to one side"),
        (vectors(length=0.4), "directions of length 1"),
        (np.repeat(np.random.default_rng(1).integers(0, 255, (96, 96, 1)), 3, axis=2).astype(np.uint8), "grey"),
        (np.full((96, 96, 3), (128, 128, 255), np.uint8), ""),
    ],
)
@pytest.mark.parametrize("through", [False, True])
def test_a_picture_that_is_no_normal_map_is_told_where_it_is_used_as_one(
    tmp_path: Path, pixels: np.ndarray, reason: str, through: bool
) -> None:
    write_image(tmp_path / "a.png", pixels)
    between = (
        '<clg_normal_format name="f" type="vector3"><input name="in" type="vector3" nodename="i"/></clg_normal_format>'
    )
    used = parse_document(
        f"""<materialx version="1.39">
        <image name="i" type="vector3"><input name="file" type="filename" value="a.png"/></image>
        {between if through else ""}
        <normalmap name="n" type="vector3">
            <input name="in" type="vector3" nodename="{"f" if through else "i"}"/></normalmap>
        <image name="other" type="vector3"><input name="file" type="filename" value="a.png"/></image>
        </materialx>""".encode()
    )
    found = doubts_of(used, lambda stored: tmp_path / stored)
    assert list(found) == (["i"] if reason else [])
    assert reason in found.get("i", "")
    assert doubts_of(used, lambda stored: tmp_path / "none.png") == {}
