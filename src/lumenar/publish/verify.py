"""Checking an edition or its data package: the exact set of files and their hashes, every figure, score and recipe
recomputed from the raw readings, the page rendered anew."""

from __future__ import annotations

import json
import math
import re
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, fields
from functools import partial
from hashlib import sha256
from pathlib import Path
from typing import Any, TypeVar

from lumenar import __version__
from lumenar.app.errors import BadInputError, UserError
from lumenar.app.exchange.readings_file import ReadingsFile, parse_readings
from lumenar.app.findings import views
from lumenar.app.rubric_files import known_rubrics, load_rubric
from lumenar.core.scoring.rubric import Rubric
from lumenar.core.story.document import document_of, story_from
from lumenar.core.story.previous import previous_from
from lumenar.core.story.story import Story
from lumenar.core.strict_json import once
from lumenar.publish import page_of_0_2
from lumenar.publish.package import (
    FINDINGS,
    PREVIOUS,
    STORY,
    About,
    Results,
    advice_document,
    advice_from,
    compute,
    dumps,
    figures_package,
    files_of,
    menu_document,
    menu_from,
    recipes_document,
    scores_document,
)
from lumenar.publish.package_files import bad_package, read_package, read_zip
from lumenar.publish.page import pages, summary_of

RELATIVE, ABSOLUTE = 1e-9, 1e-13
"""How closely recomputed numbers must agree: the same arithmetic on another machine may differ in the last bits, and what
should be nothing may be a few of them."""
T = TypeVar("T")
MANIFEST, PAGE, SUMMARY, DATA, ZIP = "manifest.json", "index.html", "summary.json", "data/", "data.zip"


@dataclass(frozen=True)
class Check:
    """The outcome of a check: how many numbers were compared, each disagreement in one line, and the version that made the page
    where it is another: the page as a whole was not compared then. edited: the sentences that are an editor's, not Lumenar's."""

    compared: int
    disagreements: tuple[str, ...]
    other_version: str = ""
    edited: tuple[str, ...] = ()

    @property
    def agrees(self) -> bool:
        """Nothing disagrees."""
        return not self.disagreements


def verify(path: Path) -> Check:
    """Check an edition's folder, or a data package as a folder or zip file. BadInputError where it is none of them or a
    file in it cannot be used."""
    found = read_package(path)
    problems: list[str] = []
    compared = 0
    if PAGE in found or f"{DATA}{MANIFEST}" in found:
        counted, said = _listed(found, "", path, "lumenar-edition")
        compared, problems = compared + counted, problems + said
        own = {n.removeprefix(DATA): d for n, d in found.items() if n.startswith(DATA)}
        counted, said, results, about, rubric = _package(own, path, DATA)
        compared, problems = compared + counted, problems + said
        counted, said, other = _edition(found, own, results, about, rubric, path)
        return Check(compared + counted, tuple(problems + said), other, _edited(results))
    counted, said, results, *_ = _package(found, path, "")
    return Check(counted, tuple(said), edited=_edited(results))


def _edited(results: Results) -> tuple[str, ...]:
    return tuple(f"{name}: {words.text}" for name, words in results.story.wordings())


def _edition(
    found: dict[str, bytes], own: dict[str, bytes], results: Results, about: About, rubric: Rubric, path: Path
) -> tuple[int, list[str], str]:
    """What surrounds the package: that the zip file holds the same, that the two manifests say the same, and that the page
    is what follows from the package. Of a page that another version made, which is named, the numbers and the scripts are
    compared, since every version shows the same scores and ships the same scripts or says which."""
    problems: list[str] = []
    if ZIP not in found:
        problems.append(f"{ZIP} is missing")
    elif read_zip(found[ZIP], ZIP) != own:
        problems.append(f"{ZIP}: holds something else than the folder data")
    outer, inner = (_json(d, n) for n, d in ((MANIFEST, found[MANIFEST]), (f"{DATA}{MANIFEST}", own[MANIFEST])))
    for key in {*outer, *inner} - {"files", "format"}:
        if outer.get(key) != inner.get(key):
            problems.append(f"{MANIFEST}: {key} is not what {DATA}{MANIFEST} says")
    made_by = str(outer.get("made_by"))
    version = made_by.removeprefix("lumenar ")
    mine = _guarded(path, lambda: pages_of(version, about, results, rubric))
    there = {n for n in found if n.endswith(".html") and "/" not in n}
    problems += [f"{n} is missing" for n in mine if n not in found]
    problems += [f"{n}: is no page that follows from the data" for n in sorted(there - set(mine))]
    current = made_by == f"lumenar {__version__}"
    counted, differing = _summary(found, version, about, results, rubric)
    problems += differing
    for name in sorted(there & set(mine)):
        theirs = found[name].decode(errors="replace")
        problems += _page_problems(name, mine[name], theirs, current)
    return 2 + len(outer) + len(mine) + counted, problems, "" if current else made_by


def _summary(
    found: dict[str, bytes], version: str, about: About, results: Results, rubric: Rubric
) -> tuple[int, list[str]]:
    """What is wrong with the summary of an edition; versions without a story had none."""
    if STORY not in files_of(version):
        return 0, []
    if SUMMARY not in found:
        return 0, [f"{SUMMARY} is missing"]
    return _compare(
        SUMMARY, json.loads(dumps(summary_of(about, results, rubric, version))), _json(found[SUMMARY], SUMMARY)
    )


def pages_of(version: str, about: About, results: Results, rubric: Rubric) -> dict[str, str]:
    """The pages that a version of Lumenar makes, by file name. Versions without a story made one page."""
    if STORY in files_of(version):
        return pages(about, results, rubric, version)
    return {PAGE: page_of_0_2.render(about, results, rubric, version)}


def _page_problems(name: str, mine: str, theirs: str, current: bool) -> list[str]:
    """What is wrong with a page. current: it was made by this version, so it has to be the same."""
    if current:
        return [] if same_page(mine, theirs) else [f"{name}: is not the page that follows from the data"]
    problems = []
    if numbers := numbers_missing(mine, theirs):
        problems.append(f"{name}: lacks numbers that follow from the data: {', '.join(numbers[:8])}")
    if scripts_of(mine) != scripts_of(theirs):
        problems.append(f"{name}: has other scripts than Lumenar's reports")
    return problems


_SCRIPT = re.compile(
    r"<script\b[^>]*>.*?</script\s*>|\son[a-z]+\s*=\s*(?:\"[^\"]*\"|'[^']*'|[^\s>]+)|javascript:[^\"'\s>]*", re.I | re.S
)
_HIDDEN = re.compile(r"<(script|style|svg)\b.*?</\1\s*>|<!--.*?-->|<[^>]*>", re.I | re.S)
_NUMBER = re.compile(r"\d+(?:\.\d+)?")


def scripts_of(page: str) -> list[str]:
    """Everything in a page that a browser would run, in order."""
    return [found.group(0) for found in _SCRIPT.finditer(page)]


def numbers_missing(mine: str, theirs: str) -> list[str]:
    """The numbers that a reader sees in one page, charts left out, and not as often in the other."""
    wanted, there = (Counter(_NUMBER.findall(_HIDDEN.sub(" ", page))) for page in (mine, theirs))
    return list((wanted - there).elements())


def _listed(found: dict[str, bytes], prefix: str, path: Path | str, format: str) -> tuple[int, list[str]]:
    """Whether the manifest lists exactly the files that are there, each with its hash."""
    if MANIFEST not in found:
        raise bad_package(path, f"no {prefix}{MANIFEST} in it, so this is no data package")
    manifest = _json(found[MANIFEST], f"{prefix}{MANIFEST}")
    listed = manifest.get("files")
    if manifest.get("format") != format:
        raise bad_package(path, f"{prefix}{MANIFEST}: format is {manifest.get('format')!r}, not {format!r}")
    if not isinstance(listed, dict):
        raise BadInputError("package", f"{prefix}{MANIFEST}: files: required field is missing", "files")
    problems = [f"{prefix}{n}: is not listed in the manifest" for n in found if n != MANIFEST and n not in listed]
    for name, entry in listed.items():
        if name not in found:
            problems.append(f"{prefix}{name}: is listed in the manifest but missing")
        elif not isinstance(entry, dict) or entry.get("sha256") != sha256(found[name]).hexdigest():
            problems.append(
                f"{prefix}{name}: its SHA-256 is not the manifest's; the file was changed after publication"
            )
        elif entry.get("bytes") != len(found[name]) or isinstance(entry.get("bytes"), bool):
            problems.append(f"{prefix}{name}: is not as large as the manifest says")
    return len(listed), problems


def _package(found: dict[str, bytes], path: Path, prefix: str) -> tuple[int, list[str], Results, About, Rubric]:
    compared, problems = _listed(found, prefix, path, "lumenar-package")
    version = str(_json(found[MANIFEST], f"{prefix}{MANIFEST}").get("made_by")).removeprefix("lumenar ")
    belonging = files_of(version)
    for name in belonging:
        if name not in found:
            raise bad_package(path, f"{prefix}{name} is missing from the package")
        if name not in _json(found[MANIFEST], MANIFEST)["files"]:
            problems.append(f"{prefix}{MANIFEST}: {name} is not listed")
    optional = (PREVIOUS,) if STORY in belonging else ()
    known = (*belonging, *optional, MANIFEST)
    problems += [f"{prefix}{n}: does not belong in a data package" for n in found if n not in known]
    about = _about(_json(found[MANIFEST], f"{prefix}{MANIFEST}"), f"{prefix}{MANIFEST}")
    readings = parse_readings(found["readings.json"], f"{prefix}readings.json")
    problems += _identities(about, readings, f"{prefix}{MANIFEST}")
    rubric = _guarded("rubric.json", lambda: load_rubric(found["rubric.json"].decode()))
    if known_rubrics().get((rubric.name, rubric.version), rubric.hash) != rubric.hash:
        problems.append(f"{prefix}rubric.json: calls itself {rubric.name} {rubric.version}, but is not that rubric")
    menu = _guarded("menu.json", lambda: menu_from(_json(found["menu.json"], "menu.json")))
    advice = _guarded("advice.json", lambda: advice_from(_json(found["advice.json"], "advice.json")))
    story = Story()
    if STORY in belonging:
        story = _guarded(STORY, lambda: story_from(_json(found[STORY], STORY)))
    before = None
    if PREVIOUS in found and PREVIOUS in known:
        before = _guarded(PREVIOUS, lambda: previous_from(_json(found[PREVIOUS], PREVIOUS)))
    results = _guarded(path, lambda: compute(readings, rubric, menu, advice, story, before))
    recomputed = {
        "figures.json": figures_package(results),
        "scores.json": scores_document(results, rubric),
        "recipes.json": recipes_document(results),
        FINDINGS: views.document(results.findings),
        "menu.json": menu_document(menu),
        "advice.json": advice_document(advice),
        STORY: document_of(story),
    }
    for name, document in ((n, d) for n, d in recomputed.items() if n in belonging):
        mine, theirs = json.loads(dumps(document)), _json(found[name], f"{prefix}{name}")
        if name == FINDINGS and version != __version__:
            mine, theirs = _without_words(mine), _guarded(FINDINGS, partial(_without_words, theirs))
        counted, differing = _compare(name, mine, theirs)
        compared += counted
        problems += differing
    return compared, problems, results, about, rubric


WORDS_OF_FINDINGS = ("sentence", "advice", "severity", "chart")
"""What another version may say otherwise of the same finding."""


def _without_words(document: dict[str, Any]) -> dict[str, Any]:
    """A findings file without what is not computed: each finding by its key, with the figures that show it by their setups."""
    return {
        "format": document.get("format"),
        "version": document.get("version"),
        "findings": {
            str(f["key"]): {k: v for k, v in f.items() if k not in (*WORDS_OF_FINDINGS, "evidence")}
            | {"evidence": [{k: v for k, v in e.items() if k not in WORDS_OF_FINDINGS} for e in f["evidence"]]}
            for f in document["findings"]
        },
    }


def _guarded(place: Path | str, work: Callable[[], T]) -> T:
    """What work gives; BadInputError with one line whatever it stumbles over in what it was given."""
    try:
        return work()
    except UserError:
        raise
    except Exception as e:
        raise bad_package(place, f"cannot be used ({type(e).__name__}: {' '.join(str(e).split())[:200]})") from e


def _about(manifest: dict[str, Any], name: str) -> About:
    """What a manifest says that the edition is of."""
    wanted = {"edition": int, "modes": int, "aspect": float, "gaps": list, "stand_in": bool}
    values: dict[str, Any] = {}
    for f in fields(About):
        value = manifest.get(f.name)
        kind = wanted.get(f.name, str)
        good = isinstance(value, int | float if kind is float else kind) and isinstance(value, bool) == (kind is bool)
        if not good:
            raise BadInputError("package", f"{name}: {f.name}: is missing or wrong", f.name)
        values[f.name] = value
    if not all(isinstance(g, str) for g in values["gaps"]):
        raise BadInputError("package", f"{name}: gaps: is missing or wrong", "gaps")
    if not 0.01 <= values["aspect"] <= 100:
        raise BadInputError("package", f"{name}: aspect: is missing or wrong", "aspect")
    return About(**values | {"gaps": tuple(values["gaps"])})


def _identities(about: About, readings: ReadingsFile, name: str) -> list[str]:
    """Where the manifest says another display, sample or firmware than the readings' first unit."""
    if not readings.units:
        return [f"{name}: the readings name no unit"]
    unit = readings.units[0]
    pairs = [
        (k, getattr(about, k), getattr(unit, k)) for k in ("maker", "model", "panel", "sample", "serial", "firmware")
    ]
    return [f"{name}: {k} is {a!r}, in the readings it is {b!r}" for k, a, b in pairs if a != b]


def _json(data: bytes, name: str) -> dict[str, Any]:
    def refuse(constant: str) -> float:
        raise ValueError(f"{constant} is not a number that JSON knows")

    try:
        document = json.loads(data, parse_constant=refuse, object_pairs_hook=once)
    except (ValueError, RecursionError) as e:
        raise BadInputError("package", f"{name}: not JSON ({' '.join(str(e).split())[:200]})", name) from e
    if not isinstance(document, dict):
        raise BadInputError("package", f"{name}: not a JSON object", name)
    return document


def _compare(place: str, mine: Any, theirs: Any) -> tuple[int, list[str]]:
    """Count the leaves compared, and name those that differ."""
    counted = 0
    differing: list[str] = []
    for where, a, b in _leaves(place, mine, theirs):
        counted += 1
        if not _same(a, b):
            differing.append(f"{where}: the package says {_short(b)}, recomputed it is {_short(a)}")
    return counted, differing


_ABSENT = object()


def _leaves(place: str, mine: Any, theirs: Any) -> Iterator[tuple[str, Any, Any]]:
    """Pairs of leaves; without recursion, so that deep nesting is no danger."""
    pending = [(place, mine, theirs)]
    while pending:
        where, a, b = pending.pop()
        if isinstance(a, dict) and isinstance(b, dict):
            pending += [(f"{where}.{k}", a.get(k, _ABSENT), b.get(k, _ABSENT)) for k in {**a, **b}]
        elif isinstance(a, list) and isinstance(b, list) and len(a) == len(b):
            pending += [(f"{where}[{i}]", x, y) for i, (x, y) in enumerate(zip(a, b, strict=True))]
        else:
            yield where, a, b


_DECIMAL = re.compile(r"\d+\.\d+")


def same_page(mine: str, theirs: str) -> bool:
    """Whether two pages are the same but for the last digit of decimal numbers, which another machine may round otherwise."""
    if _DECIMAL.sub("", mine) != _DECIMAL.sub("", theirs):
        return False
    for a, b in zip(_DECIMAL.findall(mine), _DECIMAL.findall(theirs), strict=True):
        digits = len(a.partition(".")[2])
        if digits != len(b.partition(".")[2]) or abs(float(a) - float(b)) > 1.01 * 10.0**-digits:
            return False
    return True


def _short(value: Any) -> str:
    return "nothing" if value is _ABSENT else repr(value)[:80]


def _same(a: Any, b: Any) -> bool:
    if isinstance(a, bool) or isinstance(b, bool):
        return a is b
    if isinstance(a, int | float) and isinstance(b, int | float):
        return math.isclose(a, b, rel_tol=RELATIVE, abs_tol=ABSOLUTE)
    return type(a) is type(b) and bool(a == b)
