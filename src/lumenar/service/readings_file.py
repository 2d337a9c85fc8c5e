"""The readings file, in and out (docs/formats.md)."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Annotated, Any, Literal, TypeVar

import numpy as np
from numpy.typing import NDArray
from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationError, model_validator

from lumenar.bench.problems import first_problem
from lumenar.core.analysis import Analysis, analyse
from lumenar.core.colour.correction import PRIMARIES, WHITE
from lumenar.core.measurements import MEASUREMENTS, MissingPatchError
from lumenar.core.numbers import significant
from lumenar.core.readings import (
    COLD,
    Arranged,
    MeterLimits,
    Patch,
    Pattern,
    Readings,
    Reads,
    Spectrum,
    Trace,
    Waveform,
    arranged,
    collect,
    floor_from,
)
from lumenar.core.strict_json import DoubledNameError, refuse_doubled
from lumenar.core.targets import DEFAULT_TARGETS, Target, of_its_own, resolve
from lumenar.service.errors import BadInputError
from lumenar.service.loading import corrected_limits

MAX_CD_M2 = 100_000.0
MAX_BYTES = 64_000_000
"""A readings file is at most so large: about 300,000 readings."""
Signal01 = Annotated[float, Field(ge=-0.1, le=1.1)]
Tristimulus = Annotated[float, Field(ge=-MAX_CD_M2, le=MAX_CD_M2 * 10)]
_DEFAULT_TARGET = {**DEFAULT_TARGETS, "sdr": "srgb"}
NEGATIVE_CD_M2, NEGATIVE_SHARE = 0.1, 0.01
"""Near black a real meter reads slightly less than nothing: components down to this, and this share of Y, are readings."""
DIMMER = 1.1
"""A grey that is so many times as bright as white says that one of the two is wrong."""


def _plain_text(text: str) -> str:
    if any(ord(c) < 32 or ord(c) == 127 for c in text):
        raise ValueError("control characters are not allowed")
    return text


Text = Annotated[str, Field(max_length=200), AfterValidator(_plain_text)]
Name = Annotated[str, Field(min_length=1, max_length=200), AfterValidator(_plain_text)]
Matrix = tuple[tuple[float, float, float], tuple[float, float, float], tuple[float, float, float]]


class _Strict(BaseModel):
    """Numbers are numbers: a text or a truth value that looks like one is refused."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False, strict=True)


class FileUnit(_Strict):
    """A unit that setups refer to."""

    id: Name
    maker: Text = ""
    model: Text = ""
    serial: Text = ""
    sample: Text = ""
    panel: Literal["lcd", "oled", "projector", "other"] = "other"
    firmware: Text = ""


class FileSeries(_Strict):
    """What one meter read for a correction."""

    names: Annotated[list[Text], Field(min_length=4, max_length=1000)]
    XYZ: Annotated[list[tuple[float, float, float]], Field(min_length=4, max_length=1000)]
    time_s: Annotated[list[float], Field(min_length=4, max_length=1000)]
    repeatability: Annotated[float, Field(ge=0, le=0.5)]
    absolute: Annotated[float, Field(ge=0, le=1000)]
    covariance: Annotated[list[Matrix], Field(max_length=1000)] | None = None


class FileCorrectionSeries(_Strict):
    """What both meters read for a correction, from which its uncertainty is drawn."""

    reference: FileSeries
    working: FileSeries

    @model_validator(mode="after")
    def _usable(self) -> FileCorrectionSeries:
        for who in ("reference", "working"):
            s: FileSeries = getattr(self, who)
            if not len(s.names) == len(s.XYZ) == len(s.time_s):
                raise ValueError(f"{who}: names, XYZ and time_s are of different length")
            if s.covariance is not None and len(s.covariance) != len(s.names):
                raise ValueError(f"{who}: covariance has {len(s.covariance)} matrices for {len(s.names)} readings")
            if missing := [c for c in (WHITE, *PRIMARIES) if c not in s.names]:
                raise ValueError(f"{who}: {missing[0]} was not read")
            if any(XYZ[1] <= 0 for n, XYZ in zip(s.names, s.XYZ, strict=True) if n in (WHITE, *PRIMARIES)):
                raise ValueError(f"{who}: a white or primary has no light")
        return self


class FileMeter(_Strict):
    """A meter that readings refer to. `correction` is applied to the XYZ as read. What is not stated of its behaviour near
    black is estimated from the readings."""

    id: Name
    name: Text = ""
    kind: Literal["colorimeter", "spectroradiometer", "photodiode", "luminance meter"] = "colorimeter"
    serial: Text = ""
    repeatability_percent: Annotated[float, Field(ge=0, le=50)] = 0.2
    floor_cd_m2: Annotated[float, Field(ge=0, le=1000)] | None = None
    absolute_cd_m2: Annotated[float, Field(ge=0, le=1000)] | None = None
    correction: Matrix | None = None
    correction_u_percent: Annotated[float, Field(ge=0, le=50)] = 0.0
    correction_series: FileCorrectionSeries | None = None


class FileCondition(_Strict):
    """Room light and automatic features during the readings."""

    lux: Annotated[float, Field(ge=0)] | None = None
    label: Text = ""
    automatic: list[Text] = []
    note: Text = ""


class FileMetadata(_Strict):
    """What a PQ signal says of itself."""

    mastering_peak_cd_m2: Annotated[float, Field(gt=0, le=10000)] | None = None
    maxcll: Annotated[float, Field(ge=0, le=10000)] | None = None
    maxfall: Annotated[float, Field(ge=0, le=10000)] | None = None


class FileWaveform(_Strict):
    """Light over time, dark subtracted."""

    rate_hz: Annotated[float, Field(gt=0, le=1e7)]
    samples: Annotated[list[float], Field(min_length=200, max_length=10_000_000)]


class FileSpectrum(_Strict):
    """Spectral radiance in W/(sr m2 nm) at even steps."""

    start_nm: Annotated[float, Field(ge=200, le=1000)]
    step_nm: Annotated[float, Field(gt=0, le=20)]
    radiance: Annotated[list[float], Field(min_length=20, max_length=2000)]


def _place(zone: tuple[int, int, int, int]) -> tuple[int, int, int, int]:
    column, row, columns, rows = zone
    if not (0 < columns <= 99 and 0 < rows <= 99):
        raise ValueError(f"a grid has 1 to 99 columns and rows, not {columns}x{rows}")
    if not (0 <= column < columns and 0 <= row < rows):
        raise ValueError(
            f"column {column}, row {row} is not in a grid of {columns}x{rows}; both count from 0 at the upper left"
        )
    return zone


Positive = Annotated[float, Field(gt=0, le=MAX_CD_M2)]


class FileWhite(_Strict):
    """The setup's white as it was watched while it was read, to see the display's drift."""

    time_s: Annotated[float, Field(ge=0)]
    XYZ: tuple[Positive, Positive, Positive]


class FileRun(_Strict):
    """What is known of a run that read the setup: the measurements it served (none: all), whether the display was warm, and
    its whites."""

    measurements: list[str] = []
    warm: bool | None = None
    rested_white: FileWhite | None = None
    whites: Annotated[list[FileWhite], Field(max_length=100_000)] = []


@lru_cache(maxsize=1 << 16)
def _patch(*what: Any) -> Patch:
    """A patch; setup after setup is read by the same list."""
    return Patch(*what)


class FileReading(_Strict):
    """One patch and its XYZ. XYZ may be null only where the meter said that the light was under its floor."""

    rgb: tuple[Signal01, Signal01, Signal01]
    XYZ: tuple[Tristimulus, Tristimulus, Tristimulus] | None
    measurement: str | None = None
    window: Annotated[float, Field(gt=0, le=1)] = 0.1
    background: Annotated[float, Field(ge=0, le=1)] = 0.0
    zone: Annotated[tuple[int, int, int, int], AfterValidator(_place)] | None = None
    level: Annotated[float, Field(ge=-1e6, le=1e6)] | None = None
    pattern: Pattern = "window"
    at_s: Annotated[float, Field(ge=0)] | None = None
    meter: str | None = None
    time_s: Annotated[float, Field(ge=0)] | None = None
    flag: Literal["below_floor", "saturated"] | None = None
    repeat: Annotated[int, Field(ge=0)] = 0
    waveform: FileWaveform | None = None
    spectrum: FileSpectrum | None = None
    id: int | None = None

    @cached_property
    def patch(self) -> Patch:
        """The patch that was read."""
        reads: Reads = "waveform" if self.waveform else "spectrum" if self.spectrum else "XYZ"
        return _patch(
            self.rgb, self.window, self.background, self.level, self.zone, self.pattern, self.at_s, self.repeat, reads
        )

    @property
    def number(self) -> tuple[float, float, float] | None:
        """Its XYZ; a flagged reading is no number, whatever stands beside the flag."""
        return None if self.flag is not None else self.XYZ

    @property
    def trace(self) -> Trace | None:
        """Its waveform or spectrum."""
        if self.waveform is not None:
            return Waveform(self.waveform.rate_hz, np.array(self.waveform.samples))
        if self.spectrum is not None:
            return Spectrum(self.spectrum.start_nm, self.spectrum.step_nm, np.array(self.spectrum.radiance))
        return None

    @model_validator(mode="after")
    def _consistent(self) -> FileReading:
        if self.XYZ is None and self.flag is None:
            raise ValueError("XYZ is null without a flag; say flag 'below_floor' or 'saturated', or give XYZ")
        if self.XYZ is not None and self.XYZ[1] > MAX_CD_M2:
            raise ValueError(f"Y = {self.XYZ[1]:g} cd/m2 is beyond {MAX_CD_M2:g}; XYZ must be absolute, Y in cd/m2")
        if self.XYZ is not None and min(self.XYZ) < -(NEGATIVE_CD_M2 + NEGATIVE_SHARE * max(self.XYZ[1], 0)):
            raise ValueError(
                f"XYZ has a component of {min(self.XYZ):g}: less than noise near black can make of no light"
                f" (-{NEGATIVE_CD_M2:g} cd/m2 and {100 * NEGATIVE_SHARE:g} % of Y)"
            )
        if self.measurement is not None and self.measurement not in MEASUREMENTS:
            raise ValueError(f"unknown measurement {self.measurement!r}; known are {', '.join(MEASUREMENTS)}")
        return self


class FileFormat(_Strict):
    """The signal, as far as it was recorded."""

    range: Literal["full", "limited"] | None = None
    bits: Annotated[int, Field(ge=6, le=16)] | None = None
    chroma: Literal["4:4:4", "4:2:2", "4:2:0"] | None = None
    refresh_hz: Annotated[float, Field(gt=0, le=1000)] | None = None


class FileSetup(_Strict):
    """A mode with its settings, and the readings made in it."""

    name: Name
    unit: Text | None = None
    mode: Text = ""
    shipped: bool | None = None
    signal: Literal["sdr", "pq", "hlg"]
    target: str | None = None
    settings: Annotated[dict[Text, float | Text], Field(max_length=2000)] = {}
    condition: FileCondition | None = None
    format: FileFormat | None = None
    metadata: FileMetadata | None = None
    runs: Annotated[list[FileRun], Field(max_length=1000)] = []
    readings: Annotated[list[FileReading], Field(min_length=1)]

    @property
    def key(self) -> str:
        """What tells the setup from the others of its file."""
        return setup_key(self.name, self.unit)

    @property
    def target_key(self) -> str:
        """The declared target, by default the signal's usual one."""
        return self.target or _DEFAULT_TARGET[self.signal]

    @cached_property
    def ordered(self) -> list[FileReading]:
        """Its readings in the order in which they were taken."""
        return sorted(self.readings, key=reading_order)

    @cached_property
    def served(self) -> dict[str | None, list[FileReading]]:
        """Its readings in order by the measurement they name, with those that name none under each; under None these alone."""
        names = {r.measurement for r in self.readings}
        return {n: [r for r in self.ordered if r.measurement in (None, n)] for n in {None, *names}}

    def serving(self, measurement: str) -> list[FileReading]:
        """Its readings in order that serve a measurement; always the same list."""
        return self.served.get(measurement, self.served[None])

    @cached_property
    def by_meter(self) -> dict[str | None, list[FileReading]]:
        """Its readings of light by the meter they name."""
        found: dict[str | None, list[FileReading]] = {}
        for r in self.readings:
            if r.waveform is None and r.spectrum is None:
                found.setdefault(r.meter, []).append(r)
        return found

    @cached_property
    def first_meters(self) -> dict[str | None, dict[str | None, int]]:
        found: dict[str | None, dict[str | None, int]] = {}
        for i, r in enumerate(self.readings):
            if r.waveform is None and r.spectrum is None:
                found.setdefault(r.measurement, {}).setdefault(r.meter, i)
        return found

    def meters_of(self, measurement: str) -> list[str | None]:
        """The meters of light that readings for a measurement name, in the order of the file."""
        first = {**self.first_meters.get(measurement, {})}
        for meter, i in self.first_meters.get(None, {}).items():
            first[meter] = min(i, first.get(meter, i))
        return sorted(first, key=lambda m: first[m])

    @cached_property
    def known_limits(self) -> dict[str, tuple[MeterLimits, str]]:
        return {}

    def limits_of(self, m: FileMeter) -> tuple[MeterLimits, str]:
        """A meter's limits without its correction, and what was assumed of them: as stated, or as all that it read of the setup
        tells."""
        if m.id not in self.known_limits:
            nameless = self.by_meter.get(None, []) if m.id == "unnamed" else []
            self.known_limits[m.id] = _meter_limits(m, [*self.by_meter.get(m.id, []), *nameless])
        return self.known_limits[m.id]

    def shown(self, run: FileRun, meters: Iterable[str | None]) -> list[float]:
        """The luminances that meters showed in a run."""
        served = (None, *(run.measurements or MEASUREMENTS))
        return [
            r.number[1]
            for meter in meters
            for r in self.by_meter.get(meter, [])
            if r.number is not None and r.measurement in served
        ]

    @model_validator(mode="after")
    def _consistent(self) -> FileSetup:
        target = resolve(self.target_key)
        if target.signal != self.signal:
            raise ValueError(f"target {self.target_key!r} is for {target.signal}, not for {self.signal}")
        served = [m for run in self.runs for m in run.measurements or MEASUREMENTS]
        for i, run in enumerate(self.runs):
            for m in run.measurements:
                if m not in MEASUREMENTS:
                    raise ValueError(f"runs[{i}]: unknown measurement {m!r}; known are {', '.join(MEASUREMENTS)}")
                if served.count(m) > 1:
                    raise ValueError(f"runs[{i}]: {m} is served by another run too; a measurement comes from one run")
        if self.signal == "sdr":
            self._white_is_white()
        return self

    def run_of(self, measurement: str) -> FileRun:
        """What is known of the run that a measurement comes from."""
        return next((r for r in self.runs if measurement in (r.measurements or (measurement,))), FileRun())

    def _white_is_white(self) -> None:
        """Refuse a white without light, or one that a grey outshines: as a rule two readings were mixed up."""
        whites: dict[tuple[float, str | None], float] = {}
        plain = [
            (i, r)
            for i, r in enumerate(self.readings)
            if r.number is not None and r.level is None and r.zone is None and r.at_s is None and r.pattern == "window"
            and r.waveform is None and r.spectrum is None
        ]  # fmt: skip
        for i, r in plain:
            if r.rgb == (1.0, 1.0, 1.0) and r.XYZ is not None:
                if r.XYZ[1] <= 0:
                    raise ValueError(f"readings[{i}]: white has no light (Y = {r.XYZ[1]:g} cd/m2)")
                key = (r.window, r.measurement)
                whites[key] = max(whites.get(key, 0.0), r.XYZ[1])
        for i, r in plain:
            white = whites.get((r.window, r.measurement))
            if white is None or r.XYZ is None or not r.rgb[0] == r.rgb[1] == r.rgb[2] < 1:
                continue
            if r.XYZ[1] > DIMMER * white + NEGATIVE_CD_M2:
                raise ValueError(
                    f"readings[{i}]: grey {100 * r.rgb[0]:g} % with {r.XYZ[1]:g} cd/m2 is brighter than white with {white:g}"
                )


class ReadingsFile(_Strict):
    """A whole readings file."""

    format: Literal["lumenar-readings"]
    version: Literal[1]
    units: list[FileUnit] = []
    meters: list[FileMeter] = []
    setups: Annotated[list[FileSetup], Field(min_length=1)]

    @model_validator(mode="after")
    def _consistent(self) -> ReadingsFile:
        meters, units = {m.id for m in self.meters}, {u.id for u in self.units}
        names: set[str] = set()
        for setup in self.setups:
            if setup.key in names:
                raise ValueError(f"two setups of one unit are named {setup.name!r}")
            names.add(setup.key)
            if setup.unit is not None and setup.unit not in units:
                raise ValueError(f"setup {setup.name!r} names the unknown unit {setup.unit!r}")
            for i, r in enumerate(setup.readings):
                if r.meter is not None and r.meter not in meters:
                    raise ValueError(f"setup {setup.name!r}, readings[{i}] names the unknown meter {r.meter!r}")
        return self

    @cached_property
    def lists(self) -> dict[object, Arranged]:
        """Lists of patches that were arranged already."""
        return {}

    def arranged(self, read: Sequence[FileReading], made_for: tuple[Target, ...]) -> Arranged:
        """The patches of readings, arranged; setups that were read by the same list share it."""
        key = (tuple(r.patch for r in read), made_for)
        if key not in self.lists:
            self.lists[key] = arranged(key[0], made_for)
        return self.lists[key]


def setup_key(name: str, unit: str | None) -> str:
    """What tells a setup from the others of a file: its name, and of which unit it is where the file says so."""
    return name if unit is None else f"{unit}: {name}"


@dataclass(frozen=True)
class SetupFigures:
    """The analyses of one setup by measurement, and why others have none. floors: what was assumed of meters near black,
    one sentence each."""

    key: str
    name: str
    unit: str | None
    mode: str
    shipped: bool
    signal: str
    target: str
    analyses: Mapping[str, Analysis]
    left_out: Mapping[str, str]
    floors: tuple[str, ...] = ()


def parse_readings(text: str | bytes, name: str = "readings file") -> ReadingsFile:
    """A readings file from JSON; BadInputError with one line that says file, place and reason."""
    if len(text) > MAX_BYTES:
        raise BadInputError("readings-file", f"{name}: larger than {MAX_BYTES // 1_000_000} MB; split it by setups")
    return parse_document(ReadingsFile, text, name, "readings-file")


T = TypeVar("T", bound=BaseModel)


def parse_document(model: type[T], text: str | bytes, name: str, kind: str) -> T:
    """A JSON document by its model; BadInputError with one line that says file, place and reason."""
    if not text.strip():
        raise BadInputError(kind, f"{name}: the file is empty")
    try:
        document = model.model_validate_json(text, strict=True)
        refuse_doubled(text)
        return document
    except DoubledNameError as e:
        raise BadInputError(kind, f"{name}: {e}") from e
    except ValidationError as e:
        place, reason = first_problem(e)
        first = e.errors(include_url=False, include_context=False)[0]
        if not place:
            raise BadInputError(kind, f"{name}: {reason}") from e
        if place.endswith(tuple(f".rgb[{i}]" for i in range(3))) and isinstance(first.get("input"), int | float):
            top = 255 if first["input"] <= 255 else 1023 if first["input"] <= 1023 else 0
            hint = (
                f"; {first['input']:g} looks like a code of 0..{top}: divide by {top}"
                if first["input"] > 1 and top
                else ""
            )
            reason = f"rgb runs from 0 to 1{hint}"
        raise BadInputError(kind, f"{name}: {place}: {reason}", place) from e


def _limits(file: ReadingsFile, setup: FileSetup, used: set[str | None]) -> tuple[MeterLimits, tuple[str, ...]]:
    """The limits of the meters used, the poorest of them, and what was assumed of them; a floor that is not stated is
    estimated from all that the meter read of the setup."""
    meters = [m for m in file.meters if m.id in used]
    if not meters or None in used:
        meters.append(FileMeter(id="unnamed"))
    found, said = [], []
    for m in meters:
        limits, sentence = setup.limits_of(m)
        found.append(limits)
        said += [sentence] if sentence else []
    by_correction = [m for m in meters if m.correction is not None]
    base = MeterLimits(
        max(m.repeatability for m in found), max(m.floor for m in found), max(m.absolute for m in found),
        floor_origin=max(found, key=lambda m: m.limit).floor_origin,
    )  # fmt: skip
    if not by_correction:
        return base, tuple(said)
    c = by_correction[0]
    series = None if c.correction_series is None else c.correction_series.model_dump()
    u = max(m.correction_u_percent for m in by_correction) / 100
    return corrected_limits(base, c.correction, series, u), tuple(said)


@lru_cache(maxsize=4)
def _groups(read: tuple[tuple[str | None, Patch], ...]) -> NDArray[np.intp]:
    """Which readings are of the same patch for the same measurement, as numbers; many setups are read by the same list."""
    seen: dict[object, int] = {}
    return np.array([seen.setdefault(r, len(seen)) for r in read], np.intp)


def _meter_limits(m: FileMeter, own: Sequence[FileReading]) -> tuple[MeterLimits, str]:
    """A meter's limits as stated, or as its readings tell where they are not, with a sentence that says so."""
    repeatability = m.repeatability_percent / 100
    if m.absolute_cd_m2 is not None:
        return MeterLimits(repeatability, m.floor_cd_m2 or 0.0, m.absolute_cd_m2), ""
    if m.floor_cd_m2:
        return MeterLimits(repeatability, m.floor_cd_m2, m.floor_cd_m2 / 3), ""
    XYZ = np.array([r.number or (np.nan,) * 3 for r in own], float).reshape(-1, 3)
    absolute, origin = floor_from(XYZ, _groups(tuple((r.measurement, r.patch) for r in own)), repeatability)
    how = {
        "repeats": "estimated from patches that were read more than once",
        "negatives": "estimated from its negative readings",
        "assumed": "assumed, as nothing in the readings tells it",
    }[origin]
    named = "a meter without a name" if m.id == "unnamed" and not m.name else f"meter {m.name or m.id}"
    said = f"The floor of {named} is not stated; {significant(2 * absolute, 2)} cd/m² is {how}."
    return MeterLimits(repeatability, 2 * absolute, absolute, floor_origin=origin), said


def reading_order(r: FileReading) -> tuple[object, ...]:
    """In which order readings are taken, so that another order in the file changes nothing."""
    return (math.inf if r.time_s is None else r.time_s, r.id or 0, r.rgb, r.window, r.XYZ or (0, 0, 0))


def analyse_setup(
    file: ReadingsFile, setup: FileSetup, target_key: str | None = None, uncertain: bool = True
) -> SetupFigures:
    """Every measurement that the setup's readings suffice for, against a target or the setup's own.

    A reading that names a measurement serves that one only; one that names none serves all whose patches it matches.
    """
    target = resolve(target_key or setup.target_key)
    corrections = {m.id: np.array(m.correction) for m in file.meters if m.correction is not None}
    by_meters: dict[frozenset[str | None], tuple[MeterLimits, tuple[str, ...]]] = {}
    rounded: dict[object, MeterLimits] = {}
    collected: dict[object, Readings] = {}
    analyses: dict[str, Analysis] = {}
    left_out: dict[str, str] = {}
    for m in MEASUREMENTS.values():
        own = setup.serving(m.key)
        if setup.signal not in m.signals or not own:
            continue
        meters = frozenset(setup.meters_of(m.key))
        if meters not in by_meters:
            by_meters[meters] = _limits(file, setup, set(meters))
        run = setup.run_of(m.key)
        where = meters, tuple(run.measurements)
        if where not in rounded:
            rounded[where] = by_meters[meters][0].as_shown(setup.shown(run, meters))
        limits = rounded[where]
        try:
            # Readings that serve every measurement are the same for each.
            key = (id(own), COLD if run.warm is False else 0.0, where)
            if key not in collected:
                by_list = file.arranged(own, of_its_own(resolve(setup.target_key)))
                collected[key] = _collected(own, by_list, limits, corrections, key[1])
            readings = collected[key]
            rested = run.rested_white.XYZ[1] if run.rested_white else None
            watched = readings.watched(rested, [(w.time_s, w.XYZ[1]) for w in run.whites])
            analyses[m.key] = analyse(m, watched, target, uncertain)
        except MissingPatchError as e:
            left_out[m.key] = str(e)
    shipped = setup.shipped if setup.shipped is not None else False
    floors = tuple(dict.fromkeys(sentence for _, said in by_meters.values() for sentence in said))
    return SetupFigures(
        setup.key, setup.name, setup.unit, setup.mode, shipped, setup.signal, target.key, analyses, left_out, floors
    )


def _collected(
    own: Sequence[FileReading], by_list: Arranged, limits: MeterLimits, corrections: Mapping[str, NDArray[np.float64]],
    cold: float,
) -> Readings:  # fmt: skip
    return collect(
        by_list,
        np.array([r.number or (np.nan,) * 3 for r in own], float),
        np.array([r.flag == "below_floor" for r in own], bool),
        limits,
        np.array([np.nan if r.time_s is None else r.time_s for r in own]),
        [r.trace for r in own],
        [corrections.get(r.meter or "") if r.waveform is None and r.spectrum is None else None for r in own],
        cold,
    )


def analyse_file(
    file: ReadingsFile, name: str = "readings file", target_key: str | None = None, uncertain: bool = True
) -> list[SetupFigures]:
    """Every setup's analyses, without intervals where they are not asked for; BadInputError where a setup's readings suffice
    for no measurement at all."""
    found = [analyse_setup(file, s, target_key, uncertain) for s in file.setups]
    for i, one in enumerate(found):
        if not one.analyses:
            reasons = (
                "; ".join(dict.fromkeys(one.left_out.values())) or f"no measurement is for the signal {one.signal}"
            )
            raise BadInputError("readings-file", f"{name}: setups[{i}].readings: {reasons}", f"setups[{i}].readings")
    return found


def plain(value: Any) -> Any:
    """An array or number as JSON can hold it: NaN becomes null."""
    array = np.asarray(value, float)
    if array.ndim == 0:
        return float(array) if np.isfinite(array) else None
    return [plain(v) for v in array]


def figures_document(found: list[SetupFigures]) -> dict[str, Any]:
    """The figures file (docs/formats.md)."""
    return {
        "format": "lumenar-figures",
        "version": 1,
        "setups": [
            {
                "key": s.key,
                "name": s.name,
                "mode": s.mode,
                "signal": s.signal,
                "target": s.target,
                "figures": {m: {k: plain(v) for k, v in a.figures.items()} for m, a in s.analyses.items()},
                "uncertainty": {
                    m: {
                        k: {"standard": plain(u.standard), "low": plain(u.low), "high": plain(u.high)}
                        for k, u in a.uncertainty.items()
                    }
                    for m, a in s.analyses.items()
                },
                "noise_floor": {m: {k: plain(v) for k, v in a.noise_floor.items()} for m, a in s.analyses.items()},
                "range": {m: {k: [plain(v) for v in r] for k, r in a.range.items()} for m, a in s.analyses.items()},
                "remarks": {m: a.remark for m, a in s.analyses.items() if a.remark},
                "left_out": dict(s.left_out),
                "floors": list(s.floors),
            }
            for s in found
        ],
    }
