"""The Judge place: lights at the left, the traced picture in the middle with rigs below, what is looked at right."""

from __future__ import annotations

from pathlib import Path

from psygnal import Signal as Event
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QSplitter, QWidget

from collage.app.judge.lights_panel import LightsPanel
from collage.app.judge.look_panel import LookPanel
from collage.app.judge.rigs_strip import RigsStrip
from collage.app.judge.view import HINT, JudgeView
from collage.app.shell.place import Entry
from collage.app.shell.render_dialog import RenderDialog
from collage.app.shell.studio import Studio
from collage.app.theme import Theme
from collage.app.widgets.panels import splitter
from collage.core.actions import lights as acts
from collage.core.document.history import History
from collage.core.project.state import Project


class JudgePlace:
    """See shell.place.Place."""

    title = "Judge"
    hint = HINT
    opens = frozenset[str]()
    steps_changed = Event()

    def __init__(self, studio: Studio) -> None:
        self.studio, self.session = studio, studio.session
        self.view, self.lights, self.rigs = JudgeView(studio), LightsPanel(studio), RigsStrip(studio)
        self.look = LookPanel(self.view)
        self.middle = splitter("judge middle", Qt.Orientation.Vertical, [self.view, self.rigs], [560, 150], stretch=0)
        self.widget: QWidget = splitter(
            "judge", Qt.Orientation.Horizontal, [self.lights, self.middle, self.look], [230, 770, 280], stretch=1
        )
        self.lights.taken.connect(self.view.take_light)
        self.lights.highlight_wanted.connect(self.view.place_highlight)
        self.lights.shadow_wanted.connect(self.view.drag_shadow)
        self.lights.frame_wanted.connect(self.view.set_frame)
        self.lights.focus_wanted.connect(self.view.focus_by_click)
        self.view.placed.connect(self._show_hand)
        self.look.render_wanted.connect(self.render)
        self.view.hint.connect(studio.hint)
        self.view.pixel.connect(studio.pixel)
        self.view.timed.connect(studio.timed)
        self.view.failed.connect(studio.tell)
        studio.theme_changed.connect(self._set_theme)

    @property
    def splitters(self) -> dict[str, QSplitter]:
        assert isinstance(self.widget, QSplitter)
        return {"judge": self.widget, "judge middle": self.middle}

    @property
    def history(self) -> History[Project]:
        return self.session.history

    @property
    def settled(self) -> bool:
        return not self.widget.isVisible() or (self.view.settled and self.rigs.settled)

    def entries(self) -> list[Entry]:
        return []

    def shown(self) -> None:
        self.view.setFocus()
        self.rigs.shown()

    def take_files(self, paths: list[Path]) -> bool:
        return False

    def next_rig(self) -> None:
        """Lights the bench with the next rig."""
        acts.next_rig(self.session)

    def save_view(self) -> None:
        """Keeps the camera as a view."""
        acts.save_view(self.session)

    def render(self) -> None:
        """Opens the dialog that renders to a file."""
        studio = self.studio
        dialog = RenderDialog(studio.session, studio.renders, self.widget, self.view.mode)
        dialog.quality.setCurrentText("traced" if self.view.traced is not None else "final")
        dialog.show()

    def _show_hand(self) -> None:
        self.lights.show_placing(self.view.placing, self.view.shadowing)
        self.lights.show_focusing(self.view.focusing)

    def _set_theme(self, theme: Theme) -> None:
        self.view.theme = theme
        for scope in self.look.scopes.values():
            scope.set_theme(theme)
        self.view.update()

    def close_down(self) -> None:
        self.studio.theme_changed.disconnect(self._set_theme)
        self.view.close_down()
        self.lights.close_down()
        self.look.close_down()
        self.rigs.close_down()
