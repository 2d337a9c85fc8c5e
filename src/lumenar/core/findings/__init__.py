"""Findings: sentences about faults and strengths of a display, made by rules. Each subject has a file with RULES.

A rule fires only if the figure is beyond its limit at both ends of the interval, and far enough from zero that noise can't be the
reason. The same fault in several modes is one finding.
"""

from __future__ import annotations

from collections.abc import Sequence
from math import log2

from lumenar.core.findings.base import DisplayEvidence, Finding, FindingRule, Observed
from lumenar.core.registry import registered

_SUBJECTS: list[tuple[FindingRule, ...]] = registered(__name__, __path__, "RULES", tuple)
RULES: dict[str, FindingRule] = {rule.key: rule for rules in _SUBJECTS for rule in rules}
"""Every rule by its key."""

MOST, MOST_PER_SUBJECT = 10, 2
"""The largest number of findings in a report, and of findings on one subject. The rest is one click away."""
RESERVED = 2
"""Places in a report that faults leave free for strengths and comparisons."""


def findings(evidence: DisplayEvidence) -> list[Finding]:
    """Everything that is certain of a display, faults first, the most severe first."""
    found = [f for rule in RULES.values() if (f := _finding(rule, evidence)) is not None]
    order = {"fault": 0, "strength": 1, "note": 2}
    return sorted(found, key=lambda f: (order[f.kind], -f.severity, f.key))


def _finding(rule: FindingRule, evidence: DisplayEvidence) -> Finding | None:
    """What a rule finds in all setups of a display together."""
    asked = [s for s in evidence.as_shipped if s.signal in rule.signals and rule.measurement in s.analyses]
    found = sorted(rule.found(asked), key=_worth, reverse=True)
    if not found:
        return None
    return Finding(
        key=rule.key,
        kind=rule.kind,
        severity=_severity(found, len(asked)),
        sentence=rule.sentence(found, len(asked)),
        advice=rule.advice,
        unit=rule.unit,
        evidence=tuple(found),
        measured=len(asked),
    )


def _worth(o: Observed) -> float:
    return o.excess * o.share


def _severity(found: Sequence[Observed], measured: int) -> float:
    """The excess over the visible limit in the worst setup, in doublings, weighted by its share of the picture and by the share
    of modes that have the fault."""
    worst = found[0]
    return log2(1 + max(worst.excess, 0.0)) * (0.5 + 0.5 * worst.share) * (0.6 + 0.4 * len(found) / max(measured, 1))


def for_report(found: Sequence[Finding]) -> list[Finding]:
    """The findings that a report prints, in their order: the most severe, at most ten and at most two on a subject. However many
    faults there are, two places are kept for what is good and for how modes compare."""
    faults = [f for f in found if f.kind == "fault"]
    others = [f for f in found if f.kind != "fault"]
    kept = _most_severe(faults, MOST - min(RESERVED, len(others)), [])
    return _most_severe(others, MOST, kept)


def _most_severe(found: Sequence[Finding], most: int, kept: Sequence[Finding]) -> list[Finding]:
    """`kept` with the first of `found`, up to `most` in all and two on a subject."""
    out = list(kept)
    for f in found:
        if len(out) < most and sum(k.subject == f.subject and k.kind == f.kind for k in out) < MOST_PER_SUBJECT:
            out.append(f)
    return out
