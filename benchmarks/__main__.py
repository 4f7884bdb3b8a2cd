"""Measures and prints, each figure beside its baseline. Run by `make bench`."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np

from benchmarks import board, evaluator, gather, hand, maps, masks, objects, pictures, relief, starting, traced
from benchmarks.plain_noise import fractal3d
from benchmarks.timing import median, row
from collage.cli.shared import prepare_kernels
from collage.core.kernels.noise import fractal
from collage.demo.shed import make_sample

OCTAVES, POINTS, BLOCK = 8, 1 << 18, 1 << 14


def noise() -> None:
    place = np.random.default_rng(1).uniform(-50, 50, (3, POINTS)).astype(np.float32)
    pool = ThreadPoolExecutor(2)
    blocks = [np.ascontiguousarray(place[:, at : at + BLOCK]) for at in range(0, POINTS, BLOCK)]

    def spread(work: Callable[[np.ndarray], np.ndarray]) -> Callable[[], object]:
        return lambda: list(pool.map(work, blocks))

    ours = median(spread(lambda part: fractal(part, OCTAVES, 2.0, 0.5)))
    plain = median(spread(lambda part: fractal3d(part, OCTAVES, 2.0, 0.5)), 3)
    alone = median(lambda: [fractal(part, OCTAVES, 2.0, 0.5) for part in blocks])
    found = fractal(blocks[0], OCTAVES, 2.0, 0.5)[0]
    difference = np.abs(found - fractal3d(blocks[0], OCTAVES, 2.0, 0.5)).max()
    each = 1e9 / POINTS / OCTAVES
    row("fractal3d, 8 octaves, one thread", f"{alone * each:.2f} ns", "a point and octave")
    row(
        "fractal3d, 8 octaves, two threads",
        f"{ours * each:.2f} ns",
        f"NumPy, two threads {plain * each:.1f} ns",
        plain / ours,
    )
    row("  largest difference to NumPy", f"{difference:.1e}")
    row("  two threads against one", "", "", alone / ours)


def main() -> None:
    prepare_kernels()
    print(f"{os.cpu_count()} processors\n")
    noise()
    print()
    evaluator.measure()
    print()
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place) / "shed"
        make_sample("potting-shed", folder)
        pictures.measure(folder)
        print()
        hand.measure(folder)
        print()
        starting.start(folder)
        starting.first_compile()
    print()
    board.measure()
    print()
    gather.measure()
    print()
    maps.measure()
    print()
    objects.measure()
    print()
    with tempfile.TemporaryDirectory() as place:
        relief.measure(Path(place) / "yard")
        hand.measure_relief(Path(place) / "hand" / "yard")
        print()
        masks.measure(Path(place) / "weathered")
        print()
        traced.measure(Path(place) / "traced")


if __name__ == "__main__":
    main()
