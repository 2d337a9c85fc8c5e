"""The data package beside a report: readings, figures, scores, recipes, rubric, menu, and a manifest of hashes."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from hashlib import sha256
from pathlib import Path
from typing import Any, get_args

from lumenar import __version__
from lumenar.app.exchange.file_figures import SetupFigures, analyse_file, analyse_setup, figures_document
from lumenar.app.exchange.readings_file import FileSetup, ReadingsFile
from lumenar.app.findings import evidence, views
from lumenar.core.analysis import Analysis
from lumenar.core.findings import findings
from lumenar.core.findings.base import Finding
from lumenar.core.menu.controls import MenuError, Value, text_of
from lumenar.core.menu.documents import document_of
from lumenar.core.menu.documents import menu_from as parsed_menu
from lumenar.core.menu.menu import Menu
from lumenar.core.recipes.purpose import Advice, Candidate, ObservedBehaviour, Recipe, recommend
from lumenar.core.recipes.shared_steps import with_shared
from lumenar.core.recipes.steps import NoteKind, SettingNote
from lumenar.core.scoring.rubric import Purpose, Rubric
from lumenar.core.scoring.score import Score, score
from lumenar.core.story.document import document_of as document_of_story
from lumenar.core.story.previous import Previous
from lumenar.core.story.previous import document_of as document_of_previous
from lumenar.core.story.story import Story

NO_STORY = Story()
FINDINGS, STORY, PREVIOUS = "findings.json", "story.json", "previous.json"
FILES = (
    "readings.json",
    "figures.json",
    "scores.json",
    "recipes.json",
    FINDINGS,
    "rubric.json",
    "menu.json",
    "advice.json",
    STORY,
)
WITHOUT: Mapping[str, tuple[str, ...]] = {"0.1.0": (FINDINGS, STORY), "0.2.0": (STORY,)}
"""The files that packages of earlier versions lack."""


def files_of(version: str) -> tuple[str, ...]:
    """The files of a data package that a version of Lumenar makes, its manifest left out."""
    return tuple(f for f in FILES if f not in WITHOUT.get(version, ()))


@dataclass(frozen=True, kw_only=True)
class About:
    """What an edition is of: its number and date, the display and sample, and what was missing when it was published."""

    edition: int
    published_at: str
    maker: str
    model: str
    kind: str
    panel: str
    sample: str
    serial: str
    firmware: str
    aspect: float
    modes: int
    stand_in: bool
    gaps: tuple[str, ...] = ()

    @property
    def name(self) -> str:
        """Maker and model."""
        return f"{self.maker} {self.model}"

    def manifest(self, format: str) -> dict[str, Any]:
        """The part of a manifest that says all this."""
        said = asdict(self) | {"gaps": list(self.gaps)}
        return {"format": format, "version": 2, "made_by": f"lumenar {__version__}", **said}


@dataclass(frozen=True, kw_only=True)
class Results:
    """All that follows from readings, rubric and menu: analyses, scores by purpose and setup, recipes by purpose, findings.

    digest: of the readings, in any order; seen: what experiments and photos showed; story: what the editor wrote; previous: what
    the edition before said.
    """

    setups: Sequence[SetupFigures]
    scores: dict[str, dict[str, Score]]
    recipes: dict[str, Recipe | None]
    digest: str
    readings: ReadingsFile
    findings: Sequence[Finding]
    seen: Sequence[ObservedBehaviour] = ()
    story: Story = NO_STORY
    previous: Previous | None = None
    inputs: str = ""
    """The digest of the menu and of what people wrote, which no reading tells."""


def digest_of(readings: ReadingsFile) -> str:
    """SHA-256 of the readings as a set: setups, and the readings in them, in an order of their own, every value in full."""

    def line(document: dict[str, Any]) -> str:
        return json.dumps(document, sort_keys=True, ensure_ascii=False)

    document = readings.model_dump()
    for setup in document["setups"]:
        setup["readings"] = sorted(line(r) for r in setup["readings"])
    for key in ("setups", "units", "meters"):
        document[key] = sorted(line(d) for d in document[key])
    return sha256(line(document).encode()).hexdigest()


def compute(
    readings: ReadingsFile,
    rubric: Rubric,
    menu: Menu,
    advice: Advice,
    story: Story = NO_STORY,
    previous: Previous | None = None,
) -> Results:
    """Everything a report says in numbers, from the raw readings; and its settings, with what people wrote to them."""
    setups = analyse_file(readings)
    first = setups[0].unit
    scores: dict[str, dict[str, Score]] = {}
    recipes: dict[str, Recipe | None] = {}
    for purpose in rubric.purposes.values():
        own = {
            s.key: score(rubric, purpose, _judged(readings, f, s, rubric, purpose), f.signal)
            for f, s in zip(readings.setups, setups, strict=True)
        }
        # Settings are recommended by what the first sample shows.
        candidates = [
            _candidate(f, s, own[s.key], menu) for f, s in zip(readings.setups, setups, strict=True) if s.unit == first
        ]
        samples = len({s.unit for s in setups if own[s.key].value is not None})
        scores[purpose.key] = own
        recipes[purpose.key] = recommend(
            purpose=purpose.key,
            title=purpose.title,
            candidates=candidates,
            menu=menu,
            advice=advice,
            samples=samples,
            firmware=_firmware(readings, first),
            luminance=purpose.luminance,
        )
    written = json.dumps([menu_document(menu), advice_document(advice)], sort_keys=True, ensure_ascii=False)
    inputs = sha256(written.encode()).hexdigest()
    recipes = with_shared(recipes, {p.key: p.title for p in rubric.purposes.values()})
    return Results(
        setups=setups,
        scores=scores,
        recipes=recipes,
        digest=digest_of(readings),
        readings=readings,
        findings=findings(evidence.of_file(setups)),
        seen=advice.seen,
        story=story,
        previous=previous,
        inputs=inputs,
    )


def _judged(
    readings: ReadingsFile, setup: FileSetup, found: SetupFigures, rubric: Rubric, purpose: Purpose
) -> Mapping[str, Analysis]:
    """The analyses that a purpose judges a setup by: against its own target, or the purpose's."""
    target = purpose.judges_by(found.target)
    if target == found.target:
        return found.analyses
    return analyse_setup(readings, setup, target, only=rubric.measurements_for(purpose)).analyses


def _candidate(setup: FileSetup, found: SetupFigures, score: Score, menu: Menu) -> Candidate:
    """A setup with what differs in it from how its mode ships, as far as the menu knows it."""
    changes: dict[str, Value] = {}
    try:
        mode = menu.mode(setup.mode or setup.name, setup.signal)
    except MenuError:
        mode = None
    if mode is not None and not found.shipped:
        defaults = menu.defaults(mode)
        changes = {
            p: v
            for p, v in setup.settings.items()
            if p in menu.by_path and p in defaults and text_of(v) != text_of(defaults[p])
        }
    name = setup.mode or setup.name
    return Candidate(
        key=found.key,
        name=found.name,
        mode=name,
        signal=found.signal,
        shipped=not changes,
        changes=changes,
        score=score,
        analyses=found.analyses,
    )


def _firmware(readings: ReadingsFile, unit: str | None) -> str:
    return next((u.firmware for u in readings.units if u.id == unit), "")


def score_document(s: Score) -> dict[str, Any]:
    """A score without its draws."""
    return {
        "purpose": s.purpose,
        "value": s.value,
        "low": s.low,
        "high": s.high,
        "coverage": s.coverage,
        "reason": s.reason,
        "lines": [asdict(line) for line in s.lines],
    }


def scores_document(results: Results, rubric: Rubric) -> dict[str, Any]:
    """The scores file."""
    return {
        "format": "lumenar-scores",
        "version": 1,
        "rubric": {"name": rubric.name, "version": rubric.version, "sha256": rubric.hash},
        "purposes": {p: {key: score_document(s) for key, s in own.items()} for p, own in results.scores.items()},
    }


def recipes_document(results: Results) -> dict[str, Any]:
    """The recipes file."""
    recipes = {p: asdict(r) if r else None for p, r in results.recipes.items()}
    return {"format": "lumenar-recipes", "version": 1, "recipes": recipes}


def menu_document(menu: Menu) -> dict[str, Any]:
    """The menu map, as it is exported too."""
    return {"format": "lumenar-menu", "version": 1, **document_of(menu)}


def menu_from(document: dict[str, Any]) -> Menu:
    """The menu from its file; MenuError, KeyError, TypeError or ValueError where a field is missing or wrong."""
    return parsed_menu(document)


def advice_document(advice: Advice) -> dict[str, Any]:
    """What people wrote to recipes, and what became of replays: what does not follow from readings."""
    notes = {key: [asdict(n) for n in own] for key, own in advice.notes.items()}
    reasons = {key: dict(own) for key, own in advice.reasons.items()}
    said = {"notes": notes, "replays": dict(advice.replays), "reasons": reasons}
    # Left out where there is nothing, as it is in editions of before there was any.
    seen = [{"title": s.title, "lines": list(s.lines), "how": s.how} for s in advice.seen]
    return {"format": "lumenar-advice", "version": 1, **said, **({"seen": seen} if seen else {})}


def advice_from(document: dict[str, Any]) -> Advice:
    """The advice from its file; KeyError, TypeError or ValueError where a field is missing or wrong."""
    notes = {
        str(key): [SettingNote(n["kind"], *(str(n[k]) for k in ("path", "value", "words", "until"))) for n in own]
        for key, own in document["notes"].items()
    }
    if not {n.kind for own in notes.values() for n in own} <= set(get_args(NoteKind)):
        raise ValueError("a note is of no known kind")
    reasons = {str(k): {str(p): str(w) for p, w in own.items()} for k, own in document["reasons"].items()}
    replays = {str(k): str(v) for k, v in document["replays"].items()}
    seen = [
        ObservedBehaviour(str(s["title"]), tuple(map(str, s["lines"])), str(s["how"])) for s in document.get("seen", [])
    ]
    return Advice(notes, replays, reasons, seen)


def figures_package(results: Results) -> dict[str, Any]:
    """The figures file of a package, with the digests of the readings, and of the menu and the advice, that lie beside it."""
    digests = {"readings_digest": results.digest, "inputs_digest": results.inputs}
    return figures_document(list(results.setups)) | digests


def dumps(document: dict[str, Any]) -> str:
    """JSON as packages hold it: no NaN, keys in the order made, floats in full."""
    return json.dumps(document, ensure_ascii=False, allow_nan=False)


def write_package(
    *,
    folder: Path,
    readings: str,
    results: Results,
    rubric: Rubric,
    rubric_text: str,
    menu: Menu,
    advice: Advice,
    about: About,
) -> None:
    """Write a data package into an empty folder. OSError where the disk is full or read-only."""
    folder.mkdir(parents=True)
    texts = {
        "readings.json": readings,
        "figures.json": dumps(figures_package(results)),
        "scores.json": dumps(scores_document(results, rubric)),
        "recipes.json": dumps(recipes_document(results)),
        FINDINGS: dumps(views.document(results.findings)),
        "rubric.json": rubric_text,
        "menu.json": dumps(menu_document(menu)),
        "advice.json": dumps(advice_document(advice)),
        STORY: dumps(document_of_story(results.story)),
    }
    if results.previous is not None:
        texts[PREVIOUS] = dumps(document_of_previous(results.previous))
    for name, text in texts.items():
        (folder / name).write_bytes(text.encode())
    (folder / "manifest.json").write_text(dumps(about.manifest("lumenar-package") | {"files": sums(folder)}))


def sums(folder: Path) -> dict[str, dict[str, Any]]:
    """SHA-256 and size of every file below a folder, by its path with forward slashes; a manifest at the top left out."""
    found = {}
    for f in sorted(folder.rglob("*")):
        name = f.relative_to(folder).as_posix()
        if f.is_file() and name != "manifest.json":
            data = f.read_bytes()
            found[name] = {"sha256": sha256(data).hexdigest(), "bytes": len(data)}
    return found
