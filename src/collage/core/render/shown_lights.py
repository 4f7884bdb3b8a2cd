"""Lights that the eye sees, drawn into a draft picture: over all that lies behind them."""

from __future__ import annotations

import numpy as np

from collage.core.render.film import OPEN
from collage.core.render.samples import Samples
from collage.core.scene.cameras import Camera
from collage.core.scene.lights import AreaLight, Light, in_cone

ACROSS = 3  # places a pixel, in each direction, at which it is looked whether a light is there


def draw_lights(
    film: np.ndarray, lights: tuple[Light, ...], camera: Camera, size: tuple[int, int], samples: Samples
) -> None:
    """Draws the visible ones of some lights into what was exposed (pixels, 4). size : of the whole picture."""
    for light in lights:
        if isinstance(light, AreaLight) and light.visible:
            _draw(film, light, camera, size, samples)


def _draw(film: np.ndarray, light: AreaLight, camera: Camera, size: tuple[int, int], samples: Samples) -> None:
    number = np.arange(len(film)) if samples.places is None else samples.places
    x, y = number % size[0], number // size[0]
    low, high = _box(light, camera, size)
    here = np.flatnonzero((x >= low[0]) & (x <= high[0]) & (y >= low[1]) & (y <= high[1]))
    if not len(here):
        return
    far, seen, sent = _distance(samples, camera, here), np.zeros(len(here)), np.zeros(len(here))
    for step in range(ACROSS * ACROSS):
        across, down = (step % ACROSS + 0.5) / ACROSS, (step // ACROSS + 0.5) / ACROSS
        ways = camera.ways(np.stack([x[here] + across, y[here] + down], axis=1), *size)
        away, share = _met(light, camera.position(), ways.astype(np.float64))
        hit = (away > 0) & (away < far)
        seen += hit
        sent += np.where(hit, share, 0)
    seen, sent = seen / ACROSS**2, sent / ACROSS**2
    film[here] *= (1 - seen[:, None]).astype(np.float32)
    film[here, :OPEN] += sent[:, None].astype(np.float32) * light.radiant().astype(np.float32)


def _box(light: AreaLight, camera: Camera, size: tuple[int, int]) -> tuple[np.ndarray, np.ndarray]:
    """The pixels in which a light may be seen, (2,) the least and the greatest."""
    centre, right, up, _ = light.frame()
    reach = float(np.sqrt(right @ right + up @ up))
    axes, ahead = camera.axes(), float((centre - camera.position()) @ camera.axes()[2])
    if ahead < 2 * reach:  # beside the eye it may be anywhere
        return np.zeros(2), np.array(size)
    corners = centre + np.array([(a * axes[0] + b * axes[1] - axes[2]) * reach for a in (-1, 1) for b in (-1, 1)])
    places = camera.seen(corners, *size)
    return places.min(axis=0) - 1, places.max(axis=0) + 1


def _distance(samples: Samples, camera: Camera, here: np.ndarray) -> np.ndarray:
    """(n,) metres to what is in the middle of some pixels, endless where there is nothing."""
    middle = samples.grid.reshape(-1)[here]
    if not samples.count:
        return np.full(len(here), np.inf)
    away = np.linalg.norm(samples.position[:, middle].T - camera.position(), axis=1)
    return np.where(middle >= 0, away, np.inf)


def _met(light: AreaLight, eye: np.ndarray, ways: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """How far rays (n, 3) go to the lit side of a light, 0 where they miss it; and what share it sends there."""
    centre, right, up, out = light.frame()
    share = in_cone(light, -ways @ out)
    if light.shape == "ball":
        from_centre = eye - centre
        along = ways @ from_centre
        nearest = from_centre - along[:, None] * ways
        inside = (light.width / 2) ** 2 - (nearest**2).sum(axis=1)
        return np.where(inside > 0, -along - np.sqrt(np.maximum(inside, 0)), 0), share
    facing = -ways @ out
    away = ((eye - centre) @ out) / np.maximum(facing, 1e-9)
    place = eye + ways * away[:, None] - centre
    a, b = place @ right / (right @ right), place @ up / (up @ up)
    within = a * a + b * b <= 1 if light.shape == "disc" else (np.abs(a) <= 1) & (np.abs(b) <= 1)
    return np.where(within & (facing > 1e-6), away, 0), share
