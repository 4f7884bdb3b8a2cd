"""Pictures of the bench under every light rig, and of its saved views: one click lights it, or looks, like that."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial

from PySide6.QtCore import QSize, Qt, QTimer
from PySide6.QtGui import QIcon, QImage, QPixmap
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QMenu, QPushButton, QToolButton, QVBoxLayout, QWidget

from collage.app.preview.images import to_image
from collage.app.shell.jobs import Latest
from collage.app.shell.studio import Studio
from collage.app.widgets.panels import quiet, scroll_area, title
from collage.core.actions import lights as acts
from collage.core.base.errors import CollageError
from collage.core.project.pictures import picture_request
from collage.core.scene.bench import SavedView
from collage.core.scene.rigs import RIGS, with_rig

WIDE, HIGH = 112, 70
SOON = 900  # milliseconds of rest after which pictures are made anew
VIEW = "view "  # begins the key of a saved view's picture


class RigsStrip(QFrame):
    """One button with a picture for each rig and each saved view."""

    def __init__(self, studio: Studio) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.studio, self.session = studio, studio.session
        self.buttons: dict[str, QToolButton] = {}
        self._images: dict[str, QImage] = {}
        self._views: tuple[SavedView, ...] | None = None
        whole = QVBoxLayout(self)
        whole.setContentsMargins(12, 8, 12, 6)
        whole.setSpacing(4)
        head = QHBoxLayout()
        head.addWidget(title("Light rigs"))
        head.addWidget(quiet("Ctrl+Shift+R for the next one"))
        head.addStretch(1)
        self.save = QPushButton("Save view")
        self.save.setToolTip("Save this camera (Ctrl+Shift+V)")
        self.save.clicked.connect(lambda: acts.save_view(self.session))
        head.addWidget(self.save)
        whole.addLayout(head)
        inside = QWidget()
        self.row = QHBoxLayout(inside)
        self.row.setContentsMargins(0, 0, 0, 0)
        self.row.setSpacing(6)
        for rig in RIGS.values():
            self._add(rig.name, rig.title, rig.help, partial(self._use, rig.name))
        self.split = QLabel("Views")
        self.split.setObjectName("quiet")
        self.row.addWidget(self.split)
        self.row.addStretch(1)
        area = scroll_area(sideways=True)
        area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(inside)
        area.setFixedHeight(HIGH + 44)
        whole.addWidget(area)
        self.work = Latest(studio.jobs, self, behind=True)
        self.work.answered.connect(self._take)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(SOON)
        self._soon.timeout.connect(self._make)
        self.session.changed.connect(self._changed)
        self.session.camera_changed.connect(self._later)
        self.session.opened.connect(self._changed)
        self._show_views()

    def close_down(self) -> None:
        self.session.changed.disconnect(self._changed)
        self.session.camera_changed.disconnect(self._later)
        self.session.opened.disconnect(self._changed)
        self._soon.stop()
        self.work.close()

    @property
    def settled(self) -> bool:
        return not self.isVisible() or (not self._soon.isActive() and self.work.idle)

    def shown(self) -> None:
        """The place is shown: the pictures may be old."""
        self._soon.start()

    # ---- buttons ------------------------------------------------------------------------------

    def _add(self, key: str, label: str, tip: str, run: Callable[[], object], at: int = -1) -> None:
        button = self.buttons[key] = QToolButton()
        button.setText(label)
        button.setToolTip(tip)
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        button.setIconSize(QSize(WIDE, HIGH))
        button.setFixedWidth(WIDE + 12)
        button.setCheckable(not key.startswith(VIEW))
        button.clicked.connect(lambda _=False: run())
        if at < 0:
            self.row.addWidget(button)
        else:
            self.row.insertWidget(at, button)

    def _use(self, name: str) -> None:
        acts.use_rig(self.session, name)
        self._tick()

    def _look(self, name: str) -> None:
        self.session.look(acts.view_of(self.session.bench, name).camera)

    def _tick(self) -> None:
        for key, button in self.buttons.items():
            if button.isCheckable():
                button.setChecked(key == self.session.bench.rig)

    def _later(self) -> None:
        self._soon.start()

    def _changed(self, *_states: object) -> None:
        self._show_views()
        self._tick()
        self._soon.start()

    def _show_views(self) -> None:
        views = self.session.bench.views
        self.split.setVisible(bool(views))
        if views == self._views:
            return
        self._views = views
        for key in [key for key in self.buttons if key.startswith(VIEW)]:
            button = self.buttons.pop(key)
            button.hide()
            button.deleteLater()
        for view in views:
            before = self.row.count() - 1  # the stretch stays last
            self._add(VIEW + view.name, view.name, "Look from here", partial(self._look, view.name), before)
            button = self.buttons[VIEW + view.name]
            button.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
            button.customContextMenuRequested.connect(partial(self._menu, view.name))

    def _menu(self, name: str, _at: object) -> None:
        menu = QMenu(self)
        menu.addAction("Save this camera here", lambda: acts.save_view(self.session, name))
        menu.addAction("Remove view", lambda: acts.remove_view(self.session, name))
        menu.exec(self.cursor().pos())

    # ---- pictures -----------------------------------------------------------------------------

    def _make(self) -> None:
        if not self.isVisible():
            return
        session, renderer = self.session, self.studio.renderer
        ratio = max(round(self.devicePixelRatioF()), 1)
        request = picture_request(session.shown_project, WIDE * ratio, HIGH * ratio, folder=session.base_folder)
        views = session.bench.views

        def work(overtaken: Callable[[], bool]) -> Iterator[tuple[str, QImage]]:
            low, high = renderer.bounds(request.bench)
            benches = {name: with_rig(request.bench, rig, low, high) for name, rig in RIGS.items()}
            benches |= {VIEW + view.name: request.bench.model_copy(update={"camera": view.camera}) for view in views}
            for key, bench in benches.items():
                try:
                    picture = renderer.picture(replace(request, bench=bench), cancelled=overtaken)
                except CollageError:
                    return
                yield key, to_image(picture.on_black)

        self.work.ask(work)

    def _take(self, answer: tuple[str, QImage]) -> None:
        key, image = answer
        button = self.buttons.get(key)
        if button is not None:
            button.setIcon(QIcon(QPixmap.fromImage(image)))
