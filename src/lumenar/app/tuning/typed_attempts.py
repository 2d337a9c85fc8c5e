"""What a person does in a tuning: types readings, answers a question, goes back."""

from __future__ import annotations

from collections.abc import Sequence

from lumenar.app.application import Application
from lumenar.app.data import now
from lumenar.app.errors import BadInputError, ConflictError, DoubtfulError, NotFoundError
from lumenar.app.tuning.tunings import GONE_ON, OpenTuning, commit, name_of, next_number, opened, set_state, tried_of
from lumenar.core.menu.controls import MenuError, Value
from lumenar.core.readings.patches import Patch
from lumenar.core.readings.typed_readings import Form, odd, parse
from lumenar.core.signals import Signal
from lumenar.core.tuning import session
from lumenar.core.tuning.base import WHITE
from lumenar.core.tuning.goals import GOALS
from lumenar.core.tuning.plan import Tried
from lumenar.core.tuning.session import Finished, TuningStep
from lumenar.core.tuning.unexpected_readings import surprise
from lumenar.store import tunings
from lumenar.store.tunings import AttemptRow


def _sensible(t: OpenTuning, step: TuningStep, XYZ: Sequence[Sequence[float] | None], sure: bool) -> None:
    """See that typed readings make sense. BadInputError if nothing can follow from them; DoubtfulError with a question about the
    first patch that is odd, unless the person is sure."""
    patches = step.proposal.patches
    _plausible(patches, XYZ)
    new = _as_tried(t, step, XYZ)
    if not sure:
        _question(t, step, XYZ, new)
    try:
        session.following(t.plan, [*t.tried, new])
    except (ValueError, ArithmeticError, LookupError, TypeError) as e:
        raise BadInputError(
            "reading",
            "Nothing can be made of these readings together. Nothing was stored. Read the patches again.",
            "texts.0",
        ) from e


def _plausible(patches: Sequence[Patch], XYZ: Sequence[Sequence[float] | None]) -> None:
    """Raise BadInputError if the meter saw no light at all, or the same whatever was shown."""
    lit = [i for i, p in enumerate(patches) if any(p.rgb)]
    if lit and all(XYZ[i] is None or not any(XYZ[i] or ()) for i in lit):
        raise BadInputError(
            "reading",
            "The meter shows no light of any patch. Nothing was stored. Is the display on, and the meter before it?",
            f"texts.{lit[0]}",
        )
    if len(lit) > 1 and len({tuple(XYZ[i] or ()) for i in lit}) == 1:
        raise BadInputError(
            "reading",
            "All patches have the same reading. Nothing was stored. Does the display show the patch that is named, and does the"
            " meter read anew?",
            f"texts.{lit[1]}",
        )


def _question(t: OpenTuning, step: TuningStep, XYZ: Sequence[Sequence[float] | None], new: Tried) -> None:
    """Raise DoubtfulError for the first unlikely reading: unlikely for its patch, or after the earlier attempts."""
    patches = step.proposal.patches
    signal: Signal = "sdr" if t.plan.mode.signal == "sdr" else "hlg"
    found = odd([(p.rgb, v) for p, v in zip(patches, XYZ, strict=True)], signal)
    if found is None:
        steady = not GOALS[step.goal].bends
        found = surprise(step.proposal, new.attempt.XYZ, [x.attempt for x in t.tried], t.plan.noise, steady)
    if found is not None:
        raise DoubtfulError(f"{name_of(patches[found[0]])}: {found[1]}", f"texts.{found[0]}")


def _as_tried(t: OpenTuning, step: TuningStep, XYZ: Sequence[Sequence[float] | None]) -> Tried:
    """Typed readings as the attempt that they would be."""
    row = [None if v is None else [float(c) for c in v] for v in XYZ]
    one = AttemptRow(
        id=0,
        tuning_id=t.row.id,
        number=next_number(t),
        goal=step.goal,
        stage=step.proposal.stage,
        why="",
        entered=dict(step.proposal.values),
        proposed=None,
        patches=[list(p.rgb) for p in step.proposal.patches],
        XYZ=row,
        expected=None,
        read_at=now(),
        at_s=0.0,
        dropped=0,
    )
    return tried_of(one, t.matrix)


def typed_in(
    app: Application, tuning_id: int, number: int, form: Form, texts: Sequence[str], sure: bool = False
) -> None:
    """The readings of a step as a person typed them, one a patch, `-` where the meter shows no number.

    ConflictError where the tuning has gone on meanwhile; BadInputError names the patch that cannot be read; DoubtfulError asks
    about one that is odd, unless the person is sure.
    """
    t = opened(app, tuning_id)
    if t.shown.can.alone:
        raise ConflictError("by-itself", "The bench reads this display, so typed readings aren't accepted.")
    end = t.following
    if t.row.state != "waiting" or next_number(t) != number or not isinstance(end, TuningStep):
        raise ConflictError("tuning", GONE_ON)
    patches = end.proposal.patches
    if form == "Y" and any(p != WHITE for p in patches):
        raise BadInputError("form", "This step needs colour: type X Y Z, Y x y or Y u′ v′.", "form")
    if len(texts) != len(patches):
        raise BadInputError("readings", f"This step reads {len(patches)} patches, {len(texts)} were typed.", "texts")
    XYZ: list[Sequence[float] | None] = []
    for i, (text, patch) in enumerate(zip(texts, patches, strict=True)):
        try:
            XYZ.append(parse(text, form).XYZ)
        except ValueError as e:
            raise BadInputError("reading", f"{name_of(patch)}: {e}. Nothing was stored.", f"texts.{i}") from e
    _sensible(t, end, XYZ, sure)
    commit(app, t, end, XYZ, 0.0)
    after = opened(app, tuning_id)
    if isinstance(after.following, Finished):
        set_state(app, tuning_id, "found")


def answer(app: Application, tuning_id: int, number: int, as_it_seems: bool, stands: Value | None = None) -> None:
    """A person has looked what stands there at an attempt that was asked about, and at those before it since the control was
    entered: what it seems to be, what was entered, or something else. ConflictError where nothing is asked; BadInputError where
    the control cannot stand so."""
    t = opened(app, tuning_id)
    asked = session.suspect(t.plan, t.tried)
    last = [a for a in t.stored if not a.dropped][-1:]
    if asked is None or not last or last[0].number != number:
        raise ConflictError("tuning", "Nothing is asked about this attempt any more.")
    stood = stands if stands is not None else asked.seems if as_it_seems else asked.entered
    try:
        t.plan.menu.control(asked.path).check(stood)
    except MenuError as e:
        raise BadInputError("value", f"{e}.", "stands") from e
    own = [a for a in t.stored if not a.dropped and a.goal == last[0].goal][-asked.attempts :]
    with app.db.transaction(of=0) as db:
        for a in own:
            tunings.entered_otherwise(db, tuning_id, a.number, {**a.entered, asked.path: stood})


def go_back(app: Application, tuning_id: int, number: int) -> None:
    """Go on from an earlier attempt; what came after it is kept and no longer counts."""
    t = opened(app, tuning_id)
    if t.row.state == "kept":
        raise ConflictError("tuning", "Its result was kept; begin a new tuning from that.")
    if t.row.state == "working":
        raise ConflictError("tuning", "The bench works on it; pause it first.")
    if number not in [a.number for a in t.stored if not a.dropped]:
        raise NotFoundError("attempt", f"There is no attempt {number} to go back to.")
    with app.db.transaction(of=0) as db:
        tunings.drop_after(db, tuning_id, number)
        tunings.set_state(db, tuning_id, "paused" if t.shown.can.alone else "waiting")
