"""Analyses as text, to be kept between starts."""

from __future__ import annotations

import json
from base64 import b64decode, b64encode
from hashlib import sha256
from importlib.resources import files
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lumenar import __version__
from lumenar.core.analysis import Analysis
from lumenar.core.uncertainty import Uncertainty


def _version() -> str:
    """Names the computation: the package's version with a hash of the source of `core` and of this file, so that no figure
    outlives a change of its formula or of how it is kept."""
    digest = sha256(Path(__file__).read_bytes())
    pending = [files("lumenar.core")]
    while pending:
        for item in sorted(pending.pop().iterdir(), key=lambda i: i.name):
            if item.is_dir():
                pending.append(item)
            elif item.name.endswith((".py", ".csv")):
                digest.update(item.read_bytes())
    return f"{__version__}-{digest.hexdigest()[:16]}"


VERSION = _version()


def _packed(value: ArrayLike) -> list[Any]:
    """Shape and numbers of an array, bit for bit, and far quicker to read than as decimals."""
    array = np.asarray(value, "<f8")
    return [array.shape, b64encode(array.tobytes()).decode()]


def _unpacked(packed: list[Any]) -> NDArray[np.float64]:
    shape, numbers = packed
    return np.frombuffer(b64decode(numbers), "<f8").reshape(shape)


def dumps(a: Analysis) -> str:
    """An analysis as JSON with packed numbers."""
    return json.dumps(
        {
            "measurement": a.measurement,
            "target": a.target,
            "figures": {k: _packed(v) for k, v in a.figures.items()},
            "uncertainty": {k: _packed([u.standard, u.low, u.high]) for k, u in a.uncertainty.items()},
            "noise_floor": {k: _packed(v) for k, v in a.noise_floor.items()},
            "range": {k: _packed(v) for k, v in a.range.items()},
            "draws": {k: _packed(v) for k, v in a.draws.items()},
            "systematic": a.systematic,
        }
    )


def loads(text: str) -> Analysis:
    """The analysis that `dumps` wrote; its arrays are not to be written to."""
    d = json.loads(text)
    arrays = {part: {k: _unpacked(v) for k, v in d[part].items()} for part in _PARTS}
    return Analysis(
        measurement=d["measurement"],
        target=d["target"],
        figures=arrays["figures"],
        uncertainty={k: Uncertainty(*v.tolist()) for k, v in arrays["uncertainty"].items()},
        noise_floor={k: float(v) for k, v in arrays["noise_floor"].items()},
        range={k: (float(v[0]), float(v[1])) for k, v in arrays["range"].items()},
        draws=arrays["draws"],
        systematic=d["systematic"],
    )


_PARTS = ("figures", "uncertainty", "noise_floor", "range", "draws")
