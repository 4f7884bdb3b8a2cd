"""A board of two hundred cards: how often its picture is drawn while a hand moves it, and how long it takes to open."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

from PySide6.QtCore import QPoint
from PySide6.QtWidgets import QApplication

from collage.app.shell.settings import Settings
from collage.app.shell.start import make_window, settle, wait_until
from collage.app.shell.window import MainWindow
from collage.core.document import edits
from collage.core.document.materials import new_material
from collage.core.document.model import Network, Wire
from collage.core.evaluate.run import ResultCache
from collage.core.nodes.labels import new_card
from collage.core.nodes.library import Library
from collage.core.nodes.wiring import join
from collage.core.render.cards import card_pictures
from collage.demo.shed import make_sample

CARDS = 200
FRAMES = 60
KINDS = ("ND_fractal3d_float", "ND_noise3d_float", "ND_worleynoise3d_float", "ND_mix_float", "ND_contrast_float")


def large_material(library: Library) -> Network:
    """Two hundred cards in twenty columns, each wired to two before it."""
    network = new_material()
    names: list[str] = []
    for number in range(CARDS):
        kind = KINDS[number % len(KINDS)]
        name = network.free_name("card")
        network = edits.add_card(network, new_card(library[kind], name))
        network = edits.move_cards(network, {name: (number // 10 * 1.2, number % 10 * 1.1)})
        inputs = [tab.name for tab in library[kind].inputs.values() if tab.type == "float"][:2]
        for back, target in zip((10, 13), inputs, strict=False):
            if number >= back:
                network = join(library, network, Wire(names[number - back]), name, target, "float")
        names.append(name)
    return join(library, network, Wire(names[-1]), "surface", "specular_roughness", "float")


def _frames(window: MainWindow, move: object) -> float:
    """Pictures a second of the board while something moves it."""
    board = window.place("Wire").board
    begin = time.perf_counter()
    for number in range(FRAMES):
        move(number)  # type: ignore[operator]
        board.viewport().repaint()
        QApplication.processEvents()
    return FRAMES / (time.perf_counter() - begin)


def measure() -> None:
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place) / "ball"
        make_sample("plain-ball", folder)
        window = make_window(
            folder, settings=Settings(), settings_file=Path(place) / "s.json", desks=Path(place) / "desks"
        )
        window.resize(1280, 800)
        window.show()
        settle(window)
        network = large_material(window.session.library)
        window.session.history.do("Large", lambda project: project.with_material("Large", network))
        maker = window.studio.maker
        wait_until(lambda: not maker.resting and maker.materials_worker.idle and maker.worker.idle)
        names = [name for name in network.cards if name.startswith("card")]
        begin = time.perf_counter()
        card_pictures(
            window.session.library, network, names, workers=window.studio.workers, cache=ResultCache(), size=(228, 136)
        )
        plain = time.perf_counter() - begin
        window.studio.maker.cache = ResultCache(256 * 2**20)
        begin = time.perf_counter()
        window.session.show_material("Large")
        wait_until(lambda: all(item.picture is not None for item in window.place("Wire").board.cards.values()))
        opened = time.perf_counter() - begin
        print(
            f"{CARDS} cards opened, with their pictures  {opened:.2f} s   their pictures alone {plain:.2f} s"
            f"   {opened / plain:.2f} x"
        )
        settle(window)
        board = window.place("Wire").board
        board.fit_all()
        pan = _frames(window, lambda number: board._scroll(QPoint(6 if number % 20 < 10 else -6, 2)))
        middle = board.viewport().rect().center()
        zoom = _frames(window, lambda number: board.zoom(1.04 if number % 40 < 20 else 1 / 1.04, middle))
        board.resetTransform()
        near = _frames(window, lambda number: board._scroll(QPoint(9 if number % 20 < 10 else -9, 3)))
        print(f"the board: {pan:.0f} pictures a second panned far away, {near:.0f} panned near, {zoom:.0f} zoomed")
        window.session._clean = window.session.project
        window.close()


if __name__ == "__main__":
    measure()
