"""Where the chosen object stands, which way round and how large: typed, or dragged in the fields."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from collage.app.widgets.number_field import NumberField
from collage.app.widgets.panels import quiet, title
from collage.core.actions import objects as acts
from collage.core.actions.bake import wear_baked
from collage.core.actions.registry import action_of
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.scene.bench import BenchObject
from collage.core.scene.stage import length_text

AXES = (("x", "Right (m)", "To the right"), ("y", "Up (m)", "Above the ground"), ("z", "Front (m)", "To the front"))
ANGLES = (("turn", "Turn (°)", "About the upright axis"), ("tilt", "Tilt (°)", "About the axis to its right"),
          ("roll", "Roll (°)", "About the axis to its front"))  # fmt: skip


class PlacementPanel(QFrame):
    """Fields for one object; empty where none is chosen."""

    bake_wanted = Signal(str)  # for the object, by its name

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.session, self.name = session, ""
        self.fields: dict[str, NumberField] = {}
        self.heading, self.extent = title("Placement"), quiet("")
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(10)
        self.grid.setVerticalSpacing(6)
        for column, group in enumerate((AXES, ANGLES)):
            for row, (key, label, tip) in enumerate(group):
                soft = (-1.0, 1.0) if group is AXES else (-180.0, 180.0)
                self._add(key, label, tip, row, 2 * column, soft, 0.0)
        self._add("scale", "Scale", "1 as in its file", 0, 4, (0.0, 4.0), 1.0, hard=(1e-4, 1e4))
        self.buttons: dict[str, QPushButton] = {}
        acts_row = QHBoxLayout()
        for key, act in (("drop", acts.drop), ("duplicate", acts.duplicate), ("remove", acts.remove)):
            action = action_of(act)
            button = self.buttons[key] = QPushButton(action.label)
            button.setToolTip(action.help)
            button.clicked.connect(partial(self._do, act))
            acts_row.addWidget(button)
        bake = self.buttons["bake"] = QPushButton(action_of(wear_baked).label)
        bake.setToolTip("Bake normals, height, occlusion and more onto its UVs")
        bake.clicked.connect(lambda: self.bake_wanted.emit(self.name))
        acts_row.addWidget(bake)
        acts_row.addStretch(1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(12, 10, 12, 10)
        head = QHBoxLayout()
        head.addWidget(self.heading)
        head.addSpacing(12)
        head.addWidget(self.extent, 1)
        whole.addLayout(head)
        whole.addLayout(self.grid)
        whole.addLayout(acts_row)
        whole.addStretch(1)
        session.changed.connect(self._on_changed)
        self.show_object("")

    def close_down(self) -> None:
        self.session.changed.disconnect(self._on_changed)

    def _add(
        self, key: str, label: str, tip: str, row: int, column: int, soft: tuple[float, float], usual: float,
        hard: tuple[float | None, float | None] = (None, None),
    ) -> None:  # fmt: skip
        field = self.fields[key] = NumberField(usual, soft=soft, hard=hard)
        field.setAccessibleName(label)
        field.setToolTip(tip)
        field.setFixedWidth(96)
        field.edited.connect(lambda value, moving, key=key: self._edited(key, value, moving))
        field.reset.connect(lambda key=key, usual=usual: self._edited(key, usual, False))
        self.grid.addWidget(QLabel(label), row, column)
        self.grid.addWidget(field, row, column + 1)
        self.grid.setColumnStretch(6, 1)

    # ---- showing ------------------------------------------------------------------------------

    @property
    def item(self) -> BenchObject | None:
        return next((one for one in self.session.bench.objects if one.name == self.name), None)

    def show_object(self, name: str) -> None:
        """Shows another object; none for an empty name."""
        self.name = name
        self._show()

    def _on_changed(self, _before: object, _after: object) -> None:
        self._show()

    def _show(self) -> None:
        item = self.item
        for widget in (*self.fields.values(), *self.buttons.values()):
            widget.setEnabled(item is not None)
        self.heading.setText(item.name if item is not None else "Placement")
        self.extent.setText(_size(item) if item is not None else "Choose an object to place it.")
        if item is None:
            return
        values = {**dict(zip("xyz", item.place, strict=True)), "turn": item.turn, "tilt": item.tilt, "roll": item.roll,
                  "scale": item.scale}  # fmt: skip
        for key, value in values.items():
            self.fields[key].set_value(value)

    # ---- changing -----------------------------------------------------------------------------

    def _edited(self, key: str, value: float, moving: bool) -> None:
        item = self.item
        if item is None:
            return
        merge = f"{self.name} {key}"
        if key in "xyz":
            at = [*item.place]
            at["xyz".index(key)] = value
            acts.place(self.session, self.name, at=(at[0], at[1], at[2]), merge=merge)
        else:
            acts.place(self.session, self.name, **{key: value}, merge=merge)  # type: ignore[arg-type]
        if not moving:
            self.session.history.close_merge()

    def _do(self, act: Callable[[Session, str], object], _checked: bool = False) -> None:
        if self.item is not None:
            act(self.session, self.name)


def _size(item: BenchObject) -> str:
    """How large an object is, and of how many triangles."""
    try:
        mesh = item.mesh()
    except CollageError as error:
        return str(error)
    width, height, depth = (length_text(max(float(one), 1e-6)) for one in mesh.bounds[1] - mesh.bounds[0])
    return f"{width} wide, {height} high, {depth} deep · {len(mesh.triangles):,} triangles"
