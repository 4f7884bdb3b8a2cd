"""Matrices, row by row as (9, n) or (16, n). They act on row vectors: v' = v M."""

from __future__ import annotations

import numpy as np

from collage.core.nodes.behaviour import Array, Context, behaviour

_BOTH = ("matrix33", "matrix44")


def _square(matrix: Array) -> Array:
    """(n, s, s) from (s*s, n)."""
    side = 3 if matrix.shape[0] == 9 else 4
    return np.moveaxis(matrix, 0, -1).reshape(-1, side, side)


def _flat(matrix: Array) -> Array:
    return np.moveaxis(matrix.reshape(matrix.shape[0], -1), -1, 0)


@behaviour(*(f"ND_multiply_{name}" for name in _BOTH))
def multiply_matrix(ctx: Context, in1: Array, in2: Array) -> Array:
    """First in1, then in2."""
    return _flat(_square(in1) @ _square(in2))


@behaviour(*(f"ND_divide_{name}" for name in _BOTH))
def divide_matrix(ctx: Context, in1: Array, in2: Array) -> Array:
    return _flat(_square(in1) @ _inverse(_square(in2)))


def _inverse(matrix: Array) -> Array:
    with np.errstate(all="ignore"):
        bad = np.abs(np.linalg.det(matrix)) == 0
        safe = np.where(bad[:, None, None], np.eye(matrix.shape[1]), matrix)
        inverse = np.linalg.inv(safe)
    inverse[bad] = np.nan
    return inverse


@behaviour("invertmatrix")
def invertmatrix(ctx: Context, **inputs: Array) -> Array:
    return _flat(_inverse(_square(inputs["in"])))


@behaviour("transpose")
def transpose(ctx: Context, **inputs: Array) -> Array:
    return _flat(np.swapaxes(_square(inputs["in"]), 1, 2))


@behaviour("determinant")
def determinant(ctx: Context, **inputs: Array) -> Array:
    return np.linalg.det(_square(inputs["in"]))[None]


@behaviour("creatematrix")
def creatematrix(ctx: Context, **rows: Array) -> Array:
    """A matrix from its rows; three-part rows of a 4x4 matrix end in 0, the last one in 1."""
    side = 3 if ctx.output_type == "matrix33" else 4
    columns = max(row.shape[1] for row in rows.values())
    parts = []
    for number, name in enumerate(sorted(rows)):
        row = np.broadcast_to(rows[name], (rows[name].shape[0], columns))
        if row.shape[0] < side:
            end = np.full((1, columns), 1.0 if number == side - 1 else 0.0, np.float32)
            row = np.concatenate([row, end])
        parts.append(row)
    return np.concatenate(parts)


@behaviour("transformmatrix")
def transformmatrix(ctx: Context, mat: Array, **inputs: Array) -> Array:
    """A vector through a matrix; short vectors get a 1 at the end. No perspective divide."""
    vector = inputs["in"]
    matrix = _square(mat)
    side, kept = matrix.shape[1], vector.shape[0]
    if kept < side:
        vector = np.concatenate([vector, np.ones((side - kept, vector.shape[1]), np.float32)])
    return np.einsum("in,nij->jn", *_same_count(vector, matrix))[:kept]


def _same_count(vector: Array, matrix: Array) -> tuple[Array, Array]:
    count = max(vector.shape[1], matrix.shape[0])
    return (
        np.broadcast_to(vector, (vector.shape[0], count)),
        np.broadcast_to(matrix, (count, *matrix.shape[1:])),
    )
