"""The UV page: the sets of the chosen object, their islands, and what is measured of them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np
from PySide6.QtCore import QEvent, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QLinearGradient, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QComboBox,
    QFrame,
    QHBoxLayout,
    QInputDialog,
    QMenu,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from collage.app.place.uv_view import HINTS, Below, Kind, Shown, UvView
from collage.app.shell.jobs import Latest
from collage.app.shell.studio import Studio
from collage.app.theme import Theme, font
from collage.app.widgets.panels import Elided
from collage.core.actions import uvs as acts
from collage.core.actions.registry import action_of
from collage.core.base.errors import CollageError
from collage.core.base.progress import Steps
from collage.core.base.text import counted
from collage.core.geometry.islands import islands_of, measures_of, overlapping
from collage.core.geometry.mesh import Mesh
from collage.core.geometry.pack import PackOptions
from collage.core.geometry.picking import with_picked
from collage.core.geometry.unwrap import UnwrapOptions, estimate
from collage.core.geometry.uv_picking import places_of, shared_corners, with_twins
from collage.core.project.folder import material_folder
from collage.core.render.uv_picture import Scale, Window, of_card, pattern, plain, scale_of
from collage.core.scene.bench import Faces

BELOW = (("map", "Map below"), ("pattern", "Test pattern"), ("nothing", "No map"))
KINDS: tuple[tuple[Kind, str], ...] = (("islands", "Islands"), ("faces", "Faces"), ("edges", "Edges"))
MEASURES = (("islands", "No measure"), ("stretch", "Stretch"), ("density", "Texel density"), ("overlap", "Overlap"))
CHANGES: tuple[acts.Change | None, ...] = (
    "turn left", "turn right", "flip u", "flip v", None, "fit", "straighten", "even", "stack", "cut off", None,
    "align left", "align right", "align bottom", "align top",
)  # fmt: skip
CHANGE_WORDS = {
    "turn left": "Turn left", "turn right": "Turn right", "flip u": "Flip across", "flip v": "Flip up",
    "fit": "Fit to tile", "straighten": "Straighten", "even": "Equal texel density", "stack": "Stack alike islands",
    "cut off": "Cut off",
    "align left": "Align left", "align right": "Align right", "align bottom": "Align bottom", "align top": "Align top",
}  # fmt: skip
LAYOUT_WORDS = {
    "plane": "From the view", "box": "From a box", "cylinder": "Around a cylinder", "sphere": "Around a sphere",
    "flatten": "Flat, at real scale",
}  # fmt: skip
MARGINS = (2, 4, 8, 16)
SIZE = 1024  # texels that texel density is told for, and margins are counted in


class UvPage(QFrame):
    """Shows the UVs of one object; empty where none is chosen."""

    picked = Signal(object)  # (t,) bool of the object's triangles, or None
    edges_picked = Signal(object)  # (3 t,) bool of its edges, or None
    moving = Signal(object)  # object, UV set and UVs (3 t, 2) while a hand changes them
    measured = Signal(object)  # Scale by triangle of the object, or None
    patterned = Signal(object)  # object and UV set that are to show the test pattern, or None

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.studio, self.session = studio, studio.session
        self.name, self.uv_set, self.map = "", "", ""
        self.margin, self.may_turn = 4, True
        self._mesh: Mesh | None = None
        self._wanted: tuple[Faces | None] | None = None  # the faces whose islands are to be chosen next
        self.work = Latest(studio.jobs, self, urgent=True)
        self.work.answered.connect(self._take)
        self.work.failed.connect(studio.tell)
        self.view = UvView(studio.jobs, studio.theme, self._ground)
        self.scale = ScaleLine(studio.theme)
        self.told = Elided()
        self.told.setObjectName("quiet")
        self.sets = self._list("UV set", "The UV set that is shown")
        self.below = self._list("Below the islands", "What the islands lie on")
        self.measure = self._list("Measure", "What islands are coloured by, here and on the object")
        self.kinds = self._list("Pick", "What a click picks: an island, a face, or an edge")
        for made, choices in ((self.below, BELOW), (self.measure, MEASURES), (self.kinds, KINDS)):
            for key, label in choices:
                made.addItem(label, key)
        self.sets.activated.connect(lambda _: self._show_set(self.sets.currentData()))
        self.below.activated.connect(lambda _: self._show_below())
        self.measure.activated.connect(lambda _: self._show())
        self.kinds.activated.connect(lambda _: self.set_kind(self.kinds.currentData()))
        self.buttons = {
            "set": self._button("Set", "New, copied, renamed or deleted UV sets", self._set_menu),
            "unwrap": self._button("Unwrap", action_of(acts.unwrap_uv).help, self._unwrap_menu),
            "layout": self._button("Lay out", action_of(acts.project_uv).help, self._layout_menu),
            "edit": self._button("Edit", action_of(acts.change_uv).help, self._edit_menu),
            "pack": self._button("Pack", action_of(acts.pack_uv).help, self._pack_menu),
        }
        self._lay_out()
        self.view.picked.connect(self._on_picked)
        self.view.moving.connect(lambda uv: self.moving.emit((self.name, self.uv_set, uv)))
        self.view.changed.connect(self._put)
        self.view.failed.connect(studio.tell)
        self.session.changed.connect(self._on_changed)
        self.view.installEventFilter(self)
        self._show()

    def _list(self, name: str, tip: str) -> QComboBox:
        made = QComboBox()
        made.setAccessibleName(name)
        made.setToolTip(tip)
        made.setFixedHeight(24)
        return made

    def _button(self, label: str, tip: str, menu: Callable[[], QMenu]) -> QPushButton:
        button = QPushButton(f"{label} ▾")
        button.setToolTip(tip)
        button.setFixedHeight(24)
        button.clicked.connect(lambda: menu().popup(button.mapToGlobal(button.rect().bottomLeft())))
        return button

    def _lay_out(self) -> None:
        first, second = QHBoxLayout(), QHBoxLayout()
        first.addWidget(self.sets, 1)
        first.addWidget(self.below)
        first.addWidget(self.measure)
        for button in self.buttons.values():
            second.addWidget(button)
        second.addStretch(1)
        second.addWidget(self.kinds)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(8, 8, 8, 6)
        whole.setSpacing(6)
        whole.addLayout(first)
        whole.addLayout(second)
        whole.addWidget(self.view, 1)
        whole.addWidget(self.scale)
        whole.addWidget(self.told)

    def eventFilter(self, watched: Any, event: QEvent) -> bool:
        if watched is self.view and event.type() == QEvent.Type.Enter:
            self.studio.hint.emit(HINTS[self.view.kind])
        return False

    def close_down(self) -> None:
        self.session.changed.disconnect(self._on_changed)
        self.work.close()
        self.view.close_down()

    def set_theme(self, theme: Theme) -> None:
        self.view.theme = self.scale.theme = theme
        self.view.ask()
        self.scale.update()

    # ---- showing ------------------------------------------------------------------------------

    def show_object(self, name: str, faces: Faces | None = None) -> None:
        """Shows an object's UVs, and chooses the islands of some of its faces; none for an empty name."""
        if name != self.name:
            self.name, self.uv_set = name, ""
        self._wanted = (faces,)
        self._show()

    def show_map(self, card: str) -> None:
        """Lays the islands on what a card of the material in hand puts out."""
        self.map = card
        self.view.ask()

    def _show_below(self) -> None:
        """What the islands lie on; the test pattern is shown on the object too."""
        self.view.ask()
        on = self.below.currentData() == "pattern" and self._mesh is not None and self.uv_set
        self.patterned.emit((self.name, self.uv_set) if on else None)

    def _show_set(self, name: str) -> None:
        self.uv_set, self._wanted = name, (None,)
        self._show()

    def _on_changed(self, before: Any, after: Any) -> None:
        if before.bench.objects != after.bench.objects:
            self._show()
        else:
            self.view.ask()

    def _show(self) -> None:
        self._mesh = self._mesh_now()
        mesh, names = self._mesh, list(self._mesh.uv) if self._mesh is not None else []
        if self.uv_set not in names:
            self.uv_set = names[0] if names else ""
        self.sets.clear()
        for name in names:
            self.sets.addItem(name, name)
        self.sets.setCurrentIndex(max(self.sets.findData(self.uv_set), 0))
        for widget in (self.sets, self.measure, self.kinds, *self.buttons.values()):
            widget.setEnabled(mesh is not None)
        if mesh is None or not self.uv_set:
            self.view.empty = (
                "Choose an object to see its UVs" if mesh is None else "No UVs yet: Set, New lays them out"
            )
            self._take(None)
            return
        self._show_below()
        name, what, wanted, self._wanted = self.uv_set, self.measure.currentData(), self._wanted, None

        def work(_overtaken: Callable[[], bool]) -> Iterator[Measured]:
            yield measured(mesh, name, what, wanted)

        self.work.ask(work)

    def _take(self, found: Measured | None) -> None:
        """What was measured is shown."""
        if found is None:
            self.view.show_layout(None)
            self.told.setText("")
            self.scale.show_scale("", None)
            self.measured.emit(None)
            return
        self.view.show_layout(found.shown)
        if found.islands is not None:
            self.view.choose(found.islands)
            self.view.fit()
        self.told.setText(found.text)
        self.scale.show_scale(found.what, found.shown.scale)
        self.measured.emit(found.shown.scale)

    @property
    def settled(self) -> bool:
        """Whether the present UVs are measured and on the screen."""
        return self.work.idle and self.view.settled

    def _mesh_now(self) -> Mesh | None:
        item = next((one for one in self.session.bench.objects if one.name == self.name), None)
        try:
            return item.mesh() if item is not None else None
        except CollageError:
            return None

    def _ground(self) -> Below:
        """What lies below the islands."""
        paper, what, network, mesh = self.view.paper, self.below.currentData(), self.session.document, self._mesh
        if what == "pattern":
            return Below(
                (what, paper), lambda window, width, height, tiles: pattern(window, width, height, tiles, paper)
            )
        if what != "map" or self.map not in network.cards or mesh is None:
            return Below(
                ("plain", paper), lambda window, width, height, tiles: plain(window, width, height, tiles, paper)
            )
        folder, library, images = (
            material_folder(self.session.base_folder),
            self.session.library,
            self.studio.renderer.images,
        )
        name, sets = self.map, tuple(mesh.uv)

        def of_map(window: Window, width: int, height: int, tiles: np.ndarray) -> np.ndarray:
            return of_card(library, network, name, sets, window, (width, height), tiles, paper, folder, images)

        return Below((what, paper, name, sets, network, images.loaded), of_map)

    # ---- changing -----------------------------------------------------------------------------

    @property
    def choice(self) -> acts.UvChoice:
        """What an act is for: what is picked, or all."""
        picked = self.view.faces if self.view.kind == "faces" else None
        return acts.UvChoice(self.name, self.uv_set, self.view.islands, picked=picked, edges=self.view.edges)

    def set_kind(self, kind: Kind) -> None:
        """What is picked from now on: islands, faces or edges."""
        self.kinds.setCurrentIndex(self.kinds.findData(kind))
        self.view.set_kind(kind)
        self.studio.hint.emit(HINTS[kind])
        self._on_picked()

    def _on_picked(self) -> None:
        self.picked.emit(self.view.faces)
        self.edges_picked.emit(self.view.edges)

    def pick_faces(self, picked: np.ndarray | None) -> None:
        """Picks what was picked on the object, (t,) bool; the islands of it where those are picked."""
        if self.view.kind == "edges" and picked is not None:
            self.set_kind("faces")
        self.view.choose_faces(picked)

    def pick_edge(self, edge: int, adds: bool) -> None:
        """Picks the edge that was clicked on the object, on both sides of a seam."""
        mesh = self._mesh
        if mesh is None or not self.uv_set:
            return
        self.set_kind("edges")
        one = with_twins(places_of(mesh), np.arange(3 * len(mesh.triangles)) == edge)
        self.view.choose_edges(with_picked(self.view.edges, one) if adds else one)
        self._on_picked()

    def _put(self, uv: np.ndarray, label: str) -> None:
        self.session.attempt(lambda: acts.put_uv(self.session, acts.UvChoice(self.name, self.uv_set), uv, label))

    def _work(self, title: str, make: Callable[[], Steps[np.ndarray]], label: str) -> None:
        """Long work: its UVs are put into the set that was shown when it began."""
        choice, steps = self.choice, self.session.attempt(make)
        if steps is None:
            return
        self.studio.jobs.queue(
            title, lambda _cancelled: steps,
            lambda uv: self.session.attempt(lambda: acts.put_uv(self.session, choice, uv, label)), self.studio.tell,
        )  # fmt: skip

    def unwrap(self, angle: float = 66.0) -> None:
        """Unwraps the chosen islands, or all."""
        options = UnwrapOptions(self.margin, SIZE, self.may_turn, angle)
        self._work(f"Unwrapping {self.name}", lambda: acts.unwrap_uv(self.session, self.choice, options), "Unwrap")

    def pack(self) -> None:
        """Packs the chosen islands, or all."""
        options = PackOptions(self.margin, SIZE, self.may_turn)
        self._work(f"Packing {self.name}", lambda: acts.pack_uv(self.session, self.choice, options), "Pack UVs")

    # ---- menus --------------------------------------------------------------------------------

    def _menu(self) -> QMenu:
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        return menu

    def _set_menu(self) -> QMenu:
        menu = self._menu()
        menu.addAction("New", lambda: self.session.attempt(self._new_set))
        menu.addAction("Copy", lambda: self.session.attempt(self._copy_set))
        menu.addAction("Rename…", self._rename_set)
        menu.addAction(
            "Delete", lambda: self.session.attempt(lambda: acts.remove_set(self.session, self.name, self.uv_set))
        )
        return menu

    def _new_set(self) -> None:
        self._show_set(acts.new_set(self.session, self.name))

    def _copy_set(self) -> None:
        self._show_set(acts.new_set(self.session, self.name, f"{self.uv_set} copy", self.uv_set))

    def _rename_set(self) -> None:
        name, taken = QInputDialog.getText(self, "Rename UV set", "Name", text=self.uv_set)
        if taken and name.strip():
            old, self.uv_set = self.uv_set, name.strip()
            self.session.attempt(lambda: acts.rename_set(self.session, self.name, old, name))

    def _unwrap_menu(self) -> QMenu:
        menu, mesh = self._menu(), self._mesh
        count = len(mesh.triangles) if mesh is not None else 0
        seconds = estimate(count)
        about = (
            "a few seconds" if seconds < 5 else f"about {seconds:.0f} s" if seconds < 90 else f"{seconds / 60:.0f} min"
        )
        for angle, label in (
            (66.0, "Seams at sharp edges"),
            (30.0, "Seams at soft edges too"),
            (180.0, "Fewest seams"),
        ):
            menu.addAction(f"{label} · {about}", partial(self.unwrap, angle))
        menu.addSeparator()
        self._add_options(menu)
        return menu

    def _pack_menu(self) -> QMenu:
        menu = self._menu()
        menu.addAction("Pack into the tile", self.pack)
        menu.addSeparator()
        self._add_options(menu)
        return menu

    def _add_options(self, menu: QMenu) -> None:
        """Margin and turning, which unwrapping and packing share."""
        for margin in MARGINS:
            action = menu.addAction(f"Margin {margin} texels at {SIZE}", partial(setattr, self, "margin", margin))
            action.setCheckable(True)
            action.setChecked(margin == self.margin)
        turn = menu.addAction("Islands may be turned", lambda: setattr(self, "may_turn", not self.may_turn))
        turn.setCheckable(True)
        turn.setChecked(self.may_turn)

    def _layout_menu(self) -> QMenu:
        menu = self._menu()
        for kind in acts.LAYOUTS:
            menu.addAction(LAYOUT_WORDS[kind], partial(self._lay_faces_out, kind))
        return menu

    def _lay_faces_out(self, kind: acts.Layout) -> None:
        self.session.attempt(
            lambda: acts.project_uv(self.session, self.choice, kind, self._axes() if kind == "plane" else None)
        )
        self.view.fit()

    def _axes(self) -> np.ndarray:
        """Right, up and towards the eye of the camera, in the object's space."""
        right, up, forward = self.session.camera.axes()
        item = next(one for one in self.session.bench.objects if one.name == self.name)
        return np.stack([right, up, -forward]) @ item.matrix().T

    def _edit_menu(self) -> QMenu:
        menu = self._menu()
        aligns = self.view.kind != "faces"
        for change in CHANGES if aligns else CHANGES[: CHANGES.index("align left")]:
            if change is None:
                menu.addSeparator()
            elif change != "cut off" or self.view.kind == "faces":
                menu.addAction(CHANGE_WORDS[change], partial(self.change, change))
        return menu

    def change(self, change: acts.Change) -> None:
        """Turns, flips, fits or aligns what is picked, or all."""
        self.session.attempt(lambda: acts.change_uv(self.session, self.choice, change))


@dataclass(frozen=True, eq=False)
class Measured:
    """What the page shows of a UV set. what : the measure. islands : those to be chosen; None to leave it at that."""

    shown: Shown
    what: str
    text: str
    islands: tuple[int, ...] | None


def measured(mesh: Mesh, name: str, what: str, wanted: tuple[Faces | None] | None) -> Measured:
    """Measures a UV set of a mesh. wanted : the faces whose islands are to be chosen, if any are."""
    island, found = islands_of(mesh, name), measures_of(mesh, name)
    scale = None
    if what == "stretch":
        scale = scale_of(found.stretch, found.area)
    elif what == "density":
        scale = scale_of(found.density * SIZE, found.area)
    elif what == "overlap":
        over, _ = overlapping(mesh.uv[name])
        scale = Scale(over.astype(float), 0.0, 1.0, 0.5)
    flipped = f" · {counted(int(found.flipped.sum()), 'flipped face')}" if found.flipped.any() else ""
    count, mean = counted(int(island.max(initial=-1)) + 1, "island"), found.mean_density * SIZE
    text = f"{count} · {mean:,.0f} texels a metre at {SIZE} · mean stretch {found.mean_stretch:.3f}{flipped}"
    islands: tuple[int, ...] | None = None
    if wanted is not None:
        chosen = acts.UvChoice("", name, faces=wanted[0]).triangles(mesh) if wanted[0] is not None else None
        islands = tuple(int(one) for one in np.unique(island[chosen])) if chosen is not None else ()
    shown = Shown(mesh, mesh.uv[name], shared_corners(mesh, name), island, found.flipped, scale)
    return Measured(shown, what, text, islands)


class ScaleLine(QWidget):
    """The scale of a measure: from paper to ink, the worst twentieth in the accent, with its numbers."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self._what = ""
        self._scale: Scale | None = None
        self.setFixedHeight(30)
        self.setAccessibleName("Scale of the measure")

    def show_scale(self, what: str, scale: Scale | None) -> None:
        self._what, self._scale = what, scale
        self.setVisible(scale is not None)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        scale = self._scale
        if scale is None:
            return
        painter = QPainter(self)
        bar = QRectF(0, 2, self.width() - 1, 10)
        shades = QLinearGradient(bar.topLeft(), bar.topRight())
        shades.setColorAt(0, QColor(241, 241, 241))
        shades.setColorAt(1, QColor(30, 30, 30))
        painter.fillRect(bar, shades)
        if np.isfinite(scale.worst) and scale.high > scale.low:
            share = min(max((scale.worst - scale.low) / (scale.high - scale.low), 0.0), 1.0)
            painter.fillRect(bar.adjusted(share * bar.width(), 0, 0, 0), QColor(self.theme.accent))
        painter.setPen(QColor(self.theme.ink))
        painter.drawRect(bar)
        painter.setFont(font(11))
        texts = [self._text(scale.low + (scale.high - scale.low) * at) for at in (0.0, 0.5, 1.0)]
        if self._what == "overlap":
            texts = ["clear", "", "overlaps"]
        for text, side in zip(texts, ("AlignLeft", "AlignHCenter", "AlignRight"), strict=True):
            painter.drawText(QRectF(0, 13, self.width(), 16), getattr(Qt.AlignmentFlag, side), text)
        painter.end()

    def _text(self, value: float) -> str:
        return f"{value:,.0f} texels a metre" if self._what == "density" else f"{value:.2f}"
