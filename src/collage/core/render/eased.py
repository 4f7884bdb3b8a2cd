"""A traced picture before it has many samples: the draft, and how far the traced light differs from it, smoothed.

The draft has no noise, but knows little of bounced light. So what paths have found is smoothed, and so is the draft;
by what the one is brighter, the draft is made brighter. The more samples there are, the less is smoothed, until the
traced picture is shown as it is.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from collage.core.evaluate.run import Workers
from collage.core.kernels import Family
from collage.core.render.samples import over_blocks

k = Family("wavelet")

LEVELS = ((1, 5), (2, 4), (8, 3), (16, 2), (32, 1))
"""Up to so many samples, how often light is smoothed: over 124 pixels to each side, 60, 28 ..."""
HALF = 2  # light is smoothed at half the size
EVEN = 0.002  # light that both have at least, so that darkness is not divided by
DARK = 0.02  # light below which tones do not count
MOST = 4.0  # by which the draft is made brighter or darker; what is beyond is added
ROWS = 32  # of pixels that a thread smooths together
GLARE = 1.0  # light beyond MOST times the draft's that a few samples may have


def levels_of(samples: int) -> int:
    """How often the light of a picture with so many samples a pixel is smoothed; 0 for none."""
    return next((levels for most, levels in LEVELS if samples <= most), 0)


@dataclass(frozen=True, eq=False)
class _Guides:
    """What is smoothed together: pixels (h, w) of a region that face one way in one tone, see kernels.wavelet."""

    guide: np.ndarray
    region: np.ndarray

    @classmethod
    def of(cls, draft: np.ndarray, normal: np.ndarray, region: np.ndarray) -> _Guides:
        tone = np.log2(np.maximum(draft.mean(axis=0), 0) + np.float32(DARK), dtype=np.float32)
        guide = np.concatenate([normal, tone[None]])
        return cls(np.ascontiguousarray(guide, np.float32), np.ascontiguousarray(region, np.int32))


def eased(
    draft: np.ndarray, traced: np.ndarray, region: np.ndarray, normal: np.ndarray, levels: int,
    workers: Workers | None = None,
) -> np.ndarray:  # fmt: skip
    """(h, w, 3) float32: a draft with the light of a traced picture (h, w, 3) of few samples.

    region : (h, w), between which nothing is smoothed. normal : (h, w, 3), as surfaces face; 0 for none.
    """
    draft, traced, normal = (
        np.ascontiguousarray(one.transpose(2, 0, 1), np.float32) for one in (draft, traced, normal)
    )
    glare = np.minimum(traced, np.float32(MOST) * draft + np.float32(GLARE))
    both = _halved(np.concatenate([glare, draft]), region)
    coarse = _Guides.of(both[3:], normal[:, ::HALF, ::HALF], region[::HALF, ::HALF])
    for level in range(levels):
        both = _smoothed(both, coarse, coarse, 2**level, both.copy(), workers)
    light, before = both[:3], both[3:]
    by = np.clip((light + np.float32(EVEN)) / (before + np.float32(EVEN)), 1 / MOST, MOST)
    change = np.concatenate([by, light - by * before], dtype=np.float32)
    out = np.empty((k.CHANNELS, *region.shape), np.float32)
    out[:3], out[3:] = 1, 0  # a pixel of its own stays as it is
    out = _smoothed(change, coarse, _Guides.of(draft, normal, region), 1, out, workers)
    return np.ascontiguousarray(np.maximum(draft * out[:3] + out[3:], 0).transpose(1, 2, 0), np.float32)


def _smoothed(
    values: np.ndarray, guides: _Guides, own: _Guides, step: int, out: np.ndarray, workers: Workers | None
) -> np.ndarray:
    """Fills `out` with what is smoothed, for the same pixels or for HALF times as fine ones; see kernels.wavelet."""
    guide, region, shrunk, reach, across = guides.guide, guides.region, 1, 2, step
    if own is not guides:
        shrunk, reach, across = HALF, 1, HALF * step
        values, guide, region = (_widened(one, out.shape[2]) for one in (values, guide, region))

    def rows(cut: slice) -> None:
        room = np.empty((k.CHANNELS + 2, out.shape[2]), np.float32)
        k.smooth(
            values, guide, region, own.guide, own.region, shrunk, reach, step, across, cut.start, cut.stop, room, out
        )

    over_blocks(workers, rows, out.shape[1], ROWS, even=False)
    return out


def _in_planes(picture: np.ndarray) -> np.ndarray:
    """(h, w, c) as (c, h, w) float32."""
    return np.ascontiguousarray(picture.transpose(2, 0, 1), np.float32)


def _widened(rows: np.ndarray, wide: int) -> np.ndarray:
    """Every column HALF times, (..., wide)."""
    return np.ascontiguousarray(rows.repeat(HALF, axis=-1)[..., :wide])


def _halved(picture: np.ndarray, region: np.ndarray) -> np.ndarray:
    """The means (c, h / 2, w / 2) of those of 2 x 2 pixels (c, h, w) that are of the region of the first one."""
    small = tuple(-(-side // HALF) for side in region.shape)
    total, count = np.zeros((len(picture), *small), np.float32), np.zeros(small, np.float32)
    for y in range(HALF):
        for x in range(HALF):
            some, of = picture[:, y::HALF, x::HALF], region[y::HALF, x::HALF]
            high, across = of.shape
            same = of == region[::HALF, ::HALF][:high, :across]
            total[:, :high, :across] += same * some
            count[:high, :across] += same
    return total / count
