"""Numbered tiles: one image in many files, a tile of the UV plane each.

The standard writes <UDIM> for the number 1001 + column + 10 * row, and <UVTILE> for u1_v1 and so on.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

NUMBER, PAIR = "<UDIM>", "<UVTILE>"
LAST_PAIR = re.compile(r"[uU]\d+_?[vV]\d+(?!.*[uU]\d+_?[vV]\d+)")
"""The last u/v number in a name, with or without the line between."""

Place = tuple[int, int]
"""(row, column) of a tile; (0, 0) is 1001."""


def is_pattern(path: str) -> bool:
    """Whether a file name stands for tiles."""
    return NUMBER in path or PAIR in path


def pattern_of(file: str, tile: str) -> str:
    """The pattern of a file by the number in its name: wall.1001.png gives wall.<UDIM>.png."""
    token = NUMBER if tile.isdigit() else PAIR
    at = file.lower().rfind(tile.lower())
    if at < 0:
        return LAST_PAIR.sub(token, file)
    return file[:at] + token + file[at + len(tile) :]


def file_of(pattern: str, place: Place) -> str:
    """The file of one tile."""
    row, column = place
    return pattern.replace(NUMBER, f"{1001 + column + 10 * row}").replace(PAIR, f"u{column + 1}_v{row + 1}")


def label_of(place: Place) -> str:
    """A tile's number as people write it, from 1001."""
    return f"{1001 + place[1] + 10 * place[0]}"


@dataclass(frozen=True)
class Tiles:
    """The tiles that are on disk for a pattern."""

    pattern: str

    @cached_property
    def files(self) -> dict[Place, str]:
        """Each tile's file, in the order of the numbers."""
        path = Path(self.pattern)
        token = NUMBER if NUMBER in path.name else PAIR
        before, _, after = path.name.partition(token)
        number = r"(\d{4})" if token == NUMBER else r"u(\d+)_?v(\d+)"
        shape = re.compile(re.escape(before) + number + re.escape(after) + r"$", re.IGNORECASE)
        found: dict[Place, str] = {}
        try:
            names = sorted(one.name for one in path.parent.iterdir())
        except OSError:
            return {}
        for name in names:
            hit = shape.match(name)
            if hit is None:
                continue
            if token == NUMBER and 1001 <= int(hit.group(1)) <= 2000:
                found[divmod(int(hit.group(1)) - 1001, 10)] = str(path.parent / name)
            elif token == PAIR:
                found[int(hit.group(2)), int(hit.group(1))] = str(path.parent / name)
        first = 1 if token == PAIR and all(0 not in place for place in found) else 0  # some people count from zero
        return dict(sorted(((row - first, column - first), file) for (row, column), file in found.items()))

    @property
    def missing(self) -> list[Place]:
        """Gaps in the rows between tiles that are there."""
        rows: dict[int, list[int]] = {}
        for row, column in self.files:
            rows.setdefault(row, []).append(column)
        return [
            (row, column) for row, have in rows.items() for column in range(min(have), max(have)) if column not in have
        ]
