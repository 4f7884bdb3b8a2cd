"""Stock shapes of several pieces: planks, tiles, slates. Each piece is a part of its own, of its real size in UV.

One unit of UV is as long as the whole shape, everywhere on it; each piece has its own place in the UV square.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.geometry.mesh import Mesh
from collage.core.geometry.shapes import rounded_box
from collage.core.geometry.topology import connected

MOST_PIECES = 20_000


@dataclass(frozen=True)
class _Piece:
    """A mesh, where its origin is put, (3,), and where the origin of its UVs is put, (2,), both in metres."""

    mesh: Mesh
    place: np.ndarray
    uv: np.ndarray
    name: str


def planks(
    length: float = 1.2, count: int = 5, width: float = 0.14, thickness: float = 0.025, gap: float = 0.004,
    divisions: int = 4,
) -> Mesh:  # fmt: skip
    """Boards side by side, along x. u runs along each of them."""
    _check(count)
    board = _box(length, thickness, width, min(thickness, width) * 0.12, divisions)
    step = width + gap
    first = -(count - 1) * step / 2
    pieces = [_Piece(board, np.array([0, 0, -(first + number * step)]), np.array([0, number * step]),
                     f"Plank {number + 1}") for number in range(count)]  # fmt: skip
    return _assembled(pieces, max(length, count * step + thickness))


def tiled_floor(
    width: float = 1.2, count: int = 4, gap: float = 0.004, thickness: float = 0.02, divisions: int = 2
) -> Mesh:
    """Square tiles, as many each way."""
    _check(count * count)
    step = (width + gap) / count
    side = step - gap
    if side <= 0:
        raise CollageError("The gaps leave no room for tiles.", remedy="Make them narrower, or use fewer tiles.")
    tile = _box(side, thickness, side, min(thickness, side) * 0.1, divisions)
    pieces = []
    for row in range(count):
        for column in range(count):
            x, y = ((at - (count - 1) / 2) * step for at in (column, row))
            pieces.append(_Piece(tile, np.array([x, 0, -y]), np.array([column, row]) * step,
                                 f"Tile {row + 1}.{column + 1}"))  # fmt: skip
    return _assembled(pieces, width + side)


def slate_roof(
    width: float = 2.0, rows: int = 6, slate: float = 0.3, thickness: float = 0.008, pitch: int = 35,
    divisions: int = 2,
) -> Mesh:  # fmt: skip
    """Slates in rows that overlap by half, each row moved by half a slate. slate : metres wide; pitch : degrees."""
    count = max(round(width / slate), 1)
    _check(rows * count)
    step, length = width / count, slate * 1.6
    angle = np.radians(pitch)
    slate_box = _box(step * 0.99, thickness, length, thickness * 0.3, divisions)
    one = _leaning(slate_box, angle - np.arctan(thickness / length * 2))  # each lies on the upper end of the one below
    pieces = []
    for row in range(rows):
        along = (row - (rows - 1) / 2) * length / 2
        for column in range(count):
            x = (column - (count - 1) / 2) * step + (step / 4 if row % 2 else -step / 4)
            place = np.array([x, along * np.sin(angle), -along * np.cos(angle)])
            uv = np.array([column * step, row * length / 2])
            pieces.append(_Piece(one, place, uv, f"Slate {row + 1}.{column + 1}"))
    return _assembled(pieces, max(width, rows * length / 2) + length)


def _check(pieces: int) -> None:
    if not 1 <= pieces <= MOST_PIECES:
        raise CollageError(f"{pieces:,} pieces are out of range.", remedy=f"Use 1 to {MOST_PIECES:,}.")


def _box(width: float, height: float, depth: float, bevel: float, divisions: int) -> Mesh:
    """A box whose UVs are in metres, its faces one over the other."""
    box = rounded_box(width, height, depth, bevel, divisions)
    metres = box.uv["UVMap"] * np.float32(max(width, height, depth))
    return replace(box, uv={"UVMap": metres})


def _leaning(mesh: Mesh, angle: float) -> Mesh:
    """Turned about x, so that what lies further back is higher."""
    c, s = np.cos(angle), np.sin(angle)
    turn = np.array([[1, 0, 0], [0, c, s], [0, -s, c]])
    return replace(mesh, positions=mesh.positions @ turn, normals=mesh.normals @ turn)


def _assembled(pieces: Sequence[_Piece], unit: float) -> Mesh:
    """All pieces as one mesh that stands on the ground, in the middle. unit : metres of one unit of UV."""
    starts = np.cumsum([0] + [len(one.mesh.positions) for one in pieces])
    positions = np.concatenate([one.mesh.positions + one.place for one in pieces])
    low, high = positions.min(axis=0), positions.max(axis=0)
    positions -= [(low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2]
    triangles = np.concatenate([one.mesh.triangles + start for one, start in zip(pieces, starts[:-1], strict=True)])
    quads = [np.asarray(one.mesh.face) for one in pieces]
    first = np.cumsum([0] + [int(face.max()) + 1 for face in quads])
    face = np.concatenate([one + start for one, start in zip(quads, first[:-1], strict=True)])
    part = np.repeat(np.arange(len(pieces)), [len(one.mesh.triangles) for one in pieces])
    uv = np.concatenate([one.mesh.uv["UVMap"] + one.uv for one in pieces]) / unit
    normals, names = np.concatenate([one.mesh.normals for one in pieces]), tuple(one.name for one in pieces)
    piece = connected(triangles, len(positions))
    return Mesh(positions, triangles, normals, {"UVMap": uv}, part=part, piece=piece, part_names=names, face=face)
