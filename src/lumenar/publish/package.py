"""The data package beside a report: readings, figures, scores, recipes, rubric, menu, and a manifest of hashes."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from hashlib import sha256
from pathlib import Path
from typing import Any

from lumenar import __version__
from lumenar.core.recipes.first import Candidate, Menu, Recipe, recommend
from lumenar.core.scoring.rubric import Rubric, Score, score
from lumenar.service.readings_file import ReadingsFile, SetupFigures, analyse_file, figures_document

FILES = ("readings.json", "figures.json", "scores.json", "recipes.json", "rubric.json", "menu.json")


@dataclass(frozen=True)
class Results:
    """All that follows from readings, rubric and menu: analyses, scores by purpose and setup, recipes by purpose."""

    setups: Sequence[SetupFigures]
    scores: dict[str, dict[str, Score]]
    recipes: dict[str, Recipe | None]


def compute(readings: ReadingsFile, rubric: Rubric, menu: Menu) -> Results:
    """Everything a report says in numbers, from the raw readings alone."""
    setups = analyse_file(readings)
    scores, recipes = {}, {}
    for purpose in rubric.purposes.values():
        own = {s.name: score(rubric, purpose.key, s.analyses) for s in setups}
        # Settings are recommended for the modes as shipped; a setup with a name of its own is something else.
        candidates = [Candidate(s.name, s.mode, own[s.name], s.analyses) for s in setups if s.name == s.mode]
        scores[purpose.key] = own
        recipes[purpose.key] = recommend(purpose.key, purpose.title, candidates, menu)
    return Results(setups, scores, recipes)


def scores_document(results: Results, rubric: Rubric) -> dict[str, Any]:
    """The scores file."""
    return {
        "format": "lumenar-scores",
        "version": 1,
        "rubric": {"name": rubric.name, "version": rubric.version, "sha256": rubric.hash},
        "purposes": {p: {name: asdict(s) for name, s in own.items()} for p, own in results.scores.items()},
    }


def recipes_document(results: Results) -> dict[str, Any]:
    """The recipes file."""
    recipes = {p: asdict(r) if r else None for p, r in results.recipes.items()}
    return {"format": "lumenar-recipes", "version": 1, "recipes": recipes}


def menu_document(menu: Menu) -> dict[str, Any]:
    """The menu as recipes need it."""
    return {
        "format": "lumenar-menu",
        "version": 1,
        "mode_path": menu.mode_path,
        "luminance": menu.luminance,
        "step": menu.step,
        "others": [list(o) for o in menu.others],
        "locked": {mode: list(paths) for mode, paths in menu.locked.items()},
    }


def menu_from(document: dict[str, Any]) -> Menu:
    """The menu from its file; KeyError where a field is missing."""
    d = document
    others = [(str(p), v) for p, v in d["others"]]
    return Menu(d["mode_path"], d["luminance"], d["step"], others, d["locked"])


def dumps(document: dict[str, Any]) -> str:
    """JSON as packages hold it: no NaN, keys in the order made, floats in full."""
    return json.dumps(document, ensure_ascii=False, allow_nan=False)


def write_package(
    folder: Path,
    readings: dict[str, Any],
    results: Results,
    rubric: Rubric,
    rubric_text: str,
    menu: Menu,
    about: dict[str, Any],
) -> None:
    """Write a data package into an empty folder. OSError where the disk is full or read-only."""
    folder.mkdir(parents=True)
    texts = {
        "readings.json": dumps(readings),
        "figures.json": dumps(figures_document(list(results.setups))),
        "scores.json": dumps(scores_document(results, rubric)),
        "recipes.json": dumps(recipes_document(results)),
        "rubric.json": rubric_text,
        "menu.json": dumps(menu_document(menu)),
    }
    hashes = {}
    for name, text in texts.items():
        data = text.encode()
        (folder / name).write_bytes(data)
        hashes[name] = {"sha256": sha256(data).hexdigest(), "bytes": len(data)}
    manifest = {
        "format": "lumenar-package",
        "version": 1,
        "made_by": f"lumenar {__version__}",
        **about,
        "files": hashes,
    }
    (folder / "manifest.json").write_text(dumps(manifest))
