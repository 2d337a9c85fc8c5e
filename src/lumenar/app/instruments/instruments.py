"""Instruments: meters and their state, and corrections of the working meter by the reference meter."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np

from lumenar.app.application import Application
from lumenar.app.bench.bench import BenchService
from lumenar.app.data import now
from lumenar.app.displays.displays import display
from lumenar.app.drivers.simulated import COLORIMETER, FAULTS, METERS, SPECTRORADIOMETER, FaultKey
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.figures import cells
from lumenar.app.figures.loading import correction_key, document_of
from lumenar.app.instruments import named_meters
from lumenar.app.instruments.correction_series import CHECKS, COLOURS, SERIES, Taken, read_colour, take_series
from lumenar.app.instruments.named_meters import NamedMeter
from lumenar.app.runs.planning import setup_states
from lumenar.bench.panel_timing import PANEL_TIMINGS
from lumenar.bench.ports import InstrumentError, Meter, MeterKind
from lumenar.core.colour import correction as colour_correction
from lumenar.core.colour import difference, spaces
from lumenar.core.colour.correction import ColourReadings
from lumenar.core.menu.controls import Panel
from lumenar.core.numbers import signed
from lumenar.core.targets import TARGETS
from lumenar.core.uncertainty import DRAWS
from lumenar.store import corrections, reviews
from lumenar.store.corrections import CorrectionRow

CHECKS_OFF_PERCENT = 1.0
"""Where the verification colours are off by more than this in luminance, in the middle, the correction is wrong."""


@dataclass(frozen=True, kw_only=True)
class MeterView:
    """A meter: what it is and can do, and what is wrong with it at present."""

    name: str
    kind: MeterKind
    role: str
    repeatability_percent: float
    floor_cd_m2: float
    ceiling_cd_m2: float
    fault: FaultKey | None


@dataclass(frozen=True, kw_only=True)
class CorrectionView:
    """A correction, what is left after it, and how many runs used it."""

    id: int
    panel: Panel
    meter: str
    serial: str
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


@dataclass(frozen=True, kw_only=True)
class CorrectionAttempt:
    """A correction being made, or made and not yet kept. step: "reading", "done" or "failed"."""

    step: Literal["reading", "done", "failed"]
    message: str
    review: int
    made_on: str
    panel: Panel
    done: int
    total: int
    matrix: list[list[float]] | None = None
    residuals: list[Residual] = field(default_factory=list)
    summary: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class InstrumentsView:
    """The Instruments view."""

    meters: list[MeterView]
    named: list[NamedMeter]
    """Those that a person named."""
    faults: dict[str, str]
    corrections: list[CorrectionView]
    attempt: CorrectionAttempt | None


def meter_views(bench: BenchService) -> list[MeterView]:
    """The meters of the bench; the colorimeter is the working meter, the spectroradiometer its reference."""
    roles = {"colorimeter": "working meter", "spectroradiometer": "reference", "photodiode": "light over time"}
    fault = bench.live.status().fault
    return [
        MeterView(
            name=m.name,
            kind=m.kind,
            role=roles[m.kind],
            repeatability_percent=100 * m.repeatability,
            floor_cd_m2=m.floor,
            ceiling_cd_m2=m.ceiling,
            fault=fault if m is COLORIMETER else None,
        )
        for m in METERS
    ]


@dataclass
class _CorrectionJob:
    review: int
    owner: Corrector
    begun: CorrectionAttempt
    setup: int
    unit: int
    kind: Literal["correction"] = "correction"

    def work(self) -> None:
        self.owner.work(self.begun, self.setup, self.unit)

    def leave(self) -> None:
        self.owner.stop()

    def failed(self, error: BaseException) -> bool:
        said = f"The correction stopped on a fault ({type(error).__name__}: {error}); Lumenar's output says where. Make it anew."
        self.owner.ended(self.begun, said)
        return False


class Corrector:
    """Makes corrections: reads R, G, B, white and verification colours of one unit with both meters."""

    def __init__(self, app: Application, bench: BenchService) -> None:
        self.app, self.bench = app, bench
        self.attempt: CorrectionAttempt | None = None
        self._read: dict[str, Any] | None = None
        self._stopping = False

    def view(self) -> InstrumentsView:
        """Meters, corrections, and the attempt under way."""
        return InstrumentsView(
            meter_views(self.bench), named_meters.views(self.app), FAULTS, self.corrections(), self.attempt
        )

    def corrections(self) -> list[CorrectionView]:
        """Every correction, those that came in files too."""
        found = corrections.every(self.app.db.connection())
        current: set[tuple[str, str, str]] = set()
        views = []
        for c, used in found:
            views.append(
                CorrectionView(
                    id=c.id,
                    panel=c.panel,
                    meter=c.meter,
                    serial=c.serial,
                    reference=c.reference,
                    made_on=c.made_on,
                    made_at=c.made_at,
                    matrix=c.matrix,
                    residual=dict(c.residual),
                    runs=used,
                    current=c.reference != corrections.IMPORTED and (c.panel, c.meter, c.serial) not in current,
                )
            )
            if c.reference != corrections.IMPORTED:
                current.add((c.panel, c.meter, c.serial))
        return views

    def correction(self, number: int) -> CorrectionView:
        """One correction; NotFoundError where there is none."""
        for c in self.corrections():
            if c.id == number:
                return c
        raise NotFoundError("correction", f"There is no correction {number}.")

    def start(self, review_id: int, setup_id: int) -> None:
        """Begin; it works on the bench in its thread. ConflictError while the bench is in use."""
        setup = cells.setup_of(self.app, review_id, setup_id)
        shown = display(self.app, setup.unit_id)
        row = shown.row
        if not shown.can.reference:
            raise ConflictError(
                "by-hand", f"No second meter stands before {row.name}: give its meter's correction as a matrix."
            )
        total = 2 * len(SERIES)
        made_on = f"{row.name}, sample {row.sample}, {setup.name}"
        begun = CorrectionAttempt(
            step="reading", message="", review=review_id, made_on=made_on, panel=row.panel, done=0, total=total
        )

        def first() -> None:
            self._stopping = False
            self.attempt = begun

        self.bench.occupancy.take(_CorrectionJob(review_id, self, begun, setup_id, setup.unit_id), first)
        self.bench.live.tell()

    def work(self, begun: CorrectionAttempt, setup_id: int, unit_id: int) -> None:
        """All of it; what an instrument cannot do ends the attempt."""
        try:
            self._make(begun, setup_id, unit_id)
        except InstrumentError as e:
            self.ended(begun, f"{e}. {e.advice}")

    def ended(self, begun: CorrectionAttempt, message: str) -> None:
        """The attempt has failed."""
        self._say(
            CorrectionAttempt(
                step="failed",
                message=message,
                review=begun.review,
                made_on=begun.made_on,
                panel=begun.panel,
                done=0,
                total=begun.total,
            )
        )

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
        row = CorrectionRow(
            id=0,
            panel=a.panel,
            meter=COLORIMETER.name,
            reference=SPECTRORADIOMETER.name,
            made_on=a.made_on,
            made_at=now(),
            matrix=a.matrix,
            residual=a.summary,
            series=self._read,
        )
        with self.app.db.transaction() as db:
            number = corrections.add(db, row)
        self.attempt = None
        return number

    def _say(self, attempt: CorrectionAttempt) -> None:
        self.attempt = attempt
        self.bench.live.tell()

    def _make(self, begun: CorrectionAttempt, setup_id: int, unit_id: int) -> None:
        bench = self.bench.equipment.assemble(unit_id, 4243 + setup_id)
        state = setup_states(self.app, begun.review, unit_id)[setup_id]
        bench.enter(state.wanted, state.format)
        said: list[str] = []
        series: list[ColourReadings] = []
        # The person puts one meter before the screen at a time: first the reference, then the working meter.
        for who, meter in (("reference", bench.spectroradiometer), ("working", bench.meter)):

            def read(name: str, who: str = who, meter: Meter = meter) -> Taken | None:
                if self._stopping:
                    return None
                self.bench.live.shown(name, COLOURS[name], f"{who} meter", state.name)
                taken = read_colour(bench, meter, name, PANEL_TIMINGS[begun.panel].settle_s)
                self.bench.live.read(name, "ok", np.array(taken.reading.XYZ))
                self._step(begun, f"Reading {name} with the {who} meter")
                return taken

            whole = take_series(read, meter.describe(), who, said)
            if whole is None:
                self.attempt = None
                return
            series.append(whole)
        self._conclude(begun, series[0], series[1], " ".join(said))

    def _conclude(
        self, begun: CorrectionAttempt, reference: ColourReadings, working: ColourReadings, said: str
    ) -> None:
        """Compute the matrix and check it. InstrumentError if the readings can't be right."""
        try:
            matrix = colour_correction.from_series(reference, working)
        except np.linalg.LinAlgError:
            raise InstrumentError("the primaries lie on one line, so no correction can be made in this mode") from None
        # Both as they would have been if the display's light had stood still.
        one, two = colour_correction.without_drift(reference, working)
        residuals = _residuals(one, two, matrix)
        off = float(np.median([r.luminance_percent for r in residuals]))
        if abs(off) > CHECKS_OFF_PERCENT:
            raise InstrumentError(
                f"the verification colours are off by {signed(off, 1)} % in luminance after correction, so a reading of white"
                " must be wrong or a meter was moved; make the correction anew"
            )
        summary = summarise(reference, working, matrix, residuals)
        number = len(SERIES) * 2
        self._read = document_of(reference, working)
        self._say(
            CorrectionAttempt(
                step="done",
                message=said,
                review=begun.review,
                made_on=begun.made_on,
                panel=begun.panel,
                done=number,
                total=number,
                matrix=matrix.tolist(),
                residuals=residuals,
                summary=summary,
            )
        )

    def _step(self, begun: CorrectionAttempt, said: str) -> None:
        done = min((self.attempt.done if self.attempt else 0) + 1, begun.total)
        self._say(
            CorrectionAttempt(
                step="reading",
                message=said,
                review=begun.review,
                made_on=begun.made_on,
                panel=begun.panel,
                done=done,
                total=begun.total,
            )
        )


def _residuals(reference: ColourReadings, working: ColourReadings, matrix: np.ndarray) -> list[Residual]:
    target, white = TARGETS["srgb"], reference.mean("white")[1]
    out = []
    for name in CHECKS:
        true, raw = reference.mean(name), working.mean(name)
        after = colour_correction.corrected(raw, matrix)
        Lab = [target.Lab(c[None, :], white)[0] for c in (true, raw, after)]
        shift = np.linalg.norm(spaces.XYZ_to_uv(after) - spaces.XYZ_to_uv(true))
        out.append(
            Residual(
                name,
                float(difference.de2000(Lab[1], Lab[0])),
                float(difference.de2000(Lab[2], Lab[0])),
                float(shift),
                float(100 * (after[1] / true[1] - 1)),
            )
        )
    return out


def summarise(
    reference: ColourReadings, working: ColourReadings, matrix: np.ndarray, residuals: list[Residual]
) -> dict[str, float]:
    """What is left after a correction: mean and worst dE2000 and u'v' of the verification colours, the standard uncertainty
    in % of white's luminance and the mean one of its channels, which it carries into everything read with it, and the
    display's drift over both series in %."""
    white = colour_correction.corrected(working.mean("white"), matrix)
    others = colour_correction.spread(reference, working, DRAWS, correction_key(matrix)) @ white / white
    whites = [s.XYZ[s.whites, 1] for s in (reference, working)]
    return {
        "de2000_before_mean": float(np.mean([r.de_before for r in residuals])),
        "de2000_mean": float(np.mean([r.de_after for r in residuals])),
        "de2000_worst": float(np.max([r.de_after for r in residuals])),
        "duv_worst": float(np.max([r.duv_after for r in residuals])),
        "luminance_worst_percent": float(max(abs(r.luminance_percent) for r in residuals)),
        "u_luminance_percent": float(100 * others[:, 1].std()),
        "u_percent": float(100 * np.sqrt((others.std(axis=0) ** 2).mean())),
        "drift_percent": float(100 * (whites[1][-1] / whites[1][0] * whites[0][-1] / whites[0][0] - 1)),
    }


def correct_for(app: Application, bench: BenchService, review_id: int) -> None:
    """Make and keep a correction for the panel of each unit of a review, in its first setup: panels of one type still
    differ in their spectra, so the one made on the display itself is the best. BadInputError where it cannot be made."""
    corrector = Corrector(app, bench)
    # The first sample last, so that its correction is the newest for the panel type.
    for unit in reversed(reviews.units_of(app.db.connection(), review_id)):
        setup = next(s for s in reviews.setups_of(app.db.connection(), review_id) if s.unit_id == unit.id)
        corrector.start(review_id, setup.id)
        bench.occupancy.wait()
        if corrector.attempt is None or corrector.attempt.step != "done":
            reason = corrector.attempt.message if corrector.attempt else "it was stopped"
            raise BadInputError("correction", f"No correction for {unit.name}: {reason}")
        corrector.keep()
