"""Additivity: whether colours are the sums of their parts, and so whether a matrix can describe the display."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from lumenar.core.colour import difference, spaces
from lumenar.core.colour.transfer import pq, pq_inverse
from lumenar.core.measurements.base import (
    BLACK,
    DEPTHS,
    WHITE,
    Array,
    Column,
    Context,
    Figures,
    Measurement,
    MissingPatchError,
    Option,
    black_XYZ,
    knows_black,
    one,
    quantised,
)
from lumenar.core.measurements.charts import Axis, Chart, Mark, Shown, Table, Value
from lumenar.core.numbers import signed
from lumenar.core.quantiles import normal_quantile
from lumenar.core.readings.patches import RGB_TOLERANCE, Patch
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import TARGETS, Target

SUMS: dict[str, tuple[int, int, int]] = {
    "white": (1, 1, 1),
    "cyan": (0, 1, 1),
    "magenta": (1, 0, 1),
    "yellow": (1, 1, 0),
}
LIMIT_PERCENT = 2.0
"""Errors of sums within this are no concern."""
WIDEST_PERCENT = 4.0
"""An interval that reaches further on either side does not decide."""
WITHIN = 1.05
"""Share of the display's light up to which a level of PQ may ask: the code that asks for all of it was found by a reading."""
CLASSES = ("no", "yes", "open")


HUES = np.array([*np.eye(3), *SUMS.values()], float)
"""R, G, B, then the sums."""
PARTS = HUES[3:]
"""Which of R, G, B make a sum, (4, 3)."""
WITHIN_CONTAINERS = tuple(t for t in TARGETS.values() if t.container_space is not None)
"""The targets whose space is not that of the code values."""


def codes(level: float, target: Target) -> Array:
    """Signals (7, 3) of R, G, B and the sums at a level of grey: in PQ of the space that is compared with, inside its container,
    as primaries that the display cannot show would be cut off and add up to nothing that it shows."""
    if target.container_space is None:
        return level * HUES
    light = float(pq(level)) * HUES @ target.to_container.T
    found = np.asarray(pq_inverse(np.maximum(light, 0)), float)
    # White is white in both, to the last digit.
    found[len(HUES) - len(PARTS)] = level
    return found


def patches(context: Context) -> list[Patch]:
    """R G B C M Y W at some levels in the setup's window, evenly spaced up to the signal that asks for all light there is, with
    white and black."""
    even = quantised(context.top * np.arange(1, context.sum_levels + 1) / context.sum_levels, context.bits)
    rgb = np.concatenate([quantised(codes(float(v), context.target), context.bits) for v in even])
    return [
        *(Patch((float(r), float(g), float(b)), context.window) for r, g, b in rgb),
        Patch(WHITE, context.window),
        Patch(BLACK, context.window),
    ]


def select(readings: Readings) -> NDArray[np.intp]:
    """The colours of every level that was read whole, with white and black."""
    own = np.flatnonzero(readings.plain)
    plain = readings.take(own)
    index = np.concatenate([_by_level(plain, t)[1].ravel() for t in (None, *WITHIN_CONTAINERS)])
    ends = np.flatnonzero(readings.plain & (readings.same_signal(WHITE) | readings.same_signal(BLACK)))
    return np.unique(np.concatenate([own[index], ends]))


def _by_level(readings: Readings, target: Target | None) -> tuple[Array, NDArray[np.intp]]:
    """Levels (k,) at which all seven colours were read, and the reading of each (k, 7): of the space that a target is compared
    with inside its container, None for the code values' own primaries."""

    def look() -> tuple[Array, NDArray[np.intp]]:
        places = {tuple(c): i for i, c in enumerate(np.round(readings.rgb, 4).tolist())}
        grey = (np.ptp(readings.rgb, axis=1) < RGB_TOLERANCE) & (readings.rgb[:, 1] > RGB_TOLERANCE)
        greys = np.unique(readings.rgb[grey, 1]).tolist()
        levels, index = [], []
        for v in greys:
            wanted = [v * HUES] if target is None else [quantised(codes(v, target), b) for b in DEPTHS]
            for rgb in wanted:
                found = [places.get(tuple(c)) for c in np.round(rgb, 4).tolist()]
                if all(f is not None for f in found):
                    levels.append(float(v))
                    index.append(found)
                    break
        return np.array(levels), np.array(index, np.intp).reshape(-1, 7)

    return readings.layout.memo(("sums", target), look)


def _sums(readings: Readings, target: Target) -> tuple[Array, NDArray[np.intp]]:
    """The levels and readings that a target is judged by: in its own space where these were read, else in another that was."""
    own = None if target.container_space is None else target
    found = [_by_level(readings, t) for t in dict.fromkeys((own, None, *WITHIN_CONTAINERS))]
    return next((f for f in found if len(f[0])), found[0])


def analyse(readings: Readings, target: Target) -> Figures:
    """Figures of additivity (docs/figures.md), by level (k,) and sum W, C, M, Y (k, 4); measured against the sum.

    W = R+G+B-2K, C = G+B-K and so on, in XYZ. U is the half width of the interval of each error in luminance: the noise of the
    readings, at 95 % for all sums together (Bonferroni), and what readings under the meter's floor leave open. The display is
    not additive if an error less its U exceeds 2 %; additive if every error is within max(2 %, U), with no U above 4 %; else the
    readings do not decide. The largest error is of the levels that decide, and no number if none does. Raises MissingPatchError
    if no level has all seven colours. In PQ levels that ask for more light than there is are left out: every display cuts sums
    off there.
    """
    white = one(readings, WHITE, "100 % white")
    levels, index = _sums(readings, target)
    if target.signal == "pq":
        within = pq(levels) <= WITHIN * float(np.mean(white[..., 1]))
        levels, index = levels[within], index[within]
    if not len(levels):
        raise MissingPatchError("additivity needs R, G, B, C, M, Y and white of one level at least")
    known = knows_black(readings)
    K = black_XYZ(readings)[..., None, None, :]
    below = readings.below_floor[index]
    # What is under the floor counts as nothing, and leaves its sum open by as much as it can be.
    XYZ = np.where(below[..., None], 0.0, readings.XYZ[..., index, :])
    parts, got = XYZ[..., :3, :], XYZ[..., 3:, :]
    total = PARTS @ parts - (PARTS.sum(axis=1) - 1)[:, None] * K
    percents = 100 * (got[..., 1] / np.where(total[..., 1] == 0, np.nan, total[..., 1]) - 1)
    if target.signal == "pq":
        metric, de = "de_itp", difference.de_itp(got, total)
    else:
        reference = target.white_XYZ(white[..., 1])[..., None, None, :]
        metric, de = "de2000", difference.de2000(spaces.XYZ_to_Lab(got, reference), spaces.XYZ_to_Lab(total, reference))
    W, summed = got[..., 0, 1], parts[..., 1].sum(axis=-1)
    k = K[..., 0, 0, 1][..., None]
    lit = np.where(summed - 3 * k > 0, summed - 3 * k, np.nan)
    boost = 100 * ((W - k) / lit - 1)
    U_noise, U_floor = _half_widths(readings, index, total[..., 1], known)
    U, off = U_noise + U_floor, np.abs(percents)
    beyond = off - U > LIMIT_PERCENT
    decidable = np.asarray(((U <= WIDEST_PERCENT) | beyond).all(axis=-1))
    some = decidable.any(axis=-1)
    most = np.nanmax(np.where(decidable[..., None], off, -np.inf), axis=(-1, -2))
    worst = np.where(some, most, np.nan)
    figures: Figures = {
        "levels_percent": 100 * levels,
        "sum_error_percent": percents,
        f"sum_{metric}": de,
        "white_boost_by_level_percent": boost,
        "white_boost_percent": boost[..., -1],
        "sum_error_max_percent": worst,
        f"{metric}_max": de.max(axis=(-1, -2)),
        "undecidable": (~decidable).astype(float),
        "sum_interval_percent": U,
        "open_percent": U.min(axis=(-1, -2)),
        "open_by_floor": np.asarray(U_floor.min(axis=(-1, -2)) > U_noise.min(axis=(-1, -2)), float),
    }
    holds = (off <= np.maximum(LIMIT_PERCENT, U)).all(axis=-1)
    unclear = ~some | (decidable & ~holds & ~beyond.any(axis=-1)).any(axis=-1)
    verdict = np.where(beyond.any(axis=(-1, -2)), 0.0, np.where(unclear, 2.0, 1.0))
    return figures | {"additive": verdict}


def _half_widths(readings: Readings, index: NDArray[np.intp], total: Array, known: bool) -> tuple[Array, Array]:
    """Half widths (..., k, 4) in % of the interval of each sum's error, from noise and drift and from what is under the floor.

    index (k, 7): the readings of each level; total (..., k, 4): what the parts add up to in cd/m2; known: whether black is a
    number.
    """
    below = readings.below_floor[index]
    Y = np.where(below, 0.0, readings.XYZ[..., index, 1])
    drift = 0.0 if readings.drift is None else readings.drift[index]
    variance = readings.meter.u(Y) ** 2 + (drift * Y) ** 2
    blacks = PARTS.sum(axis=1) - 1
    black_variance = blacks**2 * readings.meter.u(0.0) ** 2
    one_in = np.maximum(np.abs(total), 1e-9)
    spread = np.sqrt(variance[..., 3:] + variance[..., :3] @ PARTS.T + black_variance)
    z = normal_quantile(1 - 0.025 / max(1, total.shape[-1] * total.shape[-2]))
    floors = below[..., 3:] + below[..., :3] @ PARTS.T + (0 if known else blacks)
    return 100 * z * spread / one_in, 100 * floors * readings.meter.limit / one_in


def _added(readings: Readings, target: Target) -> Array:
    """Every sum as its parts make it."""
    XYZ = np.where(readings.below_floor[:, None], 0.0, readings.XYZ)
    _, index = _sums(readings, target)
    K = np.maximum(black_XYZ(readings), 0)
    for row in index:
        XYZ[row[3:]] = PARTS @ XYZ[row[:3]] - (PARTS.sum(axis=1) - 1)[:, None] * K
    return XYZ


def words(f: Mapping[str, object]) -> str:
    """What the figures show, in one sentence."""
    verdict = int(float(str(f["additive"])))
    if verdict == 2:
        return _why_open(f)
    if verdict == 1:
        return f"Additive: every sum is within {f['sum_error_max_percent']:.1f} % of its parts, so a matrix profile describes it."
    return (
        f"Not additive: sums differ from their parts by up to {f['sum_error_max_percent']:.0f} %, white by "
        f"{signed(float(str(f['white_boost_percent'])), 0)} %; a matrix profile will be off by up to {_worst(f)}."
    )


def _why_open(f: Mapping[str, object]) -> str:
    """Why the readings do not decide, in one sentence."""
    U = float(str(f["open_percent"]))
    if float(str(f["open_by_floor"])):
        return f"Not decidable: readings under the meter's floor leave the sums open by {U:.1f} %."
    return f"Not decidable: the meter's noise leaves the sums open by {U:.1f} %. A meter that repeats better can tell."


def _worst(f: Mapping[str, object]) -> str:
    return f"dE ITP {f['de_itp_max']:.0f}" if "de_itp_max" in f else f"dE {f['de2000_max']:.0f}"


def charts(shown: Sequence[Shown]) -> list[Chart]:
    """A strip of level by sum for each setup, each cell its residual with sign."""
    return [_strip(s, i) for i, s in enumerate(shown)]


def _strip(s: Shown, setup: int) -> Chart:
    f = s.figures
    metric, called = ("sum_de_itp", "dE ITP") if "sum_de_itp" in f else ("sum_de2000", "dE2000")
    levels, percents, de, undecidable, U = (
        f[k] for k in ("levels_percent", "sum_error_percent", metric, "undecidable", "sum_interval_percent")
    )
    marks: list[Mark] = []
    top = max(float(np.abs(percents).max()), 2 * LIMIT_PERCENT)
    for i, level in enumerate(levels):
        for j, name in enumerate(SUMS):
            y = len(SUMS) - 1 - j
            value = float(percents[i, j])
            hint = f"{name} at {level:.0f} %: {signed(float(value), 2)} % luminance, {called} {de[i, j]:.2f}"
            if undecidable[i]:
                hint += f"; not decidable, known to ±{U[i, j]:.1f} % only"
            corner: tuple[tuple[float | None, float | None], ...] = ((i - 0.47, y - 0.44), (i + 0.47, y + 0.44))
            shade = 0.0 if undecidable[i] else min(1.0, abs(value) / top)
            marks.append(Mark("box", "residual", corner, shade=shade, hint=hint))
            text = "open" if undecidable[i] else signed(float(value), 1)
            beyond = not undecidable[i] and abs(value) > LIMIT_PERCENT
            marks.append(Mark("text", "lamp" if beyond else "ink", ((float(i), y + 0.06),), text, hint=hint))
            marks.append(Mark("text", "faint", ((float(i), y - 0.28),), f"dE {de[i, j]:.1f}", hint=hint, small=True))
    for j, name in enumerate(SUMS):
        marks.append(Mark("text", "ink", ((-0.95, len(SUMS) - 1.0 - j),), name))
    marks += [Mark("text", "faint", ((float(i), -0.75),), f"{v:.0f} %") for i, v in enumerate(levels)]
    rows: tuple[tuple[Value, ...], ...] = tuple(
        (f"{name} {level:.0f} %", float(percents[i, j]), float(de[i, j]))
        for i, level in enumerate(levels)
        for j, name in enumerate(SUMS)
    )
    return Chart(
        key="additivity" if setup == 0 else f"additivity_{setup}",
        kind="drawing",
        title="Additivity" if setup == 0 else f"Additivity, {s.name}",
        note="measured against the sum of its parts, luminance in %",
        headline={1: "additive", 0: "not additive", 2: "not decidable"}[int(f["additive"])],
        x=Axis("", "", -1.5, len(levels) - 0.5, 0),
        y=Axis("", "", -1, len(SUMS) - 0.5, 0),
        series=(),
        table=Table(("Sum", "Luminance, %", called), (None, 2, 2), rows),
        marks=tuple(marks),
        aspect=(len(levels) + 1) / 2.6,
        bare=True,
    )


MEASUREMENT = Measurement(
    key="additivity",
    title="Additivity",
    group="Colour",
    signals=("sdr", "pq"),
    columns=(
        Column("additive", "Additive", "", decimals=0, words=CLASSES),
        Column("white_boost_percent", "White boost", "%", decimals=1, main=False),
    ),
    patches=patches,
    select=select,
    analyse=analyse,
    words=words,
    charts=charts,
    ideal=_added,
    extremes=("sum_error_max_percent",),
    floors=("sum_error_max_percent",),
    options=(Option("sum_levels", "Sums at", "levels", low=1, high=10),),
    short="Additivity",
    order=5,
)
