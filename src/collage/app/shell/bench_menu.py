"""The Bench menu: exposure, tone, environment and lights."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QMenu

from collage.app.shell.acts import entry
from collage.app.shell.place import Entry, separator
from collage.core.actions import bench as acts
from collage.core.actions.session import Session

TONES: tuple[tuple[acts.Tone, str], ...] = (("neutral", "Tone: neutral"), ("srgb", "Tone: sRGB, no tone mapping"))


def bench_entries(session: Session) -> list[Entry]:
    """What the menu always offers."""

    def is_tone(name: str) -> bool:
        return session.project.bench.view_transform == name

    return [
        Entry("Bench", "Brighter", lambda: acts.expose(session, 0.25), "Ctrl+]", "Exposure up a quarter stop"),
        Entry("Bench", "Darker", lambda: acts.expose(session, -0.25), "Ctrl+[", "Exposure down a quarter stop"),
        *(
            Entry("Bench", text, partial(acts.tone, session, name), group="tones", ticked=partial(is_tone, name))
            for name, text in TONES
        ),
        separator("Bench"),
        entry(
            "Bench", acts.switch_environment, lambda: acts.switch_environment(session), "Switch it on or off",
            ticked=lambda: session.project.bench.environment.on,
        ),
    ]  # fmt: skip


def fill_lights(menu: QMenu, session: Session) -> None:
    """The bench's lights, each to be switched on or off."""
    menu.clear()
    for number, light in enumerate(session.project.bench.lights):
        action = menu.addAction(light.name, partial(acts.switch_light, session, number))
        action.setCheckable(True)
        action.setChecked(light.on)
    if menu.isEmpty():
        menu.addAction("No lights on this bench").setEnabled(False)
