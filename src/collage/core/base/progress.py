"""Long work as a generator: it says what it does and how far it is, and returns what it made."""

from __future__ import annotations

from collections.abc import Callable, Generator
from typing import NamedTuple, TypeVar

Made = TypeVar("Made")


class Progress(NamedTuple):
    """What long work is doing, and how much of all of it is done, 0 to 1."""

    what: str
    share: float


Steps = Generator[Progress, None, Made]
"""Long work: yields its progress, and can be closed between two yields."""


def finished(steps: Steps[Made], tell: Callable[[str, float], object] = lambda _what, _share: None) -> Made:
    """What the work makes, in one go; each step is told."""
    while True:
        try:
            step = next(steps)
        except StopIteration as done:
            return done.value  # type: ignore[no-any-return]
        tell(*step)


def remaining(elapsed: float, share: float) -> str:
    """How long work still takes, in words; empty while it is too early to tell, or nearly over.

    elapsed : seconds so far. share : of the work that is done, 0 to 1.
    """
    if elapsed < 1.0 or share < 0.05:
        return ""
    left = elapsed * (1 - share) / share
    if left < 2:
        return ""
    return f"{left:.0f} s left" if left < 90 else f"{left / 60:.0f} min left"
