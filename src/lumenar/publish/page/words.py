"""The sentences of a report that write themselves from the scores, until an editor writes others."""

from __future__ import annotations

from lumenar.app.exchange.file_figures import SetupFigures
from lumenar.core.analysis import value_of
from lumenar.core.findings.base import number
from lumenar.core.measurements import grey_ramp
from lumenar.core.numbers import listed, mid_sentence
from lumenar.core.scoring.score import Score, tied
from lumenar.publish.page.contents import Contents, PurposeScores

MOST_NAMED = 3
"""The most modes that a sentence names."""
POOR = 50.0
"""A setup with fewer points than this is recommended for nothing."""

Scored = tuple[SetupFigures, Score]


def headline(c: Contents) -> str:
    """Which mode is the most accurate for the first purpose, and how good it is."""
    first = next((p for p in c.purposes if _scored(p)), None)
    if first is None:
        which = f"None of {number(c.about.modes)} picture modes is" if c.about.modes > 1 else "The picture mode is not"
        return f"{which} measured far enough for a score yet."
    title = mid_sentence(first.purpose.title)
    shipped, ours = first.shipped, first.ours
    best = ours or shipped or _scored(first)[0]
    points = f"{best[1].value:.0f} of 100"
    if ours and shipped:
        same = ours[0].mode == shipped[0].mode
        how = f"{points} with our settings, {shipped[1].value:.0f} as shipped"
        if not same:
            how += f" (in {c.labels[shipped[0].key]})"
        return f"{_name(c, ours)} is the most accurate choice for {title}: {how}."
    state = " as shipped" if best[0].shipped else ""
    if len(_scored(first)) == 1:
        return f"{_name(c, best)} scores {points} for {title}{state}."
    return f"{_name(c, best)} is the most accurate mode for {title}: {points}{state}."


def standfirst(c: Contents) -> str:
    """What makes the best mode good, what the worst one loses by, and which modes are for something else."""
    first = next((p for p in c.purposes if _scored(p)), None)
    if first is None:
        return ""
    scored = _scored(first)
    best = first.ours or first.shipped or scored[0]
    said = []
    same = [c.labels[s.key] for s, v in scored if s.key != best[0].key and tied(best[1], v)]
    if same:
        named = same[:MOST_NAMED] + ([f"{number(len(same) - MOST_NAMED)} more"] if len(same) > MOST_NAMED else [])
        said.append(f"The score of {listed(named)} cannot be told apart from it.")
    grey = value_of(best[0].analyses, grey_ramp.BESIDE_OWN_WHITE)
    if grey is not None:
        said.append(f"Beside its own white its greys are off by dE {grey:.1f} on average.")
    last = scored[-1]
    if last[0].key != best[0].key and not tied(best[1], last[1]):
        said.append(_furthest(c, last))
    said += _other_purposes(c, first)
    return " ".join(said)


def _other_purposes(c: Contents, first: PurposeScores) -> list[str]:
    """Which setups to choose for the other purposes, and for which of them nothing does well."""
    good: dict[str, list[str]] = {}
    poor = []
    for p in c.purposes:
        if p is not first and _scored(p):
            best = p.ours or p.shipped or _scored(p)[0]
            title = mid_sentence(p.purpose.title)
            if (best[1].value or 0.0) < POOR:
                poor.append(title)
            else:
                good.setdefault(_name(c, best), []).append(title)
    said = [f"{name} for {listed(titles)}" for name, titles in good.items()]
    return ([f"Choose {'; '.join(said)}."] if said else []) + (
        [f"No mode does well for {listed(poor)}."] if poor else []
    )


def purpose_sentence(c: Contents, p: PurposeScores) -> str:
    """How to choose the best setup for a purpose, after its name."""
    if not _scored(p):
        return f"No score: {p.ranked[0][1].reason}."
    best = p.ours or p.shipped or _scored(p)[0]
    return "as shipped" if best[0].shipped else "with our settings"


def _scored(p: PurposeScores) -> list[Scored]:
    return [(s, v) for s, v in p.ranked if v.value is not None]


def _name(c: Contents, one: Scored) -> str:
    return c.labels[one[0].key]


def _furthest(c: Contents, last: Scored) -> str:
    lost = [line for line in last[1].lines if line.loss is not None]
    loss = max(lost, key=lambda line: line.loss or 0)
    subject, _, kind = loss.title.partition(", ")
    value = " ".join(filter(None, (kind, loss.text, loss.unit)))
    return f"{_name(c, last)} is the furthest off, with {last[1].value:.0f}, most of all in {mid_sentence(subject)} ({value})."
