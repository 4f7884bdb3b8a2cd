"""Surfaces of other models and mixes of surfaces, as the OpenPBR surfaces that are drawn."""

from __future__ import annotations

import numpy as np
import pytest

from collage.core.base.errors import CollageError
from collage.core.document.materialx import parse_document
from collage.core.geometry.points import sheet
from collage.core.nodes import states
from collage.core.nodes.surfaces import as_open_pbr
from collage.core.render.channels import CHANNELS, SHOWN
from collage.core.render.surface import (
    WEIGHT,
    evaluate_surface,
    film_reflection,
    layers_of,
    pack,
    plan_surface,
    value_of,
)

MATERIAL = '<surfacematerial name="material" type="material"><input name="surfaceshader" type="surfaceshader" nodename="surface"/></surfacematerial>'


def values(library, body: str) -> dict[str, np.ndarray]:
    document = parse_document(f'<materialx version="1.39">{body}{MATERIAL}</materialx>'.encode())
    surface = plan_surface(library, document)
    assert not surface.problems
    return evaluate_surface(surface, sheet(8, 8))


def shader(category: str, **given: tuple[str, str]) -> str:
    inputs = "".join(f'<input name="{name}" type="{kind}" value="{text}"/>' for name, (kind, text) in given.items())
    return f'<{category} name="surface" type="surfaceshader">{inputs}</{category}>'


def number(found: dict[str, np.ndarray], name: str) -> list[float]:
    return [round(float(one), 4) for one in value_of(found, name)[:, 0]]


def test_standard_surface_goes_through_the_standards_translation(library) -> None:
    found = values(
        library,
        shader(
            "standard_surface",
            base=("float", "0.7"),
            base_color=("color3", "0.1, 0.2, 0.3"),
            metalness=("float", "0.25"),
            specular_roughness=("float", "0.4"),
            coat=("float", "0.5"),
            sheen=("float", "0.3"),
            opacity=("color3", "0.6, 0.6, 0.6"),
        ),
    )
    assert number(found, "base_weight") == [0.7]
    assert number(found, "base_color") == [0.1, 0.2, 0.3]
    assert number(found, "base_metalness") == [0.25]
    assert number(found, "specular_roughness") == [0.4]
    assert number(found, "coat_weight") == [0.0], "a coat over metal tints it instead, as the standard has it"
    assert number(found, "fuzz_weight") == [0.3]
    assert number(found, "geometry_opacity") == [0.6]


def test_gltf_surfaces_keep_their_meaning(library) -> None:
    given = {
        "base_color": ("color3", "0.8, 0.4, 0.2"),
        "metallic": ("float", "0"),
        "roughness": ("float", "0.6"),
        "sheen_color": ("color3", "0.1, 0.4, 0.2"),
        "emissive": ("color3", "1, 0.5, 0"),
        "emissive_strength": ("float", "2"),
        "alpha": ("float", "0.3"),
        "iridescence_thickness": ("float", "400"),
    }
    found = values(library, shader("gltf_pbr", **given))
    assert number(found, "base_color") == [0.8, 0.4, 0.2]
    assert number(found, "fuzz_weight") == [0.4]
    assert number(found, "fuzz_color") == [0.25, 1.0, 0.5]
    assert number(found, "emission_color") == [2.0, 1.0, 0.0]
    assert number(found, "emission_luminance") == [1000.0]
    assert number(found, "thin_film_thickness") == [0.4]
    assert number(found, "geometry_opacity") == [1.0], "alpha counts only where its mode says so"
    cut = values(library, shader("gltf_pbr", **given, alpha_mode=("integer", "1")))
    assert number(cut, "geometry_opacity") == [0.0]
    blend = values(library, shader("gltf_pbr", **given, alpha_mode=("integer", "2")))
    assert number(blend, "geometry_opacity") == [0.3]


def test_a_brushed_gltf_surface_has_the_slopes_of_its_definition(library) -> None:
    """Along and across, by the glTF extension: the mean of the square and 1 by the strength squared; the square."""
    for rough, strength in ((0.3, 0.8), (0.6, 0.0), (0.9, 1.0)):
        given = {"roughness": ("float", str(rough)), "anisotropy_strength": ("float", str(strength))}
        found = values(library, shader("gltf_pbr", **given))
        roughness, brushed = found["specular_roughness"].item(), found["specular_roughness_anisotropy"].item()
        along = roughness**2 * np.sqrt(2 / (1 + (1 - brushed) ** 2))
        assert along == pytest.approx(rough**2 + (1 - rough**2) * strength**2, abs=1e-4)
        assert along * (1 - brushed) == pytest.approx(rough**2, abs=1e-4)
    thin = values(library, shader("gltf_pbr", transmission=("float", "1")))
    filled = values(library, shader("gltf_pbr", transmission=("float", "1"), thickness=("float", "0.1")))
    assert thin["geometry_thin_walled"].item() == 1
    assert filled["geometry_thin_walled"].item() == 0


def test_usd_surfaces_in_both_workflows_and_with_a_bent_normal(library) -> None:
    plain = values(library, shader("UsdPreviewSurface", metallic=("float", "1"), normal=("vector3", "0.6, 0, 0.8")))
    assert number(plain, "base_metalness") == [1.0]
    assert number(plain, "geometry_normal") == [0.6, 0.0, 0.8]
    specular = values(
        library,
        shader(
            "UsdPreviewSurface",
            useSpecularWorkflow=("integer", "1"),
            specularColor=("color3", "0.2, 0.1, 0.04"),
            metallic=("float", "1"),
        ),
    )
    assert number(specular, "base_metalness") == [0.0]
    assert number(specular, "specular_color") == [5.0, 2.5, 1.0]
    cut = values(library, shader("UsdPreviewSurface", opacity=("float", "0.4"), opacityThreshold=("float", "0.5")))
    assert number(cut, "geometry_opacity") == [0.0]


def test_an_unlit_surface_only_shines(library) -> None:
    found = values(
        library, shader("surface_unlit", emission=("float", "2"), emission_color=("color3", "0.1, 0.2, 0.4"))
    )
    assert number(found, "emission_color") == [0.2, 0.4, 0.8]
    assert number(found, "base_weight") == number(found, "specular_weight") == [0.0]


MIX = """
<open_pbr_surface name="a" type="surfaceshader"><input name="base_color" type="color3" value="1, 0, 0"/><input name="specular_roughness" type="float" value="0.2"/></open_pbr_surface>
<standard_surface name="b" type="surfaceshader"><input name="base_color" type="color3" value="0, 0, 1"/><input name="base" type="float" value="1"/></standard_surface>
<gltf_pbr name="c" type="surfaceshader"/>
<mix name="ab" type="surfaceshader"><input name="fg" type="surfaceshader" nodename="a"/><input name="bg" type="surfaceshader" nodename="b"/><input name="mix" type="float" value="0.25"/></mix>
<mix name="surface" type="surfaceshader"><input name="fg" type="surfaceshader" nodename="ab"/><input name="bg" type="surfaceshader" nodename="c"/><input name="mix" type="float" value="0.6"/></mix>
"""


def test_the_surfaces_of_a_mix_are_drawn_with_their_weights(library) -> None:
    found = values(library, MIX)
    layers = layers_of(found)
    assert [round(float(weight[0, 0]), 4) for weight, _ in layers if weight is not None] == [0.15, 0.45, 0.4]
    assert [number(dict(one), "base_color") for _, one in layers] == [[1, 0, 0], [0, 0, 1], [1, 1, 1]]
    assert number(found, "base_color") == [0.55, 0.4, 0.85], "one value of all is their mean"
    assert not any(WEIGHT in one for _, one in layers)
    plain = values(library, shader("open_pbr_surface"))
    assert layers_of(plain) == [(None, plain)]


def test_surfaces_that_take_from_themselves_or_are_of_no_known_model_are_told(library) -> None:
    circle = '<mix name="surface" type="surfaceshader"><input name="fg" type="surfaceshader" nodename="surface"/></mix>'
    for body, word in ((circle, "circle"), (shader("surface"), "plain grey"), ("", "no surface")):
        document = parse_document(f'<materialx version="1.39">{body}{MATERIAL if body else ""}</materialx>'.encode())
        with pytest.raises(CollageError, match=word):
            as_open_pbr(library, document)


def test_a_thin_film_reflects_by_interference() -> None:
    base = np.full((3, 1), 0.04, np.float32)
    facing = np.ones((1, 1), np.float32)
    none = film_reflection(base, facing, np.zeros((1, 1), np.float32), np.full((1, 1), 1.4, np.float32))
    np.testing.assert_allclose(none, 0.04, atol=1e-3)  # a film of no thickness is not there
    quarter = np.float32(0.55 / 4 / 1.2247)  # a quarter wave of an index that is the root of 1.5 puts out green
    green = film_reflection(base, facing, np.full((1, 1), quarter, np.float32), np.full((1, 1), 1.2247, np.float32))
    assert green[1, 0] < 2e-3 < green[2, 0]
    thick = film_reflection(base, facing, np.full((1, 1), 40.0, np.float32), np.full((1, 1), 1.4, np.float32))
    assert np.ptp(thick) < 1e-3, "a thick film has no colour"
    many = film_reflection(
        np.full((3, 50), 0.9, np.float32),
        np.linspace(0, 1, 50, dtype=np.float32)[None],
        np.full((1, 1), 0.6, np.float32),
        np.full((1, 1), 1.6, np.float32),
    )
    assert (many >= 0).all()
    assert (many <= 1).all()


def test_every_input_that_is_shown_has_a_row_and_says_when_it_is_approximate(library) -> None:
    definition = library["ND_open_pbr_surface_surfaceshader"]
    assert set(SHOWN) <= set(definition.inputs)
    assert all(one.default or "normal" in one.name for one in CHANNELS)
    packed, *_ = pack({}, sheet(4, 4), 0, 16)
    assert np.isfinite(packed).all()


def test_every_definition_has_a_state_and_every_skipped_one_a_reason(library) -> None:
    every = list(states.states(library))
    assert len(every) == len(library)
    for one in every:
        assert one.evaluated or len(one.reason) > 20, one.definition.name
    by_name = {one.definition.name: one for one in every}
    assert by_name["ND_fractal3d_float"].how == states.FUNCTION
    assert by_name["ND_contrast_color3"].how == states.GRAPH
    assert by_name["ND_standard_surface_surfaceshader"].how == states.SURFACE
    assert by_name["ND_lama_sheen"].how == states.SKIPPED
    assert "no time" in by_name["ND_time_float"].reason
    text = states.summary(library)
    assert text.startswith(f"defined {len(every)}, evaluated {sum(one.evaluated for one in every)}, skipped ")
