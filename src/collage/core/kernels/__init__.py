"""Compiled inner loops. Each family is a file that compiles when it is first imported.

Compiled code is kept in the user's cache folder, so only the first start compiles, every family in a process of its
own, on all processors. Numba's cache notices changes in a kernel's own file only: its helpers live there, or in one of
the files that are SHARED, of which every state has a folder of its own in the cache.
"""

from __future__ import annotations

import importlib
import os
import platform
import subprocess
import sys
import tempfile
import time
import zlib
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import platformdirs

from collage.core.base.errors import CollageError
from collage.core.base.progress import Progress, Steps

SHARED = (
    "flags.py",
    "sampling.py",
    "lights.py",
    "levels.py",
    "packed.py",
    "reflection.py",
    "layers.py",
    "sequence.py",
    "path_rows.py",
    "emitters.py",
    "lobes.py",
    "going_on.py",
    "hit_rows.py",
    "around.py",
    "at_hits.py",
)
FAMILIES = {
    "scattering": 27.0,
    "hexagons": 21.6,
    "elementwise": 12.2,
    "cells": 11.6,
    "shading": 11.2,
    "sampling": 10.6,
    "rays": 7.0,
    "noise": 5.9,
    "meshes": 4.5,
    "paths": 4.2,
    "division": 4.0,
    "half_sphere": 2.8,
    "pyramids": 2.1,
    "wandering": 2.0,
    "relief": 1.9,
    "film": 1.8,
    "png": 1.6,
    "proximity": 1.4,
    "wavelet": 1.3,
    "uv": 1.2,
    "embree": 1.0,
}
"""By family, the seconds that compiling it took on one processor of an ordinary server: the shares of the progress."""

NEEDED = tuple(
    name
    for name in FAMILIES
    if name not in ("hexagons", "uv", "paths", "scattering", "wandering", "wavelet", "half_sphere")
)
"""What a project's first picture needs; the rest can come after it."""

ROOM = 400  # megabytes that one compiling process may take

_HERE = Path(__file__).parent
_SHARED_STATE = zlib.crc32(b"".join((_HERE / name).read_bytes() for name in SHARED))


def _cache() -> Path:
    """The user's cache folder; where it cannot be written to, a folder for temporary files that nobody else can."""
    state = f"{_SHARED_STATE:08x}"
    wanted = Path(platformdirs.user_cache_dir("collage")) / "kernels" / state
    if _takes_files(wanted):
        return wanted
    spare = Path(tempfile.gettempdir()) / f"collage-{os.getuid()}"
    if _takes_files(spare) and spare.stat().st_uid == os.getuid() and not spare.stat().st_mode & 0o022:
        return spare / state  # what is compiled is run: nobody else may put it there
    return wanted


def _takes_files(folder: Path) -> bool:
    """Whether a folder is there, or can be made, and files can be written to it."""
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    except OSError:
        return False
    return os.access(folder, os.W_OK)


CACHE = _cache()


def _set_up() -> None:
    """Numba reads these when it is imported; nothing else in the program touches them."""
    os.environ.setdefault("NUMBA_CACHE_DIR", str(CACHE))
    if platform.machine() in ("x86_64", "AMD64") and "NUMBA_CPU_FEATURES" not in os.environ:
        from llvmlite.binding import get_host_cpu_features

        # Vector lookups by one instruction are slower than single reads on most processors (a filtered texel: 22 to
        # 16 ns); and where there are 512-bit vectors they are worth using (fractal noise: 105 to 77 ns).
        found = get_host_cpu_features().flatten()
        os.environ["NUMBA_CPU_FEATURES"] = found + ",+prefer-no-gather,-prefer-256-bit"


class Family:
    """A family of kernels by name, as `rays`: its file is imported when something of it is first used."""

    def __init__(self, name: str) -> None:
        self._name = name

    def __getattr__(self, name: str) -> Any:
        if name.startswith("__"):  # what a look at any object asks for
            raise AttributeError(name)
        import_numba()
        self.__dict__.update(vars(importlib.import_module(f"{__name__}.{self._name}")))
        return self.__dict__[name]


def import_numba() -> None:
    """Without SciPy's linear algebra, which takes a third of the time and which no kernel uses.

    Numba looks for it when it is imported, and again before it runs the first kernel, in `numba.np.arraymath`.
    """
    unused = "scipy.linalg.cython_blas"
    if "numba" in sys.modules or unused in sys.modules:
        return
    sys.modules[unused] = None  # type: ignore[assignment]
    try:
        import numba
        import numba.np.arraymath  # noqa: F401
    finally:
        del sys.modules[unused]


_set_up()


def _stamp(family: str) -> Path:
    """A file that is there once the family's present state has been compiled by this Python and Numba.

    Numba keeps what it compiled under the name of the folder that the file lies in: another copy of the program
    compiles its own.
    """
    from importlib.metadata import version

    from llvmlite.binding import get_host_cpu_name

    state = zlib.crc32((_HERE / f"{family}.py").read_bytes(), zlib.crc32(os.fsencode(_HERE.absolute())))
    python = f"{sys.version_info[0]}.{sys.version_info[1]}"
    return CACHE / f"{family}-{state:08x}-{version('numba')}-{python}-{get_host_cpu_name()}.done"


def missing(families: Iterable[str] = FAMILIES) -> list[str]:
    """The families that are to be compiled yet, those that take longest first."""
    return [name for name in FAMILIES if name in set(families) and not _stamp(name).is_file()]


def processes() -> int:
    """How many families may be compiled at once: one a processor, as far as the memory goes."""
    try:
        free = os.sysconf("SC_AVPHYS_PAGES") * os.sysconf("SC_PAGE_SIZE") / 2**20
    except (ValueError, OSError):
        free = 2 * ROOM
    return max(1, min(os.cpu_count() or 1, int(free // ROOM)))


def compiled(families: Iterable[str] = FAMILIES, at_once: int | None = None) -> Steps[None]:
    """Compiles what the cache does not have yet. Raises CollageError if a family cannot be compiled."""
    waiting = missing(families)
    total = sum(FAMILIES[name] for name in waiting)
    running: dict[str, tuple[subprocess.Popen[bytes], float]] = {}
    done = 0.0
    at_once = at_once or processes()
    try:
        while waiting or running:
            while waiting and len(running) < at_once:
                name = waiting.pop(0)
                running[name] = _begin(name), time.monotonic()
            time.sleep(0.05)
            for name, (process, _) in list(running.items()):
                if process.poll() is not None:
                    del running[name]
                    done += FAMILIES[name]
                    _finish(name, process)
            now = time.monotonic()
            under_way = sum(min(now - begin, 0.9 * FAMILIES[name]) for name, (_, begin) in running.items())
            yield Progress(f"Compiling kernels: {', '.join(running)}", min((done + under_way) / total, 1.0))
    finally:
        for process, _ in running.values():
            process.kill()
            with process:  # waits, and closes what it wrote to
                pass


def _begin(family: str) -> subprocess.Popen[bytes]:
    code = f"import importlib; importlib.import_module('{__name__}.{family}')"
    return subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.DEVNULL, stderr=subprocess.PIPE)


def _finish(family: str, process: subprocess.Popen[bytes]) -> None:
    with process:
        told = process.stderr.read().decode(errors="replace") if process.stderr is not None else ""
    if process.returncode:
        last = told.strip().split("\n")[-1]
        raise CollageError(
            f"The kernels “{family}” could not be compiled: {last}.",
            about=str(CACHE),
            remedy="Check the free space there, then start again.",
        )
    stamp = _stamp(family)
    stamp.parent.mkdir(parents=True, exist_ok=True)
    stamp.touch()
