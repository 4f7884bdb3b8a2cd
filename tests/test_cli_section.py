"""`collage section` as a person calls it."""

from __future__ import annotations

import csv
from pathlib import Path

import numpy as np
import pytest

from collage.core.project.folder import load_project, save_project
from collage.core.project.fresh import ball_project
from command_line import collage


def test_a_section_is_told_and_written(tmp_path: Path) -> None:
    folder, out = tmp_path / "project", tmp_path / "profile.csv"
    save_project(ball_project(), folder)
    (ball,) = load_project(folder)[0].bench.objects
    done = collage("section", folder, "--from", "600,380", "--to", "680,380", "--out", out)
    assert done.returncode == 0, done.stderr
    name, length, depth = (
        done.stdout.replace(":", "").split(" ")[0],
        *(float(word) for word in done.stdout.split() if word.replace(".", "").isdigit()),
    )
    assert name == ball.name
    low, high = ball.mesh().bounds
    radius = 500 * float((high - low).max())  # millimetres
    assert depth == pytest.approx(radius - np.sqrt(radius**2 - (length / 2) ** 2), rel=0.05)
    rows = list(csv.reader(out.read_text().splitlines()))
    assert rows[0] == ["along", "height", "without displacement"]
    assert float(rows[-1][0]) * 1000 == pytest.approx(length, abs=0.01)
    beside = collage("section", folder, "--from", "1,1", "--to", "640,400")
    assert beside.returncode == 1
    assert "Both ends must be on one object" in beside.stderr
