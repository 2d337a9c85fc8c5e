"""Routes of the bench: its state, its steering, its events."""

from __future__ import annotations

from fastapi import APIRouter, Request
from pydantic import BaseModel

from lumenar.api.deps import bench_of
from lumenar.app.bench.bench_views import BenchStatus
from lumenar.app.drivers.simulated import FaultKey

router = APIRouter()


class Speed(BaseModel):
    """How fast the clock of simulated instruments runs."""

    speed: float


class Fault(BaseModel):
    """A failure for the simulated meter, or none."""

    fault: FaultKey | None = None


@router.get("/bench")
def bench(request: Request) -> BenchStatus:
    """The bench's state."""
    return bench_of(request).live.status()


@router.post("/bench/pause")
def pause(request: Request) -> BenchStatus:
    """Pause the run on the bench."""
    bench_of(request).runs.pause()
    return bench_of(request).live.status()


@router.post("/bench/resume")
def resume(request: Request) -> BenchStatus:
    """Resume the run on the bench."""
    bench_of(request).runs.resume()
    return bench_of(request).live.status()


@router.post("/bench/stop")
def stop(request: Request) -> BenchStatus:
    """Stop the run on the bench; what was read is kept."""
    bench_of(request).runs.stop()
    return bench_of(request).live.status()


@router.put("/bench/clock")
def clock(request: Request, speed: Speed) -> BenchStatus:
    """Set the speed of the clock of simulated instruments."""
    bench_of(request).set_speed(speed.speed)
    return bench_of(request).live.status()


@router.put("/bench/fault")
def fault(request: Request, fault: Fault) -> BenchStatus:
    """Make the simulated meter fail on demand, or heal it."""
    bench_of(request).set_fault(fault.fault)
    return bench_of(request).live.status()
