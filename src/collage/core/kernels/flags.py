"""How kernels are compiled, so that their loops vectorise."""

from __future__ import annotations

from numba.core.compiler import Compiler


class _Separate(Compiler):  # type: ignore[misc]
    """Compiles with the promise that no two array arguments of a kernel overlap.

    Without it a loop with lookups or with many arrays cannot be vectorised: any write might change what is read
    next. Every function around a kernel makes its own output arrays, which keeps the promise.
    """

    def define_pipelines(self) -> object:
        self.state.flags.noalias = True
        return super().define_pipelines()


_MATHS = {"error_model": "numpy", "fastmath": {"contract", "nsz"}}

_BORROWED = {"_nrt": False}
"""Arrays are the caller's and are not counted. Counting them for every point takes a quarter of the shading, and more
on several threads, which then wait for each other's counts."""

INLINE = {"forceinline": True, **_BORROWED, **_MATHS}
"""Helpers of kernels; they make no arrays."""

_KERNEL = {"nogil": True, "cache": True, "pipeline_class": _Separate}

LOOP = {**_KERNEL, **_BORROWED, **_MATHS}
"""Kernels: loops over separate float32 arrays that do not overlap."""

LOOP_WITH_ROOM = {**_KERNEL, "_nrt": True, **_MATHS}  # named, since who calls a loop passes it on
"""The same for kernels that make arrays of their own."""

PART = {**LOOP_WITH_ROOM, "cache": False}
"""Loops that a kernel calls for a run of points at a time."""

PASS = {**LOOP, "cache": False}
"""Those of them that make no arrays of their own and take tuples of arrays: none of these is counted."""

RUN = 1024
"""Points a run: what several passes go over stays in the processor's nearest cache."""

EXACT_INLINE = {"forceinline": True, **_BORROWED, "error_model": "numpy"}
"""Helpers whose every rounding must be the reference's."""

EXACT = {**_KERNEL, "error_model": "numpy"}
"""Kernels whose every rounding must be the reference's."""
