"""The Seamless page: a photograph becomes a map that tiles, with scores before and after."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path

import numpy as np
from PySide6.QtWidgets import QButtonGroup, QCheckBox, QComboBox, QHBoxLayout, QLabel, QToolButton, QWidget

from collage.app.gather.page import Page
from collage.app.gather.picture_view import PictureView
from collage.app.shell.jobs import Jobs
from collage.app.widgets.panels import quiet
from collage.core.base.errors import CollageError
from collage.core.images import region as regions
from collage.core.images.made import make_region_file, make_seamless_file, read_record
from collage.core.images.region import straightened, taken
from collage.core.images.seamless import Scores, Seamless, made_seamless, scores

CHANNELS = {"all": "All", "luminance": "Luminance", "r": "Red", "g": "Green", "b": "Blue", "a": "Alpha"}


Made = tuple[np.ndarray, Scores, Scores, np.ndarray]
"""The result, the scores before and after, and the whole picture, straightened."""


class SeamlessPage(Page):
    """Before at the left with the region, after at the right, repeated."""

    def __init__(self, proposed: Callable[[Path, str], Path], jobs: Jobs) -> None:
        super().__init__(jobs, "seamless", "Save the map…")
        self._proposed = proposed
        self._record: Seamless | None = None
        self.section("Region")
        self.row("Selection", quiet("drag on the picture"))
        self.angle = self.number("Straighten (°)", 0, (-10, 10), (-45, 45), "Rotates a tilted photograph level")
        self.turns = self.number("Quarter turns", 0, (0, 3), (0, 3), "Counter-clockwise", whole=True)
        self.channel = QComboBox()
        self.channel.setAccessibleName("Channel")
        self.channel.setToolTip("Keep all channels, or take one as a grey map")
        for key, label in CHANNELS.items():
            self.channel.addItem(label, key)
        self.channel.activated.connect(lambda _: self.tried())
        self.row("Channel", self.channel)
        self.longer = self.number("Long side (px)", 0, (0, 4096), (0, 16384), "0 keeps the original size", whole=True)
        self.tile = QCheckBox("Repeat without seams")
        self.tile.setChecked(True)
        self.tile.setToolTip("Off: only crop, rotate and resize")
        self.tile.clicked.connect(lambda _: self.tried())
        self.form.addWidget(self.tile, self.form.rowCount(), 0, 1, 2)
        self.section("Light")
        self.even = self.number("Even lighting", 0.7, (0, 1), (0, 1), "Removes large light and dark patches")
        self.section("Borders")
        self.overlap = self.number("Blend width", 0.2, (0.05, 0.4), (0.02, 0.45), "Fraction of each side")
        self.patches = self.number(
            "Patches per side", 0, (0, 12), (0, 32), "Shuffled patches, for irregular materials; 0 is off",
            whole=True,
        )  # fmt: skip
        self.seed = self.number("Seed", 0, (0, 20), (0, 9999), "Another arrangement", whole=True)
        self.section("Look")
        self.repeats = QButtonGroup(self)
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(3)
        for count in (1, 2, 3):
            button = QToolButton()
            button.setText(f"{count}×{count}")
            button.setToolTip(f"The tile {count} by {count}")
            button.setCheckable(True)
            button.setChecked(count == 2)
            button.clicked.connect(lambda _=False, count=count: self.show_repeats(count))
            self.repeats.addButton(button, count)
            row.addWidget(button)
        row.addStretch(1)
        holder = QWidget()
        holder.setLayout(row)
        self.row("Tiled", holder)
        self.score = QLabel()
        self.score.setWordWrap(True)
        self.side.insertSpacing(1, 8)
        self.side.insertWidget(2, self.score)
        self.before = PictureView("Before · drag a region", crops=True)
        self.before.cropped.connect(lambda _region, moving: self.tried(moving))
        self.after = PictureView("After")
        self.after.repeats = 2
        pictures = QHBoxLayout(self.pictures)
        pictures.setContentsMargins(0, 0, 0, 0)
        pictures.setSpacing(1)
        pictures.addWidget(self.before, 1)
        pictures.addWidget(self.after, 1)

    @property
    def name(self) -> str:
        return "Seamless"

    def opened(self) -> None:
        self.before.set_picture(self.pixels)
        self.before.note = f"{self.full[1]}×{self.full[0]}"

    def show_repeats(self, count: int) -> None:
        self.after.repeats = count
        self.after.update()

    def recipe(self) -> Seamless:
        """What the controls say."""
        left, top, right, bottom = self.before.region
        part = regions.Region(
            left=left, top=top, right=right, bottom=bottom, angle=self.angle.value, turns=int(self.turns.value),
            channel=str(self.channel.currentData()), size=int(self.longer.value),
        )  # fmt: skip
        return Seamless(
            region=part, even=self.even.value, overlap=self.overlap.value, patches=int(self.patches.value),
            seed=int(self.seed.value),
        )  # fmt: skip

    def prepared(self) -> Callable[[np.ndarray, Callable[[], bool]], Iterator[Made]]:
        how = self.recipe()
        how = how.model_copy(update={"region": how.region.model_copy(update={"size": 0})})
        tile = self.tile.isChecked()

        def work(pixels: np.ndarray, _cancelled: Callable[[], bool]) -> Iterator[Made]:
            part = taken(pixels, how.region)
            made = made_seamless(pixels, how) if tile else part
            whole = straightened(pixels, how.region.angle) if how.region.angle else pixels
            yield made, scores(part), scores(made), whole

        return work

    def take(self, answer: Made) -> None:
        made, before, after, whole = answer
        self.before.set_picture(whole)  # the region is drawn on what was straightened
        self.after.set_picture(made)
        self.after.note = f"Tile {made.shape[1]}×{made.shape[0]} here; in full when saved"
        self.score.setText(
            f"<table cellspacing=6><tr><td></td><td>before</td><td>after</td></tr>"
            f"<tr><td>Seam</td><td>{before.seam:.2f}</td><td><b>{after.seam:.2f}</b></td></tr>"
            f"<tr><td>Repetition</td><td>{before.repetition:.0%}</td><td><b>{after.repetition:.0%}</b></td></tr></table>"
        )
        self.score.setToolTip(
            "Seam: how much steeper the picture is across its border than inside; 0 is none.\n"
            "Repetition: the share of contrast broader than a quarter of the tile."
        )

    def proposed(self) -> Path:
        assert self.source is not None
        return self._proposed(self.source, "base_color")

    def save_to(self, path: Path) -> None:
        if self.source is not None:
            path = path if path.suffix else path.with_suffix(".png")
            how = self.recipe()
            cut = self.tile.isChecked()
            self.run(
                make_seamless_file(self.source, path, how) if cut else make_region_file(self.source, path, how.region)
            )

    def open(self, source: Path) -> None:
        """A picture that was made here before is opened by its record: its source, with the values of then."""
        self._record = None
        with suppress(CollageError):
            record = read_record(source)
            before = (source.parent / record.source).resolve()
            if record.seamless is not None and before.is_file():
                self._record = record.seamless
                source = before
        self.show_recipe(self._record or Seamless())
        super().open(source)

    def show_recipe(self, how: Seamless) -> None:
        """The controls as a recipe says."""
        part = how.region
        for field, value in (
            (self.angle, part.angle), (self.turns, part.turns), (self.longer, part.size), (self.even, how.even),
            (self.overlap, how.overlap), (self.patches, how.patches), (self.seed, how.seed),
        ):  # fmt: skip
            field.set_value(value)
        self.channel.setCurrentIndex(max(self.channel.findData(part.channel), 0))
        self.before.region = (part.left, part.top, part.right, part.bottom)
