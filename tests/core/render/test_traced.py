"""Traced pictures against furnaces, closed forms, a radiosity solution and brute-force integrals."""

from __future__ import annotations

import numpy as np
import pytest

from collage.core.document import edits
from collage.core.document.materials import new_material
from collage.core.document.model import Network
from collage.core.evaluate.run import Cancelled, Workers
from collage.core.images.files import write_image
from collage.core.render.latlong import to_direction
from collage.core.render.renderer import Renderer
from collage.core.render.request import Picture, PictureRequest
from collage.core.render.traced import Tracing
from collage.core.scene.bench import AreaLight, Bench, BenchObject, Camera, DistantLight, Environment, stock
from collage.core.scene.geometry import MeshFile, MeshReading

EYE = Camera(turn=0, height=0, distance=1.0, target=(0, 0.1, 0), field=30)
WHITE = Environment(strength=2.0)  # of an even grey of one half
DARK = Environment(on=False)
EXACT = 1e30


def material(**channels: object) -> Network:
    network = new_material()
    for name, value in channels.items():
        kind = "color3" if isinstance(value, tuple) else "float" if isinstance(value, float) else "boolean"
        network = edits.set_value(network, "surface", name, kind, value)
    return network


def matt(grey: float | tuple[float, float, float]) -> Network:
    colour = grey if isinstance(grey, tuple) else (grey, grey, grey)
    return material(base_color=colour, base_weight=1.0, specular_weight=0.0)


def ball(**changes: object) -> Bench:
    bench = Bench(objects=(stock("Ball", "sphere", material="m"),), camera=EYE, ground=False, environment=WHITE)
    return bench.model_copy(update=changes)


@pytest.fixture
def renderer(library, workers) -> Renderer:
    return Renderer(library, workers=workers)


def traced(renderer: Renderer, bench: Bench, size: int = 32, **how: object) -> Picture:
    networks = how.pop("materials")
    more = how.pop("request", {})
    tracing = Tracing(**{"brightest": EXACT, **how})  # type: ignore[arg-type]
    request = PictureRequest(bench, networks, size, size, "traced", tracing=tracing, **more)  # type: ignore[arg-type]
    return renderer.picture(request)


def inside(picture: Picture) -> np.ndarray:
    """(n, 3) linear light of the pixels well inside the object."""
    on = picture.objects == 0
    deep = on.copy()
    for axis in (0, 1):
        for step in (-1, 1):
            deep &= np.roll(on, step, axis)
    return picture.linear[deep]


ONE = (1.0, 1.0, 1.0)
WHITE_SURFACES = {
    "matt": matt(1.0),
    "rough matt": material(base_color=ONE, base_weight=1.0, specular_weight=0.0, base_diffuse_roughness=1.0),
    "plastic": material(base_color=ONE, base_weight=1.0, specular_roughness=0.3),
    "rough plastic": material(base_color=ONE, base_weight=1.0, specular_roughness=0.9),
    "smooth metal": material(base_color=ONE, base_metalness=1.0, specular_color=ONE, specular_roughness=0.1),
    "rough metal": material(base_color=ONE, base_metalness=1.0, specular_color=ONE, specular_roughness=0.8),
    "brushed metal": material(
        base_color=ONE, base_metalness=1.0, specular_roughness=0.4, specular_roughness_anisotropy=0.8
    ),
    "rough brushed metal": material(
        base_color=ONE, base_metalness=1.0, specular_roughness=0.9, specular_roughness_anisotropy=0.9
    ),
    "coated": material(base_color=ONE, base_metalness=1.0, coat_weight=1.0, coat_roughness=0.2, coat_darkening=0.0),
    "fuzzy": material(base_color=ONE, base_weight=1.0, specular_weight=0.0, fuzz_weight=1.0, fuzz_color=ONE),
    "glass": material(transmission_weight=1.0, transmission_color=ONE, specular_roughness=0.02),
    "frosted": material(transmission_weight=1.0, transmission_color=ONE, specular_roughness=0.4),
    "thin": material(
        base_color=ONE, base_weight=1.0, specular_weight=0.0, geometry_thin_walled=True, subsurface_weight=1.0,
        subsurface_color=ONE,
    ),
    "below": material(
        base_weight=1.0, specular_roughness=0.3, subsurface_weight=1.0, subsurface_color=ONE, subsurface_radius=0.002,
    ),
    "half below": material(
        base_color=ONE, base_weight=1.0, specular_weight=0.0, subsurface_weight=0.5, subsurface_color=ONE,
        subsurface_radius=0.01, fuzz_weight=0.5, fuzz_color=ONE,
    ),
    "cloudy glass": material(
        transmission_weight=1.0, transmission_color=ONE, transmission_depth=0.05, transmission_scatter=ONE,
        transmission_scatter_anisotropy=0.5, specular_roughness=0.1,
    ),
    "half open": material(base_color=ONE, base_weight=1.0, specular_weight=0.0, geometry_opacity=0.5),
}  # fmt: skip


@pytest.mark.parametrize("name", WHITE_SURFACES)
def test_a_white_surface_vanishes_in_a_white_room(renderer, name: str) -> None:
    """What sends all light back is as bright as the room itself, in the mean over a ball, within one per cent."""
    bench = ball(surround=0.0) if name != "half open" else ball(surround=1.0, view_transform="srgb")
    found = inside(traced(renderer, bench, materials={"m": WHITE_SURFACES[name]}, samples=96, bounces=40))
    assert len(found) > 60
    assert found.mean() == pytest.approx(1.0, abs=0.012)


def test_a_grey_surface_sends_back_its_own_share(renderer) -> None:
    found = inside(traced(renderer, ball(), materials={"m": matt((0.2, 0.5, 0.8))}, samples=64))
    np.testing.assert_allclose(found.mean(axis=0), [0.2, 0.5, 0.8], rtol=0.01)


@pytest.mark.parametrize("albedo", [0.3, 0.7])
def test_in_a_closed_ball_that_glows_light_adds_up(renderer, albedo: float) -> None:
    """L = E / (1 - albedo), the sum of all bounces."""
    glowing = material(
        base_color=(albedo,) * 3, base_weight=1.0, specular_weight=0.0, emission_luminance=500.0, emission_color=ONE
    )
    within = ball(environment=DARK, camera=Camera(distance=0.02, target=(0, 0.1, 0), field=60))
    found = traced(renderer, within, 24, materials={"m": glowing}, samples=64, bounces=60).linear
    assert found.mean() == pytest.approx(0.5 / (1 - albedo), rel=0.005)


PLATE = stock("Plate", "plane", sizes={"width": 0.4, "depth": 0.4}, material="m")
ABOVE = Camera(turn=0, height=89.0, distance=1.0, target=(0, 0, 0), field=8)


def test_distant_light_on_a_plate_is_its_irradiance_times_the_cosine(renderer) -> None:
    for size in (2.0, 60.0):
        sun = DistantLight(strength=3.0, height=50.0, size=size)
        bench = ball(objects=(PLATE,), camera=ABOVE, environment=DARK, lights=(sun,))
        found = inside(traced(renderer, bench, 16, materials={"m": matt(0.5)}, samples=128))
        assert found.mean() == pytest.approx(0.5 * 3.0 * np.sin(np.radians(50)) / np.pi, rel=0.01)


@pytest.mark.parametrize("roughness", [0.15, 0.35, 0.5])
def test_a_panel_mirrored_in_a_plate_is_what_brute_force_finds(renderer, roughness: float) -> None:
    """Against the sum over 400 x 400 places of the panel, with GGX written out anew; the draft comes near it."""
    panel = AreaLight(strength=5.0, height=60.0, turn=180.0, distance=0.8, width=0.3, length=0.3, target=(0, 0, 0))
    eye = Camera(turn=0, height=60.0, distance=1.0, target=(0, 0, 0), field=1.1)
    metal = material(base_color=(0.9, 0.9, 0.9), base_metalness=1.0, specular_roughness=roughness)
    bench = ball(objects=(PLATE,), camera=eye, environment=DARK, lights=(panel,))
    found = traced(renderer, bench, 8, materials={"m": metal}, samples=1024).linear.mean()
    centre, right, up, out = panel.frame()
    a, b = (np.arange(400) + 0.5) / 200 - 1, (np.arange(400) + 0.5) / 200 - 1
    place = centre + a[:, None, None] * right + b[None, :, None] * up
    far = np.linalg.norm(place, axis=-1)
    light = place / far[..., None]
    view = np.array([0.0, np.sin(np.radians(60)), np.cos(np.radians(60))])
    half = light + view
    half /= np.linalg.norm(half, axis=-1, keepdims=True)
    nh, nl, nv, vh = half[..., 1], light[..., 1], view[1], half @ view
    a2 = roughness**4
    d = a2 / (np.pi * (nh * nh * (a2 - 1) + 1) ** 2)
    g = 0.5 / (nl * np.sqrt(nv * nv * (1 - a2) + a2) + nv * np.sqrt(nl * nl * (1 - a2) + a2))
    fresnel = 0.9 + 0.1 * (1 - vh) ** 5
    facing = -(light @ out)
    area = 4 * np.linalg.norm(right) * np.linalg.norm(up)
    single = (fresnel * d * g * nl * facing / far**2).sum() * area / a.size**2 * 5.0
    # what is lost between microfacets is given back (E. Turquin, 2019), by the energy that one meeting sends back
    lost = 1 / sent_once(roughness, view) - 1
    assert found == pytest.approx(single * (1 + 0.9 * lost), rel=0.015)
    draft = renderer.picture(PictureRequest(bench, {"m": metal}, 8, 8)).linear.mean()
    assert draft == pytest.approx(single * (1 + 0.9 * lost), rel=0.08)


def sent_once(roughness: float, view: np.ndarray) -> float:
    """The energy of white GGX after one meeting, by a sum over half directions."""
    a2, count = roughness**4, 2000
    # even steps of the distribution's own variable, u = cos^2 / (cos^2 + a2 sin^2) summed over all turns
    u, turn = ((np.arange(count) + 0.5) / count)[:, None], ((np.arange(360) + 0.5) / 360 * 2 * np.pi)[None]
    cosine = np.sqrt((1 - u) / (1 + (a2 - 1) * u))
    sine = np.sqrt(1 - cosine**2)
    half = np.stack(np.broadcast_arrays(sine * np.cos(turn), cosine, sine * np.sin(turn)), axis=-1)
    vh = half @ view
    nl, nv = 2 * vh * half[..., 1] - view[1], view[1]
    good = (vh > 0) & (nl > 0)
    nl = np.maximum(nl, 1e-9)
    g2 = 2 * nl * nv / (nl * np.sqrt(nv * nv * (1 - a2) + a2) + nv * np.sqrt(nl * nl * (1 - a2) + a2))
    return float(np.where(good, g2 * vh / (nv * half[..., 1]), 0).mean())


def test_a_small_sun_in_a_picture_is_found(renderer, tmp_path) -> None:
    """A sun of one texel in a dark picture lights a plate by its radiance, solid angle and cosine."""
    picture = np.zeros((256, 512, 3), np.float32)
    row, column = 64, 300
    picture[row, column] = 40_000.0
    write_image(tmp_path / "sun.exr", picture)
    bench = ball(objects=(PLATE,), camera=ABOVE, environment=Environment(file="sun.exr"))
    found = inside(traced(renderer, bench, 16, materials={"m": matt(1.0)}, samples=64, request={"folder": tmp_path}))
    height = (0.5 - (row + 0.5) / 256) * np.pi
    angle = (2 * np.pi / 512) * (np.pi / 256) * np.cos(height)
    assert found.mean() == pytest.approx(40_000 * angle * np.sin(height) / np.pi, rel=0.02)
    assert found.std() < 0.1 * found.mean(), "the sun is not found by chance"


def test_a_slab_of_glass_absorbs_and_mirrors_as_fresnel_and_beer_say(renderer) -> None:
    """Light straight through a slab: all its inner mirrorings summed, over a glowing plate."""
    depth, thick, ior = 0.02, 0.03, 1.5
    colour = (0.8, 0.5, 0.2)
    slab = stock("Slab", "cylinder", sizes={"radius": 0.3, "height": thick}, material="glass", place=(0, 0.1, 0))
    below = stock("Glow", "plane", sizes={"width": 0.6, "depth": 0.6}, material="m", place=(0, 0, 0))
    glow = material(base_weight=0.0, specular_weight=0.0, emission_luminance=1000.0, emission_color=ONE)
    glass = material(
        transmission_weight=1.0, transmission_depth=depth, transmission_color=colour, specular_roughness=0.0,
        specular_ior=ior,
    )  # fmt: skip
    eye = Camera(turn=0, height=90.0, distance=1.0, target=(0, 0.1, 0), field=3)
    bench = ball(objects=(slab, below), camera=eye, environment=DARK)
    found = traced(renderer, bench, 12, materials={"m": glow, "glass": glass}, samples=256, bounces=30)
    mirrored = ((ior - 1) / (ior + 1)) ** 2
    kept = np.array(colour) ** (thick / depth)
    expected = (1 - mirrored) ** 2 * kept / (1 - (mirrored * kept) ** 2)
    np.testing.assert_allclose(found.linear.mean(axis=(0, 1)), expected, rtol=0.02)


def room(walls: dict[str, str]) -> tuple:
    """A closed room of planes of one metre; by side, the material."""
    turned = {
        "floor": {}, "ceiling": {"tilt": 180.0, "place": (0.0, 1.0, 0.0)},
        "back": {"tilt": 90.0, "place": (0.0, 0.5, -0.5)}, "front": {"tilt": -90.0, "place": (0.0, 0.5, 0.5)},
        "left": {"roll": -90.0, "place": (-0.5, 0.5, 0.0)}, "right": {"roll": 90.0, "place": (0.5, 0.5, 0.0)},
    }  # fmt: skip
    sizes = {"width": 1.0, "depth": 1.0}
    return tuple(stock(side, "plane", sizes=sizes, material=walls[side], **turned[side]) for side in turned)


def patches(count: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Middles and normals (into the room) of the walls' patches, and the wall of each; in the order of `room`."""
    grid = (np.arange(count) + 0.5) / count - 0.5
    a, b = (one.ravel() for one in np.meshgrid(grid, grid, indexing="ij"))
    zero = np.zeros_like(a)
    sides = [
        ((a, zero, b), (0, 1, 0)), ((a, zero + 1, b), (0, -1, 0)), ((a, b + 0.5, zero - 0.5), (0, 0, 1)),
        ((a, b + 0.5, zero + 0.5), (0, 0, -1)), ((zero - 0.5, a + 0.5, b), (1, 0, 0)),
        ((zero + 0.5, a + 0.5, b), (-1, 0, 0)),
    ]  # fmt: skip
    places = np.concatenate([np.stack(place, axis=1) for place, _ in sides])
    normals = np.concatenate([np.tile(np.array(normal, float), (len(a), 1)) for _, normal in sides])
    return places, normals, np.repeat(np.arange(6), len(a))


def test_a_closed_room_of_coloured_walls_is_its_radiosity_solution(renderer) -> None:
    """The ceiling glows; walls are matt. Against the linear system of 6 x 18 x 18 patches."""
    colours = {"white": (0.7, 0.7, 0.7), "red": (0.6, 0.1, 0.1), "green": (0.1, 0.5, 0.1), "lamp": (0.0, 0.0, 0.0)}
    walls = {
        "floor": "white", "ceiling": "lamp", "back": "white", "front": "white", "left": "red", "right": "green"
    }  # fmt: skip
    materials = {name: matt(colour) for name, colour in colours.items()}
    materials["lamp"] = material(base_weight=0.0, specular_weight=0.0, emission_luminance=1000.0, emission_color=ONE)
    places, normals, wall = patches(18)
    apart = places[None] - places[:, None]
    square = np.maximum((apart**2).sum(axis=-1), 1e-9)
    here = np.einsum("ijk,ik->ij", apart, normals)
    there = -np.einsum("ijk,jk->ij", apart, normals)
    factor = np.where((here > 1e-9) & (there > 1e-9), here * there / (np.pi * square**2), 0) / 18**2
    factor /= factor.sum(axis=1, keepdims=True)  # what a patch sees is the whole room
    names = list(walls.values())
    albedo = np.array([colours[names[one]] for one in wall])
    glow = np.array([ONE if names[one] == "lamp" else (0, 0, 0) for one in wall], float)
    radiosity = np.stack(
        [np.linalg.solve(np.eye(len(wall)) - albedo[:, c : c + 1] * factor, glow[:, c]) for c in range(3)], axis=1
    )
    eye = Camera(turn=0, height=0, distance=0.45, target=(0, 0.5, 0), field=50)
    bench = ball(objects=room(walls), camera=eye, environment=DARK)
    picture = traced(renderer, bench, 32, materials=materials, samples=192, bounces=40)
    middle = picture.linear[12:20, 12:20].reshape(-1, 3).mean(axis=0)
    wide = 0.95 * np.tan(np.radians(25)) * 8 / 32  # metres of the back wall to each side that these pixels show
    near = (wall == 2) & (np.abs(places[:, 0]) < wide) & (np.abs(places[:, 1] - 0.5) < wide)
    np.testing.assert_allclose(middle, radiosity[near].mean(axis=0), rtol=0.02)


def demo_like() -> Bench:
    objects = (stock("Pot", "pot", material="m"), stock("Ball", "sphere", material="n", place=(0.25, 0, 0)))
    return ball(objects=objects, environment=Environment(strength=1.0), lights=(AreaLight(),), ground=True)


def test_the_picture_is_the_same_on_any_number_of_threads(library) -> None:
    materials = {"m": matt(0.5), "n": material(transmission_weight=1.0, specular_roughness=0.3)}
    found = []
    for count in (1, 2, 4):
        pool = Workers(count)
        found.append(traced(Renderer(library, workers=pool), demo_like(), 200, materials=materials, samples=2).linear)
        pool.close()
    np.testing.assert_array_equal(found[0], found[1])
    np.testing.assert_array_equal(found[0], found[2])


def test_the_error_falls_at_least_with_the_root_of_the_samples(renderer) -> None:
    materials = {"m": matt(0.5), "n": matt(0.8)}
    exact = traced(renderer, demo_like(), 24, materials=materials, samples=2048, seed=9).linear
    counts, errors = (4, 16, 64, 256), []
    for samples in counts:
        found = traced(renderer, demo_like(), 24, materials=materials, samples=samples).linear
        errors.append(np.sqrt(((found - exact) ** 2).mean()))
    slope = np.polyfit(np.log(counts), np.log(errors), 1)[0]
    assert -1.2 < slope < -0.45


def test_it_stops_at_the_noise_that_was_asked_for(renderer) -> None:
    found = traced(renderer, demo_like(), 32, materials={"m": matt(0.5), "n": matt(0.8)}, samples=4096, noise=0.02)
    assert 8 < found.samples < 4096
    assert found.noise < 0.02
    assert found.complete


def test_it_is_called_off_between_bounces(renderer) -> None:
    asked = 0

    def enough() -> bool:
        nonlocal asked
        asked += 1
        return asked > 12

    materials = {"m": matt(0.5), "n": matt(0.5)}
    request = PictureRequest(demo_like(), materials, 64, 64, "traced", tracing=Tracing(samples=10_000))
    with pytest.raises(Cancelled):
        renderer.picture(request, cancelled=enough)


def test_a_ground_shows_the_surround_and_shadows_alone(renderer) -> None:
    """Far from the objects it is the surround's grey exactly, beside them in the sun's shadow it is darker."""
    sun = DistantLight(strength=3.0, height=40.0, turn=90.0)
    bench = ball(environment=Environment(strength=0.2), lights=(sun,), ground=True,
                 camera=Camera(turn=0, height=35, distance=1.6, target=(0, 0.1, 0), field=40))  # fmt: skip
    picture = traced(renderer, bench, 48, materials={"m": matt(0.5)}, samples=64)
    back = picture.linear[0, 0]
    ground = picture.objects == -1
    lit = picture.linear[ground][:, 0] / back[0]
    assert np.median(lit) == pytest.approx(1.0, abs=0.06)
    assert lit.min() < 0.5


def test_a_shadow_on_the_ground_is_as_deep_as_the_light_that_is_left(renderer) -> None:
    """Where the sun is hidden by something small and high up, the light of the environment is left."""
    sun = DistantLight(strength=2.0, height=90.0, turn=0.0, size=0.2)
    high = stock("Ball", "sphere", material="m", place=(0, 2.0, 0))
    bench = Bench(objects=(high,), ground=True, lights=(sun,), environment=Environment(strength=0.6),
                  camera=Camera(turn=0, height=20, distance=1.0, target=(0, 0, 0), field=12))  # fmt: skip
    around, direct = np.pi * 0.6 * 0.5, 2.0  # an even grey of one half
    for quality in ("draft", "traced"):
        how = {"quality": quality, "tracing": Tracing(samples=256, brightest=EXACT)}
        picture = renderer.picture(PictureRequest(bench, {"m": matt(0.5)}, 25, 25, **how))
        lit = picture.linear[..., 0] / picture.linear[0, 0, 0]
        middle = lit[11:14, 11:14].mean()
        assert middle == pytest.approx(around / (around + direct), rel=0.03), quality


def test_broken_light_in_a_picture_makes_no_sparks(renderer, tmp_path) -> None:
    picture = np.full((64, 128, 3), 0.5, np.float32)
    picture[5, 5], picture[6, 9], picture[9, 9] = np.nan, 1e30, -4.0
    picture[20, 20] = np.inf
    write_image(tmp_path / "broken.exr", picture)
    bench = ball(environment=Environment(file="broken.exr"))
    found = traced(renderer, bench, 24, materials={"m": matt(0.5)}, samples=32, request={"folder": tmp_path},
                   brightest=40.0)  # fmt: skip
    assert np.isfinite(found.linear).all()


def test_an_open_lens_blurs_by_its_circle_of_confusion(renderer) -> None:
    """A small bright disc out of focus is spread evenly over aperture * (1 - focus / distance) of the plane in focus."""
    spot = stock("Spot", "cylinder", sizes={"radius": 0.004, "height": 0.002, "bevel": 0.0002}, material="m", tilt=90.0)
    glow = material(base_weight=0.0, specular_weight=0.0, emission_luminance=1000.0, emission_color=ONE)
    eye = Camera(turn=0, height=0, distance=2.0, target=(0, 0, 0), field=8, aperture=80.0, focus=1.0)
    bench = ball(objects=(spot,), camera=eye, environment=DARK, surround=0.0, view_transform="srgb")
    picture = traced(renderer, bench, 96, materials={"m": glow}, samples=256).linear[..., 0]
    x = np.nonzero(picture > 0.25 * np.median(picture[picture > 1e-4]))[1]
    metres = 2 * np.tan(np.radians(4)) * 1.0 / 96  # of a pixel in the plane in focus
    wide = (np.ptp(x) + 1) * metres
    assert wide == pytest.approx(0.080 * (1 - 1 / 2) + 0.008 / 2, rel=0.12)
    sharp = bench.model_copy(update={"camera": eye.model_copy(update={"focus": 2.0})})
    still = traced(renderer, sharp, 96, materials={"m": glow}, samples=64).linear[..., 0]
    assert (still > 0.01).sum() < 0.1 * (picture > 1e-3).sum()
    assert still.sum() == pytest.approx(picture.sum(), rel=0.05), "no light is lost in the lens"


@pytest.mark.parametrize("kind", ["metal", "plastic", "coat", "fuzz", "rough matt"])
def test_no_lobe_loses_or_wins_light_at_any_angle(renderer, kind: str) -> None:
    """A white plate in a white room, from four heights and of three roughnesses."""
    for rough in (0.1, 0.4, 0.8):
        surface = {
            "metal": {"base_metalness": 1.0, "specular_color": ONE, "specular_roughness": rough},
            "plastic": {"base_weight": 1.0, "specular_roughness": rough},
            "coat": {"base_weight": 1.0, "specular_weight": 0.0, "coat_weight": 1.0, "coat_roughness": rough,
                     "coat_darkening": 0.0},
            "fuzz": {"base_weight": 1.0, "specular_weight": 0.0, "fuzz_weight": 1.0, "fuzz_color": ONE,
                     "fuzz_roughness": rough},
            "rough matt": {"base_weight": 1.0, "specular_weight": 0.0, "base_diffuse_roughness": rough},
        }[kind]  # fmt: skip
        for height in (15.0, 30.0, 60.0, 90.0):
            eye = Camera(turn=0, height=height, distance=1.0, target=(0, 0, 0), field=3)
            bench = ball(objects=(PLATE,), camera=eye)
            white = material(base_color=ONE, **surface)
            found = traced(renderer, bench, 12, materials={"m": white}, samples=128, bounces=8).linear.mean()
            assert found == pytest.approx(1.0, abs=0.013), (rough, height)


def test_light_of_surfaces_that_send_no_path_on_is_direct(renderer) -> None:
    glow = material(base_weight=0.0, specular_weight=0.0, emission_luminance=500.0, emission_color=ONE)
    bench = ball(environment=DARK.model_copy(update={"behind": "none"}))
    picture = traced(renderer, bench, 16, materials={"m": glow}, samples=4)
    np.testing.assert_array_equal(picture.layers["direct"].values, picture.linear)


def prism(path, angle: float) -> BenchObject:
    """Glass with a face towards +z, and one behind it that is turned by an angle about y; its other sides are far."""
    wide, deep = 0.5, 0.5 * np.tan(np.radians(angle))
    corners = [(x, y, z) for y in (-1, 1) for x, z in ((-wide, 0), (wide, 0), (wide, -2 * deep - 0.02), (-wide, -0.02))]
    # seen from above the outline is a wedge; its back goes away towards +x
    faces = ["f 1 2 6 5", "f 3 4 8 7", "f 2 3 7 6", "f 4 1 5 8", "f 4 3 2 1", "f 5 6 7 8"]
    path.write_text("\n".join([*(f"v {x} {y} {z}" for x, y, z in corners), *faces]) + "\n")
    return BenchObject(
        name="Prism", geometry=MeshFile(reading=MeshReading(file=str(path)), smoothing=0.0), material="m"
    )


def test_a_prism_parts_the_colours_as_snell_and_abbe_say(renderer, tmp_path) -> None:
    angle, ior, abbe = 28.0, 1.5, 9.0
    v, u = np.meshgrid(1 - (np.arange(128) + 0.5) / 128, (np.arange(256) + 0.5) / 256, indexing="ij")
    light = 1 + 0.8 * to_direction(u.ravel(), v.ravel())[:, :1]  # brighter the further a direction goes to +x
    write_image(tmp_path / "sky.exr", np.repeat(light, 3, axis=1).reshape(128, 256, 3).astype(np.float32), bits=32)
    glass = material(
        base_weight=0.0, specular_weight=0.0, specular_ior=ior, specular_roughness=0.0, transmission_weight=1.0,
        transmission_dispersion_scale=1.0, transmission_dispersion_abbe_number=abbe,
    )  # fmt: skip
    eye = Camera(turn=0, height=0.0, distance=3.0, target=(0, 0, 0), field=1.1)
    bench = Bench(objects=(prism(tmp_path / "prism.obj", angle),), camera=eye, ground=False,
                  environment=Environment(file="sky.exr"))  # fmt: skip
    found = traced(renderer, bench, 12, materials={"m": glass}, samples=600, request={"folder": tmp_path})
    lines = np.array([0.61, 0.55, 0.465]) ** -2.0 - 0.5876**-2
    each = ior + (ior - 1) / abbe * lines / (0.4861**-2 - 0.6563**-2)
    out = np.arcsin(each * np.sin(np.radians(angle))) - np.radians(angle)
    wanted = 1 + 0.8 * np.sin(out)  # to the thick side, away from the edge
    np.testing.assert_allclose(found.linear.mean(axis=(0, 1)), wanted, rtol=0.006)
    assert wanted[2] - wanted[0] > 0.02
