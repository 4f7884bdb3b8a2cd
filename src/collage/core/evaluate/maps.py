"""The image files that a plan reads: what is broken is told, and greys stand in for what is on its way."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

from collage.core.base.errors import CollageError
from collage.core.images.store import ImageRef, ImageStore
from collage.core.images.tiles import Tiles, label_of


@dataclass(frozen=True)
class Maps:
    """How the images of a plan are looked at.

    strict : an image that is missing is none; otherwise its space is forgotten too, since a colour stands for it.
    until : the time (monotonic) up to which images are waited for; None for as long as it takes.
    """

    images: ImageStore
    strict: bool
    until: float | None

    def look(self, ref: ImageRef) -> tuple[ImageRef, list[CollageError]]:
        """The image to read in the place of a single one, and what is wrong."""
        if self.until is not None and not self.images.begin(ref, self.until):
            return replace(ref, stand_in=True), []
        try:
            self.images.open(ref)
        except CollageError as error:
            return ImageRef("", ref.space if self.strict else "lin_rec709"), [error]
        return ref, []

    def look_at_tiles(self, ref: ImageRef) -> tuple[ImageRef, list[CollageError]]:
        """As `look` for a numbered name. Tiles are read when points lie in them; of others the headers are."""
        if self.strict:
            return ref, []
        tiles = ref.tiles
        errors = [error for one in tiles.values() if (error := self.images.trouble(one)) is not None]
        missing = ", ".join(label_of(place) for place in Tiles(ref.path).missing)
        if missing or not tiles:
            text = f"Tiles are missing: {missing}." if tiles else "None of its tiles is there."
            remedy = "Find the files, or make them again."
            errors.append(CollageError(text, about=Path(ref.path).name, remedy=remedy))
        if self.until is not None:
            there = tuple(place for place, one in tiles.items() if self.images.ready(one))
            if len(there) < len(tiles):
                ref = replace(ref, stand_in=True, there=there)
        return ref, errors
