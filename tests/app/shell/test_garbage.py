"""Objects that hold each other end in the window's thread, whichever thread let go of them."""

from __future__ import annotations

import gc
import threading
import weakref

from PySide6.QtCore import QObject

from collage.app.shell.garbage import Garbage


def in_a_thread(work) -> None:
    thread = threading.Thread(target=work)
    thread.start()
    thread.join()


def ring(ended: list[threading.Thread]) -> None:
    """A Qt object that is held by nothing but a list which it holds."""
    one = QObject()
    one.held = [one]  # type: ignore[attr-defined]
    weakref.finalize(one, lambda: ended.append(threading.current_thread()))


def busy() -> None:
    """Asks for memory as jobs do: Python would look for garbage a hundred times."""
    kept = [[number] for number in range(100_000)]
    assert len(kept) == 100_000


def test_what_jobs_leave_behind_ends_in_the_windows_thread(window, qtbot) -> None:
    ended: list[threading.Thread] = []
    ring(ended)
    in_a_thread(lambda: [ring(ended) for _ in range(20)])
    for _ in range(5):
        in_a_thread(busy)
    assert not ended, "no thread of a job collects"
    qtbot.waitUntil(lambda: len(ended) == 21, timeout=5000)
    assert set(ended) == {threading.main_thread()}


def test_windows_share_one_look_at_garbage(window) -> None:
    from PySide6.QtWidgets import QApplication

    assert len(QApplication.instance().findChildren(Garbage)) == 1
    assert not gc.isenabled()


def test_many_old_objects_are_looked_at_now_and_then(window, monkeypatch) -> None:
    from PySide6.QtWidgets import QApplication

    garbage = QApplication.instance().findChild(Garbage)
    seen: list[int] = []
    monkeypatch.setattr(gc, "collect", seen.append)
    monkeypatch.setattr(gc, "get_count", lambda: (1000, 20, 20))
    garbage._oldest = 0.0
    garbage.look()
    garbage.look()
    monkeypatch.setattr(gc, "get_count", lambda: (1000, 3, 3))
    garbage.look()
    monkeypatch.setattr(gc, "get_count", lambda: (10, 3, 3))
    garbage.look()
    assert seen == [2, 1, 0]
