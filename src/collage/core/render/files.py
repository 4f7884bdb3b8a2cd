"""Pictures on disk."""

from __future__ import annotations

from pathlib import Path

from collage.core.base.errors import CollageError
from collage.core.images.codecs import codec_to_write
from collage.core.images.files import write_image
from collage.core.render.channels import SHOWN
from collage.core.render.heights import HEIGHTS
from collage.core.render.request import Picture

VIEWS = ("lit", "clay", "normals", HEIGHTS)


def check_view(view: str) -> None:
    """Raises CollageError for a view that does not exist."""
    if view not in VIEWS and view not in SHOWN:
        raise CollageError(
            f"There is no view “{view}”.", remedy=f"Use {', '.join(VIEWS)}, or one of {', '.join(SHOWN)}."
        )


def check_picture_file(path: Path) -> None:
    """Raises CollageError for a file that no picture can be written to; to be asked before it is made."""
    codec_to_write(path)


def write_picture(picture: Picture, path: Path) -> None:
    """Writes a picture: as linear light to formats that hold it, otherwise as shown. Raises CollageError."""
    if codec_to_write(path).linear:
        write_image(path, picture.linear, bits=32)
    else:
        write_image(path, picture.display, bits=8)
