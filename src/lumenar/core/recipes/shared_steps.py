"""Steps that recipes of one display share. A reader should not enter a second recipe on top of the first."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from lumenar.core.menu.paths import endings
from lumenar.core.numbers import listed, mid_sentence
from lumenar.core.recipes.purpose import Recipe

MOST_NAMED = 4
"""More steps than this are counted, not named."""


def with_shared(recipes: Mapping[str, Recipe | None], titles: Mapping[str, str]) -> dict[str, Recipe | None]:
    """Recipes by purpose, each after the first with a sentence on the steps that it shares with the most similar one before it,
    and that it starts from a reset. titles: of purposes."""
    told: dict[str, Recipe | None] = {}
    for key, one in recipes.items():
        before = [r for r in told.values() if r is not None]
        if one is None or not before:
            told[key] = one
            continue
        own = _entered(one)
        nearest = max(before, key=lambda r: len(own.items() & _entered(r).items()))
        told[key] = replace(one, shares=_sentence(own, _entered(nearest), mid_sentence(titles[nearest.purpose])))
    return told


def _entered(recipe: Recipe) -> dict[str, str]:
    """By path what a recipe enters."""
    return {s.path: s.value for s in recipe.steps if s.kind in ("set", "only-if")}


def _sentence(own: Mapping[str, str], other: Mapping[str, str], title: str) -> str:
    same = [p for p, v in own.items() if other.get(p) == v]
    if len(same) == len(own) == len(other):
        return f"The same steps as for {title}."
    if not same:
        return "Starts from a reset: it shares no step with the recipes above."
    more = [p for p in own if p not in same]
    said = f"Starts from a reset. {_named(same)} {'is' if len(same) == 1 else 'are'} as for {title}"
    if more:
        said += f"; {_named(more)} {'differs' if len(more) == 1 else 'differ'}"
    undone = [p for p in other if p not in own]
    if undone:
        said += f"; {_named(undone)} {'stays' if len(undone) == 1 else 'stay'} at the default"
    return f"{said}."


def _named(paths: list[str]) -> str:
    if len(paths) > MOST_NAMED:
        return f"{len(paths)} steps"
    return listed(list(endings(paths).values()))
