"""What a person types of a stage."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from lumenar.app.application import Application
from lumenar.app.errors import BadInputError, ConflictError, DoubtfulError
from lumenar.app.experiments import experiments
from lumenar.app.experiments.experiment_views import expected_values, value_typed, without_effect
from lumenar.app.experiments.experiments import OpenExperiment
from lumenar.app.tuning.tunings import name_of
from lumenar.core.readings.patches import Patch
from lumenar.core.readings.typed_readings import Form, odd, parse
from lumenar.core.signals import Signal


def typed_in(
    app: Application,
    experiment_id: int,
    stage: int,
    form: Form,
    texts: Sequence[str],
    stands: Mapping[str, str],
    greyed: Sequence[str],
    refused: Sequence[str],
    sure: bool = False,
) -> None:
    """Store a stage that a person carried out.

    texts: one reading for each patch, `-` if the meter showed no number; stands: values that the menu shows instead of the
    expected ones; greyed: controls that can't be set any more; refused: acts that the display didn't accept; sure: the person has
    confirmed the readings. Raises BadInputError for a reading that can't be understood, and DoubtfulError for one that is
    unlikely and not confirmed; nothing is stored then.
    """
    x = experiments.opened(app, experiment_id)
    if x.shown.can.alone:
        raise ConflictError("by-itself", "The bench reads this display, so typed readings aren't accepted.")
    if x.row.state != "waiting" or x.next != stage:
        raise ConflictError("experiment", "The experiment has gone on meanwhile; look at it again. Nothing was stored.")
    s = x.made.stages[stage]
    if experiments.loses_light(x, refused):
        why = dict.fromkeys(refused, "the person could not make it")
        experiments.commit(app, x, [None] * len(s.patches), {}, [], why)
        if experiments.leave_out(app, experiment_id).next is None:
            experiments.set_state(app, experiment_id, "done")
        return
    XYZ = _parsed(s.patches, form, texts)
    if not sure and any(v is not None for v in XYZ):
        _question(x, stage, XYZ, refused)
    expected = expected_values(x, stage)
    seen = {p: value_typed(x, p, stands[p]) if stands.get(p, "").strip() else expected[p] for p in s.look}
    why = dict.fromkeys(refused, "the menu did not let it be set")
    experiments.commit(app, x, XYZ, seen, [p for p in greyed if p in s.look], why)
    if experiments.opened(app, experiment_id).next is None:
        experiments.set_state(app, experiment_id, "done")


def _parsed(patches: Sequence[Patch], form: Form, texts: Sequence[str]) -> list[Sequence[float] | None]:
    """XYZ of each patch as typed, None if the meter showed no number. BadInputError names what can't be understood."""
    if len(texts) != len(patches):
        raise BadInputError("readings", f"This step reads {len(patches)} patches, {len(texts)} were typed.", "texts")
    if form == "Y" and patches:
        raise BadInputError("form", "This step needs colour: type X Y Z, Y x y or Y u′ v′.", "form")
    XYZ: list[Sequence[float] | None] = []
    for i, (text, patch) in enumerate(zip(texts, patches, strict=True)):
        try:
            XYZ.append(parse(text, form).XYZ)
        except ValueError as e:
            raise BadInputError("reading", f"{name_of(patch)}: {e}. Nothing was stored.", f"texts.{i}") from e
    return XYZ


def _question(x: OpenExperiment, stage: int, XYZ: Sequence[Sequence[float] | None], refused: Sequence[str]) -> None:
    """Raise DoubtfulError if a reading is unlikely, or if none of them changed although something was entered."""
    patches = x.made.stages[stage].patches
    # HLG greys have no expected luminance, and neither do greys under metadata that are being tried.
    signal: Signal = "sdr" if x.setup.signal == "sdr" else "hlg"
    found = odd([(p.rgb, v) for p, v in zip(patches, XYZ, strict=True)], signal)
    if found is not None:
        raise DoubtfulError(f"{name_of(patches[found[0]])}: {found[1]}", f"texts.{found[0]}")
    if act := without_effect(x, stage, XYZ, refused):
        raise DoubtfulError(
            f"All readings are the same as before {act}. Enter it again, check that the display accepts it, and read"
            " again. If nothing changes, confirm.",
            "texts.0",
        )
