"""Photographs of regular things that were never taken: brickwork, planks and weave, flat or seen at a slant."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache, partial

import numpy as np

from collage.core.images.colour import linear_to_srgb
from collage.demo.fields import fractal_field, soft_step, stretched

GRAIN = 1024  # pixels of the plane after which its grain comes again
FOCAL = 1.9  # of the camera that takes them, in half widths of the picture


@dataclass(frozen=True)
class RegularPhotograph:
    """pixels : (h, w, 3) uint8 in sRGB. to_plane : (3, 3), from pixels (x, y, 1) to the pattern's plane, in whose
    pixels `period` counts, across and down."""

    pixels: np.ndarray
    to_plane: np.ndarray
    period: tuple[float, float]


def _unit(row: np.ndarray, column: np.ndarray, seed: int) -> np.ndarray:
    """0..1, another number for every unit of the pattern."""
    value = np.sin(row * 127.1 + column * 311.7 + seed * 74.7) * 43758.5453
    return value - np.floor(value)  # type: ignore[no-any-return]


def _courses(
    rows: int,
    joint: tuple[float, float],
    tones: float,
    x: np.ndarray,
    y: np.ndarray,
    period: tuple[float, float],
    seed: int,
) -> tuple[np.ndarray, np.ndarray]:  # fmt: skip
    """Height and tone of units in courses; a period is one unit long and some rows high, each shifted on by its share.

    joint : where it ends and where the unit is full, as shares of a course.
    """
    long, high = period[0], period[1] / rows
    row = np.floor(y / high)
    along = x / long + (row % rows) / rows
    column = np.floor(along)
    edge = np.minimum(
        np.minimum(along - column, column + 1 - along) * long, np.minimum(y / high - row, row + 1 - y / high) * high
    )
    return soft_step(edge, joint[0] * high, joint[1] * high), tones * (_unit(row, column, seed) - 0.5)


def _weave(x: np.ndarray, y: np.ndarray, period: tuple[float, float], seed: int) -> tuple[np.ndarray, np.ndarray]:
    """Willow strips, over one and under one; a period is two strips each way."""
    u, v = x / period[0] * 2, y / period[1] * 2
    over = (np.floor(u) + np.floor(v)) % 2 > 0
    across, along = np.abs(np.sin(np.pi * v)), np.abs(np.sin(np.pi * u))
    height = np.where(over, across * (0.5 + 0.5 * along), along * (0.5 + 0.5 * across))
    strip = np.where(over, _unit(np.floor(v), np.zeros_like(u), seed), _unit(np.zeros_like(u), np.floor(u), seed + 1))
    return height, 0.3 * strip - 0.15


REGULAR: dict[str, tuple[Callable[..., tuple[np.ndarray, np.ndarray]], tuple[float, float, float], float]] = {
    "bricks": (partial(_courses, 2, (0.042, 0.112), 0.6), (0.30, 0.11, 0.07), 2 / 3),
    "planks": (partial(_courses, 3, (0.025, 0.075), 0.5), (0.26, 0.19, 0.12), 0.42),
    "weave": (_weave, (0.42, 0.33, 0.18), 1.0),
}
"""The pattern, its colour, and how high a period is to its length."""


def regular_photograph(
    kind: str, size: tuple[int, int] = (480, 640), seed: int = 5, *, period: float = 110.0,
    slant: tuple[float, float] = (0.0, 0.0), roll: float = 0.0, uneven: float = 1.0, joint: float = 0.35,
) -> RegularPhotograph:  # fmt: skip
    """A picture of (h, w) pixels of bricks, planks or weave, none of whose units are alike.

    period : the pattern's length in pixels, seen straight on. slant : degrees about the upright and the level axis that
    the wall leans away by. roll : degrees that the camera is held wrong by. uneven : how much the light falls off.
    joint : how bright joints are, where 1 is as bright as the rest.
    """
    pattern, colour, shape = REGULAR[kind]
    height, width = size
    to_plane = np.linalg.inv(_seen(size, slant, roll))
    fine = 2  # samples a pixel each way
    x, y = np.meshgrid((np.arange(width * fine) + 0.5) / fine, (np.arange(height * fine) + 0.5) / fine)
    w = to_plane[2, 0] * x + to_plane[2, 1] * y + to_plane[2, 2]
    u = (to_plane[0, 0] * x + to_plane[0, 1] * y + to_plane[0, 2]) / w
    v = (to_plane[1, 0] * x + to_plane[1, 1] * y + to_plane[1, 2]) / w
    one = (period, period * shape)
    shift = np.random.default_rng(seed).random(2)
    raised, tone = pattern(u + shift[0] * one[0], v + shift[1] * one[1], one, seed)
    grain = _grain(u, v, seed, 8.0 if kind == "planks" else 1.0)
    albedo = np.array(colour) * (1 + tone + 0.16 * grain)[..., None] * (joint + (1 - joint) * raised)[..., None]
    across, down = x / width * 2 - 1, y / height * 2 - 1
    light = 1.05 + uneven * (0.25 * across + 0.15 * down - 0.15 * (across**2 + down**2))
    shown = linear_to_srgb(np.clip(albedo * light[..., None] * 1.8, 0, 1))
    shown = shown.reshape(height, fine, width, fine, 3).mean(axis=(1, 3))
    shown += np.random.default_rng(seed).normal(0, 0.006, shown.shape)
    return RegularPhotograph(np.rint(np.clip(shown, 0, 1) * 255).astype(np.uint8), to_plane, one)


def _grain(u: np.ndarray, v: np.ndarray, seed: int, stretch: float) -> np.ndarray:
    """-1..1: what every place of the plane has of its own; longer than wide where stretched."""
    column = np.floor(u / stretch).astype(int) % GRAIN
    return _grain_field(seed)[np.floor(v).astype(int) % GRAIN, column]


@lru_cache(maxsize=8)
def _grain_field(seed: int) -> np.ndarray:
    """(GRAIN, GRAIN), -1..1."""
    return 2 * stretched(fractal_field(GRAIN, seed + 9, slope=1.3, low=12, high=300)) - 1


def _seen(size: tuple[int, int], slant: tuple[float, float], roll: float) -> np.ndarray:
    """(3, 3), from the plane's pixels to the picture's: a pinhole camera before a wall that leans and is turned."""
    height, width = size
    yaw, pitch, turn = (math.radians(one) for one in (*slant, roll))
    about_y = np.array([[math.cos(yaw), 0, math.sin(yaw)], [0, 1, 0], [-math.sin(yaw), 0, math.cos(yaw)]])
    about_x = np.array([[1, 0, 0], [0, math.cos(pitch), -math.sin(pitch)], [0, math.sin(pitch), math.cos(pitch)]])
    about_z = np.array([[math.cos(turn), -math.sin(turn), 0], [math.sin(turn), math.cos(turn), 0], [0, 0, 1]])
    turned = about_z @ about_x @ about_y
    half = width / 2
    on_wall = np.array([[1 / half, 0, -1], [0, 1 / half, -height / width], [0, 0, 1]])
    wall = np.stack([turned[:, 0], turned[:, 1], np.array([0, 0, FOCAL])], axis=1)
    camera = np.array([[half * FOCAL, 0, half], [0, half * FOCAL, height / 2], [0, 0, 1]])
    return camera @ wall @ on_wall  # type: ignore[no-any-return]
