"""The add field: type what is wanted, and it stands on the board where the pointer was.

A kind has one row. The types that it comes in stand beside it as chips: a click on one, or Tab, takes another than the
one that fits.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QModelIndex, QObject, QPersistentModelIndex, QPoint, QRect, QSize, Qt
from PySide6.QtGui import QFontMetrics, QKeyEvent, QMouseEvent, QPainter, QPixmap
from PySide6.QtWidgets import QListWidgetItem, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from collage.app.theme import font
from collage.app.widgets.search_popup import SearchPopup
from collage.core.nodes.kinds import Kind, found_kinds, is_near_only
from collage.core.nodes.labels import TYPE_WORDS, Offer
from collage.core.nodes.library import Library
from collage.core.nodes.wiring import fits

WIDTH, ROW = 420, 28  # pixels
DATA = Qt.ItemDataRole.UserRole
SHORT = {"color4": "colour + alpha", "boolean": "yes/no", "integer": "whole", "multioutput": "several"}
"""What chips say where the type's own word is long."""
MOST_CHIPS = 4
PAD, GAP = 5, 3  # pixels inside a chip, and between two


@dataclass(frozen=True)
class Other:
    """Something else that can be added: a map set, or a saved group."""

    label: str
    note: str
    take: Callable[[], object]
    picture: QPixmap | None = None


@dataclass
class Row:
    """A kind with the type that is chosen at present, or something else."""

    kind: Kind | None
    offer: Offer | None
    other: Other | None = None

    @property
    def chips(self) -> list[Offer]:
        """The types beside it: the usual ones, and the chosen one always."""
        if self.kind is None or self.offer is None:
            return []
        shown = list(self.kind.offers[:MOST_CHIPS])
        return shown if self.offer in shown else [*shown[:-1], self.offer]


def type_word(offer: Offer) -> str:
    """The type that an offer puts out, in a word or two."""
    kind = offer.definition.type
    return SHORT.get(kind) or TYPE_WORDS.get(kind, kind)


class _Chips(QStyledItemDelegate):
    """Draws a row with its types: all of them on the current row, the chosen one alone on the others."""

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        super().paint(painter, option, index)
        row: Row | None = index.data(DATA)
        if row is None:
            return
        current = bool(option.state & QStyle.StateFlag.State_Selected)  # type: ignore[attr-defined]
        palette = option.palette  # type: ignore[attr-defined]
        ink = palette.text().color() if current else palette.placeholderText().color()
        painter.save()
        painter.setFont(font(11))
        painter.setPen(ink)
        if row.other is not None:
            place = option.rect.adjusted(0, 0, -PAD, 0)  # type: ignore[attr-defined]
            painter.drawText(place, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, row.other.note)
        for offer, place in chip_places(option.rect, row, current=current):  # type: ignore[attr-defined]
            painter.drawText(place, Qt.AlignmentFlag.AlignCenter, type_word(offer))
            if current and offer is row.offer and len(row.chips) > 1:
                painter.drawRect(place.adjusted(0, 0, -1, -1))
        painter.restore()

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        return QSize(WIDTH // 2, ROW)


def chip_places(rect: QRect, row: Row, *, current: bool) -> list[tuple[Offer, QRect]]:
    """Where each type of a row stands, from the left; `rect` is the row's place."""
    metrics, right, found = QFontMetrics(font(11)), rect.right() - PAD, []
    shown = row.chips if current else [row.offer] if row.offer is not None else []
    for offer in reversed(shown):
        wide = metrics.horizontalAdvance(type_word(offer)) + 2 * PAD
        found.append((offer, QRect(right - wide, rect.top() + 4, wide, rect.height() - 8)))
        right -= wide + GAP
    return found[::-1]


class AddField(SearchPopup):
    """A search over all kinds of cards, with their pictures. `chosen` is called with an offer and an input."""

    def __init__(self, library: Library, every: list[Offer], pictures: dict[str, QPixmap], parent: QWidget) -> None:
        super().__init__(parent, WIDTH)
        self._library, self._every, self._pictures = library, every, pictures
        self._source_type = self._wanted_type = ""
        self._chosen: Callable[[Offer, str], None] = lambda _offer, _input: None
        self._others: Sequence[Other] = ()
        self.line.setPlaceholderText("Add a card: noise, mix, ramp, normal …")
        self.line.setAccessibleName("Search for a card to add")
        self.found.setItemDelegate(_Chips(self.found))
        self.found.viewport().installEventFilter(self)

    def set_pictures(self, pictures: dict[str, QPixmap]) -> None:
        """Pictures of kinds, by category."""
        self._pictures.update(pictures)

    def ask(
        self,
        at: QPoint,
        chosen: Callable[[Offer, str], None],
        source_type: str = "",
        *,
        wanted_type: str = "",
        others: Sequence[Other] = (),
    ) -> None:
        """Opens at a point of the parent.

        source_type : only what can take it is shown. wanted_type : what is chosen where a kind has several types.
        others : what else is found by its name.
        """
        self._chosen, self._source_type, self._others = chosen, source_type, others
        self._wanted_type = source_type or wanted_type
        self.open_at(at)

    def target_input(self, offer: Offer) -> str:
        """The input that a wire of the source's type would end at; empty if there is none."""
        kind = self._source_type
        if not kind:
            return ""
        inputs = [tab for tab in offer.definition.inputs.values() if not tab.uniform]
        main = offer.definition.main_input
        exact = [tab.name for tab in inputs if tab.type == kind]
        if main is not None and main in exact:
            return main
        if exact:
            return exact[0]
        loose = [tab.name for tab in inputs if fits(self._library, kind, tab.type)]
        return loose[0] if loose else ""

    def search(self, text: str) -> None:
        self.found.clear()
        for other in self._others:
            if text.strip() and other.label.lower().startswith(text.strip().lower()):
                self._add_other(other)
        kinds = found_kinds(self._every, text, self._may_take)
        if self._source_type:  # what takes the wire as it is comes before what converts it
            kinds.sort(key=lambda kind: self._converts(kind.usual(self._wanted_type)))
        if kinds and text.strip() and is_near_only(self._every, text) and not self.found.count():
            self._add_heading(f"Nothing is called “{text.strip()}”. The nearest:")
        for kind in kinds:
            offer = kind.usual(self._wanted_type)
            tip = offer.definition.help or f"{offer.definition.category} of the standard library"
            self.add_row(kind.label, Row(kind, offer), self._pictures.get(offer.definition.category), tip)
        for other in self._others:
            words = f"{other.label} {other.note}".lower()
            if len(text.strip()) > 1 and text.strip().lower() in words and not words.startswith(text.strip().lower()):
                self._add_other(other)
        first = self.found.item(0)
        self.found.setCurrentRow(1 if first is not None and first.data(DATA) is None else 0)

    def _add_other(self, other: Other) -> None:
        self.add_row(other.label, Row(None, None, other), other.picture, f"Add the {other.note} {other.label}")

    def _add_heading(self, text: str) -> None:
        heading = QListWidgetItem(text)
        heading.setFlags(Qt.ItemFlag.NoItemFlags)
        self.found.addItem(heading)

    def _may_take(self, offer: Offer) -> bool:
        return not self._source_type or bool(self.target_input(offer))

    def _converts(self, offer: Offer) -> bool:
        return offer.definition.inputs[self.target_input(offer)].type != self._source_type

    # ---- types --------------------------------------------------------------------------------

    def next_type(self, step: int = 1) -> None:
        """Chooses another type of the current row."""
        item = self.found.currentItem()
        row: Row | None = item.data(DATA) if item is not None else None
        if row is None or row.kind is None or row.offer is None:
            return
        every = row.kind.offers
        row.offer = every[(every.index(row.offer) + step) % len(every)]
        self.found.viewport().update()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() in (Qt.Key.Key_Tab, Qt.Key.Key_Backtab) and watched is self.line:
                self.next_type(1 if event.key() == Qt.Key.Key_Tab else -1)
                return True
        elif isinstance(event, QMouseEvent) and event.type() == QEvent.Type.MouseButtonPress:
            self._pick_type(event.position().toPoint())
        return super().eventFilter(watched, event)

    def _pick_type(self, at: QPoint) -> None:
        """A press on a type chooses it; the click that follows takes the row."""
        item = self.found.itemAt(at)
        row: Row | None = item.data(DATA) if item is not None else None
        if item is None or row is None:
            return
        current = item is self.found.currentItem()
        for offer, place in chip_places(self.found.visualItemRect(item), row, current=current):
            if place.contains(at):
                row.offer = offer

    def take(self, item: QListWidgetItem | None) -> None:
        row: Row | None = item.data(DATA) if item is not None else None
        if row is None:
            return
        self.leave()
        if row.other is not None:
            row.other.take()
        elif row.offer is not None:
            self._chosen(row.offer, self.target_input(row.offer))
