"""Routes of experiments: what is found out about a menu, stage by stage."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field

from lumenar.api.deps import application, experimenter
from lumenar.api.models import Created, Id, Text
from lumenar.api.tunings import NewState
from lumenar.core.typed import Form
from lumenar.service import experiment_views, experiments
from lumenar.service.experiment_views import ExperimentLine, ExperimentView, FoundOut, QuestionChoices
from lumenar.service.experiments import Cost, Kind, Question

router = APIRouter()
PathText = Annotated[str, Field(max_length=300)]


class NewExperiment(BaseModel):
    """What is to be found out: of a setup; control: what it is about; second: another that is tried with it notch by notch; by:
    what notches are ranked by; setups: those that are compared with the setup."""

    kind: Kind
    setup: Id
    control: PathText = ""
    second: PathText = ""
    by: Text = "white"
    setups: Annotated[list[Id], Field(max_length=100)] = []

    def question(self) -> Question:
        """As the service takes it."""
        return Question(**self.model_dump())


class StageDone(BaseModel):
    """A stage as a person did it: the readings, a text a patch; what the menu shows where it is not what it should be; what
    cannot be set any more; what the menu did not let be set."""

    form: Form
    texts: Annotated[list[Text], Field(max_length=100)] = []
    stands: Annotated[dict[PathText, Text], Field(max_length=1000)] = {}
    greyed: Annotated[list[PathText], Field(max_length=1000)] = []
    refused: Annotated[list[PathText], Field(max_length=1000)] = []


@router.get("/reviews/{review}/setups/{setup}/questions")
def questions(request: Request, review: Id, setup: Id) -> QuestionChoices:
    """What can be asked of a setup's display."""
    return experiment_views.choices(application(request), review, setup)


@router.post("/reviews/{review}/experiment-cost")
def experiment_cost(request: Request, review: Id, new: NewExperiment) -> Cost:
    """What answering a question will take; nothing is begun."""
    return experiments.cost(application(request), review, new.question())


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
    experiment_views.typed_in(app, experiment, stage, done.form, done.texts, done.stands, done.greyed, done.refused)
    return experiment_views.view(app, experiment)


@router.put("/experiments/{experiment}/learned", status_code=204)
def learn(request: Request, experiment: Id) -> None:
    """Write into the menu map what was found out."""
    experiment_views.learn(application(request), experiment)
