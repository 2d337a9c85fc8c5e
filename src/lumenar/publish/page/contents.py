"""What all pages of an edition are made of, in the order in which they show it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from lumenar.app.exchange.file_figures import SetupFigures
from lumenar.core.claims.outcome import ClaimEvidence, ClaimResult, outcome_of
from lumenar.core.findings import for_report
from lumenar.core.findings.base import Finding, Observed
from lumenar.core.measurements.charts import Chart
from lumenar.core.recipes.purpose import Recipe
from lumenar.core.scoring.rubric import Purpose, Rubric
from lumenar.core.scoring.score import Score, interval_of, rank
from lumenar.core.story.previous import Changes, Previous, changes
from lumenar.core.story.story import Amount, Basis, told
from lumenar.publish.package import About, Results
from lumenar.publish.page.parts import charts_of, labels_of


@dataclass(frozen=True)
class PurposeScores:
    """A purpose with the scores of all setups of its signal, best first, and the recipe."""

    purpose: Purpose
    ranked: Sequence[tuple[SetupFigures, Score]]
    recipe: Recipe | None

    @property
    def page(self) -> str:
        """The file name of its page."""
        return f"settings-{self.purpose.key.replace('_', '-')}.html"

    @property
    def shipped(self) -> tuple[SetupFigures, Score] | None:
        """The best mode as shipped that has a score."""
        return next(((s, v) for s, v in self.ranked if s.shipped and v.value is not None), None)

    @property
    def ours(self) -> tuple[SetupFigures, Score] | None:
        """The setup that the recipe enters; None if that is a mode as shipped, or if there is no recipe."""
        key = self.recipe.setup if self.recipe else None
        return next(((s, v) for s, v in self.ranked if s.key == key and not s.shipped), None)


def basis_of_scores(labels: Mapping[str, str], purposes: Sequence[PurposeScores]) -> Basis:
    """The best scores for some purposes, as shipped and with settings, that a text about them rests on."""
    found = {}
    for p in purposes:
        for state, best in (("as shipped", p.shipped), ("with our settings", p.ours)):
            if best is not None and best[1].value is not None:
                found[f"{p.purpose.title}, {labels[best[0].key]} {state}"] = _of_readings(best[1])
    return found


def _of_readings(s: Score) -> Amount:
    """A score with the interval that its readings give it, without what was not measured: that is as unknown afterwards."""
    value = s.value or 0.0
    low, high = (0.0, 0.0) if s.spread is None else interval_of(s.spread, value, s.systematic)
    return value, value + low, value + high


@dataclass(frozen=True)
class Contents:
    """Everything that the pages show. version: of Lumenar."""

    about: About
    results: Results
    rubric: Rubric
    version: str

    @cached_property
    def labels(self) -> dict[str, str]:
        """What each setup is called, by its key."""
        return labels_of(self.results.setups, self.results.readings)

    @cached_property
    def purposes(self) -> Sequence[PurposeScores]:
        """The purposes for which something was measured, in the rubric's order."""
        by_key = {s.key: s for s in self.results.setups}
        found = []
        for purpose in self.rubric.purposes.values():
            scored = sorted(self.results.scores[purpose.key].items(), key=lambda item: -rank(item[1]))
            ranked = [(by_key[k], s) for k, s in scored if by_key[k].signal == purpose.signal]
            if ranked:
                found.append(PurposeScores(purpose, ranked, self.results.recipes[purpose.key]))
        return found

    @cached_property
    def setups(self) -> Sequence[SetupFigures]:
        """All setups, best for the first purpose first."""
        first = self.purposes[0].purpose if self.purposes else next(iter(self.rubric.purposes.values()))
        scores = self.results.scores[first.key]
        return sorted(self.results.setups, key=lambda s: -rank(scores[s.key]))

    @cached_property
    def mode_pages(self) -> dict[str, str]:
        """The file name of each setup's page, by its key."""
        return {s.key: f"mode-{i}.html" for i, s in enumerate(self.setups, 1)}

    @cached_property
    def charts(self) -> dict[str, list[tuple[str, Chart]]]:
        """The charts of each setup with their measurements, by its key."""
        return {s.key: charts_of(s, self.labels[s.key], self.about.aspect) for s in self.results.setups}

    @cached_property
    def told(self) -> Sequence[Finding]:
        """The findings that the report tells, in their order."""
        by_key = {f.key: f for f in self.results.findings}
        automatic = [f.key for f in for_report(self.results.findings)]
        return [by_key[k] for k in told(automatic, list(by_key), self.results.story)]

    @cached_property
    def kept(self) -> Previous:
        """What the next edition needs to know of this one."""
        return Previous(
            edition=self.about.edition,
            published_at=self.about.published_at,
            firmware=self.about.firmware,
            rubric=self.rubric.hash,
            made_by=f"Lumenar {self.version}",
            scores=basis_of_scores(self.labels, self.purposes),
            findings={f.key: f.sentence for f in self.results.findings},
        )

    @property
    def changes(self) -> Changes | None:
        """What changed since the edition before; None if this is the first."""
        return None if self.results.previous is None else changes(self.results.previous, self.kept)

    @cached_property
    def claims(self) -> Sequence[ClaimResult]:
        """The maker's claims, tested in the modes of the first sample and with our settings."""
        first = self.results.setups[0].unit
        setups = [
            ClaimEvidence(name=self.labels[s.key], shipped=s.shipped, analyses=s.analyses)
            for s in self.results.setups
            if s.unit == first
        ]
        return [outcome_of(c, setups) for c in self.results.story.claims]

    def address(self, o: Observed) -> str:
        """Where the chart that shows a finding in one setup is."""
        page = self.mode_pages[o.setup.key]
        return f"{page}#{anchor(o.measurement, o.chart)}" if o.chart else page

    def sentence(self, finding: Finding) -> str:
        """A finding's sentence: the editor's, else its own."""
        words = self.results.story.choice(finding.key).words
        return finding.sentence if words is None else words.text


def anchor(measurement: str, chart: str) -> str:
    """The fragment that names a chart on the page of its mode."""
    return f"{measurement}-{chart}".replace("_", "-")
