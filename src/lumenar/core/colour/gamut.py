"""Gamut area and coverage in a chromaticity plane."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]


def area(triangle: ArrayLike) -> Array:
    """Area (...) of triangles (..., 3, 2)."""
    p = np.asarray(triangle, float)
    return np.asarray(np.abs(_cross(p[..., 1, :] - p[..., 0, :], p[..., 2, :] - p[..., 0, :])) / 2, float)


def _cross(a: Array, b: Array) -> Array:
    return np.asarray(a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0], float)


def _counter_clockwise(p: Array) -> Array:
    turned = _cross(p[..., 1, :] - p[..., 0, :], p[..., 2, :] - p[..., 0, :]) < 0
    return np.where(turned[..., None, None], p[..., ::-1, :], p)


def _clip(polygon: Array, a: Array, b: Array) -> Array:
    """Polygons (..., n, 2) cut to the left of the lines from a to b (..., 2), as (..., 2n, 2) with points repeated.

    Sutherland and Hodgman 1974, for whole batches: every edge gives its start where that is inside and its crossing
    where it crosses; what is missing repeats the point before, which adds no area.
    """
    following = np.roll(polygon, -1, axis=-2)
    side = _cross((b - a)[..., None, :], polygon - a[..., None, :])
    after = np.roll(side, -1, axis=-1)
    inside = side >= 0
    crosses = inside != (after >= 0)
    with np.errstate(divide="ignore", invalid="ignore"):
        share = np.where(crosses, side / (side - after), 0.0)
    cut = polygon + share[..., None] * (following - polygon)
    shape = (*polygon.shape[:-2], 2 * polygon.shape[-2])
    points = np.stack([polygon, cut], axis=-2).reshape(*shape, 2)
    valid = np.stack([inside, crosses], axis=-1).reshape(shape)
    index = np.maximum.accumulate(np.where(valid, np.arange(shape[-1]), -1), axis=-1)
    index = np.where(index < 0, index[..., -1:], index)
    return np.take_along_axis(points, index[..., None], axis=-2)


def shared_area(one: ArrayLike, two: ArrayLike) -> Array:
    """Area (...) that triangles (..., 3, 2) have in common: the first cut by the three sides of the second."""
    p, q = np.broadcast_arrays(np.asarray(one, float), np.asarray(two, float))
    origin = q.mean(axis=-2, keepdims=True)
    p, q = _counter_clockwise(p - origin), _counter_clockwise(q - origin)
    for k in range(3):
        p = _clip(p, q[..., k, :], q[..., (k + 1) % 3, :])
    total = _cross(p, np.roll(p, -1, axis=-2)).sum(axis=-1) / 2
    return np.asarray(np.clip(total, 0, np.minimum(area(one), area(two))), float)


def coverage_percent(measured: ArrayLike, target: ArrayLike) -> Array:
    """Share of the target triangle's area that the measured one covers, in %, batch (...)."""
    return np.asarray(100 * shared_area(measured, target) / area(target), float)


def area_percent(measured: ArrayLike, target: ArrayLike) -> Array:
    """Area of the measured triangle against the target's, in %, batch (...)."""
    return np.asarray(100 * area(measured) / area(target), float)
