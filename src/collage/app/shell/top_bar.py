"""The bar under the menus: project, path of places, open groups, running work, missing files, material in hand."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import Signal
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QFrame, QHBoxLayout, QInputDialog, QLabel, QMenu, QToolButton, QWidget

from collage.app.preview.card_pictures import BoardPictures
from collage.app.shell.acts import add
from collage.app.shell.studio import Studio
from collage.core.actions import materials as materials_acts
from collage.core.base.text import counted


class TopBar(QFrame):
    """Shows where one is and what goes on."""

    place_wanted = Signal(int)
    files_wanted = Signal()

    def __init__(self, studio: Studio, titles: list[str], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.studio, self.session = studio, studio.session
        self._pictures: dict[str, QPixmap] = {}
        self.setObjectName("topBar")
        self.setFixedHeight(38)
        self.project = QLabel()
        self.project.setObjectName("title")
        self.project.setFixedWidth(204)
        self.places = [self._place_button(number, title) for number, title in enumerate(titles)]
        self.inside = QLabel()
        self.up = self._button("Back to the material", "Leave the group (Esc)", self._leave)
        self.busy = QLabel()
        self.busy.setObjectName("quiet")
        self.stop = self._button("Cancel", "Cancel the running work", self._cancel)
        self.files = self._button("", "Find the missing files", self.files_wanted.emit)
        self.picture = QLabel()
        self.picture.setFixedSize(28, 28)
        self.picture.setScaledContents(True)
        self.material = QToolButton()
        self.material.setObjectName("plain")
        self.material.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.material.setToolTip("The material in hand; click for the others")
        self.material.setMenu(QMenu(self.material))
        self.material.menu().aboutToShow.connect(self._fill_materials)
        self._lay_out()
        studio.jobs.queue_changed.connect(self.show_work)
        studio.maker.material_ready.connect(self._take_picture)
        self.show_work()

    def _lay_out(self) -> None:
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 0, 14, 0)
        row.setSpacing(10)
        row.addWidget(self.project)
        for button in self.places:
            row.addWidget(button)
        row.addWidget(self.inside)
        row.addWidget(self.up)
        row.addStretch(1)
        for part in (self.busy, self.stop, self.files, self.picture, self.material):
            row.addWidget(part)
        self.files.hide()

    @staticmethod
    def _button(text: str, tip: str, work: Callable[[], object]) -> QToolButton:
        button = QToolButton()
        button.setText(text)
        button.setToolTip(tip)
        button.clicked.connect(lambda _=False: work())
        return button

    def _place_button(self, number: int, title: str) -> QToolButton:
        """One of the places on the numbered path."""
        button = self._button(f"{number + 1}  {title}", f"{title} (Ctrl+{number + 1})", partial(self._want, number))
        button.setObjectName("place")
        button.setCheckable(True)
        return button

    def _want(self, number: int) -> None:
        self.place_wanted.emit(number)

    # ---- showing ------------------------------------------------------------------------------

    def refresh(self, place: int) -> None:
        """Shows the project's state, and the place with this number as the one that is shown.

        place : negative on the start page, where nothing is open.
        """
        session, something = self.session, place >= 0
        name = f"{session.project.name}{' •' if session.dirty else ''}"
        self.project.setText(name if something else "Collage")
        self.project.setToolTip(str(session.folder) if session.folder is not None else "Not saved yet")
        self.material.setVisible(something)
        self.picture.setVisible(something)
        for number, button in enumerate(self.places):
            button.setChecked(number == place)
        self.inside.setText("".join(f" › {title}" for title in self._groups()).strip())
        self.up.setVisible(bool(session.path))
        self.material.setText(f"{session.material}  ▾")
        self.picture.setPixmap(self._pictures.get(session.material, QPixmap()))

    def _groups(self) -> list[str]:
        """The open groups, outermost first."""
        network, found = self.session.document, []
        for name in self.session.path:
            card = network.cards.get(name)
            if card is None or card.network is None:
                break
            found.append(card.title or name)
            network = card.network
        return found

    def show_work(self) -> None:
        """The first of the queued work, how far it is, and how much more waits."""
        tickets = self.studio.jobs.tickets
        more = f" · {len(tickets) - 1} more" if len(tickets) > 1 else ""
        self.busy.setText(f"{tickets[0].text}{more}" if tickets else "")
        self.stop.setVisible(bool(tickets))

    def show_missing(self, count: int) -> None:
        self.files.setVisible(count > 0)
        self.files.setText(f"{counted(count, 'file')} missing")

    def _take_picture(self, made: BoardPictures) -> None:
        if "" in made.images:
            self._pictures[made.material] = QPixmap.fromImage(made.images[""])
            if made.material == self.session.material:
                self.picture.setPixmap(self._pictures[made.material])

    # ---- acts ---------------------------------------------------------------------------------

    def _leave(self) -> None:
        self.session.open_group(self.session.path[:-1])

    def _cancel(self) -> None:
        for ticket in self.studio.jobs.tickets[:1]:
            ticket.cancel()

    def _fill_materials(self) -> None:
        menu, session = self.material.menu(), self.session
        menu.clear()
        for name in session.project.materials:
            menu.addAction(name, partial(session.show_material, name))
        menu.addSeparator()
        add(menu, materials_acts.new_material_named, partial(materials_acts.new_material_named, session))
        add(
            menu,
            materials_acts.duplicate_material,
            partial(materials_acts.duplicate_material, session, session.material),
        )
        add(menu, materials_acts.rename_material, self._rename)
        add(menu, materials_acts.delete_material, partial(materials_acts.delete_material, session, session.material))

    def _rename(self) -> None:
        old = self.session.material
        text, good = QInputDialog.getText(self, "Rename the material", "Name", text=old)
        if good and text.strip():
            materials_acts.rename_material(self.session, old, text)
