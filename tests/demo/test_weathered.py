"""The sample for masks: every effect is to be seen where it belongs, and nothing is wrong."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from collage.core.nodes.effects import effects_of
from collage.core.project.folder import load_project
from collage.core.project.pictures import picture_request
from collage.core.render.renderer import Renderer
from collage.demo.weathered import SHED, YARD, Worn


@pytest.fixture(scope="module")
def folder(samples):
    return samples("weathered-yard")


@pytest.mark.parametrize(
    ("sample", "worn", "labelled"),
    [("weathered-yard", YARD, "Verdigris copper"), ("weathered-shed", SHED, "Lime-bloomed clay")],
)
def test_all_effects_and_the_label_are_there_and_seen(samples, library, sample: str, worn: Worn, labelled: str) -> None:
    folder = samples(sample)
    project, problems = load_project(folder)
    assert not problems
    for name, effect, _ in worn:
        assert effect in effects_of(project.materials[name]).values()
    assert "label" in effects_of(project.materials[labelled]).values()
    request, renderer = picture_request(project, 320, 200, folder=folder), Renderer(library)
    found = renderer.picture(request)
    assert (found.remarks, found.problems) == ((), {})
    for material in {name for name, _, _ in worn} | {labelled}:
        plain = {**request.materials, material: without(request.materials[material])}
        before = renderer.picture(replace(request, materials=plain))
        number = next(at for at, one in enumerate(request.bench.objects) if one.material == material)
        own = found.objects == number
        changed = np.abs(found.display.astype(int) - before.display.astype(int)).max(axis=2) > 8
        assert 0.01 < changed[own].mean() < 0.75, f"{material}: in places"
        assert changed[~own].mean() < 0.02


def without(network):
    """A material with none of its effects at work."""
    for name in effects_of(network):
        card = network.cards[name]
        network = network.with_card(card.with_input(replace(card.inputs["amount"], value=0.0)))
    return network


def test_moss_lies_in_the_joints_and_not_on_the_flags(folder, library) -> None:
    """Green is where the floor lies low, or beside what stands on it."""
    project, _ = load_project(folder)
    alone = project.bench.model_copy(update={"objects": project.bench.objects[:1]})
    request, renderer = picture_request(project.with_bench(alone), 320, 200, folder=folder), Renderer(library)
    colour = renderer.picture(replace(request, mode="base_color")).linear
    height = renderer.picture(replace(request, mode="height")).linear[:, :, 0]
    own = renderer.picture(request).objects == 0
    green = own & (colour[:, :, 1] > 1.25 * colour[:, :, 0]) & (colour[:, :, 1] > 1.6 * colour[:, :, 2])
    assert 0.005 < green.sum() / own.sum() < 0.2
    assert np.median(height[green]) < np.quantile(height[own], 0.2)
