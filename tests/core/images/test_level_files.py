"""Levels on disk: the same numbers as in memory, made once, and right whatever happened to their files."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import threading
import zlib
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from collage.core.base.budget import Budget
from collage.core.base.errors import CollageError
from collage.core.images import level_files, level_format, store
from collage.core.images.files import write_image
from collage.core.images.level_files import LevelFiles, Source
from collage.core.images.level_format import RULES
from collage.core.images.pyramid import WRAPS, Pyramid, Room, build
from collage.core.images.store import ImageRef, ImageStore

SIZE = 600  # of a side: more texels than the least that is worth a file
KINDS = [(np.uint8, 3, "srgb_texture"), (np.uint8, 1, "raw"), (np.uint8, 4, "srgb_texture"), (np.uint16, 1, "raw"),
         (np.float32, 3, "lin_rec709"), (np.uint16, 2, "raw")]  # fmt: skip


def noise(kind: type, channels: int, seed: int = 1, size: tuple[int, int] = (SIZE, SIZE + 7)) -> np.ndarray:
    rng = np.random.default_rng(seed)
    if kind is np.float32:
        return rng.uniform(-2, 30, (*size, channels)).astype(np.float32)
    return rng.integers(0, np.iinfo(kind).max, (*size, channels), kind, endpoint=True)


def written(path: Path, seed: int = 1, kind: type = np.uint8, channels: int = 3) -> Path:
    write_image(path, noise(kind, channels, seed))
    return path


def open_one(folder: Path, path: Path, space: str = "srgb_texture") -> Pyramid:
    """As a new start of the program opens it."""
    files = LevelFiles(folder)
    found = ImageStore(files=files).open(ImageRef(str(path), space))
    files.settle()
    return found


def same(one: Pyramid, other: Pyramid) -> bool:
    about = [
        (p.coding, p.width, p.height, p.channels, p.bits, p.space, p.floating, p.texels.dtype) for p in (one, other)
    ]
    return about[0] == about[1] and np.array_equal(one.texels, other.texels)


@pytest.fixture
def no_reading(monkeypatch: pytest.MonkeyPatch) -> Callable[[], None]:
    """From now on, no image file is decoded."""

    def forbid() -> None:
        def read(path: Path, _most: int = 4) -> np.ndarray:
            raise AssertionError(f"{path} was read")

        monkeypatch.setattr(store, "pixels_in_parts", read)

    return forbid


@pytest.mark.parametrize(("kind", "channels", "space"), KINDS)
@pytest.mark.parametrize("nearest", [False, True])
def test_mapped_levels_give_the_same_numbers(tmp_path: Path, kind, channels, space, nearest) -> None:
    path = tmp_path / ("a.exr" if kind is np.float32 else "a.png")
    write_image(path, noise(kind, channels))
    whole = ImageStore().open(ImageRef(str(path), space))
    found = [open_one(tmp_path / "levels", path, space) for _ in range(2)]
    assert all(one.file is not None and same(one, whole) for one in found)
    rng = np.random.default_rng(2)
    place, detail = rng.uniform(-2, 3, (2, 5000)).astype(np.float32), rng.uniform(-1, 11, 5000).astype(np.float32)
    for wrap in WRAPS:
        read = [one.read(place, detail, (wrap, "mirror"), nearest) for one in (whole, found[1])]
        np.testing.assert_array_equal(*read)
    chances = tuple(rng.uniform(0, 1, (3, 1)).astype(np.float32) for _ in range(3))
    for number in range(3):
        tiles = [one.read_tile(place, number, chances, detail) for one in (whole, found[1])]
        np.testing.assert_array_equal(tiles[0][0], tiles[1][0])


@pytest.mark.parametrize(("kind", "channels", "space"), KINDS)
@pytest.mark.parametrize("nearest", [False, True])
def test_an_even_image_is_one_texel_and_gives_the_same_numbers(tmp_path, kind, channels, space, nearest) -> None:
    pixel = noise(kind, channels, size=(1, 1))
    path = tmp_path / ("a.exr" if kind is np.float32 else "a.png")
    write_image(path, np.broadcast_to(pixel, (SIZE, SIZE + 7, channels)))
    uneven = np.broadcast_to(pixel, (SIZE, SIZE + 7, channels)).copy()
    uneven[0, 0] += pixel[0, 0] < 2  # so that all its texels are kept
    uneven[0, 0] -= pixel[0, 0] >= 2
    for _ in range(2):
        even = open_one(tmp_path / "levels", path, space)
        assert even.even
        assert even.nbytes < 100
        assert (even.width, even.height) == (SIZE + 7, SIZE)
    whole = even.whole
    assert whole.nbytes >= SIZE * SIZE * channels
    assert build(uneven, space).even is False
    for number in (0, 1, 4, even.last):
        np.testing.assert_array_equal(even.level(number), whole.level(number))
    rng = np.random.default_rng(2)
    place, detail = rng.uniform(-2, 3, (2, 5000)).astype(np.float32), rng.uniform(-1, 11, 5000).astype(np.float32)
    for wrap in WRAPS:
        read = [one.read(place, detail, (wrap, "mirror"), nearest) for one in (whole, even)]
        np.testing.assert_allclose(*read, rtol=3e-7)  # shares of equal texels add up to one but for the last bit
    chances = tuple(rng.uniform(0, 1, (3, 1)).astype(np.float32) for _ in range(3))
    tiles = [one.read_tile(place, 1, chances, detail)[0] for one in (whole, even)]
    np.testing.assert_allclose(*tiles, rtol=3e-7)


def test_a_second_start_reads_no_image(tmp_path: Path, no_reading) -> None:
    path = written(tmp_path / "a.png")
    first = open_one(tmp_path / "levels", path)
    no_reading()
    assert same(open_one(tmp_path / "levels", path), first)


def test_a_copy_elsewhere_has_the_same_levels(tmp_path: Path, no_reading) -> None:
    path = written(tmp_path / "a.png")
    first = open_one(tmp_path / "levels", path)
    copy = tmp_path / "copy.png"
    copy.write_bytes(path.read_bytes())
    no_reading()
    assert same(open_one(tmp_path / "levels", copy), first)
    assert len(list((tmp_path / "levels").glob("*.levels"))) == 1


def test_how_it_is_read_counts_too(tmp_path: Path) -> None:
    path = written(tmp_path / "a.png")
    one, other = (open_one(tmp_path / "levels", path, space) for space in ("srgb_texture", "lin_rec709"))
    assert not np.array_equal(one.texels, other.texels)
    files = LevelFiles(tmp_path / "levels")
    single = ImageStore(files=files).open(ImageRef(str(path), "raw", single=True))
    assert single.channels == 1
    assert ImageStore(files=files).open(ImageRef(str(path), "raw")).channels == 3


def test_a_changed_file_is_made_anew_and_no_other(tmp_path: Path, monkeypatch) -> None:
    paths = [written(tmp_path / f"{name}.png", seed) for seed, name in enumerate("ab")]
    for path in paths:
        open_one(tmp_path / "levels", path)
    written(paths[0], 9)
    read = []
    real = store.pixels_in_parts
    monkeypatch.setattr(store, "pixels_in_parts", lambda path, most=4: read.append(path) or real(path, most))
    for path, seed in zip(paths, (9, 1), strict=True):
        assert same(open_one(tmp_path / "levels", path), build(noise(np.uint8, 3, seed), "srgb_texture"))
    assert read == [paths[0]]


def _cut(tenth: int) -> Callable[[bytes], bytes]:
    return lambda data: data[: len(data) * tenth // 10]


def _flipped(share: float) -> Callable[[bytes], bytes]:
    def change(data: bytes) -> bytes:
        at = min(int(len(data) * share), len(data) - 1)
        return data[:at] + bytes([data[at] ^ 4]) + data[at + 1 :]

    return change


DAMAGE = {
    **{f"cut at {tenth} tenths": _cut(tenth) for tenth in range(10)},
    **{f"a bit flipped at {share}": _flipped(share) for share in (0, 0.00001, 0.00003, 0.002, 0.3, 0.7, 1)},
    "longer": lambda data: data + b"more",
    "other rules": lambda data: data.replace(b'"rules": 2', b'"rules": 0'),
    "foreign": lambda _: b"\x89PNG\r\n\x1a\n" + bytes(5000),
    "wide": lambda data: data.replace(b'"width": 607', b'"width": 999'),
}


@pytest.mark.parametrize("change", DAMAGE.values(), ids=DAMAGE.keys())
@pytest.mark.parametrize("what", ["levels", "note"])
def test_damaged_files_are_noticed_and_made_anew(tmp_path: Path, change, what: str, no_reading) -> None:
    path = written(tmp_path / "a.png")
    whole = build(noise(np.uint8, 3), "srgb_texture")
    open_one(tmp_path / "levels", path)
    (file,) = (tmp_path / "levels").glob(f"*.{what}")
    file.write_bytes(change(file.read_bytes()))
    assert same(open_one(tmp_path / "levels", path), whole)
    no_reading()
    assert same(open_one(tmp_path / "levels", path), whole), "it is whole again"
    assert not list((tmp_path / "levels").glob(".*"))


def test_a_file_deleted_while_in_use_stays_readable(tmp_path: Path) -> None:
    path = written(tmp_path / "a.png")
    files = LevelFiles(tmp_path / "levels")
    images = ImageStore(files=files)
    found = images.open(ImageRef(str(path), "srgb_texture"))
    files.settle()
    assert files.used > SIZE * SIZE * 4
    files.clear()
    assert files.used == 0
    assert list((tmp_path / "levels").iterdir()) == []
    found.let_go()
    assert same(found, build(noise(np.uint8, 3), "srgb_texture"))
    assert same(open_one(tmp_path / "levels", path), found)


def test_what_was_not_noted_is_checked_and_not_made_again(tmp_path: Path, no_reading) -> None:
    """As after a crash between the file and its note."""
    path = written(tmp_path / "a.png")
    first = open_one(tmp_path / "levels", path)
    (note,) = (tmp_path / "levels").glob("*.note")
    note.unlink()
    no_reading()
    assert same(open_one(tmp_path / "levels", path), first)
    assert note.exists()
    assert "levels" not in [one.name for one in threading.enumerate()], "its thread ends when all is noted"


def test_processes_at_once(tmp_path: Path) -> None:
    paths = [written(tmp_path / f"{number}.png", number) for number in range(3)]
    code = (
        "import sys, numpy as np; from pathlib import Path; from collage.core.images.store import *;"
        "from collage.core.images.level_files import LevelFiles;"
        "store = ImageStore(files=LevelFiles(Path(sys.argv[1])));"
        "print(*[int(store.open(ImageRef(one, 'raw')).texels.sum(dtype=np.int64)) for one in sys.argv[2:]])"
    )
    words = [sys.executable, "-c", code, str(tmp_path / "levels"), *map(str, paths)]
    running = [subprocess.Popen(words, stdout=subprocess.PIPE, text=True) for _ in range(4)]
    told = {one.communicate()[0] for one in running}
    sums = [int(build(noise(np.uint8, 3, number), "raw").texels.sum(dtype=np.int64)) for number in range(3)]
    assert told == {" ".join(map(str, sums)) + "\n"}
    LevelFiles(tmp_path / "levels")._make_room(0)  # a process may end while it notes what it has made
    assert not list((tmp_path / "levels").glob(".*"))


def test_a_full_disk_costs_only_the_file(tmp_path: Path, small_disk) -> None:
    path = written(tmp_path / "a.png")
    files = LevelFiles(small_disk(200_000) / "levels")
    found = ImageStore(files=files).open(ImageRef(str(path), "srgb_texture"))
    assert found.file is None
    assert same(found, build(noise(np.uint8, 3), "srgb_texture"))
    assert "space" in files.failed
    assert list(files.folder.iterdir()) == []
    files.folder = tmp_path / "levels"
    ImageStore(files=files).open(ImageRef(str(path), "srgb_texture"))
    assert files.failed == ""


def test_some_of_the_disk_is_left_to_others(tmp_path: Path, monkeypatch) -> None:
    files = LevelFiles(tmp_path / "levels")
    one = build(noise(np.uint8, 3)).nbytes
    for number, free in enumerate((10 * one, 2 * one, one // 2)):
        usage = shutil.disk_usage(tmp_path)._replace(free=level_files.FREE + free)
        monkeypatch.setattr(level_files.shutil, "disk_usage", lambda _, usage=usage: usage)
        ImageStore(files=files).open(ImageRef(str(written(tmp_path / f"{number}.png", number)), "raw"))
        files.settle()
        assert files.failed == ""
    assert one < files.used < 2.5 * one, "an older one made room"
    monkeypatch.setattr(level_files.shutil, "disk_usage", lambda _: usage._replace(free=0))
    found = ImageStore(files=files).open(ImageRef(str(written(tmp_path / "last.png", 9)), "raw"))
    assert found.file is None
    assert "space" in files.failed


def test_a_folder_that_is_none_costs_only_the_file(tmp_path: Path) -> None:
    path = written(tmp_path / "a.png")
    (tmp_path / "levels").write_text("a file where the folder should be")
    files = LevelFiles(tmp_path / "levels")
    assert same(
        ImageStore(files=files).open(ImageRef(str(path), "srgb_texture")), build(noise(np.uint8, 3), "srgb_texture")
    )
    assert files.failed
    assert files.used == 0
    files.clear()


def test_what_was_not_used_for_longest_goes_first(tmp_path: Path) -> None:
    paths = [written(tmp_path / f"{number}.png", number) for number in range(4)]
    one = build(noise(np.uint8, 3)).nbytes
    files = LevelFiles(tmp_path / "levels", limit=int(3.2 * one))
    for at, path in enumerate(paths[:3]):
        ImageStore(files=files).open(ImageRef(str(path), "raw"))
        files.settle()
        for note in files.folder.glob("*.note"):
            if note.stat().st_mtime > 1e6:
                os.utime(note, (1000 + at, 1000 + at))
    ImageStore(files=files).open(ImageRef(str(paths[0]), "raw"))  # used again
    ImageStore(files=files).open(ImageRef(str(paths[3]), "raw"))
    files.settle()
    assert files.used <= files.limit
    kept = [files.find(Source(path, "raw", False)) is not None for path in paths]
    assert kept == [True, False, True, True]


def test_notes_of_images_that_moved_away_do_not_gather(tmp_path: Path, monkeypatch) -> None:
    monkeypatch.setattr(level_files, "MOST_NOTES", 3)
    files = LevelFiles(tmp_path / "levels")
    data = written(tmp_path / "a.png").read_bytes()
    for number in range(6):
        (tmp_path / f"copy {number}.png").write_bytes(data)
        ImageStore(files=files).open(ImageRef(str(tmp_path / f"copy {number}.png"), "raw"))
        files.settle()
    assert len(list(files.folder.glob("*.note"))) == 6
    ImageStore(files=files).open(ImageRef(str(written(tmp_path / "b.png", 2)), "raw"))
    files.settle()
    assert len(list(files.folder.glob("*.note"))) == 4
    assert files.find(Source(tmp_path / "copy 5.png", "raw", False)) is not None


def test_a_file_that_changes_while_it_is_read_is_not_kept(tmp_path: Path) -> None:
    path, files = written(tmp_path / "a.png"), LevelFiles(tmp_path / "levels")

    def make(room: Room) -> Pyramid:
        old = build(noise(np.uint8, 3), "raw", room)
        written(path, 5)
        return old

    assert same(files.get(Source(path, "raw", False), make), build(noise(np.uint8, 3), "raw"))
    files.settle()
    assert list(files.folder.iterdir()) == []
    assert same(ImageStore(files=files).open(ImageRef(str(path), "raw")), build(noise(np.uint8, 3, 5), "raw"))


def test_what_is_no_file_is_told_and_hangs_nobody(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "pipe.png")
    (tmp_path / "folder.png").mkdir()
    with (tmp_path / "huge.png").open("wb") as file:
        file.truncate(level_files.LARGEST + 1)
    names = [tmp_path / name for name in ("pipe.png", "folder.png", "huge.png", "none.png")]
    for path in (*names, Path("/dev/zero")):
        with pytest.raises(CollageError):
            open_one(tmp_path / "levels", path)
        with pytest.raises(CollageError):
            images = ImageStore(files=LevelFiles(tmp_path / "levels"))
            assert images.arrived(ImageRef(str(path)), 20)
            images.open(ImageRef(str(path)))
        images.close()


def test_small_images_are_not_worth_a_file(tmp_path: Path) -> None:
    write_image(tmp_path / "a.png", noise(np.uint8, 3, size=(64, 64)))
    assert open_one(tmp_path / "levels", tmp_path / "a.png").file is None
    assert not list((tmp_path / "levels").glob("*")) if (tmp_path / "levels").exists() else True


def test_what_was_read_goes_back_where_the_budget_is_small(tmp_path: Path) -> None:
    budget = Budget()
    images = ImageStore(budget, LevelFiles(tmp_path / "levels"))
    for number in range(6):
        images.open(ImageRef(str(written(tmp_path / f"{number}.png", number)), "raw")).texels.sum()
    one = build(noise(np.uint8, 3)).nbytes / 4096
    used = store._file_pages()
    images.let_go()
    assert used - store._file_pages() < one / 2, "all of it fits"
    budget.limit = int(2 * one * 4096)
    images.let_go()
    assert used - store._file_pages() > 4 * one
    assert same(images.open(ImageRef(str(tmp_path / "0.png"), "raw")), build(noise(np.uint8, 3, 0), "raw"))
    assert images.used == 0, "mapped files are not counted as memory of one's own"


def test_rules_are_raised_with_the_levels() -> None:
    """Whoever changes how levels are made, or how they lie, raises level_format.RULES and these sums."""
    ramp = (np.arange(37 * 29 * 3) % 251).astype(np.uint8).reshape(37, 29, 3)
    sums = [zlib.crc32(build(pixels, space).texels.tobytes()) for pixels, space in
            ((ramp, "srgb_texture"), (ramp[:, :, 0], "raw"), ((ramp / 20).astype(np.float32), "lin_rec709"))]  # fmt: skip
    assert (RULES, *sums) == (2, 3784949341, 2821590631, 2007433665)
    assert level_format.PAGE % 64 == 0
