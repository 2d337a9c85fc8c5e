"""The API's routes: a table of contents over the service."""

from __future__ import annotations

import asyncio
import json
import queue
from collections.abc import AsyncIterator
from dataclasses import asdict
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Query, Request, Response
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, Field, TypeAdapter

from lumenar.api.models import Created, Id, TargetKey, Text
from lumenar.bench.drivers.by_hand import HandMeter
from lumenar.bench.plan import Cell
from lumenar.publish.edition import EditionView, editions_of, publish
from lumenar.service import board as boards
from lumenar.service import compare, look, named_meters, setups, shelf, targets, verdict
from lumenar.service import plates as plate_views
from lumenar.service.application import Application
from lumenar.service.bench import BenchService
from lumenar.service.bench_views import BenchStatus, PlanPreview
from lumenar.service.cells import target_of
from lumenar.service.errors import BadInputError
from lumenar.service.events import Event
from lumenar.service.planning import Options
from lumenar.service.readings_file import analyse_file, figures_document, parse_readings
from lumenar.service.recall import Recall, recall
from lumenar.service.units import shipped_units

router = APIRouter(prefix="/api")


def _app(request: Request) -> Application:
    return request.app.state.application  # type: ignore[no-any-return]


def _bench(request: Request) -> BenchService:
    return request.app.state.bench  # type: ignore[no-any-return]


class NewReview(BaseModel):
    """A new review: a shipped unit by file name, or the text of a unit file of one's own."""

    shipped: str | None = None
    name: str = "unit file"
    text: str | None = Field(default=None, max_length=1_000_000)


class CellChoice(BaseModel):
    """A cell of the Board."""

    setup: Id
    measurement: str


class MeterStated(BaseModel):
    """The meter of a run by hand, as far as the person knows it."""

    name: str = Field(default="", max_length=80)
    serial: str = Field(default="", max_length=80)
    kind: Literal["colorimeter", "spectroradiometer"] = "colorimeter"
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


class Speed(BaseModel):
    """How fast the stand-in clock runs."""

    speed: float


class Fault(BaseModel):
    """A failure for the stand-in meter, or none."""

    fault: str | None = None


class RoomLight(BaseModel):
    """The light in the room: a label, lux at the screen where somebody measured it, and a note."""

    label: Text
    lux: float | None = Field(default=None, ge=0, le=200_000)
    note: Text = ""


class Settings(BaseModel):
    """What a setup is to be. settings: values of controls by path, null where one is no longer known; read: paths that were
    read off the display."""

    settings: dict[str, float | str | None] = Field(default={}, max_length=500)
    read: list[Text] = Field(default=[], max_length=500)
    target: TargetKey | None = None
    name: Text | None = None
    room: RoomLight | None = None
    no_room: bool = False
    format: setups.SignalFormat | None = None

    def edit(self) -> setups.Edit:
        """As the service takes it."""
        room = None if self.room is None else setups.Room(**self.room.model_dump())
        return setups.Edit(self.settings, self.read, self.target, self.name, room, self.no_room, self.format)


class NewSetup(Settings):
    """A new setup like another one, with what differs."""

    like: Id


Coordinate = Annotated[float, Field(ge=0, le=1)]


class NewTarget(BaseModel):
    """A target of one's own: xy of red, green, blue and white, its curve, and the luminance of white in cd/m2 where it is to
    have one."""

    title: Text
    red: tuple[Coordinate, Coordinate]
    green: tuple[Coordinate, Coordinate]
    blue: tuple[Coordinate, Coordinate]
    white: tuple[Coordinate, Coordinate]
    curve: Literal["srgb", "power", "bt1886"]
    gamma: Annotated[float, Field(ge=1, le=4)] = 2.2
    black: Literal["measured", "zero"] = "measured"
    luminance: Annotated[float, Field(ge=1, le=10_000)] | None = None

    def definition(self) -> targets.TargetDefinition:
        """As the service takes it."""
        return targets.TargetDefinition(**self.model_dump())


class Firmware(BaseModel):
    """A unit's firmware version."""

    firmware: str = Field(max_length=200)


class ReadingsText(BaseModel):
    """A readings file's text, and a target to use instead of the setups' own."""

    text: str = Field(max_length=100_000_000)
    name: str = "readings file"
    target: str | None = None


@router.get("/targets")
def all_targets(request: Request) -> list[targets.TargetView]:
    """All targets, those that ship and those that were defined here."""
    return targets.views(_app(request))


@router.post("/targets", status_code=201)
def add_target(request: Request, new: NewTarget) -> targets.TargetView:
    """Define a target."""
    return targets.add(_app(request), new.definition())


@router.put("/targets/{target}")
def change_target(request: Request, target: Id, new: NewTarget) -> targets.TargetView:
    """Define a target anew; what declares it follows."""
    return targets.change(_app(request), target, new.definition())


@router.delete("/targets/{target}", status_code=204)
def delete_target(request: Request, target: Id) -> None:
    """Forget a target that nothing declares."""
    targets.delete(_app(request), target)


@router.get("/units")
def units() -> list[shelf.ShippedUnit]:
    """The unit files that ship with Lumenar."""
    return shelf.list_shipped()


@router.get("/reviews")
def reviews(request: Request) -> list[shelf.ShelfEntry]:
    """The Shelf."""
    return shelf.shelf(_app(request))


@router.post("/reviews", status_code=201)
def add_review(request: Request, new: NewReview) -> Created:
    """Start a review from a unit file."""
    text, name = new.text, new.name
    if new.shipped is not None:
        text, name = shipped_units().get(new.shipped), new.shipped
    if text is None:
        raise BadInputError("unit-file", f"{name}: there is no such unit file among those that ship.", "shipped")
    return Created(id=shelf.add_review(_app(request), text, name))


@router.delete("/reviews/{review}", status_code=204)
def delete_review(request: Request, review: Id) -> None:
    """Delete a review."""
    shelf.delete_review(_app(request), review)


BOARD = TypeAdapter(boards.Board)


@router.get("/reviews/{review}/board", response_model=boards.Board)
def board(request: Request, review: Id) -> Response:
    """The Board of a review. Many may ask for the same one while a run is under way, so it is written out once."""
    app = _app(request)
    data = app.views.get("board", review, lambda: BOARD.dump_json(boards.board(app, review)))
    return Response(data, media_type="application/json")


@router.get("/reviews/{review}/plates/{setup}/{measurement}")
def plates(
    request: Request,
    review: Id,
    setup: Id,
    measurement: str,
    overlay: Annotated[list[Id] | None, Query()] = None,
    target: str | None = None,
    pin: Annotated[list[str] | None, Query()] = None,
) -> plate_views.Plates:
    """The plates of one cell, other setups and targets laid over it, against any target."""
    return plate_views.plates(_app(request), review, setup, measurement, overlay or [], target, pin)


@router.get("/compare/setups")
def comparable(request: Request) -> list[compare.ComparedSetup]:
    """Every setup that can be compared."""
    return compare.comparable(_app(request))


@router.get("/compare")
def compared(request: Request, setup: Annotated[list[Id], Query()], target: str | None = None) -> compare.Comparison:
    """Up to four setups figure by figure, of one display or several."""
    return compare.compare(_app(request), setup, target)


@router.get("/reviews/{review}/look/{setup}")
def read_look(request: Request, review: Id, setup: Id, target: str | None = None, factor: float = 1.0) -> look.Look:
    """How patches and scenes look in a setup against how they were meant."""
    return look.look(_app(request), review, setup, target, factor)


@router.get("/reviews/{review}/look/{setup}/{scene}.png", response_class=Response)
def scene(
    request: Request,
    review: Id,
    setup: Id,
    scene: str,
    target: str | None = None,
    factor: float = 1.0,
    meant: bool = False,
) -> Response:
    """A scene as meant or as shown."""
    data = look.scene_png(_app(request), review, setup, scene, target, factor, meant)
    return Response(data, media_type="image/png", headers={"Cache-Control": "no-cache"})


@router.get("/reviews/{review}/setups/{setup}")
def read_setup(request: Request, review: Id, setup: Id) -> setups.SetupView:
    """A setup with all its controls."""
    return setups.view(_app(request), review, setup)


@router.put("/reviews/{review}/setups/{setup}")
def change_setup(request: Request, review: Id, setup: Id, new: Settings) -> setups.SetupView:
    """Give a setup other values, or another declared target."""
    setups.change(_app(request), review, setup, new.edit())
    return setups.view(_app(request), review, setup)


@router.post("/reviews/{review}/setups", status_code=201)
def add_setup(request: Request, review: Id, new: NewSetup) -> Created:
    """A new setup like another one."""
    return Created(id=setups.add(_app(request), review, new.like, new.name or "", new.edit()))


@router.get("/reviews/{review}/setups/{setup}/history")
def setup_history(request: Request, review: Id, setup: Id) -> list[setups.PastChange]:
    """What was changed of a setup."""
    return setups.history(_app(request), review, setup)


@router.get("/reviews/{review}/setups/{setup}/recall")
def recall_setup(request: Request, review: Id, setup: Id) -> Recall:
    """What to enter, step by step, so that a setup is back."""
    return recall(_app(request), review, setup)


@router.post("/reviews/{review}/setups/{setup}/undo")
def undo_setup(request: Request, review: Id, setup: Id) -> setups.SetupView:
    """Take back the last change of a setup."""
    setups.undo(_app(request), review, setup)
    return setups.view(_app(request), review, setup)


@router.delete("/reviews/{review}/setups/{setup}", status_code=204)
def delete_setup(request: Request, review: Id, setup: Id) -> None:
    """Delete a setup with its readings."""
    setups.delete(_app(request), review, setup)


@router.put("/units/{unit}/firmware", status_code=204)
def set_firmware(request: Request, unit: Id, new: Firmware) -> None:
    """A unit has another firmware now."""
    setups.set_firmware(_app(request), unit, new.firmware)


@router.get("/reviews/{review}/verdict")
def read_verdict(request: Request, review: Id) -> verdict.Verdict:
    """Scores, recipes and gaps."""
    return verdict.verdict(_app(request), review)


@router.get("/reviews/{review}/editions")
def editions(request: Request, review: Id) -> list[EditionView]:
    """Published editions, newest first."""
    return editions_of(_app(request), review)


@router.post("/reviews/{review}/editions", status_code=201)
def publish_edition(request: Request, review: Id) -> EditionView:
    """Publish the next edition."""
    return publish(_app(request), review)


@router.post("/plan")
def plan(request: Request, measure: Measure) -> PlanPreview:
    """What measuring the cells would take."""
    return _bench(request).runs.preview(measure.review, measure.chosen(), measure.options)


@router.post("/runs", status_code=201)
def start_run(request: Request, measure: Measure) -> Created:
    """Measure cells; of a display that is no stand-in, by hand."""
    meter = None if measure.meter is None else HandMeter(**measure.meter.model_dump())
    if measure.named_meter is not None:
        meter = named_meters.hand_meter(_app(request), measure.named_meter)
    return Created(id=_bench(request).runs.start(measure.review, measure.chosen(), measure.options, meter))


@router.get("/bench")
def bench(request: Request) -> BenchStatus:
    """The bench's state."""
    return _bench(request).live.status()


@router.post("/bench/pause")
def pause(request: Request) -> BenchStatus:
    """Pause the run on the bench."""
    _bench(request).runs.pause()
    return _bench(request).live.status()


@router.post("/bench/resume")
def resume(request: Request) -> BenchStatus:
    """Resume the run on the bench."""
    _bench(request).runs.resume()
    return _bench(request).live.status()


@router.post("/bench/stop")
def stop(request: Request) -> BenchStatus:
    """Stop the run on the bench; what was read is kept."""
    _bench(request).runs.stop()
    return _bench(request).live.status()


@router.put("/bench/clock")
def clock(request: Request, speed: Speed) -> BenchStatus:
    """Set the speed of the stand-in clock."""
    _bench(request).set_speed(speed.speed)
    return _bench(request).live.status()


@router.put("/bench/fault")
def fault(request: Request, fault: Fault) -> BenchStatus:
    """Make the stand-in meter fail on demand, or heal it."""
    _bench(request).set_fault(fault.fault)
    return _bench(request).live.status()


@router.post("/figures")
def figures(readings: ReadingsText) -> dict[str, Any]:
    """Figures from anyone's readings file; nothing is stored."""
    if readings.target is not None:
        target_of(readings.target)
    file = parse_readings(readings.text, readings.name)
    return figures_document(analyse_file(file, readings.name, readings.target))


def _line(event: Event) -> str:
    return f"event: {event.name}\ndata: {json.dumps(event.data)}\n\n"


async def _stream(request: Request) -> AsyncIterator[str]:
    service = _bench(request)
    with service.live.hub.listen() as mine:
        yield _line(Event("bench", asdict(service.live.status())))
        quiet = 0.0
        while not request.app.state.closing:
            events: dict[tuple[str, str], Event] = {}
            while True:
                try:
                    event = mine.get_nowait()
                except queue.Empty:
                    break
                # Only the newest state of each kind matters: a bench without waiting would flood a browser.
                events[(event.name, str(event.data if event.name != "bench" else ""))] = event
            for event in events.values():
                yield _line(event)
            quiet = 0.0 if events else quiet + 0.1
            if quiet > 15:
                quiet = 0.0
                yield ": still here\n\n"
            await asyncio.sleep(0.1)


@router.get("/events", response_class=StreamingResponse)
async def events(request: Request) -> StreamingResponse:
    """Server-sent events: `bench` (its whole state), `reading` and `run` (what changed)."""
    return StreamingResponse(_stream(request), media_type="text/event-stream", headers={"Cache-Control": "no-store"})
