"""The evaluator beside the standard's reference implementation, on the same processor in the same run."""

from __future__ import annotations

import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from benchmarks.graphs import GRAPHS, write_picture
from collage.core.document.materialx import parse_document
from collage.core.evaluate.plan import CardOutput, Plan, build_plan
from collage.core.evaluate.run import Workers, run
from collage.core.geometry.points import sheet
from collage.core.images.store import ImageStore
from collage.core.nodes.library import Library, load_library

SIZE = 1024
POINTS = SIZE * SIZE
CHAIN_BYTES = POINTS * 4 * 6  # a colour in, a colour out


class Reference:
    """The reference in a process of its own; without a display it knows no times."""

    def __init__(self, folder: Path) -> None:
        self._process: subprocess.Popen[str] | None = None
        if shutil.which("xvfb-run") is None:
            return
        script = str(Path(__file__).parent / "reference.py")
        command = ["xvfb-run", "-a", sys.executable, script, str(SIZE), str(folder)]
        self._process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
        if self._answer() != "ready":
            self._process = None

    def _answer(self) -> str:
        assert self._process is not None
        assert self._process.stdout is not None
        return self._process.stdout.readline().strip()

    def seconds(self, name: str) -> float | None:
        if self._process is None:
            return None
        assert self._process.stdin is not None
        print(name, file=self._process.stdin, flush=True)
        return float(self._answer())

    def close(self) -> None:
        if self._process is not None:
            self._process.communicate(timeout=20)


def plan_of(library: Library, text: str, folder: Path, images: ImageStore) -> Plan:
    document = parse_document(text.encode())
    return build_plan(library, document, {"out": CardOutput("g", "out")}, folder=folder, images=images)


def seconds(plan: Plan, workers: Workers | None, runs: int = 7) -> float:
    points = sheet(SIZE, SIZE, filtered=True)
    run(plan, points, workers=workers)
    times = []
    for _ in range(runs):
        begin = time.perf_counter()
        run(plan, points, workers=workers)
        times.append(time.perf_counter() - begin)
    return min(times)


def copy_rate() -> float:
    """Bytes a second that two threads move in a plain copy, read and written."""
    import concurrent.futures

    halves = [(np.ones(1 << 24, np.float32), np.ones(1 << 24, np.float32)) for _ in range(2)]

    def copy(pair: tuple[np.ndarray, np.ndarray]) -> None:
        np.copyto(*pair)

    with concurrent.futures.ThreadPoolExecutor(2) as pool:
        times = []
        for _ in range(5):
            begin = time.perf_counter()
            list(pool.map(copy, halves))
            times.append(time.perf_counter() - begin)
    return 2 * sum(one.nbytes for one, _ in halves) / min(times)


def measure() -> None:
    print(f"{f'{SIZE} x {SIZE}, all processors':30}{'Collage':>12}{'reference':>12}{'ratio':>8}{'2 on 1 thread':>15}")
    library, images = load_library(), ImageStore()
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        write_picture(folder)
        for name, text in GRAPHS.items():
            (folder / f"{name}.mtlx").write_text(text)
        reference = Reference(folder)
        both, alone = Workers(), Workers(1)
        for name, text in GRAPHS.items():
            plan = plan_of(library, text, folder, images)
            theirs, ours = reference.seconds(name), seconds(plan, both)
            one = seconds(plan, alone, 3)
            if theirs is not None:  # once more, the other way round: the processor may be disturbed
                ours, theirs = min(ours, seconds(plan, both)), min(theirs, reference.seconds(name) or theirs)
            drawn = f"{POINTS / theirs / 1e6:.1f}" if theirs else "-"
            ratio = f"{theirs / ours:.2f}" if theirs else "-"
            print(f"{name:30}{POINTS / ours / 1e6:12.1f}{drawn:>12}{ratio:>8}{one / ours:15.2f}", flush=True)
            if name == "ten cards of arithmetic":
                share = CHAIN_BYTES / ours / copy_rate()
                print(f"  its share of the memory's speed: {share:.0%}")
        reference.close()
        both.close()
        alone.close()
    print("(million points a second)")


if __name__ == "__main__":
    measure()
