"""The banner: a sentence at the top of the window with up to two buttons; work goes on underneath."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton

from collage.core.base.errors import CollageError

Choice = tuple[str, Callable[[], object]]


class Banner(QFrame):
    """Hidden while there is nothing to say."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 6, 14, 6)
        self.text = QLabel()
        self.text.setObjectName("loud")
        self.text.setWordWrap(True)
        row.addWidget(self.text, 1)
        self._choices: list[Choice] = []
        self.buttons = [QPushButton(), QPushButton()]
        for number, button in enumerate(self.buttons):
            button.setToolTip("")
            button.clicked.connect(lambda _=False, number=number: self._choose(number))
            row.addWidget(button)
        self.hide()

    def say(self, text: str, choices: list[Choice]) -> None:
        """Shows a sentence; each choice is a button's label and what it does."""
        self._choices = choices
        self.text.setText(text)
        for number, button in enumerate(self.buttons):
            button.setVisible(number < len(choices))
            if number < len(choices):
                button.setText(choices[number][0])
                button.setToolTip(choices[number][0])
        self.show()

    def tell(self, error: CollageError) -> None:
        """Shows a problem and its remedy."""
        self.say(str(error), [("Close", self.hide)])

    def _choose(self, number: int) -> None:
        choices, self._choices = self._choices, []
        self.hide()
        if number < len(choices):
            choices[number][1]()
