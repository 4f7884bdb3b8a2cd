"""Collage beside the standard's own reference implementation.

The reference's numbers for every case are kept in drawn.npz (drawn by redraw.py on Mesa); some cases are drawn
anew in every run where a display can be had, which shows that what is kept is what the reference gives.
"""

from __future__ import annotations

import shutil
import subprocess
import sys
import zlib
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from collage.core.document.materialx import parse_document
from collage.core.document.types import CHANNELS
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import run
from collage.core.geometry.points import sheet
from collage.core.images.store import ImageStore
from collage.core.nodes.library import Library, load_library

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE))

from cases import LEFT_OUT, SIZE, cases, write_pictures  # noqa: E402

LIBRARY = load_library()
CASES = dict(cases(LIBRARY))
CATEGORIES = sorted({LIBRARY[name.split(".")[0]].category for name in CASES})
TOLERANCE = 2e-3
STEEP = {
    "divide",
    "invertmatrix",
    "range",
    "colorcorrect",
    "remap",
    "power",
    "safepower",
    "contrast",
    "unpremult",
    "artistic_ior",
}
"""Kinds that come near a division by zero: there the difference counts relative to the value."""

NEARLY_SINGULAR = {"divide", "invertmatrix"}
"""Matrices that can hardly be inverted occur among the inputs; a few points may differ."""

FRESH = [
    "ND_fractal3d_color4.mixed",
    "ND_worleynoise3d_vector3.wired",
    "ND_unifiednoise2d_float.literal",
    "ND_ramp.mixed",
    "ND_hextiledimage_color3.literal",
    "ND_hextilednormalmap_vector3.literal",
    "ND_flake3d.wired",
    "ND_hsvadjust_color3.wired",
    "ND_disjointover_color4.wired",
    "ND_heighttonormal_vector3.wired",
    "ND_triplanarprojection_color3.plain",
    "ND_transformmatrix_vector3M4.wired",
]


@pytest.fixture(scope="module")
def kept() -> dict[str, np.ndarray]:
    with np.load(HERE / "drawn.npz") as drawn:
        return dict(drawn)


@pytest.fixture(scope="module")
def pictures(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("pictures")
    write_pictures(folder)
    return folder


def values_of(library: Library, text: str, folder: Path, images: ImageStore) -> Iterator[tuple[str, np.ndarray]]:
    """What Collage gives for each output, (SIZE, SIZE, channels), row 0 at v = 0."""
    document = parse_document(text.encode())
    inside = document.cards["g"].network
    assert inside is not None
    wanted = {name: CardOutput("g", name) for name in inside.outputs}
    plan = build_plan(library, document, wanted, folder=folder, images=images, filtered=False, strict=True)
    for name, value in run(plan, sheet(SIZE, SIZE)).items():
        count = CHANNELS[inside.outputs[name].type]
        whole = np.broadcast_to(np.asarray(value, np.float32), (count, SIZE * SIZE))
        yield name, whole.T.reshape(SIZE, SIZE, count)[::-1]


def agreement(category: str, ours: np.ndarray, theirs: np.ndarray) -> float:
    """The share of numbers that agree; what is no number in the reference may be anything."""
    theirs = theirs[:, :, : ours.shape[2]].astype(np.float64)
    scale = np.maximum(1, np.abs(theirs)) if category in STEEP else 1.0
    with np.errstate(invalid="ignore"):
        close = np.abs(ours - theirs) <= TOLERANCE * scale
    return float((close | ~np.isfinite(theirs) | (ours == theirs)).mean())


@pytest.mark.parametrize("category", CATEGORIES)
def test_every_definition_gives_what_the_reference_gives(
    category: str, library: Library, kept: dict[str, np.ndarray], pictures: Path
) -> None:
    images, compared = ImageStore(), 0
    for name, text in CASES.items():
        if library[name.split(".")[0]].category != category:
            continue
        for output, ours in values_of(library, text, pictures, images):
            theirs = kept.get(f"{name}|{output}|{zlib.crc32(text.encode())}")
            assert theirs is not None, f"{name} is not in drawn.npz: run `make reference`"
            share = agreement(category, ours, theirs)
            enough = 0.95 if category in NEARLY_SINGULAR else 0.98
            assert share >= enough, f"{name} {output}: {share:.3f} agree"
            compared += 1
    assert compared


def test_the_cases_cover_every_numeric_definition(library: Library) -> None:
    covered = {name.split(".")[0] for name in CASES}
    for definition in library:
        numbers = any(one.type in CHANNELS for one in definition.outputs.values())
        standard = definition.group in ("procedural2d", "procedural3d", "texture2d", "texture3d", "math", "adjustment")
        if numbers and standard and not definition.category.startswith(("clg_", "Usd", "gltf")):
            assert definition.name in covered or definition.category in LEFT_OUT, definition.name


def test_what_is_kept_is_what_the_reference_draws(tmp_path: Path, kept: dict[str, np.ndarray]) -> None:
    if shutil.which("xvfb-run") is None:
        pytest.skip("needs Xvfb")
    write_pictures(tmp_path)
    for name in FRESH:
        (tmp_path / f"{name}.mtlx").write_text(CASES[name])
    command = ["xvfb-run", "-a", sys.executable, str(HERE / "draw.py"), str(SIZE), str(tmp_path)]
    done = subprocess.run(command, capture_output=True, text=True, timeout=280, check=False)
    if "ready" not in done.stdout:
        pytest.skip("the reference finds no OpenGL here")
    assert done.returncode == 0, done.stderr
    for name in FRESH:
        with np.load(tmp_path / f"{name}.npz") as drawn:
            assert drawn.files, done.stderr
            for output, values in drawn.items():
                before = kept[f"{name}|{output}|{zlib.crc32(CASES[name].encode())}"]
                assert (np.isclose(values, before, atol=1e-4, equal_nan=True)).mean() > 0.98, name
