"""A project whose maps are slow to read: the preview is there at once, can be worked with, and gets sharp."""

from __future__ import annotations

import threading

import numpy as np
from places import wire_of
from PySide6.QtCore import QPoint

from collage.app.shell.start import make_window, settle, wait_until
from collage.core.document import edits
from collage.core.images import store

MATERIAL = "Lime-bloomed clay"


def test_the_preview_does_not_wait_for_maps(project, tmp_path, hand, qapp, monkeypatch) -> None:
    gate, read = threading.Event(), store.pixels_in_parts
    before = set(threading.enumerate())

    def slow(path, most=4):
        assert gate.wait(60)
        return read(path, most)

    with monkeypatch.context() as slowly:
        slowly.setattr(store, "pixels_in_parts", slow)
        window = make_window(project, settings_file=tmp_path / "settings.json", desks=tmp_path / "desks")
        window.resize(1280, 800)
        window.show()
        preview = wire_of(window).preview
        assert wait_until(lambda: preview.picture is not None, 20)
        assert not preview.picture.complete
        assert wait_until(lambda: " to read" in window.time_label.text(), 20)
        grey = preview.picture.display.copy()
        hand.drag(preview, QPoint(100, 100), QPoint(140, 110))
        assert wait_until(lambda: not np.array_equal(preview.picture.display, grey), 20), "it turns meanwhile"
        window.session.edit_document(
            "Metal", lambda network: edits.set_value(network, "surface", "base_metalness", "float", 1.0)
        )
        assert window.history.labels[-1] == "Metal"
        assert not wait_until(lambda: preview.picture.complete, 0.5), "without its maps it is not"
        cards = wire_of(window).board.cards
        assert wait_until(lambda: cards["terracotta"].working > 1, 20), "a line on the card moves on"
        assert not cards["clouds"].working
        gate.set()
        assert settle(window)
    assert wait_until(lambda: not any(card.working for card in cards.values()), 20)
    assert preview.picture.complete
    whole = make_window(project, settings_file=tmp_path / "settings.json", desks=tmp_path / "other")
    again = wire_of(whole).preview
    whole.session.history.do("As there", lambda _: window.session.project)
    again.look(preview.camera)
    whole.resize(1280, 800)
    whole.show()
    assert settle(whole)
    np.testing.assert_array_equal(again.picture.display, preview.picture.display)
    for one in (window, whole):
        one.session._clean = one.session.project
        one.close()
    readers = [one for one in set(threading.enumerate()) - before if one.name.startswith("maps")]
    assert wait_until(lambda: not any(one.is_alive() for one in readers), 20)
