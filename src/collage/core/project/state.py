"""A project as one immutable value: the materials and the bench."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from collage.core.base.errors import CollageError
from collage.core.base.text import one_line
from collage.core.document.model import Network, free_among
from collage.core.scene.bench import Bench, Faces


@dataclass(frozen=True)
class Unread:
    """A material of the project that could not be read.

    file : from the project's folder. content : its bytes, which every save keeps as they are; None where there are
    none to be had, and then the file is left alone. reason : what was wrong, and what can be done.
    """

    file: str
    content: bytes | None
    reason: str


@dataclass(frozen=True)
class Project:
    """Materials by name, and the bench they are looked at on. unread : by name, those that could not be read."""

    name: str = "Untitled"
    materials: Mapping[str, Network] = field(default_factory=dict)
    bench: Bench = field(default_factory=Bench)
    unread: Mapping[str, Unread] = field(default_factory=dict)

    def with_material(self, name: str, network: Network) -> Project:
        """A copy with a material added, or in the place of the one of that name."""
        return replace(self, materials={**self.materials, name: network})

    def with_bench(self, bench: Bench) -> Project:
        """A copy with another bench."""
        return replace(self, bench=bench)

    def brought_back(self, name: str, network: Network) -> Project:
        """With a material that could not be read, as an earlier state had it."""
        unread = {key: one for key, one in self.unread.items() if key != name}
        return replace(self, materials={**self.materials, name: network}, unread=unread)

    def free_material_name(self, wanted: str) -> str:
        """`wanted`, or the first of “wanted 2”, “wanted 3” ... that no material bears."""
        return free_among(one_line(wanted) or "Material", {*self.materials, *self.unread}, " ")

    def renamed_material(self, old: str, new: str) -> Project:
        """The material under another name, worn by the same objects. Raises CollageError for a name that is taken."""
        new = one_line(new)
        if not new:
            raise CollageError("A material needs a name.", about=old)
        if new == old:
            return self
        if new in self.materials or new in self.unread:
            raise CollageError(f"There is already a material named “{new}”.", about=new, remedy="Choose another name.")
        materials = {new if name == old else name: one for name, one in self.materials.items()}
        return self._worn(replace(self, materials=materials), old, new)

    def without_material(self, name: str) -> Project:
        """Takes a material out; objects that wear it wear the first of the others. Raises CollageError for the last."""
        rest = {key: one for key, one in self.materials.items() if key != name}
        if not rest:
            raise CollageError("This is the only material.", about=name, remedy="Make another one first.")
        return self._worn(replace(self, materials=rest), name, next(iter(rest)))

    def given_material(self, number: int, name: str, faces: Faces | None = None) -> Project:
        """The object with this number wears the material named, or only some of its faces do; see `with_material`."""
        objects = list(self.bench.objects)
        objects[number] = objects[number].with_material(name, faces)
        return self.with_bench(self.bench.model_copy(update={"objects": tuple(objects)}))

    def wearers(self, name: str) -> list[str]:
        """Names of the objects that wear a material."""
        return [item.name for item in self.bench.objects if name in item.materials]

    @staticmethod
    def _worn(project: Project, old: str, new: str) -> Project:
        objects = tuple(item.with_renamed(old, new) for item in project.bench.objects)
        return project.with_bench(project.bench.model_copy(update={"objects": objects}))
