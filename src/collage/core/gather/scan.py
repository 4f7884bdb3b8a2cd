"""Reading a folder: its files are listed, grouped by their names, and then looked at one by one."""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Generator, Iterable, Mapping
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path, PurePosixPath

from collage.core.base.errors import CollageError
from collage.core.base.progress import Progress
from collage.core.gather.green import against_height, alone
from collage.core.gather.looks import Look, LookAt, judged, look_at
from collage.core.gather.names import AXES_TEXT, Axes, Green
from collage.core.gather.sets import FoundMap, FoundSet, Gathered, Rules, group
from collage.core.gather.words import Role
from collage.core.images.codecs import RECORD

MOST_FILES = 100_000
SURE_OF_AXES = 0.35  # correlation from which red and green that are not as usual are told
SKIPPED_FOLDERS = {"__MACOSX", "node_modules"}
Looks = Mapping[str, Look | CollageError]
"""By relative file name: what a picture looks like, or why it cannot be read."""


def list_files(folder: Path) -> list[str]:
    """All files below a folder, by relative names with forward slashes; hidden ones are passed over.

    Raises CollageError if the folder cannot be read or holds more files than anyone means.
    """
    if not folder.is_dir():
        raise CollageError("There is no such folder.", about=folder.name, remedy="Choose a folder that holds maps.")
    found: list[str] = []
    for here, folders, files in os.walk(folder):
        folders[:] = sorted(one for one in folders if not one.startswith(".") and one not in SKIPPED_FOLDERS)
        start = Path(here).relative_to(folder)
        found += [(start / one).as_posix() for one in sorted(files) if not one.startswith(".")]
        if len(found) > MOST_FILES:
            raise CollageError(
                f"The folder holds more than {MOST_FILES:,} files.", about=folder.name, remedy="Choose one inside it."
            )
    return found


def all_files(paths: list[Path]) -> list[str]:
    """The files among the paths, and all files in the folders among them, by absolute names."""
    files = [(path.resolve() / one).as_posix() for path in paths if path.is_dir() for one in list_files(path)]
    return files + [path.resolve().as_posix() for path in paths if path.is_file()]


def gather(
    folder: Path,
    rules: Rules = (),
    *,
    files: Iterable[str] | None = None,
    look: LookAt = look_at,
    threads: int = 2,
) -> Generator[Progress | Gathered, None, None]:
    """Reads a folder: yields what its names say at once, then its progress, and at last what the pictures say too.

    files : only these relative names. look : how a picture is looked at. Raises CollageError for a folder that
    cannot be read; a picture that cannot be read gets a remark and stops nothing.
    """
    yield Progress("Reading names", 0.0)
    names = list_files(folder) if files is None else files
    found = group([name for name in names if not name.endswith(RECORD)], rules)
    yield found
    total = sum(len(one.maps) for one in found.sets)
    done, sets = 0, []
    looking = _Looking(folder, found.sets, look, threads)
    try:
        for one in found.sets:  # set by set, so that only a few pictures are held at a time
            looks: dict[str, Look | CollageError] = {}
            for every in one.maps:
                looks[every.files[0]] = looking.next()
                done += 1
                yield Progress(f"Looking at {PurePosixPath(every.files[0]).name}", done / total)
            sets.append(with_looks(one, looks))
    finally:
        looking.stop()
    yield replace(found, sets=tuple(sets))


class _Looking:
    """Looks at the first file of every map in their order, on threads, a few ahead of what is asked for."""

    def __init__(self, folder: Path, sets: Iterable[FoundSet], look: LookAt, threads: int) -> None:
        self._folder, self._look, self._ahead = folder, look, 2 * threads
        self._wanted = iter([(every.files[0], every.colorspace) for one in sets for every in one.maps])
        self._pool = ThreadPoolExecutor(threads, thread_name_prefix="looking")
        self._begun: deque[Future[Look | CollageError]] = deque()

    def next(self) -> Look | CollageError:
        """What the next picture looks like, or why it cannot be read."""
        for what in self._wanted:
            self._begun.append(self._pool.submit(self._try, *what))
            if len(self._begun) >= self._ahead:
                break
        return self._begun.popleft().result()

    def stop(self) -> None:
        """Drops what has not begun."""
        self._pool.shutdown(wait=True, cancel_futures=True)

    def _try(self, file: str, space: str) -> Look | CollageError:
        try:
            return self._look(self._folder / file, space)
        except CollageError as error:
            return error
        except MemoryError:
            return CollageError("The picture is too large for memory.", about=file, remedy="Save it smaller.")


def gathered(folder: Path, rules: Rules = (), *, files: Iterable[str] | None = None) -> Gathered:
    """What a folder holds, in one go. Raises CollageError."""
    last = Gathered()
    for one in gather(folder, rules, files=files):
        if isinstance(one, Gathered):
            last = one
    return last


# ---- with the pictures --------------------------------------------------------------------------


def with_looks(one: FoundSet, looks: Looks) -> FoundSet:
    """The set as its pictures show it."""
    sure: frozenset[Role] = frozenset(every.role for every in one.maps if every.confidence > 0.8)
    maps: list[FoundMap] = []
    for every in one.maps:
        seen = looks.get(every.files[0])
        if isinstance(seen, Look):
            maps.append(judged(every, seen, sure))
        elif seen is not None:
            maps.append(replace(every, used=False).remarked(f"{seen.message} {seen.remedy}".strip()))
        else:
            maps.append(every)
    maps = _one_a_role([_with_green(every, maps, looks) for every in maps])
    return replace(one, maps=tuple(maps), remarks=_sizes(maps))


def _with_green(one: FoundMap, maps: list[FoundMap], looks: Looks) -> FoundMap:
    """A normal map's direction: from its name, else measured."""
    normal = looks.get(one.files[0])
    holds_normal = one.role == "normal" or any(role == "normal" for _, role in one.channels)
    if not holds_normal or not isinstance(normal, Look) or normal.channels < 3:
        return one
    green: Green = "unknown"
    axes: Axes = ""
    sure, how = 0.0, ""
    for other in maps:
        height = looks.get(other.files[0])
        if other.role == "height" and isinstance(height, Look):
            found_axes, found, fits = against_height(normal, height)
            if fits > sure:
                axes, green, sure, how = found_axes, found, fits, "measured against the height map"
    if axes and sure > SURE_OF_AXES:
        return _with_axes(one, axes, green, sure)
    if green == "unknown":
        found, fits = alone(normal)
        green, sure, how = found, fits, "measured from the map alone"
    if one.green == "unknown" and green == "unknown":
        return one.remarked("Normal Y direction is unknown; up is assumed.")
    if one.green == "unknown":
        text = f"Green {green}, {how} ({sure:.0%} sure)."
        return replace(one, green=green).remarked(text)
    if green not in ("unknown", one.green) and sure > 0.5:
        return one.remarked(f"Its name says green {one.green}, but it is {green} as {how} ({sure:.0%} sure).")
    return one


def _with_axes(one: FoundMap, axes: Axes, green: Green, sure: float) -> FoundMap:
    """The map marked: its axes are not what they are taken for. The correction is offered, not made."""
    choice = f"{AXES_TEXT[axes]}, {green}"
    if axes == "red":  # two ways to say the same; until one is chosen, the height is taken to be inverted
        text = f"The height map is inverted, or red points the other way ({sure:.0%} sure): then choose “{choice}”."
        green = "down" if green == "up" else "up"
    else:
        text = f"Red and green are swapped, measured against the height map ({sure:.0%} sure): choose “{choice}”."
    green = green if one.green == "unknown" else one.green
    return replace(one, measured_axes=axes, green=green, confidence=min(one.confidence, 0.5)).remarked(text)


def _one_a_role(maps: list[FoundMap]) -> list[FoundMap]:
    """After pictures changed roles, the first used map of a role stays the only used one."""
    taken: set[Role] = set()
    result = []
    for one in maps:
        if one.used and one.role in taken and one.role not in ("other", "packed"):
            one = replace(one, used=False).remarked(f"A second map for {one.label.lower()}.")
        if one.used:
            taken.add(one.role)
        result.append(one)
    return result


def _sizes(maps: list[FoundMap]) -> tuple[str, ...]:
    """A sentence where the maps of a set have not all one size."""
    sizes = sorted({one.size for one in maps if one.used and one.size[0]}, reverse=True)
    if len(sizes) < 2:
        return ()
    shapes = {round(width / height, 2) for width, height in sizes}
    text = " and ".join(f"{width}×{height}" for width, height in sizes)
    return (f"Its maps have different {'sizes' if len(shapes) == 1 else 'shapes'}: {text}.",)
