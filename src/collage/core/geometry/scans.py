"""PLY and STL, through trimesh; what they declare is held against their size before anything is made room for."""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.geometry.raw import FIRST_SET, RawMesh, SlotLook

HEADER = 64 * 1024  # bytes in which a PLY header ends
STL_TRIANGLE = 50  # bytes


def read_ply(path: Path) -> RawMesh:
    """Reads a PLY file: triangles, vertex colours and UVs by vertex. Raises CollageError, and OSError."""
    _check_ply(path)
    return _through_trimesh(path, "ply")


def read_stl(path: Path) -> RawMesh:
    """Reads an STL file, binary or text. Raises CollageError, and OSError."""
    with path.open("rb") as file:
        head = file.read(84)
    if len(head) == 84 and not head.lstrip().startswith(b"solid"):
        (count,) = struct.unpack_from("<I", head, 80)
        if 84 + count * STL_TRIANGLE > path.stat().st_size:
            raise _broken(f"{path.stat().st_size:,} bytes, but should have {count:,} triangles", path.name)
    return _through_trimesh(path, "stl")


def _broken(what: str, name: str) -> CollageError:
    return CollageError(f"The file has {what}.", about=name, remedy="It is broken; export it again.")


def _check_ply(path: Path) -> None:
    with path.open("rb") as file:
        head, end, _ = file.read(HEADER).partition(b"end_header")
    if not head.startswith(b"ply") or not end:
        raise CollageError("It is no PLY file.", about=path.name, remedy="Export it as PLY again.")
    size = path.stat().st_size
    for line in head.splitlines():
        words = line.split()
        if words[:1] == [b"element"]:
            try:
                count = int(words[2])
            except (IndexError, ValueError) as error:
                raise _broken("a header that cannot be read", path.name) from error
            if count < 0 or count > size:  # each takes a byte at least
                name = words[1].decode("latin-1")
                raise _broken(f"{size:,} bytes, but should have {count:,} of “{name}”", path.name)


def _through_trimesh(path: Path, kind: str) -> RawMesh:
    import trimesh

    try:
        with path.open("rb") as file, np.errstate(all="ignore"):
            found = trimesh.load(file, file_type=kind, process=False, maintain_order=True)
    except MemoryError:
        raise
    except Exception as error:  # its readers raise whatever a broken file leads them to
        raise _broken("parts that cannot be read", path.name) from error
    triangles = np.asarray(getattr(found, "faces", np.zeros((0, 3))))
    if not len(triangles):
        raise CollageError("There are no faces in it.", about=path.name, remedy="Export the object with its faces.")
    at = triangles.ravel()
    colours, uv = {}, {}
    visual = found.visual
    if visual.kind == "vertex":
        colours["Colour 0"] = (np.asarray(visual.vertex_colors, np.float32) / 255)[at]
    place = getattr(visual, "uv", None)
    if place is not None and len(place) == len(found.vertices):
        uv[FIRST_SET] = np.asarray(place, np.float32)[at]
    # the file's own normals lie there; asked for by name, they are worked out anew where the file has none
    given = found._cache.cache.get("vertex_normals") if kind == "ply" else None
    normals = np.asarray(given, np.float32)[at] if given is not None and len(given) == len(found.vertices) else None
    return RawMesh(np.asarray(found.vertices, np.float32), triangles, normals, uv, colours,
                   part_names=(path.stem,), slots=(SlotLook(""),))  # fmt: skip
