"""Compiling kernels: which are missing, that each is compiled once, and what is said when one cannot be."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from collage.core import kernels
from collage.core.base.errors import CollageError
from collage.core.base.progress import finished


@pytest.fixture
def empty_cache(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setattr(kernels, "CACHE", tmp_path / "kernels")
    return tmp_path / "kernels"


class Process:
    """A process that ends as told, when it is looked at for the third time."""

    def __init__(self, returncode: int = 0) -> None:
        self.looks, self.returncode, self.stderr = 0, returncode, None
        self.killed = False

    def poll(self) -> int | None:
        self.looks += 1
        return self.returncode if self.looks > 2 else None

    def kill(self) -> None:
        self.killed = True

    def __enter__(self) -> Process:
        return self

    def __exit__(self, *_: object) -> None:
        self.closed = True


def test_every_family_is_compiled_once_the_longest_first(empty_cache: Path, monkeypatch) -> None:
    begun: list[str] = []
    running: list[Process] = []
    most = 0

    def begin(family: str) -> Process:
        nonlocal most
        begun.append(family)
        running.append(Process())
        most = max(most, sum(one.looks <= 2 for one in running))
        return running[-1]

    monkeypatch.setattr(kernels, "_begin", begin)
    assert kernels.missing() == list(kernels.FAMILIES)
    shares = [step.share for step in kernels.compiled(at_once=2)]
    assert begun == list(kernels.FAMILIES)
    assert list(kernels.FAMILIES.values()) == sorted(kernels.FAMILIES.values(), reverse=True)
    assert most == 2
    assert shares == sorted(shares)
    assert shares[-1] == pytest.approx(1.0)
    assert kernels.missing() == []
    finished(kernels.compiled())
    assert begun == list(kernels.FAMILIES), "what is there is not compiled again"


def test_a_changed_file_is_compiled_again(empty_cache: Path, monkeypatch, tmp_path: Path) -> None:
    monkeypatch.setattr(kernels, "_begin", lambda _family: Process())
    finished(kernels.compiled(["film"]))
    assert kernels.missing(["film", "noise"]) == ["noise"]
    here = tmp_path / "source"
    here.mkdir()
    for name in kernels.FAMILIES:
        (here / f"{name}.py").write_text("changed = True\n")
    monkeypatch.setattr(kernels, "_HERE", here)
    assert kernels.missing(["film"]) == ["film"]


def test_another_copy_of_the_program_compiles_its_own(empty_cache: Path, monkeypatch, tmp_path: Path) -> None:
    """Numba looks for what is compiled under the folder's name."""
    monkeypatch.setattr(kernels, "_begin", lambda _family: Process())
    finished(kernels.compiled(["film"]))
    copy = shutil.copytree(kernels._HERE, tmp_path / "copy", ignore=shutil.ignore_patterns("__pycache__"))
    monkeypatch.setattr(kernels, "_HERE", copy)
    assert kernels.missing(["film"]) == ["film"]


def test_what_cannot_be_compiled_is_said_and_the_others_are_stopped(empty_cache: Path, monkeypatch) -> None:
    begun: dict[str, Process] = {}

    def begin(family: str) -> Process:
        begun[family] = Process(1 if family == "cells" else 0)
        if family == "hexagons":
            begun[family].looks = -(10**6)  # takes very long
        return begun[family]

    monkeypatch.setattr(kernels, "_begin", begin)
    with pytest.raises(CollageError, match="“cells” could not be compiled") as caught:
        finished(kernels.compiled(at_once=9))
    assert "free space" in caught.value.remedy
    assert begun["hexagons"].killed
    assert "cells" in kernels.missing()


def test_memory_bounds_how_many_are_compiled_at_once(monkeypatch) -> None:
    pages = {"SC_AVPHYS_PAGES": 300 * 256, "SC_PAGE_SIZE": 4096}  # 300 MB
    monkeypatch.setattr(kernels.os, "sysconf", pages.__getitem__)
    monkeypatch.setattr(kernels.os, "cpu_count", lambda: 8)
    assert kernels.processes() == 1
    pages["SC_AVPHYS_PAGES"] = 2100 * 256
    assert kernels.processes() == 2100 // kernels.ROOM
    pages["SC_AVPHYS_PAGES"] = 10**9
    assert kernels.processes() == 8


def test_numba_comes_without_linear_algebra() -> None:
    code = (
        "import sys; from collage.core.kernels import import_numba; import_numba();"
        "assert 'numba' in sys.modules; assert 'scipy.linalg' not in sys.modules;"
        "import scipy.linalg.cython_blas"  # what needs it later finds it
    )
    subprocess.run([sys.executable, "-c", code], check=True, timeout=100)


@pytest.mark.parametrize(("mode", "is_spare"), [(0o700, True), (0o777, False)])
def test_a_cache_folder_that_cannot_be_made_has_a_spare_that_is_nobody_elses(
    tmp_path, mode: int, is_spare: bool
) -> None:
    (tmp_path / "file").write_text("in the way")
    spare = tmp_path / f"collage-{os.getuid()}"
    spare.mkdir()
    spare.chmod(mode)
    told = subprocess.run(
        [sys.executable, "-c", "from collage.core import kernels; print(kernels.CACHE)"],
        env={**os.environ, "XDG_CACHE_HOME": str(tmp_path / "file" / "x"), "TMPDIR": str(tmp_path)},
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    assert told.stdout.startswith(str(spare)) is is_spare


def test_nothing_of_a_compiling_process_stays_open(empty_cache: Path, monkeypatch) -> None:
    made: list[subprocess.Popen[bytes]] = []

    def begin(family: str) -> subprocess.Popen[bytes]:
        code = "import time; time.sleep(60)" if made else "pass"
        made.append(subprocess.Popen([sys.executable, "-c", code], stderr=subprocess.PIPE))
        return made[-1]

    monkeypatch.setattr(kernels, "_begin", begin)
    steps = kernels.compiled(at_once=2)
    while len(made) < 3:
        next(steps)
    steps.close()
    assert all(process.stderr.closed and process.returncode is not None for process in made)
