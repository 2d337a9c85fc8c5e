"""Findings as views and documents give them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from lumenar.app.application import Application
from lumenar.app.experiments import observed_behaviour
from lumenar.app.figures import cells
from lumenar.app.findings import evidence
from lumenar.app.tuning import gains
from lumenar.core.findings import findings, for_report
from lumenar.core.findings.base import Finding, Kind, Observed
from lumenar.core.recipes.purpose import ObservedBehaviour
from lumenar.store import reviews, tunings


@dataclass(frozen=True, kw_only=True)
class FindingEvidence:
    """What a finding rests on in one setup. value, low, high: the figure with its interval; levels: in % of the signal; zone:
    column and row; chart: of the measurement that shows it, empty if none does."""

    setup: int
    name: str
    measurement: str
    figures: list[str]
    value: float
    low: float
    high: float
    detail: str
    levels: list[float]
    zone: list[int]
    chart: str


@dataclass(frozen=True, kw_only=True)
class FindingView:
    """One finding. reported: whether it is among those that a report tells."""

    key: str
    kind: Kind
    severity: float
    sentence: str
    advice: str
    unit: str
    reported: bool
    measured: int
    evidence: list[FindingEvidence]


@dataclass(frozen=True, kw_only=True)
class ReviewFindings:
    """The findings of a review, faults first, the most severe first; and what experiments, photos, firmware comparisons and
    tunings showed."""

    findings: list[FindingView]
    behaviour: list[ObservedBehaviour]


def of_review(app: Application, review_id: int) -> ReviewFindings:
    """Everything that is worth telling of a review's display."""
    behaviour = [*observed_behaviour.found_by_itself(app, review_id), *_tuned(app, review_id)]
    return ReviewFindings(findings=_certain(app, review_id), behaviour=behaviour)


def _tuned(app: Application, review_id: int) -> list[ObservedBehaviour]:
    """What each tuning gained that ended with a setup, the oldest first."""
    found = []
    for row in reversed(tunings.of_review(app.db.connection(), review_id)):
        if row.result_id is not None:
            worth = gains.worth(app, row.id)
            proof = "Measured before and after" if worth.proven else "Not measured for proof yet"
            found.append(ObservedBehaviour(f"Tuning of {_name(app, row.setup_id)}", (worth.sentence,), f"{proof}."))
    return found


def _name(app: Application, setup_id: int) -> str:
    found = reviews.setup(app.db.connection(), setup_id)
    return found[0].name if found else "a deleted setup"


def _certain(app: Application, review_id: int) -> list[FindingView]:
    """Findings depend on readings that never change, so they are kept by the cells and setups that they rest on."""
    now = cells.newest(app, review_id)
    rests_on = tuple(sorted((c.setup, c.measurement, row.run_id, row.over) for c, row in now.fresh.items()))
    setups = tuple(
        (s.id, s.name, s.target, bool(s.shipped) and not s.changes)
        for s in reviews.setups_of(app.db.connection(), review_id)
    )
    kept: list[FindingView] = app.cache.get(
        ("findings", review_id, rests_on, setups), lambda: _found(app, review_id, now)
    )
    return kept


def _found(app: Application, review_id: int, now: cells.Newest) -> list[FindingView]:
    found = findings(evidence.of_review(app, review_id, now))
    told = {f.key for f in for_report(found)}
    return [
        FindingView(
            key=f.key,
            kind=f.kind,
            severity=f.severity,
            sentence=f.sentence,
            advice=f.advice,
            unit=f.unit,
            reported=f.key in told,
            measured=f.measured,
            evidence=[_evidence(o) for o in f.evidence],
        )
        for f in found
    ]


def _evidence(o: Observed) -> FindingEvidence:
    value, low, high = o.amount
    return FindingEvidence(
        setup=int(o.setup.key),
        name=o.setup.name,
        measurement=o.measurement,
        figures=list(o.figures),
        value=value,
        low=low,
        high=high,
        detail=o.detail,
        levels=list(o.levels),
        zone=list(o.zone or ()),
        chart=o.chart,
    )


FORMAT, VERSION = "lumenar-findings", 1
DIGITS = 6
"""Significant digits of numbers in a findings file: more than any meter gives, fewer than rounding differs in."""


def document(found: Sequence[Finding]) -> dict[str, Any]:
    """A findings file."""
    return {
        "format": FORMAT,
        "version": VERSION,
        "findings": [
            {
                "key": f.key,
                "kind": f.kind,
                "setup": f.evidence[0].setup.key,
                "severity": _rounded(f.severity),
                "sentence": f.sentence,
                "advice": f.advice,
                "unit": f.unit,
                "measured": f.measured,
                "evidence": [
                    {
                        "setup": o.setup.key,
                        "measurement": o.measurement,
                        "figures": list(o.figures),
                        "value": _rounded(o.amount[0]),
                        "interval": [_rounded(v) for v in o.amount[1:]],
                        "levels_percent": [_rounded(v) for v in o.levels],
                        "zone": list(o.zone or ()),
                        "chart": o.chart,
                    }
                    for o in f.evidence
                ],
            }
            for f in found
        ],
    }


def _rounded(value: float) -> float | None:
    return float(f"{value:.{DIGITS}g}") if np.isfinite(value) else None
