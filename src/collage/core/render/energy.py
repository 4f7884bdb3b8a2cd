"""The table of reflected energy: how much light a GGX surface sends back, by angle and roughness."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

SIZE = 32  # kernels.reflection.TABLE
STEPS, BRUSHED = 8, 5  # kernels.reflection: of angles, turns and roughness; and of how strongly it is brushed
BRUSHED_ROWS = BRUSHED * STEPS


@lru_cache(maxsize=1)
def energy_table(samples: int = 512) -> np.ndarray:
    """Parts A and B of the reflected energy F0 A + F90 B, per roughness (rows) and cosine (columns).

    Integrated over the GGX lobe with Smith's height-correlated shadowing (B. Karis, Real Shading in Unreal Engine 4,
    SIGGRAPH 2013 course; E. Heitz, Understanding the Masking-Shadowing Function in Microfacet-Based BRDFs, JCGT 3(2),
    2014).
    Returns (SIZE + BRUSHED_ROWS, 2 * SIZE) float32, A and B by turns, and below them see `_of_brushed`.
    """
    cosine = np.maximum(np.linspace(0, 1, SIZE), 1e-3)[None, :, None]
    rough = np.maximum(np.linspace(0, 1, SIZE), 0.02)[:, None, None]
    a2 = rough**4
    k = np.arange(samples)
    first = ((k + 0.5) / samples)[None, None, :]
    second = ((k * 0.6180339887498949) % 1.0)[None, None, :]
    nh = np.sqrt((1 - first) / (1 + (a2 - 1) * first))
    sine = np.sqrt(1 - nh**2)
    hx = sine * np.cos(2 * np.pi * second)
    vh = hx * np.sqrt(1 - cosine**2) + nh * cosine
    nl = 2 * vh * nh - cosine
    lit = (nl > 0) & (vh > 0)
    nl, vh = np.maximum(nl, 1e-6), np.maximum(vh, 1e-6)
    gv = nl * np.sqrt(cosine**2 * (1 - a2) + a2)
    gl = cosine * np.sqrt(nl**2 * (1 - a2) + a2)
    weight = np.where(lit, 2 * nl * cosine / (gv + gl) * vh / (nh * cosine), 0)
    fresnel = (1 - vh) ** 5
    table = np.stack([((1 - fresnel) * weight).mean(-1), (fresnel * weight).mean(-1)], axis=-1)
    table = np.concatenate([table.reshape(SIZE, 2 * SIZE), _of_brushed()]).astype(np.float32)
    table.flags.writeable = False
    return table


def _of_brushed(samples: int = 128) -> np.ndarray:
    """(BRUSHED_ROWS, STEPS * STEPS): how much more a brushed surface sends back than one as rough that is not.

    Rows : by how strongly it is brushed, then by roughness. Columns : by the square of the cosine between the eye and
    the wide slopes, seen from above, then by the root of the cosine to the normal. Over the normals that the eye sees
    (E. Heitz, Sampling the GGX Distribution of Visible Normals, JCGT 7(4), 2018).
    """
    step = np.linspace(0, 1, STEPS, dtype=np.float32)
    brushed, rough, turn, angle = np.meshgrid(
        np.linspace(0, 1, BRUSHED, dtype=np.float32), step, step, step, indexing="ij"
    )
    narrow, rough = 1 - np.minimum(brushed, 0.99), np.maximum(rough, 0.05)
    along = rough**2 * np.sqrt(2 / (1 + narrow**2))
    up = np.clip(angle**2, 0.02, 0.9999)  # straight from above there is no turn
    eye = np.stack([np.sqrt((1 - up**2) * turn), np.sqrt((1 - up**2) * (1 - turn)), up])
    once = np.s_[:1, :, :1]  # without brushing every turn is alike
    slope = rough[once] ** 2
    plain = _sent_back(slope, slope, eye[:, :1, :, :1], samples)
    return (_sent_back(along, along * narrow, eye, samples) / plain).reshape(BRUSHED_ROWS, STEPS * STEPS)


def _sent_back(along: np.ndarray, across: np.ndarray, eye: np.ndarray, samples: int) -> np.ndarray:
    """The share of light that a white surface of these slopes sends back to `eye` (3, ...) after one meeting."""
    x, y, z = along * eye[0], across * eye[1], eye[2]
    long = np.sqrt(x * x + y * y + z * z)
    x, y, z = x / long, y / long, z / long
    flat = np.sqrt(np.maximum(x * x + y * y, 1e-12))
    total, seen = np.zeros_like(z), _hidden(along, across, eye)
    for number in range(samples):
        radius, angle = np.sqrt((number + 0.5) / samples), 2 * np.pi * (number * 0.6180339887498949 % 1)
        a, b = radius * np.cos(angle), radius * np.sin(angle)
        b = (1 - (1 + z) / 2) * np.sqrt(max(1 - a * a, 0.0)) + (1 + z) / 2 * b
        c = np.sqrt(np.maximum(1 - a * a - b * b, 0))
        hx = along * (-y / flat * a - z * x / flat * b + x * c)
        hy = across * (x / flat * a - z * y / flat * b + y * c)
        hz = np.maximum(flat * b + z * c, 1e-6)
        size = np.sqrt(hx * hx + hy * hy + hz * hz)
        meets = 2 * (hx * eye[0] + hy * eye[1] + hz * eye[2]) / size
        lx, ly, lz = meets * hx / size - eye[0], meets * hy / size - eye[1], meets * hz / size - eye[2]
        total += np.where(lz > 0, (1 + seen) / (1 + seen + _hidden(along, across, np.stack([lx, ly, lz]))), 0)
    return total / samples


def _hidden(along: np.ndarray, across: np.ndarray, way: np.ndarray) -> np.ndarray:
    """Smith's function of masking, Lambda."""
    slope = ((along * way[0]) ** 2 + (across * way[1]) ** 2) / np.maximum(way[2], 1e-6) ** 2
    return np.asarray((np.sqrt(1 + slope) - 1) / 2)
