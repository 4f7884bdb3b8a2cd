"""Real sizes: what is said to be so wide is so wide on the object, counted in the picture."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from collage.core.actions.session import Session
from collage.core.actions.sets import build
from collage.core.document.model import Card, Input, Network, Wire
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import run
from collage.core.gather.build import BuildOptions
from collage.core.gather.scan import gathered
from collage.core.geometry.points import sheet
from collage.core.geometry.stock import SHAPES, shape
from collage.core.images.files import write_image
from collage.core.images.store import ImageStore
from collage.core.render.samples import find_samples
from collage.core.scene.bench import stock
from collage.core.scene.cameras import Camera
from collage.core.scene.relief import span_of
from collage.core.scene.scene import build_scene


def points_of(item, camera: Camera, size: tuple[int, int]):
    samples = find_samples(build_scene((item,), False), camera, size, edges=False)
    return samples, samples.groups[0].points


@pytest.mark.parametrize("name", sorted(SHAPES))
def test_repeats_and_real_sizes_agree_on_every_stock_shape(name: str) -> None:
    """In the mean over the surface a tile of one hundredth of the span is one hundredth of a metre-step away."""
    mesh = shape(name)
    span = span_of(mesh)
    corners = mesh.positions[mesh.triangles].astype(np.float64)
    uv = next(iter(mesh.uv.values())).reshape(-1, 3, 2).astype(np.float64)
    e = np.stack([corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]], axis=2)
    d = np.stack([uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]], axis=2)
    good = np.abs(np.linalg.det(d)) > 1e-9
    along = e[good] @ np.linalg.inv(d[good])  # metres for one unit of u and of v
    weight = mesh.areas[good] / mesh.areas[good].sum()
    lengths = np.linalg.norm(along, axis=1)
    wanted = (lengths * weight[:, None]).sum(axis=0)
    assert (span.u, span.v) == pytest.approx(tuple(wanted), rel=0.01)


@pytest.fixture
def bricks(tmp_path: Path) -> Path:
    """A map of one brick of 21.5 x 6.5 cm with its joints, and its height."""
    picture = np.full((130, 430, 3), (150, 70, 50), np.uint8)
    picture[:16] = picture[:, :16] = (190, 185, 180)
    write_image(tmp_path / "brick_basecolor.png", picture)
    write_image(tmp_path / "brick_height.png", np.where(picture[..., :1] == 150, 200, 40).astype(np.uint8))
    return tmp_path


def test_a_wall_has_bricks_of_their_real_width_in_the_picture(library, bricks: Path) -> None:
    """Built in Gather with a tile 21.5 cm wide: periods across and up the picture, found by autocorrelation."""
    session = Session(library, ImageStore())
    wall = stock("Wall", "wall", material="Plain")
    session.edit_bench("wall", lambda bench: bench.model_copy(update={"objects": (wall,), "ground": False}))
    (found,) = gathered(bricks).sets
    name = build(session, replace(found, metres=0.215), bricks, BuildOptions(), copy=False, part=0)
    document = session.project.materials[name]
    (placed,) = (card for card in document.cards.values() if card.network is not None)
    mesh = wall.mesh()
    low, high = mesh.bounds
    camera = Camera(turn=0, height=0, distance=40, field=2.0).framing(low, high)
    size = (900, 700)
    samples, points = points_of(wall, camera, size)
    plan = build_plan(library, document, {"out": CardOutput(placed.name, "base_color")}, folder=bricks, strict=True)
    red = np.zeros(size[0] * size[1])
    red[samples.pixel] = run(plan, points)["out"][1]
    rows = red.reshape(size[1], size[0])
    seen = np.zeros_like(red)
    seen[samples.pixel] = points.normal[2] > 0.99
    mask = seen.reshape(size[1], size[0]) > 0
    middle = int(np.flatnonzero(mask.any(axis=1)).mean())
    columns = np.flatnonzero(mask[middle])
    across = rows[middle - 40 : middle + 40, columns[0] : columns[-1] + 1].mean(axis=0)
    along = rows[:, columns[0] : columns[-1] + 1][np.flatnonzero(mask.any(axis=1))].mean(axis=1)
    metres = (high[0] - low[0]) / len(columns)
    assert period(across) * metres == pytest.approx(0.215, rel=0.03)
    assert period(along) * metres == pytest.approx(0.065, rel=0.03)


def period(values: np.ndarray) -> float:
    """The first strong period of a row of values, in pixels, between the peak and its neighbours."""
    values = values - values.mean()
    power = np.abs(np.fft.rfft(values, 4 * len(values))) ** 2
    found = np.fft.irfft(power)[: len(values) * 3 // 4]
    found = found / (len(values) - np.arange(len(found)))
    down = int(np.argmax(found < 0))
    peaks = [at for at in range(down + 1, len(found) - 1) if found[at - 1] < found[at] >= found[at + 1]]
    first = next(at for at in peaks if found[at] > 0.6 * max(found[one] for one in peaks))
    a, b, c = found[first - 1 : first + 2]
    return first + 0.5 * (a - c) / (a - 2 * b + c)


def test_turning_about_the_pivot_leaves_the_pivot(library) -> None:
    flat = np.linspace(0, 1, 33)
    u, v = (part.ravel() for part in np.meshgrid(flat, flat))

    points = replace(sheet(u.size, 1), uv={"UVMap": np.stack([u, v]).astype(np.float32)})
    card = Card("p", "place2d", "vector2", {
        "texcoord": Input("texcoord", "vector2", None, Wire("uv")), "pivot": Input("pivot", "vector2", (0.25, 0.75)),
        "rotate": Input("rotate", "float", 37.0), "scale": Input("scale", "vector2", (0.5, 0.25)),
    })  # fmt: skip
    network = Network().with_card(Card("uv", "texcoord", "vector2")).with_card(card)
    plan = build_plan(library, network, {"out": CardOutput("p")}, strict=True)
    found = run(plan, points)["out"]
    here = (u == 0.25) & (v == 0.75)
    assert found[:, here].ravel() == pytest.approx([0.25, 0.75], abs=1e-6)
    away = np.hypot(*(found - [[0.25], [0.75]]))
    assert away[~here].min() > 0.01
