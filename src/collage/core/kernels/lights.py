"""Columns of the table of lights that kernels read, (lights, COLUMNS) float32."""

from __future__ import annotations

KIND = 0
CENTRE = 1  # of all but a distant light
RIGHT, UP = 4, 7  # half sides of a rectangle, radii of a disc, or slopes to the edge of a distant disc
DIRECTION = 10  # in which it shines
COLOUR = 13  # radiance, of a distant light its irradiance
SIZE = 16  # slope of a distant light's radius; radius of a ball, metres
CONE, FULL = 17, 18  # cosines of the angles past which nothing is lit, and up to which all is; NO_CONE for no cone
VISIBLE = 19  # 1 where the eye sees it
COLUMNS = 20

DISTANT, AREA, DISC, BALL = 0, 1, 2, 3
NO_CONE = -2.0
AS_SQUARE = 0.8862269  # half the side of a square over the radius of a disc that is as large
