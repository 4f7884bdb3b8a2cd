"""Rows of the paths that kernels.paths carries on, (ROWS, n) float32, and of what it knows of the environment."""

from __future__ import annotations

CARRIED = 0  # what of the light at the path's end reaches the eye, by channel
DENSITY = 3  # of the way it took, per steradian; FROM_EYE and REFRACTED are told by numbers that no density is
WIDTH, WIDENING = 4, 5  # how far from the eye a pixel would be as wide as the path, metres, and how much more a metre
INSIDE = 6  # index of refraction of what the path goes through; 0 for air, UNDER below a matt surface
ABSORBED, SCATTERED = 7, 10  # light lost there, and sent another way, per metre, by channel
FORWARD = 13  # the mean cosine of that way
ROWS = 14

FROM_EYE, REFRACTED = 0.0, -1.0
UNDER = -1.0

# rows of what a point has beside its surface
OPACITY = 0
FILLED = 1  # light absorbed and scattered in what is transparent, per metre, by channel, and its mean cosine
WALKS = 8  # whether light wanders below the surface here; then the colour that comes back in the mean
COLOUR = 9
BELOW = 12  # as FILLED, of what it wanders in
MORE = 19

# rows of what the eye sees of a surface
BASE_COLOUR, SEEN_NORMAL, SEEN_POSITION, SEEN_ROUGHNESS, DEPTH, COVERED, OCCLUSION = 0, 3, 6, 9, 10, 11, 12
SEEN = 13

# settings of a picture
SINE, COSINE, STRENGTH, BRIGHTEST, FOCAL_LENGTH = range(5)  # the first three of the environment
SETTINGS = 5
GUIDES = 128  # steps from which a direction of the environment is looked for, see kernels.emitters.Sky

LOOKS = 5  # for light, from the first surface that the eye sees: what is known there is dear, and rays are not
SKY_CELLS = 64  # a side, of the pool of directions to the environment, see paths.fill_pool
