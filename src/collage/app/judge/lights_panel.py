"""The lights and the environment: which are on, and the values of the one in hand."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from collage.app.shell.studio import Studio
from collage.app.widgets.choosing import IMAGES, choose_file
from collage.app.widgets.fields import ColourField
from collage.app.widgets.number_field import NumberField
from collage.app.widgets.panels import empty, fill, quiet, scroll_area, title
from collage.core.actions import bench as bench_acts
from collage.core.actions import lights as acts
from collage.core.base.errors import CollageError
from collage.core.render.environment import neutral_balance
from collage.core.scene.bench import ENVIRONMENT, UNBALANCED, AreaLight, Bench, Light
from collage.core.scene.lights import COOLEST, HOTTEST

Limits = tuple[float | None, float | None]
Row = tuple[str, str, str, tuple[float, float], Limits, float]
"""Of a value: its name, label, help, soft range, limits and default."""

AMOUNT: Row = ("strength", "Strength", "How bright it is", (0.0, 20.0), (0.0, None), 4.0)
WHERE: tuple[Row, ...] = (
    ("turn", "Turn (°)", "About the upright axis", (-180.0, 180.0), (None, None), 0.0),
    ("height", "Height (°)", "Above the horizon", (-10.0, 90.0), (-90.0, 90.0), 40.0),
)
WARMTH: Row = (
    "temperature", "Temperature (K)", "3,000 K is a lamp, 6,500 K daylight", (2000.0, 10000.0), (COOLEST, HOTTEST),
    6500.0,
)  # fmt: skip
SUN: tuple[Row, ...] = (
    AMOUNT, WARMTH, *WHERE, ("size", "Size (°)", "Larger is softer", (0.0, 20.0), (0.0, 90.0), 2.0),
)  # fmt: skip
DISTANCE: Row = ("distance", "Distance (m)", "From what it shines at", (0.05, 3.0), (0.001, None), 0.9)
LENGTH: Row = ("length", "Length (m)", "Larger is softer", (0.02, 2.0), (0.001, None), 0.4)
CONE: tuple[Row, ...] = (
    ("cone", "Cone (°)", "How wide its beam is", (5.0, 120.0), (1.0, 180.0), 40.0),
    ("edge", "Soft edge", "How much of the beam fades out", (0.0, 1.0), (0.0, 1.0), 0.3),
)
AROUND: tuple[Row, ...] = (
    ("strength", "Strength", "How bright it is", (0.0, 3.0), (0.0, None), 1.0),
    ("turn", "Turn (°)", "About the upright axis", (-180.0, 180.0), (None, None), 0.0),
)
SKY: tuple[Row, ...] = (
    ("elevation", "Sun height (°)", "Above the horizon", (0.0, 90.0), (0.0, 90.0), 40.0),
    ("haze", "Haze", "2 is very clear air, 10 thick haze", (1.9, 10.0), (1.9, 10.0), 3.0),
    ("sun", "Sun strength", "Beside the sky's; 0 for none", (0.0, 2.0), (0.0, None), 1.0),
    ("sun_size", "Sun size", "1 is real; larger is softer", (1.0, 20.0), (0.1, 60.0), 1.0),
)
EXPOSURE: Row = ("exposure", "Exposure (stops)", "Brightness of the picture", (-4.0, 4.0), (-64.0, 64.0), 0.0)
CAMERA: tuple[Row, ...] = (
    ("millimetres", "Focal length (mm)", "Of the lens; longer sees less", (18.0, 135.0), (7.1, 1350.0), 52.0),
    ("aperture", "Aperture (mm)", "Wider blurs more out of focus; traced only", (0.0, 40.0), (0.0, 1000.0), 0.0),
    ("focus", "Focus (m)", "How far what is sharp is", (0.05, 3.0), (0.001, None), 1.0),
)  # fmt: skip
ADDED: tuple[tuple[str, acts.Kind], ...] = (
    ("Panel", "panel"), ("Disc", "disc"), ("Ball", "ball"), ("Spot", "spot"), ("Sun", "sun"),
)  # fmt: skip
SHAPES = {"Rectangle": "rectangle", "Disc": "disc", "Ball": "ball"}
BEHIND = {"Grey": "plain", "Environment": "sharp", "Environment, blurred": "blurred", "Nothing": "none"}


NO_FRAME = "No frame"
FRAMES: dict[str, float | None] = {
    NO_FRAME: None, "16:9": 16 / 9, "3:2": 1.5, "4:3": 4 / 3, "1:1": 1.0, "4:5": 0.8, "9:16": 9 / 16, "2.39:1": 2.39,
}  # fmt: skip


def rows_of(light: Light) -> tuple[Row, ...]:
    """The values of a light that are shown."""
    if not isinstance(light, AreaLight):
        return SUN
    across = "Width (m)" if light.shape == "rectangle" else "Across (m)"
    width: Row = ("width", across, "Larger is softer", (0.02, 2.0), (0.001, None), 0.4)
    length = (LENGTH,) if light.shape == "rectangle" else ()
    return (AMOUNT, WARMTH, *WHERE, DISTANCE, width, *length, *(CONE if light.cone is not None else ()))


_OF_CAMERA = frozenset(row[0] for row in CAMERA)
KINDS = ("Plain grey", "Sky", "Image file…")


class LightsPanel(QFrame):
    """Which lights shine, and the values of the one in hand."""

    taken = Signal(int)  # the light in hand, negative for the environment
    highlight_wanted = Signal(bool)
    shadow_wanted = Signal(bool)
    focus_wanted = Signal(bool)
    frame_wanted = Signal(object, bool)  # width over height, or None; and whether thirds are shown

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.studio, self.session, self.number = studio, studio.session, 0
        self.fields: dict[str, NumberField] = {}
        self._built: object = None
        self._frame = NO_FRAME, False
        whole = QVBoxLayout(self)
        whole.setContentsMargins(12, 10, 12, 10)
        head = QHBoxLayout()
        head.addWidget(title("Lights"), 1)
        self.add = QToolButton()
        self.add.setText("Add")
        self.add.setToolTip("Add a light")
        self.add.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.add.setStyleSheet("QToolButton::menu-indicator { image: none; }")
        menu = QMenu(self.add)
        for words, kind in ADDED:
            menu.addAction(words, partial(self._add, kind))
        self.add.setMenu(menu)
        head.addWidget(self.add)
        whole.addLayout(head)
        self.list = QVBoxLayout()
        self.list.setSpacing(2)
        whole.addLayout(self.list)
        self.area = scroll_area()
        whole.addWidget(self.area, 1)
        self.session.changed.connect(self._on_changed)
        self.session.opened.connect(self._opened)
        self.session.camera_changed.connect(self._looked)
        self._show()

    def close_down(self) -> None:
        self.session.changed.disconnect(self._on_changed)
        self.session.opened.disconnect(self._opened)
        self.session.camera_changed.disconnect(self._looked)

    # ---- showing ------------------------------------------------------------------------------

    @property
    def light(self) -> Light | None:
        lights = self.session.bench.lights
        return lights[self.number] if 0 <= self.number < len(lights) else None

    def take(self, number: int) -> None:
        """Takes a light in hand; negative for the environment."""
        self.number = number
        self._show()
        self.taken.emit(number)

    def _opened(self) -> None:
        self.take(0 if self.session.bench.lights else ENVIRONMENT)

    def _looked(self) -> None:
        self._show_values(self.session.bench)

    def _on_changed(self, before: object, after: object) -> None:
        lights = self.session.bench.lights
        if self.number >= len(lights):
            self.take(len(lights) - 1 if lights else ENVIRONMENT)
        else:
            self._show()

    def _show(self) -> None:
        """Builds rows and fields anew where others are needed; else shows the values."""
        bench = self.session.bench
        light = self.light
        environment = bench.environment
        shape = (
            tuple((one.name, one.on) for one in bench.lights), environment.on, environment.file,
            environment.daylight is not None, environment.balance, bench.soloed, self.number,
            tuple(row[1] for row in rows_of(light)) if light is not None else (),
        )  # fmt: skip
        if shape != self._built:
            self._built = shape
            self._build_list(bench)
            self._build_fields(bench)
        self._show_values(bench)

    def _build_list(self, bench: Bench) -> None:
        empty(self.list)
        for number, light in enumerate(bench.lights):
            self.list.addWidget(self._row(number, light.name, light.on))
        self.list.addWidget(self._row(ENVIRONMENT, "Environment", bench.environment.on))

    def _row(self, number: int, name: str, on: bool) -> QWidget:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        check = QCheckBox()
        check.setChecked(on)
        check.setAccessibleName(f"{name} on")
        check.setToolTip("On or off")
        check.clicked.connect(lambda on: self._switch(number, on))
        button = QPushButton(name)
        button.setCheckable(True)
        button.setChecked(number == self.number)
        button.setToolTip("Show its values")
        button.clicked.connect(lambda: self.take(number))
        line.addWidget(check)
        line.addWidget(button, 1)
        return row

    def _build_fields(self, bench: Bench) -> None:
        inside = QWidget()
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 8, 0, 0)
        light = self.light
        column.addWidget(title(light.name if light is not None else "Environment"))
        grid = QGridLayout()
        grid.setVerticalSpacing(5)
        grid.setColumnStretch(0, 1)
        self.fields = {}
        if light is not None:
            for row in rows_of(light):
                self._add_field(grid, row, partial(self._edit_light, row[0]))
            column.addLayout(grid)
            column.addLayout(self._colour_row(light))
            if isinstance(light, AreaLight):
                self._add_shape(column)
        else:
            column.addWidget(self._kind_field(bench))
            for row in AROUND:
                self._add_field(grid, row, partial(self._edit_around, row[0]))
            for row in SKY if bench.environment.daylight is not None else ():
                self._add_field(grid, row, partial(self._edit_sky, row[0]))
            column.addLayout(grid)
            column.addLayout(self._behind_row())
        column.addLayout(self._buttons(bench))
        self._add_camera(column)
        column.addStretch(1)
        fill(self.area, inside)

    def _add_shape(self, column: QVBoxLayout) -> None:
        self.shape = QComboBox()
        self.shape.addItems(list(SHAPES))
        self.shape.setAccessibleName("Shape of the light")
        self.shape.setToolTip("Shape of the light")
        self.shape.activated.connect(lambda at: self._give(shape=list(SHAPES.values())[at]))
        self.spot, self.visible = QCheckBox("Spot"), QCheckBox("Camera sees it")
        self.spot.setToolTip("Shines only within a cone")
        self.spot.clicked.connect(lambda on: self._give(cone=acts.USUAL_SPOT if on else None))
        self.visible.setToolTip("Show the light itself in the picture")
        self.visible.clicked.connect(lambda on: self._give(visible=on))
        line = QHBoxLayout()
        line.addWidget(self.spot)
        line.addWidget(self.visible)
        line.addStretch(1)
        column.addWidget(self.shape)
        column.addLayout(line)

    def _behind_row(self) -> QHBoxLayout:
        self.behind = QComboBox()
        self.behind.addItems(list(BEHIND))
        # as narrow as the panel: the longest of its words would widen it
        self.behind.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.behind.setMinimumContentsLength(6)
        self.behind.setAccessibleName("Behind the objects")
        self.behind.setToolTip("What is seen behind the objects")
        self.behind.activated.connect(
            lambda at: bench_acts.change_environment(self.session, behind=list(BEHIND.values())[at])  # type: ignore[arg-type]
        )
        self.balance = QPushButton("Balance")
        self.balance.setCheckable(True)
        self.balance.setToolTip("Take the tint out of its light, so that white looks white")
        self.balance.clicked.connect(self._balance)
        line = QHBoxLayout()
        line.addWidget(self.behind, 1)
        line.addWidget(self.balance)
        return line

    def _add_camera(self, column: QVBoxLayout) -> None:
        column.addSpacing(10)
        column.addWidget(title("Camera"))
        grid = QGridLayout()
        grid.setColumnStretch(0, 1)
        self._add_field(grid, EXPOSURE, self._expose)
        for row in CAMERA:
            self._add_field(grid, row, partial(self._edit_camera, row[0]))
        column.addLayout(grid)
        self.focus = QPushButton("Focus by click…")
        self.focus.setCheckable(True)
        self.focus.setToolTip("Then click what is to be sharp")
        self.focus.clicked.connect(self.focus_wanted)
        column.addWidget(self.focus)
        self._add_frame(column)

    def _add_frame(self, column: QVBoxLayout) -> None:
        self.frame_box = QComboBox()
        self.frame_box.addItems(list(FRAMES))
        self.frame_box.setCurrentText(self._frame[0])
        self.frame_box.setAccessibleName("Frame")
        self.frame_box.setToolTip("Show the frame of a picture of this shape")
        self.thirds, self.lock = QCheckBox("Thirds"), QCheckBox("Lock")
        self.thirds.setToolTip("Lines at the thirds of the frame")
        self.thirds.setChecked(self._frame[1])
        self.lock.setToolTip("Orbiting, panning and zooming leave the camera where it is")
        self.lock.setChecked(self.session.camera.locked)
        self.frame_box.activated.connect(lambda _at: self._show_frame())
        self.thirds.clicked.connect(lambda _on: self._show_frame())
        self.lock.clicked.connect(lambda on: self.session.look(self.session.camera.model_copy(update={"locked": on})))
        line = QHBoxLayout()
        for part in (self.frame_box, self.thirds, self.lock):
            line.addWidget(part)
        line.addStretch(1)
        column.addLayout(line)

    def _show_frame(self) -> None:
        self._frame = self.frame_box.currentText(), self.thirds.isChecked()
        self.frame_wanted.emit(FRAMES[self._frame[0]], self._frame[1])

    def _add_field(self, grid: QGridLayout, row: Row, edit: Callable[[float, bool], None]) -> None:
        name, label, tip, soft, hard, usual = row
        field = self.fields[name] = NumberField(usual, soft=soft, hard=hard, whole=name == "temperature")
        field.setAccessibleName(label)
        field.setToolTip(tip)
        field.setFixedWidth(92)
        field.edited.connect(edit)
        field.reset.connect(partial(edit, usual, False))
        at = grid.rowCount()
        grid.addWidget(quiet(label), at, 0)
        grid.addWidget(field, at, 1)

    def _colour_row(self, light: Light) -> QHBoxLayout:
        line = QHBoxLayout()
        line.addWidget(quiet("Colour"), 1)
        self.colour = ColourField(3)
        self.colour.edited.connect(self._edit_colour)
        self.colour.reset.connect(partial(self._edit_colour, (1.0, 1.0, 1.0), False))
        line.addWidget(self.colour)
        return line

    def _kind_field(self, bench: Bench) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName("What lights from all around")
        box.setToolTip("What lights from all around")
        box.addItems(KINDS)
        environment = bench.environment
        if environment.file and environment.daylight is None:
            box.insertItem(2, Path(environment.file).name)
        box.setCurrentIndex(1 if environment.daylight is not None else 2 if environment.file else 0)
        box.activated.connect(lambda at, box=box: self._choose_kind(box.itemText(at)))
        self.kind = box
        return box

    def _buttons(self, bench: Bench) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setContentsMargins(0, 6, 0, 0)
        line = QHBoxLayout()
        self.solo = QPushButton("Solo")
        self.solo.setCheckable(True)
        self.solo.setChecked(bench.soloed == self.number)
        self.solo.setToolTip("Only this light")
        self.solo.clicked.connect(lambda on: acts.solo(self.session, self.number if on else None))
        line.addWidget(self.solo)
        if self.light is not None:
            self.highlight = QPushButton("Put the highlight here…")
            self.highlight.setCheckable(True)
            self.highlight.setToolTip("Then drag the highlight to its place in the picture")
            self.highlight.clicked.connect(self.highlight_wanted)
            column.addWidget(self.highlight)
            self.shadow = QPushButton("Drag its shadow…")
            self.shadow.setCheckable(True)
            self.shadow.setToolTip("Then drag a shadow of this light in the picture")
            self.shadow.clicked.connect(self.shadow_wanted)
            column.addWidget(self.shadow)
            remove = QPushButton("Remove")
            remove.setToolTip("Remove this light")
            remove.clicked.connect(lambda: acts.remove_light(self.session, self.number))
            line.addWidget(remove)
        column.addLayout(line)
        return column

    def show_placing(self, highlight: bool, shadow: bool) -> None:
        """Whether a highlight is being placed, or a shadow dragged."""
        if self.light is not None:
            self.highlight.setChecked(highlight)
            self.shadow.setChecked(shadow)

    def show_focusing(self, on: bool) -> None:
        """Whether the next click sets the focus."""
        self.focus.setChecked(on)

    def _show_values(self, bench: Bench) -> None:
        light, environment, camera = self.light, bench.environment, self.session.camera
        holder = light if light is not None else environment
        for name, field in self.fields.items():
            if name == "exposure":
                value = bench.exposure
            elif name in _OF_CAMERA:
                value = getattr(camera, name)
                value = camera.distance if value is None else value
            elif light is None and environment.daylight is not None and hasattr(environment.daylight, name):
                value = getattr(environment.daylight, name)
            else:
                value = getattr(holder, name)
            if name == "temperature" and value is None:
                value = 6500.0
            field.set_value(value)
        self.lock.setChecked(camera.locked)
        if light is None:
            self.behind.setCurrentIndex(list(BEHIND.values()).index(environment.behind))
            self.balance.setChecked(environment.balance != UNBALANCED)
            return
        self.colour.set_value(light.colour)
        if isinstance(light, AreaLight):
            self.shape.setCurrentIndex(list(SHAPES.values()).index(light.shape))
            self.spot.setChecked(light.cone is not None)
            self.visible.setChecked(light.visible)

    # ---- changing -----------------------------------------------------------------------------

    def _add(self, kind: acts.Kind) -> None:
        self.take(acts.add_light(self.session, kind))

    def _switch(self, number: int, on: bool) -> None:
        if number == ENVIRONMENT:
            bench_acts.switch_environment(self.session, on)
        else:
            bench_acts.switch_light(self.session, number, on)

    def _done(self, moving: bool) -> None:
        if not moving:
            self.session.history.close_merge()

    def _edit_light(self, name: str, value: float, moving: bool) -> None:
        acts.change_light(self.session, self.number, **{name: value})
        self._done(moving)

    def _give(self, **values: object) -> None:
        acts.change_light(self.session, self.number, **values)
        self._done(False)

    def _balance(self, on: bool) -> None:
        """One click takes the tint out of the environment's light, another brings it back."""
        bench, folder = self.session.bench, self.session.base_folder
        plain = bench.environment.model_copy(update={"balance": UNBALANCED})
        try:
            light = self.studio.renderer.caches.environment(
                bench.model_copy(update={"environment": plain, "soloed": None}), folder
            )
            acts.balance_environment(self.session, neutral_balance(light) if on and light is not None else UNBALANCED)
        except CollageError as error:
            self.studio.tell(error)

    def _edit_colour(self, colour: tuple[float, float, float], moving: bool) -> None:
        acts.change_light(self.session, self.number, colour=colour)
        self._done(moving)

    def _edit_around(self, name: str, value: float, moving: bool) -> None:
        bench_acts.change_environment(self.session, **{name: value})  # type: ignore[arg-type]
        self._done(moving)

    def _edit_sky(self, name: str, value: float, moving: bool) -> None:
        acts.change_sky(self.session, **{name: value})
        self._done(moving)

    def _expose(self, value: float, moving: bool) -> None:
        bench_acts.set_exposure(self.session, value)
        self._done(moving)

    def _edit_camera(self, name: str, value: float, _moving: bool) -> None:
        camera = self.session.camera
        if name == "millimetres":
            self.session.look(camera.with_millimetres(value))
        else:
            self.session.look(camera.model_copy(update={name: value}))

    def _choose_kind(self, text: str) -> None:
        try:
            if text == "Sky":
                acts.change_sky(self.session)
            elif text == "Plain grey":
                acts.plain_environment(self.session)
            elif text == "Image file…":
                self._choose_file()
        except CollageError as error:
            self.studio.tell(error)
        self._built = None
        self._show()

    def _choose_file(self) -> None:
        path = choose_file(self, "Environment image", None, IMAGES)
        if path is not None:
            bench_acts.change_environment(self.session, file=path)
