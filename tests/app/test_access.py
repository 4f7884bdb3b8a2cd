"""Everything that takes the keyboard has a name for screen readers and a tooltip, in every place, page and dialog."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from places import gather_of, middle, wire_of
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractButton, QAbstractScrollArea, QApplication, QGraphicsView, QLabel, QWidget

from collage.app.preview.viewport import Viewport
from collage.app.shell.window import MainWindow
from collage.app.wire.board_menu import menu_at
from collage.core.actions.load import load_actions

PICTURES = (QGraphicsView, Viewport)
"""What one looks at has no tooltip in the way; the status line says what the mouse would do."""


def controls(root: QWidget) -> Iterator[QWidget]:
    """What the keyboard can reach in a widget, without the inner parts of Qt's own widgets."""
    for one in root.findChildren(QWidget):
        inner = any(isinstance(above, QAbstractScrollArea) and above.viewport() is one for above in ancestors(one))
        own = not one.objectName().startswith("qt_") and not inner
        if own and one.isVisibleTo(root) and one.focusPolicy() != Qt.FocusPolicy.NoFocus:
            yield one


def ancestors(widget: QWidget) -> Iterator[QWidget]:
    above = widget.parentWidget()
    while above is not None:
        yield above
        above = above.parentWidget()


def lacking(root: QWidget) -> list[str]:
    found = []
    for one in controls(root):
        text = one.text() if isinstance(one, QAbstractButton | QLabel) else ""
        where = f"{type(one).__name__} {one.objectName()!r} {text!r} in {type(one.parentWidget()).__name__}"
        if not (one.accessibleName() or text):
            found.append(f"no name: {where}")
        if not one.toolTip() and not isinstance(one, PICTURES):
            found.append(f"no tooltip: {where}")
    return found


@pytest.mark.parametrize("card", ["dry", "bloom_edge", "ramp", "terracotta"])
def test_the_wire_place_with_controls_of_many_kinds(window: MainWindow, card: str) -> None:
    names = wire_of(window).board.cards
    window.session.select([card if card in names else next(iter(names))])
    wire_of(window).channels.findChild(QAbstractButton).click()
    QApplication.processEvents()
    assert lacking(window) == []


def test_the_gather_place_and_its_pages(window: MainWindow) -> None:
    place = gather_of(window)
    window.open_for("sets")
    for number in range(place.stack.count()):
        place.stack.setCurrentIndex(number)
        QApplication.processEvents()
        assert lacking(place) == []


def test_the_dialogs(window: MainWindow) -> None:
    for show in (window.show_files, window.show_settings, window.render_dialog, window.show_shortcuts):
        show()
    for dialog in [one for one in QApplication.topLevelWidgets() if one.isVisible() and one is not window]:
        if dialog.parentWidget() is window:
            assert lacking(dialog) == []
            dialog.close()


def test_menus_call_acts_what_they_are_called_and_give_them_their_keys(window: MainWindow) -> None:
    acts = [one for one in load_actions().values() if "+" in one.keys and one.name != "sets.build"]
    assert len(acts) >= 15
    for one in acts:
        shown = window.menus.actions[one.label.replace("…", "")]
        assert shown.shortcut().toString().lower() == one.keys.lower(), one.name
    board = wire_of(window).board
    name = next(iter(board.cards))
    window.session.select([name])
    shown = {one.text() for one in menu_at(board, board.frame_hand, middle(window, name)).actions()}
    assert {"Skip\tK", "Group cards\tCtrl+G", "Remove\tDel", "Wire to…\tCtrl+L"} <= shown


def test_the_place_place(window: MainWindow) -> None:
    window.go_to([one.title for one in window.places].index("Place"))
    window.place("Place").choose((window.session.project.bench.objects[0].name, None))
    QApplication.processEvents()
    assert lacking(window) == []
