"""How an environment's filtered maps lie in one array of texels; see render.environment.

First the levels of ROUGHNESSES, each a square of SIZES with a border of one texel, then the irradiance.
"""

from __future__ import annotations

import numpy as np

ROUGHNESSES = np.array([0.0, 0.1, 0.2, 0.35, 0.5, 0.7, 1.0], np.float32)
IRRADIANCE_SIZE = 32
SIZES = np.array([512, 256, 128, 64, 32, 32, 32, IRRADIANCE_SIZE], np.int32)
STARTS = np.concatenate([[0], np.cumsum((SIZES[:-1] + 2) ** 2)]).astype(np.int32)
IRRADIANCE = len(ROUGHNESSES)  # the last map
