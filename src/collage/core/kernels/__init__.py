"""Compiled inner loops. Each family is a file that compiles when it is first imported.

Compiled code is kept in the user's cache folder, so only the first start compiles. Numba's cache notices changes in
a kernel's own file only: its helpers live there, or in one of the files that are SHARED, of which every state has a
folder of its own in the cache.
"""

from __future__ import annotations

import importlib
import platform
import zlib
from collections.abc import Iterator
from pathlib import Path

import numba
import platformdirs
from numba.core.codegen import get_host_cpu_features

SHARED = ("flags.py", "sampling.py", "lights.py", "levels.py", "packed.py", "reflection.py")
FAMILIES = ("elementwise", "noise", "cells", "sampling", "pyramids", "hexagons", "shading", "film", "rays")

# Numba reads these when a kernel is defined; nothing else in the program touches them.
_SHARED_STATE = zlib.crc32(b"".join((Path(__file__).parent / name).read_bytes() for name in SHARED))
numba.config.CACHE_DIR = str(Path(platformdirs.user_cache_dir("collage")) / "kernels" / f"{_SHARED_STATE:08x}")
if platform.machine() in ("x86_64", "AMD64"):
    # Vector lookups by one instruction are slower than single reads on most processors (a filtered texel: 22 to
    # 16 ns); and where there are 512-bit vectors they are worth using (fractal noise: 105 to 77 ns).
    numba.config.CPU_FEATURES = get_host_cpu_features() + ",+prefer-no-gather,-prefer-256-bit"


def load_all() -> Iterator[tuple[str, int, int]]:
    """Imports every family, compiling what is not in the cache. Yields (family, done, of) before each."""
    for done, family in enumerate(FAMILIES):
        yield family, done, len(FAMILIES)
        importlib.import_module(f"{__name__}.{family}")
    yield "", len(FAMILIES), len(FAMILIES)


def cached() -> bool:
    """Whether the compiled kernels seem to be in the cache already."""
    folder = Path(numba.config.CACHE_DIR)
    return folder.is_dir() and any(folder.rglob("*.nbc"))
