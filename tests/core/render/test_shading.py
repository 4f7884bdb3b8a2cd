"""Shading against the furnace, brute-force integrals and published formulas."""

from __future__ import annotations

import numpy as np
import pytest

from collage.core.kernels import packed as s
from collage.core.kernels import shading as k
from collage.core.kernels.levels import IRRADIANCE, IRRADIANCE_SIZE, STARTS
from collage.core.kernels.lights import COLUMNS
from collage.core.render import film
from collage.core.render.energy import energy_table
from collage.core.render.environment import EnvironmentLight, even, prepare
from collage.core.render.octahedron import directions
from collage.core.scene.bench import AreaLight, DistantLight
from collage.core.scene.lights import light_table


@pytest.fixture(scope="module")
def white_room() -> EnvironmentLight:
    return prepare(even(1.0))


@pytest.fixture(scope="module")
def sky() -> EnvironmentLight:
    """A smooth sky: light grows with the height."""
    height, width = 64, 128
    v = 1 - (np.arange(height) + 0.5) / height
    return prepare(
        np.repeat(np.repeat((0.5 + 0.5 * np.sin((v - 0.5) * np.pi))[:, None, None], width, 1), 3, 2).astype(np.float32)
    )


def packed(count: int, **values: float) -> np.ndarray:
    rows = {
        "ior": s.IOR,
        "metal": s.METAL,
        "roughness": s.ROUGHNESS,
        "weight": s.SPECULAR_WEIGHT,
        "coat": s.COAT,
        "coat_roughness": s.COAT_ROUGHNESS,
        "fuzz": s.FUZZ,
        "diffuse_roughness": s.DIFFUSE_ROUGHNESS,
    }
    surface = np.zeros((s.ROWS, count), np.float32)
    surface[s.SPECULAR : s.SPECULAR + 3] = 1
    surface[s.COAT_COLOUR : s.COAT_COLOUR + 3] = 1
    surface[s.IOR], surface[s.COAT_IOR], surface[s.SPECULAR_WEIGHT] = 1.5, 1.6, 1
    for name, value in values.items():
        if name in rows:
            surface[rows[name]] = value
        else:
            surface[s.BASE : s.BASE + 3] = value
    return surface


def shade(
    light: EnvironmentLight,
    surface: np.ndarray,
    view: np.ndarray,
    lights: tuple = (),
    strength: float = 1.0,
    normal: np.ndarray | None = None,
) -> np.ndarray:
    """Radiance of level ground at the origin seen along `view` (3, n). normal : (3, n), bent; up if left out."""
    count = surface.shape[1]
    up = np.repeat(np.array([[0], [1], [0]], np.float32), count, 1)
    table = light_table(lights)
    out = np.empty((3, count), np.float32)
    bent = up if normal is None else normal
    geometry = np.concatenate([bent, bent, view, np.zeros((3, count)), up]).astype(np.float32)
    seen, around = np.ones((len(table), count), np.float32), np.ones((7, count), np.float32)
    settings = np.array([0, 1, strength, *[0] * 6], np.float32)
    room = np.empty((s.REFLECTED, 3), np.float32)
    k.shade(
        surface,
        geometry,
        around,
        table,
        seen,
        light.maps,
        energy_table(),
        settings,
        room,
        np.empty((1, COLUMNS), np.float32),
        out,
    )
    return out


def views(cosines: np.ndarray) -> np.ndarray:
    return np.stack([np.sqrt(1 - cosines**2), -cosines, np.zeros_like(cosines)]).astype(np.float32)


COSINES = np.array([0.15, 0.4, 0.7, 0.95])


@pytest.mark.parametrize("roughness", [0.0, 0.2, 0.5, 0.8, 1.0])
def test_a_white_metal_vanishes_in_a_white_room(white_room, roughness: float) -> None:
    """The white furnace: no light is lost or made, at any angle and roughness."""
    found = shade(white_room, packed(4, metal=1, roughness=roughness, base=1), views(COSINES))
    np.testing.assert_allclose(found, 1, atol=0.02)


@pytest.mark.parametrize("roughness", [0.05, 0.4, 0.9])
@pytest.mark.parametrize("coat", [0.0, 1.0])
def test_a_white_dielectric_neither_gains_nor_loses_much(white_room, roughness: float, coat: float) -> None:
    found = shade(white_room, packed(4, roughness=roughness, base=1, coat=coat, coat_roughness=0.1), views(COSINES))
    assert found.max() <= 1.03
    assert found.min() >= 0.9


def test_grey_paper_sends_back_its_grey(white_room) -> None:
    found = shade(white_room, packed(4, base=0.4, weight=0, roughness=1), views(COSINES))
    np.testing.assert_allclose(found, 0.4, atol=0.01)


def test_reflected_energy_in_closed_form_and_at_a_smooth_limit() -> None:
    table = energy_table(4096)[:32].reshape(32, 32, 2).sum(-1)
    assert table[31, 31] == pytest.approx(1 - np.log(2), abs=2e-3), "roughness 1 seen from above"
    np.testing.assert_allclose(table[0, 2:], 1, atol=3e-3)
    assert (table <= 1.002).all()


def ggx_brdf(alpha: float, nl: np.ndarray, nv: float, nh: np.ndarray, vh: np.ndarray, f0: float) -> np.ndarray:
    """The reflection of a microfacet surface, in double precision, straight from Heitz 2014."""
    d = alpha**2 / (np.pi * (nh**2 * (alpha**2 - 1) + 1) ** 2)
    g = (
        2
        * nl
        * nv
        / (nv * np.sqrt(alpha**2 + (1 - alpha**2) * nl**2) + nl * np.sqrt(alpha**2 + (1 - alpha**2) * nv**2))
    )
    f = f0 + (1 - f0) * (1 - vh) ** 5
    return d * g * f / (4 * nl * nv)


def sphere_of_directions(count: int = 400) -> tuple[np.ndarray, np.ndarray]:
    """Directions over the upper half and the solid angle of each."""
    cosine, turn = np.meshgrid((np.arange(count) + 0.5) / count, (np.arange(2 * count) + 0.5) / count * np.pi)
    sine = np.sqrt(1 - cosine**2)
    way = np.stack([sine * np.cos(turn), cosine, sine * np.sin(turn)], axis=-1).reshape(-1, 3)
    return way, np.full(len(way), 2 * np.pi / len(way))


@pytest.mark.parametrize("roughness", [0.5, 0.8])
@pytest.mark.parametrize("cosine", [0.5, 0.9])
def test_reflection_of_a_smooth_sky_is_near_the_brute_force_integral(sky, roughness: float, cosine: float) -> None:
    way, angle = sphere_of_directions()
    eye = np.array([-np.sqrt(1 - cosine**2), cosine, 0])
    half = way + eye
    half /= np.linalg.norm(half, axis=1, keepdims=True)
    brdf = ggx_brdf(roughness**2, way[:, 1], cosine, half[:, 1], half @ eye, 0.04)
    radiance = 0.5 + 0.5 * way[:, 1]
    a, b = energy_table()[:32].reshape(32, 32, 2)[round(roughness * 31), round(cosine * 31)]
    wanted = (brdf * radiance * way[:, 1] * angle).sum() * (1 + 0.04 * (1 / (a + b) - 1))
    found = shade(sky, packed(1, base=0, roughness=roughness), views(np.array([cosine])))[0, 0]
    assert found == pytest.approx(wanted, rel=0.12, abs=0.003)


@pytest.mark.parametrize("roughness", [0.3, 0.7])
def test_a_distant_light_gives_the_published_reflection(white_room, roughness: float) -> None:
    sun = DistantLight(strength=3.0, height=50, turn=0, size=0.3)
    cosine = 0.8
    way, eye = sun.direction(), np.array([-np.sqrt(1 - cosine**2), cosine, 0])
    half = (way + eye) / np.linalg.norm(way + eye)
    alpha = roughness**2 + np.tan(np.radians(0.15)) * 0.33
    brdf = ggx_brdf(alpha, np.array(way[1]), cosine, np.array(half[1]), np.array(half @ eye), 0.04)
    found = shade(white_room, packed(1, base=0, roughness=roughness), views(np.array([cosine])), (sun,), 0.0)[0, 0]
    assert found == pytest.approx(float(3 * brdf * way[1]), rel=0.04)


def test_paper_under_a_distant_light_is_lamberts(white_room) -> None:
    sun = DistantLight(strength=np.pi, height=30, size=0.3)
    found = shade(white_room, packed(1, base=0.5, weight=0, roughness=1), views(np.array([0.7])), (sun,), 0.0)
    np.testing.assert_allclose(found, 0.5 * np.sin(np.radians(30)), rtol=1e-3)


def bent(count: int, degrees: float, turn: float) -> np.ndarray:
    """(3, n) normals that lean away from up, towards x at turn 0."""
    lean, turn = np.radians(degrees), np.radians(turn)
    out = np.array([np.sin(lean) * np.cos(turn), np.cos(lean), np.sin(lean) * np.sin(turn)])
    return np.repeat(out[:, None], count, axis=1).astype(np.float32)


@pytest.mark.parametrize("metal", [0.0, 1.0])
@pytest.mark.parametrize("lean", [20, 45, 70])
def test_bump_has_no_black_patches_at_grazing_angles(sky, metal: float, lean: float) -> None:
    """A normal that leans away from the eye so far that its reflection goes below the surface, under an open sky."""
    surface = packed(12, metal=metal, roughness=0.15, base=0.7)
    seen = views(np.repeat([0.03, 0.1, 0.3, 0.6], 3))
    for turn in (0, 90, 180):
        found = shade(sky, surface, seen, normal=bent(12, lean, turn))
        even = shade(sky, surface, seen)
        assert np.isfinite(found).all()
        assert (found > 0.25 * even).all()


@pytest.mark.parametrize("lean", [10, 35, 50])
def test_bump_lets_no_light_through_the_back_and_fades_before(white_room, lean: float) -> None:
    """Normals bent towards a light below the horizon; above it the published shadowing, times the bent cosine."""
    for height in (-20, -1, 2, 10, 40):
        sun = DistantLight(strength=np.pi, height=height, turn=90, size=0.3)  # from x
        paper = packed(1, base=0.5, weight=0, roughness=1)
        eye = views(np.array([0.9])) * [[-1], [1], [1]]  # from x, too
        found = shade(white_room, paper, eye, (sun,), 0.0, normal=bent(1, lean, 0))
        if height < 0:
            assert found.max() == 0
            continue
        facing = np.sin(np.radians(height + lean))
        across = np.tan(np.radians(lean)) ** 2
        spread, slope = min(0.125 * across, 1), 1 / np.tan(np.radians(height)) ** 2
        np.testing.assert_allclose(found, 0.5 * facing * 2 / (1 + np.sqrt(1 + spread * slope)), rtol=2e-3)


def test_paper_under_a_panel_is_the_brute_force_integral(white_room) -> None:
    panel = AreaLight(strength=5.0, height=55, turn=30, distance=0.8, target=(0, 0, 0), width=0.5, length=0.3)
    middle, right, up, out = panel.frame()
    steps = (np.arange(200) + 0.5) / 100 - 1
    a, b = np.meshgrid(steps, steps)
    at = middle + a[..., None] * right + b[..., None] * up
    distance = np.linalg.norm(at, axis=-1)
    way = at / distance[..., None]
    facing = np.maximum(-(way @ out), 0) * np.maximum(way[..., 1], 0) / distance**2
    wanted = 0.6 / np.pi * 5.0 * facing.mean() * 0.5 * 0.3
    found = shade(white_room, packed(1, base=0.6, weight=0, roughness=1), views(np.array([0.7])), (panel,), 0.0)[0, 0]
    assert found == pytest.approx(wanted, rel=2e-3)


def test_a_panel_does_not_shine_backwards(white_room) -> None:
    panel = AreaLight(height=-40, distance=0.8, target=(0, 0, 0))
    found = shade(white_room, packed(1, base=0.6, roughness=0.5), views(np.array([0.7])), (panel,), 0.0)
    np.testing.assert_allclose(found, 0, atol=1e-4)


def test_a_coat_darkens_what_is_under_it_and_fuzz_brightens_the_edge(white_room) -> None:
    plain = shade(white_room, packed(4, base=0.3, roughness=0.6), views(COSINES))
    coated = packed(4, base=0.3, roughness=0.6, coat=1, coat_roughness=0.0)
    coated[s.COAT_DARKENING] = 1
    assert shade(white_room, coated, views(COSINES))[0, 3] < plain[0, 3]
    fuzzy = packed(4, base=0.05, roughness=0.8, weight=0, fuzz=1)
    fuzzy[s.FUZZ_COLOUR : s.FUZZ_COLOUR + 3], fuzzy[s.FUZZ_ROUGHNESS] = 0.8, 0.5
    found = shade(white_room, fuzzy, views(COSINES))[0]
    assert found[0] > 2 * found[3]


def test_emission_is_added_as_it_is(white_room) -> None:
    surface = packed(1, base=0, weight=0, roughness=1)
    surface[s.EMISSION : s.EMISSION + 3, 0] = (1, 2, 3)
    np.testing.assert_allclose(shade(white_room, surface, views(np.array([0.7])))[:, 0], (1, 2, 3), atol=1e-3)


def test_numbers_that_are_none_never_reach_the_picture(white_room) -> None:
    surface = packed(1, base=0.5, roughness=-3, ior=0.2)
    assert np.isfinite(shade(white_room, surface, views(np.array([0.001])))).all()


# ---- light of the environment, tone -------------------------------------------------------------


def test_the_octahedron_covers_the_sphere_evenly_enough_and_its_border_goes_on() -> None:
    grid = directions(16).reshape(18, 18, 3)
    np.testing.assert_allclose(np.linalg.norm(grid, axis=-1), 1, atol=1e-12)
    np.testing.assert_allclose(grid[1:-1, 1:-1].reshape(-1, 3).mean(axis=0), 0, atol=1e-9)
    # beyond the left edge lies the mirrored texel of the same edge
    np.testing.assert_allclose(grid[5, 0], grid[12, 1], atol=1e-12)


def test_irradiance_of_a_sky_in_closed_form(sky) -> None:
    """Light 1/2 + y/2 over pi on a surface that looks up: 1/2 + 1/3; sideways: 1/2."""
    found = sky.maps[STARTS[IRRADIANCE] :].reshape(IRRADIANCE_SIZE + 2, IRRADIANCE_SIZE + 2, 3)
    middle = IRRADIANCE_SIZE // 2
    assert found[middle, middle, 0] == pytest.approx(0.5 + 1 / 3, abs=0.01)


def test_shadow_directions_find_the_light(sky) -> None:
    """Their mean is the light from everywhere: an integral over the sphere."""
    assert sky.radiance[:, :3].mean() == pytest.approx(4 * np.pi * 0.5, rel=0.08)


@pytest.mark.parametrize(
    ("linear", "neutral", "shown"),
    [(0.0, 0, 0), (0.2140411, 0, 128), (1.0, 0, 255), (9.0, 0, 255), (0.2541, 1, 128), (0.04, 1, 25)],
)
def test_the_screen_shows_published_values(linear: float, neutral: int, shown: int) -> None:
    out = np.empty((1, 3), np.uint8)
    film.encode(np.full((1, 3), linear, np.float32), np.float32(1), neutral, out)
    assert abs(int(out[0, 0]) - shown) <= 1


def test_the_neutral_tone_keeps_order_and_never_clips_hard() -> None:
    light = np.linspace(0, 20, 400, dtype=np.float32)
    out = np.empty((400, 3), np.uint8)
    film.encode(np.repeat(light[:, None], 3, 1), np.float32(1), 1, out)
    steps = np.diff(out[:, 0].astype(int))
    assert (steps >= 0).all()
    assert out[-1, 0] >= 250
    assert out[int(400 * 1.0 / 20), 0] < 250


def more(surface: np.ndarray, **values: float) -> np.ndarray:
    """The surface with the rows that only some need; brushed along z, the tangent of level ground."""
    rows = {"brushed": s.BRUSHED, "coat_brushed": s.COAT_BRUSHED, "dispersion": s.DISPERSION, "thin": s.THIN}
    longer = np.zeros((s.MORE_ROWS, surface.shape[1]), np.float32)
    longer[: s.ROWS] = surface
    longer[s.TANGENT + 2] = longer[s.COAT_TANGENT + 2] = 1
    for name, value in values.items():
        longer[rows[name]] = value
    return longer


@pytest.mark.parametrize("brushed", [0.3, 0.95])
@pytest.mark.parametrize("roughness", [0.2, 0.7, 0.95])
def test_a_white_brushed_metal_vanishes_in_a_white_room(white_room, roughness: float, brushed: float) -> None:
    surface = more(packed(4, metal=1, roughness=roughness, base=1), brushed=brushed)
    np.testing.assert_allclose(shade(white_room, surface, views(COSINES)), 1, atol=0.02)


@pytest.mark.parametrize("turn", [0, 40, 90])
def test_a_distant_light_on_brushed_metal_gives_the_published_reflection(white_room, turn: float) -> None:
    """Heitz 2014 for slopes along (z) and across (x), in double precision."""
    roughness, brushed, f0, cosine = 0.5, 0.7, 0.6, 0.8
    sun = DistantLight(strength=3.0, height=50, turn=turn, size=0.3)
    light, eye = sun.direction(), np.array([-np.sqrt(1 - cosine**2), cosine, 0])
    half = (light + eye) / np.linalg.norm(light + eye)
    along = roughness**2 * np.sqrt(2 / (1 + (1 - brushed) ** 2))
    size = np.tan(np.radians(0.15)) * 0.33
    a = np.array([along * (1 - brushed) + size, 1, along + size])
    d = 1 / (np.pi * a[0] * a[2] * (half[1] ** 2 + (half[0] / a[0]) ** 2 + (half[2] / a[2]) ** 2) ** 2)
    g = 2 * light[1] * eye[1] / (eye[1] * np.linalg.norm(light * a) + light[1] * np.linalg.norm(eye * a))
    fresnel = f0 + (1 - f0) * (1 - half @ eye) ** 5
    e = energy_table()[:32].reshape(32, 32, 2).sum(-1)
    lost = e[round(roughness * 31), round(cosine * 31)]
    wanted = 3 * d * g * fresnel / (4 * eye[1]) * (1 + f0 * (1 / lost - 1))
    surface = more(packed(1, metal=1, base=f0, roughness=roughness), brushed=brushed)
    found = shade(white_room, surface, views(np.array([cosine])), (sun,), 0.0)[0, 0]
    assert found == pytest.approx(float(wanted), rel=0.04)


def test_brushing_draws_a_highlight_out_along_the_tangent(sky) -> None:
    """A light beside the mirrored way, along the brushing, is seen; across it is not."""
    along, across = (DistantLight(strength=3.0, height=60, turn=turn, size=0.3) for turn in (0, 90))
    if abs(along.direction()[2]) < abs(across.direction()[2]):
        along, across = across, along
    above = np.array([[0], [-1], [0]], np.float32)
    surface = more(packed(1, metal=1, base=1, roughness=0.3), brushed=0.9)
    lit = [shade(sky, surface, above, (sun,), 0.0)[0, 0] for sun in (along, across)]
    assert lit[0] > 5 * lit[1]


def test_a_thin_clear_wall_bends_nothing(sky) -> None:
    surface = more(packed(4, weight=0, ior=1.5), thin=1)
    surface[s.TRANSMISSION], surface[s.TRANSMISSION_COLOUR : s.TRANSMISSION_COLOUR + 3] = 1, 1
    seen = views(COSINES)
    v = np.arcsin(np.clip(seen[1], -1, 1)) / np.pi  # of the way that the eye looks: the sky's height there
    np.testing.assert_allclose(shade(sky, surface, seen)[0], 0.5 + 0.5 * np.sin(v * np.pi), atol=0.03)


def test_abbes_number_says_how_far_blue_and_red_are_apart() -> None:
    """By Cauchy's formula, at Fraunhofer's F and C lines the indices differ by (n - 1) / V."""
    b = 1 / (0.4861**-2 - 0.6563**-2)
    wanted = [b * (w**-2 - 0.5876**-2) for w in s.WAVELENGTHS]
    np.testing.assert_allclose(s.SPREAD, wanted, rtol=1e-5)
    assert s.SPREAD[2] > s.SPREAD[1] > s.SPREAD[0]
