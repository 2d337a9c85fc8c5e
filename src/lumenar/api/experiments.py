"""Routes of experiments: what is found out about a menu, stage by stage."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field

from lumenar.api.deps import application, experimenter
from lumenar.api.models import Created, Id, Text
from lumenar.api.tunings import NewState
from lumenar.app.experiments import condition_views, experiment_views, typed_stages
from lumenar.app.experiments import questions as asked
from lumenar.app.experiments.condition_views import ConditionChoices, ConditionsView
from lumenar.app.experiments.conditions import ConditionsAsked, FactorAsked, LightAsked
from lumenar.app.experiments.experiment_views import ExperimentLine, ExperimentView, FoundOut, QuestionChoices
from lumenar.app.experiments.kinds import QuestionKey
from lumenar.app.experiments.kinds.base import Question
from lumenar.app.experiments.questions import Cost
from lumenar.core.readings.typed_readings import Form

router = APIRouter()
PathText = Annotated[str, Field(max_length=300)]


class AskedLight(BaseModel):
    """A light: what it is called, and lux at the display's sensor where somebody measured them."""

    label: Annotated[str, Field(max_length=80)]
    lux: Annotated[float, Field(ge=0, le=200_000)] | None = None


class AskedFactor(BaseModel):
    """A control and the values that are tried beside where it stands; promise: what is said of it."""

    path: PathText
    values: Annotated[list[Text], Field(max_length=20)]
    promise: Annotated[str, Field(max_length=300)] = ""


StateKey = Annotated[list[Annotated[int, Field(ge=0, le=20)]], Field(max_length=10)]


class AskedConditions(BaseModel):
    """What is tried in which light. together: all combinations rather than each control alone; chosen: the states that are read
    instead, each the light's place from 0 and then each control's, 0 where it stands; baselines: how often the baseline is
    read, 0 for as often as it needs; few: white, three greys and red are read of each state, instead of 22 patches."""

    lights: Annotated[list[AskedLight], Field(max_length=20)] = []
    factors: Annotated[list[AskedFactor], Field(max_length=20)] = []
    together: bool = True
    baselines: Annotated[int, Field(ge=0, le=100)] = 0
    seed: Annotated[int, Field(ge=0, le=2**31)] = 1
    few: bool = False
    chosen: Annotated[list[StateKey], Field(max_length=1000)] = []

    def asked(self) -> ConditionsAsked:
        """As the service takes it."""
        lights = [LightAsked(x.label, x.lux) for x in self.lights]
        factors = [FactorAsked(f.path, f.values, f.promise) for f in self.factors]
        return ConditionsAsked(
            lights=lights,
            factors=factors,
            together=self.together,
            baselines=self.baselines,
            seed=self.seed,
            few=self.few,
            chosen=self.chosen,
        )


class NewExperiment(BaseModel):
    """What is to be found out: of a setup; control: what it is about; second: another that is tried with it notch by notch; by:
    what notches are ranked by; setups: those that are compared with the setup; conditions: what is tried in which light."""

    kind: QuestionKey
    setup: Id
    control: PathText = ""
    second: PathText = ""
    by: Text = "white"
    setups: Annotated[list[Id], Field(max_length=100)] = []
    conditions: AskedConditions = AskedConditions()

    def question(self) -> Question:
        """As the service takes it."""
        return Question(**{**self.model_dump(), "conditions": self.conditions.asked()})


class StageDone(BaseModel):
    """A stage as a person did it: the readings, a text a patch; what the menu shows where it is not what it should be; what
    cannot be set any more; what the menu did not let be set."""

    form: Form
    texts: Annotated[list[Text], Field(max_length=100)] = []
    stands: Annotated[dict[PathText, Text], Field(max_length=1000)] = {}
    greyed: Annotated[list[PathText], Field(max_length=1000)] = []
    refused: Annotated[list[PathText], Field(max_length=1000)] = []
    sure: bool = False
    """A reading that is odd was asked about, and is so."""


@router.get("/reviews/{review}/setups/{setup}/questions")
def questions(request: Request, review: Id, setup: Id) -> QuestionChoices:
    """What can be asked of a setup's display."""
    return experiment_views.choices(application(request), review, setup)


@router.post("/reviews/{review}/experiment-cost")
def experiment_cost(request: Request, review: Id, new: NewExperiment) -> Cost:
    """What answering a question will take; nothing is begun."""
    return asked.cost(application(request), review, new.question())


@router.get("/reviews/{review}/setups/{setup}/conditions")
def condition_choices(request: Request, review: Id, setup: Id) -> ConditionChoices:
    """Which controls can be tried in which light on a setup."""
    return condition_views.choices(application(request), review, setup)


@router.get("/experiments/{experiment}/conditions")
def get_conditions(request: Request, experiment: Id) -> ConditionsView:
    """What the states of an experiment under conditions show so far."""
    return condition_views.view(application(request), experiment)


@router.get("/reviews/{review}/menu/findings")
def findings(request: Request, review: Id, unit: Id | None = None) -> list[FoundOut]:
    """What experiments found out of a sample's controls, the newest first."""
    return experiment_views.found_out(application(request), review, unit)


@router.get("/reviews/{review}/experiments")
def list_experiments(request: Request, review: Id) -> list[ExperimentLine]:
    """The experiments of a review, the newest first."""
    return experiment_views.lines(application(request), review)


@router.post("/reviews/{review}/experiments", status_code=201)
def start_experiment(request: Request, review: Id, new: NewExperiment) -> Created:
    """Begin an experiment."""
    return Created(id=experimenter(request).start(review, new.question()))


@router.get("/experiments/{experiment}")
def get_experiment(request: Request, experiment: Id) -> ExperimentView:
    """An experiment with what is to be done now, or what came of it."""
    return experiment_views.view(application(request), experiment)


@router.put("/experiments/{experiment}/state", status_code=204)
def steer_experiment(request: Request, experiment: Id, new: NewState) -> None:
    """Pause an experiment, go on with it, or end it with all put back."""
    if new.state == "working":
        experimenter(request).resume(experiment)
    else:
        experimenter(request).halt(experiment, new.state)


@router.post("/experiments/{experiment}/stages/{stage}", status_code=201)
def type_stage(request: Request, experiment: Id, stage: Id, done: StageDone) -> ExperimentView:
    """The next stage as a person did it."""
    app = application(request)
    typed_stages.typed_in(
        app=app,
        experiment_id=experiment,
        stage=stage,
        form=done.form,
        texts=done.texts,
        stands=done.stands,
        greyed=done.greyed,
        refused=done.refused,
        sure=done.sure,
    )
    return experiment_views.view(app, experiment)


@router.put("/experiments/{experiment}/learned", status_code=204)
def learn(request: Request, experiment: Id) -> None:
    """Write into the menu map what was found out."""
    experiment_views.learn(application(request), experiment)
