"""Pictures: what the eye sees, light through gaps, what a change costs, and that a picture is a pure function."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from collage.core.document import edits
from collage.core.document.materials import new_material
from collage.core.document.model import Card, Input, Network, Wire
from collage.core.evaluate.literals import LOUD
from collage.core.evaluate.plan import CardOutput
from collage.core.evaluate.run import Cancelled
from collage.core.images.colour import linear_to_srgb
from collage.core.render.cards import SURROUND, card_pictures, needs_shape
from collage.core.render.channels import DEFAULTS
from collage.core.render.files import check_view, write_picture
from collage.core.render.renderer import Renderer
from collage.core.render.request import PictureRequest
from collage.core.scene.bench import AreaLight, Bench, BenchObject, Camera, stock
from collage.core.scene.geometry import MeshFile, MeshReading

EYE = Camera(turn=0, height=0, distance=1.0, target=(0, 0.1, 0), field=30)


def ball_bench(**changes) -> Bench:
    return Bench(objects=(stock("Ball", "sphere", material="m"),), camera=EYE, ground=False).model_copy(update=changes)


def material(**channels: tuple[str, object]) -> Network:
    network = new_material()
    for name, (kind, value) in channels.items():
        network = edits.set_value(network, "surface", name, kind, value)
    return network


def request(network: Network, bench: Bench | None = None, **options) -> PictureRequest:
    options = {"width": 96, "height": 96, **options}
    return PictureRequest(bench or ball_bench(), {"m": network}, **options)


@pytest.fixture
def renderer(library, workers) -> Renderer:
    return Renderer(library, workers=workers)


def test_a_ball_covers_the_disc_that_geometry_says(renderer) -> None:
    picture = renderer.picture(request(material(), width=200, height=200))
    half = np.arcsin(0.1)  # a ball of 0.1 m seen from 1 m
    radius = np.tan(half) / np.tan(np.radians(15)) * 100
    covered = (picture.objects == 0).sum()
    assert covered == pytest.approx(np.pi * radius**2, rel=0.01)
    assert picture.objects[100, 100] == 0
    assert picture.objects[0, 0] == -2


def test_edges_are_smooth_at_rest(renderer) -> None:
    """With a black ball on the surround the greys in between lie only at the rim."""
    black = material(base_color=("color3", (0.0, 0.0, 0.0)), specular_weight=("float", 0.0))
    picture = renderer.picture(request(black, width=120, height=120)).linear[..., 0]
    back = picture[0, 0]
    between = (picture > 0.1 * back) & (picture < 0.9 * back)
    assert 20 < between.sum() < 400
    assert np.ptp(picture[between]) > 0.3 * back


def test_a_picture_is_a_pure_function_of_its_request(renderer, library, workers) -> None:
    wish = request(material(base_color=("color3", (0.6, 0.2, 0.1))), ball_bench(lights=(AreaLight(),), ground=True))
    first = renderer.picture(wish)
    renderer.picture(request(material(), mode="clay"))
    np.testing.assert_array_equal(first.display, renderer.picture(wish).display)
    np.testing.assert_array_equal(first.linear, Renderer(library, workers=workers).picture(wish).linear)


def test_a_changed_value_casts_no_rays_and_evaluates_only_what_it_must(renderer, monkeypatch) -> None:
    network = new_material().with_card(Card("noise", "fractal3d", "float"))
    network = network.with_card(Card("mask", "multiply", "float", {"in1": Input("in1", "float", None, Wire("noise"))}))
    network = edits.connect(network, Wire("mask"), "surface", "specular_roughness", "float")
    first = renderer.picture(request(network, mode="specular_roughness"))
    before = renderer.cache.evaluated

    def no_rays(*_args: object, **_more: object) -> None:
        raise AssertionError("a ray was cast")

    scene = renderer.caches.scene(ball_bench())
    monkeypatch.setattr(type(scene), "nearest", no_rays)
    monkeypatch.setattr(type(scene), "occluded", no_rays)
    after = renderer.picture(request(edits.set_value(network, "mask", "in2", "float", -2.0), mode="specular_roughness"))
    assert renderer.cache.evaluated - before == 2, "one step, for samples in the middle of pixels and beside it"
    assert (after.display != first.display).any()


def test_a_look_at_one_input_shows_its_plain_value(renderer) -> None:
    network = material(base_color=("color3", (0.5, 0.25, 0.125)), specular_roughness=("float", 0.5))
    for mode, wanted in (
        ("base_color", (188, 137, 99)),
        ("specular_roughness", (128, 128, 128)),
        ("normals", (128, 128, 255)),
    ):
        picture = renderer.picture(request(network, mode=mode))
        np.testing.assert_allclose(picture.display[48, 48].astype(int), wanted, atol=4)


def test_exposure_changes_the_object_and_not_the_surround(renderer) -> None:
    network = material(base_color=("color3", (0.2, 0.2, 0.2)))
    dark = renderer.picture(request(network)).display
    light = renderer.picture(request(network, ball_bench(exposure=1.0))).display
    assert light[48, 48, 0] > dark[48, 48, 0] + 20
    assert abs(int(light[2, 2, 0]) - 122) <= 2
    assert abs(int(dark[2, 2, 0]) - 122) <= 2


def test_muted_inputs_show_their_default(renderer, library) -> None:
    network = material(base_color=("color3", (1.0, 0.0, 0.0)))
    card = network.cards["surface"]
    muted = network.with_card(card.with_input(replace(card.inputs["base_color"], attributes={"clg_mute": "true"})))
    shown = renderer.picture(request(muted, mode="base_color")).linear[48, 48]
    np.testing.assert_allclose(shown, 0.8, atol=0.01)


def test_what_is_broken_is_loud_and_the_rest_of_the_surface_stays(renderer) -> None:
    network = material(specular_roughness=("float", 0.25)).with_card(Card("odd", "mystery", "color3"))
    network = edits.connect(network, Wire("odd"), "surface", "base_color", "color3")
    picture = renderer.picture(request(network, mode="base_color"))
    np.testing.assert_allclose(picture.linear[48, 48], LOUD, atol=0.01)
    assert ("m", ((), "odd")) in picture.problems
    rough = renderer.picture(request(network, mode="specular_roughness"))
    assert abs(int(rough.display[48, 48, 0]) - 64) <= 2


def test_a_surface_that_collage_does_not_show_yet_is_said(renderer) -> None:
    network = Network().with_card(Card("s", "surface", "surfaceshader"))
    problems = renderer.picture(request(network)).problems
    assert any("OpenPBR" in str(error) for error in problems.values())


def test_peeking_shows_a_cards_raw_output_on_the_object(renderer) -> None:
    network = new_material().with_card(Card("grey", "constant", "float", {"value": Input("value", "float", 0.25)}))
    picture = renderer.picture(request(network, peek=("m", CardOutput("grey"))))
    assert abs(int(picture.display[48, 48, 0]) - 64) <= 2


def test_opacity_lets_the_surround_through_front_and_back(renderer) -> None:
    def middle(opacity: float) -> float:
        black = {"base_color": ("color3", (0.0, 0.0, 0.0)), "specular_weight": ("float", 0.0)}
        return float(
            renderer.picture(request(material(geometry_opacity=("float", opacity), **black))).linear[48, 48, 0]
        )

    surround = renderer.picture(request(material())).linear[2, 2, 0]
    assert middle(1.0) == pytest.approx(0, abs=2e-3)
    assert middle(0.0) == pytest.approx(surround, rel=1e-3)
    assert middle(0.5) == pytest.approx(surround / 4, rel=0.02), "half through the front, half through the back"


def test_ground_in_the_open_is_lit_in_full_and_dark_under_the_object(renderer) -> None:
    bench = ball_bench(ground=True, camera=Camera(turn=0, height=40, distance=1.0, target=(0, 0.0, 0), field=40))
    picture = renderer.picture(request(material(), bench, width=160, height=160))
    ground = picture.linear[..., 0][picture.objects == -1]
    back = picture.linear[0, 0, 0]
    assert np.percentile(ground, 95) == pytest.approx(back, rel=0.06)
    assert ground.min() < 0.6 * back


def test_a_panel_casts_a_shadow_away_from_itself(renderer) -> None:
    lights = (AreaLight(height=40, turn=-90, distance=1.5, strength=3000, target=(0, 0, 0), width=0.1, length=0.1),)
    bench = ball_bench(
        ground=True, lights=lights, camera=Camera(turn=0, height=60, distance=1.2, target=(0, 0, 0), field=40)
    )
    picture = renderer.picture(request(material(), bench, width=160, height=160))
    row = picture.linear[80, :, 0]
    part = picture.objects[80]
    left, right = row[:80][part[:80] == -1].mean(), row[80:][part[80:] == -1].mean()
    assert right < 0.85 * left


def test_turning_an_object_turns_its_position_with_it(renderer) -> None:
    """Patterns in the object's space stick to the object."""
    network = new_material().with_card(Card("place", "position", "vector3"))
    network = edits.connect(network, Wire("place"), "surface", "base_color", "vector3")
    still = renderer.picture(request(network, ball_bench(), mode="base_color")).linear[48, 60]
    turned_bench = ball_bench(objects=(stock("Ball", "sphere", material="m", turn=90),))
    turned = renderer.picture(request(network, turned_bench, mode="base_color")).linear[48, 60]
    assert still[2] == pytest.approx(np.sqrt(0.01 - still[0] ** 2), abs=0.01)
    assert abs(turned[0]) == pytest.approx(still[2], abs=0.01)


def test_work_on_a_picture_can_be_called_off(renderer) -> None:
    with pytest.raises(Cancelled):
        renderer.picture(request(material()), cancelled=lambda: True)


def test_defaults_are_those_of_the_standard(library) -> None:
    definition = library["ND_open_pbr_surface_surfaceshader"]
    for name, value in DEFAULTS.items():
        default = definition.inputs[name].default
        np.testing.assert_allclose(default if isinstance(default, tuple) else (default,), value)


def test_pictures_are_written_as_shown_and_as_light(renderer, tmp_path: Path) -> None:
    from collage.core.images.files import read_pixels

    wish = request(material())
    picture = renderer.picture(wish)
    write_picture(wish, picture, tmp_path / "a.png")
    write_picture(wish, picture, tmp_path / "a.exr")
    np.testing.assert_array_equal(read_pixels(tmp_path / "a.png"), picture.display)
    np.testing.assert_array_equal(read_pixels(tmp_path / "a.exr"), picture.linear)
    write_picture(wish, picture, tmp_path / "fine.tif", bits=16)
    assert np.abs(read_pixels(tmp_path / "fine.tif") / 257 - picture.display.astype(float)).max() < 0.6
    plain = replace(wish, bench=wish.bench.model_copy(update={"view_transform": "srgb", "exposure": 1.0}))
    write_picture(plain, picture, tmp_path / "fine.png", bits=16)
    light = np.clip(2 * picture.linear.astype(float), 0, 1)
    codes = np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055) * 65535  # IEC 61966-2-1
    assert np.abs(read_pixels(tmp_path / "fine.png") - codes).max() < 1.5
    check_view("lit")
    with pytest.raises(Exception, match="no view"):
        check_view("sideways")


def test_pictures_of_cards(library) -> None:
    network = Network().with_card(Card("grey", "constant", "float", {"value": Input("value", "float", 0.5)}))
    network = network.with_card(Card("odd", "mystery", "color3")).with_card(Card("place", "position", "vector3"))
    made = card_pictures(library, network, list(network.cards), size=(8, 4), box=((0, 0, 0), (0.5, 1, 0)))
    assert made.pictures["grey"].shape == (4, 8, 3)
    assert abs(int(made.pictures["grey"][0, 0, 0]) - 128) <= 1
    assert made.pictures["odd"][0, 0].tolist()[1] < 80
    assert ((), "odd") in made.problems
    assert made.pictures["place"][0, -1, 0] == pytest.approx(0.5 * 255 * 15 / 16, abs=2)


def test_cards_that_look_at_the_surface_are_shown_on_a_ball_by_themselves(library) -> None:
    network = Network().with_card(Card("slope", "clg_slope_mask", "float"))
    network = network.with_card(Card("turned", "invert", "float", {"in": Input("in", "float", None, Wire("slope"))}))
    network = network.with_card(Card("noise", "noise2d", "float"))
    assert [needs_shape(network, name) for name in network.cards] == [True, True, False]
    made = card_pictures(library, network, list(network.cards), size=(40, 40))
    corner = {name: one[0, 0].tolist() for name, one in made.pictures.items()}
    grey = round(float(linear_to_srgb(np.array(SURROUND))) * 255)
    assert corner["slope"] == corner["turned"] == [grey] * 3, "around the ball"
    assert corner["noise"] != [grey] * 3
    slope = made.pictures["slope"][:, 20, 0].astype(int)
    assert abs(slope[4] - slope[35]) > 60, "what faces up is not what faces down"
    raw = card_pictures(library, network, ["slope"], size=(40, 40), ground="raw").pictures["slope"]
    assert raw[0, 0].tolist() != [grey] * 3, "asked for flat, it is flat"


def test_a_see_through_object_shows_what_lies_behind_it(renderer) -> None:
    """Half a white ball before a dark box: between the two, as the mixing law says."""
    objects = (
        stock("Ball", "sphere", material="glass"),
        stock("Box", "rounded box", material="dark", place=(0, 0, -0.5)),
    )
    bench = Bench(objects=objects, camera=EYE, ground=False)

    def middle(opacity: float, behind: float) -> float:
        materials = {
            "glass": material(geometry_opacity=("float", opacity), base_color=("color3", (1.0, 1.0, 1.0))),
            "dark": material(base_color=("color3", (behind,) * 3), specular_weight=("float", 0.0)),
        }
        wish = PictureRequest(bench, materials, 96, 96)
        return float(renderer.picture(wish).linear[48, 48, 0])

    solid, gone = middle(1.0, 0.0), middle(0.0, 0.0)
    assert gone < 0.05 < solid, "nothing but the dark box is left"
    assert middle(0.25, 0.0) == pytest.approx(0.25 * solid + 0.75 * gone, abs=0.01)
    assert middle(0.0, 0.8) > 0.2, "a change of what is behind is seen through the front"


def test_a_missing_environment_is_a_remark_and_light_an_even_grey(renderer, tmp_path: Path) -> None:
    plain, bench = material(), ball_bench()
    gone = bench.model_copy(update={"environment": bench.environment.model_copy(update={"file": "gone.hdr"})})
    found = renderer.picture(request(plain, gone, folder=tmp_path))
    assert len(found.remarks) == 1
    assert "gone.hdr" in found.remarks[0]
    none = bench.model_copy(update={"environment": bench.environment.model_copy(update={"file": ""})})
    even = renderer.picture(request(plain, none))
    assert even.remarks == ()
    assert np.array_equal(found.display, even.display)


def test_a_displacement_that_is_not_shown_is_told(renderer) -> None:
    network = material().with_card(Card("d", "mix", "displacementshader"))
    wire = Input("displacementshader", "displacementshader", None, Wire("d"))
    moved = network.with_card(network.cards["material"].with_input(wire))
    (told,) = renderer.picture(request(moved)).remarks
    assert "The displacement of “m” is not shown" in told
    assert "Displacement card" in told


def test_cards_that_look_around_are_shown_on_the_object_itself(library) -> None:
    near = Card("near", "clg_distance_mask", "float", {"reach": Input("reach", "float", 0.05)})
    part = Card("part", "clg_part_mask", "float", {"of": Input("of", "string", "part")})
    planks = stock("Planks", "planks", place=(2.0, 0.0, 0.0))
    first = planks.mesh().part_names[0]
    network = Network().with_card(near).with_card(part.with_input(Input("name", "string", first)))

    def shown(item: BenchObject | None) -> dict[str, np.ndarray]:
        made = card_pictures(library, network, ["near", "part"], size=(60, 40), on=item)
        assert not made.problems
        return {name: value[0] for name, value in made.values.items()}

    standing = shown(planks)
    assert standing["near"].max() > 0.5, "it touches the ground"
    assert 0 < (standing["part"] > 0.5).sum() < 0.5 * (standing["near"] >= 0).sum(), "one of its planks"
    assert shown(planks.model_copy(update={"place": (2.0, 1.0, 0.0)}))["near"].max() == 0, "it floats"
    assert shown(planks.model_copy(update={"hidden": True}))["part"].tolist() == standing["part"].tolist()
    assert shown(None)["part"].max() == 0, "a pot has no such part"
    broken = BenchObject(name="Lost", geometry=MeshFile(reading=MeshReading(file="none.obj")))
    assert shown(broken)["near"].tolist() == shown(None)["near"].tolist()
