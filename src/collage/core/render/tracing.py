"""How a picture is traced."""

from __future__ import annotations

from dataclasses import dataclass

BRIGHTEST = 40.0


@dataclass(frozen=True)
class Tracing:
    """How a picture is traced.

    samples : paths a pixel. bounces : surfaces that a path meets at most. seed : of what is drawn. noise : the mean
    error of a pixel, of its brightness, at which it stops; 0 for all samples. seconds : after which it stops; 0 for all
    samples. denoised : whether what is left of the noise is filtered out. brightest : what light that has bounced may
    bring to one sample, of what shows as white at exposure 0; endless for what is exact in the mean.
    """

    samples: int = 64
    bounces: int = 10
    seed: int = 0
    noise: float = 0.0
    seconds: float = 0.0
    denoised: bool = False
    brightest: float = BRIGHTEST


USUAL = Tracing()
