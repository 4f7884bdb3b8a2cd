"""How times are taken and printed: the middle of several runs, each figure beside its baseline of the same run."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable


def median(work: Callable[[], object], runs: int = 7) -> float:
    """Seconds, the middle of several runs after one that is not counted."""
    work()
    times = []
    for _ in range(runs):
        begin = time.perf_counter()
        work()
        times.append(time.perf_counter() - begin)
    return statistics.median(times)


def row(what: str, value: str, against: str = "", ratio: float | None = None) -> None:
    print(f"{what:46} {value:>14}   {against:40} {'' if ratio is None else f'{ratio:8.2f} x'}")
