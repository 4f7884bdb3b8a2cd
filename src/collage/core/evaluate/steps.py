"""What plans are made of: steps, and what they read."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np

from collage.core.images.store import ImageRef

Shift = tuple[int, ...]
"""The small steps taken from the points: () none, (0,) along u, (1,) along v, and so on nested."""


@dataclass(frozen=True, eq=False)
class Const:
    """A value that is the same everywhere: (k, 1), or a text or image for inputs of such a type."""

    value: Any
    type: str

    @cached_property
    def key(self) -> str:
        """Equal for equal values; part of the names of results."""
        value = self.value
        if isinstance(value, np.ndarray):
            return f"{value.dtype.str}{value.shape}{value.tobytes().hex()}"
        if isinstance(value, ImageRef):
            return f"{value!r}{value.stamp}"
        return repr(value)


@dataclass(frozen=True)
class Ref:
    """The result of a step, or one of its several outputs."""

    key: str
    type: str
    output: str = ""

    @property
    def name(self) -> str:
        """The name under which its result is kept."""
        return f"{self.key}:{self.output}" if self.output else self.key


@dataclass(frozen=True)
class Neighbour(Ref):
    """The result of a step at the neighbouring pixel along u (axis 0) or v (axis 1)."""

    axis: int = 0


Source = Const | Ref


@dataclass(frozen=True, eq=False)
class Step:
    """One call of a function.

    keep : worth remembering, since it is what a card shows. spatial : the function looks at the points.
    """

    key: str
    function: Callable[..., Any]
    type: str
    shift: Shift
    sources: Mapping[str, Source | None]
    keep: bool
    spatial: bool

    @cached_property
    def constants(self) -> dict[str, Any]:
        """The inputs that are the same everywhere, and those that nothing is known of, as None."""
        return {name: getattr(one, "value", None) for name, one in self.sources.items() if not isinstance(one, Ref)}

    @cached_property
    def wired(self) -> dict[str, Ref]:
        """The inputs that are results of other steps."""
        return {name: one for name, one in self.sources.items() if isinstance(one, Ref)}


def upstream(sources: Iterable[Source], steps: Mapping[str, Step]) -> Iterator[Step]:
    """The steps that some results are made of, the nearest first. steps : all, by key."""
    waiting = deque(dict.fromkeys(one.key for one in sources if isinstance(one, Ref)))
    seen = set(waiting)
    while waiting:
        one = steps.get(waiting.popleft())
        if one is None:
            continue
        yield one
        for more in one.wired.values():
            if more.key not in seen:
                seen.add(more.key)
                waiting.append(more.key)
