"""How memory that was freed is kept for what comes next."""

from __future__ import annotations

import ctypes
import os
import sys
from collections.abc import Callable

_TRIM_THRESHOLD, _MMAP_THRESHOLD, _ARENA_MAX = -1, -3, -8  # of mallopt in the GNU C library
_KEPT = 512 * 2**20  # bytes at the end of what was allocated, before they go back to the system
_LARGEST = 128 * 2**20  # bytes of an array that is taken from what was freed before
_ARENAS = 2  # every one keeps what was freed in it: with one a thread a window takes 400 MB more


def keep_freed_memory() -> None:
    """Large arrays that come and go with every picture take the memory of those before them.

    Left alone, the GNU C library asks the system for every array of over 32 MB, which hands out cleared pages one by
    one: 5 % of a picture's time. NumPy, where it is not imported yet, asks for no huge pages: the system makes
    such pages whole again after their freed parts were given back, by which a window grew by 150 MB in 20 minutes.
    """
    os.environ.setdefault("NUMPY_MADVISE_HUGEPAGE", "0")
    setting = _of_the_c_library("mallopt")
    if setting is not None:
        setting(_MMAP_THRESHOLD, _LARGEST)
        setting(_TRIM_THRESHOLD, _KEPT)
        setting(_ARENA_MAX, _ARENAS)


def give_back_memory() -> None:
    """Freed memory goes back to the system; for when nothing is being made."""
    trim = _of_the_c_library("malloc_trim")
    if trim is not None:
        trim(0)


def _of_the_c_library(name: str) -> Callable[..., int] | None:
    """A function that the GNU C library has and others have not."""
    return getattr(ctypes.CDLL(None), name, None) if sys.platform == "linux" else None
