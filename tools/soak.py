"""Works at random in a real window for some minutes, and prints its memory and threads as it goes.

Run by `make campaign`; `tools/soak.py --minutes 60` alone. It opens the sample project without a display, and every act
comes from a seed.
"""

from __future__ import annotations

import argparse
import gc
import os
import random
import shutil
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

WARM_UP = 0.2  # of the time: after it, memory is to stay where it is
QUIET, LONGEST_REST = 10.0, 60.0  # seconds without an act before memory is read, and until it is read in any case
SIZES = ((1280, 800), (1440, 900), (1024, 720))


def megabytes() -> tuple[float, float]:
    """What the process has in memory: of its own, and of files, which the system takes back when it is short of room.

    How much of the libraries is counted depends on how the system happens to hold them.
    """
    pages, of_files = (int(text) for text in Path("/proc/self/statm").read_text().split()[1:3])
    size = os.sysconf("SC_PAGE_SIZE") / 2**20
    return (pages - of_files) * size, of_files * size


class Soak:
    """Random acts on a window: values, wires, cards, materials, views, lights, undo, places, saves."""

    def __init__(self, window: Any, photographs: Path, seed: int) -> None:
        self.window, self.session, self.photographs = window, window.session, photographs
        self.draw = random.Random(seed)
        self.acts: list[tuple[int, Callable[[], None]]] = [
            (30, self.value), (20, self.turn), (10, self.light), (8, self.add), (8, self.wire), (6, self.remove),
            (12, self.undo), (6, self.material), (4, self.peek), (3, self.duplicate), (2, self.place),
            (1, self.save), (1, self.size), (2, self.select), (1, self.new_material), (2, self.object), (1, self.theme),
        ]  # fmt: skip

    def step(self) -> None:
        acts = [act for weight, act in self.acts for _ in range(weight)]
        self.draw.choice(acts)()

    def _card(self) -> Any:
        """Any card that has a definition; None where there is none."""
        cards = [card for card in self.session.network.cards.values() if card.network is None]
        return self.draw.choice(cards) if cards else None

    def value(self) -> None:
        card = self._card()
        definition = self.session.library.definition(card) if card is not None else None
        if definition is None:
            return
        numbers = [tab for tab in definition.inputs.values() if tab.type in ("float", "color3")]
        if not numbers:
            return
        tab = self.draw.choice(numbers)
        for _ in range(self.draw.randrange(1, 6)):
            one = round(self.draw.random(), 3)
            value = one if tab.type == "float" else (one, one, 0.3)
            self.session.set_value(card.name, tab.name, tab.type, value, merge=True)
            self._wait(0.02)
        self.session.history.close_merge()

    def turn(self) -> None:
        camera = self.session.project.bench.camera
        for _ in range(8):
            turn = camera.turn + self.draw.uniform(-4, 4)
            camera = camera.model_copy(update={"turn": turn, "height": self.draw.uniform(10, 50)})
            self.session.look(camera)
            self._wait(0.02)

    def light(self) -> None:
        def change(bench: Any) -> Any:
            around = bench.environment.model_copy(update={"turn": self.draw.uniform(0, 360)})
            return bench.model_copy(update={"environment": around, "exposure": self.draw.uniform(-1, 1)})

        self.session.edit_bench("Light", change)

    def add(self) -> None:
        offer = self.draw.choice(self.window.studio.offers)
        at = self.draw.uniform(0, 900), self.draw.uniform(0, 600)
        if len(self.session.network.cards) < 60:
            self.session.add(offer.definition, at)

    def wire(self) -> None:
        from collage.core.document.model import Wire

        source, target = self._card(), self._card()
        if source is None or target is None or source is target:
            return
        outputs, inputs = (self.session.library.definition(one) for one in (source, target))
        if outputs is None or inputs is None or len(outputs.outputs) != 1:
            return
        fitting = [tab for tab in inputs.inputs.values() if tab.type == outputs.type]
        if fitting:
            tab = self.draw.choice(fitting)
            self.session.wire(Wire(source.name), target.name, tab.name, tab.type)

    def remove(self) -> None:
        card = self._card()
        if card is not None and len(self.session.network.cards) > 4:
            self.session.remove([card.name])

    def undo(self) -> None:
        for _ in range(self.draw.randrange(1, 5)):
            (self.session.history.undo if self.draw.random() < 0.7 else self.session.history.redo)()

    def material(self) -> None:
        self.session.show_material(self.draw.choice(list(self.session.project.materials)))

    def new_material(self) -> None:
        from collage.core.actions.materials import new_material_named

        if len(self.session.project.materials) < 8:
            self.session.show_material(new_material_named(self.session))

    def peek(self) -> None:
        card = self._card()
        if card is not None:
            self.session.toggle_peek(card.name)

    def duplicate(self) -> None:
        card = self._card()
        if card is not None and len(self.session.network.cards) < 60:
            self.session.duplicate([card.name])

    def select(self) -> None:
        card = self._card()
        self.session.select([card.name] if card is not None else [])

    def object(self) -> None:
        def change(bench: Any) -> Any:
            objects = list(bench.objects)
            at = self.draw.randrange(len(objects))
            x, _, z = objects[at].place
            objects[at] = objects[at].model_copy(update={"place": (x + self.draw.uniform(-0.02, 0.02), 0.0, z)})
            return bench.model_copy(update={"objects": tuple(objects)})

        if self.session.project.bench.objects:
            self.session.edit_bench("Move", change)

    def place(self) -> None:
        titles = [one.title for one in self.window.places]
        self.window.go_to(titles.index("Gather"))
        self.window.current.take_files([self.photographs])
        self._wait(1.0)
        self.window.go_to(titles.index("Wire"))

    def save(self) -> None:
        self.session.save()

    def size(self) -> None:
        self.window.resize(*self.draw.choice(SIZES))

    def theme(self) -> None:
        self.window.studio.set_theme(self.draw.choice(("day", "night")))

    @staticmethod
    def _wait(seconds: float) -> None:
        from PySide6.QtCore import QEvent
        from PySide6.QtWidgets import QApplication

        until = time.monotonic() + seconds
        while time.monotonic() < until:
            QApplication.processEvents()
            QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)  # else they wait for an event loop
            time.sleep(0.004)

    def rest(self) -> None:
        self._wait(self.draw.choice((0.02, 0.05, 0.3, 0.3, 0.3, 4.0)))


def run(
    seconds: float,
    seed: int,
    memory: int,
    tell: Callable[[str], object] = print,
    every: float = 30.0,
    quiet: float = QUIET,
    most_acts: int | None = None,
) -> tuple[float, float, int]:
    """Works for some time; megabytes of its own after the warm-up and at the end, both at rest, and failed acts."""
    from collage.core.base.memory import keep_freed_memory

    keep_freed_memory()  # as the program begins, and then it compiles all kernels in processes of their own
    from collage.core import kernels
    from collage.core.base.progress import finished

    finished(kernels.compiled())
    from collage.app.shell.settings import Settings
    from collage.app.shell.start import make_window, settle
    from collage.demo.shed import make_sample

    with tempfile.TemporaryDirectory() as place:
        folder = Path(place) / "shed"
        make_sample("potting-shed", folder)
        photographs = Path(place) / "maps"
        shutil.copytree(folder / "maps", photographs)
        settings = Settings(memory=memory)
        window = make_window(
            folder, settings=settings, settings_file=Path(place) / "settings.json", desks=Path(place) / "desks"
        )
        window.resize(*SIZES[0])
        window.show()
        settle(window)
        soak = Soak(window, photographs, seed)
        begin = told = time.monotonic()
        warm, most, acts, errors = 0.0, 0, 0, 0
        while time.monotonic() - begin < seconds and (most_acts is None or acts < most_acts):
            try:
                soak.step()
            except Exception as error:
                errors += 1
                tell(f"    {type(error).__name__}: {str(error)[:160]}")
            soak.rest()
            acts += 1
            most = max(most, threading.active_count())
            if not warm and time.monotonic() - begin > seconds * WARM_UP:
                warm = _at_rest(window, quiet)
            if time.monotonic() - told > every:
                told = time.monotonic()
                used = window.studio.budget.used / 2**20
                own, of_files = megabytes()
                tell(
                    f"{told - begin:6.0f} s {acts:6} acts {own:7.0f} MB, of files {of_files:5.0f} MB, caches {used:5.0f} MB, "
                    f"{most} threads, {errors} errors"
                )
        end = _at_rest(window, quiet)
        tell(f"{acts} acts, {errors} errors, at most {most} threads")
        window.session._clean = window.session.project  # nothing is asked when it closes
        window.close()
    return warm or end, end, errors


def _at_rest(window: Any, quiet: float) -> float:
    """Megabytes of its own once the window has given back what it freed, as it does when the hand rests.

    What begins by itself once the hand rests, materials' pictures and the project's kept one, comes before that.
    """
    from collage.app.shell.start import settle

    settle(window)
    gc.collect()
    Soak._wait(quiet)
    until = time.monotonic() + LONGEST_REST
    while not (window.studio.jobs.at_rest and settle(window)) and time.monotonic() < until:
        Soak._wait(1)
    return megabytes()[0]


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__.split("\n")[0] if __doc__ else "")
    parser.add_argument("--minutes", type=float, default=10.0)
    parser.add_argument("--acts", type=int, default=None, help="ends after so many, if that is sooner")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--memory", type=int, default=1024, help="megabytes that the window may keep")
    parser.add_argument("--growth", type=float, default=5.0, help="percent that it may grow after warming up")
    parser.add_argument("--quiet", type=float, default=QUIET, help="seconds without an act before memory is read")
    given = parser.parse_args()
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    os.environ.setdefault("QT_LOGGING_RULES", "default.warning=false")
    warm, end, errors = run(given.minutes * 60, given.seed, given.memory, quiet=given.quiet, most_acts=given.acts)
    print(f"after warming up {warm:.0f} MB, at the end {end:.0f} MB: {end / max(warm, 1) - 1:+.1%}")
    return int(errors > 0 or end > (1 + given.growth / 100) * warm)


if __name__ == "__main__":
    sys.exit(main())
