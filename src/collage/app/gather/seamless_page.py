"""The Seamless page: a photograph becomes a map that tiles, with scores before and after."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PySide6.QtWidgets import QButtonGroup, QCheckBox, QComboBox, QHBoxLayout, QLabel, QPushButton, QToolButton, QWidget

from collage.app.gather.page import Page
from collage.app.gather.picture_view import PictureView
from collage.app.shell.jobs import Jobs
from collage.core.base.errors import CollageError
from collage.core.base.progress import finished
from collage.core.images import region as regions
from collage.core.images.made import make_region_file, make_seamless_file, read_record
from collage.core.images.perspective import Corners
from collage.core.images.region import taken_size, taking, upright
from collage.core.images.seamless import Scores, Seamless, regular, scores, tiling
from collage.core.images.vanishing import find_corners

CHANNELS = {"all": "All", "luminance": "Luminance", "r": "Red", "g": "Green", "b": "Blue", "a": "Alpha"}


WHOLE = {"left": 0.0, "top": 0.0, "right": 1.0, "bottom": 1.0}
INSET: Corners = ((0.1, 0.1), (0.9, 0.1), (0.9, 0.9), (0.1, 0.9))
"""Four corners to begin with."""


@dataclass(frozen=True)
class Made:
    """recipe : with what was found, of `wanted`. whole : the picture that the region or the corners are drawn on."""

    recipe: Seamless
    wanted: frozenset[str]
    tile: np.ndarray
    before: Scores
    after: Scores
    whole: np.ndarray


class SeamlessPage(Page):
    """Before at the left with the region, after at the right, repeated."""

    def __init__(self, proposed: Callable[[Path, str], Path], jobs: Jobs) -> None:
        super().__init__(jobs, "seamless", "Save the map…")
        self._proposed = proposed
        self._record: Seamless | None = None
        self._wanted: set[str] = set()  # what is to be found in the picture: corners, pattern
        self.section("Region")
        self.shape = self.choice(
            "", {"Rectangle": "Drag on the picture", "Corners": "Four corners of a wall seen at a slant"}
        )
        self.shape.idClicked.connect(self._show_shape)
        self.find_corners = self.button("Find corners", "From lines that run in parallel on the wall", "corners")
        self.proportion = self.number("Proportion", 0, (0, 4), (0, 100), "Width to height; 0 is worked out")
        self.bulge = self.number("Lens bulge", 0, (-0.2, 0.2), (-0.5, 0.5), "Straightens lines that bow outwards")
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
        self.section("Regular pattern")
        self.across = self.number("Across (px)", 0, (0, 1000), (0, 65536), "Its length, on the whole tile; 0 is none")
        self.down = self.number("Down (px)", 0, (0, 1000), (0, 65536), "Its height: of bricks, two courses; 0 is none")
        self.find_pattern = self.button("Find pattern", "Bricks, tiles, boards, weaves", "pattern")
        self.section("Borders")
        self.overlap = self.number("Blend width", 0.2, (0.05, 0.4), (0.02, 0.45), "Fraction of each side")
        self.patches = self.number(
            "Patches per side", 0, (0, 12), (0, 32), "Shuffled patches, for irregular materials; 0 is off",
            whole=True,
        )  # fmt: skip
        self.seed = self.number("Seed", 0, (0, 20), (0, 9999), "Another arrangement", whole=True)
        self.section("Look")
        counts = (1, 2, 3)
        self.repeats = self.choice("Tiled", {f"{count}×{count}": f"The tile {count} by {count}" for count in counts})
        for number, count in enumerate(counts):
            self.repeats.setId(self.repeats.buttons()[number], count)
        self.repeats.button(2).setChecked(True)
        self.repeats.idClicked.connect(self.show_repeats)
        self.score = QLabel()
        self.score.setWordWrap(True)
        self.side.insertSpacing(1, 8)
        self.side.insertWidget(2, self.score)
        self.before = PictureView("Before · drag a region", crops=True)
        for changed in (self.before.cropped, self.before.cornered):
            changed.connect(lambda _selected, moving: self._selected(moving))
        self.before.stepped.connect(self._stepped)
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

    def choice(self, text: str, labels: dict[str, str]) -> QButtonGroup:
        """A row of buttons of which one is down; labels with their tooltips."""
        group, row = QButtonGroup(self), QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(3)
        for number, (label, tip) in enumerate(labels.items()):
            button = QToolButton()
            button.setText(label)
            button.setToolTip(tip)
            button.setCheckable(True)
            button.setChecked(number == 0)
            group.addButton(button, number)
            row.addWidget(button)
        row.addStretch(1)
        holder = QWidget()
        holder.setLayout(row)
        if text:
            self.row(text, holder)
        else:
            self.form.addWidget(holder, self.form.rowCount(), 0, 1, 2)
        return group

    def button(self, text: str, tip: str, wanted: str) -> QPushButton:
        """A button that looks for something in the picture."""
        button = QPushButton(text)
        button.setToolTip(tip)
        button.clicked.connect(lambda: self._find(wanted))
        self.form.addWidget(button, self.form.rowCount(), 1)
        return button

    def opened(self) -> None:
        self.before.set_picture(self.pixels)
        self.before.note = f"{self.full[1]}×{self.full[0]}"
        self.show_recipe(self._record or self.recipe())
        self.history.reset(self.recipe())

    def show_repeats(self, count: int) -> None:
        self.after.repeats = count
        self.after.update()

    def _show_shape(self, corners: int) -> None:
        """Changes between a rectangle and four corners."""
        self.before.corners = INSET if corners else None
        self.before.region = (0.0, 0.0, 1.0, 1.0)
        self._selected(False)

    def _find(self, wanted: str) -> None:
        self._wanted.add(wanted)
        self.ask()

    def _selected(self, moving: bool) -> None:
        """Another region or corners: the pattern keeps its pixels."""
        self._show_grid()
        self.tried(moving)

    def _stepped(self, steps: tuple[float, float], moving: bool) -> None:
        """A line of the grid is under the hand."""
        for field, step, side in zip((self.across, self.down), steps, self._region_size(), strict=True):
            field.set_value(round(step * side, 1))
        self.tried(moving)

    def tried(self, moving: bool = False) -> None:
        self._show_grid()
        super().tried(moving)

    def _show_grid(self) -> None:
        self.before.title = "Before · drag the corners" if self.before.corners else "Before · drag a region"
        across, down = self.recipe().period
        self.before.grid = (down, across) if int(self.turns.value) % 2 else (across, down)
        self.before.update()

    def _region(self) -> regions.Region:
        left, top, right, bottom = self.before.region
        return regions.Region(
            left=left, top=top, right=right, bottom=bottom, angle=self.angle.value, turns=int(self.turns.value),
            channel=str(self.channel.currentData()), size=int(self.longer.value), corners=self.before.corners,
            bulge=self.bulge.value, proportion=self.proportion.value,
        )  # fmt: skip

    def _region_size(self) -> tuple[int, int]:
        """Width and height of the region in pixels of the whole picture."""
        if self.full[0]:
            with suppress(CollageError):  # corners of a record that enclose nothing; the page says so
                width, height = taken_size((self.full[1], self.full[0]), self._region())
                return max(width, 1), max(height, 1)
        return 1, 1

    def recipe(self) -> Seamless:
        """What the controls say."""
        width, height = self._region_size()
        return Seamless(
            region=self._region(), even=self.even.value, overlap=self.overlap.value, patches=int(self.patches.value),
            seed=int(self.seed.value), period=(min(self.across.value / width, 1), min(self.down.value / height, 1)),
        )  # fmt: skip

    def prepared(self) -> Callable[[np.ndarray, Callable[[], bool]], Iterator[Made]]:
        how, tile, wanted = self.recipe(), self.tile.isChecked(), frozenset(self._wanted)

        def work(pixels: np.ndarray, _cancelled: Callable[[], bool]) -> Iterator[Made]:
            recipe, region = how, how.region.model_copy(update={"size": 0})
            if "corners" in wanted:
                bulged = regions.Region(bulge=region.bulge)
                corners = find_corners(finished(upright(pixels, bulged)))
                region = region.model_copy(update={"corners": corners, "angle": 0.0, **WHOLE})
            part = finished(taking(pixels, region))
            recipe = recipe.model_copy(update={"region": region.model_copy(update={"size": how.region.size})})
            if "pattern" in wanted:
                recipe = regular(recipe, part)
            before = scores(part)
            made = finished(tiling(part.copy(), recipe)) if tile else part
            cornered = region.corners is not None
            drawn_on = region.model_copy(update={"corners": None, "angle": 0.0 if cornered else region.angle})
            yield Made(recipe, wanted, made, before, scores(made), finished(upright(pixels, drawn_on)))

        return work

    def _say(self, error: CollageError) -> None:
        self._wanted.clear()
        super()._say(error)

    def take(self, answer: Made) -> None:
        self.said.setText("")
        if answer.wanted:
            self._take_found(answer)
        self.before.set_picture(answer.whole)
        self.after.set_picture(answer.tile)
        self.after.note = f"Tile {answer.tile.shape[1]}×{answer.tile.shape[0]} here; in full when saved"
        self._show_scores(answer.before, answer.after)

    def _take_found(self, answer: Made) -> None:
        self._wanted -= answer.wanted
        self.show_recipe(answer.recipe)
        self.history.do(f"{self.name} values", lambda _: self.recipe())
        if "pattern" in answer.wanted and not any(answer.recipe.period):
            self.said.setText("No pattern is found that repeats.")

    def _show_scores(self, before: Scores, after: Scores) -> None:
        rows = [("Seam", f"{before.seam:.2f}", f"{after.seam:.2f}")]
        if before.pattern or after.pattern or any(self.recipe().period):
            rows.append(("Broken pattern", f"{before.pattern:.0%}", f"{after.pattern:.0%}"))
        rows.append(("Repetition", f"{before.repetition:.0%}", f"{after.repetition:.0%}"))
        cells = "".join(f"<tr><td>{name}</td><td>{was}</td><td><b>{now}</b></td></tr>" for name, was, now in rows)
        self.score.setText(f"<table cellspacing=6><tr><td></td><td>before</td><td>after</td></tr>{cells}</table>")
        self.score.setToolTip(
            "Seam: how much steeper the picture is across its border than inside; 0 is none.\n"
            "Broken pattern: how much of a regular pattern ends at the border.\n"
            "Repetition: the share of contrast broader than a quarter of the tile, a regular pattern's own left out."
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
        self.full = (0, 0)  # until it is read
        self.show_recipe(self._record or Seamless())
        super().open(source)

    def show_recipe(self, how: Seamless) -> None:
        """The controls as a recipe says."""
        part = how.region
        for field, value in (
            (self.angle, part.angle), (self.turns, part.turns), (self.longer, part.size), (self.even, how.even),
            (self.overlap, how.overlap), (self.patches, how.patches), (self.seed, how.seed),
            (self.bulge, part.bulge), (self.proportion, part.proportion),
        ):  # fmt: skip
            field.set_value(value)
        self.channel.setCurrentIndex(max(self.channel.findData(part.channel), 0))
        self.before.region = (part.left, part.top, part.right, part.bottom)
        self.before.corners = part.corners
        self.shape.button(int(part.corners is not None)).setChecked(True)
        for field, share, side in zip((self.across, self.down), how.period, self._region_size(), strict=True):
            field.set_value(round(share * side, 1))
        self._show_grid()
