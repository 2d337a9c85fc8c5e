"""The report page as versions up to 0.2.0 made it, so that their editions can be checked."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from lumenar.core.analysis import value_of
from lumenar.core.findings import for_report
from lumenar.core.measurements import MEASUREMENTS, grey_ramp
from lumenar.core.measurements.charts import Chart
from lumenar.core.numbers import mid_sentence
from lumenar.core.recipes.purpose import Recipe
from lumenar.core.scoring.rubric import Rubric
from lumenar.core.scoring.score import rank, tied
from lumenar.core.targets import resolve
from lumenar.publish.package import FINDINGS, About, Results, files_of
from lumenar.publish.page.conditions import method
from lumenar.publish.page.parts import PANELS, charts_of, environment, interval, labels_of, mode_line


@dataclass(frozen=True)
class ModePlates:
    """The charts of one mode, and what is no number of its readings."""

    name: str
    anchor: str
    target: str
    charts: Sequence[Chart]
    remarks: Sequence[str]


@dataclass(frozen=True)
class FoundLine:
    """A finding as the page tells it. modes: names of those that show it, with the anchors of their charts."""

    sentence: str
    advice: str
    modes: Sequence[tuple[str, str]]


def lede(about: About, results: Results, labels: Mapping[str, str], purpose: str, title: str) -> str:
    """The report's first words, from the scores."""
    scored = sorted(
        ((k, s) for k, s in results.scores[purpose].items() if s.value is not None), key=lambda item: -rank(item[1])
    )
    if not scored:
        which = f"None of {about.modes} picture modes" if about.modes > 1 else "The one picture mode"
        return f"{which} is{'' if about.modes > 1 else ' not'} measured far enough for a score yet."
    by_key = {s.key: s for s in results.setups}
    key, best = scored[0]
    grey = value_of(by_key[key].analyses, grey_ramp.BESIDE_OWN_WHITE)
    ties = [labels[k] for k, s in scored[1:] if tied(best, s)]
    modes = len({by_key[k].mode for k, _ in scored})
    units = len({by_key[k].unit for k, _ in scored})
    what = f"{modes} picture {'mode' if modes == 1 else 'modes'}"
    what += f", on {units} samples" if units > 1 else ""
    state = " as shipped" if by_key[key].shipped else ""
    # One alone is not the truest of anything.
    which = (
        f"Of {what}, {labels[key]} is the truest{state}" if len(scored) > 1 else f"{labels[key]}{state} was measured"
    )
    opening = f"{which} for {mid_sentence(title)}: {best.value:.0f} of 100"
    if ties:
        opening += f", a tie with {' and '.join(ties)} within the uncertainty"
    opening += f"; beside its own white its greys are off by dE {grey:.1f} on average." if grey is not None else "."
    # What can't be told apart from the best is not far off.
    if len(scored) > 1 and not tied(best, scored[-1][1]):
        last, worst = scored[-1]
        lost = [line for line in worst.lines if line.loss is not None]
        loss = max(lost, key=lambda line: line.loss or 0)
        subject, _, kind = loss.title.partition(", ")
        value = " ".join(filter(None, (kind, loss.text, loss.unit)))
        most = f"most of all in {mid_sentence(subject)} ({value})."
        opening += f" {labels[last]} is the furthest off, with {worst.value:.0f}, {most}"
    return opening


def render(about: About, results: Results, rubric: Rubric, version: str) -> str:
    """The report page of a version as HTML: its contents, though not always its words."""
    labels = labels_of(results.setups, results.readings)
    by_key = {s.key: s for s in results.setups}
    purposes = []
    for purpose in rubric.purposes.values():
        scored = sorted(results.scores[purpose.key].items(), key=lambda i: -rank(i[1]))
        recipe: Recipe | None = results.recipes[purpose.key]
        rows = [(labels[k], by_key[k].shipped, s, interval(s)) for k, s in scored if by_key[k].signal == purpose.signal]
        if rows:
            # Else nothing of this signal was measured.
            purposes.append((purpose, rows, recipe))
    first = purposes[0][0] if purposes else next(iter(rubric.purposes.values()))
    order = [k for k, _ in sorted(results.scores[first.key].items(), key=lambda i: -rank(i[1]))]
    setups = sorted(results.setups, key=lambda s: order.index(s.key))
    anchors = {s.key: f"mode-{i}" for i, s in enumerate(setups, 1)}
    plates = [
        ModePlates(
            labels[s.key],
            anchors[s.key],
            resolve(s.target).title,
            [c for _, c in charts_of(s, labels[s.key], about.aspect)],
            [f"{MEASUREMENTS[m].title}: {a.remark}" for m, a in s.analyses.items() if a.remark]
            + [f"{MEASUREMENTS[m].title}: none, {reason}" for m, reason in s.left_out.items()],
        )
        for s in setups
    ]
    return (
        environment()
        .get_template("page_of_0_2.html")
        .render(
            about=about,
            panel=PANELS[about.panel],
            lede=lede(about, results, labels, first.key, first.title),
            purposes=purposes,
            modes=[mode_line(s, labels[s.key]) for s in setups],
            plates=plates,
            found=[
                FoundLine(f.sentence, f.advice, [(o.setup.name, anchors[o.setup.key]) for o in f.evidence])
                for f in (for_report(results.findings) if FINDINGS in files_of(version) else ())
            ],
            seen=results.seen,
            rubric=rubric,
            method=method(results),
            digest=results.digest,
            version=version,
            rubric_rules=list(rubric.rules.values()),
        )
    )
