"""Where things are on the board, in the pixels of its viewport."""

from __future__ import annotations

from PySide6.QtCore import QPoint

from collage.app.main_window import MainWindow


def out_tab(window: MainWindow, card: str, output: str = "") -> QPoint:
    return window.board.mapFromScene(window.board.cards[card].output_place(output))


def in_tab(window: MainWindow, card: str, name: str) -> QPoint:
    return window.board.mapFromScene(window.board.cards[card].input_place(name))


def middle(window: MainWindow, card: str) -> QPoint:
    item = window.board.cards[card]
    return window.board.mapFromScene(item.mapToScene(60, 40))


def landing(window: MainWindow, name: str) -> QPoint:
    return window.board.mapFromScene(window.board.landings[name].pos()) + QPoint(30, 0)
