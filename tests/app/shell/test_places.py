"""The window and its places: a further one is a package and a line in a list; windows leave nothing behind."""

from __future__ import annotations

import gc
import resource
import sys
import threading
import types
from pathlib import Path

from psygnal import Signal as Event
from PySide6.QtCore import QEvent
from PySide6.QtWidgets import QApplication, QLabel, QSplitter, QWidget

from collage.app.places import PLACES
from collage.app.shell.lazy_place import Listed
from collage.app.shell.place import Entry
from collage.app.shell.settings import Settings
from collage.app.shell.start import make_window, settle, wait_until
from collage.app.shell.studio import Studio
from collage.app.shell.window import MainWindow
from collage.core.actions.session import Session
from collage.core.document.history import History
from collage.core.images.store import ImageStore
from collage.core.project.recovery import Desk
from collage.core.render.renderer import Renderer


class EmptyPlace:
    """The least that a place is."""

    title, hint, opens = "Bench", "Nothing here yet", frozenset({"bench"})
    steps_changed = Event()
    settled = True

    def __init__(self, studio: Studio) -> None:
        self.widget: QWidget = QLabel("An empty place")
        self.studio, self.closed, self.times, self.files = studio, False, 0, []
        self.splitters: dict[str, QSplitter] = {}
        self.own: History[int] = History(0)

    def entries(self) -> list[Entry]:
        return []

    @property
    def history(self) -> History[int]:
        return self.own

    def shown(self) -> None:
        self.times += 1

    def take_files(self, paths: list[Path]) -> bool:
        self.files += paths
        return True

    def close_down(self) -> None:
        self.closed = True


def test_a_further_place_needs_its_file_and_a_line_in_the_list(library, tmp_path: Path, qapp, monkeypatch) -> None:
    module = types.ModuleType("empty_place")
    module.EmptyPlace = EmptyPlace
    monkeypatch.setitem(sys.modules, "empty_place", module)
    more = Listed(
        "Bench", "empty_place:EmptyPlace", opens=frozenset({"bench"}), entries=(("Edit", "Be there", "shown", "", ""),)
    )
    studio = Studio(
        Session(library, ImageStore(), Desk(tmp_path / "desks")),
        Renderer(library),
        Settings(),
        tmp_path / "settings.json",
    )
    window = MainWindow(studio, (*PLACES, more))
    window.show()
    try:
        assert [place.title for place in window.places] == ["Gather", "Wire", "Place", "Judge", "Bench"]
        assert "Be there" in window.menus.actions
        window.menus.actions["Bench"].trigger()  # Ctrl+5
        assert window.current.title == "Bench"
        place = window.place("Bench")
        assert wait_until(place.widget.isVisible)
        assert place.times == 1
        window.menus.actions["Be there"].trigger()
        assert place.times == 2
        assert window.hint_label.text() == "Nothing here yet"
        place.own.do("Count", lambda number: number + 1)
        window.refresh_steps()
        window.undo()
        assert place.own.state == 0, "Undo takes back what was done here"
        window.go_to(1)
        studio.wanted.emit("bench")
        assert window.current.title == "Bench", "other places ask for it by what it opens"
    finally:
        window.close()
    assert place.closed


def _state() -> tuple[int, int]:
    gc.collect()
    return threading.active_count(), len(QApplication.allWidgets())


def _alive() -> int:
    gc.collect()
    return sum(isinstance(one, MainWindow | Session | Studio) for one in gc.get_objects())


def _megabytes() -> float:
    return int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize() / 2**20


def test_windows_come_and_go_and_leave_nothing(library, project: Path, tmp_path: Path, qapp) -> None:
    """Twenty windows on the demo, one after the other: widgets, threads, what lives in memory stay level."""
    before, threads, counts, memory = _alive(), threading.active_count(), [], []
    for number in range(20):
        window = make_window(
            project, library=library, settings=Settings(), settings_file=tmp_path / "s.json", desks=tmp_path / "desks"
        )
        window.resize(900, 600)
        window.show()
        if number % 5 == 0:
            assert settle(window)
        window.close()
        window.deleteLater()
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        del window
        wait_until(lambda: threading.active_count() <= threads, 5)
        counts.append(_state())
        memory.append(_megabytes())
    assert counts[-1][0] <= max(threads for threads, _ in counts[:8]), f"threads: {counts}"
    assert counts[-1][1] <= max(widgets for _, widgets in counts[:8]), f"widgets: {counts}"
    assert _alive() <= before, "closed windows or their sessions are kept alive"
    assert memory[-1] < max(memory[:8]) + 200, f"memory: {memory}"
