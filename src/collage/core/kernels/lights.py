"""Columns of the table of lights that kernels read, (lights, COLUMNS) float32."""

from __future__ import annotations

KIND = 0
CENTRE = 1  # of a rectangle
RIGHT, UP = 4, 7  # half sides of a rectangle, or slopes to the edge of a distant disc
DIRECTION = 10  # in which it shines
COLOUR = 13  # radiance of a rectangle, irradiance of a distant light
SIZE = 16  # slope of a distant light's radius
COLUMNS = 17

DISTANT, AREA = 0, 1
