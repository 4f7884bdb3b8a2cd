"""Every act by its name: what menus, the shortcut page and the command line know of it.

An act is a function on a session, marked where it is written; see load.
"""

from __future__ import annotations

import inspect
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

Function = TypeVar("Function", bound=Callable[..., Any])


@dataclass(frozen=True)
class Action:
    """One act.

    name : as "cards.skip". label : as menus show it. help : one sentence. keys : its shortcut, empty for none.
    command : of `collage`, as "cards skip"; empty where the command line has none, and then `without` says why.
    """

    name: str
    label: str
    help: str
    keys: str
    command: str
    without: str
    function: Callable[..., Any]

    @property
    def arguments(self) -> tuple[str, ...]:
        """Names of what it takes besides the session."""
        return tuple(inspect.signature(self.function).parameters)[1:]


def action_of(function: Callable[..., Any]) -> Action:
    """The act that a function, or a method of a session, is."""
    found: Action = function.__action__  # type: ignore[attr-defined]
    return found


def act(
    name: str, label: str, *, keys: str = "", command: str = "", without: str = ""
) -> Callable[[Function], Function]:
    """Marks a function as an act; its help is the first sentence of its docstring."""

    def mark(function: Function) -> Function:
        first = (inspect.getdoc(function) or "").split("\n")[0]
        function.__action__ = Action(name, label, first, keys, command, without, function)  # type: ignore[attr-defined]
        return function

    return mark
