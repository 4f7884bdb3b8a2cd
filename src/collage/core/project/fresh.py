"""Projects to start from."""

from __future__ import annotations

from collage.core.document.materials import new_material
from collage.core.project.state import Project
from collage.core.scene.bench import Bench, Camera, Environment, stock
from collage.core.scene.lights import AreaLight

MATERIAL = "Plain"
FRESH = "New look"  # the name of a project that nobody has named yet


def empty_project() -> Project:
    """A material on nothing."""
    return Project(materials={MATERIAL: new_material()})


def ball_project() -> Project:
    """A plain material on a ball under light."""
    light = AreaLight(name="Window", colour=(1.0, 0.95, 0.88), strength=4.0, height=42, turn=-52, distance=0.8,
                      width=0.5, length=0.6)  # fmt: skip
    bench = Bench(
        objects=(stock("Ball", "sphere", material=MATERIAL, turn=160),),  # the seam of its UV looks away
        lights=(light,),
        environment=Environment(strength=0.7),
        camera=Camera(turn=0, height=12, distance=0.62, target=(0.0, 0.095, 0.0)),
    )
    return Project(FRESH, {MATERIAL: new_material()}, bench)
