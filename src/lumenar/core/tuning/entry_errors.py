"""Wrong entries of gains and offsets: a value that was entered wrongly stands until the control is entered anew, and moves its
channel in all attempts between by one amount. What that would explain of what the slopes do not is weighed for each entry."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from lumenar.core.tuning.base import Array
from lumenar.core.tuning.channels import Channel, Primaries, Rows, of_others, rows_of

RECENT = 9
"""So many of a control's last entries may be wrong ones."""


@dataclass(frozen=True)
class Misplaced:
    """A control that seems to have stood elsewhere in attempts first to last: by how much, in whole ranges; odds: by how much
    better, in chi squared, that explains what was read."""

    control: int
    first: int
    last: int
    by: float
    odds: float


def misplaced(
    channels: Sequence[Channel],
    x: Array,
    shares: Array,
    u: Array,
    start: Primaries,
    guess: float,
    here: Array,
    stops: bool = True,
    least: float = 0.0,
) -> list[Misplaced]:
    """What single wrong entries would explain of readings, the most telling first: arguments as of `fit`. Each control is entered
    where its value changes, and stands until it changes again. Where all that is not explained is less than `least` of chi
    squared, no entry is looked for."""
    other = of_others(start)
    found = []
    for i, c in enumerate(channels):
        plain = rows_of(
            own=i, x=x, shares=shares[:, c.channel], u=u[:, c.channel], guess=guess, here=here, stops=stops, other=other
        )
        P0, r0 = _weights(plain)
        if float(r0 @ P0 @ r0) < least and len(plain.seen) == len(x):
            continue
        entered = [0, *(j for j in range(1, len(x)) if x[j, i] != x[j - 1, i]), len(x)]
        for first, after in pairwise(entered[1:][-RECENT:]):
            within = (np.arange(len(x)) >= first) & (np.arange(len(x)) < after)
            rows, P, r = plain, P0, r0
            # Where no channel seems to have stopped, it does not for fewer readings either.
            if stops and np.isfinite(plain.top):
                rows = rows_of(
                    own=i,
                    x=x,
                    shares=shares[:, c.channel],
                    u=u[:, c.channel],
                    guess=guess,
                    here=here,
                    stops=stops,
                    other=other,
                    doubted=within,
                )
                P, r = _weights(rows)
            z = ((rows.read >= first) & (rows.read < after)) / rows.noise
            if (weight := float(z @ P @ z)) < 1e-9:
                continue
            shift = float(z @ P @ r) / weight
            mean = rows.prior + rows.sd**2 * (rows.T.T @ P @ (r - z * shift))
            by = _root(mean[1 + i], mean[-1], float(x[after - 1, i]), shift)
            if by is not None:
                found.append(Misplaced(i, first, after - 1, by, shift**2 * weight))
    return sorted(found, key=lambda m: -m.odds)


def _weights(rows: Rows) -> tuple[Array, Array]:
    """Inverse covariance (r, r) of what is read about what is known before, and how far (r,) it is from that."""
    P = np.linalg.inv(np.eye(len(rows.seen)) + (rows.T * rows.sd**2) @ rows.T.T)
    return np.asarray(P, float), rows.seen - rows.T @ rows.prior


def _root(slope: float, bend: float, x: float, shift: float) -> float | None:
    """How far from x a control whose log of light runs as slope x + bend x^2 gives `shift` more; None where it does not."""
    steep = slope + 2 * bend * x
    if abs(steep) < 1e-6:
        return None
    by = shift / steep
    for _ in range(3):
        by = shift / (steep + bend * by) if abs(steep + bend * by) > 1e-6 else by
    return by if steep > 0 else None
