"""Checking a data package: hashes, and every figure, score and recipe recomputed from the raw readings."""

from __future__ import annotations

import json
import math
import zipfile
from dataclasses import dataclass
from hashlib import sha256
from pathlib import Path
from typing import Any

from lumenar.core.scoring.rubric import RubricError
from lumenar.publish.package import FILES, compute, dumps, menu_from, recipes_document, scores_document
from lumenar.service.application import load_rubric
from lumenar.service.errors import BadInputError
from lumenar.service.readings_file import figures_document, parse_readings

RELATIVE, ABSOLUTE = 1e-9, 1e-9
"""How closely recomputed numbers must agree: the same arithmetic on another machine may differ in the last bits."""


@dataclass(frozen=True)
class Check:
    """The outcome of a check: how many numbers were compared, and each disagreement in one line."""

    compared: int
    disagreements: tuple[str, ...]

    @property
    def agrees(self) -> bool:
        """Nothing disagrees."""
        return not self.disagreements


def read_package(path: Path) -> dict[str, bytes]:
    """The files of a package: a folder, a zip file, or a published report's folder. BadInputError where it is none."""
    try:
        if path.is_dir():
            folder = path if (path / "manifest.json").exists() else path / "data"
            return {f.name: f.read_bytes() for f in sorted(folder.glob("*.json"))}
        with zipfile.ZipFile(path) as archive:
            return {Path(n).name: archive.read(n) for n in archive.namelist() if n.endswith(".json")}
    except zipfile.BadZipFile as e:
        raise BadInputError("package", f"{path}: neither a folder nor a zip file") from e
    except OSError as e:
        raise BadInputError("package", f"{path}: cannot be read ({e.strerror})") from e


def verify(path: Path) -> Check:
    """Check a package. BadInputError where it is no package or a file in it cannot be used."""
    found = read_package(path)
    if "manifest.json" not in found:
        raise BadInputError("package", f"{path}: no manifest.json in it, so this is no data package")
    manifest = _json(found["manifest.json"], "manifest.json")
    problems: list[str] = []
    listed = manifest.get("files")
    if not isinstance(listed, dict):
        raise BadInputError("package", "manifest.json: files: required field is missing", "files")
    for name in FILES:
        if name not in listed:
            problems.append(f"manifest.json: {name} is not listed")
        if name not in found:
            raise BadInputError("package", f"{path}: {name} is missing from the package")
    for name, entry in listed.items():
        if name in found and sha256(found[name]).hexdigest() != entry.get("sha256"):
            problems.append(f"{name}: its SHA-256 is not the manifest's; the file was changed after publication")
    compared = len(listed)
    for name, recomputed in _recompute(found).items():
        counted, differing = _compare(name, json.loads(dumps(recomputed)), _json(found[name], name))
        compared += counted
        problems += differing
    return Check(compared, tuple(problems))


def _json(data: bytes, name: str) -> dict[str, Any]:
    try:
        document = json.loads(data)
    except ValueError as e:
        raise BadInputError("package", f"{name}: not JSON ({e})", name) from e
    if not isinstance(document, dict):
        raise BadInputError("package", f"{name}: not a JSON object", name)
    return document


def _recompute(found: dict[str, bytes]) -> dict[str, dict[str, Any]]:
    readings = parse_readings(found["readings.json"], "readings.json")
    try:
        rubric = load_rubric(found["rubric.json"].decode())
    except (RubricError, ValueError) as e:
        raise BadInputError("package", f"rubric.json: {e}", "rubric.json") from e
    try:
        menu = menu_from(_json(found["menu.json"], "menu.json"))
    except (KeyError, TypeError, ValueError) as e:
        raise BadInputError("package", f"menu.json: field {e} is missing or wrong", "menu.json") from e
    results = compute(readings, rubric, menu)
    return {
        "figures.json": figures_document(list(results.setups)),
        "scores.json": scores_document(results, rubric),
        "recipes.json": recipes_document(results),
    }


def _compare(place: str, mine: Any, theirs: Any) -> tuple[int, list[str]]:
    """Count the leaves compared, and name those that differ."""
    if isinstance(mine, dict) and isinstance(theirs, dict):
        pairs = [(f"{place}.{k}", mine.get(k), theirs.get(k)) for k in {**mine, **theirs}]
    elif isinstance(mine, list) and isinstance(theirs, list) and len(mine) == len(theirs):
        pairs = [(f"{place}[{i}]", a, b) for i, (a, b) in enumerate(zip(mine, theirs, strict=True))]
    else:
        return 1, [] if _same(mine, theirs) else [f"{place}: the package says {theirs!r}, recomputed it is {mine!r}"]
    counted = 0
    differing: list[str] = []
    for where, a, b in pairs:
        n, d = _compare(where, a, b)
        counted, differing = counted + n, differing + d
    return counted, differing


def _same(a: Any, b: Any) -> bool:
    if isinstance(a, int | float) and isinstance(b, int | float) and not isinstance(a, bool):
        return math.isclose(a, b, rel_tol=RELATIVE, abs_tol=ABSOLUTE)
    return bool(a == b)
