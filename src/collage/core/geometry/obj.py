"""Wavefront OBJ: polygons, groups, materials, normals and one UV set; and the looks in its MTL files."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.geometry.polygons import triangulated
from collage.core.geometry.raw import FIRST_SET, RawMesh, SlotLook

LARGEST_LIBRARY = 4 * 2**20  # bytes of an MTL file


@dataclass
class _Lines:
    """The lines of a file by what they say, and where a part or a slot begins."""

    positions: list[bytes] = field(default_factory=list)
    places: list[bytes] = field(default_factory=list)
    normals: list[bytes] = field(default_factory=list)
    faces: list[bytes] = field(default_factory=list)
    counts: list[tuple[int, int, int]] = field(default_factory=list)  # of v, vt, vn before a face that counts back
    parts: list[tuple[int, str]] = field(default_factory=list)
    slots: list[tuple[int, str]] = field(default_factory=list)
    libraries: list[str] = field(default_factory=list)
    others: set[str] = field(default_factory=set)


def read_obj(path: Path) -> RawMesh:
    """Reads an OBJ file. Raises CollageError, and OSError."""
    lines = _sorted_lines(path)
    positions = _numbers(lines.positions, 3, path.name)
    places = _numbers(lines.places, 2, path.name)
    normals = _numbers(lines.normals, 3, path.name)
    corners, sizes = _corners(lines, path.name)
    _check(corners, (len(positions), len(places), len(normals)), path.name)
    triangles, polygon = triangulated(corners[:, 0], sizes, positions)
    at = corners[triangles.ravel()]
    part, part_names = _ranges(lines.parts, len(sizes), path.stem)
    slot, slot_names = _ranges(lines.slots, len(sizes), "")
    looks = _looks(path, lines.libraries)
    return RawMesh(
        positions.astype(np.float32), at[:, 0].reshape(-1, 3),
        normals=_picked(normals, at[:, 2]) if len(normals) else None,
        uv={FIRST_SET: _picked(places, at[:, 1])} if len(places) else {},
        part=part[polygon], slot=slot[polygon], face=polygon, part_names=part_names,
        slots=tuple(looks.get(name, SlotLook(name)) for name in slot_names),
        remarks=_remarks(lines),
    )  # fmt: skip


def _sorted_lines(path: Path) -> _Lines:
    found = _Lines()
    takers = {b"v": found.positions.append, b"vt": found.places.append, b"vn": found.normals.append}
    data = path.read_bytes().replace(b"\\\r\n", b" ").replace(b"\\\n", b" ")
    for line in data.splitlines():
        word, _, rest = line.strip().partition(b" ")
        take = takers.get(word)
        if take is not None:
            take(rest)
        elif word == b"f":
            found.faces.append(rest)
            if b"-" in rest:  # counted back from the last one so far
                found.counts.append((len(found.positions), len(found.places), len(found.normals)))
        elif word in (b"o", b"g"):
            found.parts.append((len(found.faces), _text(rest)))
        elif word == b"usemtl":
            found.slots.append((len(found.faces), _text(rest)))
        elif word == b"mtllib":
            found.libraries.append(_text(rest))
        elif word in (b"l", b"p", b"curv", b"surf"):
            found.others.add(word.decode())
    return found


def _text(data: bytes) -> str:
    """Names in whatever letters a program has written."""
    data = data.strip()
    try:
        return data.decode()
    except UnicodeDecodeError:
        return data.decode("latin-1")


def _numbers(lines: list[bytes], width: int, name: str) -> np.ndarray:
    """(n, width) float64: the first numbers of every line; what stands behind them (weights, colours) is left."""
    if not lines:
        return np.zeros((0, width))
    try:
        first = len(lines[0].split())
        values = np.array(b" ".join(lines).split(), np.float64)
        if values.size == first * len(lines) and first >= width:
            return values.reshape(len(lines), first)[:, :width]
        rows = [[float(part) for part in line.split()[:width]] for line in lines]
        return np.array([row + [0.0] * (width - len(row)) for row in rows])
    except ValueError as error:
        raise _broken("a line with coordinates that are no numbers", name) from error


def _corners(lines: _Lines, name: str) -> tuple[np.ndarray, np.ndarray]:
    """(c, 3) int64 for every corner of every polygon: place, UV and normal, counted from 0, -1 for none; and (p,) how
    many corners each polygon has."""
    tokens = [line.split() for line in lines.faces]
    sizes = np.array([len(one) for one in tokens], np.int64)
    if not len(sizes):
        raise CollageError("There are no faces in it.", about=name, remedy="Export the object with its faces.")
    if sizes.min() < 3:
        raise _broken("a face with less than three corners", name)
    flat = [one for face in tokens for one in face]
    try:
        corners = _even(flat)
    except (ValueError, OverflowError) as error:
        raise _broken("a face whose corners are no numbers", name) from error
    if lines.counts:
        faces = [number for number, line in enumerate(lines.faces) if b"-" in line]
        before = np.zeros((len(sizes), 3), np.int64)
        before[faces] = lines.counts
        back = np.repeat(before, sizes, axis=0)
        corners = np.where(corners < 0, back + corners + 1, corners)
        if corners.min() < 0:
            raise _broken("a face that counts back to before the first vertex", name)
    return corners - 1, sizes


def _even(flat: list[bytes]) -> np.ndarray:
    """(c, 3) int64 as written, 0 for what is left out. Raises ValueError."""
    slashes = flat[0].count(b"/")
    if all(one.count(b"/") == slashes for one in flat):
        joined = b" ".join(flat).replace(b"//", b"/0/").replace(b"/", b" ")
        values = np.array(joined.split(), np.int64)
        if values.size == len(flat) * (slashes + 1) and slashes <= 2:
            out = np.zeros((len(flat), 3), np.int64)
            out[:, : slashes + 1] = values.reshape(len(flat), slashes + 1)
            return out
    rows = [[int(part or 0) for part in one.split(b"/")[:3]] for one in flat]
    return np.array([row + [0] * (3 - len(row)) for row in rows], np.int64)


def _check(corners: np.ndarray, counts: tuple[int, int, int], name: str) -> None:
    for column, (count, what) in enumerate(zip(counts, ("vertex", "UV place", "normal"), strict=True)):
        most = int(corners[:, column].max())
        if most >= count:
            raise _broken(f"a face that names {what} {most + 1}, but there are {count}", name)
    if corners[:, 0].min() < 0:
        raise _broken("a face that names vertex 0; they are counted from 1", name)


def _picked(rows: np.ndarray, at: np.ndarray) -> np.ndarray:
    """The rows that corners name; zeros for corners that name none."""
    return np.where((at >= 0)[:, None], rows[np.maximum(at, 0)], 0).astype(np.float32)


def _ranges(begins: list[tuple[int, str]], count: int, first: str) -> tuple[np.ndarray, tuple[str, ...]]:
    """The number of the part or slot of each polygon, and their names in the order in which they come first."""
    names: dict[str, int] = {}
    out = np.zeros(count, np.int32)
    ends = [start for start, _ in begins[1:]] + [count]
    if not begins:
        return out, (first,)
    if begins[0][0] > 0:
        names[first] = 0
    for (start, name), end in zip(begins, ends, strict=True):
        if end > start:  # a name that nothing follows is none
            out[start:end] = names.setdefault(name or first, len(names))
    return out, tuple(names)


def _remarks(lines: _Lines) -> tuple[str, ...]:
    left = {"l": "lines", "p": "points", "curv": "curves", "surf": "free-form surfaces"}
    return tuple(f"It has {left[one]}, which are left out." for one in sorted(lines.others))


def _broken(what: str, name: str) -> CollageError:
    return CollageError(f"There is {what}.", about=name, remedy="The file is broken; export it again.")


# ---- looks --------------------------------------------------------------------------------------


def _looks(path: Path, names: list[str]) -> dict[str, SlotLook]:
    """What MTL files beside it say of materials; those that are not there say nothing."""
    found: dict[str, SlotLook] = {}
    for name in names:
        file = path.parent / name
        try:
            if file.stat().st_size > LARGEST_LIBRARY or not file.resolve().is_relative_to(path.parent.resolve()):
                continue
            data = file.read_bytes()
        except (OSError, ValueError):
            continue
        _read_looks(data, found)
    return found


def _read_looks(data: bytes, found: dict[str, SlotLook]) -> None:
    look: SlotLook | None = None
    for line in data.splitlines():
        word, _, rest = line.strip().partition(b" ")
        if word == b"newmtl":
            look = found.setdefault(_text(rest), SlotLook(_text(rest)))
        elif look is not None and word == b"Kd":
            look.colour = _colour(rest)
        elif look is not None and word == b"map_Kd":
            look.map = _text(rest).split(" -")[-1].split()[-1] if b"-" in rest else _text(rest)


def _colour(rest: bytes) -> tuple[float, float, float] | None:
    try:
        red, green, blue = (min(max(float(part), 0.0), 1.0) for part in rest.split()[:3])
    except ValueError:
        return None
    return red, green, blue
