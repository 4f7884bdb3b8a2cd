"""What is probably a mistake in a mesh, and what mends it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from collage.core.base.text import counted
from collage.core.geometry.mesh import Mesh, smooth_normals
from collage.core.geometry.raw import FIRST_SET
from collage.core.geometry.topology import connected, edge_keys

NEAR = 1e-5  # of the size: vertices on open borders that lie so close were meant to be one
FLAT = 1e-12  # of the square of the size: the area of a face that has none


@dataclass(frozen=True)
class MeshRemark:
    """One remark. kind : as in `REMEDIES`. count : how often. text : a sentence. remedy : what a button says; empty
    where nothing is to be done by itself."""

    kind: str
    count: int
    text: str
    remedy: str = ""


def mesh_remarks(mesh: Mesh) -> list[MeshRemark]:
    """What is probably wrong, the worst first."""
    edges = _Edges(mesh)
    empty, double, turned = len(_empty(mesh)), len(_double(mesh)), int(_turned(mesh, edges).sum())
    near = len(_near_pairs(mesh, edges))
    found = [
        MeshRemark("turned", turned, f"{counted(turned, 'face')} point inwards.", "Turn them outwards"),
        MeshRemark("double", double, f"{counted(double, 'face')} lie on others.", "Remove them"),
        MeshRemark("empty", empty, f"{counted(empty, 'face')} have no area.", "Remove them"),
        MeshRemark("near", near, f"{counted(near, 'pair')} of corners nearly touch.", "Merge them"),
        MeshRemark("crowded", edges.crowded, f"More than two faces meet at {counted(edges.crowded, 'edge')}."),
        MeshRemark("open", edges.open, f"Its border is open at {counted(edges.open, 'edge')}."),
        MeshRemark("no_uv", int(_has_no_uv(mesh)), "It has no UVs.", "Make UVs"),
    ]
    return [one for one in found if one.count]


def mended(mesh: Mesh, kind: str) -> Mesh:
    """The mesh without what a remark of this kind says. Raises KeyError for remarks without a remedy."""
    return REMEDIES[kind](mesh)


def kept(mesh: Mesh, triangles: np.ndarray) -> Mesh:
    """Some of a mesh's triangles, (n,) numbers, with all that is known of them."""
    at = (3 * triangles[:, None] + np.arange(3)).ravel()
    part, piece, slot = mesh.ids
    return replace(
        mesh, triangles=mesh.triangles[triangles], normals=mesh.normals[at], face=np.asarray(mesh.face)[triangles],
        uv={name: one[at] for name, one in mesh.uv.items()},
        colours={name: one[at] for name, one in mesh.colours.items()},
        part=part[triangles], piece=piece[triangles], slot=slot[triangles],
    )  # fmt: skip


class _Edges:
    """The edges of a mesh: how many faces meet at each.

    neighbours : (2, m) triangles on both sides of the edges at which two meet. same : (m,) whether both run along it
    in the same direction, so that one of them is turned. borders : (b,) vertices at which an open edge begins.
    """

    def __init__(self, mesh: Mesh) -> None:
        keys, forward = edge_keys(mesh.triangles)
        order = np.argsort(keys, kind="stable")
        first = np.flatnonzero(np.diff(keys[order], prepend=np.uint64(2**64 - 1)))
        count = np.diff(first, append=len(order))
        self.open, self.crowded = int((count == 1).sum()), int((count > 2).sum())
        two = first[count == 2]
        one, other = order[two], order[two + 1]
        self.neighbours = np.stack([one // 3, other // 3])
        self.same = forward[one] == forward[other]
        alone = order[first[count == 1]]
        self.borders = np.unique(np.concatenate([mesh.triangles.ravel()[alone],
                                                 np.roll(mesh.triangles, -1, axis=1).ravel()[alone]]))  # fmt: skip


def _size(mesh: Mesh) -> float:
    low, high = mesh.bounds
    return float(np.linalg.norm(high - low))


def _empty(mesh: Mesh) -> np.ndarray:
    return np.flatnonzero(mesh.areas <= FLAT * _size(mesh) ** 2)


def _double(mesh: Mesh) -> np.ndarray:
    """Faces with the corners of one before them."""
    corners = np.sort(mesh.triangles, axis=1)
    order = np.lexsort((corners[:, 2], corners[:, 1], corners[:, 0]))
    same = (np.diff(corners[order], axis=0) == 0).all(axis=1)
    return order[1:][same]


def _has_no_uv(mesh: Mesh) -> bool:
    return not any(np.ptp(one, axis=0).max(initial=0) > 0 for one in mesh.uv.values())


def _turned(mesh: Mesh, edges: _Edges) -> np.ndarray:
    """(t,) bool: the faces to turn, so that neighbours agree and closed pieces look outwards.

    Every face stands for two nodes, as it is and turned; neighbours that agree join like to like, others crosswise.
    The nodes that hang together are one way to turn a piece. Of an open piece, the smaller part of its area is turned.
    """
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    count = len(mesh.triangles)
    a, b = edges.neighbours
    b_as_a = np.where(edges.same, b + count, b)
    b_other = np.where(edges.same, b, b + count)
    start, end = np.concatenate([a, a + count]), np.concatenate([b_as_a, b_other])
    graph = coo_matrix((np.ones(len(start), np.int8), (start, end)), (2 * count, 2 * count))
    number, way = connected_components(graph, directed=False)
    p = mesh.positions[mesh.triangles].astype(np.float64) - mesh.bounds[0]
    volume = np.einsum("ij,ij->i", p[:, 0], np.cross(p[:, 1], p[:, 2])) / 6
    closed = _closed(mesh, edges, way[:count], number)
    area = np.bincount(way[:count], mesh.areas, number) - np.bincount(way[count:], mesh.areas, number)
    outwards = np.bincount(way[:count], volume, number) - np.bincount(way[count:], volume, number)
    better = np.where(closed, outwards, area)
    as_is, flipped = way[:count], way[count:]
    return (as_is != flipped) & (better[as_is] < better[flipped])


def _closed(mesh: Mesh, edges: _Edges, way: np.ndarray, number: int) -> np.ndarray:
    """(number,) bool: the ways none of whose faces has an open edge."""
    on_border = np.zeros(len(mesh.positions), bool)
    on_border[edges.borders] = True
    opened = np.zeros(number, bool)
    opened[way[on_border[mesh.triangles].any(axis=1)]] = True
    return ~opened


def _near_pairs(mesh: Mesh, edges: _Edges) -> np.ndarray:
    """(n, 2) vertices on open borders that nearly touch."""
    if len(edges.borders) < 2:
        return np.zeros((0, 2), int)
    from scipy.spatial import cKDTree

    found = cKDTree(mesh.positions[edges.borders]).query_pairs(NEAR * _size(mesh), output_type="ndarray")
    return edges.borders[found] if len(found) else np.zeros((0, 2), int)


# ---- remedies -----------------------------------------------------------------------------------


def _without_empty(mesh: Mesh) -> Mesh:
    return kept(mesh, np.setdiff1d(np.arange(len(mesh.triangles)), _empty(mesh)))


def _without_double(mesh: Mesh) -> Mesh:
    return kept(mesh, np.setdiff1d(np.arange(len(mesh.triangles)), _double(mesh)))


def _turned_outwards(mesh: Mesh) -> Mesh:
    wrong = _turned(mesh, _Edges(mesh))

    def swapped(values: np.ndarray) -> np.ndarray:
        """Values by corner, the second and third of the faces that are turned in each other's place."""
        out = values.reshape(-1, 3, values.shape[1]).copy()
        out[wrong] = out[wrong][:, [0, 2, 1]]
        return out.reshape(values.shape)

    triangles = mesh.triangles.copy()
    triangles[wrong] = triangles[wrong][:, [0, 2, 1]]
    normals = swapped(mesh.normals)
    normals[np.repeat(wrong, 3)] *= -1
    return replace(mesh, triangles=triangles, normals=normals, uv={name: swapped(one) for name, one in mesh.uv.items()},
                   colours={name: swapped(one) for name, one in mesh.colours.items()})  # fmt: skip


def _merged(mesh: Mesh) -> Mesh:
    """Vertices that nearly touch become one; normals across them are worked out anew."""
    pairs = _near_pairs(mesh, _Edges(mesh))
    target = np.arange(len(mesh.positions))
    for _ in range(3):  # along short chains
        np.minimum.at(target, pairs.max(axis=1), target[pairs.min(axis=1)])
        target = target[target]
    triangles = target[mesh.triangles].astype(np.int32)
    whole = (
        (triangles[:, 0] != triangles[:, 1])
        & (triangles[:, 1] != triangles[:, 2])
        & (triangles[:, 2] != triangles[:, 0])
    )
    made = kept(replace(mesh, triangles=triangles), np.flatnonzero(whole))
    at = np.isin(made.triangles.ravel(), target[pairs.ravel()])
    normals = made.normals.copy()
    normals[at] = smooth_normals(made.positions, made.triangles)[at]
    return replace(made, normals=normals, piece=connected(made.triangles, len(made.positions)))


def _with_uv(mesh: Mesh) -> Mesh:
    """UVs as seen from the six sides of its box, all equally large; the longest side is one unit."""
    low, high = mesh.bounds
    place = (mesh.positions - low) / max(float((high - low).max()), 1e-9)
    axis = np.abs(mesh.face_normals).argmax(axis=1)
    sign = np.take_along_axis(mesh.face_normals, axis[:, None], 1)[:, 0] < 0
    across, up = np.array([2, 0, 0])[axis], np.array([1, 2, 1])[axis]
    corner = place[mesh.triangles]
    u = np.take_along_axis(corner, across[:, None, None], 2)[:, :, 0]
    v = np.take_along_axis(corner, up[:, None, None], 2)[:, :, 0]
    u = np.where(((axis == 0) ^ (axis == 1) ^ sign)[:, None] & (axis != 1)[:, None], 1 - u, u)
    v = np.where((axis == 1)[:, None] & ~sign[:, None], 1 - v, v)
    return replace(mesh, uv={FIRST_SET: np.stack([u, v], axis=2).reshape(-1, 2).astype(np.float32)})


REMEDIES: dict[str, Callable[[Mesh], Mesh]] = {
    "turned": _turned_outwards, "double": _without_double, "empty": _without_empty, "near": _merged, "no_uv": _with_uv,
}  # fmt: skip
