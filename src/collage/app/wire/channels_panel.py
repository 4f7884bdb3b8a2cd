"""The channels: the inputs of the surface, as rows grouped as the standard groups them."""

from __future__ import annotations

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtGui import QCursor, QDragEnterEvent, QDropEvent, QImage, QPixmap, QShowEvent
from PySide6.QtWidgets import (
    QApplication,
    QCheckBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from collage.app.theme import Theme, icon
from collage.app.widgets.dragged import files_in
from collage.app.widgets.fields import Field, field_for
from collage.app.widgets.panels import fill, quiet, scroll_area, title
from collage.app.wire.channel_names import channel_label
from collage.app.wire.value_menu import value_menu
from collage.core.actions.session import Session
from collage.core.document import links
from collage.core.document.model import Card
from collage.core.nodes.labels import title_of
from collage.core.nodes.library import TabDef
from collage.core.nodes.wiring import origin
from collage.core.render.channels import BY_NAME, SHOWN


def _approximation(name: str) -> str:
    """How the preview shows a channel, if not exactly."""
    return BY_NAME[name].approximation if name in BY_NAME else ""


class ChannelsPanel(QFrame):
    """Rows of picture, name, value or source, mute and peek."""

    view_wanted = Signal(str)  # an input to look at alone
    files_dropped = Signal(object, str)  # list of Paths, the channel under the pointer

    def __init__(self, session: Session, theme: Theme) -> None:
        super().__init__()
        self.session, self.theme = session, theme
        self.setObjectName("panel")
        self.setAcceptDrops(True)
        self.fields: dict[str, Field] = {}
        self.mutes: dict[str, QToolButton] = {}
        self._pictures: dict[str, QLabel] = {}
        self._sources: dict[str, str] = {}
        self._images: dict[str, QImage] = {}
        self._surface: Card | None = None
        self._late = False  # whether its rows wait until it is seen
        self._shown_key: tuple[object, ...] = ()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 6, 6)
        layout.setSpacing(4)
        head = QHBoxLayout()
        self.all = QCheckBox("All inputs")
        self.all.setToolTip("Show advanced inputs")
        self.all.toggled.connect(self._rebuild)
        head.addWidget(title("Channels"), 1)
        head.addWidget(self.all)
        self.blend = QToolButton()
        self.blend.setObjectName("plain")
        self.blend.setIcon(icon("blend", theme))
        self.blend.setToolTip("Blend with a second surface by a mask")
        self.blend.setAccessibleName("Blend with another surface")
        self.blend.clicked.connect(session.blend_surface)
        head.addWidget(self.blend)
        head.addSpacing(8)
        layout.addLayout(head)
        self._area = scroll_area()
        layout.addWidget(self._area, 1)
        session.changed.connect(self._on_changed)
        session.material_changed.connect(self._on_material)
        self._rebuild()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if files_in(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """A picture that is dropped on a channel is wired to it."""
        self.files_dropped.emit(files_in(event.mimeData()), self.channel_at(event.position().toPoint()))
        event.acceptProposedAction()

    def close_down(self) -> None:
        self.session.changed.disconnect(self._on_changed)
        self.session.material_changed.disconnect(self._on_material)

    def set_theme(self, theme: Theme) -> None:
        self.theme = theme
        self.blend.setIcon(icon("blend", theme))
        self._rebuild()

    def show_pictures(self, images: dict[str, QImage]) -> None:
        self._images = images
        for name, label in self._pictures.items():
            image = images.get(self._sources.get(name, ""))
            if image is not None:
                label.setPixmap(QPixmap.fromImage(image))

    def _on_material(self) -> None:
        if self.session.surface is not self._surface or self._titles_changed():
            self._rebuild()

    def _on_changed(self, _before: object, _after: object) -> None:
        surface = self.session.surface
        if surface is self._surface and not self._titles_changed():
            if self._shown_key and self._shown_key[-1]:  # a value that it follows may have changed elsewhere
                self._show_values()
            return
        if self._key(surface) != self._shown_key:
            self._rebuild()
        else:
            self._surface = surface
            self._show_values()

    def _titles_changed(self) -> bool:
        return self._key(self.session.surface) != self._shown_key

    def _key(self, surface: Card | None) -> tuple[object, ...]:
        if surface is None:
            return ()
        shared = tuple(place for place in links.follows(self.session.document) if place.card == surface.name)
        rows = [
            (one.name, one.wire and self._source_title(surface, one.name), one.muted)
            for one in surface.inputs.values()
            if one.wire or one.muted
        ]
        return surface.name, surface.category, tuple(rows), shared

    def _source_title(self, surface: Card, name: str) -> str:
        wire = surface.inputs[name].wire
        if wire is None:
            return ""
        source, _ = origin(self.session.document, wire)
        card = self.session.document.cards.get(source.card)
        text = self.session.title(source.card) if card is not None else source.card
        return f"{text} · {source.output.replace('_', ' ')}" if source.output else text

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        if self._late:
            self._rebuild()

    def _rebuild(self) -> None:
        self._late = not self.isVisible()
        if self._late:  # before a window is shown, its project changes: building for each takes a tenth of the start
            return
        surface = self._surface = self.session.surface
        self._shown_key = self._key(surface)
        self.fields, self._pictures, self._sources, self.mutes = {}, {}, {}, {}
        inside = QWidget()
        inside.setObjectName("panel")
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 0, 6, 0)
        column.setSpacing(2)
        if surface is None:
            column.addWidget(QLabel("This material has no surface."))
        else:
            self._add_rows(column, surface)
        column.addStretch(1)
        scroll = self._area.verticalScrollBar().value()
        fill(self._area, inside)
        self._area.verticalScrollBar().setValue(scroll)
        self._show_values()
        self.show_pictures(self._images)

    def _add_rows(self, column: QVBoxLayout, surface: Card) -> None:
        folder = None
        for tab in self.session.library.definition(surface).inputs.values():
            advanced = tab.attributes.get("uiadvanced") == "true" and tab.name not in ("base_diffuse_roughness",)
            if advanced and not self.all.isChecked() and tab.name not in surface.inputs:
                continue
            if tab.folder != folder:
                folder = tab.folder
                column.addWidget(self._heading(folder or title_of(surface)))
            column.addWidget(self._row(surface, tab))

    @staticmethod
    def _heading(text: str) -> QWidget:
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 5, 0, 1)
        label = quiet(text)
        line = QFrame()
        line.setFrameShape(QFrame.Shape.HLine)
        line.setFrameShadow(QFrame.Shadow.Plain)
        line.setStyleSheet("color: #9A9A9A;")
        layout.addWidget(label)
        layout.addWidget(line, 1)
        return row

    def _row(self, surface: Card, tab: TabDef) -> QWidget:
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(6)
        one = surface.inputs.get(tab.name)
        muted = one is not None and one.muted
        picture = QLabel()
        picture.setFixedSize(26, 20)
        picture.setScaledContents(True)
        layout.addWidget(picture)
        name = QLabel(channel_label(tab.name, tab.folder))
        name.setToolTip(" ".join(part for part in (tab.help, _approximation(tab.name)) if part))
        name.setFixedWidth(118)
        layout.addWidget(name)
        row.setProperty("channel", tab.name)
        row.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        row.customContextMenuRequested.connect(lambda at: self._open_menu(row, at, tab))
        linked = links.link_of(self.session.document, links.Place(surface.name, tab.name)) is not None
        if one is not None and one.wire is not None and not linked:
            source, _ = origin(self.session.document, one.wire)
            self._pictures[tab.name], self._sources[tab.name] = picture, source.card
            go = QPushButton(self._source_title(surface, tab.name))
            go.setObjectName("source")
            go.setStyleSheet("text-align: left; padding: 2px 5px;")
            go.setFixedHeight(22)
            go.setToolTip("Wired; click to select the source card")
            go.clicked.connect(lambda: self._choose(source.card))
            go.setEnabled(not muted)
            layout.addWidget(go, 1)
        else:
            layout.addWidget(self._value(surface, tab, muted), 1)
        layout.addWidget(self._mute(tab, muted))
        layout.addWidget(self._peek(tab))
        return row

    def _open_menu(self, row: QWidget, at: QPoint, tab: TabDef) -> None:
        surface = self.session.surface
        if surface is not None and not self.session.path:
            menu = value_menu(self, self.session, surface, tab, channel_label(tab.name))
            menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
            menu.popup(row.mapToGlobal(at))

    def under_pointer(self) -> str:
        """The channel whose row the pointer is over, or nothing."""
        return self._channel_of(QApplication.widgetAt(QCursor.pos()))

    def channel_at(self, point: QPoint) -> str:
        """The channel whose row lies at a point of the panel, or nothing."""
        return self._channel_of(self.childAt(point))

    def _channel_of(self, widget: QWidget | None) -> str:
        while widget is not None and widget is not self:
            name = widget.property("channel")
            if name:
                return str(name)
            widget = widget.parentWidget()
        return ""

    def _choose(self, card: str) -> None:
        self.session.open_group(())
        self.session.select([card])

    def _value(self, surface: Card, tab: TabDef, muted: bool) -> QWidget:
        field = None if tab.geometry else field_for(tab, lambda path: path.name)
        if field is None:
            label = quiet("from the mesh")
            label.setFixedHeight(22)
            return label
        field.setObjectName(f"{surface.name}.{tab.name}")
        field.setAccessibleName(channel_label(tab.name))
        field.setToolTip(f"{tab.help}\nDouble-click for the default.".strip())
        field.setEnabled(not muted)
        field.leave_menu_to_parent()
        self.fields[tab.name] = field
        label_text = channel_label(tab.name).lower()

        def edited(value: object, moving: bool) -> None:
            at_root = self.session.path
            if at_root:
                self.session.open_group(())
            self.session.set_value(surface.name, tab.name, tab.type, value, label=label_text, merge=True)  # type: ignore[arg-type]
            if not moving:
                self.session.history.close_merge()

        field.edited.connect(edited)
        field.reset.connect(lambda: self.session.reset_value(surface.name, tab.name))
        return field

    def _mute(self, tab: TabDef, muted: bool) -> QToolButton:
        button = QToolButton()
        button.setObjectName("plain")
        button.setCheckable(True)
        button.setChecked(muted)
        button.setIcon(icon("muted" if muted else "mute", self.theme))
        button.setToolTip("Mute: show the default instead")
        button.setAccessibleName(f"Mute {channel_label(tab.name)}")
        button.toggled.connect(lambda on: self.session.mute(tab.name, on))
        self.mutes[tab.name] = button
        return button

    def _peek(self, tab: TabDef) -> QToolButton:
        button = QToolButton()
        button.setObjectName("plain")
        button.setIcon(icon("peek", self.theme))
        button.setToolTip("Peek at this input alone")
        button.setAccessibleName(f"Look at {channel_label(tab.name)} alone")
        button.setEnabled(tab.name in SHOWN)
        button.clicked.connect(lambda: self.view_wanted.emit(tab.name))
        return button

    def _show_values(self) -> None:
        if self._surface is None:
            return
        definition = self.session.library.definition(self._surface)
        for name, field in self.fields.items():
            value = self.session.value_of(self._surface, definition.inputs[name])
            if value is not None:
                field.set_value(value)
