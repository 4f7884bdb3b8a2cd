"""The strip over the objects: how faces are picked, and what is done with them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Literal, get_args

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QComboBox, QFrame, QHBoxLayout, QLabel, QMenu, QPushButton

from collage.app.widgets.number_field import NumberField
from collage.core.actions import faces as acts
from collage.core.actions import materials
from collage.core.actions.registry import action_of
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.geometry import picking
from collage.core.geometry.mesh import Mesh

Way = Literal["objects", "face", "run", "facing", "piece", "box", "lasso", "edge"]
WAYS: dict[Way, tuple[str, str]] = {
    "objects": ("Objects and parts", "Click an object, again its part"),
    "face": ("Faces", "Click a face · Ctrl+click adds or takes away"),
    "run": ("Smooth runs", "Click: all that is reached over edges up to this angle · Ctrl+click adds"),
    "facing": ("Facing this way", "Click: all faces that look the same way, within this angle · Ctrl+click adds"),
    "piece": ("Whole pieces", "Click a connected piece · Ctrl+click adds"),
    "box": ("Box", "Drag a box over what is to be picked · Ctrl adds"),
    "lasso": ("Lasso", "Drag around what is to be picked · Ctrl adds"),
    "edge": ("Edges", "Click an edge, for its UVs · Ctrl+click adds or takes away"),
}
assert set(WAYS) == set(get_args(Way))


class PickStrip(QFrame):
    """Holds what is picked of one object; what it shows over the picture is told."""

    changed = Signal(object)  # (t,) bool of the object's triangles, or None
    way_changed = Signal(str)
    named = Signal(object)  # Chosen: faces that got a name

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.session = session
        self.name = ""
        self.picked: np.ndarray | None = None
        self.ways = QComboBox()
        self.ways.setAccessibleName("Pick")
        self.ways.setToolTip("What a click in the picture picks")
        for way, (label, tip) in WAYS.items():
            self.ways.addItem(label, way)
            self.ways.setItemData(self.ways.count() - 1, tip, Qt.ItemDataRole.ToolTipRole)
        self.ways.activated.connect(lambda _: self._way())
        self.angle = NumberField(30.0, soft=(0.0, 90.0), hard=(0.0, 180.0))
        self.angle.setAccessibleName("Angle (°)")
        self.angle.setToolTip("Degrees, for smooth runs and for faces that look the same way")
        self.angle.setFixedWidth(64)
        self.angle.edited.connect(lambda value, _: self.angle.set_value(value))
        self.count = QLabel("")
        self.count.setObjectName("quiet")
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 4, 8, 4)
        row.setSpacing(5)
        row.addWidget(QLabel("Pick"))
        row.addWidget(self.ways)
        row.addWidget(self.angle)
        self.buttons: dict[str, QPushButton] = {}
        name = action_of(acts.name_faces)
        for key, label, tip, take in (
            ("grow", "Grow", "One ring of faces more", partial(self._change, picking.grown)),
            ("shrink", "Shrink", "One ring of faces less", partial(self._change, picking.shrunk)),
            ("invert", "Invert", "All other faces of the object", partial(self._change, lambda _, one: ~one)),
            ("assign", "Assign ▾", "Names the faces and gives them a material", self._open_materials),
            ("name", "Name", name.help, self.name_them),
        ):
            button = self.buttons[key] = QPushButton(label)
            button.setToolTip(tip)
            button.setFixedHeight(22)
            button.clicked.connect(take)
            row.addWidget(button)
        row.addWidget(self.count)
        row.addStretch(1)
        self._show()

    # ---- what is picked -----------------------------------------------------------------------

    @property
    def way(self) -> Way:
        return self.ways.currentData()  # type: ignore[no-any-return]

    def _way(self) -> None:
        if self.way in ("objects", "edge"):
            self.pick("", None)
        self._show()
        self.way_changed.emit(self.way)

    def pick(self, name: str, picked: np.ndarray | None, *, adds: bool = False) -> None:
        """Picks faces of an object, (t,) bool; none for None. adds : to what is picked, or away if all of it is."""
        if adds and picked is not None and name == self.name:
            picked = picking.with_picked(self.picked, picked)
        self.name, self.picked = name, picked if picked is not None and picked.any() else None
        self._show()
        self.changed.emit(self.picked)

    def take(self, name: str, picked: np.ndarray | None) -> None:
        """Holds what was picked in an object's UVs, (t,) bool, so that it can be named and assigned."""
        self.name, self.picked = name, picked
        self._show()

    def by_click(self, name: str, mesh: Mesh, triangle: int, *, adds: bool) -> None:
        """What a click on a triangle picks in the present way."""
        angle = float(self.angle.value)
        ways: dict[str, Callable[[], np.ndarray]] = {
            "face": lambda: picking.polygon(mesh, triangle),
            "run": lambda: picking.flood(mesh, triangle, angle),
            "facing": lambda: picking.facing(mesh, mesh.face_normals[triangle], angle),
            "piece": lambda: np.asarray(mesh.piece == np.asarray(mesh.piece)[triangle]),
        }
        if self.way in ways:
            self.pick(name, ways[self.way](), adds=adds)

    def _mesh(self) -> Mesh | None:
        item = next((one for one in self.session.bench.objects if one.name == self.name), None)
        try:
            mesh = item.mesh() if item is not None else None
        except CollageError:
            return None
        return (
            mesh if mesh is not None and self.picked is not None and len(mesh.triangles) == len(self.picked) else None
        )

    def _change(self, how: Callable[[Mesh, np.ndarray], np.ndarray], _checked: bool = False) -> None:
        mesh = self._mesh()
        if mesh is not None and self.picked is not None:
            self.pick(self.name, how(mesh, self.picked))

    def _show(self) -> None:
        of_faces = self.way not in ("objects", "edge") or self.picked is not None
        for button in self.buttons.values():
            button.setVisible(of_faces)
            button.setEnabled(self.picked is not None)
        self.angle.setVisible(self.way in ("run", "facing"))
        count = int(self.picked.sum()) if self.picked is not None else 0
        self.count.setText(f"{count:,} {'triangle' if count == 1 else 'triangles'}" if count else "")
        self.count.setVisible(of_faces)

    # ---- what is done with it -----------------------------------------------------------------

    def name_them(self, _checked: bool = False) -> str:
        """Keeps what is picked under a name; the name, empty where nothing was."""
        if self.picked is None:
            return ""
        name, picked = self.name, self.picked
        made = self.session.attempt(lambda: acts.name_faces(self.session, name, "Faces", picked))
        if made is None:
            return ""
        self.named.emit((self.name, ("set", made, 0)))
        return made

    def materials_menu(self) -> QMenu:
        """The materials that what is picked can have."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        for one in self.session.project.materials:
            menu.addAction(one, partial(self.assign, one))
        return menu

    def _open_materials(self, _checked: bool = False) -> None:
        button = self.buttons["assign"]
        self.materials_menu().popup(button.mapToGlobal(button.rect().bottomLeft()))

    def assign(self, material: str) -> None:
        """Gives what is picked a material, under a name; one step."""
        number = next((at for at, one in enumerate(self.session.project.bench.objects) if one.name == self.name), -1)
        if number < 0 or self.picked is None:
            return
        with self.session.history.group(f"Assign {material} to faces of {self.name}"):
            name = self.name_them()
            if name:
                materials.assign_material(self.session, number, material, ("set", name, 0))
