"""Readings that do not lie where their neighbours say."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np

ODD_SIGMAS, ODD_LEAST, ODD_SHARE = 6.0, 0.004, 0.03
"""A reading is odd where it is off by more sigmas than these, and by this share at least: out of order with its neighbours,
or off their curve."""


def odd_greys(Y_by_level: Mapping[float, float], u: Callable[[float], float]) -> list[float]:
    """Greys that may be wrong, the most suspicious first, of luminances by signal.

    One is where it is darker than a darker one or brighter than a brighter one by more than the noise. Others are found by
    the curve: how far the logarithm of each lies from the straight line, over that of the signal, through its two
    neighbours. A display's own curve bends these the same way from one level to the next; a single wrong reading sticks out
    from both its neighbours, which are bent the other way by half as much. An end of the ramp is no neighbour's neighbour,
    so that one is suspected together with the level beside it. Black is taken off first where it was read.
    """
    K = Y_by_level.get(0.0, 0.0)
    levels = np.array(sorted(v for v, Y in Y_by_level.items() if v > 0 and Y > K))
    weights: dict[float, float] = {}
    if len(levels) < 2:
        return []
    Y = np.array([Y_by_level[float(v)] for v in levels])
    noise = np.array([u(float(y)) for y in Y])
    for i in np.flatnonzero(
        Y[:-1] - Y[1:] > np.maximum(ODD_SIGMAS * np.hypot(noise[:-1], noise[1:]), ODD_LEAST * Y[1:])
    ):
        for k in (i, i + 1):
            weights[float(levels[k])] = max(weights.get(float(levels[k]), 0.0), 1.0)
    if len(levels) >= 5:
        x, y = np.log(levels), np.log(Y - K)
        t = (x[1:-1] - x[:-2]) / (x[2:] - x[:-2])
        off = y[1:-1] - (1 - t) * y[:-2] - t * y[2:]
        # What sticks out from the mean of its neighbours' bends; at the ends of the ramp from that of the one there is.
        beside = np.array([np.mean([off[k] for k in (i - 1, i + 1) if 0 <= k < len(off)]) for i in range(len(off))])
        share = (off - beside) / 1.5
        around = np.max([noise[:-2] / (Y - K)[:-2], noise[1:-1] / (Y - K)[1:-1], noise[2:] / (Y - K)[2:]], axis=0)
        allowed = np.maximum(ODD_SIGMAS * around, ODD_SHARE)
        for i in np.flatnonzero(np.abs(share) > allowed):
            weight = abs(float(share[i]))
            for k, part in ((i + 1, 1.0), (i, 0.5), (i + 2, 0.5)):
                if part < 1 and 0 < k < len(levels) - 1:
                    continue
                at = float(levels[k])
                weights[at] = max(weights.get(at, 0.0), part * weight)
    return sorted(weights, key=lambda v: -weights[v])
