"""`collage evaluate`: every output of every nodegraph to a float EXR, and a line for what it cannot do."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from collage.core.evaluate.sheets import evaluate_graphs
from collage.core.images.files import read_info, read_pixels

TEXT = """<materialx version="1.39">
<nodegraph name="good"><texcoord name="t" type="vector2"/><noise2d name="n" type="color4"/>
<output name="uv" type="vector2" nodename="t"/><output name="noise" type="color4" nodename="n"/></nodegraph>
<nodegraph name="bad"><mystery name="m" type="float"/><output name="o" type="float" nodename="m"/></nodegraph>
<nodegraph name="flat"><constant name="c" type="float"><input name="value" type="float" value="0.75"/></constant>
<output name="o" type="float" nodename="c"/></nodegraph></materialx>"""


def test_outputs_are_written_as_float_exr_with_their_own_channels(tmp_path: Path, library) -> None:
    file = tmp_path / "a.mtlx"
    file.write_text(TEXT)
    done = {one.name: one for one in evaluate_graphs(library, file, 16, 8, tmp_path / "out")}
    assert {path.name for path in (tmp_path / "out").iterdir()} == {"good.uv.exr", "good.noise.exr", "flat.o.exr"}
    assert done["bad"].error is not None
    assert "mystery" in str(done["bad"].error)
    assert done["flat"].share == 1.0
    info = read_info(tmp_path / "out" / "good.noise.exr")
    assert (info.width, info.height, info.channels, info.bits, info.floating) == (16, 8, 4, 32, True)
    uv = read_pixels(tmp_path / "out" / "good.uv.exr")
    np.testing.assert_allclose(uv[0, 0], (0.5 / 16, 1 - 0.5 / 8), atol=1e-6)
    np.testing.assert_allclose(uv[-1, -1], (1 - 0.5 / 16, 0.5 / 8), atol=1e-6)
    flat = read_pixels(tmp_path / "out" / "flat.o.exr")
    assert flat.shape == (8, 16, 1)
    np.testing.assert_array_equal(flat, 0.75)


def test_one_graph_can_be_asked_for_and_a_wrong_name_is_told(tmp_path: Path, library) -> None:
    file = tmp_path / "a.mtlx"
    file.write_text(TEXT)
    done = list(evaluate_graphs(library, file, 4, 4, tmp_path / "out", ["flat", "none"]))
    assert [one.name for one in done if one.error] == ["none"]
    assert [path.name for path in (tmp_path / "out").iterdir()] == ["flat.o.exr"]


def test_one_bad_output_keeps_no_other_from_being_written(tmp_path: Path, library) -> None:
    (tmp_path / "a.mtlx").write_text(
        '<materialx version="1.39"><nodegraph name="g"><noise2d name="n" type="float"/><mystery name="m" type="float"/>'
        '<creatematrix name="x" type="matrix33"/><constant name="i" type="integer"/>'
        '<output name="bad" type="float" nodename="m"/><output name="good" type="float" nodename="n"/>'
        '<output name="table" type="matrix33" nodename="x"/><output name="whole" type="integer" nodename="i"/>'
        '</nodegraph><nodegraph name="h"><creatematrix name="x" type="matrix33"/>'
        '<output name="table" type="matrix33" nodename="x"/></nodegraph></materialx>'
    )
    first, second = evaluate_graphs(library, tmp_path / "a.mtlx", 8, 8, tmp_path / "out")
    assert sorted(path.name for path in first.files) == ["g.good.exr", "g.whole.exr"]
    assert first.error is not None
    assert "mystery" in str(first.error)
    assert second.files == ()
    assert "matrix33" in str(second.error)
