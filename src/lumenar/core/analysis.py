"""From readings to figures with their uncertainty, noise floor and range."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lumenar.core.measurements import MEASUREMENTS, Figures, Measurement
from lumenar.core.measurements.base import BLACK, WHITE, Context, MissingPatchError, black_most
from lumenar.core.measurements.figure import Figure
from lumenar.core.numbers import listed
from lumenar.core.readings.readings import Layout, Readings, implausible
from lumenar.core.targets import Target
from lumenar.core.uncertainty import (
    DRAWS,
    Uncertainty,
    about_alike,
    draw,
    narrowed,
    quantiles,
    summarise_all,
    with_perfect,
)

Array = NDArray[np.float64]

COUNTS = ("patches", "saturated", "under_floor")
"""Figures that every analysis has: how many patches it is of, and how many of them are no number and why."""
IMPLAUSIBLE = "implausible"
"""How many readings have a chromaticity that no light has; a figure only if there are any."""


@dataclass(frozen=True)
class Analysis:
    """The figures of one measurement of one setup against one target.

    figures: value by key, numbers and (nested) lists, NaN left as NaN. uncertainty: for scalar figures. noise_floor:
    95th percentile of an error figure if the truth were the target; an error below it is shown with "<". range: the
    figure with what is under the meter's floor at zero and at the most it can be. draws: scalar figures by draw, without what the
    range adds. judged: what scoring found its figures to be worth, by rule, so that it is found once. systematic: the draws
    differ by an unknown correction of the meter more than by noise.
    """

    measurement: str
    target: str
    figures: Figures
    uncertainty: dict[str, Uncertainty] = field(default_factory=dict)
    noise_floor: dict[str, float] = field(default_factory=dict)
    range: dict[str, tuple[float, float]] = field(default_factory=dict)
    draws: dict[str, Array] = field(default_factory=dict)
    judged: dict[Any, Any] = field(default_factory=dict, repr=False, compare=False)
    systematic: bool = False

    def scalar(self, key: str) -> float | None:
        """A scalar figure, None where it is absent or not a number."""
        value = self.figures.get(key)
        return None if value is None or value.ndim or not np.isfinite(value) else float(value)

    @property
    def remark(self) -> str:
        """What is no number of the readings, in words; empty where all are."""
        return remark(self.figures)


def value_of(analyses: Mapping[str, Analysis], figure: Figure) -> float | None:
    """A figure among analyses by measurement, None where it was not measured or is not a number."""
    found = analyses.get(figure.measurement)
    return None if found is None else found.scalar(figure.key)


def remark(figures: Mapping[str, Array]) -> str:
    """Over how many of its patches an analysis is, in words; empty where it is over all."""
    total, saturated, below, strange = (int(figures[k]) if k in figures else 0 for k in (*COUNTS, IMPLAUSIBLE))
    said = [f"{saturated} saturated"] if saturated else []
    said += [f"{below} under the meter's floor"] if below else []
    said += [f"{strange} of a colour that no light has"] if strange else []
    return f"{total} patches, {listed(said)}" if said else ""


def _error_keys(m: Measurement, figures: Figures) -> list[str]:
    def is_error(key: str) -> bool:
        return ("de2000" in key or "de_itp" in key or key.endswith("_lstar")) and not key.endswith(
            ("_percent", "_index")
        )

    return [k for k, v in figures.items() if v.ndim == 0 and (k in m.floors or is_error(k))]


def analyse(
    measurement: str | Measurement, readings: Readings, target: Target, uncertain: bool = True, most_draws: int = DRAWS
) -> Analysis:
    """Figures of `readings` (all of a setup's; the measurement picks its own) against `target`.

    Raises MissingPatchError where the readings do not suffice, with the name of what is missing. The value always comes
    from the actual readings; those that are saturated are left out and counted.
    """
    m = MEASUREMENTS[measurement] if isinstance(measurement, str) else measurement
    chosen, lost, own = chosen_readings(m, readings)
    try:
        found = m.analyse(own, target)
    except MissingPatchError as e:
        if not lost.any():
            raise
        raise MissingPatchError(f"{e}: {_named(chosen.layout, lost)} too bright for the meter") from e
    figures = {k: np.asarray(v, float) for k, v in found.items()}
    counts = (len(chosen), int(lost.sum()), int(own.below_floor.sum()))
    figures |= {k: np.array(float(v)) for k, v in zip(COUNTS, counts, strict=True)}
    if strange := int((implausible(own.XYZ) & ~own.dim & own.layout.of_light).sum()):
        figures[IMPLAUSIBLE] = np.array(float(strange))
    if not uncertain or not m.draws:
        return Analysis(m.key, target.key, figures)
    count = min(m.draws, most_draws)
    drawn = m.analyse(draw(own, draws=count), target)
    draws = {k: drawn[k] for k, v in figures.items() if v.ndim == 0 and k in drawn}
    values = {k: float(figures[k]) for k in draws}
    exact, perfect = _perfect(m, own, target, count)
    spread = _spread(m, own, target, count, values, draws)
    for key in spread:
        if key in perfect and key in exact and np.ndim(exact[key]) == 0:
            most = key in m.extremes or key in m.picked
            spread[key] = with_perfect(spread[key], values[key], float(exact[key]), perfect[key], most)
    floors = {
        k: quantiles(perfect[k][~np.isnan(perfect[k])], [0.95])[0]
        for k in _error_keys(m, figures)
        if k in perfect and np.isfinite(perfect[k]).any()
    }
    span = _range(m, own, target, figures)
    for key, (low, high) in span.items():
        if key in spread:
            spread[key] = _widened(spread[key], values[key], low, high)
    return Analysis(
        measurement=m.key,
        target=target.key,
        figures=figures,
        uncertainty=spread,
        noise_floor=floors,
        range=span,
        draws=draws,
        systematic=readings.meter.mismatched,
    )


def chosen_readings(m: Measurement, readings: Readings) -> tuple[Readings, NDArray[np.bool_], Readings]:
    """The readings that a measurement picks, which of them are saturated, and the others."""
    chosen = readings.take(readings.layout.memo(("select", m.key), lambda: m.select(readings)))
    lost = chosen.lost(np.arange(len(chosen))) & chosen.layout.of_light
    return chosen, lost, chosen.take(~lost) if lost.any() else chosen


def drawn_figures(measurement: str, readings: Readings, target: Target, draws: int) -> Figures:
    """All figures of a measurement, those with many values too, from `draws` sets of readings: value by key, with the draws on
    the first axis where a figure depends on readings. Empty if the measurement has no draws."""
    m = MEASUREMENTS[measurement]
    return m.analyse(draw(chosen_readings(m, readings)[2], draws=draws), target) if m.draws else {}


def _spread(
    m: Measurement, own: Readings, target: Target, count: int, values: Mapping[str, float], draws: Mapping[str, Array]
) -> dict[str, Uncertainty]:
    """The intervals of single figures (by key) from their draws, before what noise does to a perfect display is taken into
    account."""
    spread = summarise_all(values, draws, m.extremes, m.ratios)
    spread |= {k: narrowed(spread[k], values[k]) for k in m.from_one if k in spread}
    if m.alike is not None:
        smooth = m.alike(own)
        level, about = m.analyse(own.with_XYZ(smooth), target), m.analyse(draw(own, around=smooth, draws=count), target)
        calm = m.analyse(draw(replace(own, drift=None), around=smooth, draws=count), target)
        for key in spread.keys() & set(m.picked):
            spread[key] = about_alike(spread[key], values[key], float(level[key]), about[key], calm[key])
    return spread


def _named(layout: Layout, lost: NDArray[np.bool_]) -> str:
    """Which patches, and that they are or one is."""
    codes = [layout.code(int(i)) for i in np.flatnonzero(lost)[:3]]
    more = int(lost.sum()) - len(codes)
    return f"{', '.join(codes)}{f' and {more} more' if more else ''} {'is' if lost.sum() == 1 else 'are'}"


def _perfect(m: Measurement, own: Readings, target: Target, draws: int) -> tuple[Figures, Figures]:
    """Figures of a display that is perfect in what the measurement is about, without noise and by draw; empty where there
    is none such."""
    try:
        ideal = np.asarray(m.ideal(own, target), float)
        # A perfect display shows its target also where the reading at hand is no number.
        Y = ideal[..., 1]
        below = np.where(own.layout.of_light, own.meter.limit > Y, own.below_floor)
        dim = below | (own.layout.of_light & (3 * own.meter.u(Y) > Y))
        shown = replace(own, below_floor=below, dim=dim)
        exact = m.analyse(shown.with_XYZ(ideal), target)
        return exact, m.analyse(draw(shown, around=ideal, draws=draws), target)
    except MissingPatchError:
        return {}, {}


def _needs_black(m: Measurement) -> bool:
    """Whether black is among the patches that a measurement asks for."""
    return any(p.rgb == BLACK and p.level is None and p.zone is None for p in m.patches(Context()))


def _range(m: Measurement, own: Readings, target: Target, figures: Figures) -> dict[str, tuple[float, float]]:
    """The range of scalar figures that readings under the meter's floor leave open: with black at nothing and at the most that it
    can be, and, for measurements that say so, with every other reading under the floor at nothing."""
    others = [_sunk(own)] if m.bounded_below and own.below_floor.any() else []
    most = black_most(own) if len(own.find(WHITE)) and _needs_black(m) else None
    if most is not None and most > 0:
        others.append(_lifted(own, target, most))
    found: dict[str, tuple[float, float]] = {}
    for other in others:
        try:
            ends = m.analyse(other, target)
        except MissingPatchError:
            continue
        for key, value in figures.items():
            if value.ndim == 0 and key in ends and key not in (*COUNTS, IMPLAUSIBLE):
                low, high = found.get(key, (float(value), float(value)))
                low, high = min(low, float(ends[key])), max(high, float(ends[key]))
                if np.isfinite([low, high]).all():
                    found[key] = (low, high)
    return {k: (low, high) for k, (low, high) in found.items() if high > low}


def _sunk(own: Readings) -> Readings:
    """The readings with those under the floor, black left as it is, at nothing; they stay too dark for a colour."""
    sunk = own.below_floor & ~own.same_signal(BLACK) & own.layout.of_light
    return replace(own, XYZ=np.where(sunk[:, None], 0.0, own.XYZ), below_floor=own.below_floor & ~sunk)


def _lifted(own: Readings, target: Target, most: float) -> Readings:
    """The readings with black at the most that it can be, of the target's white."""
    index = own.find(BLACK)
    if len(index):
        XYZ, below, dim = own.XYZ.copy(), own.below_floor.copy(), own.dim.copy()
        XYZ[index[0]] = target.white_XYZ(most)
        below[index[0]] = dim[index[0]] = False
        return replace(own, XYZ=XYZ, below_floor=below, dim=dim)
    return own.with_black(target.white_XYZ(most))


def _widened(u: Uncertainty, value: float, low: float, high: float) -> Uncertainty:
    """An uncertainty with what readings under the floor leave open: any value from low to high is as good as any other."""
    standard = float(np.hypot(u.standard, (high - low) / np.sqrt(12)))
    return Uncertainty(standard, u.low + min(0.0, low - value), u.high + max(0.0, high - value))
