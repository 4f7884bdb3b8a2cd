"""Taking values apart and putting them together."""

from __future__ import annotations

import numpy as np

from collage.core.nodes.behaviour import Array, Context, behaviour


@behaviour("combine2", "combine3", "combine4")
def combine(ctx: Context, **inputs: Array) -> Array:
    """The channels of all inputs one after the other."""
    parts = [inputs[name] for name in sorted(inputs)]
    count = max(part.shape[1] for part in parts)
    return np.concatenate([np.broadcast_to(part, (part.shape[0], count)) for part in parts])


@behaviour("extract")
def extract(ctx: Context, index: Array, **inputs: Array) -> Array:
    """One channel, or one row of a matrix. An index outside takes the nearest channel.

    A row outside means nothing; the reference has zeros for a matrix that is the same everywhere, else the last row.
    """
    value = inputs["in"]
    width = {9: 3, 16: 4}.get(value.shape[0], 1)
    last = value.shape[0] // width - 1
    at = int(np.clip(index.flat[0], 0, last))
    if width > 1 and at != index.flat[0]:
        return np.zeros((width, 1), np.float32) if value.shape[1] == 1 else value[last * width :]
    return value[at * width : (at + 1) * width]


@behaviour("ND_convert_boolean_float", "ND_convert_integer_float")
def convert_to_float(ctx: Context, **inputs: Array) -> Array:
    return inputs["in"].astype(np.float32)
