"""What is done with baked maps: they become a material of the object that they were baked for."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path

from collage.core.actions.effects import below
from collage.core.actions.registry import act
from collage.core.actions.session import Session
from collage.core.actions.sets import names as names_of
from collage.core.bake.files import BakedFiles
from collage.core.bake.recipe import Bake
from collage.core.base.errors import CollageError
from collage.core.document.materials import new_material, surface_card
from collage.core.document.model import Network
from collage.core.document.relief import DISPLACED, without_relief
from collage.core.gather.build import BuildOptions, with_set
from collage.core.gather.project import plain_name
from collage.core.gather.sets import group
from collage.core.nodes.coordinates import choices, with_coordinates
from collage.core.nodes.masked import NORMALS
from collage.core.project.state import Project


def baked_folder(session: Session, bake: Bake) -> Path:
    """Where maps are written, if nobody says otherwise: maps/OBJECT of the project, or of the home without one."""
    return (session.folder or Path.home()) / "maps" / baked_stem(bake)


def baked_stem(bake: Bake) -> str:
    """What the names of the maps begin with."""
    return plain_name(bake.target).replace(" ", "_") or "baked"


@act("bake.wear", "Bake maps…", command="bake")
def wear_baked(session: Session, bake: Bake, made: BakedFiles) -> str:
    """A new material of the object with its baked normals in the place of its relief; one step. Returns its name.

    It is a copy of the object's own material, or of the source's where it has none. Raises CollageError.
    """
    if bake.space == "object":
        raise CollageError("A material reads normal maps in tangent space.", about=bake.target,
                           remedy="Bake them in tangent space.")  # fmt: skip
    objects = {item.name: number for number, item in enumerate(session.project.bench.objects)}
    if bake.target not in objects:
        raise CollageError("It is not on the bench any more; the maps are written.", about=bake.target)
    number = objects[bake.target]
    own = session.bench.objects[number]
    source = session.bench.objects[objects.get(bake.source, number)]
    before = session.project.materials.get(own.material or source.material) or new_material()
    material = _with_maps(session, _flat(before), own.mesh().uv, bake, made)
    name = session.project.free_material_name(f"{bake.target} baked")

    def change(project: Project) -> Project:
        return project.with_material(name, material).given_material(number, name)

    session.history.do(f"Bake {bake.target}", change)
    session.show_material(name)
    return name


def _flat(material: Network) -> Network:
    """A material without displacement, and with nothing wired to its normals."""
    flat = without_relief(material, (DISPLACED,))
    surface = surface_card(flat)
    if surface is None:
        return flat
    inputs = {name: one for name, one in surface.inputs.items() if name not in NORMALS}
    return flat.with_card(replace(surface, inputs=inputs))


def _with_maps(session: Session, material: Network, uv_sets: Iterable[str], bake: Bake, made: BakedFiles) -> Network:
    """A material with the set of baked maps, on the UV set that they were baked for."""
    sets = group(path.name for path in made.paths).sets
    if not sets:
        return material
    found = replace(sets[0], depth=made.depth)
    found, stored = names_of(session, found, made.paths[0].parent, copy=False)
    after, name = with_set(material, found, BuildOptions(relief="none"), stored, below(material))
    names = list(uv_sets)
    if bake.uv_set in names[1:]:
        index = names.index(bake.uv_set)
        choice = next(one for one in choices(names) if one.index == index)
        after = with_coordinates(session.library, after, name, choice)
    return after
