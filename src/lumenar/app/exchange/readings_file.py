"""The readings file, in and out (docs/formats.md)."""

from __future__ import annotations

import math
from collections.abc import Iterable
from functools import cached_property, lru_cache
from typing import Annotated, Any, Literal, TypeVar

import numpy as np
from pydantic import AfterValidator, BaseModel, Field, ValidationError, model_validator

from lumenar.app.errors import BadInputError
from lumenar.app.exchange.file_meters import MAX_CD_M2, FileMeter, FileUnit, Name, Text, Tristimulus, _Strict, _Whole
from lumenar.bench.problems import first_problem
from lumenar.core.measurements import MEASUREMENTS
from lumenar.core.readings.patches import Patch, Pattern, Reads, Spectrum, Trace, Waveform
from lumenar.core.signals import Chroma, Gamut, Metadata, Range
from lumenar.core.strict_json import DoubledNameError, refuse_doubled
from lumenar.core.targets import DEFAULT_TARGETS, resolve

T = TypeVar("T", bound=BaseModel)
MAX_BYTES = 64_000_000
"""A readings file is at most so large: about 300,000 readings."""
Signal01 = Annotated[float, Field(ge=-0.1, le=1.1)]
_DEFAULT_TARGET = {**DEFAULT_TARGETS, "sdr": "srgb"}
NEGATIVE_CD_M2, NEGATIVE_SHARE = 0.1, 0.01
"""Near black a real meter reads slightly less than nothing: components down to this, and this share of Y, are readings."""
DIMMER = 1.1
"""A grey that is so many times as bright as white says that one of the two is wrong."""


class FileCondition(_Strict):
    """Room light and automatic features during the readings."""

    lux: Annotated[float, Field(ge=0)] | None = None
    label: Text = ""
    automatic: list[Text] = Field(default_factory=list)
    note: Text = ""


class FileMetadata(_Strict):
    """What a PQ signal says of itself; a MaxCLL or MaxFALL of 0 is one that is not known (CTA-861.3)."""

    mastering_peak_cd_m2: Annotated[float, Field(gt=0, le=10000)] | None = None
    mastering_black_cd_m2: Annotated[float, Field(ge=0, le=10000)] | None = None
    maxcll: Annotated[float, Field(ge=0, le=10000)] | None = None
    maxfall: Annotated[float, Field(ge=0, le=10000)] | None = None


FILE_METADATA = {
    "mastering_cd_m2": "mastering_peak_cd_m2",
    "mastering_black_cd_m2": "mastering_black_cd_m2",
    "max_cll": "maxcll",
    "max_fall": "maxfall",
}
"""What a signal says of its content: by how setups call it how the file does."""


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
    """What is known of a run that read the setup: the measurements it served (none: all), whether the display was warm, white as
    it warmed up, and the whites that watched it afterwards."""

    measurements: list[str] = Field(default_factory=list)
    warm: bool | None = None
    warming: Annotated[list[FileWhite], Field(max_length=10_000)] = Field(default_factory=list)
    rested_white: FileWhite | None = None
    whites: Annotated[list[FileWhite], Field(max_length=100_000)] = Field(default_factory=list)


@lru_cache(maxsize=1 << 16)
def _patch(**what: Any) -> Patch:
    """A patch; setup after setup is read by the same list."""
    return Patch(**what)


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
            rgb=self.rgb,
            window=self.window,
            background=self.background,
            level=self.level,
            zone=self.zone,
            pattern=self.pattern,
            at_s=self.at_s,
            repeat=self.repeat,
            reads=reads,
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


def reading_order(r: FileReading) -> tuple[object, ...]:
    """In which order readings are taken, so that another order in the file changes nothing."""
    return (math.inf if r.time_s is None else r.time_s, r.id or 0, r.rgb, r.window, r.XYZ or (0, 0, 0))


class FileFormat(_Strict):
    """The signal, as far as it was recorded."""

    range: Range | None = None
    bits: Annotated[int, Field(ge=6, le=16)] | None = None
    chroma: Chroma | None = None
    refresh_hz: Annotated[float, Field(gt=0, le=1000)] | None = None
    resolution: Annotated[str, Field(pattern=r"^[1-9]\d{1,4} x [1-9]\d{1,4}$")] | None = None
    container: Gamut | None = None
    mastering_primaries: Gamut | None = None
    flag: Literal["none"] | None = None
    content: Literal["film", "game"] | None = None
    name: Annotated[str, Field(max_length=60)] | None = None


class FileShown(FileFormat):
    """The signal that the display said it showed."""

    transfer: Literal["sdr", "pq", "hlg"]


class FileSetup(_Whole):
    """A mode with its settings, and the readings made in it."""

    name: Name
    unit: Text | None = None
    mode: Text = ""
    shipped: bool | None = None
    signal: Literal["sdr", "pq", "hlg"]
    target: str | None = None
    settings: Annotated[dict[Text, float | Text], Field(max_length=2000)] = Field(default_factory=dict)
    condition: FileCondition | None = None
    format: FileFormat | None = None
    shown: FileShown | None = None
    metadata: FileMetadata | None = None
    runs: Annotated[list[FileRun], Field(max_length=1000)] = Field(default_factory=list)
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
        """By the measurement that readings of light name the meters they name, each with the place of its first."""
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

    def luminances(self, run: FileRun, meters: Iterable[str | None]) -> list[float]:
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
        if self.metadata is not None:
            if self.signal != "pq":
                raise ValueError(f"only a PQ signal has metadata, this setup is for {self.signal}")
            # Says where they contradict themselves.
            Metadata(
                self.metadata.mastering_peak_cd_m2,
                self.metadata.mastering_black_cd_m2,
                self.metadata.maxcll or None,
                self.metadata.maxfall or None,
            )
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
            if r.rgb[0] == r.rgb[1] == r.rgb[2]
            and r.number is not None
            and r.level is None
            and r.zone is None
            and r.at_s is None
            and r.pattern == "window"
            and r.waveform is None
            and r.spectrum is None
        ]
        for i, r in plain:
            if r.rgb == (1.0, 1.0, 1.0) and r.XYZ is not None:
                if r.XYZ[1] <= 0:
                    raise ValueError(f"readings[{i}]: white has no light (Y = {r.XYZ[1]:g} cd/m2)")
                key = (r.window, r.measurement)
                whites[key] = max(whites.get(key, 0.0), r.XYZ[1])
        for i, r in plain:
            white = whites.get((r.window, r.measurement))
            if white is None or r.XYZ is None or r.rgb[0] >= 1:
                continue
            if r.XYZ[1] > DIMMER * white + NEGATIVE_CD_M2:
                raise ValueError(
                    f"readings[{i}]: grey {100 * r.rgb[0]:g} % with {r.XYZ[1]:g} cd/m2 is brighter than white with {white:g}"
                )


class ReadingsFile(_Whole):
    """A whole readings file."""

    format: Literal["lumenar-readings"]
    version: Literal[1]
    units: list[FileUnit] = Field(default_factory=list)
    meters: list[FileMeter] = Field(default_factory=list)
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


def setup_key(name: str, unit: str | None) -> str:
    """What tells a setup from the others of a file: its name, and of which unit it is where the file says so."""
    return name if unit is None else f"{unit}: {name}"


def parse_readings(text: str | bytes, name: str = "readings file") -> ReadingsFile:
    """A readings file from JSON; BadInputError with one line that says file, place and reason."""
    if len(text) > MAX_BYTES:
        raise BadInputError("readings-file", f"{name}: larger than {MAX_BYTES // 1_000_000} MB; split it by setups")
    return parse_document(ReadingsFile, text, name, "readings-file")


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
