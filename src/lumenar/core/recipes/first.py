"""The plain recipe: the mode that scores best, its luminance, the rest left at default."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from lumenar.core.analysis import Analysis
from lumenar.core.measurements.brightness_ladder import settings_for
from lumenar.core.numbers import kelvin
from lumenar.core.roles import sets_white
from lumenar.core.scoring.rubric import Score, rank, tied

TABLE_CD_M2 = (80.0, 120.0, 160.0, 200.0)
WANTED_CD_M2 = 120.0


@dataclass(frozen=True)
class Menu:
    """What a recipe needs to know of the menu: mode entry, luminance control with its step, other controls, locks."""

    mode_path: str
    luminance: str | None
    step: float
    others: Sequence[tuple[str, float | str, str]]
    """Path, default and role of every other control; the role is what the menu map says of it, empty where nothing."""
    locked: Mapping[str, Sequence[str]]


@dataclass(frozen=True)
class Candidate:
    """One setup that a recipe may choose: name, mode, score, analyses by measurement."""

    name: str
    mode: str
    score: Score
    analyses: Mapping[str, Analysis]


@dataclass(frozen=True)
class Evidence:
    """A figure a sentence rests on: "measurement.key" of a setup, and its value."""

    setup: str
    figure: str
    value: float


@dataclass(frozen=True)
class RecipeStep:
    """One line of a recipe: what to enter where, and why."""

    kind: Literal["set", "leave"]
    path: str
    value: str
    why: str
    evidence: tuple[Evidence, ...] = ()


@dataclass(frozen=True)
class Recipe:
    """Ordered settings for one purpose. expected: figures after it; replayed: whether they were measured again."""

    purpose: str
    mode: str
    steps: tuple[RecipeStep, ...]
    luminance_table: tuple[tuple[float, float | None], ...]
    expected: tuple[Evidence, ...]
    caveats: tuple[str, ...]
    replayed: bool = False


def recommend(
    purpose: str, purpose_title: str, candidates: Sequence[Candidate], menu: Menu, samples: int = 1
) -> Recipe | None:
    """A recipe for one purpose; None while no candidate has a score. samples: how many were measured far enough for one."""
    scored = sorted((c for c in candidates if c.score.value is not None), key=lambda c: -rank(c.score))
    if not scored:
        return None
    best = scored[0]
    steps = [_mode_step(best, scored, menu, purpose_title)]
    luminance, table = _luminance_step(best, menu)
    steps += luminance
    steps += _merged([_leave(path, value, role, best, menu) for path, value, role in menu.others])
    number = "one sample" if samples == 1 else f"{samples} samples, these settings on the first of them"
    caveats = [
        f"Measured on {number}; another sample of this model will differ.",
        "Not replayed yet: the expected figures are those of the mode as shipped, not of a fresh measurement after "
        "these steps.",
    ]
    return Recipe(purpose, best.mode, tuple(steps), table, _expected(best), tuple(caveats))


def _mode_step(best: Candidate, scored: Sequence[Candidate], menu: Menu, title: str) -> RecipeStep:
    value = best.score.value or 0.0
    why = f"Scores {value:.0f} for {title.lower()}"
    if len(scored) > 1:
        others = [c.score.value or 0.0 for c in scored[1:]]
        span = f"{min(others):.0f} to {max(others):.0f}" if len(others) > 1 else f"{others[0]:.0f}"
        why += f", the other {'modes' if len(others) > 1 else 'mode'} {span}"
        if tied(best.score, scored[1].score):
            why += f"; a tie with {scored[1].name} within the uncertainty"
    grey = best.analyses.get("grey_ramp")
    evidence = [Evidence(best.name, f"score.{best.score.purpose}", value)]
    mean = grey.scalar("de2000_mean") if grey else None
    if mean is not None:
        why += f"; grey is off by dE {mean:.1f} on average"
        evidence.append(Evidence(best.name, "grey_ramp.de2000_mean", mean))
    return RecipeStep("set", menu.mode_path, best.mode, why + ".", tuple(evidence))


def _luminance_step(best: Candidate, menu: Menu) -> tuple[list[RecipeStep], tuple[tuple[float, float | None], ...]]:
    ladder = best.analyses.get("brightness_ladder")
    if menu.luminance is None or ladder is None:
        return [], ()
    settings, Y = ladder.figures["settings"], ladder.figures["white_cd_m2"]
    raw = settings_for(settings, Y, (WANTED_CD_M2, *TABLE_CD_M2))
    # The control's steps count from its lowest value.
    first = float(settings[0])
    stepped = first + np.round((raw - first) / menu.step) * menu.step
    table = tuple((L, None if np.isnan(s) else float(s)) for L, s in zip(TABLE_CD_M2, stepped[1:], strict=True))
    if np.isnan(raw[0]):
        least, most = float(Y.min()), float(Y.max())
        nearest = settings[int(np.argmin(np.abs(Y - WANTED_CD_M2)))]
        why = f"120 cd/m² is out of reach: the control runs from {least:.3g} to {most:.3g} cd/m²; this is the nearest."
        step = RecipeStep("set", menu.luminance, f"{nearest:g}", why, _ladder_evidence(best, "max_cd_m2", most))
        return [step], table
    setting = float(stepped[0])
    gives = float(np.interp(setting, settings, Y))
    why = f"Gives {gives:.3g} cd/m²; exactly 120 would be at {raw[0]:.1f}. For a brighter or dimmer room see the table."
    step = RecipeStep(
        "set", menu.luminance, f"{setting:g}", why, _ladder_evidence(best, "setting_for_120_cd_m2", float(raw[0]))
    )
    return [step], table


def _ladder_evidence(best: Candidate, key: str, value: float) -> tuple[Evidence, ...]:
    return (Evidence(best.name, f"brightness_ladder.{key}", value),)


def _merged(steps: list[RecipeStep]) -> list[RecipeStep]:
    """Neighbours of one submenu that are left for the same reason become one line: Red gain / Green gain / Blue gain."""
    merged: list[RecipeStep] = []
    for step in steps:
        parent, _, name = step.path.rpartition(" > ")
        last = merged[-1] if merged else None
        if last is not None and parent and last.path.rpartition(" > ")[0] == parent and last.why == step.why:
            merged[-1] = replace(last, path=f"{last.path} / {name}", value=f"{last.value} / {step.value}")
        else:
            merged.append(step)
    return merged


def _leave(path: str, value: float | str, role: str, best: Candidate, menu: Menu) -> RecipeStep:
    shown = f"{value:g}" if isinstance(value, int | float) else str(value)
    if path in menu.locked.get(best.mode, ()):
        return RecipeStep("leave", path, shown, f"Locked in {best.mode}.")
    if sets_white(role):
        white = best.analyses.get("white_black")
        cct, error = (white.scalar("cct_k"), white.scalar("white_de2000")) if white else (None, None)
        if cct is not None and error is not None:
            why = f"White is {kelvin(cct)} as shipped, off by dE {error:.1f}; tuning it has not been tried."
            return RecipeStep("leave", path, shown, why, (Evidence(best.name, "white_black.white_de2000", error),))
    return RecipeStep("leave", path, shown, "Measured at its default; other values were not tried.")


def _expected(best: Candidate) -> tuple[Evidence, ...]:
    wanted = (
        ("white_black", "cct_k"),
        ("grey_ramp", "de2000_mean"),
        ("grey_ramp", "gamma"),
        ("gamut", "coverage_target_uv_percent"),
    )
    found = [(f"{m}.{k}", best.analyses[m].scalar(k)) for m, k in wanted if m in best.analyses]
    return tuple(Evidence(best.name, figure, value) for figure, value in found if value is not None)
