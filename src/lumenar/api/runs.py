"""Routes of runs: planned, started, and those that a person reads by hand."""

from __future__ import annotations

from typing import Annotated, Literal

from fastapi import APIRouter, Header, Query, Request
from pydantic import BaseModel, Field

from lumenar.api.deps import application, bench_of, reread_of
from lumenar.api.models import Created, Id, Text
from lumenar.app.bench.bench_views import PlanPreview
from lumenar.app.bench.repeat_reading import CellPatches
from lumenar.app.instruments import named_meters, stated_floor
from lumenar.app.keys import MeasurementKey
from lumenar.app.manual import manual_runs
from lumenar.app.manual.manual_runs import MOST_ENTRIES, Answers, Entry
from lumenar.app.manual.sheets import Sheet
from lumenar.app.runs import run_list
from lumenar.app.runs.planning import Options
from lumenar.app.runs.run_list import RunPage, RunView
from lumenar.bench.plan import Cell
from lumenar.bench.stated_meter import StatedMeter
from lumenar.core.readings.typed_readings import FORMS, Form
from lumenar.core.signals import Signal

router = APIRouter()


Key = Annotated[str | None, Header(max_length=100)]
"""Whoever starts a run may say a key of their own, so that asking twice starts it once."""


class CellChoice(BaseModel):
    """A cell of the Board."""

    setup: Id
    measurement: MeasurementKey


class MeterStated(BaseModel):
    """The meter of a run by hand, as far as the person knows it."""

    name: str = Field(default="", max_length=80)
    serial: str = Field(default="", max_length=80)
    kind: Literal["colorimeter", "spectroradiometer", "luminance meter"] = "colorimeter"
    repeatability_percent: float = Field(default=0.2, ge=0, le=50)
    floor_cd_m2: float | None = Field(default=None, ge=0, le=1000)


class Measure(BaseModel):
    """Cells to measure in one review; by hand with a meter that is described here or has a name (by its number)."""

    review: Id
    cells: list[CellChoice] = Field(max_length=5000)
    options: Options = Field(default_factory=Options)
    meter: MeterStated | None = None
    named_meter: Id | None = None

    def chosen(self) -> list[Cell]:
        """The cells as the bench takes them."""
        return [Cell(c.setup, c.measurement) for c in self.cells]


class TypedReading(BaseModel):
    """A reading as typed for a patch; sure: what was asked about it is answered."""

    patch: Id
    text: Annotated[str, Field(max_length=200)]
    sure: bool = False


class TypedReadings(BaseModel):
    """Readings in one form."""

    form: Form
    readings: Annotated[list[TypedReading], Field(max_length=MOST_ENTRIES)]


class FormChoice(BaseModel):
    """How readings can be typed."""

    key: Form
    title: str


def _meter(request: Request, measure: Measure) -> StatedMeter | None:
    if measure.named_meter is not None:
        return named_meters.hand_meter(application(request), measure.named_meter)
    return None if measure.meter is None else StatedMeter(**measure.meter.model_dump())


@router.post("/plan")
def plan(request: Request, measure: Measure) -> PlanPreview:
    """What measuring the cells would take."""
    return bench_of(request).runs.preview(measure.review, measure.chosen(), measure.options, _meter(request, measure))


@router.post("/runs", status_code=201)
def start_run(request: Request, measure: Measure, idempotency_key: Key = None) -> Created:
    """Measure cells; of a display that no bench reads, by hand. Asked again with the same key, it is the same run."""
    meter = _meter(request, measure)
    return Created(
        id=bench_of(request).runs.start(measure.review, measure.chosen(), measure.options, meter, idempotency_key)
    )


@router.get("/runs")
def list_runs(
    request: Request, review: Id, before: Id | None = None, limit: Annotated[int, Query(ge=1, le=200)] = 50
) -> RunPage:
    """The runs of a review, the newest first, a page at a time."""
    return run_list.page(application(request), review, before, limit)


@router.get("/runs/{run}")
def read_run(request: Request, run: Id) -> RunView:
    """One run."""
    return run_list.view(application(request), run)


@router.get("/reviews/{review}/setups/{setup}/readings/{measurement}")
def read_patches(request: Request, review: Id, setup: Id, measurement: Text) -> CellPatches:
    """The patches of a cell with all that was read of each."""
    return reread_of(request).cell(review, setup, measurement)


@router.post("/runs/{run}/patches/{patch}/reread", status_code=204)
def read_again(request: Request, run: Id, patch: Id) -> None:
    """Read one patch again, twice, so that the median of three counts."""
    reread_of(request).start(run, patch)


@router.get("/runs/{run}/sheet")
def read_sheet(request: Request, run: Id) -> Sheet:
    """A run by hand as a list to work through."""
    return manual_runs.sheet(application(request), run)


class StatedFloor(BaseModel):
    """The floor of a meter in cd/m2; null takes back what was stated after a run."""

    floor_cd_m2: float | None


@router.put("/runs/{run}/floor", status_code=204)
def state_floor(request: Request, run: Id, said: StatedFloor) -> None:
    """State the floor of the meter of a run that is over; figures near black are computed again."""
    stated_floor.state_floor(application(request), run, said.floor_cd_m2)


class Looked(BaseModel):
    """What a display says it shows; null where that is not known after all."""

    signal: Signal | None


@router.put("/runs/{run}/setups/{setup}/shown")
def looked(request: Request, run: Id, setup: Id, said: Looked) -> Sheet:
    """Record what signal the display says it shows in a setup of a run by hand."""
    return manual_runs.looked(application(request), run, setup, said.signal)


@router.get("/forms")
def forms() -> list[FormChoice]:
    """How readings can be typed."""
    return [FormChoice(key=k, title=t) for k, t in FORMS.items()]


@router.post("/runs/{run}/readings")
def enter_readings(request: Request, run: Id, new: TypedReadings) -> Answers:
    """Keep readings as typed; each is answered for itself."""
    entries = [Entry(r.patch, r.text, r.sure) for r in new.readings]
    return manual_runs.enter(application(request), run, new.form, entries)


@router.delete("/runs/{run}/readings/{patch}", status_code=204)
def take_back_reading(request: Request, run: Id, patch: Id, reopen: bool = False) -> None:
    """Delete a wrong typed reading so that it is read again. reopen: allow this in a run that has ended, and open it again."""
    manual_runs.take_back(application(request), run, patch, reopen)


@router.post("/runs/{run}/end", status_code=204)
def end_run(request: Request, run: Id) -> None:
    """End a run by hand; what was read is kept."""
    manual_runs.end(application(request), run)
