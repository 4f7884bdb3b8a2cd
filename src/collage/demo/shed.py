"""The samples: whole projects that are written into a folder, maps and all."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from collage.core.base.errors import CollageError
from collage.core.base.progress import Progress, Steps
from collage.core.images.files import write_image
from collage.core.project.folder import is_project, save_project
from collage.core.project.fresh import ball_project
from collage.core.project.state import Project
from collage.core.scene.bench import AreaLight, Bench, BenchObject, Camera, Environment, stock
from collage.demo.maps import MapSet, bench_wood, celadon, studio, terracotta
from collage.demo.potting_bench import potting_bench_steps
from collage.demo.sets import celadon_glaze, lime_bloomed_clay, weathered_bench, write_set

# ---- the samples --------------------------------------------------------------------------------
from collage.demo.weathered import ON_POT, SHED, weathered_steps
from collage.demo.yard import yard_steps


def potting_shed_bench() -> Bench:
    return Bench(
        objects=(
            stock("Pot", "pot", place=(0.0, 0.0365, 0.0), turn=20, material="Lime-bloomed clay"),
            stock("Saucer", "saucer", place=(0.0, 0.03, 0.0), material="Celadon glaze"),
            BenchObject(
                name="Bench board",
                shape="rounded box",
                sizes={"width": 0.62, "height": 0.03, "depth": 0.34, "bevel": 0.004, "divisions": 12},
                place=(0.0, 0.0, 0.0),
                turn=-6,
                material="Weathered bench",
            ),
        ),
        lights=(AreaLight(name="Window", colour=(1.0, 0.94, 0.86), strength=4.0, height=38, turn=-58, distance=0.95,
                          width=0.5, length=0.6),),
        environment=Environment(file="environments/studio.exr", strength=0.85),
        camera=Camera(turn=14, height=15, distance=0.72, target=(0.0, 0.1, 0.0), field=27),
    )  # fmt: skip


def _potting_shed(folder: Path) -> Steps[None]:
    sets: list[tuple[str, Callable[[], MapSet]]] = [
        ("terracotta", terracotta),
        ("celadon", celadon),
        ("bench_wood", bench_wood),
    ]
    for done, (name, make) in enumerate(sets):
        yield Progress(f"Making the map set {name.replace('_', ' ')}", done / 5)
        write_set(folder, name, make())
    yield Progress("Making the studio", 0.7)
    write_image(folder / "environments" / "studio.exr", studio(), bits=16)
    yield Progress("Writing the project", 0.95)
    project = Project(
        "Larkmere potting shed",
        {
            "Lime-bloomed clay": lime_bloomed_clay(),
            "Celadon glaze": celadon_glaze(),
            "Weathered bench": weathered_bench(),
        },
        potting_shed_bench(),
    )
    save_project(project, folder)


def _plain_ball(folder: Path) -> Steps[None]:
    yield Progress("Making the studio", 0.2)
    write_image(folder / "environments" / "studio.exr", studio(), bits=16)
    project = ball_project()
    environment = Environment(file="environments/studio.exr", strength=0.7)
    save_project(project.with_bench(project.bench.model_copy(update={"environment": environment})), folder)


_MAKERS: dict[str, Callable[[Path], Steps[None]]] = {
    "weathered-shed": partial(weathered_steps, sample=_potting_shed, worn=SHED, stuck=ON_POT),
    "potting-shed": _potting_shed,
    "potting-bench": potting_bench_steps,
    "yard": yard_steps,
    "weathered-yard": weathered_steps,
    "plain-ball": _plain_ball,
}


def sample_steps(name: str, folder: Path) -> Steps[None]:
    """Writes a sample project into a folder that must not hold one yet, step by step: what, and how far (0 to 1).

    Raises CollageError.
    """
    if name not in _MAKERS:
        raise CollageError(f"There is no sample “{name}”.", remedy=f"Choose one of {', '.join(_MAKERS)}.")
    if is_project(folder):
        raise CollageError(
            "The folder already holds a project.", about=folder.name, remedy="Choose an empty or new folder."
        )
    yield from _MAKERS[name](folder)


def make_sample(name: str, folder: Path, progress: Callable[[str, float], None] | None = None) -> None:
    """Writes a sample project in one go. Raises CollageError."""
    for text, share in sample_steps(name, folder):
        if progress is not None:
            progress(text, share)
