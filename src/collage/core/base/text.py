"""Text as people and file names give it, made fit for every file that Collage writes."""

from __future__ import annotations

import math
import unicodedata

_SPACES = str.maketrans({"\t": " ", "\r": " ", "\u2028": "\n", "\u2029": "\n"})


def cleaned(text: str) -> str:
    """The text without control characters and halves of characters, which neither XML nor JSON can hold.

    Tabs become blanks; line ends stay.
    """
    if text.isprintable():
        return text
    return "".join(one for one in text.translate(_SPACES) if one == "\n" or not _is_unfit(one))


def one_line(text: str) -> str:
    """A name: `cleaned`, on one line, without blanks around it."""
    return " ".join(cleaned(text).split())


def _is_unfit(one: str) -> bool:
    return unicodedata.category(one) in ("Cc", "Cs") or (ord(one) & 0xFFFE) == 0xFFFE


def shown(text: str) -> str:
    """The text for a terminal: what `cleaned` takes away shows as a sign of its own."""
    return "".join(one if one.isprintable() else "\N{REPLACEMENT CHARACTER}" for one in text)


def holds(text: str) -> bool:
    """Whether files can hold the text as it is."""
    return cleaned(text) == text


def counted(number: int, thing: str) -> str:
    """A number of things in words: "1 map", "3 maps"."""
    return f"{number} {thing}" if number == 1 else f"{number} {thing}s"


def in_bytes(count: float) -> str:
    """A number of bytes in words: "3 KB", "12 MB", "1.5 GB"."""
    if count >= 2**30:
        return f"{count / 2**30:.1f} GB"
    return f"{count / 2**20:.0f} MB" if count >= 2**20 else f"{math.ceil(count / 1024)} KB"
