"""Earlier states of a project, under copies/. They are thinned out with age.

A state of which a material could not be read is kept as well, under a name of its own: it neither counts as a copy nor
takes the place of one.
"""

from __future__ import annotations

import os
import re
import shutil
from collections.abc import Mapping
from datetime import datetime, timedelta
from pathlib import Path

from collage.core.base.safe_write import put
from collage.core.project.commit import SAVE, clear_drafts

COPIES = "copies"
NEWEST = 10  # always kept
AGES = (
    (timedelta(hours=1), timedelta(minutes=5)),
    (timedelta(days=1), timedelta(hours=1)),
    (timedelta(days=60), timedelta(days=1)),
)
"""Up to which age copies are kept how far apart; older ones go."""

PARTIAL = " partial"
_NAME = re.compile(r"\d{8}-\d{6}-\d{6}")
_FORM = "%Y%m%d-%H%M%S-%f"


def keep(folder: Path, files: Mapping[str, bytes], *, whole: bool) -> None:
    """Keeps the files of a state, unless the newest copy holds the same. Raises OSError; what fails leaves no copy.

    whole : whether all of it can be read; else nothing older goes for it.
    """
    root = folder / COPIES
    root.mkdir(exist_ok=True)
    clear_drafts(root)
    before = copies(folder) if whole else _partial(folder)
    if before and _holds(before[0], files):
        return
    now = datetime.now()
    draft = root / f"{SAVE}-{os.getpid()}"
    try:
        shutil.rmtree(draft, ignore_errors=True)
        for name, data in files.items():
            (draft / name).parent.mkdir(parents=True, exist_ok=True)
            put(draft / name, data)
        if not _holds(draft, files):
            raise OSError("the copy of the state before cannot be read back")
        draft.rename(root / (now.strftime(_FORM) + ("" if whole else PARTIAL)))
    except BaseException:
        shutil.rmtree(draft, ignore_errors=True)
        raise
    if whole:
        thin(folder, now)
    else:
        for old in _partial(folder)[NEWEST:]:
            shutil.rmtree(old, ignore_errors=True)


def copies(folder: Path) -> list[Path]:
    """The copies of a project, newest first."""
    root = folder / COPIES
    found = [path for path in root.iterdir() if _NAME.fullmatch(path.name) and path.is_dir()] if root.is_dir() else []
    return sorted(found, reverse=True)


def _partial(folder: Path) -> list[Path]:
    return sorted((path for path in (folder / COPIES).glob(f"*{PARTIAL}") if path.is_dir()), reverse=True)


def thin(folder: Path, now: datetime) -> None:
    """Removes copies that are closer together than their age allows; the newest stay."""
    there = copies(folder)
    last = _time_of(there[NEWEST - 1]) if len(there) > NEWEST else now
    for path in there[NEWEST:]:
        made = _time_of(path)
        apart = next((apart for age, apart in AGES if now - made <= age), None)
        if apart is not None and last - made >= apart:
            last = made
        else:
            shutil.rmtree(path, ignore_errors=True)


def _time_of(path: Path) -> datetime:
    try:
        return datetime.strptime(path.name, _FORM)
    except ValueError:  # numbers that are no time: as old as can be
        return datetime.min


def _holds(copy: Path, files: Mapping[str, bytes]) -> bool:
    try:
        there = {path.relative_to(copy).as_posix() for path in copy.rglob("*") if path.is_file()}
        return there == set(files) and all((copy / name).read_bytes() == data for name, data in files.items())
    except OSError:
        return False
