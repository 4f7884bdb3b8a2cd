"""Imports what a first picture needs, so that it does not wait for it: compiled kernels and the ray tracer."""

from __future__ import annotations

import collage.core.kernels.cells
import collage.core.kernels.elementwise
import collage.core.kernels.embree
import collage.core.kernels.film
import collage.core.kernels.noise
import collage.core.kernels.pyramids
import collage.core.kernels.rays
import collage.core.kernels.sampling
import collage.core.kernels.shading  # noqa: F401
