"""Changing values: ranges, steps, and colours in hue, saturation and value."""

from __future__ import annotations

import numpy as np

from collage.core.nodes.arithmetic import dot3, held, power_of
from collage.core.nodes.behaviour import Array, Context, behaviour


@behaviour("remap")
def remap(
    ctx: Context, inlow: Array, inhigh: Array, outlow: Array | float, outhigh: Array | float, **inputs: Array
) -> Array:
    """Carries inlow..inhigh over to outlow..outhigh, in a straight line and without end."""
    return outlow + (inputs["in"] - inlow) * (outhigh - outlow) / (inhigh - inlow)


@behaviour("range")
def range_(
    ctx: Context,
    inlow: Array,
    inhigh: Array,
    gamma: Array,
    outlow: Array,
    outhigh: Array,
    doclamp: Array,
    **inputs: Array,
) -> Array:
    """As remap, bent by a power on the way; of nothing in a range of nothing, as in the reference, outlow is left."""
    place = remap(ctx, inlow, inhigh, 0.0, 1.0, **inputs)
    place = np.where(place != place, 0, place)
    bent = np.sign(place) * power_of(np.abs(place), 1 / gamma)
    value = outlow + bent * (outhigh - outlow)
    return np.where(doclamp, held(value, outlow, outhigh), value)


@behaviour("ND_smoothstep_float")
def smoothstep(ctx: Context, low: Array, high: Array, **inputs: Array) -> Array:
    """0 up to low, 1 from high on, a soft S in between."""
    value = inputs["in"]
    t = held((value - low) / (high - low), 0, 1)
    soft = t * t * (3 - 2 * t)
    return np.where(value >= high, 1.0, np.where(value <= low, 0.0, soft))


@behaviour("luminance")
def luminance(ctx: Context, lumacoeffs: Array, **inputs: Array) -> Array:
    """The colour's luminance in its three channels; a fourth channel stays."""
    colour = inputs["in"]
    grey = np.repeat(dot3(colour[:3], lumacoeffs), 3, axis=0)
    if len(colour) == 3:
        return grey
    return np.concatenate([grey, np.broadcast_to(colour[3:], (1, grey.shape[1]))])


@behaviour("rgbtohsv")
def rgbtohsv(ctx: Context, **inputs: Array) -> Array:
    """Hue, saturation and value of a colour (Foley and van Dam, Computer Graphics, 13.3.4), hue 0..1."""
    colour = inputs["in"]
    r, g, b = colour[:3]
    high, low = np.maximum(np.maximum(r, g), b), np.minimum(np.minimum(r, g), b)
    spread = high - low
    saturation = np.where(high > 0, spread / np.where(high > 0, high, 1), 0)
    safe = np.where(spread == 0, 1, spread)
    hue = np.where(r >= high, (g - b) / safe, np.where(g >= high, 2 + (b - r) / safe, 4 + (r - g) / safe)) / 6
    hue = np.where(hue < 0, hue + 1, hue)
    hue = np.where(saturation <= 0, 0, hue)
    return np.concatenate([np.stack([hue, saturation, high]), colour[3:]])


@behaviour("hsvtorgb")
def hsvtorgb(ctx: Context, **inputs: Array) -> Array:
    """The colour of a hue, saturation and value; hue goes round at 1."""
    colour = inputs["in"]
    hue, saturation, value = colour[:3]
    turn = 6 * (hue - np.floor(hue))
    sector = np.trunc(turn)
    part = turn - sector
    p, q = value * (1 - saturation), value * (1 - saturation * part)
    t = value * (1 - saturation * (1 - part))
    at = [sector == number for number in range(5)]
    r = np.select(at, [value, q, p, p, t], value)
    g = np.select(at, [t, value, value, q, p], p)
    b = np.select(at, [p, p, t, value, value], q)
    grey = saturation < 1e-4
    rgb = np.stack([np.where(grey, value, one) for one in (r, g, b)])
    return np.concatenate([rgb, colour[3:]])
