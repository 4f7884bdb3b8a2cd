"""USD: what is in it arrives upright and in metres; without its library, how to get that is said."""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
import pytest

from collage.core.base.errors import CollageError
from collage.core.geometry.files import read_raw
from collage.core.geometry.raw import checked

pytest.importorskip("pxr")

SCENE = """#usda 1.0
(
    metersPerUnit = 0.01
    upAxis = "Z"
)
def Xform "Root"
{
    double3 xformOp:translate = (0, 0, 100)
    uniform token[] xformOpOrder = ["xformOp:translate"]
    def Mesh "Board"
    {
        int[] faceVertexCounts = [4, 3]
        int[] faceVertexIndices = [0, 1, 2, 3, 0, 3, 4]
        point3f[] points = [(0, 0, 0), (20, 0, 0), (20, 10, 0), (0, 10, 0), (-10, 5, 0)]
        texCoord2f[] primvars:st = [(0, 0), (1, 0), (1, 1), (0, 1), (0, 0), (0, 1), (0.5, 0.5)] (
            interpolation = "faceVarying"
        )
        texCoord2f[] primvars:label = [(0, 0), (2, 0), (2, 2), (0, 2), (4, 4)] (
            interpolation = "vertex"
        )
        color3f[] primvars:displayColor = [(0.25, 0.5, 1)] (
            interpolation = "constant"
        )
        rel material:binding = </Oak>
        def GeomSubset "Corner"
        {
            uniform token elementType = "face"
            uniform token familyName = "materialBind"
            int[] indices = [1]
            rel material:binding = </Brass>
        }
    }
    def Mesh "Hidden"
    {
        token visibility = "invisible"
        int[] faceVertexCounts = [3]
        int[] faceVertexIndices = [0, 1, 2]
        point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0)]
    }
    def Mesh "Mirrored"
    {
        double3 xformOp:scale = (-1, 1, 1)
        uniform token[] xformOpOrder = ["xformOp:scale"]
        int[] faceVertexCounts = [3]
        int[] faceVertexIndices = [0, 1, 2]
        point3f[] points = [(0, 0, 5), (10, 0, 5), (0, 10, 5)]
    }
}
def Material "Oak" {}
def Material "Brass" {}
"""


def test_a_scene(tmp_path: Path) -> None:
    path = tmp_path / "a.usda"
    path.write_text(SCENE)
    mesh = checked(read_raw(path), path.name)
    assert mesh.part_names == ("Board", "Mirrored")
    np.testing.assert_array_equal(mesh.face, [0, 0, 1, 2])
    np.testing.assert_array_equal(mesh.ids[0], [0, 0, 0, 1])
    assert [mesh.slot_names[slot] for slot in mesh.ids[2]] == ["Oak", "Oak", "Brass", ""]
    low, high = mesh.bounds
    np.testing.assert_allclose(low, [-0.1, 1.0, -0.1], atol=1e-6)
    np.testing.assert_allclose(high, [0.2, 1.05, 0.0], atol=1e-6)
    np.testing.assert_allclose(mesh.face_normals, np.tile([[0, 1, 0]], (4, 1)), atol=1e-6)
    np.testing.assert_allclose(mesh.uv["UVMap"][6:9], [[0, 0], [0, 1], [0.5, 0.5]])
    np.testing.assert_allclose(mesh.uv["label"][6:9], [[0, 0], [0, 2], [4, 4]])
    np.testing.assert_allclose(mesh.colours["Colour 0"][0], [0.25, 0.5, 1, 1])


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ("0, 3, 4]", "0, 3, 9]"),
        ("[4, 3]", "[4, 2]"),
        ("[4, 3]", "[4, 4]"),
        ("#usda", "#text"),
        ("def Mesh", "def Xform"),
    ],
)
def test_hostile(tmp_path: Path, old: str, new: str) -> None:
    path = tmp_path / "a.usda"
    path.write_text(SCENE.replace(old, new))
    with pytest.raises(CollageError) as told:
        checked(read_raw(path), path.name)
    assert told.value.about == "a.usda"


def test_without_its_library(tmp_path: Path, monkeypatch) -> None:
    path = tmp_path / "a.usda"
    path.write_text(SCENE)
    monkeypatch.setitem(sys.modules, "pxr", None)
    with pytest.raises(CollageError, match="not installed"):
        read_raw(path)
