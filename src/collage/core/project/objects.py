"""Objects from mesh files: brought into the project as GLB, read again when their source has changed."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import platformdirs

from collage.core.base.errors import CollageError
from collage.core.base.progress import Progress, Steps
from collage.core.document.model import free_among
from collage.core.geometry.checks import REMEDIES, MeshRemark, mesh_remarks
from collage.core.geometry.files import BY_SUFFIX, guessed_unit
from collage.core.geometry.glb_write import write_glb
from collage.core.geometry.mesh import Mesh
from collage.core.project.folder import MESHES, slug
from collage.core.project.references import Reference, free_name, named, with_files
from collage.core.project.state import Project
from collage.core.scene.bench import Bench, BenchObject
from collage.core.scene.geometry import MeshFile, MeshReading, file_state

SPACE = 0.02  # metres between an object that is added and those that are there


@dataclass(frozen=True)
class Imported:
    """An object that was brought in, what is probably wrong with it, and the unit that would make it a usual size."""

    item: BenchObject
    mesh: Mesh
    remarks: tuple[MeshRemark, ...]
    unit: tuple[str, float] | None


def is_mesh(path: Path) -> bool:
    """Whether a file's ending says that it is a mesh."""
    return path.suffix.lower() in BY_SUFFIX


def unsaved_meshes() -> Path:
    """Where objects of projects lie that have no folder yet."""
    return Path(platformdirs.user_data_dir("collage")) / "objects"


def importing(
    path: Path,
    folder: Path | None,
    *,
    z_up: bool | None = None,
    metres: float = 1.0,
    smoothing: float | None = None,
    mends: Iterable[str] = (),
) -> Steps[Imported]:
    """Reads a mesh file and writes it into a project's folder, as steps. Raises CollageError; nothing is left then.

    folder : of the project; None before it has one. z_up : whether its z points up; None for what the format says.
    metres : of its unit. smoothing : degrees, None for the file's own normals. mends : kinds of remarks to mend.
    """
    kind = BY_SUFFIX.get(path.suffix.lower())
    up = z_up if z_up is not None else kind is not None and not kind.upright
    reading = MeshReading(file=path.absolute().as_posix(), z_up=up, metres=metres, mends=tuple(mends),
                          state=file_state(path))  # fmt: skip
    yield Progress(f"Reading {path.name}", 0.0)
    mesh = reading.mesh()
    yield Progress(f"Checking {path.name}", 0.5)
    remarks = tuple(mesh_remarks(mesh))
    yield Progress(f"Writing {path.name}", 0.7)
    place = folder / MESHES if folder is not None else unsaved_meshes()
    target = free_name(place / f"{slug(path.stem)}.glb")
    write_glb(mesh, target)
    stored = target.relative_to(folder).as_posix() if folder is not None else target.as_posix()
    geometry = MeshFile(reading=MeshReading(file=stored), source=reading, smoothing=smoothing)
    size = float((mesh.bounds[1] - mesh.bounds[0]).max())
    return Imported(BenchObject(name=path.stem, geometry=geometry), mesh, remarks, guessed_unit(size))


def placed_beside(bench: Bench, made: Imported, material: str = "") -> BenchObject:
    """An object as it is added to a bench: beside the others, on the ground, under a name of its own.

    bench : with the whole names of its files.
    """
    name = free_among(made.item.name, {item.name for item in bench.objects}, " ")
    low, high = (np.asarray(corner, float) for corner in made.mesh.bounds)
    right = _rightmost(bench)
    x = right + SPACE - low[0] if right is not None else -(low[0] + high[0]) / 2
    place = tuple(round(float(one), 6) + 0.0 for one in (x, -low[1], -(low[2] + high[2]) / 2))  # and no minus zero
    return made.item.model_copy(update={"name": name, "place": place, "material": material})


def _rightmost(bench: Bench) -> float | None:
    """How far to the right the objects reach; None where there are none."""
    reach = []
    for item in bench.objects:
        try:
            mesh = item.mesh()
        except CollageError:
            continue
        reach.append(float((mesh.positions @ item.matrix().astype(np.float32))[:, 0].max()) + item.place[0])
    return max(reach, default=None)


def dropped(item: BenchObject) -> BenchObject:
    """An object moved up or down until it stands on the ground. Raises CollageError."""
    lowest = float((item.mesh().positions @ item.matrix().astype(np.float32))[:, 1].min())
    return item.model_copy(update={"place": (item.place[0], -lowest, item.place[2])})


def reading_again(item: BenchObject, folder: Path, **changes: object) -> Steps[BenchObject]:
    """An object read from its source once more, its place and material kept. Raises CollageError.

    changes : of how it is read, as `mends` or `metres`.
    """
    geometry = item.geometry
    if not isinstance(geometry, MeshFile) or geometry.source is None:
        raise CollageError("It has no source to read again.", about=item.name)
    source = geometry.source.model_copy(update={**changes, "state": file_state(Path(geometry.source.file))})
    unknown = [one for one in source.mends if one not in REMEDIES]
    if unknown:
        raise CollageError(f"There is no remedy for “{unknown[0]}”.", about=item.name)
    yield Progress(f"Reading {Path(source.file).name}", 0.0)
    mesh = source.mesh()
    yield Progress(f"Writing {Path(geometry.reading.file).name}", 0.7)
    write_glb(mesh, folder / geometry.reading.file)
    return item.model_copy(update={"geometry": geometry.model_copy(update={"source": source})})


def has_changed(item: BenchObject) -> bool:
    """Whether the source of an object's mesh has been written to since it was read."""
    source = item.geometry.source if isinstance(item.geometry, MeshFile) else None
    return source is not None and source_state(item) not in ("", source.state)


def source_state(item: BenchObject) -> str:
    """The state on disk of the source of an object's mesh; empty where there is none."""
    source = item.geometry.source if isinstance(item.geometry, MeshFile) else None
    return "" if source is None else file_state(Path(source.file))


def brought_along(project: Project, folder: Path) -> Steps[Project]:
    """A project that gets its first folder: its objects' files come into that. Raises CollageError."""
    from collage.core.project.folder import copy_file

    root = unsaved_meshes().resolve()
    targets: dict[Path, Path] = {}
    for item in project.bench.objects:
        files = [Path(one.file) for one in item.uv_sets if one.file]
        if isinstance(item.geometry, MeshFile):
            files.append(Path(item.geometry.reading.file))
        for file in files:
            if file in targets or not (file.is_absolute() and file.resolve().is_relative_to(root)):
                continue
            targets[file] = free_name(folder / MESHES / file.name, set(targets.values()))
            yield Progress(f"Copying {file.name}", 0.5)
            copy_file(file, targets[file])

    def change(one: Reference) -> str:
        target = targets.get(Path(one.stored)) if one.is_mesh else None
        return one.stored if target is None else named(one, target, project, folder)

    return with_files(project, change, folder)
