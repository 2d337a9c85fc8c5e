"""From readings to figures with their uncertainty, noise floor and range."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from lumenar.core.measurements import MEASUREMENTS, Figures, Measurement
from lumenar.core.measurements.base import BLACK, WHITE, anchor_of
from lumenar.core.readings import Readings
from lumenar.core.targets import Target
from lumenar.core.uncertainty import DRAWS, Uncertainty, draw, summarise_all

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Analysis:
    """The figures of one measurement of one setup against one target.

    figures: value by key, numbers and (nested) lists, NaN left as NaN. uncertainty: for scalar figures. noise_floor:
    95th percentile of an error figure if the truth were the target; an error below it is shown with "<". range: the
    figure with black at zero and at the meter's floor, where black lies under it. draws: scalar figures by draw.
    """

    measurement: str
    target: str
    figures: Figures
    uncertainty: dict[str, Uncertainty] = field(default_factory=dict)
    noise_floor: dict[str, float] = field(default_factory=dict)
    range: dict[str, tuple[float, float]] = field(default_factory=dict)
    draws: dict[str, Array] = field(default_factory=dict)

    def scalar(self, key: str) -> float | None:
        """A scalar figure, None where it is absent or not a number."""
        value = self.figures.get(key)
        return None if value is None or value.ndim or not np.isfinite(value) else float(value)


def _error_keys(figures: Figures) -> list[str]:
    return [k for k, v in figures.items() if v.ndim == 0 and (k.startswith("de2000_") or k.endswith("_lstar"))]


def analyse(
    measurement: str | Measurement, readings: Readings, target: Target, uncertain: bool = True, most_draws: int = DRAWS
) -> Analysis:
    """Figures of `readings` (all of a setup's; the measurement picks its own) against `target`.

    Raises MissingPatchError where the readings do not suffice. The value always comes from the actual readings.
    """
    m = MEASUREMENTS[measurement] if isinstance(measurement, str) else measurement
    own = readings.take(readings.layout.memo(("select", m.key), lambda: m.select(readings)))
    figures = {k: np.asarray(v, float) for k, v in m.analyse(own, target).items()}
    if not uncertain or not m.draws:
        return Analysis(m.key, target.key, figures)
    count = min(m.draws, most_draws)
    drawn = m.analyse(draw(own, draws=count), target)
    draws = {k: drawn[k] for k, v in figures.items() if v.ndim == 0 and k in drawn}
    spread = summarise_all(draws)
    return Analysis(
        m.key,
        target.key,
        figures,
        spread,
        _noise_floor(m, own, target, figures, count),
        _range(m, own, target, figures),
        draws,
    )


def _noise_floor(m: Measurement, own: Readings, target: Target, figures: Figures, draws: int) -> dict[str, float]:
    keys = [k for k in _error_keys(figures) if not k.endswith(("_percent", "_index"))]
    if not keys or not len(own.find(WHITE)):
        return {}
    ideal = np.asarray(target.XYZ(own.rgb, anchor_of(own)), float)
    perfect = m.analyse(draw(own, around=ideal, draws=draws), target)
    return {k: float(np.nanquantile(perfect[k], 0.95)) for k in keys}


def _range(m: Measurement, own: Readings, target: Target, figures: Figures) -> dict[str, tuple[float, float]]:
    """Error figures once more with black at the meter's floor, where black lies under it."""
    index = own.find(BLACK)
    floor = own.meter.floor
    if not len(index) or not own.below_floor[index[0]] or floor <= 0:
        return {}
    XYZ, below = own.XYZ.copy(), own.below_floor.copy()
    XYZ[..., index[0], :] = target.white_XYZ(floor)
    below[index[0]] = False
    lifted = replace(own, XYZ=XYZ, below_floor=below)
    other = m.analyse(lifted, target)
    pairs = {k: sorted((float(figures[k]), float(other[k]))) for k in (*_error_keys(figures), "gamma") if k in figures}
    return {k: (a, b) for k, (a, b) in pairs.items()}
