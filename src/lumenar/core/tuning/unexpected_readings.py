"""Check the typed readings of one attempt against earlier attempts, and ask about those that don't fit."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike

from lumenar.core.menu.controls import text_of
from lumenar.core.numbers import significant
from lumenar.core.tuning.base import WHITE, Array, Attempt, Noise, Proposal

SPREADS = 4.0
"""Ask about a reading if it differs from the expected one by more than this many standard deviations of the expectation."""
LEAST = 0.12
"""Ask only about differences above this share. A control that was entered one notch off causes less."""
MOVES = 0.5
"""If no reading was expected, ask if the logarithm of a patch's luminance changed by more than this since the last attempt."""
SAME, MOVED = 3.0, 0.03
"""Two whites within this many standard deviations of the meter are the same. Ask if they should differ by this share."""


def surprise(
    proposal: Proposal, XYZ: ArrayLike, earlier: Sequence[Attempt], noise: Noise, steady: bool
) -> tuple[int, str] | None:
    """Find the first typed reading that differs from what earlier attempts suggest. Returns its place and a question to the
    person, None if there is none.

    XYZ (n, 3) of the proposal's patches in cd/m2, NaN under the meter's floor; steady: the goal's controls change the luminance
    of a patch by little.
    """
    for i, (patch, now) in enumerate(zip(proposal.patches, np.asarray(XYZ, float), strict=True)):
        if not np.isfinite(now).all():
            continue
        expected = np.full(3, np.nan) if proposal.expected is None else np.asarray(proposal.expected[i], float)
        before = next((a for a in reversed(earlier) if patch in a.patches and np.isfinite(a.of(patch)).all()), None)
        if patch == WHITE and before is not None and (said := _unmoved(proposal, now[1], expected[1], before, noise)):
            return i, said
        if said := _unexpected(now, expected, proposal.spread):
            return i, said
        if before is not None and not np.isfinite(expected).any() and steady:
            was = float(before.of(patch)[1])
            if was > 0 and (now[1] <= 0 or abs(np.log(now[1] / was)) > MOVES):
                return i, f"It had {significant(was, 3)} cd/m² before. Is it so?"
    return None


def _unmoved(proposal: Proposal, Y: float, expected: float, before: Attempt, noise: Noise) -> str:
    """A question about a white that did not move with its controls; empty if there is none."""
    was = float(before.of(WHITE)[1])
    moved = [p for p, v in proposal.values.items() if before.values.get(p, v) != v]
    same = abs(Y - was) <= SAME * float(noise.relative(was)) * was
    if not moved or not same or not abs(expected / was - 1) > MOVED:
        return ""
    p = moved[0]
    return (
        f"White reads the same as before, though {p.split(' > ')[-1]} went from {text_of(before.values[p])} to"
        f" {text_of(proposal.values[p])}. Enter it again. Did the display accept it, and is it on the"
        " right input?"
    )


def _unexpected(now: Array, expected: Array, spread: float) -> str:
    """A question about a reading that is off from what was expected; empty if there is none."""
    known = np.isfinite(expected) & (expected > 0)
    if not known.any() or not spread:
        return ""
    with np.errstate(divide="ignore"):
        off = np.abs(np.log(np.maximum(now, 1e-9)[known] / expected[known]))
    if off.max() <= max(LEAST, SPREADS * spread):
        return ""
    c = int(np.flatnonzero(known)[off.argmax()])
    about, read = (significant(float(v[c]), 3) for v in (expected, now))
    return f"{'XYZ'[c]} of about {about} was expected, this is {read}. Is it so?"
