"""Files put together to map sets, from their names alone."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from pathlib import PurePosixPath

from collage.core.gather.names import Axes, Green, Reading, Tiling, is_tile_number, plain, pretty, read_name, tokens
from collage.core.gather.words import COLOURS, LAYOUTS, ROLES, SAME_PLACE, SPACE_WORDS, Channels, Role
from collage.core.images.codecs import READ_SUFFIXES
from collage.core.images.tiles import pattern_of

CONFIDENT = 0.7
"""Below this a guess is marked for the person to look at."""

MAP_SUFFIXES = READ_SUFFIXES
OTHER_PICTURES = {".gif", ".jp2", ".dds", ".jxl", ".heic", ".avif"}
"""Pictures by their ending that Collage does not read: they are left over with that reason."""

Rules = tuple[tuple[str, Role], ...]
"""The person's own words and what they stand for."""


@dataclass(frozen=True)
class FoundMap:
    """A map of a set: one file, or the tiles of one.

    files : paths relative to the folder that was read, with forward slashes; tiles in their order.
    tiles : their numbers as written; empty for a single file. missing : tiles that ought to be there.
    remarks : sentences about what is odd. alternatives : other roles that the name allows.
    size, bits, channels_in_file : from the header, once it was read.
    """

    role: Role
    files: tuple[str, ...]
    confidence: float
    reason: str
    colorspace: str = ""
    green: Green = "unknown"
    channels: Channels = ()
    tiles: tuple[str, ...] = ()
    missing: tuple[str, ...] = ()
    details: tuple[str, ...] = ()
    alternatives: tuple[tuple[Role, float], ...] = ()
    remarks: tuple[str, ...] = ()
    size: tuple[int, int] = (0, 0)
    bits: int = 0
    depth: int = 0  # channels in the file
    used: bool = True  # False for the second map of a role, and for what the person left out
    axes: Axes = ""  # how red and green are mended
    measured_axes: Axes = ""  # how they ought to be, by the height map of the set

    @property
    def sure(self) -> bool:
        """Whether its role needs no confirmation."""
        return self.confidence >= CONFIDENT

    @property
    def label(self) -> str:
        """Its role in words."""
        return ROLES[self.role]

    @property
    def contents(self) -> str:
        """What its channels hold, in words; empty for a map that is one thing."""
        return ", ".join(f"{name.upper()} {ROLES[role].lower()}" for name, role in self.channels)

    def remarked(self, text: str) -> FoundMap:
        """A copy with a remark added."""
        return self if text in self.remarks else replace(self, remarks=(*self.remarks, text))


@dataclass(frozen=True)
class FoundSet:
    """The maps of one surface. metres : width of the tile. depth : from the darkest to the brightest of its height."""

    name: str
    folder: str
    maps: tuple[FoundMap, ...]
    metres: float = 1.0
    depth: float = 0.008  # of a metre wide tile: as deep as plaster, split slate or a weave
    remarks: tuple[str, ...] = ()

    @property
    def title(self) -> str:
        """Its name in words."""
        return pretty(self.name)

    def first(self, *roles: Role) -> FoundMap | None:
        """The first used map with one of the roles, in their order."""
        for role in roles:
            for one in self.maps:
                if one.role == role and one.used:
                    return one
        return None

    def with_map(self, number: int, new: FoundMap) -> FoundSet:
        """A copy with a map in the place of the one of that number."""
        maps = list(self.maps)
        maps[number] = new
        return replace(self, maps=tuple(maps))


@dataclass(frozen=True)
class Leftover:
    """A file that is no map of any set, and why."""

    file: str
    reason: str


@dataclass(frozen=True)
class Gathered:
    """What a folder holds."""

    sets: tuple[FoundSet, ...] = ()
    leftover: tuple[Leftover, ...] = ()


def default_space(role: Role, suffix: str, channels: Channels = (), details: tuple[str, ...] = ()) -> str:
    """What the numbers of a map mean: sRGB for colours, linear where they are floats, plain numbers for data.

    details : words of the name; one that names a colour space goes first.
    """
    if not (role in COLOURS or any(what in COLOURS for _, what in channels)):
        return "raw"
    named = next((SPACE_WORDS[word] for word in details if word in SPACE_WORDS), "")
    return named or ("lin_rec709" if suffix.lower() in (".exr", ".hdr") else "srgb_texture")


# ---- corrections --------------------------------------------------------------------------------


def in_role(one: FoundMap, role: Role) -> FoundMap:
    """The map in a role that the person gave it: sure, with the colour space of the role."""
    channels = one.channels if role in ("packed", "base_color") else ()
    if role == "packed" and not channels:
        channels = next(iter(LAYOUTS.values()))
    space = default_space(role, PurePosixPath(one.files[0]).suffix, channels, one.details)
    return replace(one, role=role, confidence=1.0, reason="set by hand", colorspace=space, channels=channels, used=True)


def settled(found: FoundSet, keep: int) -> FoundSet:
    """One used map a role: the one that was just changed stays, others of its role stand by."""
    keep = keep % len(found.maps)
    kept = found.maps[keep]
    maps = tuple(
        replace(one, used=False)
        if at != keep and kept.used and one.role == kept.role and one.role not in ("other", "packed")
        else one
        for at, one in enumerate(found.maps)
    )
    return replace(found, maps=maps)


# ---- from names to sets -------------------------------------------------------------------------


@dataclass(frozen=True)
class _Placed:
    """A file with the folder that names its set, and all ways to read its name."""

    file: str
    home: str
    readings: tuple[Reading, ...]


Key = tuple[str, str]


def group(files: Iterable[str], rules: Rules = ()) -> Gathered:
    """The sets in a list of relative file names.

    rules : the person's own words with the roles that they stand for.
    """
    maps: list[str] = []
    leftover: list[Leftover] = []
    for file in sorted(files):
        suffix = PurePosixPath(file).suffix.lower()
        if suffix in MAP_SUFFIXES:
            maps.append(file)
        elif suffix in OTHER_PICTURES:
            leftover.append(Leftover(file, f"Collage does not read {suffix} files; save it as PNG, TIFF or EXR."))
        else:
            leftover.append(Leftover(file, "not an image"))
    chosen = _chosen([_placed(file, tiling, rules) for file, tiling in _with_tiles(maps)])
    groups: dict[Key, list[tuple[_Placed, Reading]]] = defaultdict(list)
    for placed, reading in chosen:
        groups[_key(placed, reading)].append((placed, reading))
    sets: list[FoundSet] = []
    for (home, _), members in groups.items():
        made, left = _sets_of(home, members)
        sets += made
        leftover += left
    return Gathered(tuple(sorted(sets, key=lambda one: (one.folder, one.name))), tuple(leftover))


def _with_tiles(files: list[str]) -> Iterator[tuple[str, Tiling]]:
    """Each file, and whether a number in its name can be a tile's.

    Where names differ in the number alone it is one, even if it could be a size. Where a folder has only one such
    number, and that is not the first tile's, it belongs to the name.
    """
    patterns: dict[str, set[str]] = defaultdict(set)
    folders: dict[str, set[str]] = defaultdict(set)
    for file in files:
        for pattern, number in _numbered(file):
            patterns[pattern].add(number)
            folders[str(PurePosixPath(file).parent)].add(number)
    for file in files:
        hits = [patterns[pattern] for pattern, _ in _numbered(file)]
        near = folders[str(PurePosixPath(file).parent)] - {"1024", "2048"}
        if any(len(numbers) > 1 and numbers - {"1024", "2048"} for numbers in hits):
            yield file, "yes"
        else:
            yield file, "maybe" if len(near) > 1 or "1001" in near else "no"


def _numbered(file: str) -> Iterator[tuple[str, str]]:
    """Numbers in a name that could be a tile's, each with the name that has # in its place."""
    for found in re.finditer(r"(?<!\d)\d{4}(?!\d)", file):
        if is_tile_number(found.group()):
            yield f"{file[: found.start()]}#{file[found.end() :]}", found.group()


def _placed(file: str, tiling: Tiling, rules: Rules) -> _Placed:
    path = PurePosixPath(file)
    readings = read_name(path.name, tiling=tiling, rules=rules)
    home, details = path.parent, []
    while home.name and _says_nothing(home.name):
        details.append(home.name.lower())
        home = home.parent
    if home.name and not any(one.role for one in readings):
        by_folder = read_name(home.name + ".x", rules=rules)[0]
        if by_folder.role is not None and not by_folder.base and by_folder.confidence >= 0.8:
            nameless = readings[-1]
            role = replace(
                nameless, role=by_folder.role, confidence=round(by_folder.confidence * 0.9, 3),
                channels=by_folder.channels, green=by_folder.green, preview=False,
                reason=f"the folder is named “{home.name}”",
            )  # fmt: skip
            readings, home = [role], home.parent
    if details:
        readings = [replace(one, details=(*one.details, *details)) for one in readings]
    return _Placed(file, str(home) if home.name else "", tuple(readings))


def _says_nothing(name: str) -> bool:
    """Whether a folder's name only tells a resolution, a form, or that textures are in it."""
    nameless = read_name(name + ".x")[-1]
    return not nameless.base or plain(name).lower() in SAME_PLACE


def _chosen(placed: list[_Placed]) -> list[tuple[_Placed, Reading]]:
    """For each file the reading that agrees best with its neighbours."""
    support: Counter[Key] = Counter()
    for one in placed:
        for key in {_key(one, reading) for reading in one.readings if reading.role and reading.confidence >= 0.4}:
            support[key] += 1

    def friends(one: _Placed, reading: Reading) -> int:
        return max(min(support[_key(one, reading)] - (1 if reading.role else 0), 2), 0)

    def weight(one: _Placed, reading: Reading) -> float:
        return reading.confidence * (0.7 + 0.15 * friends(one, reading))

    chosen = []
    for one in placed:
        best = max(one.readings, key=lambda reading, one=one: weight(one, reading))  # type: ignore[misc]
        if best.role is not None:  # each neighbour of the same name makes it surer
            sure = round(1 - (1 - best.confidence) * (1 - 0.15 * friends(one, best)), 3)
            best = replace(best, confidence=sure)
        chosen.append((one, best))
    return chosen


def _key(one: _Placed, reading: Reading) -> Key:
    name = "".join(token.text for token in tokens(PurePosixPath(one.home).name)) if one.home else ""
    return one.home, "" if reading.base == name else reading.base


def _sets_of(home: str, members: list[tuple[_Placed, Reading]]) -> tuple[list[FoundSet], list[Leftover]]:
    """The sets in files of one name. Where two maps have the same role, variants and sizes are told apart."""
    known = [(one, reading) for one, reading in members if reading.role is not None]
    nameless = [(one, reading) for one, reading in members if reading.role is None]
    leftover: list[Leftover] = []
    for one, reading in nameless:
        tiles = sum(1 for _, other in nameless if other.tile)
        taken = any(other.role == "base_color" and other.tile == reading.tile for _, other in known)
        if reading.preview:
            leftover.append(Leftover(one.file, "a preview"))
        elif not (known or tiles > 1):
            leftover.append(Leftover(one.file, "no role or set in its name"))
        elif taken:
            leftover.append(Leftover(one.file, "no role in its name, and the set has a base colour"))
        else:
            sure = 0.6 if tiles < 2 else 0.5
            named = replace(reading, role="base_color", confidence=sure, reason="the name of the set alone")
            known.append((one, named))
    if not known:
        return [], leftover
    titles = Counter(reading.title for _, reading in known if reading.title)
    name = min(titles, key=lambda text: (-titles[text], text)) if titles else PurePosixPath(home).name or "untitled"
    parts = _parted(known)
    sets = []
    for detail, part in parts.items():
        maps = _maps(part)
        sets.append(FoundSet(f"{name}_{detail}" if detail else name, home, maps))
    return sets, leftover


Member = tuple[_Placed, Reading]


def _parted(known: list[Member]) -> dict[str, list[Member]]:
    """The members by variant or size, where that is what tells two maps for one role apart."""
    roles = Counter((reading.role, reading.green, reading.tile) for _, reading in known)
    if max(roles.values()) < 2:
        return {"": known}
    for kind in (r"\d{1,3}", r"\d{1,2}k", r"\d{3,5}", r"png|jpg|jpeg|tif|tiff|exr|hdr"):
        parts: dict[str, list[Member]] = defaultdict(list)
        for one, reading in known:
            parts[next((text for text in reading.details if re.fullmatch(kind, text)), "")].append((one, reading))
        full = [part for part in parts.values() if len({reading.role for _, reading in part}) > 1]
        if len(parts) > 1 and len(full) == len(parts):
            return dict(parts)
    return {"": known}


def _maps(members: list[Member]) -> tuple[FoundMap, ...]:
    tiled: dict[tuple[object, ...], list[Member]] = defaultdict(list)
    for one, reading in members:
        untiled = pattern_of(one.file, reading.tile) if reading.tile else one.file
        tiled[(reading.role, untiled)].append((one, reading))
    every = sorted({reading.tile for _, reading in members if reading.tile}, key=tile_place)
    maps = [_map(part, every) for part in tiled.values()]
    order = list(ROLES)
    maps.sort(key=lambda one: (order.index(one.role), -preference(one), one.files))
    return tuple(_told_apart(maps))


def _map(members: list[Member], every: list[str]) -> FoundMap:
    members = sorted(members, key=lambda member: tile_place(member[1].tile))
    placed, reading = members[0]
    assert reading.role is not None
    files = tuple(one.file for one, _ in members)
    tiles = tuple(one.tile for _, one in members if one.tile)
    missing = tuple(name for name in wanted_tiles(every) if name not in tiles) if tiles else ()
    others = {other.role: other.confidence for other in reversed(placed.readings) if other.base == reading.base}
    others = {role: sure for role, sure in others.items() if role not in (None, reading.role)}
    found = FoundMap(
        reading.role, files, reading.confidence, reading.reason,
        default_space(reading.role, PurePosixPath(files[0]).suffix, reading.channels, reading.details),
        reading.green, reading.channels, tiles, missing, reading.details,
        tuple((role, sure) for role, sure in others.items() if role is not None),
    )  # fmt: skip
    if missing:
        found = found.remarked(f"{'Tile' if len(missing) == 1 else 'Tiles'} {', '.join(missing)} missing.")
    return found


def preference(one: FoundMap) -> float:
    """Which of two maps for one role is used: displacement before bump, green up before down, the finer before."""
    size = max((int(text[:-1]) * 1024 if text.endswith("k") else int(text)
                for text in one.details if re.fullmatch(r"\d{1,2}k|\d{3,5}", text)), default=0)  # fmt: skip
    bump = "bump" in one.reason or "bmp" in one.reason
    return one.confidence + size / 1e6 + (0.2 if one.green == "up" else 0) - (0.3 if bump else 0)


def _told_apart(maps: list[FoundMap]) -> Iterator[FoundMap]:
    """The first map of a role is used; the others stand by, with a remark."""
    seen: dict[Role, FoundMap] = {}
    for one in maps:
        first = seen.get(one.role)
        if first is None or one.role in ("other", "packed"):
            seen.setdefault(one.role, one)
            yield one
        else:
            name = PurePosixPath(first.files[0]).name
            yield replace(one, used=False).remarked(f"A second map for {one.label.lower()}; {name} is used.")


# ---- tiles --------------------------------------------------------------------------------------


def tile_place(tile: str) -> tuple[int, int]:
    """(row, column) of a tile by its number; (-1, -1) for none. 1001 is (0, 0), and u1_v1 is too."""
    if is_tile_number(tile):
        row, column = divmod(int(tile) - 1001, 10)
        return row, column
    found = re.fullmatch(r"u(\d+)_v(\d+)", tile)
    return (int(found.group(2)), int(found.group(1))) if found else (-1, -1)


def wanted_tiles(tiles: list[str]) -> list[str]:
    """All tiles that a surface with these has: theirs, and the gaps in each row between them."""
    rows: dict[int, list[int]] = defaultdict(list)
    for tile in tiles:
        row, column = tile_place(tile)
        rows[row].append(column)
    wanted: list[str] = []
    for row in sorted(rows):
        for column in range(min(rows[row]), max(rows[row]) + 1):
            wanted.append(_tile_name(tiles[0], row, column))
    return wanted


def _tile_name(like: str, row: int, column: int) -> str:
    return f"{1001 + column + 10 * row}" if is_tile_number(like) else f"u{column}_v{row}"
