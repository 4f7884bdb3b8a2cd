"""A card on the board: its picture, its label, and the tabs on its edges."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QFontMetricsF, QImage, QPainter, QPainterPath, QPen, QPixmap
from PySide6.QtWidgets import QGraphicsItem, QStyleOptionGraphicsItem, QWidget

from collage.app.theme import Theme, font
from collage.app.wire.tabs import draw_tab
from collage.core.base.errors import CollageError
from collage.core.document.model import MAP_SET, Card
from collage.core.document.types import CHANNELS
from collage.core.gather.spaces import NO_NORMAL_MAP
from collage.core.nodes.labels import input_label, tab_label, title_of
from collage.core.nodes.library import Library
from collage.core.render.values import Limits

WIDTH, HEIGHT = 120.0, 96.0
PICTURE = QRectF(3, 3, WIDTH - 6, 68)
CUT = 8.0
READABLE = 0.75  # zoom from which on the names of tabs can be read
FAR = 0.35  # zoom from which on letters on cards can be read
SPACING, FIRST, LAST = 15.0, 10.0, 65.0  # of tabs along an edge, beside the picture: names never cover the label
MOST_TABS = 6
UNIT_X, UNIT_Y = 150.0, 122.0
_DIRECTIONAL = {"texcoord", "position", "normal", "tangent", "bitangent", "normalmap", "bump", "place2d"}


def _spacing(count: int) -> float:
    """Between so many tabs on one edge."""
    return min(SPACING, (LAST - FIRST) / max(count - 1, 1))


@dataclass(frozen=True)
class Tab:
    """An input or output as it is drawn."""

    name: str
    type: str
    label: str
    wired: bool = False


def input_tabs(card: Card, library: Library) -> list[Tab]:
    """Every input that a wire can end at, in the order of the definition."""
    if card.network is not None:
        return [
            Tab(
                one.name,
                one.type,
                input_label(one.name, one.attributes.get("uiname", "")),
                one.wire is not None,
            )
            for one in card.inputs.values()
            if one.type in CHANNELS
        ]
    try:
        definition = library.definition(card)
    except CollageError:
        return [Tab(one.name, one.type, one.name, True) for one in card.inputs.values() if one.wire]
    return [
        Tab(
            tab.name,
            tab.type,
            tab_label(card.category, tab.name, tab.attributes.get("uiname", "")),
            tab.name in card.inputs and card.inputs[tab.name].wire is not None,
        )
        for tab in definition.inputs.values()
        if not tab.uniform and (tab.type in CHANNELS or tab.type == "surfaceshader")
    ]


def output_tabs(card: Card, library: Library) -> list[Tab]:
    if card.network is not None:
        return [Tab(out.name, out.type, input_label(out.name)) for out in card.network.outputs.values()]
    try:
        definition = library.definition(card)
    except CollageError:
        return [Tab("", card.type, "Out")]
    single = len(definition.outputs) == 1
    return [Tab("" if single else out.name, out.type, input_label(out.name)) for out in definition.outputs.values()]


def _fitted(tabs: list[Tab]) -> list[Tab]:
    """At most MOST_TABS, the wired ones first to stay, in their order."""
    if len(tabs) <= MOST_TABS:
        return tabs
    keep = {tab.name for tab in sorted(tabs, key=lambda tab: not tab.wired)[:MOST_TABS]}
    return [tab for tab in tabs if tab.name in keep]


class CardItem(QGraphicsItem):
    """Draws one card. What a mouse does to it is the board's business."""

    def __init__(self, card: Card, library: Library, theme: Theme) -> None:
        super().__init__()
        self.library, self.theme = library, theme
        self.picture: QImage | None = None
        self._cut: dict[int, QPixmap] = {}  # the picture, its corner cut off, by how much smaller it is
        self.problem: CollageError | None = None
        self.doubt = ""  # what speaks against its file: its colour space, or its being a normal map
        self.limits: Limits | None = None
        self.working = 0  # counts on while its image is being read
        self.chosen = self.hovered = self.peeked = self.named = False
        self.setCacheMode(QGraphicsItem.CacheMode.DeviceCoordinateCache)
        self._face: tuple[object, ...] = ()
        self.take(card)

    def take(self, card: Card) -> bool:
        """Shows another state of the card. Whether it looks otherwise: most values show in its picture alone."""
        self.card = card
        self.all_inputs = input_tabs(card, self.library)
        self.outputs = output_tabs(card, self.library)
        face = (card.category, card.type, card.attributes, card.network is None, self.all_inputs, self.outputs)
        if face == self._face:
            return False
        self._face = face
        self.prepareGeometryChange()
        self.inputs = _fitted(self.all_inputs)
        x, y = card.position
        self.setPos(x * UNIT_X, y * UNIT_Y)
        self.update()
        return True

    @property
    def name(self) -> str:
        return self.card.name

    def boundingRect(self) -> QRectF:
        return QRectF(-9, -4, WIDTH + 18, HEIGHT + 8)

    def body(self) -> QPainterPath:
        path = QPainterPath(QPointF(CUT, 0))
        for x, y in ((WIDTH, 0), (WIDTH, HEIGHT), (0, HEIGHT), (0, CUT)):
            path.lineTo(x, y)
        path.closeSubpath()
        return path

    def shape(self) -> QPainterPath:
        return self.body()

    # ---- tabs ---------------------------------------------------------------------------------

    @staticmethod
    def _place(number: int, count: int, right: bool) -> QPointF:
        return QPointF(WIDTH if right else 0.0, FIRST + number * _spacing(count))

    def input_place(self, name: str) -> QPointF:
        """Where the tab of an input is, in scene coordinates."""
        names = [tab.name for tab in self.inputs]
        number = names.index(name) if name in names else 0
        return self.mapToScene(self._place(number, len(names), False))

    def output_place(self, name: str) -> QPointF:
        names = [tab.name for tab in self.outputs]
        number = names.index(name) if name in names else 0
        return self.mapToScene(self._place(number, len(names), True))

    def tab_at(self, place: QPointF, reach: float = 8.0) -> tuple[Tab, bool] | None:
        """The tab at a scene place, and whether it is an output."""
        here = self.mapFromScene(place)
        for tabs, right in ((self.outputs, True), (self.inputs, False)):
            for number, tab in enumerate(tabs):
                gap = here - self._place(number, len(tabs), right)
                if abs(gap.x()) <= reach and abs(gap.y()) <= min(reach, _spacing(len(tabs)) / 2):
                    return tab, right
        return None

    @property
    def first_output(self) -> str:
        return self.outputs[0].name if self.outputs else ""

    def output_type(self, name: str) -> str:
        for tab in self.outputs:
            if tab.name == name:
                return tab.type
        return self.outputs[0].type if self.outputs else "float"

    # ---- drawing ------------------------------------------------------------------------------

    def paint(self, painter: QPainter, option: QStyleOptionGraphicsItem, widget: QWidget | None = None) -> None:
        theme = self.theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        body = self.body()
        painter.fillPath(body.translated(1, 1.5), QColor(theme.shade))
        painter.fillPath(body, QColor(theme.card))
        self._draw_picture(painter)
        self._draw_label(painter)
        chosen = self.chosen or self.peeked
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(theme.accent if chosen else theme.line), 2.0 if self.chosen else 1.0))
        painter.drawPath(body)
        for tabs, right in ((self.inputs, False), (self.outputs, True)):
            for number, tab in enumerate(tabs):
                place = self._place(number, len(tabs), right)
                draw_tab(painter, place, tab.type, theme, filled=tab.wired or right, hot=False)
        if self.hovered or (self.named and painter.worldTransform().m11() >= READABLE):
            self._draw_names(painter)

    def _draw_picture(self, painter: QPainter) -> None:
        zoom = painter.worldTransform().m11()
        if self.picture is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            cut = self._picture_for(zoom)
            painter.drawPixmap(PICTURE, cut, QRectF(cut.rect()))
        else:
            painter.fillRect(PICTURE, QColor(self.theme.board))
        if self.working:
            self._draw_working(painter)
        if zoom > FAR:
            self._draw_flags(painter)
        if self.card.skipped:
            veil = QColor(self.theme.card)
            veil.setAlpha(150)
            painter.fillRect(PICTURE, veil)
            painter.fillRect(PICTURE, QBrush(QColor(self.theme.ink), Qt.BrushStyle.BDiagPattern))
        if self.problem is not None:
            painter.setFont(font(10))
            text = str(self.problem.message)
            band = PICTURE.adjusted(4, 8, -4, -8)
            painter.fillRect(band, QColor(self.theme.card))
            painter.setPen(QColor(self.theme.ink))
            painter.drawText(band.adjusted(3, 1, -3, -1), Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignCenter, text)

    def show_picture(self, picture: QImage) -> None:
        self.picture = picture
        self._cut.clear()

    def show_working(self, on: bool) -> None:
        """Whether its image is being read: a line in the picture moves on with every call."""
        if on or self.working:
            self.working = self.working + 1 if on else 0
            self.update()

    def _draw_working(self, painter: QPainter) -> None:
        left = PICTURE.x() + CUT
        line = QRectF(left, PICTURE.y(), PICTURE.right() - left, 2)
        painter.fillRect(line, QColor(self.theme.board))
        part = line.width() / 4
        painter.fillRect(QRectF(left + part * (self.working % 4), line.y(), part, 2), QColor(self.theme.accent))

    def _picture_for(self, zoom: float) -> QPixmap:
        """The picture about as large as it is drawn: far away a small one is enough, and much quicker."""
        assert self.picture is not None
        smaller = 1 if zoom > 0.75 else 2 if zoom > 0.4 else 4
        if smaller not in self._cut:
            image = self.picture.convertToFormat(QImage.Format.Format_ARGB32_Premultiplied)
            size = image.size() / smaller
            image = image.scaled(size, Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.SmoothTransformation)
            corner = (CUT + 1 - PICTURE.x()) * image.width() / PICTURE.width()
            painter = QPainter(image)
            painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Clear)
            painter.setBrush(Qt.GlobalColor.black)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawPolygon([QPointF(0, 0), QPointF(corner, 0), QPointF(0, corner)])
            painter.end()
            self._cut[smaller] = QPixmap.fromImage(image)
        return self._cut[smaller]

    def _draw_flags(self, painter: QPainter) -> None:
        """What the picture cannot show: values below 0, above 1, no number at all, or a doubtful colour space."""
        found = self.limits
        flags = ["normal?" if self.doubt.startswith(NO_NORMAL_MAP) else "space?"] if self.doubt else []
        if found is not None and self.card.category not in _DIRECTIONAL:
            told = ("NaN", found.broken > 0), ("< 0", found.low < -1e-3), ("> 1", found.high > 1.001)
            flags += [text for text, on in told if on]
        painter.setFont(font(9))
        right = PICTURE.right() - 2
        for text in flags:
            width = painter.fontMetrics().horizontalAdvance(text) + 5
            box = QRectF(right - width, PICTURE.bottom() - 13, width, 11)
            painter.fillRect(box, QColor(self.theme.card))
            painter.setPen(QColor(self.theme.ink))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
            right -= width + 2

    def _draw_label(self, painter: QPainter) -> None:
        tag = "group" if self.card.network is not None else ""
        if self.card.attributes.get(MAP_SET) == "true":
            tag = "set"
        if self.card.skipped:
            tag = "skipped"
        if self.peeked:
            tag = "peek"
        room = WIDTH - 14.0
        strip = QRectF(7, PICTURE.bottom(), room, HEIGHT - PICTURE.bottom())
        painter.setPen(QColor(self.theme.accent if self.peeked else self.theme.quiet))
        # small on the screen, the letters grow on the card so that they can be read
        zoom = painter.worldTransform().m11() / max(painter.device().devicePixelRatio() if painter.device() else 1, 1)
        size = round(min(max(11 / max(zoom, 0.1), 12), 18))
        if tag and size < 15:
            small = font(10)
            painter.setFont(small)
            painter.drawText(strip, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, tag)
            room -= QFontMetricsF(small).horizontalAdvance(tag) + 6
        face = font(size, bold=self.chosen)
        painter.setFont(face)
        painter.setPen(QColor(self.theme.ink))
        text = QFontMetricsF(face).elidedText(title_of(self.card), Qt.TextElideMode.ElideRight, room)
        painter.drawText(strip, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, text)

    def _draw_names(self, painter: QPainter) -> None:
        face = font(10)
        painter.setFont(face)
        metrics = QFontMetricsF(face)
        both = bool(self.inputs) and any(tab.name for tab in self.outputs)
        room = WIDTH / 2 - 10 if both else WIDTH - 24
        for tabs, right in ((self.inputs, False), (self.outputs, True)):
            for number, tab in enumerate(tabs):
                if right and not tab.name:
                    continue
                place = self._place(number, len(tabs), right)
                text = metrics.elidedText(tab.label, Qt.TextElideMode.ElideRight, room)
                width = metrics.horizontalAdvance(text) + 6
                high = min(_spacing(len(tabs)), 13.0)
                box = QRectF(WIDTH - 7 - width if right else 7, place.y() - high / 2, width, high)
                paper = QColor(self.theme.card)
                paper.setAlpha(225)
                painter.fillRect(box, paper)
                painter.setPen(QColor(self.theme.ink))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
