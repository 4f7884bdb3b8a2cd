"""Day and night: neutral greys, one accent, one typeface."""

from __future__ import annotations

from dataclasses import dataclass
from importlib.resources import files

from PySide6.QtCore import QByteArray, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QIcon, QPainter, QPalette, QPixmap, QPixmapCache
from PySide6.QtSvg import QSvgRenderer
from PySide6.QtWidgets import QApplication

ASSETS = files("collage.app") / "assets"


@dataclass(frozen=True)
class Theme:
    """The colours of the window. Nothing else in it is coloured."""

    name: str
    window: str
    panel: str
    board: str
    card: str
    line: str
    ink: str
    quiet: str
    accent: str
    shade: str  # one-pixel shadow under paper


DAY = Theme("day", "#C9C9C9", "#D6D6D6", "#BDBDBD", "#F1F1F1", "#9A9A9A", "#1E1E1E", "#4C4C4C", "#C4402A", "#8C8C8C")
NIGHT = Theme(
    "night", "#2E2E2E", "#383838", "#292929", "#474747", "#6A6A6A", "#ECECEC", "#B9B9B9", "#E8694F", "#161616"
)
THEMES = {"day": DAY, "night": NIGHT}


def load_fonts() -> str:
    """Registers the shipped typeface; returns its family."""
    family = "Lato"
    for name in ("Lato-Regular.ttf", "Lato-Bold.ttf"):
        number = QFontDatabase.addApplicationFontFromData(QByteArray((ASSETS / "fonts" / name).read_bytes()))
        families = QFontDatabase.applicationFontFamilies(number)
        family = families[0] if families else family
    return family


def font(size: int = 12, *, bold: bool = False) -> QFont:
    """The typeface at a size in pixels, figures all of one width."""
    made = QFont("Lato")
    made.setPixelSize(size)
    made.setBold(bold)
    made.setFeature(QFont.Tag("tnum"), 1)
    return made


def icon_pixmap(name: str, colour: str, size: int = 16, ratio: float = 2.0) -> QPixmap:
    """One of Collage's own line icons in a colour."""
    key, kept = f"{name} {colour} {size} {ratio}", QPixmap()
    if QPixmapCache.find(key, kept):
        return kept
    text = (ASSETS / "icons" / f"{name}.svg").read_text(encoding="utf-8").replace("#000", colour)
    pixmap = QPixmap(round(size * ratio), round(size * ratio))
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    QSvgRenderer(QByteArray(text.encode())).render(painter, QRectF(0, 0, size * ratio, size * ratio))
    painter.end()
    pixmap.setDevicePixelRatio(ratio)
    QPixmapCache.insert(key, pixmap)
    return pixmap


def icon(name: str, theme: Theme) -> QIcon:
    return QIcon(icon_pixmap(name, theme.ink))


def apply_theme(app: QApplication, theme: Theme) -> None:
    """Gives the whole application a theme; one that it has already costs nothing, however many widgets there are."""
    sheet = _sheet(theme)
    if app.styleSheet() == sheet:
        return
    app.setStyle("Fusion")
    app.setFont(font())
    palette = QPalette()
    role = QPalette.ColorRole
    for where, colour in (
        (role.Window, theme.panel),
        (role.Base, theme.card),
        (role.AlternateBase, theme.panel),
        (role.Button, theme.card),
        (role.WindowText, theme.ink),
        (role.Text, theme.ink),
        (role.ButtonText, theme.ink),
        (role.ToolTipBase, theme.card),
        (role.ToolTipText, theme.ink),
        (role.Highlight, theme.accent),
        (role.HighlightedText, "#FFFFFF" if theme is DAY else "#1E1E1E"),
        (role.PlaceholderText, theme.quiet),
        (role.Mid, theme.line),
        (role.Light, theme.card),
        (role.Dark, theme.shade),
    ):
        palette.setColor(where, QColor(colour))
    palette.setColor(QPalette.ColorGroup.Disabled, role.Text, QColor(theme.line))
    palette.setColor(QPalette.ColorGroup.Disabled, role.WindowText, QColor(theme.line))
    palette.setColor(QPalette.ColorGroup.Disabled, role.ButtonText, QColor(theme.line))
    app.setPalette(palette)
    app.setStyleSheet(sheet)


def _sheet(t: Theme) -> str:
    on_accent = "#FFFFFF" if t is DAY else "#1E1E1E"
    return f"""
    QMainWindow, #topBar, QMenuBar, QStatusBar {{ background: {t.window}; }}
    QMenuBar::item {{ padding: 4px 9px; background: transparent; }}
    QMenuBar::item:selected, QMenu::item:selected {{ background: {t.accent}; color: {on_accent}; }}
    QMenu {{ background: {t.card}; border: 1px solid {t.line}; padding: 3px; }}
    QMenu::item {{ padding: 4px 26px 4px 18px; }}
    QMenu::item:disabled {{ color: {t.line}; }}
    QMenu::separator {{ height: 1px; background: {t.line}; margin: 3px 6px; }}
    QToolTip {{ background: {t.card}; color: {t.ink}; border: 1px solid {t.line}; padding: 3px; }}
    QStatusBar {{ color: {t.quiet}; border-top: 1px solid {t.line}; }}
    QStatusBar::item {{ border: none; }}
    #panel {{ background: {t.panel}; }}
    #popup {{ background: {t.panel}; border: 1px solid {t.ink}; }}
    QTreeWidget::indicator {{ width: 11px; height: 11px; border: 1px solid {t.line}; background: {t.card}; }}
    QTreeWidget::indicator:checked {{ background: {t.ink}; border: 2px solid {t.card}; }}
    QCheckBox::indicator {{ width: 12px; height: 12px; border: 1px solid {t.line}; background: {t.card}; }}
    QCheckBox::indicator:checked {{ background: {t.ink}; border: 2px solid {t.card}; outline: 1px solid {t.line}; }}
    QCheckBox::indicator:focus {{ border-color: {t.accent}; }}
    #topBar {{ border-bottom: 1px solid {t.line}; }}
    QLineEdit, QPlainTextEdit, QComboBox, QListWidget#found {{
        background: {t.card}; color: {t.ink}; border: 1px solid {t.line}; border-radius: 0; padding: 2px 5px;
        selection-background-color: {t.accent};
    }}
    QLineEdit:focus, QComboBox:focus {{ border: 1px solid {t.accent}; }}
    QLineEdit:disabled {{ color: {t.quiet}; background: {t.panel}; }}
    QComboBox {{ min-height: 18px; padding-right: 16px; }}
    QComboBox::drop-down {{ border: none; width: 16px; }}
    QComboBox::down-arrow {{ image: url({ASSETS / "icons" / f"drop-{t.name}.svg"}); width: 10px; height: 10px; }}
    QComboBox QAbstractItemView {{ background: {t.card}; border: 1px solid {t.line}; outline: none; }}
    QPushButton, QToolButton {{
        background: {t.card}; color: {t.ink}; border: 1px solid {t.line}; border-radius: 0; padding: 3px 7px;
    }}
    QPushButton:hover, QToolButton:hover {{ border-color: {t.ink}; }}
    QPushButton:focus, QToolButton:focus {{ border-color: {t.accent}; }}
    QPushButton:disabled {{ color: {t.line}; }}
    QToolButton:checked, QPushButton:checked {{ border: 1px solid {t.accent}; color: {t.ink}; }}
    QToolButton::menu-indicator {{ image: none; }}
    QToolButton#plain {{ background: transparent; border: 1px solid transparent; padding: 1px; }}
    QToolButton#plain:hover, QToolButton#plain:focus {{ border-color: {t.line}; }}
    QToolButton#plain:checked {{ border-color: {t.accent}; }}
    QToolButton#place {{ background: transparent; border: 1px solid transparent; padding: 3px 6px;
        color: {t.quiet}; }}
    QToolButton#place:hover, QToolButton#place:focus {{ border-color: {t.line}; }}
    QToolButton#place:checked {{ color: {t.ink}; font-weight: bold; border: none;
        border-bottom: 2px solid {t.accent}; }}
    QPushButton#main {{ font-weight: bold; padding: 5px 12px; border-color: {t.ink}; }}
    QTreeWidget {{ background: {t.panel}; border: none; outline: none; }}
    QTreeWidget::item {{ padding: 2px 0; border: none; }}
    QTreeWidget::item:selected {{ background: {t.card}; color: {t.ink}; }}
    QTreeWidget#sets::item:selected {{ border-bottom: 1px solid {t.accent}; }}
    QHeaderView::section {{ background: {t.panel}; color: {t.quiet}; border: none; border-bottom: 1px solid {t.line};
        padding: 3px 4px; font-size: 11px; }}
    QLabel#quiet {{ color: {t.quiet}; font-size: 11px; }}
    QLabel#title {{ font-weight: bold; }}
    QLabel#loud {{ color: {t.accent}; }}
    QScrollArea, QScrollArea > QWidget > QWidget {{ background: {t.panel}; border: none; }}
    QScrollArea#startPage, QScrollArea > QWidget > QWidget#startPage {{ background: {t.board}; }}
    QLabel#onPicture {{ background: {t.card}; color: {t.ink}; font-size: 10px; padding: 0 2px; }}
    #startPage QLabel, #startPage QWidget {{ background: transparent; }}
    QScrollBar:vertical {{ background: transparent; width: 9px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {t.line}; min-height: 24px; margin: 1px 2px; }}
    QScrollBar:horizontal {{ background: transparent; height: 9px; margin: 0; }}
    QScrollBar::handle:horizontal {{ background: {t.line}; min-width: 24px; margin: 2px 1px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    QSplitter::handle {{ background: {t.line}; }}
    QListWidget {{ background: {t.panel}; border: none; outline: none; }}
    QListWidget::item:selected {{ background: {t.card}; color: {t.ink}; border: 1px solid {t.accent}; }}
    QProgressBar {{ background: {t.card}; border: 1px solid {t.line}; height: 8px; text-align: center; }}
    QProgressBar::chunk {{ background: {t.accent}; }}
    QDialog {{ background: {t.panel}; }}
    """
