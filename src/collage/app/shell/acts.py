"""Menu entries of acts: what they are called and which keys they have is written where the act is."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

from collage.app.shell.place import Entry
from collage.core.actions.registry import action_of


def entry(
    menu: str,
    act: Callable[..., Any],
    run: Callable[[], object],
    help: str = "",
    ticked: Callable[[], bool] | None = None,
) -> Entry:
    """What the window's menus show of an act. Single keys work on the board alone, and stand in the tooltip."""
    action = action_of(act)
    if "+" in action.keys:
        return Entry(menu, action.label, run, action.keys, help, ticked=ticked)
    hint = f"{help} ({action.keys})" if action.keys else help
    return Entry(menu, action.label, run, help=hint.strip(), ticked=ticked)


def add(menu: QMenu, act: Callable[..., Any], run: Callable[[], object]) -> QAction:
    """Adds an act to a context menu; its keys are shown beside it."""
    action = action_of(act)
    return menu.addAction(f"{action.label}\t{action.keys}" if action.keys else action.label, run)
