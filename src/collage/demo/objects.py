"""Objects of the samples that are no stock shapes: a watering can, a hose, and where a label sticks on a pot."""

from __future__ import annotations

import numpy as np

from collage.core.geometry.mesh import Mesh, smooth_normals
from collage.core.geometry.shapes import turned
from collage.core.geometry.stock import shape
from collage.core.geometry.topology import connected, welded


def tube(path: np.ndarray, radius: np.ndarray | float, segments: int = 32, *, closed: bool = False) -> Mesh:
    """A round tube along a path (n, 3), metres; u goes round, v along, one unit as long as once around.

    radius : metres, one for all or (n,). closed : with flat ends.
    """
    path = np.asarray(path, np.float64)
    radii = np.broadcast_to(np.asarray(radius, np.float64), len(path))
    if closed:
        path = np.concatenate([path[:1], path, path[-1:]])
        radii = np.concatenate([[0.0], radii, [0.0]])
    ahead = np.gradient(path[1:-1] if closed else path, axis=0)
    ahead = np.concatenate([ahead[:1], ahead, ahead[-1:]]) if closed else ahead
    ahead /= np.linalg.norm(ahead, axis=1, keepdims=True)
    side = np.empty_like(ahead)
    side[0] = np.cross(ahead[0], [0.0, 1, 0] if abs(ahead[0, 1]) < 0.9 else [1.0, 0, 0])
    for at in range(1, len(path)):  # carried along without twisting
        side[at] = side[at - 1] - ahead[at] * (side[at - 1] @ ahead[at])
    side /= np.linalg.norm(side, axis=1, keepdims=True)
    up = np.cross(ahead, side)
    angle = np.linspace(0, 2 * np.pi, segments + 1)
    ring = np.cos(angle)[None, :, None] * side[:, None] + np.sin(angle)[None, :, None] * up[:, None]
    places = path[:, None] + ring * radii[:, None, None]
    places[:, -1] = places[:, 0]
    length = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(path, axis=0), axis=1))])
    around = 2 * np.pi * float(radii.max())
    u, v = np.meshgrid(angle / (2 * np.pi), length / around)
    number = np.arange(places.shape[0] * places.shape[1]).reshape(places.shape[:2])
    a, b, c, d = number[:-1, :-1], number[1:, :-1], number[1:, 1:], number[:-1, 1:]
    triangles = np.concatenate([np.stack([a, c, b], -1).reshape(-1, 3), np.stack([a, d, c], -1).reshape(-1, 3)])
    positions, faces = welded(places.reshape(-1, 3).astype(np.float32), triangles.astype(np.int32))
    whole = (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])
    faces, uv = faces[whole], np.stack([u.ravel(), v.ravel()], axis=1)[triangles[whole].ravel()]
    return Mesh(positions, faces, smooth_normals(positions, faces, 50.0), {"UVMap": uv.astype(np.float32)})


def joined(parts: dict[str, Mesh]) -> Mesh:
    """Several meshes as one, each a part of its own."""
    meshes = list(parts.values())
    starts = np.cumsum([0] + [len(one.positions) for one in meshes])
    positions = np.concatenate([one.positions for one in meshes])
    triangles = np.concatenate([one.triangles + start for one, start in zip(meshes, starts, strict=False)])
    part = np.repeat(np.arange(len(meshes)), [len(one.triangles) for one in meshes])
    normals = np.concatenate([one.normals for one in meshes])
    uv = np.concatenate([one.uv["UVMap"] for one in meshes])
    return Mesh(positions, triangles, normals, {"UVMap": uv}, part=part, piece=connected(triangles, len(positions)),
                part_names=tuple(parts))  # fmt: skip


def watering_can() -> Mesh:
    """A can of two litres: body, spout, rose and handle; the spout points to the right."""
    body = turned([
        (0.0, 0.003, 0.0), (0.082, 0.0, 0.004), (0.086, 0.006, 0.003), (0.083, 0.012, 0.003), (0.072, 0.150, 0.006),
        (0.076, 0.154, 0.002), (0.074, 0.160, 0.002), (0.050, 0.166, 0.004), (0.046, 0.164, 0.002),
        (0.070, 0.148, 0.006), (0.078, 0.014, 0.006), (0.0, 0.010, 0.0),
    ], 96)  # fmt: skip
    along = np.linspace(0, 1, 40)
    t = along[:, None]
    start, bend, end = np.array([0.070, 0.040, 0]), np.array([0.150, 0.060, 0]), np.array([0.245, 0.205, 0])
    spout = (1 - t) ** 2 * start + 2 * t * (1 - t) * bend + t**2 * end
    ahead = (end - bend) / np.linalg.norm(end - bend)
    rose = np.array([end + ahead * step for step in (0.0, 0.012, 0.026, 0.030)])
    t = np.linspace(0, 1, 48)[:, None]
    rim, above, behind, side = (
        np.array([*one, 0.0]) for one in ((0.058, 0.160), (0.05, 0.27), (-0.20, 0.27), (-0.074, 0.055))
    )
    handle = (1 - t) ** 3 * rim + 3 * t * (1 - t) ** 2 * above + 3 * t**2 * (1 - t) * behind + t**3 * side
    return joined({
        "Body": body,
        "Spout": tube(spout, 0.017 - 0.0075 * along, 28),
        "Rose": tube(rose, np.array([0.010, 0.014, 0.030, 0.031]), 48, closed=True),
        "Handle": tube(handle, 0.0062, 20, closed=True),
    })  # fmt: skip


def hose(length: float = 3.4, radius: float = 0.011) -> Mesh:
    """A coil of hose that lies in two turns, its end reaching out; it has no UVs."""
    t = np.linspace(0, 1, 620)
    turn = 2 * np.pi * 2.2 * np.clip(t / 0.82, 0, 1)
    ring = 0.118 + 0.006 * np.sin(3 * turn + 1) + 0.02 * t
    x, z = ring * np.cos(turn), ring * np.sin(turn)
    out = np.clip((t - 0.82) / 0.18, 0, 1)
    ahead = np.array([-np.sin(turn[-1]), np.cos(turn[-1])])
    x, z = x + out**1.3 * 0.30 * ahead[0] + out**2 * 0.10, z + out**1.3 * 0.22 * ahead[1]
    y = radius + 2.05 * radius * np.clip((t - 0.42) / 0.10, 0, 1) * (1 - np.clip((t - 0.84) / 0.08, 0, 1))
    made = tube(np.stack([x, y, z], axis=1), radius, 22, closed=True)
    return Mesh(made.positions, made.triangles, made.normals, {})


def label_uv(width: float = 0.066, height: float = 0.046, low: float = 0.040) -> np.ndarray:
    """(3 t, 2) float32 UVs of a label on the front of the stock pot, so large and so high up, metres.

    It is laid on from the front and covers the UV square; faces that look away lie far outside it.
    """
    mesh = shape("pot")
    corner = mesh.positions[mesh.triangles].astype(np.float64)
    angle = np.arctan2(corner[..., 0], corner[..., 2])
    radius = np.hypot(corner[..., 0], corner[..., 2])
    uv = np.stack([angle * radius.mean() / width + 0.5, (corner[..., 1] - low) / height], axis=-1)
    outside = mesh.normals.reshape(-1, 3, 3).mean(axis=1)
    away = (outside[:, 2] < 0.3) | ((corner * outside[:, None]).sum(axis=2).mean(axis=1) < 0.02)
    uv[away] = -5.0
    made: np.ndarray = uv.reshape(-1, 2).astype(np.float32)
    return made
