"""The pages behind a report: every mode with all its charts, settings for each purpose, all findings, rubric and method."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from lumenar.app.exchange.file_figures import SetupFigures
from lumenar.core.measurements import MEASUREMENTS
from lumenar.core.targets import resolve
from lumenar.publish.page.conditions import method
from lumenar.publish.page.contents import Contents, anchor
from lumenar.publish.page.parts import environment, interval

FINDINGS_PAGE, BEHAVIOUR_PAGE, RUBRIC_PAGE, METHOD_PAGE = (
    "findings.html",
    "behaviour.html",
    "rubric.html",
    "method.html",
)


def pages(c: Contents) -> dict[str, str]:
    """Every page behind the report as HTML, by its file name."""
    found = {name: _made(c, "mode.html", **_mode(c, s)) for s, name in _by_page(c)}
    found |= {
        p.page: _made(
            c,
            "settings.html",
            p=p,
            recipe=p.recipe,
            rows=[(c.labels[s.key], c.mode_pages[s.key], s.shipped, v, interval(v)) for s, v in p.ranked],
        )
        for p in c.purposes
    }
    found[FINDINGS_PAGE] = _made(c, "findings.html", groups=_groups(c))
    if c.results.seen:
        found[BEHAVIOUR_PAGE] = _made(c, "behaviour.html", seen=c.results.seen)
    found[RUBRIC_PAGE] = _made(c, "rubric.html", rules=list(c.rubric.rules.values()))
    found[METHOD_PAGE] = _made(c, "method.html", method=method(c.results), edited=_edited(c), digest=c.results.digest)
    return found


def _made(c: Contents, template: str, **values: Any) -> str:
    return (
        environment()
        .get_template(template)
        .render(about=c.about, rubric=c.rubric, purposes=c.purposes, version=c.version, **values)
    )


def _by_page(c: Contents) -> Sequence[tuple[SetupFigures, str]]:
    return [(s, c.mode_pages[s.key]) for s in c.setups]


def _mode(c: Contents, s: SetupFigures) -> dict[str, Any]:
    """What the page of one mode shows."""
    remarks = [f"{MEASUREMENTS[m].title}: {a.remark}" for m, a in s.analyses.items() if a.remark]
    remarks += [f"{MEASUREMENTS[m].title}: none, {reason}" for m, reason in s.left_out.items()]
    names = [(c.labels[o.key], page) for o, page in _by_page(c)]
    at = [page for _, page in names].index(c.mode_pages[s.key])
    return {
        "name": c.labels[s.key],
        "target": resolve(s.target).title,
        "shipped": s.shipped,
        "charts": [(anchor(m, chart.key), chart) for m, chart in c.charts[s.key]],
        "remarks": remarks,
        "told": [
            c.sentence(f) for f in c.results.findings if s.key in {o.setup.key for o in f.evidence} and f.kind != "note"
        ],
        "before": names[at - 1] if at else None,
        "after": names[at + 1] if at + 1 < len(names) else None,
    }


def _groups(c: Contents) -> list[tuple[str, list[dict[str, Any]]]]:
    titles = {"fault": "Faults", "strength": "Strengths", "note": "Modes compared"}
    found: dict[str, list[dict[str, Any]]] = {title: [] for title in titles.values()}
    for f in c.results.findings:
        rows = [{"name": c.labels[o.setup.key], "page": c.address(o), "amount": o.amount} for o in f.evidence]
        found[titles[f.kind]].append({"sentence": f.sentence, "advice": f.advice, "unit": f.unit, "rows": rows})
    return [(title, items) for title, items in found.items() if items]


def _edited(c: Contents) -> list[str]:
    """The editor's texts in place of sentences that follow from figures."""
    return [words.text for _, words in c.results.story.wordings()]
