"""The table of reflected energy: how much light a GGX surface sends back, by angle and roughness."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

SIZE = 32  # kernels.shading.TABLE


@lru_cache(maxsize=1)
def energy_table(samples: int = 512) -> np.ndarray:
    """Parts A and B of the reflected energy F0 A + F90 B, per roughness (rows) and cosine (columns).

    Integrated over the GGX lobe with Smith's height-correlated shadowing (B. Karis, Real Shading in Unreal Engine 4,
    SIGGRAPH 2013 course; E. Heitz, Understanding the Masking-Shadowing Function in Microfacet-Based BRDFs, JCGT 3(2),
    2014).
    Returns (SIZE, 2 * SIZE) float32, A and B by turns.
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
    table = table.reshape(SIZE, 2 * SIZE).astype(np.float32)
    table.flags.writeable = False
    return table
