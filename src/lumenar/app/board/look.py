"""The swatch view: how patches and scenes look in a mode against how they were meant."""

from __future__ import annotations

import io
from dataclasses import dataclass

import numpy as np
from PIL import Image

from lumenar.app.application import Application
from lumenar.app.displays.targets import TargetChoice
from lumenar.app.displays.targets import choices as target_choices
from lumenar.app.errors import BadInputError, ConflictError, NotFoundError
from lumenar.app.figures import cells
from lumenar.bench.plan import Cell
from lumenar.core import appearance
from lumenar.core.appearance import DisplayModel
from lumenar.core.colour import difference
from lumenar.core.measurements import Measurement, MissingPatchError, gamut, grey_ramp, saturation, swatches
from lumenar.core.measurements.swatches import code
from lumenar.core.readings.readings import Readings
from lumenar.core.signals import WORDS
from lumenar.core.targets import Target

FIGURES_EVERY = 4
"""Figures of a scene are of every fourth pixel across and down: they differ by a hundredth from those of all, and come before
the pictures do."""
MOST_FACTOR = 20.0


@dataclass(frozen=True)
class Swatch:
    """One patch as meant and as shown, as sRGB codes for the reader's display."""

    name: str
    meant: str
    shown: str
    de: float
    outside: bool


@dataclass(frozen=True)
class Scene:
    """A synthetic scene in this mode."""

    key: str
    title: str
    de_mean: float
    de_p95: float
    outside_percent: float


@dataclass(frozen=True, kw_only=True)
class Look:
    """The swatch view of one setup."""

    setup: int
    name: str
    target: str
    target_title: str
    targets: list[TargetChoice]
    factor: float
    scenes: list[Scene]
    swatches: list[Swatch]
    swatches_of: str
    note: str


def _cell(app: Application, review_id: int, setup_id: int, measurement: Measurement) -> Readings | None:
    row = cells.newest(app, review_id).complete.get(Cell(setup_id, measurement.key))
    return cells.readings_of(app, row) if row is not None else None


def _model(app: Application, review_id: int, setup_id: int) -> DisplayModel:
    greys, corners = (_cell(app, review_id, setup_id, m) for m in (grey_ramp.MEASUREMENT, gamut.MEASUREMENT))
    if greys is None or corners is None:
        raise NotFoundError(
            "cell", "The swatch view needs the grey ramp and the gamut of this setup; measure them from the Board."
        )
    try:
        return appearance.model_of(greys, corners)
    except MissingPatchError as e:
        raise BadInputError("readings", str(e)) from e


def _checked(factor: float) -> float:
    if not 0 <= factor <= MOST_FACTOR:
        raise BadInputError("factor", f"The factor lies within 0 and {MOST_FACTOR:g}.", "factor")
    return factor


def look(app: Application, review_id: int, setup_id: int, target_key: str | None, factor: float) -> Look:
    """Scenes and swatches of a setup, the error exaggerated by a factor."""
    setup = cells.setup_of(app, review_id, setup_id)
    if setup.signal != "sdr":
        raise ConflictError(
            "hdr",
            f"{setup.name} is for {WORDS[setup.signal]}. Your own screen can't show its light, and a converted picture would"
            " say nothing about the display. Its charts show how it follows the curve, where it clips and how far colours are"
            " off.",
        )
    target = cells.target_of(target_key or setup.target, setup.signal)
    model = _model(app, review_id, setup_id)
    _checked(factor)
    scenes = []
    for key, title in appearance.SCENES.items():
        f = _figures(app, model, setup_id, key, target, factor)
        scenes.append(Scene(key, title, f.de_mean, f.de_p95, f.outside_percent))
    found, of = None, ""
    for measurement in (swatches.MEASUREMENT, saturation.MEASUREMENT, gamut.MEASUREMENT):
        found = _cell(app, review_id, setup_id, measurement)
        if found is not None:
            of = measurement.title
            break
    shown = [] if found is None else _swatches(found, model, target, factor)
    worst = max((s.outside_percent for s in scenes), default=0.0)
    note = (
        "Your own display shows all of this, not the one under test: colours are mapped to sRGB, and its white stands for "
        "the target's. Compare the two sides with each other, not with memory."
    )
    if worst >= 0.5:
        note += f" Up to {worst:.0f} % of a scene lies outside sRGB and is cut off here."
    return Look(
        setup=setup_id,
        name=setup.name,
        target=target.key,
        target_title=target.title,
        targets=target_choices(app, setup.signal),
        factor=factor,
        scenes=scenes,
        swatches=shown,
        swatches_of=of,
        note=note,
    )


def _figures(
    app: Application, model: DisplayModel, setup_id: int, key: str, target: Target, factor: float
) -> appearance.SceneFigures:
    """The figures of a scene, from some of its pixels."""
    stamp = (float(model.curves.sum()), float(model.primaries.sum()))
    some = appearance.scene(key)[::FIGURES_EVERY, ::FIGURES_EVERY]
    found: appearance.SceneFigures = app.loaded.get(
        ("picture", setup_id, stamp, key, target.key, factor),
        lambda: appearance.scene_figures(model, some, target, factor),
    )
    return found


def _swatches(found: Readings, model: DisplayModel, target: Target, factor: float) -> list[Swatch]:
    """The patches that were read, as read: no model stands between."""
    anchor = model.anchor
    wanted = target.Lab(target.XYZ(found.rgb, anchor), anchor.white)
    got = target.Lab(np.where(found.below_floor[:, None], 0.0, found.XYZ), anchor.white)
    de = difference.de2000(got, wanted)
    meant, _ = appearance.to_codes(wanted)
    exaggerated = wanted + factor * (got - wanted)
    shown, _ = appearance.to_codes(exaggerated)
    beyond = appearance.outside(wanted) | appearance.outside(exaggerated)
    return [
        Swatch(name, _hex(meant[i]), _hex(shown[i]), float(de[i]), bool(beyond[i]))
        for i, name in enumerate(code(wanted))
    ]


def _hex(rgb: np.ndarray) -> str:
    return "#" + "".join(f"{int(v):02x}" for v in rgb)


def scene_png(
    app: Application, review_id: int, setup_id: int, key: str, target_key: str | None, factor: float, meant: bool
) -> bytes:
    """A scene as a PNG file, as meant or as shown."""
    if key not in appearance.SCENES:
        raise NotFoundError("scene", f"There is no scene {key!r}; there are {', '.join(appearance.SCENES)}.")
    setup = cells.setup_of(app, review_id, setup_id)
    target = cells.target_of(target_key or setup.target, setup.signal)
    codes = appearance.pixels(_model(app, review_id, setup_id), appearance.scene(key), target, _checked(factor), meant)
    out = io.BytesIO()
    Image.fromarray(codes).save(out, "PNG", compress_level=3)
    return out.getvalue()
