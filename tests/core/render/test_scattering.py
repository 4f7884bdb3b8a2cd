"""Paths at surfaces: several points at once get what each gets alone, and several samples what they get apart."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from numba import njit

from collage.core.document import edits
from collage.core.document.materials import new_material
from collage.core.evaluate.run import Cancelled
from collage.core.kernels import packed as s
from collage.core.kernels.layers import Has
from collage.core.kernels.lobes import chosen, hit_at, next_way, reflected
from collage.core.kernels.reflection import arcsine, circle, turn_to
from collage.core.render import traced as module
from collage.core.render.energy import energy_table
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.render.traced import samples_at_once
from collage.core.render.traced_pictures import TracedPicture
from collage.core.render.tracing import Tracing
from collage.core.scene.bench import Bench, Camera, Environment, stock

F = np.float32


def test_angles_by_polynomials_are_those_of_the_mathematics_library() -> None:
    @njit
    def angles(x, y):  # type: ignore[no-untyped-def]
        return circle(x), arcsine(y), turn_to(y, x - F(0.5))

    rng = np.random.default_rng(3)
    for x, y in [(0.0, -1.0), (0.5, 1.0), (0.999999, 0.0), (0.125, 1e-7), *rng.uniform((0, -1), (1, 1), (4000, 2))]:
        x, y = F(x), F(y)
        (cosine, sine), sloping, turn = angles(x, y)
        assert abs(cosine - math.cos(2 * math.pi * x)) < 5e-7
        assert abs(sine - math.sin(2 * math.pi * x)) < 5e-7
        assert abs(sloping - math.asin(y)) < 5e-7
        assert abs(turn - math.atan2(y, x - F(0.5)) / (2 * math.pi)) < 2e-7


PLAIN, COATED = Has(False, False, False, False, False), Has(True, False, False, False, False)
ALL, MATT = Has(True, True, True, True, False), Has(False, False, False, False, True)


def _asking(has: Has):  # type: ignore[no-untyped-def]
    @njit
    def one(surface, geometry, table, numbers, ways, sent, density, drawn):  # type: ignore[no-untyped-def]
        """What is sent of light from `ways`, how likely these are, and what a path brings that is drawn."""
        hit = hit_at(surface, geometry, 0, table, has)
        for i in range(len(ways)):
            found, likely = reflected(surface, hit, (ways[i, 0], ways[i, 1], ways[i, 2]), has)
            sent[i], density[i] = found[1], likely
            lobe, _ = chosen(hit.lobes, numbers[i, 0])
            way = next_way(hit, lobe, (numbers[i, 1], numbers[i, 2]), numbers[i, 0], has)
            found, likely = reflected(surface, hit, way, has)
            drawn[i] = found[1] / likely if likely > F(0) else F(0)

    return one


ASKING = {has: _asking(has) for has in (MATT, PLAIN, COATED, ALL)}


def surface_of(**rows: float) -> np.ndarray:
    """One point of a grey surface."""
    surface = np.zeros((s.MORE_ROWS, 1), F)
    surface[s.BASE : s.BASE + 3], surface[s.SPECULAR : s.SPECULAR + 3] = 0.6, 1
    surface[s.SPECULAR_WEIGHT], surface[s.IOR], surface[s.ROUGHNESS] = 1, 1.5, 0.5
    surface[s.COAT_COLOUR : s.COAT_COLOUR + 3], surface[s.COAT_IOR], surface[s.COAT_ROUGHNESS] = 1, 1.6, 0.3
    surface[s.FUZZ_COLOUR : s.FUZZ_COLOUR + 3], surface[s.FUZZ_ROUGHNESS] = 0.8, 0.5
    surface[s.TANGENT] = surface[s.COAT_TANGENT] = 1
    for name, value in rows.items():
        surface[getattr(s, name.upper())] = value
    return surface


def asked(surface: np.ndarray, has: Has, count: int = 300_000) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Ways, evenly from all around a point seen at a slant, what is sent of them, how likely they are, and see above."""
    rng, geometry = np.random.default_rng(8), np.zeros((s.GEOMETRY_ROWS, 1), F)
    for row in (s.NORMAL, s.COAT_NORMAL, s.OWN_NORMAL):
        geometry[row + 2] = 1
    geometry[s.VIEW : s.VIEW + 3, 0] = np.array([-0.6, 0, -0.8])
    ways = rng.normal(size=(count, 3))
    ways = (ways / np.linalg.norm(ways, axis=1, keepdims=True)).astype(F)
    sent, density, drawn = np.empty((3, count), F)
    ASKING[has](surface, geometry, energy_table(), rng.random((count, 3), F), ways, sent, density, drawn)
    return ways, sent, density, drawn


SURFACES = {
    "matt": (MATT, {"specular_weight": 0.0}),
    "matt and smooth": (PLAIN, {}),
    "rough": (PLAIN, {"diffuse_roughness": 0.8, "roughness": 0.9}),
    "metal": (PLAIN, {"metal": 1.0, "roughness": 0.4}),
    "coated": (COATED, {"coat": 0.7, "coat_darkening": 1.0}),
    "brushed": (ALL, {"metal": 1.0, "brushed": 0.7}),
    "fuzzy": (ALL, {"fuzz": 0.6}),
    "a thin wall": (ALL, {"thin": 1.0, "soft": 0.8}),
}


@pytest.mark.parametrize("name", SURFACES)
def test_paths_bring_what_light_from_everywhere_is_sent_back(name: str) -> None:
    """Two ways to the same integral: even light from all directions, and paths that are drawn."""
    has, rows = SURFACES[name]
    _, sent, density, drawn = asked(surface_of(**rows), has)
    assert drawn.mean() == pytest.approx(4 * math.pi * sent.mean(), rel=0.02)
    assert 0.1 < drawn.mean() < 1
    # drawn ways may go below the surface, where nothing is likely
    assert 0.9 < 4 * math.pi * density.mean() < 1.01


@pytest.mark.parametrize("name", ["matt", "matt and smooth", "rough", "metal"])
def test_a_surface_is_the_same_whatever_else_it_might_have(name: str) -> None:
    least, rows = SURFACES[name]
    surface = surface_of(**rows)
    plain = asked(surface, least, 2000)
    for has in (PLAIN, COATED, ALL):
        for one, other in zip(plain, asked(surface, has, 2000), strict=True):
            np.testing.assert_allclose(one, other, rtol=2e-4, atol=1e-6)


def test_the_first_samples_are_made_alone_and_those_of_large_pictures() -> None:
    made = [0]
    while made[-1] < 30:
        made.append(made[-1] + samples_at_once(640 * 480, made[-1], 30))
    assert made == [0, 1, 2, 4, 8, 12, 16, 20, 24, 28, 30]
    assert samples_at_once(1920 * 1080, 50, 64) == 1


@pytest.fixture
def request_of_a_room() -> PictureRequest:
    """White walls around a ball, in which paths go on for long."""
    network = edits.set_value(new_material(), "surface", "base_color", "color3", (0.9, 0.9, 0.9))
    ball = stock("Ball", "sphere", material="m", sizes={"radius": 0.08}, place=(0, 0, 0))
    walls = [
        stock(f"Wall {z}", "rounded box", material="m", place=(0, 0, z),
              sizes={"width": 0.6, "height": 0.4, "depth": 0.02})
        for z in (-0.15, 0.15)
    ]  # fmt: skip
    camera = Camera(turn=70, height=20, distance=0.9, target=(0, 0.1, 0))
    bench = Bench(objects=(ball, *walls), camera=camera, environment=Environment(strength=1.0))
    return PictureRequest(bench, {"m": network}, 60, 40, "traced", tracing=Tracing(samples=8, brightest=1e30))


def sums(making: TracedPicture) -> tuple[np.ndarray, np.ndarray]:
    *_, (exposed, _) = making.passes()
    return exposed.radiance.copy(), exposed.squares.copy()


def test_paths_that_go_on_together_bring_what_they_bring_block_by_block(
    library, request_of_a_room, monkeypatch
) -> None:
    found = []
    for few in (-1.0, 1.0):
        monkeypatch.setattr(module, "FEW", few)
        found.append(sums(TracedPicture(Renderer(library), request_of_a_room)))
    for apart, together in zip(*found, strict=True):
        np.testing.assert_allclose(apart, together, rtol=1e-4, atol=1e-5)


def test_samples_made_at_once_are_those_that_are_made_apart(library, request_of_a_room, monkeypatch) -> None:
    at_once = sums(TracedPicture(Renderer(library), request_of_a_room))
    monkeypatch.setattr(module, "MOST_AT_ONCE", 1)
    apart = sums(TracedPicture(Renderer(library), request_of_a_room))
    for one, other in zip(at_once, apart, strict=True):
        np.testing.assert_allclose(one, other, rtol=1e-4, atol=1e-5)


@pytest.mark.parametrize("asked_until", [3, 40, 75])
def test_what_is_called_off_in_the_midst_of_samples_goes_on(library, request_of_a_room, asked_until: int) -> None:
    whole, asked = sums(TracedPicture(Renderer(library), request_of_a_room)), []

    def cancelled() -> bool:
        asked.append(None)
        return len(asked) > asked_until

    making = TracedPicture(Renderer(library), replace(request_of_a_room), cancelled)
    with pytest.raises(Cancelled):
        sums(making)
    making.go_on(lambda: False)
    for one, other in zip(whole, sums(making), strict=True):
        np.testing.assert_array_equal(one, other)


def test_what_is_hardly_not_matt_looks_as_what_is(library, request_of_a_room) -> None:
    """A surface that mirrors nothing has a pass of its own, which is to be no other surface."""
    films = []
    for weight in (0.0, 1e-7):
        network = edits.set_value(request_of_a_room.materials["m"], "surface", "specular_weight", "float", weight)
        films.append(sums(TracedPicture(Renderer(library), replace(request_of_a_room, materials={"m": network})))[0])
    matt, other = (film.reshape(3, 4, 10, 6, 10).mean(axis=(2, 4)) for film in films)  # squares of ten pixels
    assert matt.mean() > 0.1
    np.testing.assert_allclose(matt.mean(), other.mean(), rtol=2e-3)
    np.testing.assert_allclose(matt, other, rtol=0.03, atol=0.01)  # paths that are mirrored now and then are others


def test_a_picture_does_not_depend_on_which_blocks_are_begun_first(library, request_of_a_room, monkeypatch) -> None:
    monkeypatch.setattr(module, "BLOCK", 500)
    found = []
    for order in (1, -1):
        making = TracedPicture(Renderer(library), request_of_a_room)
        making.tracer._took = {first: order * first for first in range(0, 2400)}
        found.append(sums(making))
    for one, other in zip(*found, strict=True):
        np.testing.assert_array_equal(one, other)
