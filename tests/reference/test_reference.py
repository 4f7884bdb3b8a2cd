"""Collage beside the standard's own reference implementation, drawn in the same run on the same inputs.

Inputs are noises that differ from point to point and reach below 0 and above 1, so that borders, negative
values and divisions near zero are met. What needs more than texture coordinates (positions, normals, image
files) is tested against closed forms elsewhere.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from collage.core.document.materialx import parse_document
from collage.core.document.types import CHANNELS
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.points import sheet
from collage.core.evaluate.run import run
from collage.core.nodes.library import Library, load_library

SIZE = 48
DEFINITIONS = [
    "ND_noise2d_float",
    "ND_noise2d_vector3",
    "ND_noise2d_color4",
    "ND_noise2d_vector2",
    "ND_fractal2d_float",
    "ND_fractal2d_vector2",
    "ND_fractal2d_color3",
    "ND_fractal2d_vector4",
    "ND_worleynoise2d_float",
    "ND_worleynoise2d_vector2",
    "ND_worleynoise2d_vector3",
    "ND_checkerboard_color3",
    "ND_ramplr_float",
    "ND_ramptb_color3",
    "ND_ramp4_vector2",
    "ND_splitlr_float",
    "ND_splittb_color3",
    "ND_place2d_vector2",
    "ND_rotate2d_vector2",
    "ND_rotate3d_vector3",
    "ND_add_float",
    "ND_subtract_color3FA",
    "ND_multiply_vector3",
    "ND_divide_color3",
    "ND_modulo_float",
    "ND_fract_vector3",
    "ND_absval_float",
    "ND_sign_vector2",
    "ND_floor_float",
    "ND_ceil_color3",
    "ND_round_float",
    "ND_power_float",
    "ND_sin_float",
    "ND_cos_vector2",
    "ND_tan_float",
    "ND_asin_float",
    "ND_acos_float",
    "ND_atan2_float",
    "ND_sqrt_float",
    "ND_ln_float",
    "ND_exp_float",
    "ND_clamp_color3",
    "ND_min_vector4",
    "ND_max_float",
    "ND_normalize_vector3",
    "ND_magnitude_vector2",
    "ND_dotproduct_vector4",
    "ND_crossproduct_vector3",
    "ND_invert_color3",
    "ND_remap_float",
    "ND_range_color3",
    "ND_smoothstep_float",
    "ND_contrast_color3",
    "ND_luminance_color3",
    "ND_rgbtohsv_color3",
    "ND_hsvtorgb_color3",
    "ND_hsvadjust_color3",
    "ND_saturate_color3",
    "ND_colorcorrect_color3",
    "ND_mix_color3",
    "ND_plus_color4",
    "ND_minus_float",
    "ND_difference_color3",
    "ND_burn_float",
    "ND_dodge_color3",
    "ND_screen_color3",
    "ND_overlay_color3",
    "ND_disjointover_color4",
    "ND_in_color4",
    "ND_mask_color4",
    "ND_matte_color4",
    "ND_out_color4",
    "ND_over_color4",
    "ND_inside_color3",
    "ND_outside_float",
    "ND_premult_color4",
    "ND_unpremult_color4",
    "ND_combine3_color3",
    "ND_combine2_vector4VV",
    "ND_separate3_color3",
    "ND_separate4_vector4",
    "ND_extract_color3",
    "ND_convert_float_color4",
    "ND_convert_color3_vector2",
    "ND_ifgreater_float",
    "ND_ifgreatereq_color3",
    "ND_ifequal_float",
    "ND_switch_float",
    "ND_heighttonormal_vector3",
    "ND_circle_float",
    "ND_hexagon_float",
    "ND_grid_color3",
    "ND_crosshatch_color3",
    "ND_randomfloat_float",
    "ND_unifiednoise2d_float",
    "ND_safepower_color3",
    "ND_trianglewave_float",
]
STEPPED = {
    "floor",
    "ceil",
    "round",
    "modulo",
    "fract",
    "sign",
    "ifgreater",
    "ifgreatereq",
    "ifequal",
    "switch",
    "range",
    "colorcorrect",
}
"""Kinds with jumps or powers of what may be negative: there 99 of 100 pixels count, for the two may jump a rounding error apart."""


def source(number: int, kind: str) -> str:
    """Noise of a type, of its own size and place, about -1 to 1.8."""
    wide = kind.replace("color", "vector")
    amplitude = ", ".join(["1.4", "1.1", "0.9", "1.2"][: CHANNELS[kind]])
    return (
        f'<texcoord name="t{number}" type="vector2"/><multiply name="m{number}" type="vector2">'
        f'<input name="in1" type="vector2" nodename="t{number}"/><input name="in2" type="float" value="{3 + number}"/>'
        f'</multiply><noise2d name="s{number}" type="{kind}"><input name="amplitude" type="{wide}" value="{amplitude}"/>'
        f'<input name="pivot" type="float" value="0.4"/><input name="texcoord" type="vector2" nodename="m{number}"/></noise2d>'
    )


def document(library: Library, name: str) -> str:
    """A graph with one card of this definition, every input of which takes from a noise."""
    definition = library[name]
    sources = given = ""
    plain = definition.category in ("unifiednoise2d",)  # their literal inputs are what matters
    for number, tab in enumerate(definition.inputs.values()):
        if (
            tab.type in CHANNELS
            and tab.type not in ("integer", "boolean")
            and not (tab.uniform or tab.geometry or plain)
        ):
            sources += source(number, tab.type)
            given += f'<input name="{tab.name}" type="{tab.type}" nodename="s{number}"/>'
    single = len(definition.outputs) == 1
    outputs = "".join(
        f'<output name="o_{out}" type="{tab.type}" nodename="n"' + ("" if single else f' output="{out}"') + "/>"
        for out, tab in definition.outputs.items()
    )
    card = f'<{definition.category} name="n" type="{definition.type}" nodedef="{name}">{given}</{definition.category}>'
    return f'<materialx version="1.39"><nodegraph name="g">{sources}{card}{outputs}</nodegraph></materialx>'


@pytest.fixture(scope="module")
def drawn(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The folder of documents, drawn by the reference."""
    if shutil.which("xvfb-run") is None:
        pytest.skip("needs Xvfb")
    folder, library = tmp_path_factory.mktemp("reference"), load_library()
    for name in DEFINITIONS:
        (folder / f"{name}.mtlx").write_text(document(library, name))
    command = ["xvfb-run", "-a", sys.executable, str(Path(__file__).parent / "draw.py"), str(folder)]
    done = subprocess.run(command, capture_output=True, text=True, env=dict(os.environ), timeout=280, check=False)
    if "ready" not in done.stdout:
        pytest.skip("the reference finds no OpenGL here")
    assert done.returncode == 0, done.stderr
    return folder


@pytest.mark.parametrize("name", DEFINITIONS)
def test_a_definition_gives_what_the_reference_gives(drawn: Path, library: Library, name: str) -> None:
    definition = library[name]
    text = (drawn / f"{name}.mtlx").read_bytes()
    wanted = {f"o_{out}": CardOutput("g", f"o_{out}") for out in definition.outputs}
    plan = build_plan(library, parse_document(text), wanted, filtered=False, strict=True)
    values = run(plan, sheet(SIZE, SIZE))
    with np.load(drawn / f"{name}.npz") as reference:
        for out, tab in definition.outputs.items():
            count = CHANNELS[tab.type]
            theirs = reference[f"o_{out}"][:, :, :count]
            ours = np.broadcast_to(np.asarray(values[f"o_{out}"], np.float32), (count, SIZE * SIZE))
            ours = ours.T.reshape(SIZE, SIZE, count)[::-1]
            both = np.isfinite(theirs) & np.isfinite(ours)
            assert np.ptp(np.clip(theirs[both], -9, 9)) > 1e-3, "the graph shows something"
            assert (np.isfinite(theirs) == np.isfinite(ours)).mean() > 0.99
            theirs, ours = (np.where(both, one, 0).astype(np.float64) for one in (theirs, ours))
            gap = np.abs(theirs - ours) / np.maximum(1, np.abs(theirs))
            enough = 0.99 if definition.category in STEPPED or definition.group == "procedural2d" else 0.998
            assert (gap <= 2e-3).mean() >= enough, f"{out}: largest difference {gap.max():.4f}"
