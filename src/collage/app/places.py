"""The places of the program, in the order of the work. A new place is a package and a line here."""

from __future__ import annotations

from collections.abc import Callable

from collage.app.gather.place import GatherPlace
from collage.app.shell.place import Place
from collage.app.shell.studio import Studio
from collage.app.wire.place import WirePlace

PLACES: tuple[Callable[[Studio], Place], ...] = (GatherPlace, WirePlace)
HOME = "Wire"  # shown when a window opens
