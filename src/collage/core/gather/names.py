"""What a file's name says: which set it belongs to, which map it is, and how sure that is."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace
from pathlib import PurePath
from typing import Literal

from collage.core.gather.words import (
    FILLERS,
    FORMATS,
    GREEN_DOWN,
    GREEN_UP,
    LETTERS,
    NOTES,
    PACKED,
    PACKED_LETTERS,
    PREFIXES,
    PREVIEWS,
    ROLES,
    SPACES,
    USUAL_PACKS,
    WORDS,
    Channels,
    Role,
)

Green = Literal["up", "down", "unknown"]
Axes = Literal["", "red", "swapped", "swapped red"]
"""How red and green of a normal map must be mended: exchanged first ("swapped"), then the red one mirrored ("red")."""

AXES_TEXT: dict[Axes, str] = {"": "", "red": "flip R", "swapped": "swap R/G", "swapped red": "swap R/G, flip R"}
"""What is done about them, on the screen."""


def axes_text(axes: Axes, green: str) -> str:
    """The axes of a normal map in words, as "up", or "swap R/G, down"."""
    return f"{AXES_TEXT[axes]}, {green}" if axes else green


Tiling = Literal["yes", "maybe", "no"]
"""Whether a four-digit number in a name is a tile's: surely, unless it could be a size, or not at all."""

AT_END, AT_START, INSIDE, GLUED = 1.0, 0.85, 0.6, 0.8
"""How much a role word counts by where it stands in the name."""


@dataclass(frozen=True)
class Reading:
    """One way to understand a name.

    base : the name of the set, without case and separators. title : the same as it was written.
    role : None where the name says nothing. channels : of a packed map, which channel holds what.
    tile : the number of a numbered tile as written, e.g. "1001" or "u1_v1".
    details : resolution, variant and the like, by which two maps for one role are told apart.
    reason : in words, for the person.
    """

    base: str
    title: str
    role: Role | None
    confidence: float
    reason: str = ""
    channels: Channels = ()
    green: Green = "unknown"
    tile: str = ""
    details: tuple[str, ...] = ()
    preview: bool = False


@dataclass(frozen=True)
class _Token:
    text: str  # lower case, accents gone
    start: int
    stop: int


@dataclass
class _Rest:
    """What a name says besides the set and the role."""

    tile: str = ""
    tile_at: int = -1
    green: Green = "unknown"
    details: list[str] = field(default_factory=list)
    taken: set[int] = field(default_factory=set)


def plain(text: str) -> str:
    """The text without accents, letter for letter."""
    return "".join(unicodedata.normalize("NFKD", one)[0] if one.isalpha() else one for one in text)


def _kind(letter: str) -> str:
    if letter.isdigit():
        return "digit"
    if not letter.isalpha():
        return "gap"
    if letter.isupper():
        return "upper"
    return "lower" if letter.islower() else "other"  # scripts without case


def tokens(stem: str) -> list[_Token]:
    """The words and numbers of a name: cut at separators, at humps of camel case and around numbers."""
    text, found, start = plain(stem), [], 0
    kinds = [_kind(letter) for letter in text]

    def cut(stop: int) -> None:
        if stop > start:
            found.append(_Token(text[start:stop].lower(), start, stop))

    for at, kind in enumerate(kinds):
        before = kinds[at - 1] if at else "gap"
        hump = kind == "upper" and before == "lower"
        last_capital = (
            kind == "upper" and before == "upper" and at + 1 < len(text) and kinds[at + 1] == "lower"
            and not (at + 2 >= len(text) or kinds[at + 2] != "lower")
        )  # fmt: skip
        number = {kind, before} != {kind} and "digit" in (kind, before)
        script = {kind, before} == {"other", "lower"} or {kind, before} == {"other", "upper"}
        if kind == "gap" or hump or last_capital or number or script:
            cut(at)
            start = at + (kind == "gap")
    cut(len(text))
    return _rejoined(found)


_ONE_WORD = {"opengl", "directx", "acescg", "srgb"}  # written with humps that are none


def _rejoined(found: list[_Token]) -> list[_Token]:
    """2k, 16bit, v2, d3d and the like belong together."""
    joined: list[_Token] = []
    for one in found:
        last = joined[-1] if joined else None
        if last is not None and last.stop == one.start:
            pair = last.text + one.text
            if pair in _ONE_WORD or re.fullmatch(r"\d+(k|bit|bits|b|f|px|fp)|v\d+|d3|d3d|dx\d\d|lod\d|[uv]\d+", pair):
                joined[-1] = _Token(pair, last.start, one.stop)
                continue
        joined.append(one)
    return joined


# ---- what stands around the role ----------------------------------------------------------------

_SIZES = {str(2**power) for power in range(6, 15)}


def is_tile_number(text: str) -> bool:
    """Whether a number can be that of a tile: ten to a row, a hundred rows, 1001 the first."""
    return len(text) == 4 and text.isdigit() and 1001 <= int(text) <= 2000


def _is_detail(text: str) -> bool:
    """Resolution, bit depth, colour space, file form, version: nothing that a set is named by."""
    return (
        text in _SIZES
        or text in SPACES
        or text in FORMATS
        or text in NOTES
        or bool(re.fullmatch(r"\d{1,2}k|\d+(bit|bits|px|fp)|(8|16|32)[bf]|v\d+", text))
    )


def _rest(words: list[_Token], tiling: Tiling) -> _Rest:
    """Details, green direction and tile number of a name. `taken` are the words that said it."""
    rest = _Rest()
    _find_tile(words, rest, tiling)
    for at, one in enumerate(words):
        if at in rest.taken:
            continue
        if one.text in GREEN_UP | GREEN_DOWN:
            rest.green = "up" if one.text in GREEN_UP else "down"
        elif _is_detail(one.text) and _stands_as_detail(words, at):
            rest.details.append(one.text)
        else:
            continue
        rest.taken.add(at)
    return rest


def _stands_as_detail(words: list[_Token], at: int) -> bool:
    """A word like “final” tells nothing only behind a name, and an x only between the numbers of a size."""
    text = words[at].text
    return (text not in NOTES or at > 0) and (text != "x" or _between_numbers(words, at))


def _between_numbers(words: list[_Token], at: int) -> bool:
    return 0 < at < len(words) - 1 and words[at - 1].text.isdigit() and words[at + 1].text.isdigit()


def _find_tile(words: list[_Token], rest: _Rest, tiling: Tiling) -> None:
    for at in range(len(words) - 1, -1, -1):
        one = words[at].text
        pair = words[at - 1].text if at else ""
        if re.fullmatch(r"v\d{1,2}", one) and re.fullmatch(r"u\d{1,2}", pair):
            rest.tile, rest.tile_at = f"{pair}_{one}", words[at - 1].start
            rest.taken |= {at - 1, at}
            return
        alone = at == 0 or words[at].start > words[at - 1].stop
        if tiling != "no" and is_tile_number(one) and alone and (tiling == "yes" or one not in _SIZES):
            rest.tile, rest.tile_at = one, words[at].start
            rest.taken.add(at)
            return


# ---- reading ------------------------------------------------------------------------------------


def read_name(name: str, *, tiling: Tiling = "maybe", rules: Iterable[tuple[str, Role]] = ()) -> list[Reading]:
    """Every way to understand a file name, best first; never empty.

    tiling : whether a number can be a tile's, as its neighbours tell.
    rules : the person's own words with the roles that they stand for; they go before all others.
    """
    stem = PurePath(name).stem
    words = tokens(stem)
    rest = _rest(words, tiling)
    own = {"".join(one.text for one in tokens(word)): role for word, role in rules}
    roles = list(_roles_in(words, rest, own))
    found = [_reading(stem, words, rest, span, _within(span, what, roles)) for span, what in roles]
    found.append(_nameless(stem, words, rest))
    if not any(reading.role for reading in found):
        found += _glued(stem, words, rest)
    return sorted(found, key=lambda reading: -reading.confidence)


PART_OF_MORE = 0.8


@dataclass(frozen=True)
class _What:
    role: Role
    confidence: float
    word: str
    channels: Channels = ()
    own: bool = False


def _roles_in(words: list[_Token], rest: _Rest, own: dict[str, Role]) -> Iterator[tuple[range, _What]]:
    """Every run of one to four words that names a role."""
    free = [at for at in range(len(words)) if at not in rest.taken]
    for length in (4, 3, 2, 1):
        for begin in range(len(words) - length + 1):
            span = range(begin, begin + length)
            if not all(at in free for at in span):
                continue
            parts = [words[at].text for at in span]
            last = begin + length == len(words) or all(at in rest.taken for at in range(begin + length, len(words)))
            for what in _meanings(parts, own):
                if last or what.own or len(what.word) > 1:  # a single letter counts at the end alone
                    yield span, what
    yield from _spelled_packs(words, free)


def _within(span: range, what: _What, others: list[tuple[range, _What]]) -> _What:
    """The role counts less where its word is a part of a longer one: “color” in “base color”."""
    longer = any(len(one) > len(span) and span.start in one and span.stop - 1 in one for one, _ in others)
    return replace(what, confidence=what.confidence * PART_OF_MORE) if longer and not what.own else what


def _meanings(parts: list[str], own: dict[str, Role]) -> Iterator[_What]:
    word = "".join(parts)
    filled = len(parts) > 1 and bool({parts[0], parts[-1]} & FILLERS)
    if filled and word not in PACKED and word not in own:
        return  # “normal map” is found as “normal”
    if word in own:
        yield _What(own[word], 1.0, word, own=True)
        return
    bare = re.sub(r"(?<=..)(maps?|tex)$", "", word) if word not in WORDS and word not in PACKED else word
    for text in dict.fromkeys((word, bare)):
        green = re.fullmatch(r"(normals?|nrm|nor|norm|nml)(gl|ogl|opengl|dx|directx)", text)
        if text in WORDS:
            yield _What(*WORDS[text], word)
        elif text in PACKED:
            channels, sure = PACKED[text]
            yield _What("packed", sure, word, channels)
        elif green:
            yield _What("normal", 0.95, word)
    if len(parts) == 1:
        for role, sure in LETTERS.get(word, ()):
            yield _What(role, sure, word)
        packed = _pack_of_letters(word)
        if packed:
            yield _What("packed", 0.9 if word in USUAL_PACKS else 0.6, word, packed)


def _pack_of_letters(word: str) -> Channels:
    """orm, rma, mrao ...: a letter for each channel; empty if the word is none."""
    word = word.replace("ao", "o")
    roles = [PACKED_LETTERS.get(letter) for letter in word]
    if not 3 <= len(word) <= 4 or None in roles or len(set(roles)) < len(roles):
        return ()
    if not {"specular_roughness", "gloss"} & set(roles) or len({"base_metalness", "occlusion"} & set(roles)) == 0:
        return ()
    return tuple((channel, role) for channel, role in zip("rgba", roles, strict=False) if role is not None)


def _spelled_packs(words: list[_Token], free: list[int]) -> Iterator[tuple[range, _What]]:
    """Two to four roles one after the other, as in ao_rough_metal: a channel each."""
    single: dict[int, tuple[int, Role]] = {}  # where it begins: where it ends, what it is
    for at in free:
        for length in (2, 1):
            word = "".join(one.text for one in words[at : at + length])
            if at + length <= len(words) and word in WORDS and WORDS[word][1] > 0.6:
                single.setdefault(at, (at + length, WORDS[word][0]))
    for begin in single:
        roles: list[Role] = []
        stop = begin
        while stop in single and len(roles) < 4:
            roles.append(single[stop][1])
            stop = single[stop][0]
        plain_numbers = {"specular_roughness", "gloss", "base_metalness", "occlusion", "height", "opacity"}
        if len(roles) >= 2 and len(set(roles)) == len(roles) and set(roles) <= plain_numbers:
            channels = tuple(zip("rgba", roles, strict=False))
            yield (
                range(begin, stop),
                _What(
                    "packed", 0.9 if len(roles) > 2 else 0.6, "".join(one.text for one in words[begin:stop]), channels
                ),
            )


def _reading(stem: str, words: list[_Token], rest: _Rest, span: range, what: _What) -> Reading:
    around = [at for at in range(len(words)) if at not in span and at not in rest.taken]
    around = [at for at in around if not _fills(words, at, span)]
    around, variant = _without_variant(words, around, span)
    after, before = [at for at in around if at >= span.stop], [at for at in around if at < span.start]
    if any(words[at].text in PREVIEWS for at in after):
        what = replace(what, confidence=0.2)  # a small picture of the map
    where = AT_END if not after else AT_START if not before else INSIDE
    green: Green = rest.green
    if what.role == "normal" and green == "unknown":
        green = "down" if re.search(r"(dx|directx)$", what.word) else "up" if re.search(r"gl$", what.word) else green
    return Reading(
        _base(words, around),
        _title(stem, words, around),
        what.role,
        round(what.confidence * (1.0 if what.own else where), 3),
        _reason(what, where),
        what.channels,
        green if what.role == "normal" else "unknown",
        rest.tile,
        (*rest.details, *variant),
    )


def _fills(words: list[_Token], at: int, span: range) -> bool:
    """Whether a word like “map” only fills the name up: beside the role, or behind it."""
    return words[at].text in FILLERS and (at >= span.stop or at + 1 == span.start)


def _without_variant(words: list[_Token], around: list[int], span: range) -> tuple[list[int], tuple[str, ...]]:
    """Numbers after the role tell variants and dates apart; before it, they belong to the set's name."""
    after = [at for at in around if at >= span.stop]
    named = any(at < span.start for at in around)
    if after and named and all(words[at].text.isdigit() for at in after):
        return [at for at in around if at not in after], tuple(words[at].text for at in after)
    return around, ()


def _reason(what: _What, where: float) -> str:
    if what.own:
        return f"your rule for “{what.word}”"
    place = {AT_END: "ends with", AT_START: "starts with"}.get(where, "has")
    label = ROLES[what.role].lower()
    return f"the name {place} “{what.word}”" + (f", {label}" if what.word not in label else "")


def _nameless(stem: str, words: list[_Token], rest: _Rest) -> Reading:
    around = [at for at in range(len(words)) if at not in rest.taken]
    preview = any(words[at].text in PREVIEWS for at in around)
    around = [at for at in around if words[at].text not in PREVIEWS | FILLERS] or around
    title = _title(stem, words, around)
    return Reading(_base(words, around), title, None, 0.3, "no role in the name", (), "unknown", rest.tile,
                   tuple(rest.details), preview)  # fmt: skip


def _glued(stem: str, words: list[_Token], rest: _Rest) -> Iterator[Reading]:
    """Role words grown together with the name, as in brickalbedo."""
    free = [at for at in range(len(words)) if at not in rest.taken]
    for at in free:
        text = words[at].text
        for cut in range(3, len(text) - 3):
            tail = re.sub(r"maps?$", "", text[cut:])
            if tail in WORDS and WORDS[tail][1] > 0.9 and len(tail) >= 4:
                cut_words = [*words]
                cut_words[at] = replace(words[at], text=text[:cut], stop=words[at].start + cut)
                role, sure = WORDS[tail]
                yield Reading(_base(cut_words, free), _title(stem, cut_words, free), role, round(sure * GLUED, 3),
                              f"the name ends with “{tail}”", (), rest.green if role == "normal" else "unknown",
                              rest.tile, tuple(rest.details))  # fmt: skip
                break


def _base(words: list[_Token], around: list[int]) -> str:
    named = [words[at].text for at in around]
    if len(named) > 1 and named[0] in PREFIXES:
        named = named[1:]
    return "".join(named)


def _title(stem: str, words: list[_Token], around: list[int]) -> str:
    """What is left of the name as it was written; parts that were apart are joined as they were."""
    if len(around) > 1 and words[around[0]].text in PREFIXES:
        around = around[1:]
    text = ""
    for number, at in enumerate(around):
        one = words[at]
        if number and one.start > words[around[number - 1]].stop:
            text += stem[words[around[number - 1]].stop]
        text += stem[one.start : one.stop]
    return text


def pretty(title: str) -> str:
    """A set's name for people: words apart, the first letter large."""
    words = " ".join(one for one in re.split(r"[\s_\-.]+", re.sub(r"(?<=[a-z])(?=[A-Z])", " ", title)) if one)
    return words[:1].upper() + words[1:].lower() if words else "Untitled"


def stem_of(name: str) -> str:
    """The name of the set in the name of its base colour; any other name without its ending."""
    best = read_name(name)[0]
    return best.title if best.role == "base_color" and best.title and best.confidence > 0.7 else PurePath(name).stem
