"""From a material's network to the packed surface that the shading kernel takes."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from collage.core.base.errors import CollageError
from collage.core.document.model import Card, Network
from collage.core.evaluate.literals import LOUD, Loud
from collage.core.evaluate.plan import CardInput, CardOutput, Place, Plan, build_plan
from collage.core.evaluate.run import ResultCache, Workers, never, run
from collage.core.evaluate.steps import Const
from collage.core.geometry.points import Points
from collage.core.images.store import ImageRef, ImageStore
from collage.core.kernels import Family
from collage.core.kernels import packed as k
from collage.core.nodes.behaviour import Array
from collage.core.nodes.library import Library
from collage.core.nodes.surfaces import as_open_pbr
from collage.core.render.bump_variance import bumps_of
from collage.core.render.channels import CHANNELS, DEFAULTS, SHOWN
from collage.core.render.inside import PathLength, medium, no_path
from collage.core.render.normal_variance import SUFFIX, widened, with_variances

kernels = Family("shading")

NITS = 1000.0
"""Luminance (nits) that counts as radiance 1."""

WEIGHT = "weight"
NORMAL, COAT_NORMAL, OPACITY = "geometry_normal", "geometry_coat_normal", "geometry_opacity"
TANGENT, COAT_TANGENT, THIN = "geometry_tangent", "geometry_coat_tangent", "geometry_thin_walled"
BRUSHED, COAT_BRUSHED = "specular_roughness_anisotropy", "coat_roughness_anisotropy"

_TAKEN_OVER = tuple(channel for channel in CHANNELS if channel.row is not None)

CLAY = {"base_color": 0.46, "specular_roughness": 0.62, "base_diffuse_roughness": 0.4}
"""The even grey surface of the clay view."""


@dataclass(frozen=True)
class Surface:
    """A material's surface, ready to run: its plan, and what was wrong with the network."""

    plan: Plan
    problems: Mapping[Place, CollageError]
    bumps: Plan | None = None  # its normals that are made of heights, see bump_variance

    @cached_property
    def without_bumps(self) -> Surface:
        """The same without the normals of `bumps`."""
        left = {name: one for name, one in self.plan.outputs.items() if self.bumps and name not in self.bumps.outputs}
        return replace(self, plan=replace(self.plan, outputs=left)) if self.bumps else self

    @cached_property
    def images(self) -> list[ImageRef]:
        """All images that it reads."""
        sources = (source for step in self.plan.steps for source in step.sources.values())
        return [one.value for one in sources if isinstance(one, Const) and isinstance(one.value, ImageRef)]

    @cached_property
    def key(self) -> str:
        """A name for all that the surface's inputs are: equal names, equal values at the same points."""
        parts = [
            f"{name} {source.key if isinstance(source, Const) else source.name}"
            for name, source in self.plan.outputs.items()
        ]
        return hashlib.blake2b("\n".join(parts).encode(), digest_size=16).hexdigest()


def plan_surface(
    library: Library,
    network: Network,
    *,
    folder: Any = None,
    images: ImageStore | None = None,
    loud: Loud = LOUD,
    until: float | None = None,
    inputs: Collection[str] | None = None,
    before: Surface | None = None,
) -> Surface:
    """The plan for every input of the material's surface that the draft picture uses, or for some of them.

    until : see `build_plan`. before : see `plan_targets`.
    """
    try:
        shown = as_open_pbr(library, network)
    except CollageError as error:
        return Surface(Plan((), {}), {((), error.about): error})
    targets: dict[str, CardInput | CardOutput] = {
        name: CardInput(shown.surface.name, name) for name in _looked_at(shown.surface, inputs)
    }
    for number, (card, weight) in enumerate(shown.layers):
        if weight is not None:
            targets[f"{number}/{WEIGHT}"] = CardOutput(weight)
            targets |= {f"{number}/{name}": CardInput(card.name, name) for name in _looked_at(card, inputs)}
    return plan_targets(library, shown.network, targets, before, folder=folder, images=images, loud=loud, until=until)


def plan_targets(
    library: Library, network: Network, targets: Mapping[str, CardInput | CardOutput], before: Surface | None = None,
    **how: Any,
) -> Surface:  # fmt: skip
    """The plan for some targets of a material, and what was wrong.

    before : the same of the network as it was, its image files unchanged. how : as `build_plan` takes it.
    """
    plan = build_plan(library, network, targets, before=before.plan if before is not None else None, **how)
    if before is not None and plan is before.plan:
        return before
    normals = tuple(name for name in targets if name.endswith((NORMAL, COAT_NORMAL)))
    plan = with_variances(plan, normals)
    return Surface(plan, plan.problems, bumps_of(plan, normals))


def _looked_at(surface: Card, inputs: Collection[str] | None) -> tuple[str, ...]:
    """The inputs that count; tangents only where something may be brushed."""
    if inputs is not None:
        return tuple(inputs)
    return SHOWN + tuple(
        tangent for brushed, tangent in ((BRUSHED, TANGENT), (COAT_BRUSHED, COAT_TANGENT)) if brushed in surface.inputs
    )


def layers_of(values: Mapping[str, Array]) -> list[tuple[Array | None, Mapping[str, Array]]]:
    """The surfaces to draw, each with its weight (1, n) or (1, 1); one with none where nothing is mixed."""
    found: list[tuple[Array | None, Mapping[str, Array]]] = []
    while f"{len(found)}/{WEIGHT}" in values:
        start = f"{len(found)}/"
        own = {name.removeprefix(start): value for name, value in values.items() if name.startswith(start)}
        found.append((np.clip(np.nan_to_num(own.pop(WEIGHT)), 0, 1), own))
    return found or [(None, values)]


def evaluate_surface(
    surface: Surface,
    points: Points,
    *,
    cache: ResultCache | None = None,
    workers: Workers | None = None,
    cancelled: Callable[[], bool] = never,
) -> dict[str, Array]:
    """The value of every input by its name, (k, n) or (k, 1)."""
    return run(surface.plan, points, cache=cache, workers=workers, cancelled=cancelled)


def value_of(values: Mapping[str, Array], name: str) -> Array:
    """An input's value, or its default (k, 1) where the plan has none."""
    if name in values:
        return values[name]
    return np.array(DEFAULTS[name], np.float32).reshape(-1, 1)


def clay(values: Mapping[str, Array]) -> dict[str, Array]:
    """The clay surface with this material's normals and opacity: relief alone."""
    kept = {name: values[name] for name in (NORMAL, NORMAL + SUFFIX, OPACITY) if name in values}
    if NORMAL in kept:
        kept[COAT_NORMAL] = kept[NORMAL]
    for name, number in CLAY.items():
        kept[name] = np.full((len(DEFAULTS[name]), 1), number, np.float32)
    return kept


def pack(
    values: Mapping[str, Array], points: Points, start: int, stop: int, path_length: PathLength = no_path
) -> tuple[Array, Array, Array]:
    """Rows for the shading kernel for the points from `start` to `stop`: surface, normal, coat normal.

    path_length : asked for transparent surfaces that are filled with something, at these points.
    Returns (ROWS or MORE_ROWS, n), (3, n) and (3, n) float32.
    """
    count = stop - start

    def cut(name: str) -> Array:
        value = value_of(values, name)
        return value if value.shape[1] == 1 else value[:, start:stop]

    more = _needs_more(cut)
    packed = np.empty((k.MORE_ROWS if more else k.ROWS, count), np.float32)
    under = cut("subsurface_weight")  # scattering inside is shown as diffuse of its own colour
    colour = cut("base_color")
    if under.any():
        colour = colour * (1 - under) + cut("subsurface_color") * under
        packed[k.SOFT : k.SOFT + 3] = under * _softness(cut)
    else:
        packed[k.SOFT : k.SOFT + 3] = 0
    packed[k.BASE : k.BASE + 3] = colour * cut("base_weight")
    packed[k.EMISSION : k.EMISSION + 3] = cut("emission_color") * (cut("emission_luminance") / NITS)
    for channel in _TAKEN_OVER:
        value = cut(channel.name)
        assert channel.row is not None
        low, high = channel.limits or (None, None)
        value = value if low is None else np.maximum(value, low)
        value = value if high is None else np.minimum(value, high)
        packed[channel.row : channel.row + len(value)] = value
    for name, row in ((NORMAL, k.ROUGHNESS), (COAT_NORMAL, k.COAT_ROUGHNESS)):
        if name + SUFFIX in values:
            packed[row] = widened(packed[row], cut(name + SUFFIX)[0])
    if more:
        _pack_more(packed, cut, points, start, stop, path_length)
    packed[k.FILM_WEIGHT] = np.clip(cut("thin_film_weight"), 0, 1)
    if cut("thin_film_weight").any():
        facing = _facing(points, start, stop)
        packed[k.FILM : k.FILM + 3] = film_reflection(
            _reflected(packed), facing, cut("thin_film_thickness"), cut("thin_film_ior")
        )
    else:
        packed[k.FILM : k.FILM + 3] = 0
    if not np.isfinite(packed.sum()):  # one sum tells whether any of them is no number
        np.nan_to_num(packed, copy=False, nan=0.0, posinf=1e4, neginf=-1e4)
    normal = normal_of(values.get(NORMAL), points, start, stop)
    coat = normal_of(values.get(COAT_NORMAL), points, start, stop)
    return packed, normal, coat


Cut = Callable[[str], Array]

CURVED = 0.05
"""Metres: the rounding of a surface for which the draft picture judges how far light wanders inside."""


def _softness(cut: Cut) -> Array:
    """How much light wanders past the edge of a shadow, (3, n): all of it where it goes far beyond the rounding."""
    forward = np.clip(cut("subsurface_scatter_anisotropy"), -1, 0.95)
    far = np.maximum(cut("subsurface_radius") * cut("subsurface_radius_scale"), 0) / (1 - forward)
    return np.where(cut(THIN) > 0, 1, far / (far + CURVED))


def _needs_more(cut: Cut) -> bool:
    """Whether the surface is brushed, thin, filled or parts colours."""
    if cut(BRUSHED).any() or (cut(COAT_BRUSHED).any() and cut("coat_weight").any()):
        return True
    if cut(THIN).any() and cut("subsurface_weight").any():
        return True
    inside = any(cut(name).any() for name in ("transmission_depth", "transmission_dispersion_scale", THIN))
    return inside and bool(cut("transmission_weight").any())


def _pack_more(packed: Array, cut: Cut, points: Points, start: int, stop: int, path_length: PathLength) -> None:
    packed[k.BRUSHED], packed[k.COAT_BRUSHED] = np.clip(cut(BRUSHED), 0, 1), np.clip(cut(COAT_BRUSHED), 0, 1)
    own = points.tangent[:, start:stop]
    for row, name in ((k.TANGENT, TANGENT), (k.COAT_TANGENT, COAT_TANGENT)):
        try:
            packed[row : row + 3] = cut(name)
        except KeyError:  # the plan leaves it out where nothing is brushed
            packed[row : row + 3] = own
    packed[k.THIN] = thin = cut(THIN) > 0
    parts = np.maximum(
        cut("transmission_dispersion_abbe_number") / np.maximum(cut("transmission_dispersion_scale"), 1e-9), 1e-9
    )
    packed[k.DISPERSION] = np.where(thin, 0, (packed[k.IOR] - 1) / parts)
    packed[k.SCATTERED : k.SCATTERED + 3] = 0
    depth = np.broadcast_to(cut("transmission_depth"), (1, packed.shape[1]))
    filled = (depth > 0) & ~np.broadcast_to(thin, depth.shape) & (packed[k.TRANSMISSION] > 0)
    if filled.any():
        way = path_length(np.maximum(packed[k.IOR], 1.0001))
        left, back = medium(
            way, depth, cut("transmission_color"), cut("transmission_scatter"), cut("transmission_scatter_anisotropy")
        )
        colour = packed[k.TRANSMISSION_COLOUR : k.TRANSMISSION_COLOUR + 3]
        colour[:] = np.where(filled, left, colour)
        packed[k.SCATTERED : k.SCATTERED + 3] = np.where(filled, back, 0)


def film_reflection(base: Array, facing: Array, thickness: Array, ior: Array) -> Array:
    """How much a surface under a thin film reflects, (3, n).

    base : (3, n) reflection of the bare surface straight on. facing : (1, n) cosine to the eye.
    thickness : micrometres. ior : of the film. Airy's sum of all bounces inside the film, with the two
    reflections straight on (Born and Wolf, Principles of Optics, 7.6); its fringes fade where the film is thick
    for the width of a colour's band.
    """
    ior = np.maximum(ior, 1.0001)
    outer = (1 - ior) / (1 + ior)
    root = np.sqrt(np.clip(base, 0, 0.9999))
    index = (1 + root) / (1 - root)  # of the bare surface, from its reflection
    inner = (ior - index) / (ior + index)
    inside = np.sqrt(np.maximum(1 - (1 - facing * facing) / (ior * ior), 0))
    path = 2 * ior * thickness * inside
    waves = np.array(k.WAVELENGTHS, np.float32).reshape(3, 1)
    fade = np.exp(-((path / 3.0) ** 2))
    turn = np.cos(2 * np.pi * path / waves) * fade
    product = 2 * outer * inner * turn
    return (outer**2 + inner**2 + product) / (1 + outer**2 * inner**2 + product)


def _reflected(packed: Array) -> Array:
    """What the bare surface reflects straight on."""
    ratio = (packed[k.IOR] - 1) / (packed[k.IOR] + 1)
    plain = np.clip(ratio * ratio * packed[k.SPECULAR_WEIGHT], 0, 1) * packed[k.SPECULAR : k.SPECULAR + 3]
    metal = packed[k.METAL]
    return plain * (1 - metal) + np.clip(packed[k.BASE : k.BASE + 3], 0, 1) * metal


def _facing(points: Points, start: int, stop: int) -> Array:
    if points.view is None:
        return np.ones((1, stop - start), np.float32)
    slant = (points.view[:, start:stop] * points.normal[:, start:stop]).sum(axis=0)
    return np.abs(slant)[None]


def normal_of(value: Array | None, points: Points, start: int, stop: int) -> Array:
    """A normal as an input gives it, of length 1, (3, n); the points' own where there is none or it is no direction."""
    own = points.normal[:, start:stop]
    if value is None:
        return np.ascontiguousarray(own)
    value = value[:, start:stop] if value.shape[1] > 1 else np.broadcast_to(value, own.shape)
    out = np.empty(own.shape, np.float32)
    kernels.unit_normals(np.asarray(value, np.float32), own, out)
    return out


def is_see_through(surface: Surface) -> bool:
    """Whether some of the surface may let the eye through."""
    opacity = surface.plan.outputs.get(OPACITY)
    return opacity is not None and not (isinstance(opacity, Const) and float(opacity.value.min()) >= 1)
