"""Instruments: meters and their state, and corrections of the working meter by the reference meter."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from lumenar.bench.habits import HABITS, settling
from lumenar.bench.ports import Bench, InstrumentError, Meter, MeterDescription
from lumenar.bench.simulated.meter import COLORIMETER, FAULTS, METERS, SPECTRORADIOMETER
from lumenar.core.colour import correction as colour_correction
from lumenar.core.colour import difference, spaces
from lumenar.core.colour.correction import ColourReadings
from lumenar.core.numbers import signed
from lumenar.core.readings import Patch
from lumenar.core.targets import TARGETS
from lumenar.core.uncertainty import DRAWS
from lumenar.service import cells
from lumenar.service.application import Application
from lumenar.service.bench import BenchService
from lumenar.service.data import now
from lumenar.service.errors import BadInputError, ConflictError
from lumenar.service.loading import correction_key, document_of
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
_FIRST, _SECOND = list(CHECKS)[:4], list(CHECKS)[4:]
_ROUND = ["red", "green", "blue", *["white"] * 3]
SERIES = [*["white"] * 4, *_ROUND, *_ROUND, *_FIRST, "white", "white", *_SECOND, *["white"] * 6]
"""What each meter reads. White so often that its luminance is known to a thousandth and the display's drift is seen;
primaries twice, so that one that is off is noticed."""
ODD_SIGMAS, ODD_LEAST, AGAIN = 8.0, 0.015, 3
"""A repeat is odd where it is off by more sigmas than these and by this share at least; it is read again so often."""
CHECKS_OFF_PERCENT = 1.0
"""Where the verification colours are off by more than this in luminance, in the middle, the correction is wrong."""


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
    fault = bench.live.status().fault
    return [
        MeterView(
            m.name, m.kind, roles[m.kind], 100 * m.repeatability, m.floor, m.ceiling,
            fault if m is COLORIMETER else None,
        )
        for m in METERS
    ]  # fmt: skip


@dataclass
class _CorrectionJob:
    review: int
    owner: Corrector
    begun: Attempt
    setup: int
    unit: int
    kind: str = "correction"

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
        self.attempt: Attempt | None = None
        self._read: dict[str, Any] | None = None
        self._stopping = False

    def view(self) -> InstrumentsView:
        """Meters, corrections, and the attempt under way."""
        found = corrections.every(self.app.db.connection())
        current: set[str] = set()
        views = []
        for c, used in found:
            views.append(
                CorrectionView(
                    c.id,
                    c.panel,
                    c.meter,
                    c.reference,
                    c.made_on,
                    c.made_at,
                    c.matrix,
                    dict(c.residual),
                    used,
                    c.panel not in current,
                )
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

        def first() -> None:
            self._stopping = False
            self.attempt = begun

        self.bench.seat.take(_CorrectionJob(review_id, self, begun, setup_id, setup.unit_id), first)
        self.bench.live.tell()

    def work(self, begun: Attempt, setup_id: int, unit_id: int) -> None:
        """All of it; what an instrument cannot do ends the attempt."""
        try:
            self._make(begun, setup_id, unit_id)
        except InstrumentError as e:
            self.ended(begun, f"{e}. {e.advice}")

    def ended(self, begun: Attempt, message: str) -> None:
        """The attempt has failed."""
        self._say(Attempt("failed", message, begun.review, begun.made_on, begun.panel, 0, begun.total))

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
            0, a.panel, COLORIMETER.name, SPECTRORADIOMETER.name, a.made_on, now(), a.matrix, a.summary, self._read
        )
        with self.app.db.transaction() as db:
            number = corrections.add(db, row)
        self.attempt = None
        return number

    def _say(self, attempt: Attempt) -> None:
        self.attempt = attempt
        self.bench.live.tell()

    def _make(self, begun: Attempt, setup_id: int, unit_id: int) -> None:
        bench = self.bench.rig.assemble(unit_id, 4243 + setup_id)
        state = setup_states(self.app, begun.review, unit_id)[setup_id]
        bench.remote.select(state.mode)
        for path, value in state.settings.items():
            bench.remote.apply(path, value)
        said: list[str] = []
        series: list[ColourReadings] = []
        # The person puts one meter before the screen at a time: first the reference, then the working meter.
        for who, meter in (("reference", bench.spectroradiometer), ("working", bench.meter)):

            def read(name: str, who: str = who, meter: Meter = meter) -> tuple[np.ndarray, float] | None:
                if self._stopping:
                    return None
                rgb = PRIMARIES.get(name) or CHECKS[name]
                self.bench.live.shown(name, rgb, f"{who} meter", state.name)
                XYZ = _read(bench, meter, Patch(rgb), HABITS[begun.panel].settle_s)
                self.bench.live.read(name, "ok", XYZ)
                self._step(begun, f"Reading {name} with the {who} meter")
                return XYZ, bench.clock.now()

            found = _series(read, meter.describe(), who, said)
            if found is None:
                self.attempt = None
                return
            series.append(found)
        reference, working = series
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
            Attempt(
                "done",
                " ".join(said),
                begun.review,
                begun.made_on,
                begun.panel,
                number,
                number,
                matrix.tolist(),
                residuals,
                summary,
            )
        )

    def _step(self, begun: Attempt, said: str) -> None:
        done = min((self.attempt.done if self.attempt else 0) + 1, begun.total)
        self._say(Attempt("reading", said, begun.review, begun.made_on, begun.panel, done, begun.total))


def _series(
    read: Callable[[str], tuple[np.ndarray, float] | None], meter: MeterDescription, who: str, said: list[str]
) -> ColourReadings | None:
    """What a meter reads of `SERIES`, odd repeats read again and left out; None where it was stopped. InstrumentError where
    repeats do not agree even so."""
    names, values, times = list(SERIES), [], []
    for name in SERIES:
        if (got := read(name)) is None:
            return None
        values.append(got[0])
        times.append(got[1])
    for attempt in range(AGAIN + 1):
        series = ColourReadings(
            tuple(names), np.array(values), np.array(times), meter.repeatability, meter.absolute, meter.own_share
        )
        odd, agrees = _odd(series)
        if agrees:
            for i in sorted(odd, reverse=True):
                said.append(f"A reading of {names[i]} by the {who} meter was off and is left out.")
                del names[i], values[i], times[i]
            return ColourReadings(
                tuple(names), np.array(values), np.array(times), meter.repeatability, meter.absolute, meter.own_share
            )
        if attempt == AGAIN:
            break
        for name in dict.fromkeys(names[i] for i in odd):
            if (got := read(name)) is None:
                return None
            names.append(name)
            values.append(got[0])
            times.append(got[1])
    raise InstrumentError(
        f"the {who} meter does not repeat its readings of {names[next(iter(odd))]}: they differ by more than"
        f" {100 * ODD_LEAST:g} %; see that meter and display stand still"
    )


def _odd(series: ColourReadings) -> tuple[set[int], bool]:
    """Which repeats are off from the others of their colour, and whether for each such colour three others agree, so that
    it can be left out."""
    odd, agrees = set(), True
    for name in set(series.names):
        index = [i for i, n in enumerate(series.names) if n == name]
        Y = series.XYZ[index, 1]
        middle = float(np.median(Y))
        limit = max(ODD_SIGMAS * float(np.hypot(series.repeatability * middle, series.absolute)), ODD_LEAST * middle)
        if np.ptp(Y) <= limit or len(Y) < 2:
            continue
        off = [i for i, y in zip(index, Y, strict=True) if abs(y - middle) > limit / 2]
        odd |= set(off or index)
        agrees &= bool(off) and len(index) - len(off) >= 2
    return odd, agrees


def _read(bench: Bench, meter: Meter, patch: Patch, settle_s: float) -> np.ndarray:
    bench.source.show(patch)
    bench.clock.sleep(settle_s + settling(HABITS["other"], None, patch))
    return np.array(meter.read().XYZ)


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
                name, float(difference.de2000(Lab[1], Lab[0])), float(difference.de2000(Lab[2], Lab[0])), float(shift),
                float(100 * (after[1] / true[1] - 1)),
            )
        )  # fmt: skip
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
        bench.seat.wait()
        if corrector.attempt is None or corrector.attempt.step != "done":
            reason = corrector.attempt.message if corrector.attempt else "it was stopped"
            raise BadInputError("correction", f"No correction for {unit.name}: {reason}")
        corrector.keep()
