"""Judging relief in the preview: held keys show it without, and one key brings grazing light."""

from __future__ import annotations

from dataclasses import dataclass, replace

from PySide6.QtCore import QPointF, Qt

from collage.core.document.model import Network
from collage.core.document.relief import BUMP, DISPLACED, NORMAL_MAPS, without_relief
from collage.core.project.pictures import BESIDE, LOW, in_grazing_light
from collage.core.render.request import PictureRequest

HELD = {Qt.Key.Key_1: NORMAL_MAPS, Qt.Key.Key_2: BUMP, Qt.Key.Key_3: DISPLACED}
GRAZING_KEY = Qt.Key.Key_G
LOWEST, HIGHEST = 2.0, 60.0  # degrees above the horizon


@dataclass(frozen=True)
class Grazing:
    """A low light instead of the bench's. turn : degrees from the camera. height : above the horizon."""

    turn: float = BESIDE
    height: float = LOW

    def moved(self, gone: QPointF) -> Grazing:
        """The light after the hand dragged it by some pixels."""
        height = min(max(self.height - gone.y() * 0.2, LOWEST), HIGHEST)
        return Grazing(self.turn + gone.x() * 0.5, height)


class ReliefKeys:
    """What is shown without, and in which light. None of it is part of the project."""

    def __init__(self) -> None:
        self.held: tuple[str, ...] = ()
        self.grazing: Grazing | None = None
        self._made: dict[tuple[int, tuple[str, ...]], tuple[Network, Network]] = {}

    def press(self, key: int) -> bool:
        """Takes a key that goes down. Whether it was one of these."""
        if key == GRAZING_KEY:
            self.grazing = Grazing() if self.grazing is None else None
        elif key in HELD and HELD[Qt.Key(key)] not in self.held:
            self.held = (*self.held, HELD[Qt.Key(key)])
        return key == GRAZING_KEY or key in HELD

    def release(self, key: int) -> bool:
        """Takes a key that comes up. Whether it was one that is held."""
        kind = HELD.get(Qt.Key(key)) if key in HELD else None
        if kind not in self.held:
            return False
        self.held = tuple(one for one in self.held if one != kind)
        return True

    def let_go(self) -> bool:
        """Nothing is held any more. Whether something was."""
        was, self.held = bool(self.held), ()
        return was

    def applied(self, request: PictureRequest) -> PictureRequest:
        """The picture as it is to be judged."""
        if self.held:
            request = replace(
                request, materials={name: self._without(network) for name, network in request.materials.items()}
            )
        if self.grazing is not None:
            request = in_grazing_light(request, self.grazing.turn, self.grazing.height)
        return request

    def notes(self) -> list[str]:
        """What is to be said under the picture."""
        told = [f"Without {' and '.join(self.held)}"] if self.held else []
        return [*told, *(["Grazing light: Alt+drag moves it, G ends it"] if self.grazing is not None else [])]

    def _without(self, network: Network) -> Network:
        """The same network each time, so that its plan is found again."""
        key = id(network), self.held
        kept = self._made.get(key)
        if kept is None or kept[0] is not network:
            if len(self._made) > 64:
                self._made.clear()
            kept = self._made[key] = network, without_relief(network, self.held)
        return kept[1]
