"""Long work as a generator: it says what it does and how far it is, and returns what it made."""

from __future__ import annotations

from collections.abc import Callable, Generator
from typing import TypeVar

Made = TypeVar("Made")
Steps = Generator[tuple[str, float], None, Made]
"""Yields what is done and a share from 0 to 1."""


def finished(steps: Steps[Made], tell: Callable[[str, float], object] = lambda _text, _share: None) -> Made:
    """What the work makes, in one go; each step is told."""
    while True:
        try:
            step = next(steps)
        except StopIteration as done:
            return done.value  # type: ignore[no-any-return]
        tell(*step)
