"""Bands in a photo of a screen: a camera that reads its picture line by line makes stripes of light that pulses."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from lumenar.core.quantiles import fisher_beyond

Array = NDArray[np.float64]

STRIPS = 12
"""The picture is cut into so many strips across its lines: what pulses is in all of them, noise in each differently."""
LEAST_LINES = 64
LIT = 0.05
"""A line belongs to the screen where so much of it is bright."""
LEAST_CYCLES = 3.0
"""Fewer bands over the height are shading of lens and screen."""
FINEST = 8
"""Bands finer than so many lines are the screen's own pixels."""
LEVEL = 0.01
ABOVE = 5.0
"""A band stands out of what lies beside it in the spectrum by this factor; edges and dirt make a bit of everything."""
LEAST_DEPTH = 0.001
BEYOND = 3.5
"""So many times the noise a band has to be to be sure to be seen."""
MOST_POINTS = 400


class NoScreenError(ValueError):
    """There is no bright screen in the part of the picture that was looked at."""


@dataclass(frozen=True, eq=False)
class Bands:
    """Bands over the lines of a picture. cycles: how many over the part that was looked at, None where none is seen; depth:
    (bright - dark) / (bright + dark); least: a depth that would have been seen; profile: mean luminance of the lines, about
    400 of them, as a share of their mean; spectrum: (n, 2) bands over the height and their depth; lines: whether the picture's
    rows (0) or its columns (1) were read one after the other."""

    cycles: float | None
    depth: float
    least: float
    profile: Array
    spectrum: Array
    lines: int
    height: int


def screen(luma: Array) -> tuple[slice, slice]:
    """Where the bright screen is in luminances (h, w), without its rim. NoScreenError where there is none."""
    if min(luma.shape) < LEAST_LINES:
        raise NoScreenError("the screen in it is too small")
    top = float(np.percentile(luma, 95))
    lit = luma > 0.4 * top
    # Short pulses leave most lines dark, along the rows or the columns.
    rows, columns = (np.flatnonzero(lit.mean(axis=a) > LIT) for a in (1, 0))
    if top <= 0.02 or len(rows) < LEAST_LINES or len(columns) < LEAST_LINES:
        raise NoScreenError("there is no bright screen in it")
    (r0, r1), (c0, c1) = ((int(v[0]), int(v[-1]) + 1) for v in (rows, columns))
    dr, dc = (r1 - r0) // 15, (c1 - c0) // 15
    return slice(r0 + dr, r1 - dr), slice(c0 + dc, c1 - dc)


def bands(luma: Array) -> Bands:
    """Bands in the linear luminances (h, w) of a lit screen, along its rows or its columns, whichever has more of them.
    NoScreenError where there is none."""
    part = luma[screen(luma)]
    both = [_along(part, 0), _along(part.T, 1)]
    # Of bands seen either way the deeper; of none that way in which one would have been seen best.
    seen = [b for b in both if b.cycles is not None]
    return max(seen, key=lambda b: b.depth) if seen else min(both, key=lambda b: b.least)


def _along(luma: Array, lines: int) -> Bands:
    h, w = luma.shape
    if h < LEAST_LINES or w < STRIPS:
        raise NoScreenError("the screen in it is too small")
    strips = np.stack([s.mean(axis=1) for s in np.array_split(luma, STRIPS, axis=1)])
    strips = strips / strips.mean(axis=1, keepdims=True)
    profile = strips.mean(axis=0)
    x = np.linspace(-1, 1, h)
    basis = np.polynomial.legendre.legvander(x, 3)
    strips = strips - (basis @ np.linalg.lstsq(basis, strips.T, rcond=None)[0]).T
    window = np.hanning(h)
    F = np.fft.rfft(strips * window, axis=1) / window.sum() * 2
    cycles = np.arange(F.shape[1], dtype=float)
    mean = F.mean(axis=0)
    scatter = (np.abs(F - mean) ** 2).sum(axis=0) / (STRIPS - 1) / STRIPS
    depth = np.abs(mean)
    usable = (cycles >= LEAST_CYCLES) & (cycles <= h / FINEST)
    found = None
    noise = float(np.sqrt(np.median(scatter[usable]) + np.median(np.abs(mean[usable]) ** 2)))
    if usable.any():
        at = int(np.where(usable, depth, 0).argmax())
        ratio = float(np.abs(mean[at]) ** 2 / max(scatter[at], 1e-30))
        chance = float(fisher_beyond(ratio, 2, 2 * (STRIPS - 1))) * int(usable.sum())
        beside = np.abs(cycles - at)
        about = usable & (beside > 3) & (beside <= 40)
        floor = float(np.median(depth[about])) if about.any() else noise
        if chance < LEVEL and depth[at] > max(ABOVE * floor, LEAST_DEPTH):
            found = _between(depth, at)
    each = -(-h // MOST_POINTS)
    folded = profile[: h // each * each].reshape(-1, each).mean(axis=1)
    spectrum = np.stack([cycles[usable], depth[usable]], axis=-1)[:MOST_POINTS]
    deepest = float(np.where(usable, depth, 0).max()) if usable.any() else 0.0
    return Bands(
        cycles=found,
        depth=deepest,
        least=max(BEYOND * noise, LEAST_DEPTH),
        profile=folded,
        spectrum=spectrum,
        lines=lines,
        height=h,
    )


def _between(depth: Array, at: int) -> float:
    """Where a peak of a spectrum lies between its bins: the vertex of a parabola through the logarithms about it."""
    if not 0 < at < len(depth) - 1:
        return float(at)
    a, b, c = np.log(np.maximum(depth[at - 1 : at + 2], 1e-12))
    bend = a - 2 * b + c
    return float(at + (0.5 * (a - c) / bend if bend < 0 else 0.0))
