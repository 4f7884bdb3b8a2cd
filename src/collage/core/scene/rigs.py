"""Light rigs: sets of lights and an environment that a surface is judged under, one after the other."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from collage.core.scene.bench import Bench, Environment
from collage.core.scene.daylight import Daylight
from collage.core.scene.directions import Triple
from collage.core.scene.lights import AreaLight, DistantLight, Light


@dataclass(frozen=True)
class Stand:
    """What is lit: the middle of it, and how wide it is, metres."""

    middle: Triple
    size: float

    def panel(
        self, name: str, turn: float, height: float, *, away: float, wide: float, strength: float,
        colour: Triple = (1.0, 1.0, 1.0),
    ) -> AreaLight:  # fmt: skip
        """A panel that shines on it. away, wide : in sizes of what is lit; strength : of a wall one size away."""
        return AreaLight(
            name=name, turn=turn, height=height, distance=away * self.size, width=wide * self.size,
            length=wide * self.size, strength=strength * (away / wide) ** 2, colour=colour, target=self.middle,
        )  # fmt: skip


WARM, COOL = (1.0, 0.86, 0.68), (0.76, 0.87, 1.0)
Made = tuple[tuple[Light, ...], Environment]


@dataclass(frozen=True)
class Rig:
    """A light rig. name : as it is stored; title, help : as the screen says."""

    name: str
    title: str
    help: str
    make: Callable[[Stand], Made]


def _studio(stand: Stand) -> Made:
    lights = (
        stand.panel("Key", -48, 42, away=2.0, wide=0.9, strength=2.0, colour=WARM),
        stand.panel("Fill", 62, 18, away=2.4, wide=1.6, strength=0.5, colour=COOL),
        stand.panel("Back", 165, 38, away=2.2, wide=0.8, strength=1.5),
    )
    return lights, Environment(strength=0.22)


def _window(stand: Stand) -> Made:
    return (stand.panel("Window", -70, 26, away=2.0, wide=1.5, strength=4.5, colour=COOL),), Environment(strength=0.2)


def _grazing(stand: Stand) -> Made:
    return (DistantLight(name="Grazing light", turn=-80, height=9, size=1.0, strength=5.0),), Environment(strength=0.2)


def _overcast(stand: Stand) -> Made:
    return (stand.panel("Clouds", 0, 88, away=2.6, wide=3.2, strength=2.2, colour=COOL),), Environment(strength=1.1)


def _daylight(stand: Stand) -> Made:
    return (), Environment(daylight=Daylight(elevation=48, haze=3.0), strength=0.75, turn=50)


def _evening(stand: Stand) -> Made:
    return (), Environment(daylight=Daylight(elevation=8, haze=4.0), strength=3.2, turn=52)


def _grey(stand: Stand) -> Made:
    return (), Environment(strength=1.5)


RIGS: dict[str, Rig] = {
    one.name: one
    for one in (
        Rig("studio", "Studio, three lights", "Key, fill and back light", _studio),
        Rig("window", "Window", "One large window from the side", _window),
        Rig("daylight", "Daylight", "A clear sky with a high sun", _daylight),
        Rig("evening", "Evening", "A low warm sun", _evening),
        Rig("overcast", "Overcast", "Soft light from above, hardly a shadow", _overcast),
        Rig("grazing", "Grazing light", "A low light that shows relief", _grazing),
        Rig("grey", "Plain grey room", "Even light from all sides", _grey),
    )
}


def with_rig(bench: Bench, rig: Rig, low: np.ndarray, high: np.ndarray) -> Bench:
    """A bench in the light of a rig. low, high : (3,) corners of the box around what is lit, metres."""
    middle = (low + high) / 2
    stand = Stand((float(middle[0]), float(middle[1]), float(middle[2])), max(float(np.linalg.norm(high - low)), 0.05))
    lights, environment = rig.make(stand)
    return bench.model_copy(update={"lights": lights, "environment": environment, "soloed": None, "rig": rig.name})
