"""Comfort settings: effect on blue light and colour."""

from __future__ import annotations

from lumenar.app.experiments.kinds.base import (
    ANY,
    Asked,
    Ground,
    KindOfQuestion,
    Question,
    asked_of_control,
    control_of,
    tried_words,
)
from lumenar.core.experiments.comfort import Comfort


def _comfort(g: Ground, q: Question) -> Asked:
    return {**asked_of_control(g, q), "traces": g.shown.can.traces}


KIND = KindOfQuestion(
    key="comfort",
    place=2,
    title="Comfort settings: effect on blue light and colour",
    signals=ANY,
    plan=_comfort,
    make=lambda q, noise: Comfort(control_of(q), q["mode"], q["state"][q["control"]], q["signal"], noise, q["traces"]),
    named=lambda q: f"Effect of {tried_words(q)} on blue light and colour",
    control=True,
    observed=2,
)
