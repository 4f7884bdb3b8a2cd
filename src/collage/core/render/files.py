"""Pictures on disk."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.images.codecs import codec_to_write
from collage.core.images.files import write_image
from collage.core.render.channels import SHOWN
from collage.core.render.heights import HEIGHTS
from collage.core.render.judging import EXPOSURE, PLAUSIBLE
from collage.core.render.layers import stacked
from collage.core.render.request import Picture

VIEWS = ("lit", "clay", "normals", HEIGHTS, EXPOSURE, PLAUSIBLE)


def check_view(view: str) -> None:
    """Raises CollageError for a view that does not exist."""
    if view not in VIEWS and view not in SHOWN:
        raise CollageError(
            f"There is no view “{view}”.", remedy=f"Use {', '.join(VIEWS)}, or one of {', '.join(SHOWN)}."
        )


def check_picture_file(path: Path) -> None:
    """Raises CollageError for a file that no picture can be written to; to be asked before it is made."""
    codec_to_write(path)


def check_layers_file(path: Path) -> None:
    """Raises CollageError for a file that layers cannot be written to."""
    if path.suffix.lower() != ".exr":
        raise CollageError("Layers need an EXR file.", about=path.name, remedy="Let the name end in .exr.")


def check_depth(path: Path, bits: int) -> None:
    """Raises CollageError for a file whose numbers cannot have so many bits."""
    wanted = (16, 32) if path.suffix.lower() == ".exr" else (8,)
    if bits and bits not in wanted:
        raise CollageError(
            f"{path.suffix} is not written with {bits} bits.", about=path.name,
            remedy=f"Use {' or '.join(map(str, wanted))}; EXR has 16 and 32.",
        )  # fmt: skip


def write_picture(picture: Picture, path: Path, *, layers: bool = False, bits: int = 0) -> None:
    """Writes a picture: as linear light to formats that hold it, otherwise as shown. Raises CollageError.

    layers : whether those of a traced picture go into the same file. bits : of a number of an EXR file, 16 or 32; 0
    for 32.
    """
    if layers:
        check_layers_file(path)
        pixels, channels, told = stacked(picture.linear, picture.layers, picture.alpha)
        write_image(path, pixels, bits=bits or 32, attributes=told, channels=channels)
    elif codec_to_write(path).linear:
        write_image(path, _with_alpha(picture.straight, picture.alpha), bits=bits or 32)
    else:
        write_image(path, _with_alpha(picture.display, picture.alpha), bits=8)


def _with_alpha(pixels: np.ndarray, alpha: np.ndarray | None) -> np.ndarray:
    """Pixels (h, w, 3) with their alpha (h, w) beside them, if there is one."""
    if alpha is None:
        return pixels
    last = alpha if pixels.dtype != np.uint8 else np.rint(alpha * 255)
    return np.concatenate([pixels, last[:, :, None].astype(pixels.dtype)], axis=2)
