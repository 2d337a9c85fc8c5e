"""What features do in words, by light, and whether that is what is promised of them."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import TYPE_CHECKING, Literal, TypeAlias

from lumenar.core.experiments.base import name_of
from lumenar.core.experiments.patch_sets import WHOLE
from lumenar.core.experiments.significance import TITLES, Test
from lumenar.core.menu.controls import text_of
from lumenar.core.numbers import listed

if TYPE_CHECKING:
    from lumenar.core.experiments.condition_results import StateResult
    from lumenar.core.experiments.conditions import Conditions, LightState

Kept = Literal["kept", "not kept", "not decidable", "not told"]
Way = Literal["unchanged", "up", "down"]
Where = Literal["", "dark", "dim", "bright"]
ALIKE = {
    "luminance": 2.0,
    "black": 0.5,
    "shadows": 0.7,
    "mid-tones": 0.7,
    "saturation": 2.0,
    "gamut": 2.0,
    "white": 1.0,
    "greys": 1.0,
}
"""What stays within this either way counts as unchanged: light, saturation and gamut in %, tone in L*, colours in dE."""
TREND = 1.3
"""What changes by this factor from the darkest room to the brightest goes with the light."""
DARK_LUX, DIM_LUX = 5.0, 80.0
"""A room up to these is dark and dim; beyond, bright."""


@dataclass(frozen=True)
class Promise:
    """What is said of a feature, in the words of who says it. path: the control it is said of."""

    path: str
    text: str


@dataclass(frozen=True)
class Judged:
    """A promise and what became of it, in one sentence."""

    path: str
    text: str
    kept: Kept
    why: str


ABOUT: tuple[tuple[str, str], ...] = (
    (r"\bpeak\b|\bbright(ness|er|ens)?\b|\bluminance\b|\bdim(s|mer|ming)?\b|\b(power|energy)\b|\blight\b", "luminance"),
    (r"\bblacks?\b", "black"),
    (r"\bshadows?\b|\bdark (scenes|parts|detail)\b", "shadows"),
    (r"\bmid.?tones?\b", "mid-tones"),
    (r"\bgamut\b", "gamut"),
    (r"\bsaturat|\bcolou?rs?\b|\bvivid\b", "saturation"),
    (r"\bwhite (point|balance)\b|\bwarm|\bcool|\bblue\b|\btint\b", "white"),
    (r"\bgr[ae]ys?\b", "greys"),
)
UNCHANGED = (
    r"\bunchanged\b|\balone\b|\bdoes not (change|touch|dim|affect)\b|\bwithout (changing|dimming|losing)\b|\bkeeps?\b"
)
INACTIVE = r"\binactive\b|\bdoes nothing\b|\b(is )?off in\b|\bno effect\b|\bnever\b"
DOWN = (
    r"\bdim(s|mer|ming)?\b|\bsaves?\b|\bless\b|\blower(s|ed)?\b|\breduces?\b|\bdarken(s|ed)?\b|\bdeeper\b|\bshrinks?\b"
)
UP = r"\bbrighten(s|ed)?\b|\bbrighter\b|\braises?\b|\blift(s|ed)?\b|\bboosts?\b|\bmore\b|\bopens?\b|\bwidens?\b"


def meant(text: str) -> tuple[tuple[str, ...], Way, Where] | None:
    """Which figures a promise is about, which way they are to go, and in which light; None where that can't be told."""
    low = text.lower()
    where: Where = ""
    if m := re.search(r"\b(in|at) (the |a )?(dark|night|dim|bright)", low):
        # The light that is spoken of is not what is promised of it.
        where = {"night": "dark"}.get(m.group(3), m.group(3))  # type: ignore[assignment]
        low = low[: m.start()] + low[m.end() :]
    if re.search(INACTIVE, low):
        return tuple(TITLES), "unchanged", where
    # What is said first is what it is about: "lifts shadows and leaves the peak alone" is two promises.
    figures = tuple(f for pattern, f in ABOUT if re.search(pattern, low))
    if not figures:
        return None
    if re.search(UNCHANGED, low):
        return figures[:1], "unchanged", where
    if re.search(DOWN, low):
        return figures[:1], "down", where
    return (figures[:1], "up", where) if re.search(UP, low) else None


def said_of(text: str) -> list[str]:
    """The promises in a sentence: what stands between commas, semicolons, full stops and `and`."""
    return [part.strip() for part in re.split(r"[,;.]|\band\b", text) if part.strip()]


def room_of(light: LightState) -> Where:
    """How bright a room is; nothing where no lux were measured."""
    if light.lux is None:
        return ""
    return "dark" if light.lux <= DARK_LUX else "dim" if light.lux <= DIM_LUX else "bright"


def judge(promise: Promise, x: Conditions, results: Sequence[StateResult]) -> Judged:
    """Whether a promise is kept, by the states in which its control alone is set."""

    def told(kept: Kept, why: str) -> Judged:
        return Judged(promise.path, promise.text, kept, why)

    about = meant(promise.text)
    if about is None:
        return told("not told", "The readings can't tell what is promised.")
    figures, way, where = about
    place = next((i for i, f in enumerate(x.factors) if f.path == promise.path), None)
    alone = [
        r
        for r in results
        if place is not None
        and r.key[1 + place]
        and sum(map(bool, r.key[1:])) == 1
        and not r.left_out
        and (not where or room_of(x.lights[r.key[0]]) == where)
    ]
    if not alone:
        return told("not decidable", f"It was not read{f' in a {where} room' if where else ''}.")
    unread = [TITLES[f][0].lower() for f in figures if f not in x.look.figures]
    figures = tuple(f for f in figures if f in x.look.figures)
    if not figures:
        return told("not decidable", f"{listed(unread).capitalize()} can't be told of {x.look.in_words}.")
    tests = [(r, r.tests[f]) for r in alone for f in figures]
    if way == "unchanged":
        return told(*_unchanged(x, tests, unread))
    if about[0] == ("white",):
        return told("not told", "Which way white is to go can't be told from the words.")
    return told(*_moved(x, tests, 1 if way == "up" else -1, bool(where)))


OPEN = "Nothing measurable changes, but the readings can't exclude that something does."
_Tests: TypeAlias = "Sequence[tuple[StateResult, Test]]"
"""Of each state what happens to one figure."""


def _unchanged(x: Conditions, tests: _Tests, unread: Sequence[str]) -> tuple[Kept, str]:
    """Whether figures stay as they are, with a sentence. unread: what is promised of what was not read."""
    broken = [(r, t) for r, t in tests if t.measurable and abs(t.amount) > ALIKE[t.figure]]
    if broken:
        r, t = max(broken, key=lambda b: b[1].dE)
        return "not kept", f"{_state(x, r)} it {words_of(t)}."
    if not all(max(abs(t.low), abs(t.high)) <= ALIKE[t.figure] for _, t in tests):
        return "not decidable", OPEN
    if unread:
        verb = "was" if len(unread) == 1 else "were"
        return "not decidable", f"No patch that was read changes, but {listed(unread)} {verb} not read."
    most = max((t for _, t in tests), key=lambda t: t.dE)
    return "kept", f"At most it {words_of(most)}." if most.measurable else "Nothing measurable changes."


def _moved(x: Conditions, tests: _Tests, sign: int, in_a_room: bool) -> tuple[Kept, str]:
    """Whether figures rise (sign 1) or fall (-1), with a sentence. in_a_room: it is promised of one kind of room, so it has to
    happen in every state."""
    against = [(r, t) for r, t in tests if t.measurable and t.amount * sign < 0]
    if against:
        r, t = against[0]
        return "not kept", f"{_state(x, r)} it {words_of(t)}: the opposite."
    there = [(r, t) for r, t in tests if t.measurable]
    if len(there) == len(tests) or (there and not in_a_room):
        r, t = max(there, key=lambda b: b[1].dE)
        return "kept", f"{_state(x, r)} it {words_of(t)}."
    if there:
        r, t = max(there, key=lambda b: b[1].dE)
        return "not decidable", f"{_state(x, r)} it {words_of(t)}, but the readings don't show it in every state."
    if all(max(t.low * sign, t.high * sign) < ALIKE[t.figure] for _, t in tests):
        return "not kept", "Nothing measurable changes."
    return "not decidable", OPEN


def _state(x: Conditions, r: StateResult) -> str:
    where = in_light(x.lights[r.key[0]])
    return f"{where[:1].upper()}{where[1:]}, with {x.words_of(r.key)},"


def in_light(light: LightState) -> str:
    """In which light, within a sentence."""
    if light.lux == 0:
        return "in the dark"
    return f"at {light.words}" if light.named_by_lux else f"with {light.words}"


def words_of(t: Test) -> str:
    """What changed of one figure, as a clause."""
    v, up = abs(t.amount), t.amount > 0
    percent = f"{v:.{0 if v >= 3 else 1}f} %"
    return {
        "luminance": f"{'brightens' if up else 'dims'} white by {percent}",
        "black": f"{'raises' if up else 'lowers'} black by {v:.1f} L*",
        "shadows": f"{'lifts' if up else 'darkens'} shadows by {v:.1f} L*",
        "mid-tones": f"{'lifts' if up else 'darkens'} mid-tones by {v:.1f} L*",
        "saturation": f"{'raises' if up else 'lowers'} saturation by {percent}",
        "gamut": f"{'widens' if up else 'shrinks'} the gamut by {percent}",
        "white": f"moves white by dE {v:.1f}",
        "greys": f"tints greys beside white by dE {v:.1f}",
    }[t.figure]


def in_words(tests: Sequence[Test], most: int = len(TITLES)) -> str:
    """Everything measurable as one clause, the largest first, at most so many things. Where the gamut is spoken of, saturation
    is not."""
    there = sorted((t for t in tests if t.measurable), key=lambda t: -t.dE)
    if any(t.figure == "gamut" for t in there):
        there = [t for t in there if t.figure != "saturation"]
    there = there[:most]
    if not there:
        return "nothing measurable"
    return listed([words_of(t) for t in there])


def in_lights(x: Conditions, factor: int, level: int, results: Sequence[StateResult]) -> str:
    """What a control at a value does alone, light by light, from dark to bright, as one sentence."""
    f = x.factors[factor]
    alone = [r for r in results if r.key[1 + factor] == level and sum(map(bool, r.key[1:])) == 1 and not r.left_out]
    alone.sort(key=lambda r: (x.lights[r.key[0]].lux is None, x.lights[r.key[0]].lux or 0.0))
    name = f"{name_of(f.path)} {text_of(f.levels[level])}"
    if all(not r.there for r in alone):
        return f"{name}: none measurable{'' if x.look is WHOLE else f' in {x.look.in_words}'}."
    if len(x.lights) == 1:
        return f"{name} {in_words(list(alone[0].tests.values()))}."
    said = [in_words(list(r.tests.values()), 3) for r in alone]
    if len(set(said)) == 1:
        return f"{name} {said[0]} in any light that was tried."
    parts = [f"{words} {in_light(x.lights[r.key[0]])}" for words, r in zip(said, alone, strict=True)]
    return f"{name} {'; '.join(parts)}{_trend(x, alone)}."


def _trend(x: Conditions, alone: Sequence[StateResult]) -> str:
    """Whether it does more with more light."""
    known = [r for r in alone if x.lights[r.key[0]].lux is not None]
    if len(known) < 2:
        return ""
    size = [max((t.dE for t in r.there), default=0.0) for r in known]
    if size[-1] > TREND * size[0] and all(a <= b for a, b in pairwise(size)):
        return " (more with more light)"
    if TREND * size[-1] < size[0] and all(a >= b for a, b in pairwise(size)):
        return " (less with more light)"
    return ""
