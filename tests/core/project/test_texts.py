"""Whatever text a person gives, what is saved and loaded again is the same."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from collage.core.base.text import cleaned, holds, one_line
from collage.core.document import edits, frames
from collage.core.document.making import card
from collage.core.document.materials import new_material
from collage.core.document.materialx import parse_document, validate, write_document
from collage.core.document.model import Card, Input, Network
from collage.core.gather.rules import load_rules, save_rules
from collage.core.project.folder import load_project, save_project
from collage.core.project.state import Project
from collage.core.scene.bench import Bench, stock

NASTY = st.text(st.one_of(st.characters(), st.sampled_from("<>&\"'\n\r\t\x00\x01\x1f\x7f\x85\udcff\ufffe\u2028 é漢")))


@given(NASTY)
def test_cleaned_text_is_held_by_every_file_and_stays_as_it_is(text: str) -> None:
    clean = cleaned(text)
    assert cleaned(clean) == clean
    assert holds(clean)
    assert clean.encode().decode() == clean
    assert json.loads(json.dumps(clean)) == clean
    assert "\n" not in one_line(text)


@pytest.mark.parametrize("text", ["Moss <wet> & dry", 'the "old" wall', "tide\nline", "ÄÖ 漢字 🌿", "a='b'"])
def test_what_can_be_held_is_kept_as_it_is(text: str) -> None:
    assert cleaned(text) == text


@given(NASTY, NASTY, NASTY)
def test_documents_are_read_as_they_were_written(title: str, value: str, note: str) -> None:
    network = Network({"c": Card("c", "image", "color3", {"file": Input("file", "filename", value)})})
    network = edits.set_attribute(network, "c", "uiname", title)
    network = edits.set_attribute(network, "c", "doc", note)
    written = write_document(network)
    again = parse_document(written.encode())
    assert write_document(again) == written
    found = again.cards["c"]
    assert found.inputs["file"] == network.cards["c"].inputs["file"]
    assert found.title == network.cards["c"].title == cleaned(title)
    assert found.attributes["doc"] == network.cards["c"].attributes["doc"]


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=60)
@given(NASTY, NASTY, NASTY, NASTY)
def test_projects_are_loaded_as_they_were_saved(tmp_path: Path, name: str, wanted: str, other: str, thing: str) -> None:
    project = Project(cleaned(name), {"Plain": new_material()}, Bench(objects=(stock(cleaned(thing), "sphere"),)))
    for text in (wanted, other, wanted):
        project = project.with_material(project.free_material_name(text), new_material())
    assert len(project.materials) == 4
    save_project(project, tmp_path / "p", keep_copy=False)
    assert load_project(tmp_path / "p") == (project, [])


@pytest.mark.parametrize("name", ["\udcff", "\x01", "a<b>&\"'", "line\nbreak", "", "   "])
def test_material_names_from_anywhere_make_a_project_that_opens(tmp_path: Path, name: str) -> None:
    project = Project("Shed", {"Plain": new_material()})
    fresh = project.free_material_name(name)
    assert fresh
    save_project(project.with_material(fresh, new_material()), tmp_path)
    assert load_project(tmp_path)[1] == []
    assert fresh in load_project(tmp_path)[0].materials


def test_a_raw_text_deep_in_the_bench_does_no_harm(tmp_path: Path) -> None:
    bench = Bench(objects=(stock("Pot \udcff\x02", "pot"),))
    save_project(Project("She\udc80d", {"Plain": new_material()}, bench), tmp_path)
    found, problems = load_project(tmp_path)
    assert problems == []
    assert (found.name, found.bench.objects[0].name) == ("Shed", "Pot ")


def test_naming_rules_hold_any_word(tmp_path: Path) -> None:
    save_rules((("r\udcffgh", "specular_roughness"),), tmp_path / "names.json")
    assert load_rules(tmp_path / "names.json") == (("rgh", "specular_roughness"),)


def test_groups_and_notes_with_odd_titles_are_sound(library) -> None:
    network = Network({"a": card("a", "constant", "float", (0, 0), value=("float", 0.5))})
    network = edits.set_attribute(network, "a", "uiname", "<b>\x01&")
    assert validate(network) == []
    assert parse_document(write_document(network).encode()).cards["a"].title == "<b>&"
    assert frames.frames(network) == frames.frames(parse_document(write_document(network).encode()))
