"""Several files of a folder changed as a whole or not at all.

What is to change is written into a folder of its own, .save, and flushed. The rename that gives it this name is the
moment at which the save has happened: before it nothing has changed, and after it whoever comes next, the same process
or a later one, can end what is left to do, which is to move the files to their places.
"""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import shutil
import time
from collections.abc import Collection, Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path

from collage.core.base.safe_write import clear_leftovers, flush, is_running, put

SAVE = ".save"
LIST = "files.json"
PATIENCE = 10.0  # seconds that a save waits for another process's save of the same folder


def commit(folder: Path, files: Mapping[str, bytes], gone: Collection[str] = ()) -> None:
    """Writes files, by their names from the folder, and removes others. Raises OSError; then nothing has changed.

    Files that hold what they should already are left alone. Call it inside `alone`.
    """
    complete(folder)
    changed = {name: data for name, data in files.items() if _content(folder / name) != data}
    gone = [name for name in gone if (folder / name).exists()]
    if not changed and not gone:
        return
    draft = folder / f"{SAVE}-{os.getpid()}"
    try:
        shutil.rmtree(draft, ignore_errors=True)
        draft.mkdir()
        numbered = {name: str(number) for number, name in enumerate(changed)}
        for name, number in numbered.items():
            put(draft / number, changed[name])
        put(draft / LIST, json.dumps({"files": numbered, "gone": gone}).encode())
        _flush_all([draft, draft / LIST, *(draft / number for number in numbered.values())])
        draft.rename(folder / SAVE)
    except BaseException:
        shutil.rmtree(draft, ignore_errors=True)
        raise
    # It has happened. What cannot be moved now, for whatever reason, is read from where it lies and moved later.
    with contextlib.suppress(OSError):
        flush(folder)
        complete(folder)


def complete(folder: Path) -> None:
    """Ends a save that has happened but is not in place yet. Raises OSError where it cannot."""
    save = folder / SAVE
    if not save.is_dir():
        return
    numbered, gone = _plan(save)
    moved = [(save / number, folder / name) for name, number in numbered.items() if (save / number).exists()]
    for source, target in moved:
        target.parent.mkdir(parents=True, exist_ok=True)
        os.replace(source, target)
    for name in gone:
        (folder / name).unlink(missing_ok=True)
    _flush_all(list({target.parent for _, target in moved}))
    shutil.rmtree(save)


def place_of(folder: Path, name: str) -> Path:
    """Where a file's content lies: in a save that is not in place yet, or under its own name."""
    save = folder / SAVE
    if save.is_dir():
        number = _plan(save)[0].get(name)
        if number is not None and (save / number).exists():
            return save / number
    return folder / name


def clear_drafts(folder: Path) -> None:
    """Removes what processes that are gone have left of saves that did not happen."""
    for path in folder.glob(f"{SAVE}-*"):
        number = path.name.removeprefix(f"{SAVE}-")
        if number.isdigit() and not is_running(int(number)):
            shutil.rmtree(path, ignore_errors=True)
    clear_leftovers(folder)


@contextmanager
def alone(folder: Path) -> Iterator[None]:
    """Keeps other processes from saving the same folder meanwhile. Raises OSError where one does not end."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        end = time.monotonic() + PATIENCE
        while True:
            try:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                break
            except BlockingIOError:
                if time.monotonic() > end:
                    raise OSError("another Collage is saving the project") from None
                time.sleep(0.02)
            except OSError:  # a file system without locks
                break
        yield
    finally:
        os.close(handle)


def _plan(save: Path) -> tuple[dict[str, str], list[str]]:
    """Which numbered file belongs where, and what goes. It was flushed before the folder got its name."""
    try:
        plan = json.loads((save / LIST).read_bytes())
        return dict(plan["files"]), list(plan["gone"])
    except (OSError, ValueError, KeyError, TypeError):
        return {}, []  # all is in place, and the list went first


def _content(path: Path) -> bytes | None:
    try:
        return path.read_bytes()
    except OSError:
        return None


def _flush_all(paths: list[Path]) -> None:
    """Together they take hardly longer than one: the disk writes its own records once."""
    with ThreadPoolExecutor(max(len(paths), 1)) as pool:
        list(pool.map(flush, paths))
