"""Instruments: meters and their state, and corrections of the working meter by the reference meter."""

from __future__ import annotations

from dataclasses import asdict, dataclass, field

import numpy as np

from lumenar.bench.habits import HABITS, settling
from lumenar.bench.ports import Bench, InstrumentError, Meter
from lumenar.bench.simulated.meter import COLORIMETER, FAULTS, METERS, SPECTRORADIOMETER
from lumenar.core.colour import correction as colour_correction
from lumenar.core.colour import difference, spaces
from lumenar.core.readings import Patch
from lumenar.core.targets import TARGETS
from lumenar.service import cells
from lumenar.service.application import Application, now
from lumenar.service.bench import BenchService
from lumenar.service.errors import BadInputError, ConflictError
from lumenar.service.planning import setup_states
from lumenar.service.units import unit_by_id
from lumenar.store import corrections, reviews
from lumenar.store.corrections import CorrectionRow

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
SERIES = ["white", *(n for n in PRIMARIES if n != "white"), *CHECKS, "white"]
"""What each meter reads: white once more at the end, since a display drifts between one meter and the other."""


@dataclass(frozen=True)
class MeterView:
    """A meter: what it is and can do, and what is wrong with it at present."""

    name: str
    kind: str
    role: str
    repeatability_percent: float
    floor_cd_m2: float
    ceiling_cd_m2: float
    fault: str | None


@dataclass(frozen=True)
class CorrectionView:
    """A correction, what is left after it, and how many runs used it."""

    id: int
    panel: str
    meter: str
    reference: str
    made_on: str
    made_at: str
    matrix: list[list[float]]
    residual: dict[str, float]
    runs: int
    current: bool


@dataclass(frozen=True)
class Residual:
    """One verification colour before and after correction, against the reference."""

    name: str
    de_before: float
    de_after: float
    duv_after: float
    luminance_percent: float


@dataclass(frozen=True)
class Attempt:
    """A correction being made, or made and not yet kept. step: "reading", "done" or "failed"."""

    step: str
    message: str
    review: int
    made_on: str
    panel: str
    done: int
    total: int
    matrix: list[list[float]] | None = None
    residuals: list[Residual] = field(default_factory=list)
    summary: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class InstrumentsView:
    """The Instruments view."""

    meters: list[MeterView]
    faults: dict[str, str]
    corrections: list[CorrectionView]
    attempt: Attempt | None


def meter_views(bench: BenchService) -> list[MeterView]:
    """The meters of the bench; the colorimeter is the working meter, the spectroradiometer its reference."""
    roles = {"colorimeter": "working meter", "spectroradiometer": "reference", "photodiode": "light over time"}
    fault = bench.status().fault
    return [
        MeterView(
            m.name, m.kind, roles[m.kind], 100 * m.repeatability, m.floor, m.ceiling,
            fault if m is COLORIMETER else None,
        )
        for m in METERS
    ]  # fmt: skip


class Corrector:
    """Makes corrections: reads R, G, B, white and verification colours of one unit with both meters."""

    def __init__(self, app: Application, bench: BenchService) -> None:
        self.app, self.bench = app, bench
        self.attempt: Attempt | None = None
        self._stopping = False

    def view(self) -> InstrumentsView:
        """Meters, corrections, and the attempt under way."""
        found = corrections.every(self.app.db.connection())
        current: set[str] = set()
        views = []
        for c, used in found:
            views.append(
                CorrectionView(**asdict(c) | {"residual": dict(c.residual)}, runs=used, current=c.panel not in current)
            )
            current.add(c.panel)
        return InstrumentsView(meter_views(self.bench), FAULTS, views, self.attempt)

    def start(self, review_id: int, setup_id: int) -> None:
        """Begin; it works on the bench in its thread. ConflictError while the bench is in use."""
        setup = cells.setup_of(self.app, review_id, setup_id)
        row, _ = unit_by_id(self.app, setup.unit_id)
        total = 2 * len(SERIES)
        made_on = f"{row.name}, sample {row.sample}, {setup.name}"
        begun = Attempt("reading", "", review_id, made_on, row.panel, 0, total)

        def work() -> None:
            try:
                self._make(begun, setup_id, setup.unit_id)
            except InstrumentError as e:
                self._say(Attempt("failed", f"{e}. {e.advice}", review_id, made_on, row.panel, 0, total))

        def first() -> None:
            self._stopping = False
            self.attempt = begun

        self.bench.occupy("correction", work, first)
        self.bench.tell()

    def stop(self) -> None:
        """Give the attempt up; nothing is kept of it."""
        self._stopping = True
        if self.attempt is not None and self.attempt.step != "reading":
            self.attempt = None

    def keep(self) -> int:
        """Keep the correction that was made; runs from now on use it. Returns its number."""
        a = self.attempt
        if a is None or a.step != "done" or a.matrix is None:
            raise ConflictError("correction", "There is no finished correction to keep; make one first.")
        row = CorrectionRow(0, a.panel, COLORIMETER.name, SPECTRORADIOMETER.name, a.made_on, now(), a.matrix, a.summary)
        with self.app.db.transaction() as db:
            number = corrections.add(db, row)
        self.attempt = None
        return number

    def _say(self, attempt: Attempt) -> None:
        self.attempt = attempt
        self.bench.tell()

    def _make(self, begun: Attempt, setup_id: int, unit_id: int) -> None:
        bench = self.bench.assemble(unit_id, 4243 + setup_id)
        state = setup_states(self.app, begun.review, unit_id)[setup_id]
        bench.remote.select(state.mode)
        for path, value in state.settings.items():
            bench.remote.apply(path, value)
        series: list[np.ndarray] = []
        times: list[list[float]] = []
        done = 0
        # The person puts one meter before the screen at a time: first the reference, then the working meter.
        for who, meter in (("reference", bench.spectroradiometer), ("working", bench.meter)):
            values = []
            times.append([])
            for name in SERIES:
                if self._stopping:
                    self.attempt = None
                    return
                rgb = PRIMARIES.get(name) or CHECKS[name]
                self.bench.shown(name, rgb, f"{who} meter", state.name)
                values.append(_read(bench, meter, Patch(rgb), HABITS[begun.panel].settle_s))
                times[-1].append(bench.clock.now())
                self.bench.live(name, "ok", values[-1])
                done += 1
                said = f"Reading {name} with the {who} meter"
                self._say(Attempt("reading", said, begun.review, begun.made_on, begun.panel, done, begun.total))
            series.append(np.array(values))
        # Both as they would have been when the working meter was put in place.
        read = {
            who: dict(zip(SERIES, colour_correction.without_drift(v, t, times[1][0]), strict=True))
            for who, v, t in zip(("reference", "working"), series, times, strict=True)
        }
        try:
            matrix = _matrix(read["reference"], read["working"])
        except np.linalg.LinAlgError:
            raise InstrumentError("the primaries lie on one line, so no correction can be made in this mode") from None
        residuals = _residuals(read["reference"], read["working"], matrix)
        summary = summarise(read["reference"], read["working"], matrix, residuals)
        summary["drift_percent"] = float(
            100 * (series[1][-1, 1] / series[1][0, 1] * series[0][-1, 1] / series[0][0, 1] - 1)
        )
        self._say(
            Attempt(
                "done", "", begun.review, begun.made_on, begun.panel, done, done, matrix.tolist(), residuals, summary
            )
        )


def _read(bench: Bench, meter: Meter, patch: Patch, settle_s: float) -> np.ndarray:
    bench.source.show(patch)
    bench.clock.sleep(settle_s + settling(HABITS["other"], None, patch))
    return np.array(meter.read().XYZ)


def _matrix(reference: dict[str, np.ndarray], working: dict[str, np.ndarray]) -> np.ndarray:
    """The four-colour matrix from R, G, B and white of both meters."""
    rgb = [np.stack([who[n] for n in ("red", "green", "blue")]) for who in (reference, working)]
    return colour_correction.four_colour(rgb[0], reference["white"], rgb[1], working["white"])


def _residuals(reference: dict[str, np.ndarray], working: dict[str, np.ndarray], matrix: np.ndarray) -> list[Residual]:
    target, white = TARGETS["srgb"], reference["white"][1]
    out = []
    for name in CHECKS:
        true, raw = reference[name], working[name]
        after = colour_correction.corrected(raw, matrix)
        Lab = [target.Lab(c[None, :], white)[0] for c in (true, raw, after)]
        shift = np.linalg.norm(spaces.XYZ_to_uv(after) - spaces.XYZ_to_uv(true))
        out.append(
            Residual(
                name, float(difference.de2000(Lab[1], Lab[0])), float(difference.de2000(Lab[2], Lab[0])), float(shift),
                float(100 * (after[1] / true[1] - 1)),
            )
        )  # fmt: skip
    return out


def summarise(
    reference: dict[str, np.ndarray], working: dict[str, np.ndarray], matrix: np.ndarray, residuals: list[Residual]
) -> dict[str, float]:
    """What is left after a correction: mean and worst dE2000 and u'v' of the verification colours, and the relative
    uncertainty per channel in % that the correction carries into everything read with it."""
    relative = {n: colour_correction.corrected(working[n], matrix) / reference[n] - 1 for n in CHECKS}
    neutral = np.array([relative[n] for n in ("mid grey", "skin tone", "sky")])
    return {
        "de2000_before_mean": float(np.mean([r.de_before for r in residuals])),
        "de2000_mean": float(np.mean([r.de_after for r in residuals])),
        "de2000_worst": float(np.max([r.de_after for r in residuals])),
        "duv_worst": float(np.max([r.duv_after for r in residuals])),
        "luminance_worst_percent": float(max(abs(r[1]) for r in relative.values()) * 100),
        "u_percent": float(100 * np.sqrt((neutral**2).mean())),
    }


def correct_for(app: Application, bench: BenchService, review_id: int) -> None:
    """Make and keep a correction for the panel of each unit of a review, in its first setup: panels of one type still
    differ in their spectra, so the one made on the display itself is the best. BadInputError where it cannot be made."""
    corrector = Corrector(app, bench)
    # The first sample last, so that its correction is the newest for the panel type.
    for unit in reversed(reviews.units_of(app.db.connection(), review_id)):
        setup = next(s for s in reviews.setups_of(app.db.connection(), review_id) if s.unit_id == unit.id)
        corrector.start(review_id, setup.id)
        bench.wait()
        if corrector.attempt is None or corrector.attempt.step != "done":
            reason = corrector.attempt.message if corrector.attempt else "it was stopped"
            raise BadInputError("correction", f"No correction for {unit.name}: {reason}")
        corrector.keep()
