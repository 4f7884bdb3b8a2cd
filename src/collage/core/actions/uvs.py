"""What is done to the UV sets of objects; each act is one step of the history."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Literal

import numpy as np

from collage.core.actions.objects import change_object, object_of
from collage.core.actions.registry import act
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.base.progress import Steps
from collage.core.document.model import free_among
from collage.core.geometry import uv_layout as layout
from collage.core.geometry import uv_picking
from collage.core.geometry.islands import islands_of, measures_of, overlapping, quantiles
from collage.core.geometry.mesh import Mesh
from collage.core.geometry.pack import PackOptions, packed
from collage.core.geometry.unwrap import UnwrapOptions, unwrapped
from collage.core.project.uv_files import write_uv
from collage.core.scene.bench import Faces, faces_in
from collage.core.scene.geometry import UvSet

Change = Literal[
    "turn left", "turn right", "flip u", "flip v", "fit", "straighten", "stack", "even", "cut off",
    "align left", "align right", "align bottom", "align top",
]  # fmt: skip
Layout = Literal["plane", "box", "cylinder", "sphere", "flatten"]
LAYOUTS: tuple[Layout, ...] = ("plane", "box", "cylinder", "sphere", "flatten")


@dataclass(frozen=True, eq=False)
class UvChoice:
    """Some triangles of a UV set of an object: by islands, by faces or edges of it, or all.

    islands : their numbers; empty for all. faces : see Assigned; None for all. picked : (t,) bool, faces that were
    picked by hand. edges : (3 t,) bool, see `uv_picking`. What hangs on picked faces and edges moves with them.
    """

    object_name: str
    uv_set: str
    islands: tuple[int, ...] = ()
    faces: Faces | None = None
    picked: np.ndarray | None = None
    edges: np.ndarray | None = None

    def triangles(self, mesh: Mesh) -> np.ndarray:
        """(t,) bool. Raises CollageError where there are none."""
        chosen = np.ones(len(mesh.triangles), bool)
        if self.islands:
            chosen = np.isin(islands_of(mesh, self.uv_set), self.islands)
        if self.faces is not None:
            chosen &= faces_in(mesh, self.faces)
        if self.picked is not None:
            chosen &= self.picked
        if self.edges is not None:
            chosen &= uv_picking.beside(self.edges)
        if not chosen.any():
            raise CollageError("There are no such faces.", about=self.object_name, remedy="Choose others, or all.")
        return chosen

    def whole_islands(self, mesh: Mesh) -> np.ndarray:
        """(t,) bool: the islands of the triangles. Raises CollageError where there are none."""
        island = islands_of(mesh, self.uv_set)
        return np.isin(island, island[self.triangles(mesh)])

    def corners(self, mesh: Mesh) -> np.ndarray:
        """(3 t,) bool: what moves with it. Raises CollageError where there is nothing."""
        triangles = self.triangles(mesh)
        corners = np.repeat(triangles, 3) if self.edges is None else uv_picking.ends_of(self.edges)
        return uv_picking.with_shared(uv_picking.shared_corners(mesh, self.uv_set), corners)


def mesh_of(session: Session, choice: UvChoice) -> Mesh:
    """The mesh of an object, which has the UV set. Raises CollageError."""
    mesh = object_of(session.bench, choice.object_name).mesh()
    if choice.uv_set not in mesh.uv:
        names = ", ".join(mesh.uv) or "none yet"
        raise CollageError(f"There is no UV set “{choice.uv_set}”.", about=choice.object_name,
                           remedy=f"There are: {names}.")  # fmt: skip
    return mesh


def _sets(session: Session, object_name: str) -> list[UvSet]:
    """The UV sets of an object as they would be stored."""
    stored = object_of(session.project.bench, object_name).uv_sets
    return list(stored or object_of(session.bench, object_name).own_uv_sets())


def _store(session: Session, object_name: str, sets: Sequence[UvSet], label: str) -> None:
    change_object(session, label, object_name, lambda item: item.model_copy(update={"uv_sets": tuple(sets)}))


def put_uv(session: Session, choice: UvChoice, uv: np.ndarray, label: str) -> None:
    """Gives a UV set of an object other places, (3 t, 2). Raises CollageError."""
    file = write_uv(uv, session.folder, choice.object_name, choice.uv_set)
    sets = [
        one.model_copy(update={"file": file}) if one.name == choice.uv_set else one
        for one in _sets(session, choice.object_name)
    ]
    _store(session, choice.object_name, sets, label)


# ---- sets -------------------------------------------------------------------------------------


@act("uv.new", "New UV set", command="uv new")
def new_set(session: Session, object_name: str, name: str = "UV set", copy_of: str = "") -> str:
    """Adds a UV set to an object, laid out by its box or a copy of another one; its name. Raises CollageError."""
    mesh = object_of(session.bench, object_name).mesh()
    sets = _sets(session, object_name)
    free = free_among(name.strip() or "UV set", {one.name for one in sets}, " ")
    if copy_of:
        source = next((one for one in sets if one.name == copy_of), None)
        if source is None:
            raise CollageError(f"There is no UV set “{copy_of}”.", about=object_name)
        made = source.model_copy(update={"name": free})
    else:
        empty = np.zeros((3 * len(mesh.triangles), 2), np.float32)
        uv = layout.projected(mesh, empty, np.ones(len(mesh.triangles), bool), "box")
        made = UvSet(name=free, file=write_uv(uv, session.folder, object_name, free))
    _store(session, object_name, [*sets, made], f"New UV set {free}")
    return free


@act("uv.remove", "Delete UV set", command="uv remove")
def remove_set(session: Session, object_name: str, name: str) -> None:
    """Deletes a UV set of an object; the last one stays. Raises CollageError."""
    sets = _sets(session, object_name)
    left = [one for one in sets if one.name != name]
    if len(left) == len(sets):
        raise CollageError(f"There is no UV set “{name}”.", about=object_name)
    if not left:
        raise CollageError("The last UV set cannot be deleted.", about=object_name, remedy="Add another one first.")
    _store(session, object_name, left, f"Delete UV set {name}")


@act("uv.rename", "Rename UV set", command="uv rename")
def rename_set(session: Session, object_name: str, name: str, new: str) -> None:
    """Gives a UV set another name; maps that use it by name are not changed. Raises CollageError."""
    sets = _sets(session, object_name)
    if name not in {one.name for one in sets}:
        raise CollageError(f"There is no UV set “{name}”.", about=object_name)
    free = free_among(new.strip() or name, {one.name for one in sets} - {name}, " ")
    renamed = [one.model_copy(update={"name": free}) if one.name == name else one for one in sets]
    _store(session, object_name, renamed, f"Rename UV set {name}")


# ---- layout -----------------------------------------------------------------------------------


@act("uv.change", "Change UVs", command="uv change")
def change_uv(session: Session, choice: UvChoice, change: Change) -> None:
    """Turns, flips, fits, straightens, aligns, stacks, evens or cuts off what is chosen. Raises CollageError.

    Straightening, stacking and evening are for whole islands. Edges are aligned corner by corner, so that they come to
    lie on one line; islands as they are.
    """
    mesh = mesh_of(session, choice)
    uv, corners, island = mesh.uv[choice.uv_set], choice.corners(mesh), islands_of(mesh, choice.uv_set)
    whole = choice.whole_islands(mesh)
    ways: dict[str, Callable[[], np.ndarray]] = {
        "turn left": lambda: layout.turned(uv, corners, 90),
        "turn right": lambda: layout.turned(uv, corners, -90),
        "flip u": lambda: layout.scaled(uv, corners, -1, 1),
        "flip v": lambda: layout.scaled(uv, corners, 1, -1),
        "fit": lambda: layout.fitted(uv, corners),
        "straighten": lambda: layout.straightened(uv, whole, island, choice.edges),
        "stack": lambda: layout.stacked(mesh, uv, whole, island),
        "even": lambda: layout.evened(mesh, uv, whole, island),
        "cut off": lambda: layout.cut_off(uv, choice.triangles(mesh)),
    }
    sides: tuple[layout.Side, ...] = ("left", "right", "bottom", "top")
    for side in sides:
        one = partial(layout.aligned, uv, whole, island, side)
        ways[f"align {side}"] = one if choice.edges is None else partial(layout.lined_up, uv, corners, side)
    if change not in ways:
        raise CollageError(f"There is no “{change}”.", remedy=f"Choose one of {', '.join(ways)}.")
    put_uv(session, choice, ways[change](), f"{change.capitalize()} UVs")


@act("uv.move", "Move UVs", command="uv move")
def move_uv(
    session: Session, choice: UvChoice, u: float = 0.0, v: float = 0.0, turn: float = 0.0, scale: float = 1.0
) -> None:
    """Moves what is chosen, turns and scales it about its middle. Raises CollageError.

    u, v : in tiles. turn : degrees, counter-clockwise.
    """
    mesh = mesh_of(session, choice)
    chosen = choice.corners(mesh)
    uv = layout.scaled(layout.turned(mesh.uv[choice.uv_set], chosen, turn), chosen, scale, scale)
    put_uv(session, choice, layout.changed(uv, chosen, np.eye(2), np.zeros(2), np.array([u, v])), "Move UVs")


@act("uv.project", "Lay out UVs", command="uv project")
def project_uv(session: Session, choice: UvChoice, kind: Layout, axes: np.ndarray | None = None) -> None:
    """Lays faces out by a plane, box, cylinder or sphere, or flat at real scale without turning. Raises CollageError.

    axes : (3, 3) right, up and towards the eye in the object's space, as of a view; its own if left out.
    """
    if kind not in LAYOUTS:
        raise CollageError(f"There is no layout “{kind}”.", remedy=f"Choose one of {', '.join(LAYOUTS)}.")
    mesh = mesh_of(session, choice)
    uv, chosen = mesh.uv[choice.uv_set], choice.triangles(mesh)
    made = layout.flattened(mesh, uv, chosen) if kind == "flatten" else layout.projected(mesh, uv, chosen, kind, axes)
    put_uv(session, choice, made, f"Lay out UVs: {kind}")


@act("uv.unwrap", "Unwrap", command="uv unwrap")
def unwrap_uv(session: Session, choice: UvChoice, options: UnwrapOptions) -> Steps[np.ndarray]:
    """Unwraps faces by itself and packs them, as steps; give what they make to `put_uv`. Raises CollageError."""
    mesh = mesh_of(session, choice)
    chosen = choice.triangles(mesh)
    return _merged(mesh.uv[choice.uv_set], chosen, unwrapped(mesh, chosen, options))


@act("uv.pack", "Pack", command="uv pack")
def pack_uv(session: Session, choice: UvChoice, options: PackOptions) -> Steps[np.ndarray]:
    """Packs islands into the unit square, as steps; give what they make to `put_uv`. Raises CollageError."""
    mesh = mesh_of(session, choice)
    return packed(mesh, mesh.uv[choice.uv_set], choice.whole_islands(mesh), options)


def _merged(uv: np.ndarray, chosen: np.ndarray, steps: Steps[np.ndarray]) -> Steps[np.ndarray]:
    """What is not chosen stays as it was."""
    made = yield from steps
    return np.where(np.repeat(chosen, 3)[:, None], made, uv)


# ---- measuring --------------------------------------------------------------------------------


@dataclass(frozen=True)
class UvReport:
    """What is said of a UV set. density : texels per metre at 1024 texels a tile: mean, least and most (of nineteen
    twentieths). stretch : L2, 1 at best. overlap : share of the layout that is covered twice."""

    islands: int
    density: tuple[float, float, float]
    stretch: float
    flipped: int
    overlap: float


def report_of(session: Session, choice: UvChoice, size: int = 1024) -> UvReport:
    """Measures a UV set. Raises CollageError."""
    mesh = mesh_of(session, choice)
    found = measures_of(mesh, choice.uv_set)
    low, high = (float(one) for one in quantiles(found.density, found.area, (0.05, 0.95)))
    _, overlap = overlapping(mesh.uv[choice.uv_set], size)
    count = int(islands_of(mesh, choice.uv_set).max(initial=-1)) + 1
    densities = found.mean_density * size, low * size, high * size
    return UvReport(count, densities, found.mean_stretch, int(found.flipped.sum()), overlap)
