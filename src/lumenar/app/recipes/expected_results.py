"""What a recipe promises, and whether its replays kept it: figures decide, not that all could be entered."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace

import numpy as np

from lumenar.app.application import Application
from lumenar.core.analysis import Analysis, analyse, value_of
from lumenar.core.colour.correction import corrected
from lumenar.core.measurements import MEASUREMENTS, PROMISED
from lumenar.core.measurements.base import MissingPatchError
from lumenar.core.measurements.figure import Tolerance
from lumenar.core.numbers import grouped, listed
from lumenar.core.readings.collecting import collect
from lumenar.core.readings.meter_limits import MeterLimits
from lumenar.core.readings.patches import Patch
from lumenar.core.recipes.purpose import REPLAY_FAILED, REPLAYED
from lumenar.core.targets import Target, resolve
from lumenar.store import corrections, reviews
from lumenar.store.replays import ReplayRow
from lumenar.store.reviews import SetupRow


@dataclass(frozen=True, kw_only=True)
class PromisedFigure:
    """One figure that a recipe promises, and what its replays gave: of the sample it was made on and of others, by sample."""

    figure: str
    title: str
    unit: str
    decimals: int
    expected: float | None
    replayed: float | None
    kept: bool | None
    others: dict[str, float]


def promised(
    app: Application, review: int, setup: SetupRow, expected: Mapping[str, Analysis], rows: Sequence[ReplayRow]
) -> list[PromisedFigure]:
    """What the setup's proof shows, held against what its newest replay gave, and beside what those on other samples gave."""
    target = resolve(setup.target)
    newest = {r.unit_id: figures_of(app, r, target) for r in reversed(rows) if r.state == "done"}
    mine = newest.pop(setup.unit_id, {})
    samples = {u.id: u.sample for u in reviews.units_of(app.db.connection(), review)}
    theirs = {samples[u]: f for u, f in newest.items() if u in samples}
    out = []
    for f in PROMISED:
        if setup.signal not in MEASUREMENTS[f.measurement].signals:
            continue
        wanted, got = value_of(expected, f), mine.get(f.name)
        others = {s: found[f.name] for s, found in theirs.items() if f.name in found}
        if wanted is not None or got is not None:
            kept = _kept(f.promise, wanted, got)
            out.append(
                PromisedFigure(
                    figure=f.name,
                    title=f.title,
                    unit=f.unit,
                    decimals=f.decimals,
                    expected=wanted,
                    replayed=got,
                    kept=kept,
                    others=others,
                )
            )
    return out


def _kept(promise: Tolerance | None, wanted: float | None, got: float | None) -> bool | None:
    if promise is None or wanted is None or got is None:
        return None
    return abs(got - wanted) <= (promise.tolerance * abs(wanted) if promise.relative else promise.tolerance)


def figures_of(app: Application, row: ReplayRow, target: Target) -> dict[str, float]:
    """The figures of a replay that recipes promise, by name; those of which it read too little are left out."""
    if len(row.XYZ) != len(row.patches):
        return {}
    XYZ = np.array([(np.nan,) * 3 if v is None else v for v in row.XYZ], float)
    if row.correction_id is not None and (c := corrections.get(app.db.connection(), row.correction_id)) is not None:
        XYZ = corrected(XYZ, c.matrix)
    limits = MeterLimits(float(row.meter.get("repeatability", 0.002)), float(row.meter.get("floor", 0.0)))
    patches = [Patch((p[0], p[1], p[2])) for p in row.patches]
    readings = collect(patches, np.nan_to_num(XYZ), np.isnan(XYZ[:, 1]), limits)
    analyses: dict[str, Analysis] = {}
    for measurement in dict.fromkeys(f.measurement for f in PROMISED):
        with suppress(MissingPatchError):
            analyses[measurement] = analyse(measurement, readings, target, uncertain=False)
    return {f.name: value for f in PROMISED if (value := value_of(analyses, f)) is not None}


def of_replay(
    app: Application, review: int, setup: SetupRow, expected: Mapping[str, Analysis], row: ReplayRow
) -> list[PromisedFigure]:
    """What one replay gave of what was promised, on whichever sample: another one is held to the same promises."""
    return promised(app, review, setup, expected, [replace(row, unit_id=setup.unit_id)])


def kept(figures: Sequence[PromisedFigure]) -> bool | None:
    """Whether all that was promised and read was kept; None if nothing could be compared."""
    known = [f.kept for f in figures if f.kept is not None]
    return all(known) if known else None


def missed(figures: Sequence[PromisedFigure]) -> str:
    """What was not kept, with what was promised and what came; empty if all was."""
    said = []
    for f in figures:
        if f.kept is False and f.expected is not None and f.replayed is not None:
            got, wanted = (grouped(v, f.decimals) for v in (f.replayed, f.expected))
            said.append(f"{f.title} {got} {f.unit} instead of {wanted}")
    return listed(said)


def said_of_replays(
    app: Application, review: int, setup: SetupRow, expected: Mapping[str, Analysis], rows: Sequence[ReplayRow]
) -> str:
    """What became of the replays of a setup, newest first, in a few sentences: on its own sample, then on others. Empty if it
    was not replayed on its own sample."""
    units = {u.id: u for u in reviews.units_of(app.db.connection(), review)}
    over = [r for r in rows if r.state in ("done", "failed") and r.unit_id in units]
    newest: dict[int, ReplayRow] = {}
    for r in over:
        newest.setdefault(r.unit_id, r)
    own = newest.pop(setup.unit_id, None)
    if own is None:
        return ""
    said = [_said_of_own(app, review, setup, expected, own, units[setup.unit_id].firmware)]
    for unit, r in newest.items():
        off = r.message if r.state == "failed" else missed(of_replay(app, review, setup, expected, r))
        sample = f"sample {units[unit].sample}"
        said.append(
            f"On {sample} it failed: {off.rstrip('.')}." if off else f"On {sample} it gave what it promises too."
        )
    return " ".join(said)


def _said_of_own(
    app: Application, review: int, setup: SetupRow, expected: Mapping[str, Analysis], own: ReplayRow, firmware: str
) -> str:
    if own.state == "failed":
        return f"{REPLAY_FAILED}: {own.message}"
    if own.firmware != firmware:
        return f"Replayed with firmware {own.firmware or 'unknown'}, not with the present one."
    figures = of_replay(app, review, setup, expected, own)
    if off := missed(figures):
        return f"{REPLAY_FAILED} on {own.created_at[:10]}: {off}."
    if kept(figures) is None:
        return f"Entered from a factory reset on {own.created_at[:10]}; no figures of this setup are there to compare with."
    return f"{REPLAYED} on {own.created_at[:10]}."
