"""The weights with which a wire turns a colour into a number."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QDialog, QFormLayout, QWidget

from collage.app.widgets.number_field import NumberField
from collage.core.actions.session import Session
from collage.core.nodes.wiring import weigh

REC709 = (0.2126, 0.7152, 0.0722)


class WeightsDialog(QDialog):
    """Three numbers; each shows at once."""

    def __init__(self, session: Session, card: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.card = session, card
        self.setWindowTitle("Weights")
        layout = QFormLayout(self)
        one = session.network.cards[card].inputs.get("lumacoeffs")
        start = one.value if one is not None and isinstance(one.value, tuple) else REC709
        self.fields: list[NumberField] = []
        for name, value, usual in zip(("Red", "Green", "Blue"), start, REC709, strict=False):
            field = NumberField(value, soft=(0.0, 1.0))
            field.setAccessibleName(name)
            field.edited.connect(self._edited)
            field.reset.connect(partial(self._reset, field, usual))
            layout.addRow(name, field)
            self.fields.append(field)

    def _reset(self, field: NumberField, usual: float) -> None:
        field.set_value(usual)
        self._edited(usual, False)

    def _edited(self, _value: float, moving: bool) -> None:
        weights = (self.fields[0].value, self.fields[1].value, self.fields[2].value)
        self.session.edit("Set weights", lambda network: weigh(network, self.card, weights), merge=f"weigh {self.card}")
        if not moving:
            self.session.history.close_merge()
