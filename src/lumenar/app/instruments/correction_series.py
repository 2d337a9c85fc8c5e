"""What each meter reads for a correction, and which of its repeats are off."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from lumenar.bench.panel_timing import PANEL_TIMINGS, settling
from lumenar.bench.ports import Bench, InstrumentError, Meter, MeterDescription, MeterReading
from lumenar.core.colour.correction import ColourReadings
from lumenar.core.readings.patches import Patch

PRIMARIES: dict[str, tuple[float, float, float]] = {
    "red": (1.0, 0.0, 0.0),
    "green": (0.0, 1.0, 0.0),
    "blue": (0.0, 0.0, 1.0),
    "white": (1.0, 1.0, 1.0),
}
CHECKS: dict[str, tuple[float, float, float]] = {
    "mid grey": (0.6, 0.6, 0.6),
    "cyan": (0.0, 0.8, 0.8),
    "magenta": (0.8, 0.0, 0.8),
    "yellow": (0.8, 0.8, 0.0),
    "skin tone": (0.8, 0.6, 0.5),
    "foliage": (0.35, 0.5, 0.3),
    "sky": (0.45, 0.6, 0.8),
    "violet": (0.5, 0.4, 0.7),
}
"""Colours that the matrix was not made from, to see what is left after it."""
COLOURS = {**PRIMARIES, **CHECKS}
_FIRST, _SECOND = list(CHECKS)[:4], list(CHECKS)[4:]
_ROUND = ["red", "green", "blue", *["white"] * 3]
SERIES = [*["white"] * 4, *_ROUND, *_ROUND, *_FIRST, "white", "white", *_SECOND, *["white"] * 6]
"""What each meter reads. White so often that its luminance is known to a thousandth and the display's drift is seen;
primaries twice, so that one that is off is noticed."""
ODD_SIGMAS, ODD_LEAST, AGAIN = 8.0, 0.015, 3
"""A repeat is odd where it is off by more sigmas than these and by this share at least; it is read again so often."""


@dataclass(frozen=True)
class Taken:
    """One colour as a meter read it, and when, in s of the bench's clock."""

    name: str
    reading: MeterReading
    time_s: float


def read_colour(bench: Bench, meter: Meter, name: str, settle_s: float) -> Taken:
    """One reading of one of `COLOURS`."""
    bench.source.show(Patch(COLOURS[name]))
    bench.clock.sleep(settle_s + settling(PANEL_TIMINGS["other"], None, Patch(COLOURS[name])))
    return Taken(name, meter.read(), bench.clock.now())


def as_series(taken: Sequence[Taken], meter: MeterDescription) -> ColourReadings:
    """What was taken with a meter, with what is known of its noise."""
    each = [meter.covariance(t.reading.trace) for t in taken]
    known = [c for c in each if c is not None]
    return ColourReadings(
        tuple(t.name for t in taken),
        np.array([t.reading.XYZ for t in taken]),
        np.array([t.time_s for t in taken]),
        meter.repeatability,
        meter.absolute,
        np.stack(known) if len(known) == len(each) else None,
    )


def take_series(
    read: Callable[[str], Taken | None], meter: MeterDescription, who: str, said: list[str]
) -> ColourReadings | None:
    """What a meter reads of `SERIES`, odd repeats read again and left out; None where it was stopped. InstrumentError where
    repeats do not agree even so."""
    taken: list[Taken] = []
    again: list[str] = list(SERIES)
    for attempt in range(AGAIN + 1):
        for name in again:
            if (reading := read(name)) is None:
                return None
            taken.append(reading)
        odd, agrees = _odd(as_series(taken, meter))
        if agrees:
            said += [f"A reading of {taken[i].name} by the {who} meter was off and is left out." for i in sorted(odd)]
            return as_series([t for i, t in enumerate(taken) if i not in odd], meter)
        if attempt < AGAIN:
            again = list(dict.fromkeys(taken[i].name for i in odd))
    raise InstrumentError(
        f"the {who} meter does not repeat its readings of {taken[next(iter(odd))].name}: they differ by more than"
        f" {100 * ODD_LEAST:g} %; see that meter and display stand still"
    )


def _odd(series: ColourReadings) -> tuple[set[int], bool]:
    """Which repeats are off from the others of their colour, and whether for each such colour three others agree, so that
    it can be left out."""
    odd, agrees = set(), True
    for name in set(series.names):
        index = [i for i, n in enumerate(series.names) if n == name]
        Y = series.XYZ[index, 1]
        middle = float(np.median(Y))
        limit = max(ODD_SIGMAS * float(np.hypot(series.repeatability * middle, series.absolute)), ODD_LEAST * middle)
        if np.ptp(Y) <= limit or len(Y) < 2:
            continue
        off = [i for i, y in zip(index, Y, strict=True) if abs(y - middle) > limit / 2]
        odd |= set(off or index)
        agrees &= bool(off) and len(index) - len(off) >= 2
    return odd, agrees
