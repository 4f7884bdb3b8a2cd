"""Hits of a run of points kept as rows, so that what is asked of many is asked of several at once.

Helpers of kernels.scattering, compiled into it. Row and point together are one index of one array: a compiler sees from
it that no row runs into another.
"""

from __future__ import annotations

from numba import njit

from collage.core.kernels.flags import INLINE, RUN
from collage.core.kernels.lobes import Hit, Lobes, Microfacets

NORMAL, TANGENT, BITANGENT, SLOPES = 0, 3, 6, 9
COAT_NORMAL, COAT_TANGENT, COAT_BITANGENT, COAT_SLOPES = 11, 14, 17, 20
OWN_NORMAL, EYE, NV, TURNED_AWAY = 22, 25, 28, 29
ALBEDO, F0, F90, SEEN_THROUGH, BODY = 30, 33, 36, 39, 42
FUZZ, COAT, COAT_F0, LOBES = 45, 46, 47, 48
# behind the rows of a hit what becomes of the path
CARRIED = 53  # what of the light from here reaches the eye, by channel; 0 where none is looked for
KIND, LOBE, LIKELY_LOBE = 56, 57, 58
ENTERING, UNDER = 59, 62  # what goes below a matt surface, by channel, and how often that is followed
WAY, LIGHT, LIKELY, DIVIDED, FAR = 63, 66, 69, 70, 71  # to where light is looked for, or where the path goes on
SENT = 72  # by channel: of that light, or carried on
ROWS = 75


@njit(**INLINE)
def three(room, row, i):
    """A 3-vector or colour of a point."""
    return room[row * RUN + i], room[(row + 1) * RUN + i], room[(row + 2) * RUN + i]


@njit(**INLINE)
def put_three(room, row, i, values):
    """Keeps a 3-vector or colour of a point."""
    room[row * RUN + i], room[(row + 1) * RUN + i], room[(row + 2) * RUN + i] = values


@njit(**INLINE)
def _put_facets(room, row, i, facets):
    put_three(room, row, i, facets.normal)
    put_three(room, row + TANGENT, i, facets.tangent)
    put_three(room, row + BITANGENT, i, facets.bitangent)
    room[(row + SLOPES) * RUN + i], room[(row + SLOPES + 1) * RUN + i] = facets.along, facets.across


@njit(**INLINE)
def _facets(room, row, i):
    frame = three(room, row, i), three(room, row + TANGENT, i), three(room, row + BITANGENT, i)
    along, across = room[(row + SLOPES) * RUN + i], room[(row + SLOPES + 1) * RUN + i]
    return Microfacets(frame[0], frame[1], frame[2], along, across)


@njit(**INLINE)
def put_lobes(room, i, lobes):
    """Keeps how often each lobe of a point is followed."""
    room[LOBES * RUN + i], room[(LOBES + 1) * RUN + i] = lobes.diffuse, lobes.mirror
    put_three(room, LOBES + 2, i, (lobes.through, lobes.coat, lobes.behind))


@njit(**INLINE)
def put_hit(room, i, hit, has):
    """Keeps a hit as point i of the run."""
    _put_facets(room, NORMAL, i, hit.facets)
    if has.coat:
        _put_facets(room, COAT_NORMAL, i, hit.coat_facets)
    put_three(room, OWN_NORMAL, i, hit.own_normal)
    put_three(room, EYE, i, hit.eye)
    room[NV * RUN + i], room[TURNED_AWAY * RUN + i] = hit.nv, hit.turned_away
    put_three(room, ALBEDO, i, hit.albedo)
    put_three(room, F0, i, hit.f0)
    put_three(room, F90, i, hit.f90)
    put_three(room, SEEN_THROUGH, i, hit.seen_through)
    put_three(room, BODY, i, hit.body)
    put_three(room, FUZZ, i, (hit.fuzz, hit.coat, hit.coat_f0))
    put_lobes(room, i, hit.lobes)


@njit(**INLINE)
def hit_of(room, i, at, has):
    """The hit that is kept as point i of the run. at : its column of the surface."""
    facets = _facets(room, NORMAL, i)
    coat_facets = _facets(room, COAT_NORMAL, i) if has.coat else facets
    fuzz, coat, coat_f0 = three(room, FUZZ, i)
    through, coat_lobe, behind = three(room, LOBES + 2, i)
    lobes = Lobes(room[LOBES * RUN + i], room[(LOBES + 1) * RUN + i], through, coat_lobe, behind)
    return Hit(
        at, three(room, OWN_NORMAL, i), three(room, EYE, i), room[NV * RUN + i], room[TURNED_AWAY * RUN + i],
        three(room, ALBEDO, i), three(room, F0, i), three(room, F90, i), three(room, SEEN_THROUGH, i),
        three(room, BODY, i), fuzz, coat, coat_f0, lobes, facets, coat_facets,
    )  # fmt: skip
