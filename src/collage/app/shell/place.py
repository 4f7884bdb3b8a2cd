"""What a place is to the window: one object. Adding a place touches its package and the list in app.places."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

from psygnal import SignalInstance
from PySide6.QtWidgets import QSplitter, QWidget

from collage.core.document.history import History


@dataclass(frozen=True)
class Entry:
    """Something that a menu of the window offers.

    menu : its title. group : entries of one group are ticked one at a time. ticked : whether it shows a tick, asked
    whenever the menu opens; None for entries that have none.
    """

    menu: str
    label: str
    run: Callable[[], object]
    keys: str = ""
    help: str = ""
    group: str = ""
    ticked: Callable[[], bool] | None = None


SEPARATOR = "-"


def separator(menu: str) -> Entry:
    """A line between entries of a menu."""
    return Entry(menu, SEPARATOR, lambda: None)


class Place(Protocol):
    """One of the places along the path at the top of the window."""

    @property
    def title(self) -> str: ...

    @property
    def hint(self) -> str:
        """What the mouse would do here, for the status line."""
        ...

    @property
    def opens(self) -> frozenset[str]:
        """What other places ask for, as "material" or "sets", and find here."""
        ...

    @property
    def widget(self) -> QWidget: ...

    @property
    def splitters(self) -> Mapping[str, QSplitter]:
        """Those whose sizes are remembered, by name."""
        ...

    @property
    def steps_changed(self) -> SignalInstance:
        """Told when what can be undone here changes."""
        ...

    def entries(self) -> list[Entry]:
        """What it adds to the menus."""
        ...

    @property
    def history(self) -> History[Any]:
        """Whose steps Undo takes back while the place is shown."""
        ...

    @property
    def settled(self) -> bool:
        """Whether all pictures of the present state are on the screen."""
        ...

    def shown(self) -> None:
        """The place has come to the front."""
        ...

    def take_files(self, paths: list[Path]) -> bool:
        """Takes files that were dropped where nothing else wants them; False where it has no use for them."""
        ...

    def close_down(self) -> None:
        """Lets go of everything: signals, jobs, pictures."""
        ...
