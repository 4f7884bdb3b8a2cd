"""A box projector's images: one fills the sides that have none; others stay."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from collage.core.actions.session import Session
from collage.core.document.making import card
from collage.core.images.store import ImageStore
from collage.core.nodes.projectors import SIDES
from collage.core.project.fresh import ball_project
from collage.core.project.recovery import Desk


@pytest.fixture
def session(library, tmp_path: Path) -> Iterator[Session]:
    made = Session(library, ImageStore(), Desk(tmp_path / "desks"))
    made.put(ball_project(), None)
    made.edit("box", lambda network: network.with_card(card("box", "clg_box_projector", "color3", (0, 0))))
    yield made
    made.close()


def files(session: Session) -> list[object]:
    inputs = session.network.cards["box"].inputs
    return [inputs[name].value if name in inputs else None for name in SIDES]


def test_the_first_image_is_on_all_sides_and_one_step(session: Session) -> None:
    steps = len(session.history.labels)
    session.set_value("box", "filey", "filename", "maps/a.png")
    assert files(session) == ["maps/a.png"] * 3
    assert len(session.history.labels) == steps + 1
    session.set_value("box", "filex", "filename", "maps/b.png")
    assert files(session) == ["maps/b.png", "maps/a.png", "maps/a.png"]
    session.history.undo()
    session.history.undo()
    assert files(session) == [None] * 3
