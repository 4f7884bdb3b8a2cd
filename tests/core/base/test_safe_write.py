"""Files on disks that are full: the one before stays, nothing half-written does, and it is told."""

from __future__ import annotations

import errno
import os
import re
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from collage.core.base.errors import CollageError
from collage.core.base.safe_write import clear_leftovers, is_running, replacing, write_bytes
from collage.core.images.codecs import WRITTEN
from collage.core.images.files import read_pixels, write_image


@pytest.mark.parametrize("suffix", [codec.suffixes[0] for codec in WRITTEN])
@pytest.mark.parametrize("free", [0, 4096, 32768])
def test_a_full_disk_leaves_the_picture_before(small_disk, suffix: str, free: int) -> None:
    disk: Path = small_disk(96 * 1024)
    target = disk / f"map{suffix}"
    write_image(target, np.full((4, 4, 3), 0.5, np.float32) if suffix in (".exr", ".hdr") else GREY)
    before = target.read_bytes()
    left = os.statvfs(disk).f_bavail * os.statvfs(disk).f_frsize
    (disk / "other").write_bytes(bytes(left - free))
    noise = np.random.default_rng(1).random((160, 160, 3), np.float32)
    with pytest.raises(CollageError, match=re.escape(target.name)) as told:
        write_image(target, noise if suffix in (".exr", ".hdr") else (noise * 255).astype(np.uint8))
    assert "free space" in told.value.remedy
    assert target.read_bytes() == before
    assert sorted(path.name for path in disk.iterdir()) == [target.name, "other"]
    (disk / "other").unlink()
    assert read_pixels(target).shape == (4, 4, 3)


GREY = np.full((4, 4, 3), 128, np.uint8)


def test_what_cannot_be_read_again_takes_no_files_place(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    target = tmp_path / "map.png"
    write_image(target, GREY)
    before = target.read_bytes()
    monkeypatch.setattr("collage.core.images.files.put", lambda path, data: path.write_bytes(bytes(data)[:40]))
    with pytest.raises(CollageError, match=r"map\.png"):
        write_image(target, np.zeros((9, 9, 3), np.uint8))
    assert target.read_bytes() == before
    assert [path.name for path in tmp_path.iterdir()] == ["map.png"]


def test_a_write_that_fails_at_the_end_leaves_the_file_before(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def no_space(_handle: int) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    target = tmp_path / "note.txt"
    write_bytes(target, b"before")
    monkeypatch.setattr(os, "fsync", no_space)
    with pytest.raises(OSError, match="No space"):
        write_bytes(target, b"after")
    assert target.read_bytes() == b"before"
    assert len(list(tmp_path.iterdir())) == 1


def test_names_as_long_as_a_disk_takes_are_written(tmp_path: Path) -> None:
    target = tmp_path / ("n" * 251 + ".txt")
    write_bytes(target, b"long")
    assert target.read_bytes() == b"long"


def test_leftovers_of_processes_that_are_gone_are_cleared(tmp_path: Path) -> None:
    gone = subprocess.Popen([sys.executable, "-c", ""])
    gone.wait()
    assert not is_running(gone.pid)
    (tmp_path / f".collage-{gone.pid}-3.png").write_bytes(b"half")
    (tmp_path / ".collage-notes.txt").write_bytes(b"the person's own")
    with replacing(tmp_path / "map.png") as mine:
        mine.write_bytes(b"whole")
        clear_leftovers(tmp_path)
        assert mine.exists(), "what is being written stays"
    assert sorted(path.name for path in tmp_path.iterdir()) == [".collage-notes.txt", "map.png"]
