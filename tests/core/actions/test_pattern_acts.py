"""Patterns brought to 0 to 1: in the document, in numbers, and back."""

from __future__ import annotations

import numpy as np
import pytest

from collage.core.actions.materials import new_material_named
from collage.core.actions.patterns import is_pattern, range_card, set_range
from collage.core.actions.session import Session
from collage.core.base.errors import CollageError
from collage.core.document.model import Wire
from collage.core.evaluate.plan import CardOutput, build_plan
from collage.core.evaluate.run import run
from collage.core.geometry.points import sheet
from collage.core.images.store import ImageStore
from collage.core.nodes.library import Library


@pytest.fixture
def session(library: Library) -> Session:
    made = Session(library, ImageStore())
    made.show_material(new_material_named(made))
    return made


def values(session: Session, name: str) -> np.ndarray:
    plan = build_plan(session.library, session.network, {"out": CardOutput(name)})
    return np.asarray(run(plan, sheet(200, 200))["out"])


@pytest.mark.parametrize(
    "kind", ["ND_fractal2d_float", "ND_worleynoise2d_float", "ND_noise2d_color3", "ND_fractal3d_float"]
)
def test_a_pattern_is_brought_to_0_to_1(session: Session, kind: str) -> None:
    name = session.add(session.library[kind], (0.0, 9.0))
    if kind == "ND_fractal2d_float":
        session.set_value(name, "amplitude", "float", 3.0)
    kind_of = session.library[kind].type
    user = session.add(session.library[f"ND_multiply_{kind_of}"], (3.0, 9.0))
    assert session.wire(Wire(name), user, "in1", kind_of)
    before = session.network
    set_range(session, name)
    made = range_card(session.network, name)
    assert session.network.cards[made].category == "range"
    assert session.network.cards[user].inputs["in1"].wire == Wire(made)
    inside, own = values(session, made), values(session, name)
    assert inside.min() >= 0
    assert inside.max() <= 1
    assert inside.max() - inside.min() > 0.9, "all of the range is used"
    order = np.argsort(own.ravel())
    assert (np.diff(inside.ravel()[order]) >= -1e-6).all(), "what was higher still is"
    set_range(session, name)
    assert len(session.network.cards) == len(before.cards) + 1, "once is enough"
    set_range(session, name, False)
    assert session.network == before
    session.history.undo()
    assert range_card(session.network, name) == made


def test_only_patterns(session: Session) -> None:
    name = session.add(session.library["ND_multiply_float"], (0.0, 9.0))
    assert not is_pattern(session, name)
    with pytest.raises(CollageError, match="Only a pattern"):
        set_range(session, name)
