"""The canvas of the UV page: islands on a map, chosen, moved, turned and scaled by hand."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np
from PySide6.QtCore import QLineF, QPoint, QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QWidget

from collage.app.place.frame import draw_label, draw_pin, draw_ring, far
from collage.app.preview.images import to_image
from collage.app.shell.jobs import Jobs, Latest
from collage.app.theme import Theme, font
from collage.core.geometry import uv_layout as layout
from collage.core.geometry.islands import used_tiles
from collage.core.geometry.mesh import Mesh
from collage.core.geometry.picking import polygon, with_picked
from collage.core.geometry.uv_picking import (
    beside,
    edges_of,
    ends_of,
    nearest_edge,
    next_corner,
    outline,
    with_shared,
    with_twins,
)
from collage.core.render.uv_picture import Paper, Scale, Window, uv_picture

HINTS = {
    kind: f"Click {one}, Ctrl+click adds · drag it to move, a pin to scale, the dots to turn · wheel to zoom · "
    "Shift+drag to pan"
    for kind, one in (("islands", "an island"), ("faces", "a face"), ("edges", "an edge"))
}
MOST_TILES = 400  # that are drawn
CLICK, PIN, NEAR, BEYOND = 4, 7.0, 8.0, 16.0
SNAP, ANGLE = 1 / 16, 15.0  # of a tile, and degrees, that Ctrl keeps to

Held = Literal["pan", "box", "move", "scale", "turn"]
Kind = Literal["islands", "faces", "edges"]


@dataclass(frozen=True)
class Below:
    """What the islands lie on. key : all that it depends on but the window. draw : for a window, width, height and the
    used tiles a picture (h, w, 3) uint8."""

    key: object
    draw: Callable[[Window, int, int, np.ndarray], np.ndarray]


@dataclass(frozen=True, eq=False)
class Shown:
    """A layout. uv : (3 t, 2). corner : (3 t,), see `shared_corners`. island, flipped : (t,).
    scale : a measure to colour it by."""

    mesh: Mesh
    uv: np.ndarray
    corner: np.ndarray
    island: np.ndarray
    flipped: np.ndarray
    scale: Scale | None = None


@dataclass(frozen=True, eq=False)
class Drawn:
    """A picture of a layout. owner : (h, w) the triangle in each pixel. tiles : (n, 2). ground : and what it is of."""

    image: QImage
    owner: np.ndarray
    tiles: np.ndarray
    ground: tuple[object, np.ndarray]


class UvView(QWidget):
    """Shows a layout; what a hand does to it is told once it lets go."""

    picked = Signal()  # something else is picked
    moving = Signal(object)  # UVs (3 t, 2) while a hand changes them
    changed = Signal(object, str)  # UVs (3 t, 2), and what was done
    pointed = Signal(str)  # the place under the pointer
    hint = Signal(str)
    failed = Signal(object)

    def __init__(self, jobs: Jobs, theme: Theme, below: Callable[[], Below]) -> None:
        super().__init__()
        self.theme, self.below = theme, below  # `below` is asked here; what it gives is called on a thread
        self.shown: Shown | None = None
        self.kind: Kind = "islands"  # of what is picked
        self.faces: np.ndarray | None = None  # (t,) bool, those that are picked, or the islands' that are
        self.edges: np.ndarray | None = None  # (3 t,) bool, those that are picked
        self.window_at = (-0.08, -0.08, 1.16)  # lower left corner, and UV units over the shorter side
        self.count = 0  # pictures shown so far
        self.empty = ""  # what stands where there is no layout
        self._image: QImage | None = None
        self._owner: np.ndarray | None = None
        self._tiles: list[tuple[int, int]] = []  # that are used, of the picture that is shown
        self._ground: tuple[object, np.ndarray] | None = None  # what islands lie on, as it was drawn last
        self._corners: np.ndarray | None = None
        self._boxes: list[tuple[np.ndarray, np.ndarray, tuple[np.ndarray, np.ndarray]]] = []
        self._moved: np.ndarray | None = None  # UVs while a hand changes them
        self._held: Held | None = None
        self._start = self._last = QPointF()
        self._corner, self._label = 0, ""
        self._dragged = False
        self.setAccessibleName("UV layout")
        self.setToolTip("UVs of the chosen object")
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(160, 160)
        self.work = Latest(jobs, self, urgent=True)
        self.work.answered.connect(self._take)
        self.work.failed.connect(self.failed)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self._ask)

    def close_down(self) -> None:
        self._soon.stop()
        self.work.close()

    def sizeHint(self) -> QSize:
        return QSize(380, 380)

    # ---- showing ------------------------------------------------------------------------------

    def show_layout(self, shown: Shown | None) -> None:
        """Shows another layout; none for None."""
        self.shown, self._moved = shown, None
        count = len(shown.island) if shown is not None else 0
        if self.faces is not None and len(self.faces) != count:
            self.faces = None
        if self.edges is not None and len(self.edges) != 3 * count:
            self.edges = None
        self.ask()

    def set_kind(self, kind: Kind) -> None:
        """What is picked from now on; what was picked becomes that."""
        if kind == self.kind or self.shown is None:
            self.kind = kind
            return
        mesh, faces = self.shown.mesh, self.faces
        if self.kind == "edges":
            faces = beside(self.edges) if self.edges is not None else None
        self.kind = kind
        self.choose_faces(faces)
        if kind == "edges" and faces is not None:
            self.edges = edges_of(mesh, faces)

    @property
    def islands(self) -> tuple[int, ...]:
        """The numbers of the picked islands."""
        if self.shown is None or self.faces is None or self.kind != "islands":
            return ()
        return tuple(int(one) for one in np.unique(self.shown.island[self.faces]))

    def choose(self, islands: tuple[int, ...]) -> None:
        """Picks islands by their numbers."""
        if self.shown is not None:
            self.choose_faces(np.isin(self.shown.island, islands))

    def choose_faces(self, faces: np.ndarray | None) -> None:
        """Picks faces (t,) bool, or the islands that they are in."""
        if self.shown is None or (faces is not None and len(faces) != len(self.shown.island)):
            return
        if faces is not None and self.kind == "islands":
            faces = np.isin(self.shown.island, self.shown.island[faces])
        self.faces = faces if faces is not None and faces.any() and self.kind != "edges" else None
        self.edges = None
        self.ask()

    def choose_edges(self, edges: np.ndarray | None) -> None:
        """Picks edges (3 t,) bool; see `uv_picking`."""
        if self.shown is not None and (edges is None or len(edges) == len(self.shown.corner)):
            self.faces, self.edges = None, edges if edges is not None and edges.any() else None
            self.ask()

    def ask(self) -> None:
        """Something changed: draws it soon."""
        self._corners = None
        if self.isVisible():
            self._soon.start(0)

    @property
    def paper(self) -> Paper:
        """The colours of a layout in the theme."""
        return paper_of(self.theme)

    @property
    def settled(self) -> bool:
        """Whether the present layout is on the screen."""
        return not self.isVisible() or (not self._soon.isActive() and self.work.idle)

    @property
    def chosen(self) -> np.ndarray:
        """(t,) bool: the triangles of what is picked, but for edges."""
        assert self.shown is not None
        return self.faces if self.faces is not None else np.zeros(len(self.shown.island), bool)

    @property
    def corners(self) -> np.ndarray:
        """(3 t,) bool: the corners that move with what is picked."""
        assert self.shown is not None
        if self._corners is None:
            own = ends_of(self.edges) if self.edges is not None else np.repeat(self.chosen, 3)
            self._corners = with_shared(self.shown.corner, own)
        return self._corners

    def _window(self) -> Window:
        u, v, reach = self.window_at
        return Window(u, v, reach / max(min(self.width(), self.height()), 1))

    def _ask(self) -> None:
        shown, window, width, height = self.shown, self._window(), self.width(), self.height()
        if shown is None:
            self._image = self._owner = None
            self.update()
            return
        uv = self._moved if self._moved is not None else shown.uv
        chosen, paper, below = self.chosen, self.paper, self.below()
        face = shown.mesh.face if self.kind != "islands" else None

        drawn = self._ground

        def work(_overtaken: Callable[[], bool]) -> Iterator[Drawn]:
            tiles = used_tiles(uv)[:MOST_TILES]
            key = below.key, window, width, height, tiles.tobytes()
            ground = drawn if drawn is not None and drawn[0] == key else (key, below.draw(window, width, height, tiles))
            picture, owner = uv_picture(
                uv, shown.island, chosen, shown.flipped, window, ground[1], paper, shown.scale, face
            )
            yield Drawn(to_image(picture), owner, tiles, ground)

        self.work.ask(work)

    def _take(self, answer: Drawn) -> None:
        self._image, self._owner, self._ground = answer.image, answer.owner, answer.ground
        self._tiles = [(0, 0), *(tuple(one) for one in answer.tiles.tolist() if tuple(one) != (0, 0))]
        self.count += 1
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(122, 122, 122))
        if self._image is not None:
            painter.drawImage(self.rect(), self._image)
        if self.shown is not None:
            self._draw_numbers(painter)
            self._draw_edges(painter)
            self._draw_frame(painter)
        else:
            painter.setPen(QColor(241, 241, 241))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, self.empty)
        if self._held == "box":
            painter.setPen(QPen(QColor(self.theme.accent), 1, Qt.PenStyle.DashLine))
            painter.drawRect(QRectF(self._start, self._last))
        if self._label:
            draw_label(painter, self.theme, self._label, self._last)
        if self.hasFocus():
            painter.setPen(QPen(QColor(self.theme.accent), 1))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.end()

    def _draw_numbers(self, painter: QPainter) -> None:
        """The number of each tile in its corner, like a page number."""
        painter.setFont(font(11))
        for column, row in self._tiles:
            if 0 <= column < 10 and row >= 0:
                at = self.to_widget(np.array([column, row + 1])) + QPointF(5, 15)
                painter.setPen(QColor(255, 255, 255, 220))
                painter.drawText(at + QPointF(0, 1), str(1001 + column + 10 * row))
                painter.setPen(QColor(30, 30, 30))
                painter.drawText(at, str(1001 + column + 10 * row))

    def _draw_edges(self, painter: QPainter) -> None:
        """The picked edges."""
        if self.edges is None or self.shown is None:
            return
        uv = self._moved if self._moved is not None else self.shown.uv
        first = np.flatnonzero(self.edges)
        ends = [[self.to_widget(place) for place in uv[one]] for one in (first, next_corner(first))]
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for colour, width in ((QColor(255, 255, 255, 190), 4.0), (QColor(self.theme.accent), 2.0)):
            painter.setPen(QPen(colour, width))
            painter.drawLines([QLineF(a, b) for a, b in zip(*ends, strict=True)])

    def _draw_frame(self, painter: QPainter) -> None:
        """Around what is chosen: pins to scale it, a ring of dots to turn it."""
        box = self._box()
        if box is None or self._held in ("pan", "box"):
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        ink, light = QColor(self.theme.accent), QColor(255, 255, 255, 170)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(light, 2.6))
        painter.drawRect(box)
        painter.setPen(QPen(ink, 1))
        painter.drawRect(box)
        middle, radius = self._ring(box)
        draw_ring(painter, middle, radius, light, ink)
        for corner in _corners(box):
            draw_pin(painter, corner, PIN, light, ink, filled=False)

    # ---- places -------------------------------------------------------------------------------

    def to_widget(self, place: np.ndarray) -> QPointF:
        """Where a UV place is in the widget."""
        window = self._window()
        return QPointF((place[0] - window.u) / window.unit, self.height() - (place[1] - window.v) / window.unit)

    def to_uv(self, point: QPointF) -> np.ndarray:
        """The UV place at a point of the widget."""
        window = self._window()
        return np.array([window.u + point.x() * window.unit, window.v + (self.height() - point.y()) * window.unit])

    def _box(self) -> QRectF | None:
        """The box around what is picked, in the widget."""
        if self.shown is None or not self.corners.any():
            return None
        low, high = self._box_of(self._moved if self._moved is not None else self.shown.uv)
        return QRectF(self.to_widget(np.array([low[0], high[1]])), self.to_widget(np.array([high[0], low[1]])))

    @staticmethod
    def _ring(box: QRectF) -> tuple[QPointF, float]:
        return box.center(), math.hypot(box.width(), box.height()) / 2 + BEYOND

    def triangle_at(self, point: QPoint) -> int:
        """The triangle under a point; -1 for none."""
        if self._owner is None or self.shown is None or not self.rect().contains(point):
            return -1
        height, width = self._owner.shape
        row = min(point.y() * height // self.height(), height - 1)
        triangle = int(self._owner[row, min(point.x() * width // self.width(), width - 1)])
        return triangle if triangle < len(self.shown.island) else -1

    def edge_at(self, point: QPointF) -> int:
        """The edge near a point; -1 for none."""
        triangle = -1
        for aside in ((0, 0), (NEAR / 2, 0), (-NEAR / 2, 0), (0, NEAR / 2), (0, -NEAR / 2)):  # also from outside
            triangle = max(triangle, self.triangle_at((point + QPointF(*aside)).toPoint()))
        if triangle < 0 or self.shown is None:
            return -1
        edge, distance = nearest_edge(self.shown.mesh, self.shown.uv, triangle, self.to_uv(point))
        return edge if distance <= NEAR * self._window().unit else -1

    def fit(self) -> None:
        """Shows the whole layout, and the first tile."""
        low, high = np.zeros(2), np.ones(2)
        if self.shown is not None and len(self.shown.uv):
            own_low, own_high = layout.box_of(self.shown.uv)
            low, high = np.minimum(low, own_low), np.maximum(high, own_high)
        reach = float((high - low).max()) * 1.16
        width, height = max(self.width(), 1), max(self.height(), 1)
        side = min(width, height)
        middle = (low + high) / 2
        self.window_at = (
            float(middle[0]) - reach * width / side / 2,
            float(middle[1]) - reach * height / side / 2,
            reach,
        )
        self.ask()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.fit()

    # ---- the mouse ----------------------------------------------------------------------------

    def _held_at(self, point: QPointF, keys: Qt.KeyboardModifier, button: Qt.MouseButton) -> Held:
        if button == Qt.MouseButton.MiddleButton or keys & Qt.KeyboardModifier.ShiftModifier:
            return "pan"
        box = self._box()
        if box is not None:
            for number, corner in enumerate(_corners(box)):
                if far(corner, point) <= NEAR:
                    self._corner = number
                    return "scale"
            middle, radius = self._ring(box)
            if abs(far(middle, point) - radius) <= NEAR:
                return "turn"
        return "move" if self._is_picked(point) else "box"

    def _is_picked(self, point: QPointF) -> bool:
        """Whether what lies under a point is picked."""
        if self.kind == "edges":
            edge = self.edge_at(point)
            return edge >= 0 and self.edges is not None and bool(self.edges[edge])
        triangle = self.triangle_at(point.toPoint())
        return triangle >= 0 and self.faces is not None and bool(self.faces[triangle])

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        self._start = self._last = event.position()
        self._dragged = False
        self._held = self._held_at(event.position(), event.modifiers(), event.button())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        point = event.position()
        if self._held is None:
            u, v = self.to_uv(point)
            self.pointed.emit(f"u {u:.3f}  v {v:.3f}")
            return
        before, self._last = self._last, point
        if not self._dragged and (point - self._start).manhattanLength() < CLICK:
            return
        self._dragged = True
        if self._held == "pan":
            window = self._window()
            gone = point - before
            u, v, reach = self.window_at
            self.window_at = (u - gone.x() * window.unit, v + gone.y() * window.unit, reach)
            self.ask()
        elif self._held != "box":
            self._drag(event.modifiers())
        self.update()

    def _drag(self, keys: Qt.KeyboardModifier) -> None:
        """Moves, scales or turns what is chosen, from where the hand took it to where it is."""
        shown, box = self.shown, self._box_before()
        if shown is None or box is None:
            return
        snap = bool(keys & Qt.KeyboardModifier.ControlModifier)
        start, now = self.to_uv(self._start), self.to_uv(self._last)
        low, high = box
        matrix, pivot, move = np.eye(2), (low + high) / 2, np.zeros(2)
        if self._held == "move":
            move = now - start
            move = np.round(move / SNAP) * SNAP if snap else move
            self._label = f"{move[0]:+.3f} · {move[1]:+.3f}"
        elif self._held == "scale":
            corners = np.array([[low[0], high[1]], high, [high[0], low[1]], low])
            corner, pivot = corners[self._corner], corners[(self._corner + 2) % 4]
            line = corner - pivot
            factor = 1 + float((now - start) @ line) / max(float(line @ line), 1e-12)
            factor = max(round(factor / SNAP) * SNAP if snap else factor, 0.01)
            matrix = np.eye(2) * factor
            self._label = f"{factor:.3g} times"
        else:
            angles = [math.atan2(*(place - pivot)[::-1]) for place in (start, now)]
            turn = (math.degrees(angles[1] - angles[0]) + 180) % 360 - 180
            turn = round(turn / ANGLE) * ANGLE if snap else turn
            c, s = math.cos(math.radians(turn)), math.sin(math.radians(turn))
            matrix = np.array([[c, -s], [s, c]])
            self._label = f"{turn:.0f}°"
        self._moved = layout.changed(shown.uv, self.corners, matrix, pivot, move)
        self.moving.emit(self._moved)
        self.ask()

    def _box_before(self) -> tuple[np.ndarray, np.ndarray] | None:
        if self.shown is None or not self.corners.any():
            return None
        return self._box_of(self.shown.uv)

    def _box_of(self, uv: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Around what is picked of a layout; those of the last two layouts are kept, since each is drawn many times."""
        for kept_uv, corners, box in self._boxes:
            if kept_uv is uv and corners is self._corners:
                return box
        found = layout.box_of(uv.take(np.flatnonzero(self.corners), axis=0))
        self._boxes = [*self._boxes[-1:], (uv, self.corners, found)]
        return found

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        held, self._held, self._label = self._held, None, ""
        adds = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if not self._dragged and held in ("move", "box") and event.button() == Qt.MouseButton.LeftButton:
            self._pick(self._at(event.position()), adds)
        elif held == "box":
            self._pick(self._in_box(), adds)
        elif self._moved is not None and held is not None:
            words = {"move": "Move UVs", "scale": "Scale UVs", "turn": "Turn UVs"}
            self.changed.emit(self._moved, words[held])
        self.update()

    def _at(self, point: QPointF) -> np.ndarray:
        """What a click picks: (t,) bool, or (3 t,) bool of edges."""
        assert self.shown is not None
        mesh, island = self.shown.mesh, self.shown.island
        if self.kind == "edges":
            edge = self.edge_at(point)
            return with_twins(self.shown.corner, np.arange(3 * len(island)) == edge)
        triangle = self.triangle_at(point.toPoint())
        if triangle < 0:
            return np.zeros(len(island), bool)
        return np.asarray(island == island[triangle]) if self.kind == "islands" else polygon(mesh, triangle)

    def _in_box(self) -> np.ndarray:
        """What lies wholly in the box that was drawn, in the same form."""
        assert self.shown is not None
        face = self.shown.mesh.face
        assert face is not None
        a, b = self.to_uv(self._start), self.to_uv(self._last)
        low, high = np.minimum(a, b), np.maximum(a, b)
        inside = ((self.shown.uv >= low) & (self.shown.uv <= high)).all(axis=1)
        if self.kind == "edges":
            return inside & inside[next_corner(np.arange(len(inside)))] & outline(self.shown.mesh)
        inside = inside.reshape(-1, 3).all(axis=1)
        whole = self.shown.island if self.kind == "islands" else face
        return inside & ~np.isin(whole, whole[~inside])

    def _pick(self, picked: np.ndarray, adds: bool) -> None:
        """Picks what `_at` gives. adds : to what is picked, or away if it is picked already."""
        before = self.edges if self.kind == "edges" else self.faces
        picked = with_picked(before, picked) if adds else picked
        if self.kind == "edges":
            self.choose_edges(picked)
        else:
            self.choose_faces(picked)
        self.picked.emit()

    def wheelEvent(self, event: QWheelEvent) -> None:
        self.zoom(0.9988 ** event.angleDelta().y(), event.position())

    def zoom(self, factor: float, at: QPointF) -> None:
        """Nearer or further; what is at a point stays there."""
        place = self.to_uv(at)
        u, v, reach = self.window_at
        factor = min(max(reach * factor, 1e-4), 100.0) / reach
        self.window_at = (place[0] + (u - place[0]) * factor, place[1] + (v - place[1]) * factor, reach * factor)
        self.ask()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, 1), Qt.Key.Key_Down: (0, -1)}
        if event.key() in steps and self.shown is not None and self.corners.any():
            fine = 0.001 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0.01
            move = np.array(steps[Qt.Key(event.key())]) * fine
            moved = layout.changed(self.shown.uv, self.corners, np.eye(2), np.zeros(2), move)
            self.changed.emit(moved, "Move UVs")
        elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Minus):
            self.zoom(0.9 if event.key() == Qt.Key.Key_Plus else 1.1, QPointF(self.rect().center()))
        elif event.key() == Qt.Key.Key_Home:
            self.fit()
        else:
            super().keyPressEvent(event)


def paper_of(theme: Theme) -> Paper:
    """The colours of a layout in a theme."""

    def of(name: str) -> tuple[int, int, int]:
        colour = QColor(name)
        return colour.red(), colour.green(), colour.blue()

    return Paper(accent=of(theme.accent))


def _corners(box: QRectF) -> list[QPointF]:
    return [box.topLeft(), box.topRight(), box.bottomRight(), box.bottomLeft()]
