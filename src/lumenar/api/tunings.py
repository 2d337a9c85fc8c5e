"""Routes of tunings: the search for better settings, attempt by attempt, and what its result is worth."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field

from lumenar.api.deps import application, bench_of, tuner
from lumenar.api.models import Created, Id, TargetKey, Text
from lumenar.app.tuning import gains, tuning_views, tunings, typed_attempts
from lumenar.app.tuning.gains import Carried, Worth
from lumenar.app.tuning.tuning_views import Aim, GoalChoice, TuningLine, TuningView
from lumenar.app.tuning.tunings import Wish
from lumenar.core.readings.typed_readings import Form

router = APIRouter()


class NewTuning(BaseModel):
    """What is to be tuned."""

    setup: Id
    goals: Annotated[list[Text], Field(max_length=10)] = []
    luminance: float | None = None
    target: TargetKey | None = None
    purpose: Text | None = None
    """What the result is for; it is judged for this."""


class NewState(BaseModel):
    """working: go on; paused: stand still; stopped: end it with the best state restored."""

    state: Literal["working", "paused", "stopped"]


class AttemptReadings(BaseModel):
    """The readings of one attempt as a person typed them, a patch each."""

    form: Form
    texts: Annotated[list[Text], Field(min_length=1, max_length=60)]
    sure: bool = False
    """A reading that is odd was asked about, and is so."""


class Seen(BaseModel):
    """Whether the control stands where the reading says it does; stands: where else, if at neither of the two."""

    as_it_seems: bool
    stands: float | str | None = None


class ResultName(BaseModel):
    """What the result is called as a setup."""

    name: Text


class Carry(BaseModel):
    """The setup of another mode that the values are entered in, and what the new one is called."""

    setup: Id
    name: Text


class CarriedTo(BaseModel):
    """The setup that was made, and the run that measures it."""

    setup: int
    run: int


class From(BaseModel):
    """The attempt to go on from."""

    number: Id


@router.get("/reviews/{review}/setups/{setup}/goals")
def goals(request: Request, review: Id, setup: Id) -> list[GoalChoice]:
    """What of a setup can be tuned."""
    return tuning_views.choices(application(request), review, setup)


@router.get("/reviews/{review}/setups/{setup}/aims")
def aims(request: Request, review: Id, setup: Id) -> list[Aim]:
    """What a setup would be tuned to for each purpose."""
    return tuning_views.aims(application(request), review, setup)


@router.get("/reviews/{review}/tunings")
def list_tunings(request: Request, review: Id) -> list[TuningLine]:
    """The tunings of a review, the newest first."""
    return tuning_views.listed(application(request), review)


@router.post("/reviews/{review}/tunings", status_code=201)
def start_tuning(request: Request, review: Id, new: NewTuning) -> Created:
    """Begin a tuning of a setup."""
    return Created(id=tuner(request).start(review, new.setup, Wish(new.goals, new.luminance, new.target, new.purpose)))


@router.get("/tunings/{tuning}")
def get_tuning(request: Request, tuning: Id) -> TuningView:
    """A tuning with what comes next in it."""
    return tuning_views.view(application(request), tuning)


@router.put("/tunings/{tuning}/state", status_code=204)
def steer_tuning(request: Request, tuning: Id, new: NewState) -> None:
    """Pause a tuning, go on with it, or end it."""
    if new.state == "working":
        tuner(request).resume(tuning)
    else:
        tuner(request).halt(tuning, new.state)


@router.post("/tunings/{tuning}/attempts/{number}", status_code=201)
def type_attempt(request: Request, tuning: Id, number: Id, typed: AttemptReadings) -> TuningView:
    """The next attempt as a person entered and read it."""
    typed_attempts.typed_in(application(request), tuning, number, typed.form, typed.texts, typed.sure)
    return tuning_views.view(application(request), tuning)


@router.put("/tunings/{tuning}/attempts/{number}/entered")
def answer_question(request: Request, tuning: Id, number: Id, seen: Seen) -> TuningView:
    """What really stood there at an attempt that was asked about."""
    typed_attempts.answer(application(request), tuning, number, seen.as_it_seems, seen.stands)
    return tuning_views.view(application(request), tuning)


@router.put("/tunings/{tuning}/from")
def go_back(request: Request, tuning: Id, place: From) -> TuningView:
    """Go on from an earlier attempt."""
    typed_attempts.go_back(application(request), tuning, place.number)
    return tuning_views.view(application(request), tuning)


@router.post("/tunings/{tuning}/result", status_code=201)
def keep_result(request: Request, tuning: Id, named: ResultName) -> Created:
    """Keep what was found as a setup."""
    return Created(id=tunings.keep(application(request), tuning, named.name))


@router.post("/tunings/{tuning}/proof", status_code=201)
def prove(request: Request, tuning: Id) -> Created:
    """Measure the result, and what it began from where that is not fresh."""
    return Created(id=gains.prove(application(request), bench_of(request), tuning))


@router.get("/tunings/{tuning}/carried")
def list_carried(request: Request, tuning: Id, purpose: Text | None = None) -> list[Carried]:
    """Where the values were carried to, and what they are worth there."""
    return gains.carried(application(request), tuning, purpose)


@router.post("/tunings/{tuning}/carried", status_code=201)
def carry(request: Request, tuning: Id, new: Carry) -> CarriedTo:
    """Enter the values in another mode and measure it before and after."""
    setup, run = gains.carry(application(request), bench_of(request), tuning, new.setup, new.name)
    return CarriedTo(setup=setup, run=run)


@router.get("/tunings/{tuning}/worth")
def get_worth(request: Request, tuning: Id, purpose: Text | None = None) -> Worth:
    """What the result is worth for a purpose, by default the one that it was started for."""
    return gains.worth(application(request), tuning, purpose)
