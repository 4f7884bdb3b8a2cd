"""A short share of the campaign: damaged input of every kind is read or told, and what was found once stays found."""

from __future__ import annotations

import importlib.util
import re
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

TOOL = Path(__file__).parent.parent / "tools" / "campaign.py"
ROOM = 600  # seconds for a share, on a machine that has other work


def campaign(*words: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, str(TOOL), *words], capture_output=True, text=True, timeout=ROOM, check=False
    )


def test_a_share_of_all_kinds() -> None:
    done = campaign("--minutes", "0.1", "--seed", "1000")
    assert done.returncode == 0, done.stdout + done.stderr
    for kind in ("documents", "projects", "pictures", "names", "records", "disks", "kills", "collisions", "commands"):
        line = next(line for line in done.stdout.split("\n") if line.startswith(kind))
        inputs, read, told, wrong = map(int, line.split()[1:])
        assert inputs == read + told >= 50
        assert wrong == 0


def test_a_share_of_the_random_work_in_a_window() -> None:
    """Too short to tell growth: that nothing fails, and that threads stay few."""
    words = [
        sys.executable,
        str(TOOL.with_name("soak.py")),
        "--minutes",
        "10",
        "--acts",
        "8",
        "--memory",
        "300",
        "--growth",
        "1000",
        "--quiet",
        "1",
    ]
    done = subprocess.run(words, capture_output=True, text=True, timeout=ROOM, check=False)
    assert done.returncode == 0, done.stdout + done.stderr
    acts, errors, threads = map(
        int, re.search(r"(\d+) acts, (\d+) errors, at most (\d+) threads", done.stdout).groups()
    )
    assert acts == 8
    assert errors == 0
    assert threads <= 20


@pytest.fixture(scope="module")
def kinds(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Any]:
    made: dict[str, Any] = tool().kinds(tmp_path_factory.mktemp("campaign") / "sample")
    return made


def tool() -> Any:
    spec = importlib.util.spec_from_file_location("campaign", TOOL)
    assert spec is not None
    assert spec.loader is not None
    made = sys.modules["campaign"] = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(made)
    return made


@pytest.mark.parametrize(
    ("kind", "seed"), [("documents", 28), ("documents", 90), ("pictures", 668), ("projects", 6742)]
)
def test_what_went_wrong_once(kinds: dict[str, Any], kind: str, seed: int) -> None:
    assert tool().take(kinds[kind], seed) in ("read", "told")


def test_a_link_to_an_input_that_is_not_there_is_told(tmp_path: Path) -> None:
    """Seed 90158 of the command lines: it reached the library that writes documents."""
    every = tool().kinds(tmp_path / "sample") | tool().commands(tmp_path / "sample")
    assert tool().take(every["commands"], 90158) == "told"
