"""Rows of the packed surface that the shading kernel reads, (ROWS, n) or (MORE_ROWS, n) float32."""

from __future__ import annotations

import numpy as np

BASE, METAL, SPECULAR, ROUGHNESS, IOR = 0, 3, 4, 7, 8
SPECULAR_WEIGHT, DIFFUSE_ROUGHNESS, COAT, COAT_COLOUR, COAT_ROUGHNESS, COAT_IOR = 9, 10, 11, 12, 15, 16
COAT_DARKENING, EMISSION, FUZZ, FUZZ_COLOUR, FUZZ_ROUGHNESS = 17, 18, 21, 22, 25
FILM, FILM_WEIGHT, TRANSMISSION, TRANSMISSION_COLOUR, SOFT = 26, 29, 30, 31, 34
ROWS = 37
# and those of surfaces that are brushed, thin, filled or disperse light
BRUSHED, TANGENT, COAT_BRUSHED, COAT_TANGENT = 37, 38, 41, 42
DISPERSION, THIN, SCATTERED = 45, 46, 47
MORE_ROWS = 50

# rows of the geometry beside it, (GEOMETRY_ROWS, n)
NORMAL, COAT_NORMAL, VIEW, POSITION, OWN_NORMAL = 0, 3, 6, 9, 12  # the last one without normal maps and bump
GEOMETRY_ROWS = 15

# rows of what a point reflects, (REFLECTED, 3) by channel
ALBEDO, F0, F90, SEEN_THROUGH, BRUSHED_LIGHT, COAT_LIGHT = range(6)
REFLECTED = 6

GROUND_GREY = 0.2
"""What the ground sends back to what stands on it."""

WAVELENGTHS = (0.61, 0.55, 0.465)
"""Micrometres that stand for red, green and blue."""

SPREAD = np.array([(w**-2 - 0.5876**-2) / (0.4861**-2 - 0.6563**-2) for w in WAVELENGTHS], np.float32)
"""By Cauchy's formula, how the refraction of each differs from that of yellow, in parts of blue less red (the lines
d, F and C of Abbe's number)."""
