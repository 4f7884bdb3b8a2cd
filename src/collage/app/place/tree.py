"""The objects with their parts, slots and pieces, and the material of each."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtWidgets import QFrame, QHeaderView, QLineEdit, QMenu, QTreeWidget, QTreeWidgetItem, QVBoxLayout

from collage.app.place.view import Chosen
from collage.app.shell.acts import add
from collage.app.widgets.panels import title
from collage.core.actions import faces as faces_acts
from collage.core.actions import materials as materials_acts
from collage.core.actions import objects as acts
from collage.core.actions.bake import wear_baked
from collage.core.actions.registry import action_of
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.geometry.mesh import Mesh
from collage.core.scene.bench import BenchObject, Faces, groups_of

MOST_PIECES = 200  # that are listed; more can be picked on the object


class ObjectTree(QFrame):
    """A tree that follows the project; what is chosen in it is told."""

    chosen = Signal(object)  # Chosen, or None
    bake_wanted = Signal(str)  # for an object, by its name

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.session = session
        self._shown: object = None
        self._quiet = False  # while it is filled, or chosen from outside
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find objects and parts")
        self.search.setAccessibleName("Find objects and parts")
        self.search.setToolTip("Show only what has this in its name or its material")
        self.search.textChanged.connect(self._filter)
        self.tree = QTreeWidget()
        self.tree.setAccessibleName("Objects")
        self.tree.setToolTip("Objects and their parts; double-click to rename an object")
        self.tree.setHeaderLabels(["Object", "Material"])
        self.tree.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.tree.header().setStretchLastSection(False)
        self.tree.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.tree.setColumnWidth(1, 112)
        self.tree.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.tree.customContextMenuRequested.connect(self._menu_at)
        self.tree.currentItemChanged.connect(self._current_changed)
        self.tree.itemChanged.connect(self._renamed)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 10, 8, 8)
        column.addWidget(title("Objects"))
        column.addWidget(self.search)
        column.addWidget(self.tree, 1)
        session.changed.connect(self._on_changed)
        session.opened.connect(self.fill)
        self.fill()

    def close_down(self) -> None:
        self.session.changed.disconnect(self._on_changed)
        self.session.opened.disconnect(self.fill)

    # ---- filling ------------------------------------------------------------------------------

    def _on_changed(self, _before: object, _after: object) -> None:
        if self._key() != self._shown:
            self.fill()

    def _key(self) -> object:
        return tuple(
            (item.name, item.geometry, item.material, item.assigned, item.hidden, item.locked, item.face_sets,
             item.hidden_faces) for item in self.session.project.bench.objects
        )  # fmt: skip

    def fill(self) -> None:
        """Lists all anew; what was open and chosen stays so."""
        now, self._shown = self.current, self._key()
        opened = {item.text(0) for item in self._tops() if item.isExpanded()}
        self._quiet = True
        self.tree.clear()
        for item in self.session.bench.objects:
            line = self._line(item.name, item.material or "none", (item.name, None))
            line.setFlags(line.flags() | Qt.ItemFlag.ItemIsEditable)
            face = line.font(0)
            face.setItalic(item.hidden)
            line.setFont(0, face)
            if item.locked:
                line.setToolTip(0, f"{item.name}: locked")
                line.setForeground(0, self.palette().placeholderText())
            self.tree.addTopLevelItem(line)
            for faces, text in _faces_of(item):
                below = self._line(text, item.material_on(faces), (item.name, faces))
                face.setItalic(item.hidden or faces in item.hidden_faces)
                below.setFont(0, face)
                line.addChild(below)
            line.setExpanded(item.name in opened)
        self._quiet = False
        self._filter(self.search.text())
        self.choose(now)

    @staticmethod
    def _line(text: str, material: str, chosen: Chosen) -> QTreeWidgetItem:
        line = QTreeWidgetItem([text, material])
        line.setData(0, Qt.ItemDataRole.UserRole, chosen)
        line.setToolTip(0, text)
        line.setToolTip(1, material)
        return line

    def _tops(self) -> Iterator[QTreeWidgetItem]:
        for row in range(self.tree.topLevelItemCount()):
            item = self.tree.topLevelItem(row)
            if item is not None:
                yield item

    def _filter(self, text: str) -> None:
        wanted = text.strip().lower()
        for top in self._tops():
            lines = _children(top)
            own = _has(top, wanted)
            for line in lines:
                line.setHidden(not (own or _has(line, wanted)))
            top.setHidden(not (own or any(_has(line, wanted) for line in lines)))

    # ---- choosing -----------------------------------------------------------------------------

    @property
    def current(self) -> Chosen | None:
        item = self.tree.currentItem()
        return item.data(0, Qt.ItemDataRole.UserRole) if item is not None else None

    def choose(self, chosen: Chosen | None) -> None:
        """Marks a line, as far as there is one; nothing is told."""
        self._quiet = True
        found = next((line for line in self._lines() if line.data(0, Qt.ItemDataRole.UserRole) == chosen), None)
        if found is None and chosen is not None:
            found = next((top for top in self._tops() if top.text(0) == chosen[0]), None)
        self.tree.setCurrentItem(found)  # type: ignore[arg-type]  # none is none
        self._quiet = False

    def _lines(self) -> Iterator[QTreeWidgetItem]:
        for top in self._tops():
            yield top
            yield from _children(top)

    def _current_changed(self, *_items: object) -> None:
        if not self._quiet:
            self.chosen.emit(self.current)

    def _renamed(self, item: QTreeWidgetItem, column: int) -> None:
        if self._quiet or column != 0 or item.parent() is not None:
            return
        old, _ = item.data(0, Qt.ItemDataRole.UserRole)
        if item.text(0) != old:
            acts.rename(self.session, old, item.text(0))
            self.fill()

    # ---- what can be done ---------------------------------------------------------------------

    def _menu_at(self, place: QPoint) -> None:
        item = self.tree.itemAt(place)
        if item is not None:
            self.menu(item.data(0, Qt.ItemDataRole.UserRole)).popup(self.tree.viewport().mapToGlobal(place))

    def menu(self, chosen: Chosen) -> QMenu:
        """The materials for an object or some of its faces, and what can be done with the object."""
        name, faces = chosen
        session, menu = self.session, QMenu(self)
        menu.setObjectName("object menu")
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        number = [item.name for item in session.project.bench.objects].index(name)
        item = session.project.bench.objects[number]
        now = item.material if faces is None else item.material_on(faces)
        menu.addSection("Material")
        for material in (*([""] if faces is not None else []), *session.project.materials):
            action = menu.addAction(
                material or "As the object",
                partial(materials_acts.assign_material, session, number, material, faces),
            )
            action.setCheckable(True)
            action.setChecked(material == now)
        menu.addSection(name)
        if faces is not None and faces[0] == "set":
            add(menu, faces_acts.remove_faces, partial(faces_acts.remove_faces, session, name, faces[1]))
        menu.addAction("Unlock" if item.locked else "Lock", partial(acts.lock, session, name, not item.locked))
        menu.addAction("Show again" if item.hidden else "Hide", partial(acts.hide, session, name, not item.hidden))
        if faces is not None:
            gone = faces in item.hidden_faces
            menu.addAction("Show this part again" if gone else action_of(acts.hide_faces).label,
                           partial(acts.hide_faces, session, name, faces, not gone))  # fmt: skip
            if faces[0] != "set":
                add(menu, acts.isolate_faces, partial(acts.isolate_faces, session, name, faces))
        add(menu, wear_baked, partial(self.bake_wanted.emit, name))
        for act in (acts.isolate, acts.duplicate, acts.drop, acts.remove):
            add(menu, act, partial(act, session, name))
        return menu


def _children(top: QTreeWidgetItem) -> list[QTreeWidgetItem]:
    every = (top.child(at) for at in range(top.childCount()))
    return [one for one in every if one is not None]


def _has(line: QTreeWidgetItem, wanted: str) -> bool:
    return wanted in f"{line.text(0)} {line.text(1)}".lower()


def _faces_of(item: BenchObject) -> Iterator[tuple[Faces, str]]:
    """What of an object can have a material of its own, and how it is called; nothing of one that has one part only."""
    try:
        mesh: Mesh = item.mesh()
    except CollageError:
        return
    parts, slots, pieces = (groups_of(mesh, by) for by in ("part", "slot", "piece"))
    for faces in parts if len(mesh.part_names) > 1 else ():
        yield faces, faces[1] or "without a name"
    for faces in slots if len(mesh.slot_names) > 1 else ():
        yield faces, f"Slot {faces[1] or 'without a name'}"
    for one in item.face_sets:
        yield ("set", one.name, 0), f"Faces {one.name}"
    if 1 < len(pieces) <= MOST_PIECES and len(pieces) != len(mesh.part_names):
        for faces in pieces:
            yield faces, f"Piece {faces[2] + 1}"
