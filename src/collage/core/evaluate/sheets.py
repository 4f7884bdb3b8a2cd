"""Evaluates the nodegraphs of a document on the flat sheet, and writes each output to a float EXR."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.document.materialx import read_document
from collage.core.document.model import Network
from collage.core.document.types import CHANNELS
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import Workers, run
from collage.core.geometry.points import Points, sheet
from collage.core.images.files import write_image
from collage.core.images.store import ImageStore
from collage.core.nodes.library import Library


@dataclass(frozen=True)
class GraphDone:
    """What became of one nodegraph: the files written, or why there are none; share: how far all is."""

    name: str
    files: tuple[Path, ...]
    error: CollageError | None
    share: float


def evaluate_graphs(
    library: Library, file: Path, width: int, height: int, out_dir: Path, only: Sequence[str] | None = None
) -> Iterator[GraphDone]:
    """Writes `<nodegraph>.<output>.exr` for every output of the document's nodegraphs.

    A graph that cannot be evaluated is told in its GraphDone; the others go on.
    """
    document = read_document(file)
    names = [
        name
        for name, card in document.cards.items()
        if card.network is not None and "nodedef" not in card.attributes and (only is None or name in only)
    ]
    for missing in set(only or ()) - set(names):
        yield GraphDone(missing, (), CollageError(f"There is no nodegraph “{missing}”."), 0.0)
    points, images, workers = sheet(width, height), ImageStore(), Workers()
    try:
        for done, name in enumerate(names, start=1):
            files: list[Path] = []
            error: CollageError | None = None
            try:
                for output, value in graph_values(library, document, name, points, file.parent, images, workers):
                    path = out_dir / f"{name}.{output}.exr"
                    write_image(path, value.reshape(len(value), height, width).transpose(1, 2, 0))
                    files.append(path)
            except CollageError as problem:
                error = problem
            yield GraphDone(name, tuple(files), error, done / len(names))
    finally:
        workers.close()


def graph_values(
    library: Library,
    document: Network,
    name: str,
    points: Points,
    folder: Path,
    images: ImageStore,
    workers: Workers,
) -> Iterator[tuple[str, np.ndarray]]:
    """Every numeric output of a nodegraph as (k, n) float32, k up to 4.

    Raises CollageError with the first problem, after all that could be computed.
    """
    card = document.cards[name]
    inner = card.network
    assert inner is not None
    no_picture = [out for out in inner.outputs.values() if CHANNELS.get(out.type, 9) > 4]
    wanted = [out.name for out in inner.outputs.values() if out not in no_picture]
    problems: list[CollageError] = []

    def values(outputs: Sequence[str]) -> dict[str, np.ndarray]:
        part = replace(inner, outputs={output: inner.outputs[output] for output in outputs})
        alone = document.with_card(replace(card, network=part))
        targets = {output: CardOutput(name, output) for output in outputs}
        plan = build_plan(library, alone, targets, folder=folder, images=images, filtered=False, strict=True)
        try:
            return run(plan, points, workers=workers)
        except (MemoryError, ValueError, TypeError, IndexError) as error:
            raise CollageError(f"The graph cannot be computed: {error}.", about=name) from error

    try:
        results = values(wanted)
    except CollageError as problem:
        problems.append(problem)
        results = {}
        for output in wanted if len(wanted) > 1 else []:  # the others may do
            try:
                results |= values([output])
            except CollageError:
                continue
    for output, value in results.items():
        numbers = np.asarray(value, np.float32)
        yield output, np.ascontiguousarray(np.broadcast_to(numbers, (len(numbers), points.count)))
    for out in no_picture:
        problems.append(CollageError(f"“{out.name}” puts out a {out.type}, which is no picture."))
    if problems:
        raise problems[0]
