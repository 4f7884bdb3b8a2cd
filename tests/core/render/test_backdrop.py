"""What is seen behind the objects: grey, the environment sharp or blurred, or nothing."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from collage.core.document import edits
from collage.core.document.materials import new_material
from collage.core.document.model import Network
from collage.core.images.files import read_pixels, write_image
from collage.core.render.environment import load_environment, neutral_balance
from collage.core.render.files import write_picture
from collage.core.render.latlong import to_direction
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.render.tracing import Tracing
from collage.core.scene.bench import Bench, Environment, stock
from collage.core.scene.cameras import Camera

EYE = Camera(turn=0, height=0, distance=1.0, target=(0, 0.1, 0), field=60)
SIZE = 40


@pytest.fixture
def renderer(library, workers) -> Renderer:
    return Renderer(library, workers=workers)


@pytest.fixture
def sky(tmp_path: Path) -> Path:
    """A picture whose light is a smooth function of the direction."""
    height, width = 128, 256
    v, u = np.meshgrid(1 - (np.arange(height) + 0.5) / height, (np.arange(width) + 0.5) / width, indexing="ij")
    write_image(tmp_path / "sky.exr", light_from(to_direction(u.ravel(), v.ravel())).reshape(height, width, 3), bits=32)
    return tmp_path / "sky.exr"


def light_from(way: np.ndarray) -> np.ndarray:
    return np.asarray(1 + way * 0.5, np.float32)


def shown(renderer: Renderer, sky: Path, behind: str, quality: str = "draft", **more):
    return renderer.picture(asked(sky, behind, quality, **more))


def asked(sky: Path, behind: str, quality: str = "draft", **more) -> PictureRequest:
    around = {"turn": 0.0, "strength": 1.0, **{key: more.pop(key) for key in ("turn", "strength") if key in more}}
    environment = Environment(file=sky.name, behind=behind, **around)
    item = stock("Ball", "sphere", sizes={"radius": 0.1}, material="m")
    bench = Bench(objects=(item,), camera=EYE, environment=environment, ground=False).model_copy(update=more)
    materials = {"m": more.get("material", new_material())}
    return PictureRequest(
        bench, materials, SIZE, SIZE, quality, tracing=Tracing(samples=16), folder=sky.parent  # type: ignore[arg-type]
    )  # fmt: skip


@pytest.mark.parametrize("quality", ["coarse", "draft", "final", "traced"])
@pytest.mark.parametrize("turn", [0.0, 70.0])
def test_the_picture_behind_is_the_light_from_there(renderer, sky: Path, quality: str, turn: float) -> None:
    found = shown(renderer, sky, "sharp", quality, turn=turn, strength=1.5, camera=EYE)
    x, y = np.meshgrid(np.arange(SIZE) + 0.5, np.arange(SIZE) + 0.5)
    ways = EYE.ways(np.stack([x.ravel(), y.ravel()], axis=1), SIZE, SIZE)
    a = np.radians(turn)
    own = np.stack([ways[:, 0] * np.cos(a) + ways[:, 2] * np.sin(a), ways[:, 1],
                    ways[:, 2] * np.cos(a) - ways[:, 0] * np.sin(a)], axis=1)  # fmt: skip
    wanted = 1.5 * light_from(own).reshape(SIZE, SIZE, 3)
    there = found.objects < 0
    there[10:30, 10:30] = False  # away from the edge of the ball
    np.testing.assert_allclose(found.linear[there], wanted[there], rtol=0.01)


def test_a_mirror_and_what_is_behind_it_see_the_same_sky(renderer, sky: Path) -> None:
    """The picture is turned as the light is: through clear glass without bending it goes on."""
    glass = new_material()
    for name, kind, value in (("transmission_weight", "float", 1.0), ("geometry_thin_walled", "boolean", True),
                              ("specular_weight", "float", 0.0)):  # fmt: skip
        glass = edits.set_value(glass, "surface", name, kind, value)
    bench = {"objects": (stock("Pane", "plane", sizes={"width": 0.2, "depth": 0.2}, tilt=90.0, place=(0, 0.1, 0),
                               material="m"),)}  # fmt: skip
    environment = Environment(file=sky.name, behind="sharp", turn=40.0)
    made = Bench(camera=EYE, environment=environment, ground=False).model_copy(update=bench)
    request = PictureRequest(made, {"m": glass}, SIZE, SIZE, "traced", tracing=Tracing(samples=64), folder=sky.parent)
    found = renderer.picture(request)
    inside = found.objects == 0
    assert inside.sum() > 20
    empty = renderer.picture(PictureRequest(
        made.model_copy(update={"objects": ()}), {}, SIZE, SIZE, "traced", tracing=Tracing(samples=1), folder=sky.parent
    ))  # fmt: skip
    np.testing.assert_allclose(found.linear[inside].mean(axis=0), empty.linear[inside].mean(axis=0), rtol=0.02)


def test_blurred_has_the_same_light_without_detail(renderer, tmp_path: Path) -> None:
    noise = np.random.default_rng(4).random((128, 256, 3)).astype(np.float32)
    write_image(tmp_path / "noise.exr", noise, bits=32)
    sharp, blurred = (shown(renderer, tmp_path / "noise.exr", one, objects=()).linear for one in ("sharp", "blurred"))
    assert blurred.mean() == pytest.approx(sharp.mean(), rel=0.05)
    assert blurred.std() < 0.25 * sharp.std()


@pytest.mark.parametrize("quality", ["final", "traced"])
def test_nothing_behind_leaves_a_cut_out_with_shadows(renderer, sky: Path, tmp_path: Path, quality: str) -> None:
    found = shown(renderer, sky, "none", quality, ground=True)
    assert found.alpha is not None
    assert found.alpha[0].max() < 0.02, "the sky is clear"
    assert np.median(found.alpha[found.objects == 0]) == pytest.approx(1, abs=1e-3)
    assert found.alpha[20, 20] == pytest.approx(1, abs=1e-3)
    ground = found.objects == -1
    assert 0.02 < found.alpha[ground].max() < 1, "what is dark on the ground covers what will lie there"
    plain = shown(renderer, sky, "plain", quality, ground=True)
    grey = plain.linear[0, 0]
    np.testing.assert_allclose(found.linear + (1 - found.alpha[:, :, None]) * grey, plain.linear, atol=2e-3)
    wish = asked(sky, "none", quality, ground=True)
    write_picture(wish, found, tmp_path / "cut.png")
    pixels = read_pixels(tmp_path / "cut.png")
    assert pixels.shape[2] == 4
    np.testing.assert_allclose(pixels[:, :, 3] / 255, found.alpha, atol=0.5 / 255 + 1e-6)
    write_picture(wish, found, tmp_path / "fine.png", bits=16)
    np.testing.assert_allclose(read_pixels(tmp_path / "fine.png")[:, :, 3] / 65535, found.alpha, atol=1e-5)
    write_picture(wish, found, tmp_path / "cut.exr")
    stored = read_pixels(tmp_path / "cut.exr")
    np.testing.assert_allclose(stored[:, :, 3], found.alpha, atol=1e-3)
    assert shown(renderer, sky, "plain", quality).alpha is None


def test_a_leaf_is_clear_where_it_is_open(renderer, sky: Path) -> None:
    half = edits.set_value(new_material(), "surface", "geometry_opacity", "float", 0.25)
    bench = Bench(
        objects=(stock("Leaf", "plane", sizes={"width": 0.4, "depth": 0.4}, tilt=90.0, place=(0, 0.1, 0), material="m"),),
        camera=EYE, environment=Environment(file=sky.name, behind="none"), ground=False,
    )  # fmt: skip
    for quality, within in (("draft", 0.01), ("traced", 0.15)):
        request = PictureRequest(
            bench, {"m": half}, SIZE, SIZE, quality, tracing=Tracing(samples=64), folder=sky.parent  # type: ignore[arg-type]
        )  # fmt: skip
        found = renderer.picture(request)
        assert found.alpha is not None
        assert found.alpha[18:22, 18:22].mean() == pytest.approx(0.25, abs=within)


def test_balance_makes_white_paper_grey_and_as_bright(renderer, tmp_path: Path) -> None:
    warm = np.broadcast_to(np.array([1.0, 0.7, 0.4], np.float32), (64, 128, 3))
    write_image(tmp_path / "warm.exr", np.ascontiguousarray(warm), bits=32)
    balance = neutral_balance(load_environment(tmp_path / "warm.exr"))
    paper: Network = new_material()
    for name, value in (("base_color", (1.0, 1.0, 1.0)), ("specular_weight", 0.0)):
        paper = edits.set_value(paper, "surface", name, "color3" if isinstance(value, tuple) else "float", value)
    item = stock("Sheet", "plane", sizes={"width": 0.2, "depth": 0.2}, material="m")
    for by, same in (((1.0, 1.0, 1.0), False), (balance, True)):
        environment = Environment(file="warm.exr", balance=by, behind="sharp")
        bench = Bench(objects=(item,), camera=EYE.model_copy(update={"height": 70.0, "target": (0, 0, 0), "field": 5.0}),
                      environment=environment, ground=False)  # fmt: skip
        for quality in ("draft", "traced"):
            request = PictureRequest(
                bench, {"m": paper}, 8, 8, quality, tracing=Tracing(samples=64), folder=tmp_path  # type: ignore[arg-type]
            )  # fmt: skip
            red, green, blue = renderer.picture(request).linear.mean(axis=(0, 1))
            assert (abs(red - blue) < 0.01 * green) == same
            assert red * 0.2126 + green * 0.7152 + blue * 0.0722 == pytest.approx(0.7421 * 1.0, rel=0.05)


@pytest.mark.parametrize("turn", [0.0, 90.0, -60.0])
def test_a_turned_environment_throws_its_shadow_to_the_same_side_in_draft_and_traced(
    renderer, tmp_path: Path, turn: float
) -> None:
    """Light from one side, seen from above: the shadow of a ball lies on the other."""
    v, u = np.meshgrid(1 - (np.arange(64) + 0.5) / 64, (np.arange(128) + 0.5) / 128, indexing="ij")
    ways = to_direction(u.ravel(), v.ravel())
    bright = np.where((ways[:, :1] + ways[:, 1:2]) * 0.7071 > 0.95, 30.0, 0.02)
    write_image(tmp_path / "lamp.exr", np.repeat(bright, 3, axis=1).reshape(64, 128, 3).astype(np.float32), bits=32)
    plate = stock("Plate", "plane", sizes={"width": 0.8, "depth": 0.8}, place=(0, 0.001, 0), material="m")
    bench = Bench(
        objects=(stock("Ball", "sphere", sizes={"radius": 0.1}, material="m"), plate), ground=False,
        camera=Camera(turn=0, height=88.0, distance=1.5, target=(0, 0, 0), field=30),
        environment=Environment(file="lamp.exr", turn=turn),
    )  # fmt: skip
    away = {}
    for quality in ("draft", "traced"):
        request = PictureRequest(
            bench, {"m": new_material()}, 48, 48, quality, tracing=Tracing(samples=32), folder=tmp_path  # type: ignore[arg-type]
        )  # fmt: skip
        found = renderer.picture(request)
        light = found.linear[:, :, 0]
        y, x = np.nonzero((found.objects == 1) & (light < 0.6 * np.median(light[found.objects == 1])))
        away[quality] = np.array([x.mean(), y.mean()]) - 23.5
    one, other = away["draft"], away["traced"]
    assert one @ other / np.linalg.norm(one) / np.linalg.norm(other) > 0.9
