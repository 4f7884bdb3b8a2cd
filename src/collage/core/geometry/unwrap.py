"""Unwrapping by xatlas, in processes of its own: it holds Python's lock for all its time.

Charts are made for groups of pieces side by side, a process for each, and packed together.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.base.progress import Progress, Steps, within
from collage.core.geometry.islands import islands
from collage.core.geometry.mesh import Mesh
from collage.core.geometry.pack import PackOptions, packed
from collage.core.geometry.picking import smooth_runs
from collage.core.geometry.topology import connected, same_place

SECONDS, OF, POWER = 14.0, 50_000, 1.3  # measured: seconds for so many triangles, and how they grow with their number
MOST = 2_000_000  # triangles


@dataclass(frozen=True)
class UnwrapOptions(PackOptions):
    """angle : edges that bend by more degrees become seams; 180 leaves all seams to the unwrapper."""

    angle: float = 66.0


def estimate(triangles: int) -> float:
    """About how many seconds unwrapping so many triangles takes on one processor."""
    return float(SECONDS * (triangles / OF) ** POWER)


def unwrapped(mesh: Mesh, chosen: np.ndarray, options: UnwrapOptions) -> Steps[np.ndarray]:
    """UVs (3 t, 2) of the chosen triangles, (t,) bool, unwrapped and packed into the unit square, as steps.

    Other triangles get zeros. Stopping the steps stops the processes. Raises CollageError.
    """
    count = int(chosen.sum())
    if not count:
        raise CollageError("There is nothing to unwrap.", remedy="Choose an object or some of its faces.")
    if count > MOST:
        raise CollageError(f"{count:,} triangles are too many to unwrap; {MOST:,} are the most.",
                           remedy="Unwrap part by part.")  # fmt: skip
    run = smooth_runs(mesh, options.angle) if options.angle < 180 else np.zeros(len(mesh.triangles), np.int32)
    here = np.flatnonzero(chosen)
    vertices, places = _split(mesh, here, run)
    groups = _groups(connected(vertices, len(places)), os.cpu_count() or 1)
    expected = max(estimate(len(group)) for group in groups) + 0.2
    yield Progress("Unwrapping", 0.0)
    jobs = [{"positions": places, "triangles": vertices[group]} for group in groups]
    charts = np.zeros((len(here), 3, 2))
    for group, flat in zip(groups, (yield from _run(jobs, expected, 0.9)), strict=True):
        charts[group] = flat
    uv = np.zeros((3 * len(mesh.triangles), 2), np.float32)
    uv.reshape(-1, 3, 2)[here] = _right_way_round(mesh, here, charts)
    return (yield from within(packed(mesh, uv, chosen, options), 0.9, 1.0))


def _right_way_round(mesh: Mesh, here: np.ndarray, charts: np.ndarray) -> np.ndarray:
    """Charts (n, 3, 2) of which none is a mirror image."""
    island = islands(mesh.positions, mesh.triangles[here], charts.reshape(-1, 2).astype(np.float32))
    a, b = charts[:, 1] - charts[:, 0], charts[:, 2] - charts[:, 0]
    area = np.bincount(island, a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
    mirrored = (area < 0)[island]
    across = charts[..., 0].max()
    charts[mirrored, :, 0] = 2 * across + 1 - charts[mirrored, :, 0]  # beside all others
    return charts


def _split(mesh: Mesh, here: np.ndarray, run: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Triangles (n, 3) and positions (v, 3) in which no two smooth runs have a vertex in common."""
    weld = same_place(mesh.positions)[mesh.triangles[here]].ravel().astype(np.int64)
    rows = np.stack([weld, np.repeat(run[here], 3)], axis=1)
    unique, number = np.unique(rows, axis=0, return_inverse=True)
    return number.reshape(-1, 3).astype(np.uint32), mesh.positions[unique[:, 0]]


def _groups(piece: np.ndarray, count: int) -> list[np.ndarray]:
    """Triangles by groups of whole pieces, the groups about as large as each other."""
    sizes = np.bincount(piece)
    loads, of = [0] * min(count, len(sizes)), np.zeros(len(sizes), int)
    for one in np.argsort(-sizes, kind="stable"):
        least = loads.index(min(loads))
        of[one], loads[least] = least, loads[least] + int(sizes[one])
    return [np.flatnonzero(of[piece] == number) for number in range(len(loads))]


def _run(jobs: list[dict[str, Any]], expected: float, share: float) -> Steps[list[np.ndarray]]:
    """Does jobs side by side, each in a process; their results in the same order."""
    with tempfile.TemporaryDirectory(prefix="collage-uv-") as folder:
        running = []
        try:
            for number, job in enumerate(jobs):
                np.savez(Path(folder) / f"{number}.npz", **job)
                command = [sys.executable, "-m", "collage.core.geometry.unwrap", folder, str(number)]
                running.append(subprocess.Popen(command, stderr=subprocess.PIPE))
            begin = time.monotonic()
            while any(process.poll() is None for process in running):
                time.sleep(0.03)
                gone = time.monotonic() - begin
                yield Progress("Unwrapping", share * min(gone / expected, 0.97))
            for process in running:
                if process.returncode:
                    told = process.stderr.read().decode(errors="replace").strip() if process.stderr else ""
                    raise CollageError(f"The unwrapper failed: {told.splitlines()[-1] if told else 'it crashed'}.",
                                       remedy="Check the mesh for faces without area.")  # fmt: skip
            return [np.load(Path(folder) / f"{number}.out.npy") for number in range(len(jobs))]
        finally:
            for process in running:
                process.kill()
                with process:
                    pass


# ---- in the process ---------------------------------------------------------------------------


def _charts(positions: np.ndarray, triangles: np.ndarray) -> np.ndarray:
    """(t, 3, 2) charts at real scale, metres; they lie anywhere, but not over each other."""
    import xatlas

    size = float(np.linalg.norm(np.ptp(positions[np.unique(triangles)], axis=0)))
    scale = 1024 / max(size, 1e-9)
    used, index = np.unique(triangles, return_inverse=True)
    atlas = xatlas.Atlas()
    points = np.ascontiguousarray(positions[used] * scale, np.float32)  # it takes small triangles for none
    atlas.add_mesh(points, index.reshape(-1, 3).astype(np.uint32))
    options = xatlas.PackOptions()
    options.texels_per_unit = 1.0
    options.rotate_charts = False
    atlas.generate(pack_options=options)
    _, faces, uv = atlas.get_mesh(0)
    flat: np.ndarray = uv[faces].astype(np.float64) * (atlas.width, atlas.height) / scale
    return flat


def _main(folder: str, number: str) -> None:
    job = dict(np.load(Path(folder) / f"{number}.npz"))
    np.save(Path(folder) / f"{number}.out.npy", _charts(**job))


if __name__ == "__main__":
    _main(*sys.argv[1:])
