"""Which kind of card has an editor of its own."""

from __future__ import annotations

from collage.app.widgets.card_editors import CardEditor, CurveEditor, RampEditor
from collage.app.widgets.crops_editor import CropsEditor
from collage.app.widgets.levels_editor import LevelsEditor
from collage.core.document.model import Card
from collage.core.nodes import ramps


def editor_for(card: Card) -> CardEditor | None:
    """The editor of a card, if its kind has one of its own."""
    if ramps.is_long(card):
        return RampEditor()
    makers: dict[str, type[CardEditor]] = {
        "ramp": RampEditor, "clg_curve": CurveEditor, "range": LevelsEditor, "clg_crops": CropsEditor,
    }  # fmt: skip
    make = makers.get(card.category)
    return make() if make is not None else None
