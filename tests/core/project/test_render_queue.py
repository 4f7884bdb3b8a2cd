"""Renders on disk: they go on where they were, after a pause, a crash and a full disk, and make the same picture."""

from __future__ import annotations

import errno
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from collage.core.base.errors import CollageError
from collage.core.base.progress import finished
from collage.core.evaluate.run import Cancelled, never
from collage.core.images import files
from collage.core.images.files import read_pixels
from collage.core.project import render_queue
from collage.core.project.folder import save_project
from collage.core.project.fresh import ball_project
from collage.core.project.render_queue import EXPOSED, Order, add, forget, left, read, rendering, write
from collage.core.render.renderer import Renderer
from collage.core.render.traced import Exposed
from collage.core.render.tracing import Tracing


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    save_project(plain(), tmp_path / "project")
    return tmp_path / "project"


def plain():
    project = ball_project()
    return project.with_bench(project.bench.model_copy(update={"environment": type(project.bench.environment)()}))


@pytest.fixture
def renderer(library, workers) -> Renderer:
    return Renderer(library, workers=workers)


def order(folder: Path, out: Path, **more) -> Order:
    return Order(**{"out": str(out), "folder": str(folder), "width": 48, "height": 32, "quality": "traced",
                    "tracing": Tracing(samples=12), **more})  # fmt: skip


def test_a_render_that_is_stopped_goes_on_and_is_the_same_picture(renderer, library, folder, tmp_path) -> None:
    long = Tracing(samples=32)  # made in ten steps: 1, 2, 4, 8 samples, and four at a time from there
    root, whole, parts = tmp_path / "queue", tmp_path / "whole.exr", tmp_path / "parts.exr"
    finished(rendering(renderer, add(plain(), order(folder, whole, tracing=long), root), never))
    place = add(plain(), order(folder, parts, tracing=long), root)
    for _ in range(3):
        steps = rendering(Renderer(library), place, never)
        for _ in range(3):
            next(steps)
        steps.close()
        assert (place / EXPOSED).is_file()
    last = list(rendering(renderer, place, never))
    assert len(last) <= 10 - 9 + 2, "the samples of before were not traced again"
    np.testing.assert_array_equal(read_pixels(parts), read_pixels(whole))
    assert not place.exists()


def test_frames_that_are_done_are_not_made_again(renderer, folder, tmp_path) -> None:
    out, root = tmp_path / "frames" / "turn.png", tmp_path / "queue"
    place = add(plain(), order(folder, out, frames=3, quality="draft"), root)
    steps = rendering(renderer, place, never)
    while read(place).done < 1:
        next(steps)
    steps.close()
    made = sorted(out.parent.iterdir())
    assert len(made) == 1
    made[0].write_bytes(b"not again")
    finished(rendering(renderer, place, never))
    assert made[0].read_bytes() == b"not again"
    assert len(list(out.parent.iterdir())) == 3


def test_a_full_disk_loses_nothing(renderer, folder, tmp_path, monkeypatch) -> None:
    out, place = tmp_path / "late.exr", add(plain(), order(folder, tmp_path / "late.exr"), tmp_path / "queue")
    real = files._encoding

    def full(*_given):
        raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
        yield

    monkeypatch.setattr(files, "_encoding", full)
    with pytest.raises(CollageError, match="No space left"):
        finished(rendering(renderer, place, never))
    assert not out.exists()
    monkeypatch.setattr(files, "_encoding", real)
    again = list(rendering(renderer, place, never))
    assert len(again) <= 2, "the picture was there, it only had to be written"
    assert read_pixels(out).shape == (32, 48, 3)


def test_what_a_crash_left_is_taken_over_once_and_the_rest_is_cleared(folder, tmp_path) -> None:
    root = tmp_path / "queue"
    places = [add(plain(), order(folder, tmp_path / f"{name}.png"), root) for name in "ab"]
    assert left(root) == [], "this process goes on with its own"
    gone = subprocess.run([sys.executable, "-c", "import os; print(os.getpid())"], capture_output=True, text=True)
    dead = int(gone.stdout)
    for place in places:
        place.rename(root / f"{dead}-{place.name.partition('-')[2]}")
    broken = root / f"{dead}-00000000000000000000-abcdef"
    broken.mkdir()
    (broken / "order.json").write_text("{")
    found = left(root)
    assert [read(place).name for place in found] == ["a.png", "b.png"]
    assert left(root) == []
    assert not broken.exists()
    for place in found:
        forget(place)
    assert list(root.iterdir()) == []


def test_a_killed_process_loses_at_most_what_it_did_last(renderer, folder, tmp_path) -> None:
    """A render in another process is killed; it goes on here, from what was kept."""
    root, out = tmp_path / "queue", tmp_path / "killed.exr"
    asked = order(folder, out, tracing=Tracing(samples=100_000))
    place = add(plain(), asked, root)
    code = (
        "import sys, pathlib\n"
        "from collage.core.nodes.library import load_library\n"
        "from collage.core.project import render_queue as q\n"
        "from collage.core.render import traced_pictures\n"
        "from collage.core.render.renderer import Renderer\n"
        "traced_pictures.KEPT_EVERY = 0.0\n"
        "for step in q.rendering(Renderer(load_library()), pathlib.Path(sys.argv[1]), lambda: False):\n"
        "    print(step.what, flush=True)\n"
    )
    with subprocess.Popen([sys.executable, "-c", code, str(place)], stdout=subprocess.PIPE, text=True) as process:
        assert process.stdout is not None
        for _ in range(6):
            process.stdout.readline()
        process.kill()
    kept = Exposed.read(place / EXPOSED, 48 * 32)
    assert kept is not None
    assert kept.samples >= 4
    write(place, asked.model_copy(update={"tracing": Tracing(samples=1)}))
    finished(rendering(renderer, place, never))
    assert out.is_file()


def test_what_is_kept_of_another_picture_or_is_broken_counts_for_nothing(renderer, folder, tmp_path) -> None:
    place = add(plain(), order(folder, tmp_path / "a.exr"), tmp_path / "queue")
    for data in (b"", b"PK not a zip", os.urandom(300)):
        (place / EXPOSED).write_bytes(data)
        steps = rendering(renderer, place, never)
        next(steps)
        steps.close()
    (place / EXPOSED).unlink()
    write(place, order(folder, tmp_path / "a.exr", width=20))
    finished(rendering(renderer, place, never))
    assert read_pixels(tmp_path / "a.exr").shape == (32, 20, 3)


def test_a_cancelled_render_ends(renderer, folder, tmp_path) -> None:
    place = add(plain(), order(folder, tmp_path / "a.png", quality="final"), tmp_path / "queue")
    with pytest.raises(Cancelled):
        finished(rendering(renderer, place, lambda: True))
    assert read(place) is not None
    with pytest.raises(CollageError, match="cannot be read"):
        finished(rendering(renderer, tmp_path / "nothing", never))
    assert render_queue.default_root().name == "renders"
