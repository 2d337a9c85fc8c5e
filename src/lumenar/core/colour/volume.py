"""Gamut solids in CIELAB: volume, the volume two solids share, and gamut rings.

A solid is the image of the RGB cube's surface. It is cut along rays: one ray for each slice of lightness and each degree
of hue, from the axis outwards. Along a ray a solid is a set of segments, so solids are intersected exactly there, and
slices need not contain the axis.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache, cached_property

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
Index = NDArray[np.intp]

SLICES = np.arange(0.5, 100.0, 1.0)
"""Lightness of the slices, each 1 L* thick, shape (100,)."""
HUE_STEP = 1.0
HUES = np.arange(0.5, 360.0, HUE_STEP)
"""Hue of the rays in degrees, shape (360,)."""
_RAYS = len(SLICES) * len(HUES)


@dataclass(frozen=True)
class Cube:
    """The surface of the RGB cube with `steps` steps an edge: rgb (n, 3), triangles (t, 3) with the outside on one
    side, edges (e, 2) and the edges of each triangle (t, 3)."""

    rgb: Array
    triangles: Index
    edges: Index
    triangle_edges: Index


@cache
def cube(steps: int = 10) -> Cube:
    """The cube's surface; 10 steps give the 602 points of a colour volume."""
    grid = np.arange(steps + 1)
    a, b = (v.ravel() for v in np.meshgrid(grid[:-1], grid[:-1], indexing="ij"))
    corners: dict[tuple[int, ...], int] = {}
    triangles: list[tuple[int, int, int]] = []
    for axis in range(3):
        for side in (0, steps):

            def place(u: int, v: int, axis: int = axis, side: int = side) -> int:
                point = [0, 0, 0]
                point[axis], point[(axis + 1) % 3], point[(axis + 2) % 3] = side, u, v
                return corners.setdefault(tuple(point), len(corners))

            for u, v in zip(a.tolist(), b.tolist(), strict=True):
                p, q, r, s = place(u, v), place(u + 1, v), place(u + 1, v + 1), place(u, v + 1)
                triangles += [(p, q, r), (p, r, s)] if side else [(p, r, q), (p, s, r)]
    t = np.array(triangles, np.intp)
    pairs = np.sort(np.stack([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]], axis=1), axis=-1)
    edges, inverse = np.unique(pairs.reshape(-1, 2), axis=0, return_inverse=True)
    return Cube(np.array(list(corners), float) / steps, t, edges, inverse.reshape(-1, 3))


@dataclass(frozen=True)
class Solid:
    """Where rays cross a solid's surface: ray (m,) index into slices x hues, chroma (m,), and sign (m,), 1 where the ray
    leaves the solid and -1 where it enters."""

    ray: Index
    chroma: Array
    sign: Array

    @cached_property
    def reach(self) -> tuple[Array, NDArray[np.bool_], NDArray[np.bool_]]:
        """For every ray: how far the solid reaches where it is one stretch from the axis, whether it is that, and whether
        the ray misses the solid."""
        count = np.bincount(self.ray, minlength=_RAYS)
        reach = np.zeros(_RAYS)
        reach[self.ray] = self.chroma
        leaves = np.bincount(self.ray, self.sign, minlength=_RAYS)
        return reach, (count == 1) & (leaves == 1), count == 0


def _repeat(counts: Index) -> tuple[Index, Index]:
    """For counts (n,): the owner of each of sum(counts) items, and its place among its owner's."""
    owner = np.repeat(np.arange(len(counts)), counts)
    start = np.cumsum(counts) - counts
    return owner, np.arange(len(owner)) - start[owner]


def _crossed(low: Array, high: Array) -> tuple[Index, Index]:
    """The first slice that a stretch of lightness crosses and how many, each of the shape of `low` and `high`."""
    first, last = (np.clip(np.ceil(v - SLICES[0]), 0, len(SLICES)).astype(np.intp) for v in (low, high))
    return first, last - first


def _segments(Lab: Array, surface: Cube) -> tuple[Array, Index, Index, Index]:
    """The surface cut by the slices: points in a*b* (k, 2), and each cut's slice, start and end point (s,), turning one
    way about the inside. Where an edge crosses a slice is found once for both of its triangles, which so share it."""
    L = Lab[:, 0]
    p, q = surface.edges.T
    swap = L[p] > L[q]
    p, q = np.where(swap, q, p), np.where(swap, p, q)
    edge_first, count = _crossed(L[p], L[q])
    owner, place = _repeat(count)
    share = (SLICES[edge_first[owner] + place] - L[p][owner]) / (L[q] - L[p])[owner]
    ab, step = Lab[p, 1:], Lab[q, 1:] - Lab[p, 1:]
    point = ab[owner] + share[:, None] * step[owner]
    offset = np.cumsum(count) - count - edge_first
    corner = L[surface.triangles]
    first, count_t = _crossed(corner.min(axis=1), corner.max(axis=1))
    triangle, place = _repeat(count_t)
    at = first[triangle] + place
    # A cut triangle has one side that rises through the slice and one that falls: which, by the corners that lie below.
    below = (corner[triangle] < SLICES[at][:, None]) @ _BITS
    edge_offset = offset[surface.triangle_edges]
    up, down = (edge_offset[triangle, side[below]] + at for side in (_RISING, _FALLING))
    return point, at, down, up


_BITS = np.array([1, 2, 4])
_RISING, _FALLING = (
    np.array([next((k for k in range(3) if (c >> k & 1, c >> (k + 1) % 3 & 1) == way), 0) for c in range(8)])
    for way in ((1, 0), (0, 1))
)
"""The side of a triangle, from corner k to the next, that rises or falls through a slice, by the bits of the corners
below it."""
_TURN = len(HUES)
_COS, _SIN = (np.tile(f(np.radians(HUES)), 4) for f in (np.cos, np.sin))
_WRAPPED = np.tile(np.arange(_TURN), 4)
"""Hue by its index, over four turns from two before zero, so that no index need be wrapped."""


def solid(Lab: Array, surface: Cube) -> Solid:
    """The crossings of a solid whose surface points have CIELAB values (n, 3) in the order of `surface.rgb`."""
    point, at, start, end = _segments(np.ascontiguousarray(Lab), surface)
    a, b = point.T
    angle = np.degrees(np.arctan2(b, a))
    first = np.ceil((angle - HUES[0]) / HUE_STEP).astype(np.intp)
    turn = angle[end] - angle[start]
    begin = first[start]
    swept = first[end] - begin + _TURN * ((turn < -180).astype(np.intp) - (turn > 180).astype(np.intp))
    count = np.abs(swept)
    # All that is the same along a cut is repeated for each ray that it meets.
    lowest = np.minimum(begin, begin + swept) + 2 * _TURN
    hue = np.arange(count.sum()) + np.repeat(lowest - (np.cumsum(count) - count), count)
    a_0, b_0 = a[start], b[start]
    da, db = a[end] - a_0, b[end] - b_0
    cross, da, db, sign, row = (
        np.repeat(v, count) for v in (a_0 * db - b_0 * da, da, db, np.sign(swept).astype(float), at * _TURN)
    )
    chroma = np.maximum(cross / (_COS[hue] * db - _SIN[hue] * da), 0)
    ray = row + _WRAPPED[hue]
    # A surface turned inside out has its signs the other way round.
    return Solid(ray, chroma, sign if float(sign @ (chroma * chroma)) >= 0 else -sign)


def sectors(one: Solid) -> Array:
    """Sum over a ray's segments of C_out^2 - C_in^2, shape (slices, hues)."""
    total = np.bincount(one.ray, one.sign * one.chroma**2, minlength=_RAYS)
    return np.asarray(total.reshape(len(SLICES), len(HUES)), float)


def shared_sectors(one: Solid, two: Solid) -> Array:
    """`sectors` of the part that two solids have in common."""
    (reach_1, plain_1, none_1), (reach_2, plain_2, none_2) = one.reach, two.reach
    # Nearly every ray leaves both solids once: they share what the nearer one has.
    area = np.where(plain_1 & plain_2, np.minimum(reach_1, reach_2) ** 2, 0.0)
    rest = ~(plain_1 & plain_2) & ~none_1 & ~none_2
    if rest.any():
        parts = (Solid(s.ray[k], s.chroma[k], s.sign[k]) for s in (one, two) for k in [rest[s.ray]])
        area[rest] = _shared_by_events(*parts)[rest]
    return area.reshape(len(SLICES), len(HUES))


def _shared_by_events(one: Solid, two: Solid) -> Array:
    """What two solids share along each ray (rays,), by walking from far outside inwards."""
    ray = np.concatenate([one.ray, two.ray])
    chroma = np.concatenate([one.chroma, two.chroma])
    order = np.argsort(ray - chroma / 4096.0)
    ray, chroma = ray[order], chroma[order]
    count = len(one.ray)
    inside = []
    starts = np.flatnonzero(np.diff(ray, prepend=-1))
    for sign, mine in ((one.sign, slice(0, count)), (two.sign, slice(count, None))):
        events = np.zeros(len(ray))
        events[mine] = sign
        running = np.cumsum(events[order])
        before = running[starts] - events[order][starts]
        # Past a surface that the ray leaves, the solid begins.
        inside.append(running - np.repeat(before, np.diff(np.append(starts, len(ray)))) > 0.5)
    inner = np.where(np.append(ray[1:] == ray[:-1], False), np.append(chroma[1:], 0.0), 0.0)
    area = np.where(inside[0] & inside[1], chroma**2 - inner**2, 0.0)
    return np.asarray(np.bincount(ray, area, minlength=_RAYS), float)


def contains(one: Solid, Lab: Array) -> NDArray[np.bool_]:
    """Which of points (n, 3) in CIELAB lie in a solid, as its ray through the slice and hue of each point has it."""
    chroma = np.hypot(Lab[:, 1], Lab[:, 2])
    at = np.clip(np.rint(Lab[:, 0] - SLICES[0]), 0, len(SLICES) - 1).astype(np.intp)
    hue = np.rint((np.degrees(np.arctan2(Lab[:, 2], Lab[:, 1])) - HUES[0]) / HUE_STEP).astype(np.intp) % len(HUES)
    ray = at * len(HUES) + hue
    reach, plain, _ = one.reach
    inside = np.asarray(plain[ray] & (chroma <= reach[ray]))
    for i in np.flatnonzero(~plain[ray]):
        crossings = one.ray == ray[i]
        inside[i] = one.sign[crossings & (one.chroma >= chroma[i])].sum() > 0.5
    return inside


def volume(areas: Array) -> float:
    """Volume in cubic CIELAB units of `sectors`: half the integral of r^2 over hue and lightness."""
    return float(areas.sum() * np.radians(HUE_STEP) / 2)


def rings(areas: Array, lightness: Array) -> Array:
    """Gamut rings: r(L, h) (k, hues) with r^2 the sum over lightness up to L, for rising whole L (k,) of 1..100."""
    to = np.asarray(lightness, int)
    cumulated = np.cumsum(np.add.reduceat(areas[: to[-1]], np.append(0, to[:-1]), axis=0), axis=0)
    return np.asarray(np.sqrt(np.maximum(cumulated, 0)), float)


def mesh_volume(Lab: Array, surface: Cube) -> Array:
    """Volume (...) of solids (..., n, 3) from their triangles alone, exact for the mesh: sum of det(p, q, r) / 6."""
    p, q, r = (Lab[..., surface.triangles[:, k], :] for k in range(3))
    det = (
        p[..., 0] * (q[..., 1] * r[..., 2] - q[..., 2] * r[..., 1])
        + p[..., 1] * (q[..., 2] * r[..., 0] - q[..., 0] * r[..., 2])
        + p[..., 2] * (q[..., 0] * r[..., 1] - q[..., 1] * r[..., 0])
    )
    return np.asarray(np.abs(det.sum(axis=-1)) / 6, float)


def mesh_normals(Lab: Array, surface: Cube) -> Array:
    """How the volume of a solid (n, 3) grows as each of its points moves: its derivative (n, 3), the area-weighted
    outward normal. The sum over points of normal times displacement is the change of volume to first order."""
    corner = Lab[surface.triangles]
    turned = np.cross(np.roll(corner, -1, axis=1), np.roll(corner, -2, axis=1)) / 6
    normals = np.zeros_like(Lab)
    np.add.at(normals, surface.triangles, turned)
    return normals if float((normals * Lab).sum()) >= 0 else -normals
