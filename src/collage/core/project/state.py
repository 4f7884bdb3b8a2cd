"""A project as one immutable value: the materials and the bench."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from collage.core.document.model import Network
from collage.core.render.bench import Bench


@dataclass(frozen=True)
class Project:
    """Materials by name, and the bench they are looked at on."""

    name: str = "Untitled"
    materials: Mapping[str, Network] = field(default_factory=dict)
    bench: Bench = field(default_factory=Bench)

    def with_material(self, name: str, network: Network) -> Project:
        return replace(self, materials={**self.materials, name: network})

    def with_bench(self, bench: Bench) -> Project:
        return replace(self, bench=bench)
