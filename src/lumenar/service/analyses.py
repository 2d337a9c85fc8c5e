"""Analyses as text, to be kept between starts."""

from __future__ import annotations

import json
from hashlib import sha256
from importlib.resources import files
from typing import Any

import numpy as np

from lumenar import __version__
from lumenar.core.analysis import Analysis
from lumenar.core.uncertainty import Uncertainty


def _version() -> str:
    """Names the computation: the package's version with a hash of the source of `core`, so that no figure outlives a
    change of its formula."""
    digest = sha256()
    pending = [files("lumenar.core")]
    while pending:
        for item in sorted(pending.pop().iterdir(), key=lambda i: i.name):
            if item.is_dir():
                pending.append(item)
            elif item.name.endswith((".py", ".csv")):
                digest.update(item.read_bytes())
    return f"{__version__}-{digest.hexdigest()[:16]}"


VERSION = _version()


def _plain(value: Any) -> Any:
    array = np.asarray(value, float)
    if np.isfinite(array).all():
        return array.tolist()
    if array.ndim == 0:
        return None
    return [_plain(v) for v in array]


def dumps(a: Analysis) -> str:
    """An analysis as JSON; numbers that are none become null."""
    return json.dumps(
        {
            "measurement": a.measurement,
            "target": a.target,
            "figures": {k: _plain(v) for k, v in a.figures.items()},
            "shapes": {k: v.shape for k, v in a.figures.items() if v.ndim > 1 or not v.size},
            "uncertainty": {k: [u.standard, u.low, u.high] for k, u in a.uncertainty.items()},
            "noise_floor": {k: _plain(v) for k, v in a.noise_floor.items()},
            "range": {k: [_plain(x) for x in v] for k, v in a.range.items()},
            "draws": {k: _plain(v) for k, v in a.draws.items()},
        }
    )


def loads(text: str) -> Analysis:
    """The analysis that `dumps` wrote."""
    d = json.loads(text)

    def array(value: Any, shape: list[int] | None = None) -> np.ndarray:
        made = np.array(value, float)
        return made.reshape(shape) if shape is not None else made

    def number(value: float | None) -> float:
        return float("nan") if value is None else value

    return Analysis(
        d["measurement"],
        d["target"],
        {k: array(v, d["shapes"].get(k)) for k, v in d["figures"].items()},
        {k: Uncertainty(*v) for k, v in d["uncertainty"].items()},
        {k: number(v) for k, v in d["noise_floor"].items()},
        {k: (number(v[0]), number(v[1])) for k, v in d["range"].items()},
        {k: array(v) for k, v in d["draws"].items()},
    )
