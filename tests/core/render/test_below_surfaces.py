"""Light that wanders below surfaces and in cloudy glass, against exact solutions of the transport of light."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from collage.core.document import edits
from collage.core.document.materials import new_material
from collage.core.document.model import Network
from collage.core.kernels import path_rows as p
from collage.core.kernels import wandering as k
from collage.core.render.inside import below, filling
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.render.tracing import Tracing
from collage.core.scene.bench import Bench, BenchObject, Camera, DistantLight, Environment, stock

ONE = (1.0, 1.0, 1.0)
COLOURS = np.array([0.2, 0.5, 0.8])
EVEN = Environment(strength=2.0)  # of an even grey of one half: 1 from everywhere


def material(**channels: object) -> Network:
    network = edits.set_value(new_material(), "surface", "specular_weight", "float", 0.0)
    for name, value in {
        "base_weight": 1.0,
        "subsurface_weight": 1.0,
        "subsurface_radius_scale": ONE,
        **channels,
    }.items():
        kind = "color3" if isinstance(value, tuple) else "boolean" if isinstance(value, bool) else "float"
        network = edits.set_value(network, "surface", name, kind, value)
    return network


def seen(library, workers, item: BenchObject, network: Network, samples: int = 200, **bench: object) -> np.ndarray:
    """(3,) linear light of the middle of a picture of something that fills it."""
    camera = Camera(turn=0, height=0, distance=1.0, target=(0, 0, 0), field=2)
    given = {"environment": EVEN, "camera": camera, "ground": False, **bench}
    request = PictureRequest(
        Bench(objects=(item,), **given), {"m": network}, 16, 16, "traced",
        tracing=Tracing(samples=samples, bounces=8, brightest=1e30),
    )  # fmt: skip
    picture = Renderer(library, workers=workers).picture(request)
    assert (picture.objects == 0).all()
    return picture.linear.mean(axis=(0, 1))


def block(thick: float) -> BenchObject:
    """A wide plate that stands upright and faces the eye, its middle in the target."""
    return stock(
        "b", "rounded box", material="m", sizes={"width": 6.0, "height": 6.0, "depth": thick}, place=(0, -3, 0)
    )


def spherical_albedo(share: float) -> float:
    """What an endlessly deep medium sends back in all of light that falls on it from everywhere, scattered evenly: by
    the H function (S. Chandrasekhar, Radiative Transfer, 1950, chapter 5)."""
    nodes, weights = np.polynomial.legendre.leggauss(64)
    mu, weights = (nodes + 1) / 2, weights / 2
    h, lost = np.ones(64), np.sqrt(1 - share)
    for _ in range(2000):
        h = 1 / (lost + share / 2 * (weights * mu * h / (mu[:, None] + mu)).sum(axis=1))
    return float(1 - 2 * lost * (weights * h * mu).sum())


def test_the_share_that_is_scattered_makes_the_colour(library) -> None:
    """The formula against the exact solution."""
    taken, spread = below(COLOURS[:, None], np.full((1, 1), 0.01), np.ones((3, 1)), np.zeros((1, 1)))
    for colour, share in zip(COLOURS, (spread / (taken + spread))[:, 0], strict=True):
        assert spherical_albedo(share) == pytest.approx(colour, rel=0.02)
    np.testing.assert_allclose(1 / (taken + spread), 0.01, rtol=1e-6)


def test_deep_below_a_surface_light_comes_back_as_the_exact_solution_says(library, workers) -> None:
    radius = 0.004
    taken, spread = below(COLOURS[:, None], np.full((1, 1), radius), np.ones((3, 1)), np.zeros((1, 1)))
    wanted = [spherical_albedo(one) for one in (spread / (taken + spread))[:, 0]]
    found = seen(library, workers, block(2.0), material(subsurface_color=tuple(COLOURS), subsurface_radius=radius))
    np.testing.assert_allclose(found, wanted, rtol=0.02)


def test_what_only_absorbs_lets_through_what_the_exponential_integral_says(library, workers) -> None:
    """Light that goes in evenly and out evenly: 2 E3 of the thickness, in free ways."""
    thick = 0.02
    cosine = (np.arange(4000) + 0.5) / 4000
    for deep in (0.5, 1.5):
        wanted = 2 * (cosine * np.exp(-deep / cosine)).mean()
        network = material(subsurface_color=(1e-4, 1e-4, 1e-4), subsurface_radius=thick / deep)
        found = seen(library, workers, block(thick), network)
        np.testing.assert_allclose(found, wanted, rtol=0.02)


def test_it_is_softened_as_far_as_light_goes_and_bleeds_around_an_edge(library, workers) -> None:
    """Behind the edge of light on a block it is brighter, the farther light wanders; without wandering it is dark."""
    sun = DistantLight(turn=90, height=0, strength=3.0, size=0.1)  # along the plate's face
    lit = {"environment": Environment(on=False), "lights": (sun,)}
    thick = {"item": stock("b", "sphere", material="m", scale=1.0, place=(0, -0.1, 0))}
    dark = Camera(turn=-100, height=0, distance=1.0, target=(0, 0, 0), field=4)
    found = [
        seen(library, workers, thick["item"], material(subsurface_color=(0.8, 0.8, 0.8), subsurface_radius=radius),
             64, camera=dark, **lit).mean()
        for radius in (0.001, 0.01, 0.05)
    ]  # fmt: skip
    assert found[0] < 1e-3 < 10 * found[0] + 1e-3 < found[1] < found[2]


def test_a_thin_wall_and_what_comes_out_at_once_are_left_to_the_matt_lobe(library, workers) -> None:
    """They cost no steps, and look as before."""
    flat = material(subsurface_color=(0.2, 0.5, 0.8), subsurface_radius=1e-6)
    np.testing.assert_allclose(seen(library, workers, block(1.0), flat), COLOURS, rtol=0.01)


def test_below_a_sheet_it_goes_on_for_ever(library, workers) -> None:
    """A plane has no back: it looks as a block does."""
    sheet = stock("p", "plane", material="m", sizes={"width": 4.0, "depth": 4.0}, tilt=90.0)
    colour = {"subsurface_color": (0.5, 0.5, 0.5), "subsurface_radius": 0.004}
    one, other = (seen(library, workers, item, material(**colour)) for item in (sheet, block(2.0)))
    np.testing.assert_allclose(one, other, rtol=0.03)


@pytest.mark.parametrize("value", [0.0, -1.0, 1e30])
def test_wrong_numbers_are_no_sparks_and_no_hang(library, workers, value: float) -> None:
    for name in ("subsurface_radius", "subsurface_weight", "subsurface_scatter_anisotropy", "transmission_depth"):
        network = material(**{"subsurface_color": (0.8, 0.5, 0.2), "subsurface_radius": 0.01, name: float(value)})
        if name == "transmission_depth":
            for more, how in (("transmission_weight", 1.0), ("transmission_scatter", ONE)):
                kind = "color3" if isinstance(how, tuple) else "float"
                network = edits.set_value(network, "surface", more, kind, how)
        found = seen(library, workers, block(0.05), network, 4)
        assert np.isfinite(found).all(), name
        assert (found < 3).all(), name


def wandered(
    taken: tuple, spread: tuple, forward: float, length: float, count: int = 100_000
) -> tuple[np.ndarray, ...]:
    """Paths, their places and ways, and which go on, after one step from the origin along x."""
    origins, ways = np.zeros((count, 3), np.float32), np.tile(np.array([1, 0, 0], np.float32), (count, 1))
    paths = np.zeros((p.ROWS, count), np.float32)
    paths[p.CARRIED : p.CARRIED + 3], paths[p.INSIDE], paths[p.FORWARD] = 1, p.UNDER, forward
    paths[p.ABSORBED : p.ABSORBED + 3] = np.array(taken, np.float32)[:, None]
    paths[p.SCATTERED : p.SCATTERED + 3] = np.array(spread, np.float32)[:, None]
    some, going = np.arange(count, dtype=np.int32), np.empty(count, np.uint8)
    lengths, triangle = np.full(count, length, np.float32), np.zeros(count, np.int32)
    own = np.stack([some, np.zeros_like(some)])
    k.wander(some, lengths, triangle, origins, ways, paths, going, some, own, 1, 0, 3)
    return paths, origins, ways, going > 0


@pytest.mark.parametrize("forward", [-0.6, 0.0, 0.8])
def test_a_step_is_as_long_and_turns_as_far_as_it_should(forward: float) -> None:
    paths, origins, ways, going = wandered((3.0, 3.0, 3.0), (7.0, 7.0, 7.0), forward, 1e6)
    assert going.all()
    assert origins[:, 0].mean() == pytest.approx(0.1, rel=0.01)
    assert origins[:, 0].std() == pytest.approx(0.1, rel=0.02)
    assert ways[:, 0].mean() == pytest.approx(forward, abs=0.01)
    assert np.abs(ways[:, 1:].mean(axis=0)).max() < 0.01
    np.testing.assert_allclose(np.linalg.norm(ways, axis=1), 1, atol=1e-5)
    np.testing.assert_allclose(paths[p.CARRIED], 0.7, rtol=1e-5)


def test_colours_that_go_differently_far_are_weighed_right() -> None:
    """In the mean each channel is scattered, or gets as far as the surface, as it would be alone."""
    taken, spread, length = np.array([5.0, 1.0, 0.0]), np.array([10.0, 40.0, 2.0]), 0.05
    paths, _, _, going = wandered(tuple(taken), tuple(spread), 0.3, length)
    carried, dense = paths[p.CARRIED : p.CARRIED + 3].astype(np.float64), taken + spread
    gone = np.exp(-dense * length)
    np.testing.assert_allclose((carried * going).mean(axis=1), spread / dense * (1 - gone), rtol=0.02)
    # what is absorbed on the way to a surface is taken off when it is met
    np.testing.assert_allclose((carried * ~going).mean(axis=1), np.exp(-spread * length), rtol=0.02)


def test_the_filling_of_glass_has_its_colour_after_its_depth() -> None:
    taken, spread = filling(np.full((1, 1), 0.2), np.array([[0.5], [0.6], [0.7]]), np.array([[0.1], [0.2], [0.0]]))
    np.testing.assert_allclose(np.exp(-0.2 * (taken + spread))[:, 0], [0.5, 0.6, 0.7], rtol=1e-5)
    np.testing.assert_allclose(0.2 * spread[:, 0], [0.1, 0.2, 0.0], rtol=1e-6)


def test_the_same_on_any_number_of_threads(library) -> None:
    from collage.core.evaluate.run import Workers

    network = material(subsurface_color=(0.8, 0.5, 0.2), subsurface_radius=0.02)
    asked = PictureRequest(
        Bench(objects=(stock("b", "pot", material="m"),)), {"m": network}, 48, 40, "traced", tracing=Tracing(samples=3)
    )
    one, two = (Renderer(library, workers=Workers(count)).picture(asked).linear for count in (1, 2))
    assert np.array_equal(one, two)
    assert not np.array_equal(one, Renderer(library).picture(replace(asked, tracing=Tracing(samples=3, seed=1))).linear)
