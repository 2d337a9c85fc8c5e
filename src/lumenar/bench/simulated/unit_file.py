"""The unit file: one JSON document that defines a simulated display (docs/unit-file.md)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise
from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError, field_validator, model_validator

from lumenar.bench.problems import first_problem
from lumenar.bench.simulated.feature import Feature
from lumenar.bench.simulated.fields import Name, Positive, Seed, Share, Strict, Table, check_table
from lumenar.bench.simulated.unit_controls import Tint, UnitControl
from lumenar.core.signals import Range, Signal
from lumenar.core.strict_json import DoubledNameError, refuse_doubled
from lumenar.core.targets import TARGETS


class UnitFileError(ValueError):
    """A unit file is not usable; the text is one line that names the path in the file and the reason."""


class Band(Strict):
    """One Gaussian emission band: peak and full width at half maximum in nm, relative height."""

    peak_nm: Annotated[float, Field(ge=380, le=780)]
    width_nm: Annotated[float, Field(ge=2, le=400)]
    height: Positive = 1.0


class Light(Strict):
    """How the panel makes light."""

    red: Annotated[list[Band], Field(min_length=1)]
    green: Annotated[list[Band], Field(min_length=1)]
    blue: Annotated[list[Band], Field(min_length=1)]
    peak_cd_m2: Annotated[float, Field(ge=0.1, le=20000)]
    native_white_xy: tuple[Annotated[float, Field(ge=0.05, le=0.8)], Annotated[float, Field(ge=0.05, le=0.8)]]
    leakage: Annotated[float, Field(ge=0, le=0.1)] = 0.0
    native_gamma: Annotated[float, Field(ge=1, le=4)] = 2.2
    panel_bits: Annotated[int, Field(ge=6, le=16)] = 10
    input_bits: Annotated[int, Field(ge=6, le=16)] = 8
    reflectance: Share = 0.0


class Modulation(Strict):
    """How the light pulses. `depth`: table of the luminance control's value to depth 0..1; a pulse's duty follows the
    light, a sine's does not."""

    shape: Literal["sine", "pulse"]
    frequency_hz: Annotated[float, Field(ge=20, le=5000)]
    depth: Annotated[Table, Field(min_length=2)]

    @model_validator(mode="after")
    def _consistent(self) -> Modulation:
        for (x0, _), (x1, _) in pairwise(self.depth):
            if x1 <= x0:
                raise ValueError(f"depth is not monotone: input {x1:g} follows {x0:g}, inputs must rise")
        if any(not 0 <= y <= 1 for _, y in self.depth):
            raise ValueError("depth must lie within 0 and 1")
        return self


def check_area_limit(table: Table) -> None:
    """ValueError unless shares rise, light does not, and both lie within 0 and 1."""
    for (x0, y0), (x1, y1) in pairwise(table):
        if x1 <= x0 or y1 > y0:
            raise ValueError("area_limit is not monotone: shares must rise and light must not")
    if any(not (0 <= x <= 1 and 0 < y <= 1) for x, y in table):
        raise ValueError("area_limit must lie within 0 and 1")


class Behaviour(Strict):
    """How the light depends on what else is lit, on time, and on the place. The defaults are a perfect panel."""

    white_subpixel: Annotated[float, Field(ge=0, le=2)] = 0.0
    area_limit: Table = []
    load_depth: Annotated[float, Field(ge=0, le=0.9)] = 0.0
    load_tau_s: Positive = 60.0
    warm_up_depth: Annotated[float, Field(ge=0, le=0.5)] = 0.0
    warm_up_tau_s: Positive = 900.0
    static_dim_after_s: Annotated[float, Field(ge=0)] = 0.0
    static_dim_to: Share = 1.0
    zone_dimming: bool = False
    bloom: Annotated[float, Field(ge=0, le=0.2)] = 0.0
    edge_falloff: Annotated[float, Field(ge=0, le=0.9)] = 0.0
    tint_corner: tuple[Annotated[float, Field(ge=-1, le=1)], Annotated[float, Field(ge=-1, le=1)]] = (1.0, -1.0)
    corner_tint: tuple[Tint, Tint, Tint] = (0.0, 0.0, 0.0)
    dark_clouds: Annotated[float, Field(ge=0, le=0.9)] = 0.0
    modulation: Modulation | None = None
    hdr_lost_after_s: Annotated[float, Field(ge=0)] = 0.0

    @model_validator(mode="after")
    def _consistent(self) -> Behaviour:
        check_area_limit(self.area_limit)
        return self


Gain = Annotated[float, Field(ge=-1, le=1)]
Entry = Annotated[float, Field(ge=-10, le=10)]


class ToneMap(Strict):
    """What a mode for PQ or HLG makes of light that the panel does not reach."""

    kind: Literal["clip", "rolloff"] = "clip"
    metadata: Literal["obeyed", "ignored", "maxcll"] = "ignored"
    mastering_cd_m2: Annotated[float, Field(ge=50, le=10000)] = 1000.0
    peak_cd_m2: Annotated[float, Field(ge=1, le=10000)] | None = None
    table: Table | None = None
    desaturate: Share = 0.0
    gain: Annotated[float, Field(ge=0.1, le=50)] = 1.0
    area_limit: Table | None = None
    load_depth: Annotated[float, Field(ge=0, le=0.9)] | None = None
    load_tau_s: Positive | None = None

    @model_validator(mode="after")
    def _consistent(self) -> ToneMap:
        check_area_limit(self.area_limit or [])
        if self.table is not None:
            check_table(self.table, "table", 0, 1)
        return self


class UnitHostReport(Strict):
    """What a host believes the unit to reach in a mode, in cd/m2: most light, most of a whole screen, least."""

    max_cd_m2: Annotated[float, Field(gt=0, le=10000)]
    full_cd_m2: Annotated[float, Field(gt=0, le=10000)] | None = None
    min_cd_m2: Annotated[float, Field(ge=0, le=100)] | None = None


class UnitMode(Strict):
    """One picture mode: its declared target, its processing, the defaults that differ, and what it locks."""

    name: Name
    signal: Signal = "sdr"
    target: str
    tone_map: ToneMap | None = None
    reports: UnitHostReport | None = None
    entered_by: Literal["film", "game"] | None = None
    gamma: Annotated[float, Field(ge=1, le=4)] | None = None
    curve: Literal["srgb", "power"] = "power"
    curve_table: Table | None = None
    clamp: Literal["bt709", "p3_d65", "bt2020", "oprgb"] | None = None
    matrix: tuple[tuple[Entry, Entry, Entry], tuple[Entry, Entry, Entry], tuple[Entry, Entry, Entry]] | None = None
    white_gains: tuple[Share, Share, Share] = (1.0, 1.0, 1.0)
    shadow_gains: tuple[Gain, Gain, Gain] = (0.0, 0.0, 0.0)
    saturation: Annotated[float, Field(ge=0, le=3)] = 1.0
    headroom: bool = False
    defaults: dict[str, float | str] = {}
    locks: list[str] = []

    @field_validator("target")
    @classmethod
    def _known_target(cls, key: str) -> str:
        if key not in TARGETS:
            raise ValueError(f"unknown target {key!r}; known are {', '.join(TARGETS)}")
        return key

    @model_validator(mode="after")
    def _consistent(self) -> UnitMode:
        if self.curve_table is not None:
            check_table(self.curve_table, "curve_table", 0, 1)
        if self.signal == "sdr" and self.tone_map is not None:
            raise ValueError("a tone map is for PQ and HLG, this mode is for sdr")
        if self.signal == "sdr" and self.reports is not None:
            raise ValueError("a host reports what a mode for PQ or HLG reaches, this mode is for sdr")
        if self.signal != "sdr" and self.matrix:
            raise ValueError("a mode for PQ or HLG has a clamp, no matrix: its light is absolute")
        if self.signal == "sdr" and self.curve == "power" and self.gamma is None and self.curve_table is None:
            raise ValueError("a power curve needs a gamma")
        if self.clamp and self.matrix:
            raise ValueError("a mode has a clamp or a matrix, not both")
        if TARGETS[self.target].signal != self.signal:
            raise ValueError(f"target {self.target!r} is for {TARGETS[self.target].signal}, the mode is {self.signal}")
        return self


class Leak(Strict):
    """An SDR mode that shows in PQ and HLG when it was left active: its clamp, or a share of light that it takes. firmware: the
    only one that does it, every one where there is none."""

    mode: Name
    clamp: Literal["bt709", "p3_d65", "bt2020", "oprgb"] | None = None
    light: Annotated[float, Field(ge=-0.95, le=0)] = 0.0
    firmware: Name | None = None


class ClaimText(Strict):
    """What the maker says, in the maker's words."""

    text: Name


class UnitSample(Strict):
    """Another physical sample of the model: its identity, and what its firmware does differently by mode."""

    sample: Name
    serial: Name
    firmware: Name | None = None
    seed: Seed
    mode_changes: dict[str, dict[str, Any]] = {}


class Update(Strict):
    """Another firmware, and what it does differently by mode, on any sample."""

    firmware: Name
    mode_changes: dict[str, dict[str, Any]] = {}


class UnitFile(Strict):
    """A whole simulated display. The file describes its first sample; others are spread about it."""

    format: Literal["lumenar-unit"]
    version: Literal[1]
    maker: Name
    model: Name
    serial: Name
    sample: Name = "A"
    firmware: Name
    kind: Literal["monitor", "television", "projector", "phone", "laptop"]
    panel: Literal["lcd", "oled", "projector", "other"]
    about: Annotated[str, Field(max_length=400)] = ""
    size_inch: Positive
    pixels: tuple[Annotated[int, Field(ge=16, le=65536)], Annotated[int, Field(ge=16, le=65536)]]
    seed: Seed = 1
    signal_range: Range = "full"
    light: Light
    behaviour: Behaviour = Behaviour()
    mode_path: Name = "Picture > Mode"
    controls: Annotated[list[UnitControl], Field(max_length=1000)]
    modes: Annotated[list[UnitMode], Field(min_length=1, max_length=200)]
    claims: Annotated[list[ClaimText], Field(max_length=200)] = []
    features: Annotated[list[Feature], Field(max_length=50)] = []
    leaks: Annotated[list[Leak], Field(max_length=50)] = []
    samples: Annotated[list[UnitSample], Field(max_length=50)] = []
    updates: Annotated[list[Update], Field(max_length=50)] = []
    spread: Annotated[float, Field(ge=0, le=0.1)] = 0.0
    nominal: bool = True

    @model_validator(mode="after")
    def _consistent(self) -> UnitFile:
        paths = [c.path for c in self.controls]
        for control in self.controls:
            for path in (*control.resets, *(p for locked in control.locks.values() for p in locked)):
                if path not in paths:
                    raise ValueError(f"control {control.path!r} locks or resets the unknown control {path!r}")
        _unique([self.sample, *(s.sample for s in self.samples)], "sample")
        _unique([self.firmware, *(u.firmware for u in self.updates)], "firmware")
        _unique(paths, "control path")
        _unique([m.name for m in self.modes], "mode name")
        if sum(c.role == "luminance" for c in self.controls) > 1:
            raise ValueError("more than one control has the role 'luminance'")
        sdr = [m.name for m in self.modes if m.signal == "sdr"]
        for leak in self.leaks:
            if leak.mode not in sdr:
                raise ValueError(f"a leak comes from {leak.mode!r}, which is no SDR mode")
        by_path = {c.path: c for c in self.controls}
        for feature in self.features:
            if feature.control not in by_path:
                raise ValueError(f"a feature is driven by the unknown control {feature.control!r}")
            feature.check(list(by_path[feature.control].values))
        for mode in self.modes:
            for path, value in mode.defaults.items():
                if path not in by_path:
                    raise ValueError(f"mode {mode.name!r} sets a default for the unknown control {path!r}")
                by_path[path].check(value)
            for path in mode.locks:
                if path not in by_path:
                    raise ValueError(f"mode {mode.name!r} locks the unknown control {path!r}")
        return self

    def of_sample(self, sample: UnitSample) -> UnitFile:
        """The unit file of another sample: its identity and firmware, its modes as that firmware has them, its spread.

        ValidationError where the changes do not fit the modes.
        """
        document = self._changed(sample.mode_changes)
        identity = {"sample": sample.sample, "serial": sample.serial, "seed": sample.seed}
        firmware = sample.firmware or self.firmware
        # A sample that came with an update's firmware has it.
        updates = [u for u in document["updates"] if u["firmware"] != firmware]
        return UnitFile.model_validate(
            {**document, **identity, "firmware": firmware, "samples": [], "updates": updates, "nominal": False}
        )

    def with_firmware(self, firmware: str) -> UnitFile:
        """The unit file with another firmware: its modes as an update of that name has them, as they are where there is none.

        ValidationError where the changes do not fit the modes.
        """
        if firmware == self.firmware:
            return self
        changes = next((u.mode_changes for u in self.updates if u.firmware == firmware), {})
        return UnitFile.model_validate({**self._changed(changes), "firmware": firmware, "updates": []})

    def _changed(self, changes: Mapping[str, Mapping[str, Any]]) -> dict[str, Any]:
        """The file as a document, its modes with these changes by name."""
        document = self.model_dump()
        return document | {"modes": [{**m, **changes.get(m["name"], {})} for m in document["modes"]]}

    @property
    def aspect(self) -> float:
        """Width over height of the screen."""
        return self.pixels[0] / self.pixels[1]

    @property
    def luminance_control(self) -> UnitControl | None:
        """The control that sets the luminance of white, if the unit has one."""
        return next((c for c in self.controls if c.role == "luminance"), None)

    def mode(self, name: str) -> UnitMode:
        """A mode by name; KeyError names the modes there are."""
        for mode in self.modes:
            if mode.name == name:
                return mode
        raise KeyError(f"no mode {name!r}; the unit has {', '.join(m.name for m in self.modes)}")

    def defaults(self, mode: UnitMode) -> dict[str, float | str]:
        """Every control's value as shipped in a mode."""
        return {c.path: mode.defaults.get(c.path, c.default) for c in self.controls}

    def modulation_levels(self, mode: UnitMode) -> tuple[float, ...]:
        """Four of the luminance control's levels, lowest and highest among them."""
        levels = self.luminance_levels(mode)
        last = len(levels) - 1
        return tuple(dict.fromkeys(levels[round(i * last / 3)] for i in range(4))) if levels else ()

    def luminance_levels(self, mode: UnitMode) -> tuple[float, ...]:
        """Eleven even values of the luminance control, on its own steps; none where the mode locks it."""
        control = self.luminance_control
        if control is None or control.path in mode.locks:
            return ()
        span = control.maximum - control.minimum
        values = {round(control.minimum + round(i * span / 10 / control.step) * control.step, 9) for i in range(11)}
        return tuple(sorted(v for v in values if v <= control.maximum))


def _unique(names: Sequence[str], what: str) -> None:
    for name in names:
        if names.count(name) > 1:
            raise ValueError(f"{what} {name!r} appears more than once")


MOST_BYTES = 1_000_000
"""A unit file is at most so large."""


def parse_unit(text: str | bytes, name: str = "unit file") -> UnitFile:
    """A unit from its JSON text; UnitFileError with one line that says file, place and reason."""
    if not text.strip():
        raise UnitFileError(f"{name}: the file is empty")
    if len(text) > MOST_BYTES:
        raise UnitFileError(f"{name}: larger than {MOST_BYTES // 1_000_000} MB, so it is no unit file")
    try:
        unit = UnitFile.model_validate_json(text, strict=True)
        refuse_doubled(text)
        return unit
    except DoubledNameError as e:
        raise UnitFileError(f"{name}: {e}") from e
    except ValidationError as e:
        place, reason = first_problem(e)
        raise UnitFileError(f"{name}: {place}: {reason}" if place else f"{name}: {reason}") from e
