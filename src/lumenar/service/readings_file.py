"""The readings file, in and out (docs/formats.md)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from lumenar.bench.simulated.unit_file import UnitFileError, first_problem, parse_json
from lumenar.core.analysis import Analysis, analyse
from lumenar.core.colour.correction import corrected
from lumenar.core.measurements import MEASUREMENTS, MissingPatchError
from lumenar.core.readings import MeterLimits, Patch, Pattern, Reads, Spectrum, Trace, Waveform, collect
from lumenar.core.targets import TARGETS
from lumenar.service.errors import BadInputError
from lumenar.service.loading import correction_key

MAX_CD_M2 = 100_000.0
Signal01 = Annotated[float, Field(ge=-0.1, le=1.1)]
Tristimulus = Annotated[float, Field(ge=0, le=MAX_CD_M2 * 10)]
_DEFAULT_TARGET = {"sdr": "srgb", "pq": "bt2020_pq", "hlg": "bt2020_hlg"}


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


class FileUnit(_Strict):
    """A unit that setups refer to."""

    id: str
    maker: str = ""
    model: str = ""
    serial: str = ""
    sample: str = ""
    panel: Literal["lcd", "oled", "projector", "other"] = "other"
    firmware: str = ""


class FileMeter(_Strict):
    """A meter that readings refer to. `correction` is applied to the XYZ as read."""

    id: str
    name: str = ""
    kind: Literal["colorimeter", "spectroradiometer", "photodiode"] = "colorimeter"
    repeatability_percent: Annotated[float, Field(ge=0, le=50)] = 0.2
    floor_cd_m2: Annotated[float, Field(ge=0, le=1000)] = 0.0
    correction: tuple[tuple[float, float, float], tuple[float, float, float], tuple[float, float, float]] | None = None
    correction_u_percent: Annotated[float, Field(ge=0, le=50)] = 0.0


class FileCondition(_Strict):
    """Room light and automatic features during the readings."""

    lux: Annotated[float, Field(ge=0)] | None = None
    label: str = ""
    automatic: list[str] = []


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
    radiance: Annotated[list[Annotated[float, Field(ge=0)]], Field(min_length=20, max_length=2000)]


class FileReading(_Strict):
    """One patch and its XYZ. XYZ may be null only where the meter said that the light was under its floor."""

    rgb: tuple[Signal01, Signal01, Signal01]
    XYZ: tuple[Tristimulus, Tristimulus, Tristimulus] | None
    measurement: str | None = None
    window: Annotated[float, Field(gt=0, le=1)] = 0.1
    background: Annotated[float, Field(ge=0, le=1)] = 0.0
    zone: tuple[int, int, int, int] | None = None
    level: float | None = None
    pattern: Pattern = "window"
    at_s: Annotated[float, Field(ge=0)] | None = None
    meter: str | None = None
    time_s: Annotated[float, Field(ge=0)] | None = None
    flag: Literal["below_floor", "saturated"] | None = None
    repeat: Annotated[int, Field(ge=0)] = 0
    waveform: FileWaveform | None = None
    spectrum: FileSpectrum | None = None
    id: int | None = None

    @property
    def patch(self) -> Patch:
        """The patch that was read."""
        reads: Reads = "waveform" if self.waveform else "spectrum" if self.spectrum else "XYZ"
        return Patch(
            self.rgb, self.window, self.background, self.level, self.zone, self.pattern, self.at_s, self.repeat, reads
        )

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
        if self.measurement is not None and self.measurement not in MEASUREMENTS:
            raise ValueError(f"unknown measurement {self.measurement!r}; known are {', '.join(MEASUREMENTS)}")
        return self


class FileSetup(_Strict):
    """A mode with its settings, and the readings made in it."""

    name: Annotated[str, Field(min_length=1)]
    unit: str | None = None
    mode: str = ""
    signal: Literal["sdr", "pq", "hlg"]
    target: str | None = None
    settings: dict[str, float | str] = {}
    condition: FileCondition = FileCondition()
    metadata: FileMetadata | None = None
    readings: Annotated[list[FileReading], Field(min_length=1)]

    @property
    def target_key(self) -> str:
        """The declared target, by default the signal's usual one."""
        return self.target or _DEFAULT_TARGET[self.signal]

    @model_validator(mode="after")
    def _consistent(self) -> FileSetup:
        if self.target_key not in TARGETS:
            raise ValueError(f"unknown target {self.target_key!r}; known are {', '.join(TARGETS)}")
        if TARGETS[self.target_key].signal != self.signal:
            raise ValueError(
                f"target {self.target_key!r} is for {TARGETS[self.target_key].signal}, not for {self.signal}"
            )
        return self


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
            if setup.name in names:
                raise ValueError(f"two setups are named {setup.name!r}")
            names.add(setup.name)
            if setup.unit is not None and setup.unit not in units:
                raise ValueError(f"setup {setup.name!r} names the unknown unit {setup.unit!r}")
            for i, r in enumerate(setup.readings):
                if r.meter is not None and r.meter not in meters:
                    raise ValueError(f"setup {setup.name!r}, readings[{i}] names the unknown meter {r.meter!r}")
        return self


@dataclass(frozen=True)
class SetupFigures:
    """The analyses of one setup by measurement, and why others have none."""

    name: str
    mode: str
    signal: str
    target: str
    analyses: Mapping[str, Analysis]
    left_out: Mapping[str, str]


def parse_readings(text: str | bytes, name: str = "readings file") -> ReadingsFile:
    """A readings file from JSON; BadInputError with one line that says file, place and reason."""
    try:
        return ReadingsFile.model_validate(parse_json(text, name))
    except UnitFileError as e:
        raise BadInputError("readings-file", str(e)) from e
    except ValidationError as e:
        place, reason = first_problem(e)
        raise BadInputError("readings-file", f"{name}: {place}: {reason}", place) from e


def _limits(file: ReadingsFile, setup: FileSetup) -> MeterLimits:
    """The limits of the setup's meter: the poorest of those that read it."""
    used = {r.meter for r in setup.readings if r.waveform is None and r.spectrum is None}
    meters = [m for m in file.meters if m.id in used] or [FileMeter(id="")]
    corrected = [m for m in meters if m.correction is not None]
    return MeterLimits(
        max(m.repeatability_percent for m in meters) / 100,
        max(m.floor_cd_m2 for m in meters),
        max((m.correction_u_percent for m in corrected), default=0.0) / 100,
        correction_key(corrected[0].correction) if corrected else 0,
    )


def analyse_setup(file: ReadingsFile, setup: FileSetup, target_key: str | None = None) -> SetupFigures:
    """Every measurement that the setup's readings suffice for, against a target or the setup's own.

    A reading that names a measurement serves that one only; one that names none serves all whose patches it matches.
    """
    target = TARGETS[target_key or setup.target_key]
    corrections = {m.id: np.array(m.correction) for m in file.meters if m.correction is not None}
    limits = _limits(file, setup)
    analyses: dict[str, Analysis] = {}
    left_out: dict[str, str] = {}
    for m in MEASUREMENTS.values():
        own = [r for r in setup.readings if r.measurement in (None, m.key)]
        if setup.signal not in m.signals or not own:
            continue
        XYZ = np.array([r.XYZ or (np.nan,) * 3 for r in own], float)
        for meter, matrix in corrections.items():
            by = np.array([r.meter == meter for r in own])
            XYZ[by] = corrected(XYZ[by], matrix)
        plain_light = np.array([r.waveform is None and r.spectrum is None for r in own])
        below = np.array([r.flag == "below_floor" for r in own], bool) | (plain_light & (XYZ[:, 1] < limits.floor))
        XYZ[below] = np.nan
        times = np.array([np.nan if r.time_s is None else r.time_s for r in own])
        try:
            found = collect([r.patch for r in own], XYZ, below, limits, times, [r.trace for r in own])
            analyses[m.key] = analyse(m, found, target)
        except MissingPatchError as e:
            left_out[m.key] = str(e)
    return SetupFigures(setup.name, setup.mode, setup.signal, target.key, analyses, left_out)


def analyse_file(file: ReadingsFile, name: str = "readings file", target_key: str | None = None) -> list[SetupFigures]:
    """Every setup's analyses; BadInputError where a setup's readings suffice for no measurement at all."""
    found = [analyse_setup(file, s, target_key) for s in file.setups]
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
                "name": s.name,
                "mode": s.mode,
                "signal": s.signal,
                "target": s.target,
                "figures": {m: {k: plain(v) for k, v in a.figures.items()} for m, a in s.analyses.items()},
                "uncertainty": {
                    m: {k: {"standard": u.standard, "low": u.low, "high": u.high} for k, u in a.uncertainty.items()}
                    for m, a in s.analyses.items()
                },
            }
            for s in found
        ],
    }
