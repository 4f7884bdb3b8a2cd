"""A network to edit, and its numbers, for the tests of edits that must not change any."""

from __future__ import annotations

import numpy as np

from collage.core.document.materialx import parse_document
from collage.core.document.model import Network, Wire
from collage.core.evaluate.plan import CardInput, build_plan
from collage.core.evaluate.run import run
from collage.core.geometry.points import sheet
from collage.core.nodes.library import Library

TEXT = """<materialx version="1.39">
  <texcoord name="uv" type="vector2" xpos="0" ypos="0"/>
  <multiply name="finer" type="vector2" xpos="1" ypos="0">
    <input name="in1" type="vector2" nodename="uv"/><input name="in2" type="float" value="5"/>
  </multiply>
  <noise2d name="noise" type="float" xpos="2" ypos="0">
    <input name="texcoord" type="vector2" nodename="finer"/><input name="amplitude" type="float" value="0.7"/>
  </noise2d>
  <worleynoise2d name="cells" type="float" xpos="2" ypos="1">
    <input name="texcoord" type="vector2" nodename="finer"/>
  </worleynoise2d>
  <mix name="both" type="float" xpos="3" ypos="0">
    <input name="fg" type="float" nodename="noise"/><input name="bg" type="float" nodename="cells"/>
    <input name="mix" type="float" value="0.25"/>
  </mix>
  <contrast name="hard" type="float" xpos="4" ypos="0">
    <input name="in" type="float" nodename="both"/><input name="amount" type="float" value="1.5"/>
  </contrast>
  <ramplr name="ramp" type="color3" xpos="4" ypos="1">
    <input name="valuel" type="color3" value="0.1, 0.2, 0.3"/><input name="texcoord" type="vector2" nodename="finer"/>
  </ramplr>
  <open_pbr_surface name="surface" type="surfaceshader">
    <input name="specular_roughness" type="float" nodename="hard"/>
    <input name="base_color" type="color3" nodename="ramp"/>
    <input name="coat_weight" type="float" nodename="cells"/>
  </open_pbr_surface>
  <surfacematerial name="material" type="material">
    <input name="surfaceshader" type="surfaceshader" nodename="surface"/>
  </surfacematerial>
</materialx>"""
SHOWN = ("specular_roughness", "base_color", "coat_weight")


def network() -> Network:
    return parse_document(TEXT.encode())


def numbers(library: Library, document: Network) -> dict[str, np.ndarray]:
    """What the surface takes in, on a sheet of points."""
    plan = build_plan(library, document, {name: CardInput("surface", name) for name in SHOWN})
    assert not plan.problems
    points = sheet(9, 7)
    return {name: np.broadcast_to(value, (len(value), 63)) for name, value in run(plan, points).items()}


def same(library: Library, one: Network, other: Network) -> None:
    before, after = numbers(library, one), numbers(library, other)
    for name, value in before.items():
        np.testing.assert_allclose(after[name], value, atol=1e-6, err_msg=name)


def type_of(library: Library, document: Network, wire: Wire) -> str:
    from collage.core.nodes.wiring import output_type

    return output_type(library, document, wire)
