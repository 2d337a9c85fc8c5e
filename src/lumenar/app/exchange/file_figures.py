"""The figures of a readings file, and what its meters are judged by."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lumenar.app.errors import BadInputError
from lumenar.app.exchange.file_meters import FileMeter
from lumenar.app.exchange.readings_file import FileReading, FileRun, FileSetup, ReadingsFile
from lumenar.app.figures.loading import UNNAMED, corrected_limits, left_to_warm, uncorrected
from lumenar.core.analysis import Analysis, analyse
from lumenar.core.measurements import MEASUREMENTS, Measurement, MissingPatchError
from lumenar.core.numbers import significant
from lumenar.core.readings.collecting import Arranged, arranged, collect
from lumenar.core.readings.meter_limits import MeterLimits, floor_from
from lumenar.core.readings.patches import Patch
from lumenar.core.readings.readings import Readings
from lumenar.core.readings.warm_up import Remaining
from lumenar.core.signals import Signal
from lumenar.core.targets import Target, of_its_own, resolve


@dataclass(frozen=True, kw_only=True)
class SetupFigures:
    """The analyses of one setup by measurement, and why others have none. floors: what was assumed of meters near black,
    one sentence each."""

    key: str
    name: str
    unit: str | None
    mode: str
    shipped: bool
    signal: Signal
    target: str
    analyses: Mapping[str, Analysis]
    left_out: Mapping[str, str]
    readings: Callable[[str], Readings | None] = field(repr=False, compare=False)
    """Gives the readings of a measurement that was analysed."""
    floors: tuple[str, ...] = ()


def _limits(file: ReadingsFile, setup: FileSetup, used: set[str | None]) -> tuple[MeterLimits, tuple[str, ...]]:
    """The limits of the meters used, the poorest of them, and what was assumed of them; a floor that is not stated is
    estimated from all that the meter read of the setup."""
    meters = [m for m in file.meters if m.id in used]
    if not meters or None in used:
        meters.append(FileMeter(id="unnamed"))
    found, said = [], []
    for m in meters:
        limits, sentence = limits_of(setup, m)
        found.append(limits)
        said += [sentence] if sentence else []
    by_correction = [m for m in meters if m.correction is not None]
    base = MeterLimits(
        max(m.repeatability for m in found),
        max(m.floor for m in found),
        max(m.absolute for m in found),
        floor_origin=max(found, key=lambda m: m.limit).floor_origin,
    )
    if not by_correction:
        m = next((m for m in meters if m.kind == "colorimeter" and m.id != UNNAMED), meters[0])
        unit = next((u for u in file.units if u.id == setup.unit), None)
        panel = unit.panel if unit else "other"
        return uncorrected(base, m.kind, m.name or m.id, m.serial, panel), tuple(said)
    c = by_correction[0]
    series = None if c.correction_series is None else c.correction_series.model_dump()
    u = max(m.correction_u_percent for m in by_correction) / 100
    return corrected_limits(base, c.correction, series, u), tuple(said)


def limits_of(setup: FileSetup, m: FileMeter) -> tuple[MeterLimits, str]:
    """A meter's limits in a setup without its correction, and what was assumed of them: as stated, or as all that it read of
    the setup tells."""

    def found() -> tuple[MeterLimits, str]:
        nameless = setup.by_meter.get(None, []) if m.id == "unnamed" else []
        alone = set(setup.by_meter) <= {None, m.id}
        return _meter_limits(m, [*setup.by_meter.get(m.id, []), *nameless], alone)

    return setup.memo(("limits", m.id), found)


@lru_cache(maxsize=4)
def _groups(read: tuple[tuple[str | None, Patch], ...]) -> NDArray[np.intp]:
    """Which readings are of the same patch for the same measurement, as numbers; many setups are read by the same list."""
    seen: dict[object, int] = {}
    return np.array([seen.setdefault(r, len(seen)) for r in read], np.intp)


def _meter_limits(m: FileMeter, own: Sequence[FileReading], alone: bool) -> tuple[MeterLimits, str]:
    """A meter's limits as stated, or as its readings tell where they are not, with a sentence that says so. alone: no reading of
    the setup names another meter."""
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
    named = f"meter {m.name or m.id}"
    if m.id == "unnamed" and not m.name:
        named = "the meter" if alone else "the meter that some readings do not name"
    said = f"The floor of {named} is not stated; {significant(2 * absolute, 2)} cd/m² is {how}."
    return MeterLimits(repeatability, 2 * absolute, absolute, floor_origin=origin), said


_Known = dict[object, Analysis | MissingPatchError]


class _Analyser:
    """Analyses the measurements of one setup against a target. What several of them share, such as limits of meters and readings
    that serve them all, is found once."""

    def __init__(self, file: ReadingsFile, setup: FileSetup, target: Target) -> None:
        self._file, self._setup, self._target = file, setup, target
        self._corrections = {m.id: np.array(m.correction) for m in file.meters if m.correction is not None}
        self._by_meters: dict[frozenset[str | None], tuple[MeterLimits, tuple[str, ...]]] = {}
        self._rounded: dict[object, MeterLimits] = {}
        self._collected: dict[object, Readings] = {}

    @property
    def floors(self) -> tuple[str, ...]:
        """What was assumed of meters' floors, as sentences."""
        return tuple(dict.fromkeys(sentence for _, said in self._by_meters.values() for sentence in said))

    def analysis(self, m: Measurement, uncertain: bool, known: _Known | None) -> Analysis:
        """As `analyse_setup`, of one measurement. MissingPatchError if the readings don't suffice for it."""
        readings = self.readings(m)
        if known is None:
            return analyse(m, readings, self._target, uncertain)
        numbers = (
            np.isfinite(readings.XYZ).all(axis=-1).tobytes(),
            readings.below_floor.tobytes(),
            readings.dim.tobytes(),
        )
        alike = m.key, self._target.key, self._setup.signal, id(readings.layout), numbers
        if alike not in known:
            known[alike] = _analysis_or_why(m, readings, self._target)
        found = known[alike]
        if isinstance(found, MissingPatchError):
            raise found
        return found

    def readings(self, m: Measurement) -> Readings:
        """The readings that a measurement is analysed from."""
        setup, own = self._setup, self._setup.serving(m.key)
        run, meters = setup.run_of(m.key), frozenset(setup.meters_of(m.key))
        where = meters, tuple(run.measurements)
        if where not in self._rounded:
            if meters not in self._by_meters:
                self._by_meters[meters] = _limits(self._file, setup, set(meters))
            self._rounded[where] = self._by_meters[meters][0].as_shown(setup.luminances(run, meters))
        limits = self._rounded[where]
        # Readings that serve every measurement are the same for each.
        warmth = _warmth(run, limits.repeatability)
        key = id(own), warmth, where
        if key not in self._collected:
            by_list = _by_list(self._file, own, of_its_own(resolve(setup.target_key)))
            self._collected[key] = _collected(own, by_list, limits, self._corrections, warmth)
        rested = run.rested_white.XYZ[1] if run.rested_white else None
        return self._collected[key].watched(rested, [(w.time_s, w.XYZ[1]) for w in run.whites])


def analyse_setup(
    file: ReadingsFile,
    setup: FileSetup,
    target_key: str | None = None,
    uncertain: bool = True,
    known: _Known | None = None,
    only: Collection[str] = MEASUREMENTS,
) -> SetupFigures:
    """Every measurement that the setup's readings suffice for, against a target or the setup's own.

    A reading that names a measurement serves that one only; one that names none serves all whose patches it matches.
    known: where it is only asked what the readings suffice for; the analyses of setups that were read by the same list, with
    numbers at the same places, stand for this one's. only: the measurements that are wanted.
    """
    target = resolve(target_key or setup.target_key)
    analyser = _Analyser(file, setup, target)
    analyses: dict[str, Analysis] = {}
    left_out: dict[str, str] = {}
    for m in MEASUREMENTS.values():
        if setup.signal not in m.signals or m.key not in only or not setup.serving(m.key):
            continue
        try:
            analyses[m.key] = analyser.analysis(m, uncertain, known)
        except MissingPatchError as e:
            left_out[m.key] = str(e)
    return SetupFigures(
        key=setup.key,
        name=setup.name,
        unit=setup.unit,
        mode=setup.mode,
        shipped=setup.shipped if setup.shipped is not None else False,
        signal=setup.signal,
        target=target.key,
        analyses=analyses,
        left_out=left_out,
        readings=lambda key: analyser.readings(MEASUREMENTS[key]) if key in analyses else None,
        floors=analyser.floors,
    )


def _analysis_or_why(m: Measurement, readings: Readings, target: Target) -> Analysis | MissingPatchError:
    try:
        return analyse(m, readings, target, uncertain=False)
    except MissingPatchError as e:
        return e


def _by_list(file: ReadingsFile, own: Sequence[FileReading], made_for: tuple[Target, ...]) -> Arranged:
    """The patches of readings, arranged; setups that were read by the same list share it."""
    patches = tuple(r.patch for r in own)
    return file.memo(("list", patches, made_for), lambda: arranged(patches, made_for))


def _collected(
    own: Sequence[FileReading],
    by_list: Arranged,
    limits: MeterLimits,
    corrections: Mapping[str, NDArray[np.float64]],
    warmth: Remaining,
) -> Readings:
    return collect(
        patches=by_list,
        XYZ=np.array([r.number or (np.nan,) * 3 for r in own], float),
        below_floor=np.array([r.flag == "below_floor" for r in own], bool),
        meter=limits,
        time_s=np.array([np.nan if r.time_s is None else r.time_s for r in own]),
        traces=[r.trace for r in own],
        matrices=[corrections.get(r.meter or "") if r.waveform is None and r.spectrum is None else None for r in own],
        cold=warmth.u,
        to_come=warmth.share,
    )


def _warmth(run: FileRun, repeatability: float) -> Remaining:
    """What the light lacked of a warm display's."""
    warming, whites = ([(w.time_s, w.XYZ[1]) for w in of] for of in (run.warming, run.whites))
    return left_to_warm(run.warm, warming, whites, repeatability)


def analyse_file(
    file: ReadingsFile, name: str = "readings file", target_key: str | None = None, uncertain: bool = True
) -> list[SetupFigures]:
    """Every setup's analyses, without intervals where they are not asked for; BadInputError where a setup's readings suffice
    for no measurement at all."""
    return _all_of_use([analyse_setup(file, s, target_key, uncertain) for s in file.setups], name)


def measurements_of(file: ReadingsFile, name: str) -> list[list[str]]:
    """The measurements that each setup's readings suffice for; BadInputError as of `analyse_file`."""
    known: _Known = {}
    found = _all_of_use([analyse_setup(file, s, known=known) for s in file.setups], name)
    return [list(setup.analyses) for setup in found]


def _all_of_use(found: list[SetupFigures], name: str) -> list[SetupFigures]:
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
