"""The bench: the objects, lights and camera that a material is looked at on. Immutable, and saved as JSON."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import Any, Literal

import numpy as np
from pydantic import Field, model_validator

from collage.core.base.frozen import Frozen
from collage.core.geometry.mesh import Mesh
from collage.core.geometry.rotations import rotation
from collage.core.scene.cameras import Camera
from collage.core.scene.daylight import Daylight
from collage.core.scene.directions import Triple
from collage.core.scene.geometry import (
    FaceSet,
    GeometrySource,
    StockShape,
    UvSet,
    misfits,
    with_face_sets,
    with_held_uv,
    with_uv_sets,
)
from collage.core.scene.lights import AreaLight, DistantLight, Light

__all__ = ["AreaLight", "Bench", "BenchObject", "Camera", "DistantLight", "Environment", "Light", "stock"]


Faces = tuple[Literal["part", "slot", "piece", "set"], str, int]
"""Some faces of an object: of a part, slot or set of picked ones by its name, or of a connected piece by its number."""


class Assigned(Frozen):
    """A material for some faces of an object.

    by : what they are told by. name : of the part, slot or set, by which it is found when the mesh is read again.
    number : of the connected piece.
    """

    by: Literal["part", "slot", "piece", "set"]
    name: str = ""
    number: int = 0
    material: str = ""

    @property
    def told_by(self) -> Faces:
        """What it is for, whatever the material."""
        return (self.by, "", self.number) if self.by == "piece" else (self.by, self.name, 0)

    def faces(self, mesh: Mesh) -> np.ndarray:
        """(t,) bool: the triangles that it is for."""
        return faces_in(mesh, self.told_by)


def faces_in(mesh: Mesh, faces: Faces) -> np.ndarray:
    """(t,) bool: the triangles of some faces; none of those that the mesh has not."""
    by, wanted, number = faces
    part, piece, slot = mesh.ids
    if by == "piece":
        return np.asarray(piece == number)
    if by == "set":
        return mesh.sets.get(wanted, np.zeros(len(mesh.triangles), bool))
    names, ids = (mesh.part_names, part) if by == "part" else (mesh.slot_names, slot)
    return np.isin(ids, [at for at, name in enumerate(names) if name == wanted])


def groups_of(mesh: Mesh, by: Literal["part", "slot", "piece", "set"]) -> list[Faces]:
    """All parts, slots, connected pieces or sets of picked faces of a mesh."""
    if by == "piece":
        return [("piece", "", number) for number in range(int(mesh.ids[1].max(initial=0)) + 1)]
    names = {"part": mesh.part_names, "slot": mesh.slot_names, "set": tuple(mesh.sets)}[by]
    return [(by, name, 0) for name in dict.fromkeys(names)]


class Division(Frozen):
    """How finely an object is divided where it is displaced.

    level : how often each face is divided; None where the height asks for it. smooth : whether the shape is rounded on
    the way. crease : degrees between two faces from which on their edge stays sharp even so. hold_borders : whether
    open borders stay where they are. detail : metres, of the finest forms that move the surface; what is finer is seen
    in the light alone. None for as fine as the edges can carry. by_view : whether, where no level is given, edges are
    halved as far as the picture shows it: near the camera more often.
    """

    level: int | None = Field(None, ge=0, le=8)
    smooth: bool = False
    crease: float = Field(40.0, ge=0, le=180)
    hold_borders: bool = False
    detail: float | None = Field(None, gt=0, le=100)
    by_view: bool = False


class BenchObject(Frozen):
    """An object on the bench, and the material assigned to it; to some of its faces others. The last one counts."""

    name: str
    geometry: GeometrySource = StockShape()
    place: Triple = (0.0, 0.0, 0.0)
    turn: float = 0.0  # degrees about the upright axis
    tilt: float = 0.0  # degrees about the axis to its right, before it is turned
    roll: float = 0.0  # degrees about the axis towards its front, before it is tilted
    scale: float = Field(1.0, gt=0)
    material: str = ""
    assigned: tuple[Assigned, ...] = ()
    hidden: bool = False
    hidden_faces: tuple[Faces, ...] = ()
    locked: bool = False  # is not picked or moved in the picture
    face_sets: tuple[FaceSet, ...] = ()
    uv_sets: tuple[UvSet, ...] = ()  # in the place of the mesh's own, where any is new, changed or renamed
    division: Division = Division()  # where a material displaces it

    @model_validator(mode="before")
    @classmethod
    def _stock_shape(cls, values: Any) -> Any:
        """A stock shape may be given by its name alone, as projects of version 1 did."""
        if isinstance(values, dict) and "shape" in values:
            values = dict(values)
            source = {"kind": "stock", "shape": values.pop("shape"), "sizes": values.pop("sizes", {})}
            values.setdefault("geometry", source)
        return values

    def matrix(self) -> np.ndarray:
        """(3, 3) rotation for row vectors: world = object @ matrix + place."""
        return rotation(self.turn, self.tilt, self.roll)

    def mesh(self) -> Mesh:
        """The mesh in the object's own space, as large as it is on the bench. Raises CollageError."""
        made = self.geometry.mesh()
        if any(one.held is not None for one in self.uv_sets):
            made = with_held_uv(made, self.uv_sets)
        elif self.uv_sets:
            made = with_uv_sets(made, self.uv_sets)
        if self.face_sets:
            made = with_face_sets(made, self.face_sets)
        return made if self.scale == 1 else _scaled(made, self.scale)

    def own_uv_sets(self) -> tuple[UvSet, ...]:
        """Its UV sets as they are stored, or would be. Raises CollageError."""
        return self.uv_sets or tuple(UvSet(name=name, of=name) for name in self.geometry.mesh().uv)

    def misfits(self) -> tuple[str, ...]:
        """Names of what of it was made for another mesh, and is left out. Raises CollageError."""
        if not (self.uv_sets or self.face_sets):
            return ()
        return misfits(self.geometry.mesh(), self.uv_sets, self.face_sets)

    def in_folder(self, folder: Path) -> BenchObject:
        """The same with whole names of its files, which are relative to a project's folder."""
        whole = folder.absolute()
        sets = tuple(
            one.model_copy(update={"file": (whole / one.file).as_posix()}) if one.file else one for one in self.uv_sets
        )
        return self.model_copy(update={"geometry": self.geometry.in_folder(folder), "uv_sets": sets})

    @property
    def materials(self) -> tuple[str, ...]:
        """The materials on it, each once; its own first."""
        return tuple(dict.fromkeys((self.material, *(one.material for one in self.assigned))))

    def material_of(self, rule: int) -> str:
        """The material by the number of the rule in `assigned`; its own for -1."""
        return self.material if rule < 0 else self.assigned[rule].material

    def material_on(self, faces: Faces) -> str:
        """The material assigned to just these faces; empty where they have the object's own."""
        return next((one.material for one in self.assigned if one.told_by == faces), "")

    def with_material(self, material: str, faces: Faces | None = None) -> BenchObject:
        """With another material, or with one for some faces; see `Assigned.told_by`. An empty one is taken off them."""
        if faces is None:
            return self.model_copy(update={"material": material})
        others = tuple(one for one in self.assigned if one.told_by != faces)
        more = (Assigned(by=faces[0], name=faces[1], number=faces[2], material=material),) if material else ()
        return self.model_copy(update={"assigned": (*others, *more)})

    def with_renamed(self, old: str, new: str) -> BenchObject:
        """With a material's new name in the place of its old one."""
        if old not in self.materials:
            return self
        assigned = tuple(
            one.model_copy(update={"material": new}) if one.material == old else one for one in self.assigned
        )
        return self.model_copy(
            update={"material": new if self.material == old else self.material, "assigned": assigned}
        )

    def unseen(self, mesh: Mesh) -> np.ndarray:
        """(t,) bool: the triangles of its mesh that are hidden."""
        out = np.zeros(len(mesh.triangles), bool)
        for faces in self.hidden_faces:
            out |= faces_in(mesh, faces)
        return out

    @property
    def key(self) -> str:
        """Names all that points on the object can tell of it: not its materials."""
        places = "".join(str(one.told_by) for one in self.assigned)
        sets = "".join(f"{one!r}" for one in (*self.uv_sets, *self.face_sets))
        return f"{self.name!r} {sets} {places} {self.shape_key}"

    @property
    def shape_key(self) -> str:
        """Names all that decides where rays meet it."""
        stands = f"{self.place} {self.turn} {self.tilt} {self.roll} {self.scale}"
        picked = f"{self.face_sets!r}" if self.hidden_faces else ""
        return f"{self.geometry.key} {stands} {self.hidden} {self.hidden_faces} {picked}"


@lru_cache(maxsize=64)
def _scaled(mesh: Mesh, scale: float) -> Mesh:
    return replace(mesh, positions=mesh.positions * np.float32(scale))


def stock(name: str, shape: str, *, sizes: dict[str, float] | None = None, **fields: Any) -> BenchObject:
    """An object with a stock shape."""
    return BenchObject(name=name, geometry=StockShape(shape=shape, sizes=sizes or {}), **fields)


Behind = Literal["plain", "sharp", "blurred", "none"]
UNBALANCED: Triple = (1.0, 1.0, 1.0)


class Environment(Frozen):
    """The picture all around that lights the bench."""

    file: str = ""  # relative to the project; empty is an even grey
    daylight: Daylight | None = None  # in the place of the file
    on: bool = True
    turn: float = 0.0  # degrees
    strength: float = Field(1.0, ge=0)
    behind: Behind = "plain"  # the objects
    balance: Triple = UNBALANCED  # by which its light is multiplied


class SavedView(Frozen):
    """A camera to come back to."""

    name: str
    camera: Camera


ENVIRONMENT = -1  # the number that stands for the environment among the lights
GRAZING_AROUND = 0.25  # of the environment's strength is left in grazing light


class Bench(Frozen):
    """Everything a picture needs besides the materials."""

    objects: tuple[BenchObject, ...] = ()
    lights: tuple[Light, ...] = ()
    environment: Environment = Environment()
    camera: Camera = Camera()
    ground: bool = True
    exposure: float = Field(0.0, ge=-64, le=64)  # stops
    view_transform: Literal["neutral", "srgb"] = "neutral"
    loud: Triple = (1.0, 0.05, 0.6)  # linear colour of what is missing
    surround: float = Field(0.48, ge=0, le=1)  # grey behind the object, as shown (0 to 1)
    soloed: int | None = None  # the number of the only light that shines, ENVIRONMENT for the environment alone
    rig: str = ""  # the light rig that it was lit with
    views: tuple[SavedView, ...] = ()

    @property
    def shining(self) -> tuple[Light, ...]:
        """The lights that are on, with the sun of the environment's daylight."""
        if self.soloed is not None and self.soloed != ENVIRONMENT:
            return tuple(light for number, light in enumerate(self.lights) if number == self.soloed)
        sky = self.environment
        sun = sky.daylight if sky.on else None
        suns = (sun.light(-sky.turn, sky.strength),) if sun is not None and sun.sun > 0 else ()
        return suns if self.soloed is not None else (*(light for light in self.lights if light.on), *suns)

    @property
    def around(self) -> Environment:
        """The environment as it shines: off where a light is alone."""
        if self.soloed is None or self.soloed == ENVIRONMENT:
            return self.environment
        return self.environment.model_copy(update={"on": False})

    def in_grazing_light(self, turn: float, height: float) -> Bench:
        """The bench in one low light and little else, which shows the relief of its surfaces. Degrees."""
        dim = self.environment.model_copy(update={"strength": self.environment.strength * GRAZING_AROUND})
        light = DistantLight(name="Grazing light", turn=turn, height=height, size=1.0, strength=9.0)
        return self.model_copy(update={"lights": (light,), "environment": dim, "soloed": None})

    def in_folder(self, folder: Path) -> Bench:
        """The same with whole names of its objects' files, which are relative to a project's folder."""
        if all(isinstance(item.geometry, StockShape) and not item.uv_sets for item in self.objects):
            return self
        return self.model_copy(update={"objects": tuple(item.in_folder(folder) for item in self.objects)})

    @property
    def worn(self) -> tuple[str, ...]:
        """The material of each region of the scene, in their order; see Scene."""
        return tuple(item.material_of(rule) for item in self.objects for rule in range(-1, len(item.assigned)))

    @property
    def geometry_key(self) -> tuple[str, ...]:
        """Names all that is told of what rays meet: the objects where they stand, and the ground."""
        return (*(item.key for item in self.objects), "ground" if self.ground else "")

    def stands_as(self, other: Bench) -> bool:
        """Whether rays meet the same on both. The disk is not asked for the files of one and the same."""
        return self is other or self.geometry_key == other.geometry_key
