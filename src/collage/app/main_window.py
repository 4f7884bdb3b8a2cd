"""The window: menu bar, the bar with the place and the material in hand, the Wire place, the status line."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

from psygnal import SignalInstance
from PySide6.QtCore import QByteArray, QPoint, Qt, QTimer
from PySide6.QtGui import (
    QAction,
    QActionGroup,
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QImage,
    QKeySequence,
    QPixmap,
)
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QMenu,
    QMessageBox,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from collage import __version__
from collage.app.files_dialog import FilesDialog
from collage.app.gather.desk import GatherDesk
from collage.app.jobs import Newest, Work
from collage.app.render_dialog import RenderDialog
from collage.app.session import Session
from collage.app.settings import Settings, save_settings
from collage.app.settings_dialog import SettingsDialog
from collage.app.shortcuts_dialog import ShortcutsDialog
from collage.app.theme import THEMES, Theme, apply_theme
from collage.app.watch import FileWatch
from collage.app.widgets.dragged import files_in
from collage.app.widgets.pick_field import Choice, PickField
from collage.app.wire import acts
from collage.app.wire.add_field import AddField
from collage.app.wire.board import Board
from collage.app.wire.channels_panel import ChannelsPanel
from collage.app.wire.controls_panel import ControlsPanel
from collage.app.wire.pictures import BoardPictures, PictureMaker, pixmaps
from collage.app.wire.preview_panel import PreviewPanel
from collage.app.wire.sources_panel import SourcesPanel
from collage.core.assets.shelf import Shelf
from collage.core.base.errors import CollageError
from collage.core.document import edits
from collage.core.document.history import History
from collage.core.document.model import Network, Wire
from collage.core.evaluate.run import Workers
from collage.core.nodes.labels import Offer, input_label, label_of, offers
from collage.core.nodes.wiring import origin, ways
from collage.core.project.folder import copy_files
from collage.core.project.recovery import LeftDesk, discard
from collage.core.project.state import Project
from collage.core.render.cards import Ground
from collage.core.render.renderer import Renderer
from collage.core.scene.bench import Bench
from collage.demo.shed import SAMPLES, sample_steps

GROUNDS: tuple[tuple[Ground, str], ...] = (
    ("flat", "Cards lie flat"),
    ("shape", "Cards on a ball"),
    ("raw", "Cards from least to greatest value"),
)
GATHER, WIRE = range(2)
PLACES = ("Gather", "Wire")
KEEP_SAFE = 2000  # milliseconds after an edit until it is on disk


class MainWindow(QMainWindow):
    """One project in a window."""

    def __init__(
        self, session: Session, workers: Workers, settings: Settings, settings_file: Path | None = None
    ) -> None:
        super().__init__()
        self.session, self.workers, self.settings, self._settings_file = (
            session,
            workers,
            settings,
            settings_file,
        )
        self.theme: Theme = THEMES.get(settings.theme, THEMES["day"])
        self.renderer = Renderer(session.library, session.images, workers)
        self.every = offers(session.library)
        self.shelf = Shelf()
        self.maker = PictureMaker(session, self.renderer, self)
        self._material_pixmaps: dict[str, QPixmap] = {}
        self._board_images: dict[str, QImage] = {}
        self.session.images.budget = settings.image_memory * 2**20
        self.files_worker = Newest("files", self)
        self._then: Callable[[], object] = lambda: None
        self.setWindowTitle("Collage")
        self.resize(1280, 800)
        self.setAcceptDrops(True)
        self._build()
        self._build_menus()
        self._connect()
        self._keep_safe_timer = QTimer(self)
        self._keep_safe_timer.setSingleShot(True)
        self._keep_safe_timer.setInterval(KEEP_SAFE)
        self._keep_safe_timer.timeout.connect(self._keep_safe)
        self._restore()
        self.maker.ask_kinds(self.every)
        self._refresh_titles()

    @property
    def history(self) -> History[Project]:
        return self.session.history

    # ---- building -----------------------------------------------------------------------------

    def _build(self) -> None:
        self.sources = SourcesPanel(self.session, self.every, self.shelf)
        self.board = Board(self.session, self.theme)
        self.controls = ControlsPanel(self.session)
        self.preview_panel = PreviewPanel(self.session, self.renderer, self.theme)
        self.preview = self.preview_panel.preview
        self.channels = ChannelsPanel(self.session, self.theme)
        self.add_field = AddField(self.session.library, self.every, {}, self.board)
        self.pick_field = PickField(self.board)
        middle = self._splitter("middle", Qt.Orientation.Vertical, [self.board, self.controls], [520, 190])
        right = self._splitter("right", Qt.Orientation.Vertical, [self.preview_panel, self.channels], [364, 350])
        place = self._splitter("wire", Qt.Orientation.Horizontal, [self.sources, middle, right], [220, 660, 400])
        place.setStretchFactor(1, 1)
        self.gather_desk = GatherDesk(
            self.session, self.renderer, self.settings, self.every, self._do_file_work, self._rules_file(), self
        )
        self.gather = self.gather_desk.place
        self.places = QStackedWidget()
        self.places.addWidget(self.gather)
        self.places.addWidget(place)
        self.places.setCurrentIndex(WIRE)
        self._splitters = {"middle": middle, "right": right, "wire": place, "gather": self.gather.splitter}
        centre = QWidget()
        column = QVBoxLayout(centre)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._top_bar())
        self.banner = self._make_banner()
        column.addWidget(self.banner)
        column.addWidget(self.places, 1)
        self.setCentralWidget(centre)
        self.board.setFocus()
        status = self.statusBar()
        status.setSizeGripEnabled(False)
        status.setFixedHeight(24)  # a line of text must not move the pictures above it
        self.hint_label, self.pixel_label, self.time_label = QLabel(), QLabel(), QLabel()
        for label in (self.hint_label, self.pixel_label, self.time_label):
            label.setContentsMargins(8, 0, 8, 0)
        status.addWidget(self.hint_label, 1)
        status.addPermanentWidget(self.pixel_label)
        status.addPermanentWidget(self.time_label)
        self.hint_label.setText("Double-click or Enter to add a card · middle drag to move · wheel to zoom")

    @staticmethod
    def _splitter(name: str, way: Qt.Orientation, parts: list[QWidget], sizes: list[int]) -> QSplitter:
        splitter = QSplitter(way)
        splitter.setObjectName(name)
        splitter.setHandleWidth(1)
        splitter.setChildrenCollapsible(False)
        for part in parts:
            splitter.addWidget(part)
        splitter.setSizes(sizes)
        return splitter

    def _top_bar(self) -> QWidget:
        bar = QFrame()
        bar.setObjectName("topBar")
        bar.setFixedHeight(38)
        row = QHBoxLayout(bar)
        row.setContentsMargins(14, 0, 14, 0)
        row.setSpacing(10)
        self.project_label = QLabel()
        self.project_label.setObjectName("title")
        self.project_label.setFixedWidth(204)
        self.place_buttons = [self._place_button(number, name) for number, name in enumerate(PLACES)]
        self.place_label = QLabel()
        self.up_button = QToolButton()
        self.up_button.setText("Back to the material")
        self.up_button.setToolTip("Leave the group (Esc)")
        self.up_button.clicked.connect(lambda: self.session.open_group(self.session.path[:-1]))
        self.busy_label = QLabel()
        self.busy_label.setObjectName("quiet")
        self.files_button = QToolButton()
        self.files_button.setToolTip("Find the files again that are missing")
        self.files_button.clicked.connect(self.show_files)
        self.files_button.hide()
        self.material_picture = QLabel()
        self.material_picture.setFixedSize(28, 28)
        self.material_picture.setScaledContents(True)
        self.material_button = QToolButton()
        self.material_button.setObjectName("plain")
        self.material_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.material_button.setToolTip("The material in hand; choose another")
        self.material_button.setMenu(QMenu(self.material_button))
        self.material_button.menu().aboutToShow.connect(self._fill_materials)
        row.addWidget(self.project_label)
        for button in self.place_buttons:
            row.addWidget(button)
        row.addWidget(self.place_label)
        row.addWidget(self.up_button)
        row.addStretch(1)
        row.addWidget(self.busy_label)
        row.addWidget(self.files_button)
        row.addWidget(self.material_picture)
        row.addWidget(self.material_button)
        return bar

    def _place_button(self, number: int, name: str) -> QToolButton:
        """One of the places on the numbered path."""
        button = QToolButton()
        button.setObjectName("place")
        button.setText(f"{number + 1}  {name}")
        button.setToolTip(f"The {name} place (Ctrl+{number + 1})")
        button.setCheckable(True)
        button.clicked.connect(lambda: self.go_to(number))
        return button

    def _rules_file(self) -> Path | None:
        """The person's naming rules lie beside the settings."""
        return self._settings_file.with_name("names.json") if self._settings_file is not None else None

    def go_to(self, number: int) -> None:
        """Shows a place: GATHER or WIRE."""
        self.places.setCurrentIndex(number)
        self._refresh_titles()
        self.hint_label.setText(
            "Drop files or folders here · click a role to correct it · Ctrl+B builds the set in hand"
            if number == GATHER
            else "Double-click or Enter to add a card · middle drag to move · wheel to zoom"
        )

    def _make_banner(self) -> QFrame:
        banner = QFrame()
        banner.setObjectName("panel")
        row = QHBoxLayout(banner)
        row.setContentsMargins(14, 6, 14, 6)
        self.banner_text = QLabel()
        self.banner_text.setObjectName("loud")
        self.banner_text.setWordWrap(True)
        row.addWidget(self.banner_text, 1)
        self.banner_buttons = [QPushButton(), QPushButton()]
        for button in self.banner_buttons:
            row.addWidget(button)
        banner.hide()
        return banner

    def _action(
        self, menu: QMenu, text: str, work: Callable[[], object], keys: str | QKeySequence.StandardKey = ""
    ) -> QAction:
        action = QAction(text, self)
        if keys:
            action.setShortcut(QKeySequence(keys))
        action.triggered.connect(lambda: work())
        menu.addAction(action)
        self.actions_by_name[text.replace("…", "")] = action
        return action

    def _build_menus(self) -> None:
        self.actions_by_name: dict[str, QAction] = {}
        bar = self.menuBar()
        menu = bar.addMenu("File")
        fresh = menu.addMenu("New from sample")
        for sample in SAMPLES:
            self._action(fresh, f"{sample.title}…", partial(self.new_from, sample.name))
        self._action(menu, "Open…", self.open_dialog, "Ctrl+O")
        self.recent_menu = menu.addMenu("Recent")
        self.recent_menu.aboutToShow.connect(self._fill_recent)
        menu.addSeparator()
        self._action(menu, "Save", self.save, "Ctrl+S")
        self._action(menu, "Save as…", self.save_as, "Ctrl+Shift+S")
        self._action(menu, "Add a MaterialX material…", self.add_material_dialog)
        self._action(menu, "Gather a folder…", self.gather_folder, "Ctrl+Shift+O")
        self._action(menu, "Files of the project…", self.show_files, "Ctrl+Shift+M")
        menu.addSeparator()
        self._action(menu, "Render a picture…", self.render_dialog, "Ctrl+R")
        menu.addSeparator()
        self._action(menu, "Settings…", self.show_settings, "Ctrl+,")
        self._action(menu, "Quit", self.close, "Ctrl+Q")

        menu = bar.addMenu("Edit")
        self.undo_action = self._action(menu, "Undo", self.undo, "Ctrl+Z")
        self.redo_action = self._action(menu, "Redo", self.redo, "Ctrl+Y")
        self.redo_action.setShortcuts([QKeySequence("Ctrl+Y"), QKeySequence("Ctrl+Shift+Z")])
        menu.addSeparator()
        self._action(menu, "Copy", self.copy_cards, "Ctrl+C")
        self._action(menu, "Paste", self.paste_cards, "Ctrl+V")
        self._action(menu, "Duplicate", lambda: self.session.duplicate(self.session.selection), "Ctrl+D")
        self._action(menu, "Remove", self.board.remove_chosen)
        self._action(menu, "Choose all", lambda: self.session.select(list(self.board.cards)), "Ctrl+A")

        self._action(menu, "Find a card…", self.find_card, "Ctrl+F")

        menu = bar.addMenu("Card")
        self._action(menu, "Add…", lambda: self.ask_add(self.board.viewport().rect().center(), None, ""), "Ctrl+Return")
        self._action(menu, "Peek", self._peek)
        self._action(menu, "Skip", lambda: self.session.skip(self.session.selection))
        self._action(menu, "Wire to…", self.wire_to, "Ctrl+L")
        self._action(menu, "Put into a wire…", self.put_between, "Ctrl+Shift+I")
        self._action(menu, "Cut wires", self.cut_wires, "Ctrl+Shift+X")
        self._action(menu, "Convert another way…", self.convert_wires, "Ctrl+Shift+K")
        self._action(menu, "Take out of the chain", self.take_out, "Ctrl+T")
        self._action(menu, "Swap inputs", self.swap_inputs, "Ctrl+I")
        menu.addSeparator()
        self._action(menu, "Bundle to a group", lambda: acts.bundle(self.session), "Ctrl+G")
        self._action(menu, "Open up, back to cards", lambda: acts.unbundle(self.session), "Ctrl+Shift+G")
        self._action(menu, "Keep the group for other materials", self.keep_group)
        self._action(menu, "Open the group", self.open_chosen, "Ctrl+PgDown")
        self._action(menu, "Back to what is around", self.board.leave, "Ctrl+PgUp")
        menu.addSeparator()
        self._action(menu, "Frame the chosen cards", lambda: acts.frame_chosen(self.session), "Ctrl+Shift+F")
        self._action(menu, "Add a note", lambda: acts.add_note(self.session, self._middle()))
        self._action(menu, "Add a stack", lambda: acts.add_stack(self.session, self._middle()), "Ctrl+Shift+L")
        self._action(menu, "Tidy", self.board.tidy)

        menu = bar.addMenu("View")
        for number, name in enumerate(PLACES):
            self._action(menu, name, partial(self.go_to, number), f"Ctrl+{number + 1}")
        menu.addSeparator()
        themes = QActionGroup(self)
        for name in THEMES:
            action = self._action(menu, name.capitalize(), partial(self.set_theme, name))
            action.setCheckable(True)
            action.setChecked(name == self.theme.name)
            themes.addAction(action)
        menu.addSeparator()
        self._action(menu, "Show all cards", self.board.fit_all, "Ctrl+0")
        self._action(menu, "Map of the board", self.board.toggle_map, "Ctrl+M")
        grounds = QActionGroup(self)
        for name, text in GROUNDS:
            action = self._action(menu, text, partial(self.show_on, name))
            action.setCheckable(True)
            action.setChecked(name == "flat")
            grounds.addAction(action)
        self.mark_action = self._action(menu, "Hatch values outside 0 to 1", self._hatch)
        self.mark_action.setCheckable(True)
        menu.addSeparator()
        self._action(menu, "Frame all objects", lambda: self.preview.frame(None), "Ctrl+Shift+0")

        self._build_bench_menu(bar.addMenu("Bench"))
        menu = bar.addMenu("Help")
        self._action(menu, "Shortcuts", self.show_shortcuts, "Ctrl+/")
        self._action(menu, "About Collage", self.about)

    def _build_bench_menu(self, menu: QMenu) -> None:
        self._action(menu, "Brighter", lambda: self._expose(0.25), "Ctrl+]")
        self._action(menu, "Darker", lambda: self._expose(-0.25), "Ctrl+[")
        tones = QActionGroup(self)
        for name, text in (("neutral", "Tone: neutral"), ("srgb", "Tone: plain sRGB")):
            action = self._action(menu, text, partial(self._bench, f"Tone {name}", {"view_transform": name}))
            action.setCheckable(True)
            action.setData(name)
            tones.addAction(action)
        self.tone_actions = tones.actions()
        menu.addSeparator()
        self.environment_action = self._action(menu, "Environment light", self._toggle_environment)
        self.environment_action.setCheckable(True)
        self.lights_menu = menu.addMenu("Lights")
        self.lights_menu.aboutToShow.connect(self._fill_lights)
        menu.aboutToShow.connect(self._show_bench)

    def _connect(self) -> None:
        session = self.session
        self._heard: list[tuple[SignalInstance, Callable[..., object]]] = [
            (session.changed, self._on_changed),
            (session.material_changed, self._refresh_titles),
            (session.saved, self._refresh_titles),
            (session.peek_changed, self._show_flat),
            (session.problem, self.show_problem),
            (session.history.steps_changed, self._refresh_steps),
        ]
        for signal, slot in self._heard:
            signal.connect(slot)
        self.board.hint.connect(self.hint_label.setText)
        self.board.add_wanted.connect(self.ask_add)
        self.board.find_wanted.connect(self.find_card)
        self.board.between_wanted.connect(self.put_between)
        self.board.channel_under_pointer = self.channels.under_pointer
        self.board.wire_wanted.connect(lambda _: self.wire_to())
        self.board.pixel.connect(self.pixel_label.setText)
        self.preview.hint.connect(self.hint_label.setText)
        self.preview.pixel.connect(self.pixel_label.setText)
        self.preview.timed.connect(self.time_label.setText)
        self.preview.failed.connect(self.show_problem)
        self.preview.worker.busy.connect(lambda busy: self.busy_label.setText("Working on the picture" if busy else ""))
        self.channels.view_wanted.connect(self.preview_panel.toggle_mode)
        self.sources.take_offer.connect(self._take_offer)
        self.sources.take_set.connect(self._take_set)
        self.sources.take_kept.connect(self._take_kept)
        self.board.keep_wanted.connect(self.keep_group)
        self.maker.ready.connect(self._show_pictures)
        desk = self.gather_desk
        desk.built.connect(self._set_built)
        desk.hint.connect(self.hint_label.setText)
        self.gather.hint.connect(self.hint_label.setText)
        self.gather.problem.connect(self.show_problem)
        self.gather.steps_changed.connect(self._refresh_steps)
        self.gather.library.settings_changed.connect(self._take_settings)
        self.board.files_dropped.connect(desk.drop_on_board)
        self.preview.files_dropped.connect(desk.drop_on_part)
        self.channels.files_dropped.connect(desk.drop_on_channel)
        self.watch = FileWatch(session, self)
        self.watch.changed.connect(self._files_changed)
        self.watch.missing_changed.connect(self._show_missing)
        self.files_worker.answered.connect(self._file_work_told)
        self.files_worker.failed.connect(self.show_problem)
        self.maker.kinds_ready.connect(self._show_kinds)
        self.maker.material_ready.connect(self._show_material)

    # ---- following ----------------------------------------------------------------------------

    def _on_changed(self, _before: object, _after: object) -> None:
        self._refresh_titles()
        if not self._keep_safe_timer.isActive():  # a long row of edits must not put it off
            self._keep_safe_timer.start()

    def _refresh_titles(self) -> None:
        star = " •" if self.session.dirty else ""
        self.project_label.setText(f"{self.session.project.name}{star}")
        self.setWindowTitle(f"{self.session.project.name}{star} — Collage")
        inside = "".join(f" › {title}" for title in self._path_titles())
        for number, button in enumerate(self.place_buttons):
            button.setChecked(number == self.places.currentIndex())
        self.place_label.setText(inside.strip())
        self.up_button.setVisible(bool(self.session.path))
        self.material_button.setText(f"{self.session.material}  ▾")
        self.material_picture.setPixmap(self._material_pixmaps.get(self.session.material, QPixmap()))
        self._refresh_steps()

    def _path_titles(self) -> list[str]:
        """The open groups, outermost first."""
        network, found = self.session.document, []
        for name in self.session.path:
            card = network.cards.get(name)
            if card is None or card.network is None:
                break
            found.append(card.title or name)
            network = card.network
        return found

    @property
    def steps(self) -> History[Any]:
        """Whose steps Undo takes back: in the Gather place its own, while it has any; else the project's."""
        here = self.gather.history
        used = self.places.currentIndex() == GATHER and (here.undo_label or here.redo_label)
        return here if used else self.session.history

    def undo(self) -> None:
        self.steps.undo()

    def redo(self) -> None:
        self.steps.redo()

    def _refresh_steps(self) -> None:
        history = self.steps
        self.undo_action.setText(f"Undo {history.undo_label}" if history.undo_label else "Undo")
        self.undo_action.setEnabled(bool(history.undo_label))
        self.redo_action.setText(f"Redo {history.redo_label}" if history.redo_label else "Redo")
        self.redo_action.setEnabled(bool(history.redo_label))

    def _show_pictures(self, made: BoardPictures) -> None:
        if (made.material, made.path) != (self.session.material, self.session.path):
            return
        self._board_images = made.images
        self.board.show_pictures(made.images, made.problems)
        self.board.show_values(made.values, made.size, made.limits)
        self.controls.show_pictures(made.images, made.values)
        if not self.session.path:
            self.channels.show_pictures(made.images)
        self._show_flat()

    def _show_material(self, made: BoardPictures) -> None:
        """The small pictures of a material and its map sets."""
        for name, image in made.images.items():
            pixmap = QPixmap.fromImage(image)
            if name:
                self.sources.set_set_picture(f"set {made.material} {name}", pixmap)
            else:
                self.sources.set_material_picture(made.material, pixmap)
                self._material_pixmaps[made.material] = pixmap
        self._refresh_titles()

    def _show_kinds(self, images: dict[str, QImage]) -> None:
        pictures = pixmaps(images)
        self.gather.library.set_kind_pictures(pictures)
        self.sources.set_kind_pictures(pictures)
        self.add_field.set_pictures(pictures)

    def _show_flat(self) -> None:
        peeked = self.session.peeked
        self.preview.flat = self._board_images.get(peeked.card) if peeked is not None else None
        self.preview.update()

    # ---- telling ------------------------------------------------------------------------------

    def show_problem(self, error: CollageError) -> None:
        self.show_banner(str(error), [("Close", self.banner.hide)])

    def show_banner(self, text: str, choices: list[tuple[str, Callable[[], object]]]) -> None:
        """A sentence at the top with up to two buttons; work goes on underneath."""
        self.banner_text.setText(text)
        for number, button in enumerate(self.banner_buttons):
            button.setVisible(number < len(choices))
            if number < len(choices):
                label, work = choices[number]
                button.setText(label)
                if button.receivers("2clicked()"):
                    button.clicked.disconnect()
                button.clicked.connect(lambda _=False, work=work: self._chosen(work))
        self.banner.show()

    def _chosen(self, work: Callable[[], object]) -> None:
        self.banner.hide()
        work()

    def offer_recovery(self, desk: LeftDesk) -> None:
        """Offers work that a crash left behind."""
        self.show_banner(
            f"Collage stopped with unsaved work on “{desk.name}”. It is kept here.",
            [("Bring it back", lambda: self.recover(desk)), ("Throw it away", lambda: discard(desk))],
        )

    def recover(self, desk: LeftDesk) -> None:
        try:
            self.session.put(desk.load(), desk.folder, saved=False)
        except CollageError as error:
            self.show_problem(error)
            return
        discard(desk)
        self._keep_safe_timer.start()
        QTimer.singleShot(0, self.board.fit_all)

    def _keep_safe(self) -> None:
        threading.Thread(target=self._keep_safe_now, name="keep safe", daemon=True).start()

    def _keep_safe_now(self) -> None:
        try:
            self.session.keep_safe()
        except (CollageError, OSError):
            return  # the disk is full or gone: saving will say so; the work itself goes on

    # ---- gathering and files ------------------------------------------------------------------

    def gather_folder(self) -> None:
        self.go_to(GATHER)
        self.gather.ask_folder()

    def _set_built(self, name: str) -> None:
        self.go_to(WIRE)
        self.hint_label.setText(f"“{name}” is built and wired. Ctrl+1 leads back to the sets.")
        QTimer.singleShot(0, self.board.fit_all)

    def _take_settings(self, changed: dict[str, object]) -> None:
        self.settings = self.settings.model_copy(update=changed)
        save_settings(self.settings, self._settings_file)

    def _files_changed(self, paths: list[str]) -> None:
        self.session.files_changed.emit()
        names = ", ".join(Path(path).name for path in paths[:3])
        self.hint_label.setText(f"Changed on disk, and taken over: {names}")

    def _show_missing(self) -> None:
        count = len(self.watch.missing)
        self.files_button.setVisible(count > 0)
        self.files_button.setText(f"{count} file{'s' if count > 1 else ''} missing")

    def show_files(self) -> None:
        dialog = FilesDialog(self.session, self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.show()

    def show_settings(self) -> None:
        dialog = SettingsDialog(self.settings, self.session, self)
        dialog.changed.connect(self._take_settings)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.show()

    # ---- adding -------------------------------------------------------------------------------

    def ask_add(self, at: QPoint, source: Wire | None, source_type: str) -> None:
        place = self.board.place_of(at)

        def chosen(offer: Offer, target: str) -> None:
            self.session.add(offer.definition, place, source, target)

        self.add_field.ask(at, chosen, source_type)

    def _take_offer(self, offer: Offer) -> None:
        self.session.add(offer.definition, self.board.place_of(self.board.viewport().rect().center()))

    def _take_set(self, material: str, name: str) -> None:
        card = self.session.project.materials[material].cards[name]
        place = self.board.place_of(self.board.viewport().rect().center())

        def change(network: Network) -> Network:
            fresh = network.free_name(name)
            return edits.move_cards(edits.add_card(network, replace(card, name=fresh)), {fresh: place})

        self.session.edit(f"Add {card.title or name}", change)

    def _take_kept(self, name: str) -> None:
        """Puts a group from the shelf on the board."""
        made: list[str] = []

        def change(network: Network) -> Network:
            after, names = self.shelf.put(network, name, self._middle())
            made.extend(names)
            return after

        if self.session.edit(f"Add {name}", change):
            self.session.select(made[:1])

    def keep_group(self, card: str = "") -> None:
        """Puts the chosen group on the shelf, for other materials and projects."""
        card = card or next(iter(self.session.selection), "")
        try:
            name = self.shelf.keep(self.session.network, card)
        except CollageError as error:
            self.show_problem(error)
            return
        self.hint_label.setText(f"“{name}” is kept among the sources.")
        self.sources.rebuild()

    def _peek(self) -> None:
        if self.session.selection:
            self.session.toggle_peek(self.session.selection[0])

    def _middle(self) -> tuple[float, float]:
        return self.board.place_of(self.board.viewport().rect().center())

    # ---- acts on cards ------------------------------------------------------------------------

    def copy_cards(self) -> None:
        if self.session.selection:
            QApplication.clipboard().setText(acts.copy(self.session))
            self.hint_label.setText(f"Copied {len(self.session.selection)} cards as MaterialX.")

    def paste_cards(self) -> None:
        acts.paste(self.session, QApplication.clipboard().text(), self.board.place_of(self.board.pointer()))

    def find_card(self) -> None:
        """Finds a card by its name or kind, and shows it."""
        choices = [
            Choice(self.session.title(name), name, label_of(item.card.category, item.card.type), _icon(item.picture))
            for name, item in self.board.cards.items()
        ]
        at = self.board.viewport().rect().center()
        self.pick_field.ask(at, "Find a card", choices, self.board.show_card)

    def wire_to(self) -> None:
        """Wires the chosen card by keyboard: all inputs that it fits are offered."""
        if not self.session.selection or self.session.selection[0] not in self.board.cards:
            self.hint_label.setText("Choose a card first; then its output can be wired.")
            return
        name, at = self.session.selection[0], self.board.viewport().rect().center()
        if len(self.session.selection) > 1:
            self._wire_several(at)
            return
        self.pick_field.ask(
            at,
            f"Wire {self.session.title(name)} to …",
            [Choice(text, target, note) for text, note, target in self.board.ends_for(name)],
            self._wire_end,
        )

    def _wire_several(self, at: QPoint) -> None:
        """All chosen cards into one other, input by input."""
        sources = self.board.chosen_sources()
        choices = [
            Choice(self.session.title(other), other, f"all {len(sources)} of them")
            for other in self.board.cards
            if other not in self.session.selection
        ]

        def picked(other: str) -> None:
            acts.wire_several(self.session, sources, other)

        self.pick_field.ask(at, f"Wire {len(sources)} cards to …", choices, picked)

    def convert_wires(self) -> None:
        """Offers other ways to convert for the wires at the chosen cards."""
        network, surface = self.session.network, self.session.surface
        choices = []
        for wire in self.board.wires:
            user = wire.card or (surface.name if surface is not None and not self.session.path else "")
            if wire.mark and user and {wire.card, wire.source.card} & {*self.session.selection}:
                between = origin(network, network.cards[user].inputs[wire.name].wire or wire.source)[1]
                title = f"{self.session.title(wire.source.card)} → {self.session.title(user)}"
                choices += [Choice(f"{title}: {label}", (user, wire.name, way)) for way, label in ways(between[0])]
        at = self.board.viewport().rect().center()
        self.pick_field.ask(at, "Convert another way", choices, self._convert)

    def _convert(self, end: tuple[str, str, str]) -> None:
        acts.convert_by(self.session, *end)

    def _wire_end(self, end: tuple[Wire, str, str, str]) -> None:
        self.board.wire_to(*end)

    def put_between(self) -> None:
        """Offers the wires that the chosen card can be put into."""
        for name in self.session.selection[:1]:
            surface = self.session.surface
            choices = [
                Choice(
                    f"{self.session.title(wire.source.card)} → {self.session.title(end)}",
                    (wire.source, end, wire.name, wire.kind),
                    input_label(wire.name),
                )
                for wire in self.board.wires
                if name not in (wire.source.card, wire.card)
                and (end := wire.card or (surface.name if surface is not None and not self.session.path else ""))
            ]
            at = self.board.viewport().rect().center()
            self.pick_field.ask(at, "Put it into a wire", choices, partial(self._put_between, name))

    def _put_between(self, name: str, wire: tuple[Wire, str, str, str]) -> None:
        acts.put_between(self.session, name, *wire)

    def cut_wires(self) -> None:
        """Offers the wires at the chosen cards to be cut."""
        chosen = set(self.session.selection)
        wires = [wire for wire in self.board.wires if wire.card in chosen or wire.source.card in chosen]
        choices = [
            Choice(
                f"{self.session.title(wire.source.card)} → {self.session.title(wire.card) if wire.card else 'Surface'}",
                [(wire.card, wire.name)],
                input_label(wire.name),
            )
            for wire in wires
        ]
        if len(wires) > 1:
            choices.insert(0, Choice("All of them", [(wire.card, wire.name) for wire in wires]))
        self.pick_field.ask(
            self.board.viewport().rect().center(), "Cut a wire", choices, lambda ends: acts.cut(self.session, ends)
        )

    def take_out(self) -> None:
        acts.take_out(self.session, self.session.selection)

    def swap_inputs(self) -> None:
        """Exchanges the usual pair of inputs of the chosen card."""
        for name in self.session.selection[:1]:
            pairs = acts.swap_pairs(self.session, name)
            if pairs:
                acts.swap(self.session, name, *pairs[0])

    def open_chosen(self) -> None:
        for name in self.session.selection[:1]:
            if self.session.network.cards[name].network is not None:
                self.session.open_group((*self.session.path, name))

    def show_on(self, ground: Ground) -> None:
        self.maker.show_on(ground, self.maker.mark)

    def _hatch(self) -> None:
        self.maker.show_on(self.maker.ground, self.mark_action.isChecked())

    # ---- the bench ----------------------------------------------------------------------------

    def _bench(self, label: str, update: dict[str, object]) -> None:
        self.session.edit_bench(label, lambda bench: bench.model_copy(update=update))

    def _expose(self, stops: float) -> None:
        self._bench("Exposure", {"exposure": round(self.session.project.bench.exposure + stops, 2)})

    def _toggle_environment(self) -> None:
        def change(bench: Bench) -> Bench:
            environment = bench.environment
            return bench.model_copy(update={"environment": environment.model_copy(update={"on": not environment.on})})

        self.session.edit_bench("Environment on or off", change)

    def _show_bench(self) -> None:
        bench = self.session.project.bench
        self.environment_action.setChecked(bench.environment.on)
        for action in self.tone_actions:
            action.setChecked(action.data() == bench.view_transform)

    def _fill_lights(self) -> None:
        self.lights_menu.clear()
        for number, light in enumerate(self.session.project.bench.lights):
            action = self.lights_menu.addAction(light.name)
            action.setCheckable(True)
            action.setChecked(light.on)
            action.triggered.connect(lambda _=False, number=number: self._toggle_light(number))
        if self.lights_menu.isEmpty():
            self.lights_menu.addAction("No lights on this bench").setEnabled(False)

    def _toggle_light(self, number: int) -> None:
        def change(bench: Bench) -> Bench:
            lights = list(bench.lights)
            lights[number] = lights[number].model_copy(update={"on": not lights[number].on})
            return bench.model_copy(update={"lights": tuple(lights)})

        self.session.edit_bench("Light on or off", change)

    # ---- materials, files ---------------------------------------------------------------------

    def _fill_materials(self) -> None:
        menu = self.material_button.menu()
        menu.clear()
        for name in self.session.project.materials:
            menu.addAction(name, partial(self.session.show_material, name))
        menu.addSeparator()
        menu.addAction("New material", partial(acts.new_material_named, self.session))
        menu.addAction("Duplicate", partial(acts.duplicate_material, self.session, self.session.material))
        menu.addAction("Rename…", partial(self.sources.rename, self.session.material))
        menu.addAction("Delete", partial(acts.delete_material, self.session, self.session.material))

    def _fill_recent(self) -> None:
        self.recent_menu.clear()
        for text in self.settings.recent:
            self.recent_menu.addAction(Path(text).name, partial(self.open_folder, Path(text))).setToolTip(text)
        if self.recent_menu.isEmpty():
            self.recent_menu.addAction("Nothing yet").setEnabled(False)

    def may_leave(self) -> bool:
        """Asks before unsaved work would be lost."""
        if not self.session.dirty:
            return True
        box = QMessageBox(self)
        box.setWindowTitle("Collage")
        box.setText(f"“{self.session.project.name}” has changes that are not saved.")
        save = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole)
        drop = box.addButton("Do not save", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Cancel", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        if box.clickedButton() is save:
            self.save()
            return not self.session.dirty
        return box.clickedButton() is drop

    def open_folder(self, folder: Path) -> bool:
        if not self.may_leave():
            return False
        try:
            self.session.open(folder)
        except CollageError as error:
            self.show_problem(error)
            return False
        self._remember(folder)
        QTimer.singleShot(0, self.board.fit_all)
        return True

    def open_dialog(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Open a project folder")
        if name:
            self.open_folder(Path(name))

    def new_from(self, sample: str) -> None:
        name = QFileDialog.getExistingDirectory(self, "Choose an empty folder for the new project")
        if not name:
            return
        self.make_sample(sample, Path(name))

    def make_sample(self, sample: str, folder: Path) -> None:
        """Writes a sample on a worker thread, says how far it is, and opens it."""

        def work(cancelled: Callable[[], bool]) -> Iterator[str]:
            for text, share in sample_steps(sample, folder):
                if cancelled():
                    return
                yield f"{text} · {share:.0%}"
            yield ""

        self._do_file_work(work, partial(self.open_folder, folder))

    def _do_file_work(self, work: Work, then: Callable[[], object]) -> None:
        """Long work with files: its words stand in the bar; what follows is done when it says nothing more."""
        self._then = then
        self.files_worker.ask(work)

    def _file_work_told(self, text: str) -> None:
        self.busy_label.setText(text)
        if not text:
            self._then()

    def save(self) -> None:
        if self.session.folder is None:
            self.save_as()
        else:
            self._save_to(None)

    def save_as(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Choose a folder to save the project in")
        if name:
            self._save_to(Path(name))

    def _save_to(self, folder: Path | None) -> None:
        if folder is None or not self.session.is_elsewhere(folder):
            self._save_now(folder)
            return
        source = self.session.base_folder

        def work(cancelled: Callable[[], bool]) -> Iterator[str]:
            yield "Copying the maps"
            folder.mkdir(parents=True, exist_ok=True)
            copy_files(source, folder)
            yield ""

        self._do_file_work(work, partial(self._save_now, folder))

    def _save_now(self, folder: Path | None) -> None:
        try:
            self.session.save(folder, files_are_there=True)
        except CollageError as error:
            self.show_problem(error)
            return
        self.hint_label.setText("Saved.")
        if self.session.folder is not None:
            self._remember(self.session.folder)

    def _remember(self, folder: Path) -> None:
        self.settings = self.settings.with_recent(folder)
        save_settings(self.settings, self._settings_file)

    def add_material_dialog(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Add a material", "", "MaterialX documents (*.mtlx)")
        if name:
            try:
                self.session.add_material(Path(name))
            except CollageError as error:
                self.show_problem(error)

    def render_dialog(self) -> None:
        dialog = RenderDialog(self.session, self.workers, self.preview.mode, self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.show()

    # ---- the window itself --------------------------------------------------------------------

    def set_theme(self, name: str) -> None:
        self.theme = THEMES[name]
        self.settings = self.settings.model_copy(update={"theme": name})
        app = QApplication.instance()
        if isinstance(app, QApplication):
            apply_theme(app, self.theme)
        self.board.set_theme(self.theme)
        self.channels.set_theme(self.theme)
        self.preview.theme = self.theme
        self._refresh_titles()

    def show_shortcuts(self) -> None:
        dialog = ShortcutsDialog(self.actions_by_name, self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.show()

    def about(self) -> None:
        QMessageBox.about(
            self,
            "About Collage",
            f"Collage {__version__}\nA look-development studio. Apache-2.0.\nTypeface Lato, SIL Open Font License.",
        )

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if files_in(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Files that are dropped where no part of the window wants them go to the Gather place."""
        self.go_to(GATHER)
        self.gather.dropEvent(event)

    def _restore(self) -> None:
        if self.settings.geometry:
            self.restoreGeometry(QByteArray.fromHex(self.settings.geometry.encode()))
        for name, sizes in self.settings.splitters.items():
            if name in self._splitters:
                self._splitters[name].setSizes(sizes)

    def closeEvent(self, event: QCloseEvent) -> None:
        if not self.may_leave():
            event.ignore()
            return
        self._keep_safe_timer.stop()
        geometry = bytes(self.saveGeometry().toHex().data()).decode()
        splitters = {name: one.sizes() for name, one in self._splitters.items()}
        self.settings = self.settings.model_copy(update={"geometry": geometry, "splitters": splitters})
        save_settings(self.settings, self._settings_file)
        self._disconnect()
        self.session.close()
        event.accept()

    def _disconnect(self) -> None:
        for signal, slot in self._heard:
            signal.disconnect(slot)
        for part in (self.board, self.controls, self.channels, self.sources, self.preview):
            part.close_down()
        self.maker.close()
        self.watch.close()
        self.gather_desk.close_down()
        self.files_worker.close()


def _icon(image: QImage | None) -> QPixmap | None:
    return QPixmap.fromImage(image) if image is not None else None
