"""The Wire place: sources, board and controls, preview and channels, and what belongs to them."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import cast

from psygnal import Signal as Event
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import QApplication, QSplitter, QWidget

from collage.app.preview.card_pictures import BoardPictures
from collage.app.preview.images import pixmaps
from collage.app.shell.drops import Drops
from collage.app.shell.place import Entry
from collage.app.shell.studio import Studio
from collage.app.theme import Theme
from collage.app.widgets.dragged import EFFECT_FORMAT, KEPT_FORMAT
from collage.app.widgets.panels import splitter
from collage.app.widgets.pick_field import PickField
from collage.app.wire.add_field import AddField, Other
from collage.app.wire.board import HINT, Board
from collage.app.wire.channels_panel import ChannelsPanel
from collage.app.wire.controls_panel import ControlsPanel
from collage.app.wire.keyboard import BoardKeyboard
from collage.app.wire.mask_dialog import MaskDialog
from collage.app.wire.menu_entries import entries_of
from collage.app.wire.preview_panel import PreviewPanel
from collage.app.wire.sources_panel import SourcesPanel
from collage.core.actions import effects as effects_acts
from collage.core.base.errors import CollageError
from collage.core.document import edits
from collage.core.document.history import History
from collage.core.document.model import MAP_SET, Network, Wire
from collage.core.nodes.adding import free_place
from collage.core.nodes.labels import Offer, title_of
from collage.core.project.state import Project

SIZES = {False: ([520, 190], [364, 350]), True: ([520, 190], [300, 414])}
"""Heights of the middle and of the right column, by whether the preview has the middle."""


class WirePlace:
    """See shell.place.Place."""

    title = "Wire"
    hint = HINT
    opens = frozenset({"material"})
    steps_changed = Event()

    def __init__(self, studio: Studio) -> None:
        self.studio, self.session = studio, studio.session
        session = studio.session
        self.drops = Drops(studio)
        self.sources = SourcesPanel(session, studio.offers, studio.shelf)
        self.board = Board(session, studio.theme)
        self.controls = ControlsPanel(session, studio.jobs)
        self.preview_panel = PreviewPanel(studio)
        self.preview = self.preview_panel.preview
        self.channels = ChannelsPanel(session, studio.theme)
        self.add_field = AddField(session.library, studio.offers, {}, self.board)
        self.pick_field = PickField(self.board)
        self.keyboard = BoardKeyboard(studio, self.board, self.pick_field)
        self.middle = splitter("middle", Qt.Orientation.Vertical, [self.board, self.controls])
        self.right = splitter("right", Qt.Orientation.Vertical, [self.preview_panel, self.channels])
        self.widget: QWidget = splitter(
            "wire", Qt.Orientation.Horizontal, [self.sources, self.middle, self.right], [220, 660, 400], stretch=1
        )
        self.large = studio.settings.large_preview
        self._lay_out()
        self._fitted = False
        self._fit = QTimer(self.board)  # goes with the board; a single shot would be delivered to one that is gone
        self._fit.setSingleShot(True)
        self._fit.setInterval(0)
        self._fit.timeout.connect(self.board.fit_all)
        self._application = cast(QApplication, QApplication.instance())
        self._keys = QTimer(self.board)
        self._keys.setSingleShot(True)
        self._keys.setInterval(0)
        self._keys.timeout.connect(self._take_keys)
        self._images: dict[str, QImage] = {}
        self._kept_pictures: dict[str, QPixmap] = {}  # by saved group
        self._set_pictures: dict[tuple[str, str], QPixmap] = {}  # by material and card
        self._connect()

    @property
    def splitters(self) -> dict[str, QSplitter]:
        assert isinstance(self.widget, QSplitter)
        return {"middle": self.middle, "right": self.right, "wire": self.widget}

    @property
    def history(self) -> History[Project]:
        return self.session.history

    @property
    def settled(self) -> bool:
        return not self.widget.isVisible() or (self.preview.settled and self.studio.maker.settled)

    def entries(self) -> list[Entry]:
        return entries_of(self)

    def shown(self) -> None:
        self.board.setFocus()
        if not self._fitted:  # the window has its size only by now
            self._fitted = True
            self._fit_soon()

    def _focus_changed(self, _before: QWidget | None, now: QWidget | None) -> None:
        if now is None:
            self._keys.start()

    def _take_keys(self) -> None:
        """The keyboard goes to the board where it has nowhere else to go."""
        if QApplication.focusWidget() is None and self.board.isVisible() and self.board.window().isActiveWindow():
            self.board.setFocus()

    def _first_picture(self) -> None:
        """The preview comes first; the pictures of cards, kinds and materials after it."""
        self.preview.shown_changed.disconnect(self._first_picture)
        self.studio.maker.begin(self.studio.offers)

    def _fit_soon(self) -> None:
        self._fit.start()

    def take_files(self, _paths: list[Path]) -> bool:
        return False  # files that fall beside board, channels and preview go to the table of sets

    def close_down(self) -> None:
        studio = self.studio
        self.session.peek_changed.disconnect(self._show_flat)
        self.session.opened.disconnect(self._fit_soon)
        self._application.focusChanged.disconnect(self._focus_changed)
        studio.theme_changed.disconnect(self._set_theme)
        for part in (self.board, self.controls, self.channels, self.sources, self.preview):
            part.close_down()

    def _connect(self) -> None:
        studio, board, preview = self.studio, self.board, self.preview
        self.session.peek_changed.connect(self._show_flat)
        self.session.opened.connect(self._fit_soon)
        self._application.focusChanged.connect(self._focus_changed)
        studio.theme_changed.connect(self._set_theme)
        board.hint.connect(studio.hint)
        board.pixel.connect(studio.pixel)
        board.add_wanted.connect(self.ask_add)
        board.find_wanted.connect(self.keyboard.find_card)
        board.between_wanted.connect(self.keyboard.put_between)
        board.wire_wanted.connect(self._wire_wanted)
        board.keep_wanted.connect(self.keep_group)
        board.mask_wanted.connect(self.mask_dialog)
        board.files_dropped.connect(self.drops.on_board)
        board.thing_dropped.connect(self._take_dropped)
        board.channel_under_pointer = self.channels.under_pointer
        preview.hint.connect(studio.hint)
        preview.pixel.connect(studio.pixel)
        preview.timed.connect(studio.timed)
        preview.failed.connect(studio.tell)
        preview.shown_changed.connect(self._first_picture)
        preview.files_dropped.connect(self.drops.on_object)
        self.preview_panel.large_wanted.connect(self.toggle_large)
        self.channels.view_wanted.connect(self.preview_panel.toggle_mode)
        self.channels.files_dropped.connect(self.drops.on_channel)
        self.sources.take_offer.connect(self._take_offer)
        self.sources.take_set.connect(self._take_set)
        self.sources.take_kept.connect(self._take_kept)
        self.sources.take_effect.connect(self._take_effect)
        self.preview.effect_dropped.connect(self._take_effect)
        studio.maker.ready.connect(self._show_pictures)
        studio.maker.kinds_ready.connect(self._show_kinds)
        studio.maker.material_ready.connect(self._show_material)
        studio.maker.kept_ready.connect(self._show_kept)

    # ---- layout -------------------------------------------------------------------------------

    def toggle_large(self) -> None:
        """Gives the preview the middle and puts the board beside it, or back."""
        self.large = not self.large
        self.studio.remember(large_preview=self.large)
        self._lay_out()
        self.board.setFocus()  # which moving it has taken away
        self._fit_soon()

    def _lay_out(self) -> None:
        first, second = (self.preview_panel, self.board) if self.large else (self.board, self.preview_panel)
        self.middle.insertWidget(0, first)
        self.right.insertWidget(0, second)
        middle, right = SIZES[self.large]
        self.middle.setSizes(middle)
        self.right.setSizes(right)
        self.preview_panel.large.setChecked(self.large)

    def _set_theme(self, theme: Theme) -> None:
        self.board.set_theme(theme)
        self.channels.set_theme(theme)
        self.preview_panel.set_theme(theme)

    # ---- pictures -----------------------------------------------------------------------------

    def _show_pictures(self, made: BoardPictures) -> None:
        if (made.material, made.path) != (self.session.material, self.session.path):
            return
        self._images = made.images
        self.board.show_pictures(made.images, made.problems, made.doubts, made.waiting)
        self.board.show_values(made.values, made.size, made.limits)
        self.controls.show_pictures(made.images, made.values)
        if not self.session.path:
            self.channels.show_pictures(made.images)
        self._show_flat()

    def _show_material(self, made: BoardPictures) -> None:
        """The small pictures of a material and its map sets."""
        for name, pixmap in pixmaps(made.images).items():
            if name:
                self._set_pictures[made.material, name] = pixmap
                self.sources.set_set_picture(f"set {made.material} {name}", pixmap)
            else:
                self.sources.set_material_picture(made.material, pixmap)

    def _show_kept(self, images: dict[str, QImage]) -> None:
        self._kept_pictures = pixmaps(images)
        self.sources.set_kind_pictures({f"kept {name}": pixmap for name, pixmap in self._kept_pictures.items()})

    def _show_kinds(self, images: dict[str, QImage]) -> None:
        pictures = pixmaps(images)
        self.sources.set_kind_pictures(pictures)
        self.add_field.set_pictures(pictures)

    def _show_flat(self) -> None:
        peeked = self.session.peeked
        self.preview.flat = self._images.get(peeked.card) if peeked is not None else None
        self.preview.update()

    # ---- adding -------------------------------------------------------------------------------

    def middle_place(self) -> tuple[float, float]:
        """The place on the board in the middle of what is seen of it."""
        return self.board.place_of(self.board.viewport().rect().center())

    def ask_add(self, at: QPoint, source: Wire | None, source_type: str) -> None:
        """Opens the add field at a point of the board."""
        place = self.board.seen_place(at)

        def chosen(offer: Offer, target: str) -> None:
            self.session.add(offer.definition, place, source, target)

        others = [] if source is not None else self._others(place)
        self.add_field.ask(at, chosen, source_type, wanted_type=self._type_in_hand(), others=others)

    def _type_in_hand(self) -> str:
        """What the selected card puts out, if one is: what is added next most likely works on the same."""
        cards = [self.session.network.cards.get(name) for name in self.session.selection]
        return cards[0].type if len(cards) == 1 and cards[0] is not None else ""

    def _others(self, place: tuple[float, float]) -> list[Other]:
        """The project's map sets and the saved groups, which are added by their names too."""
        sets: dict[tuple[str, int], Other] = {}
        for material, document in self.session.project.materials.items():
            for name, card in document.cards.items():
                if card.attributes.get(MAP_SET) == "true":  # several materials may have the same one
                    take = partial(self._take_set, material, name, place)
                    one = Other(title_of(card), "map set", take, self._set_pictures.get((material, name)))
                    sets.setdefault((title_of(card), id(card.network)), one)
        kept = [
            Other(name, "saved group", partial(self._take_kept, name, place), self._kept_pictures.get(name))
            for name in self.studio.shelf.names()
        ]
        return [*sets.values(), *kept]

    def _take_offer(self, offer: Offer) -> None:
        self.session.add(offer.definition, self.middle_place())

    def _take_set(self, material: str, name: str, at: tuple[float, float] | None = None) -> None:
        card, place = self.session.project.materials[material].cards[name], at or self.middle_place()
        fresh = self.session.network.free_name(name)

        def change(network: Network) -> Network:
            return edits.move_cards(
                edits.add_card(network, replace(card, name=fresh)), {fresh: free_place(network, place)}
            )

        if self.session.edit(f"Add {card.title or name}", change):
            self.session.select([fresh])

    def _take_dropped(self, form: str, text: str, place: tuple[float, float]) -> None:
        """A map set, a saved group or an effect that was dragged from the sources."""
        if form == KEPT_FORMAT:
            self._take_kept(text, place)
            return
        if form == EFFECT_FORMAT:
            self._take_effect(text, at=place)
            return
        material, _, name = text.partition("\n")
        if name in self.session.project.materials[material].cards:
            self._take_set(material, name, place)

    def _take_kept(self, name: str, at: tuple[float, float] | None = None) -> None:
        """Puts a group from the shelf on the board."""
        made: list[str] = []

        def change(network: Network) -> Network:
            after, names = self.studio.shelf.put(network, name, at or self.middle_place())
            made.extend(names)
            return after

        if self.session.edit(f"Add {name}", change):
            self.session.select(made[:1])

    def _take_effect(self, name: str, material: str = "", at: tuple[float, float] | None = None) -> None:
        """Puts an effect over a material; the one in hand if none is named."""
        try:
            effects_acts.add_effect(self.session, name, material, at)
        except CollageError as error:
            self.studio.tell(error)

    def mask_dialog(self, card: str) -> None:
        """Asks which inputs of the surface are to follow a card's output."""
        output = self.board.cards[card].first_output if card in self.board.cards else ""
        MaskDialog(self.session, Wire(card, output), self.widget).show()

    def keep_group(self, card: str = "") -> None:
        """Puts the selected group on the shelf, for other materials and projects."""
        card = card or next(iter(self.session.selection), "")
        try:
            name = self.studio.shelf.keep(self.session.network, card)
        except CollageError as error:
            self.studio.tell(error)
            return
        self.studio.hint.emit(f"“{name}” is saved among the sources.")
        self.sources.rebuild()
        self.studio.maker.ask_kept()

    def open_group(self) -> None:
        """Opens the selected group."""
        for name in self.session.selection[:1]:
            if self.session.network.cards[name].network is not None:
                self.session.open_group((*self.session.path, name))

    def peek(self) -> None:
        if self.session.selection:
            self.session.toggle_peek(self.session.selection[0])

    def _wire_wanted(self, _card: str) -> None:
        self.keyboard.wire_to()
