"""Draws the cases that drawn.npz does not have yet by the reference. Run by `make reference`; needs Xvfb."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import zlib
from pathlib import Path

import numpy as np

HERE = Path(__file__).parent
sys.path.insert(0, str(HERE))

from cases import SIZE, cases, write_pictures

from collage.core.nodes.library import load_library


def draw(folders: list[Path]) -> None:
    """Draws all documents of some folders, each by a process of its own."""
    command = ["xvfb-run", "-a", sys.executable, str(HERE / "draw.py"), str(SIZE)]
    running = [subprocess.Popen([*command, str(folder)]) for folder in folders]
    if any(one.wait() for one in running):
        raise SystemExit("The reference could not be drawn.")


def main() -> None:
    texts = dict(cases(load_library()))
    kept: dict[str, np.ndarray] = {}
    if (HERE / "drawn.npz").exists():
        with np.load(HERE / "drawn.npz") as drawn:
            kept = {key: drawn[key] for key in drawn.files if key.split("|")[2] == _mark(texts.get(key.split("|")[0]))}
    known = {key.split("|")[0] for key in kept}
    missing = {name: text for name, text in texts.items() if name not in known}
    with tempfile.TemporaryDirectory() as place:
        folders = [Path(place) / str(number) for number in range(os.cpu_count() or 1)]
        for folder in folders:
            folder.mkdir()
            write_pictures(folder)
        for number, (name, text) in enumerate(missing.items()):
            (folders[number % len(folders)] / f"{name}.mtlx").write_text(text)
        draw(folders)
        for number, (name, text) in enumerate(missing.items()):
            with np.load(folders[number % len(folders)] / f"{name}.npz") as drawn:
                kept |= {f"{name}|{output}|{_mark(text)}": values for output, values in drawn.items()}
    np.savez_compressed(HERE / "drawn.npz", **kept)
    print(f"{len(texts)} cases, {len(missing)} drawn anew, {len(kept)} outputs")


def _mark(text: str | None) -> str:
    """Changes when the case does."""
    return str(zlib.crc32(text.encode())) if text is not None else ""


if __name__ == "__main__":
    main()
