"""Files of changed UV sets, in a project's folder of meshes: named by what is in them, and never written to again."""

from __future__ import annotations

import hashlib
import io
from pathlib import Path

import numpy as np

from collage.core.base.errors import disk_errors
from collage.core.base.safe_write import write_bytes
from collage.core.project.folder import MESHES, slug
from collage.core.project.objects import unsaved_meshes


def write_uv(uv: np.ndarray, folder: Path | None, object_name: str, set_name: str) -> str:
    """Writes UVs (3 t, 2) where a project keeps them; the file's name as it is stored. Raises CollageError.

    folder : of the project; None before it has one.
    """
    data = io.BytesIO()
    np.save(data, np.ascontiguousarray(uv, np.float32), allow_pickle=False)
    whole = data.getvalue()
    mark = hashlib.blake2b(whole, digest_size=6).hexdigest()
    place = folder / MESHES if folder is not None else unsaved_meshes()
    path = place / f"{slug(object_name)}-{slug(set_name)}-{mark}.npy"
    if not path.is_file():
        with disk_errors("The UVs cannot be written", about=path.name, remedy="Free some space on the disk."):
            place.mkdir(parents=True, exist_ok=True)
            write_bytes(path, whole)
    return path.relative_to(folder).as_posix() if folder is not None else path.as_posix()
