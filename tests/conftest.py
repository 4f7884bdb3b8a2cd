"""What all tests share: a home of their own, the library, threads, and small builders."""

from __future__ import annotations

import gc
import os
import shutil
import subprocess
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

# Before anything asks for a folder: settings, desks and demo data of the tests go to a place of their own.
# The cache of compiled kernels stays where it is, or every run would compile.
_HOME = tempfile.TemporaryDirectory(prefix="collage-tests-")
for _name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_DATA_HOME"):
    os.environ[_name] = str(Path(_HOME.name) / _name.lower())
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import hypothesis
import numpy as np
import pytest

from collage.core.base.progress import finished
from collage.core.document.materialx import parse_document
from collage.core.document.model import Network
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import Workers, run
from collage.core.geometry.points import Points, sheet
from collage.core.images.store import ImageStore
from collage.core.kernels import compiled
from collage.core.nodes.library import Library, load_library
from collage.demo.shed import make_sample
from once import made_once

# The same examples in every `make test`; `make campaign` draws new ones, and more of them. A disk that stands still for
# a second is no failure.
hypothesis.settings.register_profile("test", derandomize=True, database=None, deadline=None)
hypothesis.settings.register_profile("campaign", max_examples=400, deadline=None, print_blob=True)
hypothesis.settings.load_profile(os.environ.get("COLLAGE_EXAMPLES", "test"))

LONG = ("test_campaign", "test_windows_come_and_go", "test_a_project_opens_with_its_picture")


def pytest_sessionstart(session: pytest.Session) -> None:
    """On a fresh machine the kernels compile for a minute: once, before several processes share the tests."""
    if not hasattr(session.config, "workerinput") and not session.config.option.collectonly:
        finished(compiled())


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """The longest tests first: at the end, one process would wait for the other."""
    items.sort(key=lambda item: not any(name in item.nodeid for name in LONG))


@pytest.fixture(autouse=True)
def garbage_goes_here() -> Iterator[None]:
    """Once there was a window, Python looks for garbage no more by itself: see app.shell.garbage."""
    yield
    if not gc.isenabled():
        gc.collect(1)
        if gc.get_count()[2] > 20:
            gc.collect()


@pytest.fixture(scope="session")
def library() -> Library:
    return load_library()


@pytest.fixture(scope="session")
def workers() -> Iterator[Workers]:
    made = Workers(2)
    yield made
    made.close()


@pytest.fixture(scope="session")
def samples(tmp_path_factory: pytest.TempPathFactory) -> Callable[[str], Path]:
    """The sample projects by name, as they are written, which takes seconds; no test may change them."""

    def made(name: str) -> Path:
        return made_once(tmp_path_factory, name, lambda folder: make_sample(name, folder, lambda text, _: None))

    return made


@pytest.fixture(scope="session")
def whole_shed(samples: Callable[[str], Path]) -> Path:
    """The demo as it is written."""
    return samples("potting-shed")


@pytest.fixture
def images() -> ImageStore:
    return ImageStore()


class Calculator:
    """Evaluates a nodegraph given as MaterialX text."""

    def __init__(self, library: Library) -> None:
        self.library = library

    def document(self, body: str) -> Network:
        return parse_document(f'<materialx version="1.39">{body}</materialx>'.encode())

    def graph(
        self,
        body: str,
        type_name: str,
        points: Points | None = None,
        size: int = 8,
        last: str = "n",
        output: str = "",
    ) -> np.ndarray:
        """The value of the card `last` of a graph with these cards, (k, n), spread over all points.

        output : which one, of a card with several.
        """
        points = points if points is not None else sheet(size, size)
        which = f' output="{output}"' if output else ""
        text = f'<nodegraph name="g">{body}<output name="out" type="{type_name}" nodename="{last}"{which}/></nodegraph>'
        plan = build_plan(
            self.library, self.document(text), {"out": CardOutput("g", "out")}, filtered=False, strict=True
        )
        value = np.asarray(run(plan, points)["out"])
        return np.broadcast_to(value, (len(value), points.count))

    def node(
        self, category: str, type_name: str, inputs: dict[str, tuple[str, str]], size: int = 8, output: str = ""
    ) -> np.ndarray:
        """One card with literal inputs as (type, text)."""
        given = "".join(f'<input name="{name}" type="{kind}" value="{text}"/>' for name, (kind, text) in inputs.items())
        kind = "multioutput" if output else type_name
        body = f'<{category} name="n" type="{kind}">{given}</{category}>'
        return self.graph(body, type_name, size=size, output=output)


@pytest.fixture(scope="session")
def calculate(library: Library) -> Calculator:
    return Calculator(library)


@pytest.fixture
def small_disk(tmp_path: Path) -> Iterator[Callable[[int], Path]]:
    """A disk of some bytes of its own; skipped where nobody but root may mount one."""
    made: list[Path] = []

    def make(size: int) -> Path:
        place = tmp_path / f"disk {len(made)}"
        place.mkdir()
        command = ["mount", "-t", "tmpfs", "-o", f"size={size}", "tmpfs", str(place)]
        if shutil.which("mount") is None or subprocess.run(command, capture_output=True, check=False).returncode:
            pytest.skip("mounting a small disk needs root")
        made.append(place)
        return place

    yield make
    for place in made:
        subprocess.run(["umount", "-l", str(place)], check=True)
