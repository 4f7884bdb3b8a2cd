"""Times the standard's reference implementation on the same graphs; run under a display.

Arguments: a size in pixels and a folder of .mtlx files. For every name that comes in on a line, `NAME.mtlx` is
drawn several times, and the shortest time in seconds goes out on a line; `ready` comes first.
"""

from __future__ import annotations

import sys
import time
from pathlib import Path

import MaterialX as mx
import moderngl

sys.path.insert(0, str(Path(__file__).parent.parent / "tests" / "reference"))

from draw import Reference


def seconds(reference: Reference, runs: int = 7) -> float:
    """Time of one drawing, without reading it back."""

    def drawn() -> float:
        begin = time.perf_counter()
        reference.sheet.render(moderngl.TRIANGLE_STRIP)
        reference.gl.finish()
        return time.perf_counter() - begin

    reference.target.use()
    drawn()
    return min(drawn() for _ in range(runs))


def main(size: int, folder: Path) -> None:
    reference = Reference(size, folder, levels=True)
    print("ready", flush=True)
    for line in sys.stdin:
        document = mx.createDocument()
        mx.readFromXmlFile(document, str(folder / f"{line.strip()}.mtlx"))
        document.setDataLibrary(reference.library)
        reference.prepare(document.getNodeGraph("g").getOutput("out"))
        print(seconds(reference), flush=True)


if __name__ == "__main__":
    main(int(sys.argv[1]), Path(sys.argv[2]))
