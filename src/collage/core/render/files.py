"""Pictures on disk."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.images.codecs import codec_of, codec_to_write
from collage.core.images.files import write_image
from collage.core.render.channels import SHOWN
from collage.core.render.film import developed_finely
from collage.core.render.heights import HEIGHTS
from collage.core.render.judging import EXPOSURE, PLAUSIBLE
from collage.core.render.layers import stacked
from collage.core.render.request import Picture, PictureRequest

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


def depths_of(path: Path) -> tuple[int, ...]:
    """The bits of a number that a picture's file can have, the usual one first; none where none can be written."""
    codec = codec_of(path)
    return () if codec is None else tuple(bits for bits in codec.bits if codec.linear or bits <= 16)


def check_depth(path: Path, bits: int) -> None:
    """Raises CollageError for a file whose numbers cannot have so many bits."""
    wanted = depths_of(path)
    if bits and bits not in wanted:
        raise CollageError(
            f"{path.suffix} is not written with {bits} bits.", about=path.name,
            remedy=f"Use {' or '.join(map(str, wanted))}; PNG and TIFF have 8 and 16, EXR 16 and 32.",
        )  # fmt: skip


def write_picture(
    request: PictureRequest, picture: Picture, path: Path, *, layers: bool = False, bits: int = 0
) -> None:
    """Writes a picture: as linear light to formats that hold it, otherwise as shown. Raises CollageError.

    request : of the picture. layers : whether those of a traced picture go into the same file. bits : of a number, see
    `depths_of`; 0 for the usual ones.
    """
    if layers:
        check_layers_file(path)
        pixels, channels, told = stacked(picture.linear, picture.layers, picture.alpha)
        write_image(path, pixels, bits=bits or 32, attributes=told, channels=channels)
    elif codec_to_write(path).linear:
        write_image(path, _with_alpha(picture.straight, picture.alpha), bits=bits or 32)
    else:
        shown = developed_finely(request, picture.straight) if bits == 16 else picture.display
        write_image(path, _with_alpha(shown, picture.alpha))


def _with_alpha(pixels: np.ndarray, alpha: np.ndarray | None) -> np.ndarray:
    """Pixels (h, w, 3) with their alpha (h, w) beside them, if there is one."""
    if alpha is None:
        return pixels
    whole = np.iinfo(pixels.dtype).max if pixels.dtype.kind == "u" else 0
    last = np.rint(alpha * whole) if whole else alpha
    return np.concatenate([pixels, last[:, :, None].astype(pixels.dtype)], axis=2)
