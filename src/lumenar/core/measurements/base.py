"""What a measurement is: its patches, its figures, and how the Board names them."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lumenar.core.colour import adaptation, difference, spaces
from lumenar.core.measurements.charts import Chart, Shown
from lumenar.core.measurements.figure import Figure
from lumenar.core.numbers import ENDLESS, NO_NUMBER, significant
from lumenar.core.readings.patches import Patch
from lumenar.core.readings.readings import Readings
from lumenar.core.targets import REFERENCE_CD_M2, TARGETS, Anchor, Signal, Target

Array = NDArray[np.float64]
Figures = dict[str, Array]
"""Figures by key; each an array whose leading axes are the batch (none for the actual readings, draws otherwise)."""

WHITE, BLACK = (1.0, 1.0, 1.0), (0.0, 0.0, 0.0)


class MissingPatchError(ValueError):
    """A measurement lacks a reading that its figures cannot do without."""


@dataclass(frozen=True)
class Context:
    """What the patches of a measurement depend on: the window, and the values of the luminance control."""

    window: float = 0.1
    luminance_levels: tuple[float, ...] = ()
    target: Target = TARGETS["srgb"]
    bits: int = 10
    """The setup's declared target and the depth of the signal: codes are made for them, and quantised."""
    grid: tuple[int, int] = (5, 5)
    """Columns and rows of the uniformity grid."""
    grey_step: float = 5.0
    """Distance between the levels of the grey ramp in %."""
    hold_s: float = 180.0
    """How long a picture is held."""
    hold_area: float = 0.0
    """The share of the screen that is held, 0 for a tenth and then all of it."""
    hold_grey: float = 100.0
    """The grey that is held, in % of the signal."""
    peak_s: float = 120.0
    """How long each window of the peak is held."""
    sum_levels: int = 4
    """At how many levels sums are compared with their parts."""
    fine_black: bool = False
    """Near black also reads the 8-bit codes 1 to 16."""
    limited: bool = False
    """The signal is coded in limited range, so that codes above white and below black exist."""
    top: float = 1.0
    """The signal that asks for as much light as the display has: all of it in SDR, in PQ the code of what it showed last."""
    modulation_levels: tuple[float, ...] = ()
    """Values of the luminance control at which the waveform of white is read."""


@dataclass(frozen=True)
class Option:
    """Something that a measurement can be asked to do otherwise: the field of `Context` it sets, its name and unit for the
    person, and either the values it may have or the range that they lie in."""

    field: str
    title: str
    unit: str = ""
    choices: tuple[tuple[object, str], ...] = ()
    low: float | None = None
    high: float | None = None
    switch: bool = False


Group = Literal["Light", "Tone", "Colour", "Screen"]
"""Groups of measurements, in the order of the Board."""


@dataclass(frozen=True)
class Column:
    """One column of the Board: which figure, its head and unit, and how many decimals."""

    figure: str
    head: str
    unit: str
    decimals: int | None = None
    significant: int | None = None
    step: float | None = None
    floor_figure: str | None = None
    judged_by: str | None = None
    """The figure whose points stand under this one, where it has none of its own."""
    main: bool = True
    """Shown on the whole Board; others only when the Board shows one group."""
    signals: tuple[Signal, ...] = ()
    """The signals of setups that have use for it, all where none is said."""
    words: tuple[str, ...] = ()
    """Written in place of the numbers 0, 1, 2 ... where the figure is a class."""

    def last_digit(self, value: float) -> float:
        """What one step of the last digit is worth that the column shows of a value."""
        if self.step:
            return self.step
        if self.significant:
            return float(10.0 ** (np.floor(np.log10(abs(value))) - self.significant + 1)) if value else 1.0
        return 10.0 ** -(self.decimals or 0)


@dataclass(frozen=True)
class Measurement:
    """A kind of test. `analyse` raises MissingPatchError where the readings do not suffice."""

    key: str
    title: str
    group: Group
    signals: tuple[Signal, ...]
    columns: tuple[Column, ...]
    patches: Callable[[Context], list[Patch]]
    select: Callable[[Readings], NDArray[np.intp]]
    analyse: Callable[[Readings, Target], Figures]
    words: Callable[[Mapping[str, object]], str]
    """One sentence that says what the figures show."""
    charts: Callable[[Sequence[Shown]], list[Chart]]
    """The pictures of one or several setups overlaid, the first being the one in question."""
    figures: tuple[Figure, ...] = ()
    """Those of its figures that other parts of the program refer to."""
    beside_report: bool = False
    """Whether a host's report of the display stands beside it."""
    warms: bool = False
    """Whether it is shown beside it how the display warmed up."""
    short: str = ""
    """Its name where there is little room; the title where it has none."""
    luminance_alone: bool = False
    """Whether its figures rest on Y alone, so that a meter that shows no colour serves."""
    order: int = 0
    """Its place within its group."""
    prepare: Callable[[], None] | None = None
    """Computes what is needed once of every target."""
    against_target: bool = True
    """Whether its figures depend on the target; where not, they are those of any other."""
    first_pass: bool = False
    """Whether every mode as shipped is measured for it, to find those worth more time; and a tuning is proven by it."""
    greys: Figure | None = None
    """The figure with the mean error of greys, if this measurement stands for greys in its signals."""
    least: int = 1
    """So few patches would not suffice for its figures."""
    draws: int = 200
    """How many draws its uncertainty takes; none where the readings carry no repeatability of their own."""
    ideal: Callable[[Readings, Target], Array] = lambda readings, target: target.XYZ(readings.rgb, anchor_of(readings))
    """What the readings would be if the display were perfect, XYZ (n, 3): the noise floor is drawn about it."""
    floors: tuple[str, ...] = ()
    """Scalar figures that have a noise floor besides dE2000 and L*: those that noise alone makes larger than nothing."""
    extremes: tuple[str, ...] = ()
    """Scalar figures that are a largest distance among many readings."""
    alike: Callable[[Readings], Array] | None = None
    """The readings, XYZ (n, 3), with those made alike that noise can not tell apart: the figures in `picked` are drawn about
    these."""
    picked: tuple[str, ...] = ()
    """Scalar figures that depend on which reading is the largest."""
    from_one: tuple[str, ...] = ()
    """Scalar figures that are a mean of distances from one reading."""
    ratios: tuple[str, ...] = ()
    """How scalar figures begin that are a ratio or a share of an area, which noise moves both ways."""
    further: Callable[[Readings, Target, int], list[Patch]] | None = None
    """What more is to be read once all its patches were, by what they showed, in a signal of so many bits; nothing where that
    suffices. Asked again after each."""
    options: tuple[Option, ...] = ()
    """What a run may ask of it to do otherwise; each a field of `Context`."""
    bounded_below: bool = False
    """Whether a reading under the meter's floor gives a range of its figures, from nothing to the floor."""

    def named(self, start: str) -> str:
        """How the names of its figures begin whose keys begin so, as rubrics write them."""
        return f"{self.key}.{start}"

    def __post_init__(self) -> None:
        object.__setattr__(self, "words", _readable(self.words))


def _readable(words: Callable[[Mapping[str, object]], str]) -> Callable[[Mapping[str, object]], str]:
    """The same sentence with what is no number written as people write it."""

    def sentence(f: Mapping[str, object]) -> str:
        return _NO_NUMBER.sub(lambda found: ENDLESS if "inf" in found[0] else NO_NUMBER, words(f))

    return sentence


_NO_NUMBER = re.compile(r"[-−+]?\b(nan|inf)\b")


DEPTHS = (8, 10, 12)
"""Bits that signals have, where nobody says how many."""
HALF_CODE = 0.0024
"""Half a code of eight bits, limited range: signals closer than this may be one level in two ways of coding it."""


def quantised(rgb: ArrayLike, bits: int) -> Array:
    """Signals as codes of so many bits can hold them."""
    top = 2**bits - 1
    return np.asarray(np.round(np.asarray(rgb, float) * top) / top, float)


def greys(levels: ArrayLike, context: Context, window: float | None = None) -> list[Patch]:
    """Grey patches at levels 0..1, each the nearest code of the signal's depth, none twice."""
    codes = dict.fromkeys(float(v) for v in quantised(levels, context.bits))
    return [Patch((v, v, v), context.window if window is None else window) for v in codes]


def direction(at: tuple[float, float]) -> str:
    """A place on the screen in words: shares of width and height from the upper left."""
    column = ("left", "", "right")[min(2, int(3 * at[0]))]
    row = ("upper", "", "lower")[min(2, int(3 * at[1]))]
    return f"{row} {column}".strip() or "centre"


def outside_ladder(readings: Readings, rgb: Sequence[tuple[float, float, float]]) -> NDArray[np.intp]:
    """Indices of the readings whose signal is one of `rgb`, ladders left out, in the order of `rgb`."""
    if not len(readings):
        return np.zeros(0, np.intp)
    found = [readings.find(c) for c in rgb]
    return np.concatenate([f[:1] for f in found]).astype(np.intp)


def one(readings: Readings, rgb: tuple[float, float, float], name: str) -> Array:
    """XYZ (..., 3) of one patch; raises MissingPatchError where it was not read or is too dark for a colour."""
    index = readings.find(rgb)
    if not len(index):
        raise MissingPatchError(f"no reading of {name} (rgb {', '.join(f'{v:g}' for v in rgb)})")
    if readings.dim[index[0]]:
        raise MissingPatchError(f"{name} (rgb {', '.join(f'{v:g}' for v in rgb)}) is too dark for this meter")
    return readings.XYZ[..., index[0], :]


def knows_black(readings: Readings) -> bool:
    """Whether black was read and is a number."""
    index = readings.find(BLACK)
    return len(index) > 0 and not bool(readings.below_floor[index[0]])


def at_least(key: str, Y: Array, readings: Readings) -> Figures:
    """The lower bound of a ratio of Y (...) to a black under the meter's floor, as a figure `<key>_at_least`.

    If nobody stated the floor, the bound rests on an assumption: it is `<key>_if_floor` then, is not scored, and the assumed
    floor is another figure beside it.
    """
    limit = readings.meter.limit
    if readings.meter.floor_origin != "assumed":
        return {f"{key}_at_least": Y / limit}
    return {f"{key}_if_floor": Y / limit, FLOOR_ASSUMED: np.full(Y.shape, limit)}


FLOOR_ASSUMED = "floor_assumed_cd_m2"
"""Key of the figure that gives the assumed floor in cd/m2, if nobody stated the floor of the meter."""


def floor_assumed(f: Mapping[str, object], key: str) -> str:
    """A sentence on the contrast if black is under an assumed floor; empty if the floor was stated or black was measured."""
    ratio, floor = f.get(f"{key}_if_floor"), f.get(FLOOR_ASSUMED)
    if ratio is None or floor is None:
        return ""
    return (
        f"black is under the meter's floor, which isn't stated; with an assumed floor of {float(str(floor)):.3g} cd/m²"
        f" contrast would be at least {significant(float(str(ratio)), 3)} : 1"
    )


def black_XYZ(readings: Readings) -> Array:
    """XYZ (..., 3) of black; zeros where it was not read or lies under the meter's floor."""
    if not knows_black(readings):
        return np.zeros((*readings.XYZ.shape[:-2], 3))
    return readings.XYZ[..., readings.find(BLACK)[0], :]


def black_most(readings: Readings) -> float | None:
    """The most that black can be in cd/m2 where it is no number: the meter's limit, or the darkest reading of the setup
    where black was not read. None where black is known."""
    if knows_black(readings):
        return None
    limit = readings.meter.limit
    if len(readings.find(BLACK)):
        return limit
    Y = readings.XYZ[..., readings.plain, 1]
    known = Y[np.isfinite(Y)]
    return max(float(known.min()), limit) if len(known) else limit


def closest(readings: Readings, target_XYZ: Array) -> Array:
    """XYZ (..., n, 3) of the readings, where those under the floor are what comes closest to their target (..., n, 3): they
    lie between nothing and the floor, so where the target is above the floor they are at it, of the target's colour, which
    gives the smallest error that they can have; where it is not, they are undecided, NaN."""
    below = readings.below_floor
    if not below.any():
        return readings.XYZ
    limit, want = readings.meter.limit, target_XYZ[..., 1:2]
    with np.errstate(divide="ignore", invalid="ignore"):
        at_floor = np.where(want > limit, target_XYZ * (limit / want), np.nan)
    return np.asarray(np.where(below[:, None], at_floor, readings.XYZ), float)


def uv_of(readings: Readings) -> Array:
    """CIE 1976 u'v' (..., n, 2) of the readings, NaN where they are too dark for a chromaticity."""
    return np.asarray(np.where(readings.dim[:, None], np.nan, uv(readings.XYZ)), float)


def adapted(XYZ: Array, white: Array, target: Target) -> Array:
    """XYZ (..., n, 3) Bradford-adapted from the measured white (..., 3) to the target's white of the same luminance, so
    that what remains of an error is not white's."""
    wanted = target.white_XYZ(white[..., 1])
    return np.asarray(XYZ @ np.swapaxes(adaptation.bradford(white, wanted), -1, -2), float)


def own_white_errors(readings: Readings, white: Array, target_XYZ: Array, target: Target) -> Array:
    """dE2000 (..., n) of the readings after adaptation to the measured white (..., 3)."""
    free = readings.with_XYZ(adapted(readings.XYZ, white, target))
    Y = target.reference_Y(white[..., 1])
    return difference.de2000(target.Lab(closest(free, target_XYZ), Y), target.Lab(target_XYZ, Y))


def summary(errors: Array, prefix: str = "de2000") -> tuple[Figures, Array]:
    """`worst` under keys with a prefix, and the index of the worst."""
    found = worst(errors)
    index = found.pop("index")
    return {f"{prefix}_{k}": v for k, v in found.items()}, index


def anchor_of(readings: Readings) -> Anchor:
    """White and black of the readings as a target's anchor; a black that noise makes negative counts as none."""
    return Anchor(one(readings, WHITE, "100 % white")[..., 1], np.maximum(black_XYZ(readings)[..., 1], 0))


def worst(errors: Array) -> dict[str, Array]:
    """Mean, max, its index, the mean of the ceil(N/10) worst and of the rest, over the last axis; NaN is left out."""
    known = np.isfinite(errors).reshape(-1, errors.shape[-1]).any(axis=0)
    places = np.flatnonzero(known)
    e = errors[..., known]
    if e.shape[-1] == 0:
        nothing = np.full(errors.shape[:-1], np.nan)
        return dict.fromkeys(("mean", "max", "worst_tenth", "rest", "index"), nothing)
    n = -(-e.shape[-1] // 10)
    ordered = np.sort(e, axis=-1)
    rest = ordered[..., :-n].mean(axis=-1) if n < e.shape[-1] else ordered.mean(axis=-1)
    return {
        "mean": e.mean(axis=-1),
        "max": ordered[..., -1],
        "worst_tenth": ordered[..., -n:].mean(axis=-1),
        "rest": rest,
        "index": places[np.argmax(e, axis=-1)].astype(float),
    }


def colour_errors(XYZ: Array, target_XYZ: Array, target: Target, white_Y: Array) -> Figures:
    """dE2000 with its signed parts, and chroma-only dE with the target's luminance set to the measured one; in PQ and HLG dE ITP
    too, and no dE2000 of what is brighter than reference white.

    XYZ and target_XYZ (..., n, 3) in cd/m2, white_Y (...). For a batch of draws without the parts, in PQ and HLG without dE2000,
    which is beside the point there: these have no draws.
    """
    if target.signal != "sdr" and XYZ.ndim > 2:
        return {"de_itp": difference.de_itp(XYZ, target_XYZ)}
    found = _differences(XYZ, target_XYZ, target, white_Y)
    if target.signal == "sdr":
        return found
    bright = np.maximum(XYZ[..., 1], target_XYZ[..., 1]) > REFERENCE_CD_M2 * (1 + 1e-6)
    found = {k: np.where(bright, np.nan, v) for k, v in found.items()}
    return found | {"de_itp": difference.de_itp(XYZ, target_XYZ)}


def _differences(XYZ: Array, target_XYZ: Array, target: Target, white_Y: Array) -> Figures:
    Lab, wanted = target.Lab(XYZ, white_Y), target.Lab(target_XYZ, white_Y)
    if XYZ.ndim > 2:
        return {"de2000": difference.de2000(Lab, wanted)}
    want, Y = target_XYZ[..., 1:2], XYZ[..., 1:2]
    scaled = np.where(want > 0, target_XYZ * (Y / np.where(want > 0, want, 1.0)), Y * target.white_XYZ())
    # Both comparisons in one go.
    parts = difference.de2000_parts(Lab, np.stack([wanted, target.Lab(scaled, white_Y)]))
    return {
        "de2000": parts.de2000[0],
        "de_lightness": parts.lightness[0],
        "de_chroma": parts.chroma[0],
        "de_hue": parts.hue[0],
        "de_chroma_only": parts.de2000[1],
    }


def balance(XYZ: Array, target: Target) -> Array:
    """Channel balance 100 M_t^-1 (XYZ / Y), (..., 3): luminance cancels, 100 100 100 is neutral."""
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.asarray(100 * (XYZ / XYZ[..., 1:2]) @ target.container.inverse.T, float)


def uv(XYZ: Array) -> Array:
    """CIE 1976 u'v' (..., 2)."""
    return spaces.XYZ_to_uv(XYZ)
