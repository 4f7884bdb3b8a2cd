"""Long work as a generator: it says what it does and how far it is, and returns what it made."""

from __future__ import annotations

from collections.abc import Callable, Generator
from concurrent.futures import ThreadPoolExecutor, wait
from typing import Generic, NamedTuple, TypeVar

Made = TypeVar("Made")
LOOK = 0.1  # seconds between two looks at work on another thread


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


def within(steps: Steps[Made], low: float, high: float, what: str = "") -> Steps[Made]:
    """Steps as a part of longer work, from share `low` to `high`. what : said instead of their own words."""
    while True:
        try:
            step = next(steps)
        except StopIteration as done:
            return done.value  # type: ignore[no-any-return]
        yield Progress(what or step.what, low + (high - low) * step.share)


class Aside(Generic[Made]):
    """Steps that are taken on a thread of their own, from now on, while other work goes on."""

    def __init__(self, steps: Steps[Made]) -> None:
        self._steps, self._step = steps, Progress("", 0.0)
        self._closed = False
        self._pool = ThreadPoolExecutor(1)
        self._made = self._pool.submit(self._run)

    def _run(self) -> Made | None:
        while not self._closed:
            try:
                self._step = next(self._steps)
            except StopIteration as done:
                return done.value  # type: ignore[no-any-return]
        self._steps.close()
        return None

    def rest(self) -> Steps[Made]:
        """What is left of the steps, told now and then; raises what they raised, and returns what they made."""
        while not self._made.done():
            wait((self._made,), LOOK)
            yield self._step
        self.close()
        return self._made.result()  # type: ignore[return-value]

    def close(self) -> None:
        """Ends the steps where they are, if they go on still."""
        self._closed = True
        self._pool.shutdown()


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
