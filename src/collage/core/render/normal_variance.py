"""Normal maps seen from afar: what their mean does not show any more is shown as roughness.

The mean of unit normals is the shorter the more they differ. M. Toksvig, Mipmapping Normal Maps, 2005, takes the
variance of slopes from its length; A. Kaplanyan et al., Filtering Distributions of Normals for Shading Antialiasing,
2016, add it to the square of the roughness that microfacets have.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.evaluate.plan import Plan
from collage.core.evaluate.steps import Const, Ref, Step, upstream
from collage.core.images.store import ImageRef, OpenImages
from collage.core.images.tiles import is_pattern
from collage.core.nodes.arithmetic import dot3
from collage.core.nodes.behaviour import Array, Context
from collage.core.nodes.surface import heighttonormal, normalmap

SUFFIX = "_variance"
ROUNDING = {8: 0.006, 16: 2e-5}
"""By the bits of a map's numbers: what their rounding may take from the length of a normal."""
MOST = 0.5  # of the variance of slopes: hardly anything is left of the map then


def variance_of_slopes(ctx: Context, scale: Array, file: ImageRef, **inputs: Array) -> Array:
    """(1, n): of the slopes of a normal map's texels, along one direction, that its mean stands for.

    in : (3, n) the map as stored, 0..1 for -1..1, averaged over the picture's pixels. scale : its strength.
    file : an image that it is made of; none where the path is empty.
    """
    value = inputs["in"] * 2 - 1
    length = np.sqrt(dot3(value, value))
    lost = np.clip(1 - length, 0, 1)
    if file.path and ctx.images is not None:
        rounding = ROUNDING.get(_bits(ctx.images, file), 0.0)
        lost = lost * np.clip(lost / max(rounding, 1e-9) - 1, 0, 1)
    strength = (scale[:1] ** 2 + scale[-1:] ** 2) / 2
    return np.minimum(lost / np.maximum(length, 1e-3) * strength, MOST)


def _bits(images: OpenImages, file: ImageRef) -> int:
    """What a map's numbers are kept in; of numbered tiles those of the first one, of a broken file the usual 8."""
    one = next(iter(images.tiles(file).values()), None) if is_pattern(file.path) else file
    try:
        return images.open(one).bits if one is not None else 8
    except CollageError:
        return 8


def with_variances(plan: Plan, names: tuple[str, ...]) -> Plan:
    """The plan with a further output for each of the named ones that is a normal map: its name and SUFFIX."""
    steps = {step.key: step for step in plan.steps}
    outputs, added = dict(plan.outputs), dict[str, Step]()
    for name in names:
        source = plan.outputs.get(name)
        step = steps.get(source.key) if isinstance(source, Ref) else None
        if step is None or step.function is not normalmap or not isinstance(step.sources["in"], Ref):
            continue
        if is_made_by((heighttonormal,), step.sources["in"], steps):  # see `bump_variance`
            continue
        file = Const(_first_image(step, steps), "filename")
        wanted = {"in": step.sources["in"], "scale": step.sources["scale"], "file": file}
        key = f"variance {step.key}"
        added[key] = Step(
            key, variance_of_slopes, "float", step.shift, wanted, keep=False, spatial=True
        )  # it looks at images
        outputs[name + SUFFIX] = Ref(key, "float")
    return replace(plan, steps=(*plan.steps, *added.values()), outputs=outputs) if added else plan


def is_made_by(functions: tuple[Callable[..., Any], ...], source: Ref, steps: Mapping[str, Step]) -> bool:
    """Whether one of some functions takes part in a result. steps : all, by key."""
    return any(step.function in functions for step in upstream([source], steps))


def _first_image(step: Step, steps: Mapping[str, Step]) -> ImageRef:
    """The image next to a step among all that it is made of; one without a path where there is none."""
    for one in upstream([Ref(step.key, step.type)], steps):
        for source in one.sources.values():
            if isinstance(source, Const) and isinstance(source.value, ImageRef) and source.value.path:
                return source.value
    return ImageRef("")


def widened(roughness: Array, variance: Array) -> Array:
    """Roughness with the variance of slopes added, as squares of the width of the microfacets' distribution."""
    return np.asarray(np.minimum(np.maximum(roughness, 0) ** 4 + 2 * variance, 1) ** 0.25)
