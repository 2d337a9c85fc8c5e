"""What every driver must keep: run against a meter, a patch source and a remote, it says what is not kept.

    from lumenar.bench.conformance import check_meter, check_remote, check_source
    problems = check_meter(my_meter) + check_source(my_source) + check_remote(my_remote, "Film", "Light", 10, 20)

Each function gives sentences; an empty list means that the driver passes. Nothing in them knows which driver it is.
"""

from __future__ import annotations

import math
from collections.abc import Callable

from lumenar.bench.ports import (
    BelowFloorError,
    Cancel,
    ControlValue,
    EndedError,
    Entered,
    InstrumentError,
    Meter,
    MeterReading,
    PatchSource,
    RefusedError,
    SaturatedError,
    UnitRemote,
    Wanted,
)
from lumenar.core.readings.patches import Patch
from lumenar.core.signals import SignalFormat

KINDS = ("colorimeter", "spectroradiometer", "photodiode")
WHITE, BLACK = Patch((1.0, 1.0, 1.0)), Patch((0.0, 0.0, 0.0))
READS = 8


def check_meter(meter: Meter, show: Callable[[Patch], None] | None = None) -> list[str]:
    """What a meter does not keep of its port. show: puts a patch before it; without it only what it says of itself and one
    reading are looked at."""
    told = meter.describe()
    said = []
    if not told.name.strip():
        said.append("describe(): the meter has no name")
    if told.kind not in KINDS:
        said.append(f"describe(): the kind {told.kind!r} is none of {', '.join(KINDS)}")
    if not 0 <= told.repeatability <= 0.5:
        said.append(f"describe(): a repeatability of {told.repeatability:g} is no share from 0 to 0.5")
    if not 0 <= told.floor < told.ceiling:
        said.append(f"describe(): the floor {told.floor:g} is not below the ceiling {told.ceiling:g}")
    if told.absolute < 0:
        said.append("describe(): the absolute part of the noise is negative")
    if meter.describe() != told:
        said.append("describe(): asked twice it says two things")
    bright, dark = told.exposure_s(100.0), told.exposure_s(0.01)
    if not 0 <= bright <= dark < math.inf:
        said.append(f"describe(): {bright:g} s for a reading in the light and {dark:g} s in the dark are no times")
    said += _ends(meter)
    if show is None:
        reading, problem = _read(meter)
        return said + problem + _sound(reading)
    show(WHITE)
    whites = []
    for _ in range(READS):
        reading, problem = _read(meter)
        said += problem + _sound(reading)
        if reading is not None:
            whites.append(reading.XYZ[1])
    if len(whites) == READS:
        middle = sorted(whites)[READS // 2]
        spread = (max(whites) - min(whites)) / middle if middle > 0 else math.inf
        # Eight readings of a normal distribution lie within 6 standard deviations but once in many thousand times.
        if spread > 6 * math.hypot(told.repeatability, told.absolute / middle if middle > 0 else 0) + 0.01:
            said.append(f"read(): white repeats within {100 * spread:.1f} %, more than it says of itself")
        show(BLACK)
        reading, problem = _read(meter)
        said += problem
        if reading is not None and reading.XYZ[1] > middle / 2:
            said.append("read(): black is as bright as white; it does not read what is shown")
    return list(dict.fromkeys(said))


def _ends(meter: Meter) -> list[str]:
    """Whether a reading that nobody wants ends without one."""
    try:
        meter.read(Cancel(lambda: True))
    except EndedError:
        return []
    except Exception as e:
        return [f"read(): ended, it gives {type(e).__name__} rather than EndedError"]
    return ["read(): it goes on where the reading is not wanted any more"]


def _read(meter: Meter) -> tuple[MeterReading | None, list[str]]:
    try:
        return meter.read(), []
    except (BelowFloorError, SaturatedError):
        return None, []
    except InstrumentError as e:
        return None, [] if e.advice and str(e) else [f"read(): {type(e).__name__} says not what to do"]
    except Exception as e:
        return None, [f"read(): {type(e).__name__} is no error of an instrument"]


def _sound(reading: MeterReading | None) -> list[str]:
    if reading is None:
        return []
    said = []
    if len(reading.XYZ) != 3 or not all(math.isfinite(v) for v in reading.XYZ):
        said.append(f"read(): {reading.XYZ!r} is not three numbers; what is none is an error")
    if not (math.isfinite(reading.exposure_s) and reading.exposure_s >= 0):
        said.append(f"read(): {reading.exposure_s!r} s is no time")
    return said


def check_source(source: PatchSource) -> list[str]:
    """What a patch source does not keep: it takes a signal format or refuses it, and shows every signal there is, one after
    the other."""
    said = []
    for format in (SignalFormat(), SignalFormat("sdr", "limited", 10), SignalFormat("sdr", "full", 16)):
        try:
            source.configure(format)
        except RefusedError as e:
            if not str(e):
                said.append(f"configure({format.words}) is refused without a reason")
        except Exception as e:
            said.append(f"configure({format.words}): {type(e).__name__} is no error of an instrument")
    for patch in (WHITE, BLACK, Patch((0.5, 0.2, 0.9), 0.02), Patch((0.25,) * 3, 1.0, zone=(0, 0, 3, 3))):
        try:
            source.show(patch)
        except InstrumentError as e:
            if not e.advice:
                said.append(f"show(): {type(e).__name__} says not what to do")
        except Exception as e:
            said.append(f"show({patch.code}): {type(e).__name__} is no error of an instrument")
    return said


def _stands(entered: Entered, mode: str, control: str, value: ControlValue) -> list[str]:
    try:
        entered.check(Wanted(mode, {control: value}))
    except InstrumentError as e:
        return [f"enter(): {e}"]
    return [] if control in entered.values else [f"enter(): it says not what {control} is"]


def check_remote(remote: UnitRemote, mode: str, control: str, value: ControlValue, other: ControlValue) -> list[str]:
    """What a remote does not keep: it enters a state and says what stands there, takes
    two values of a free control, and refuses what there is not."""
    said = []
    try:
        entered = remote.enter(Wanted(mode, {control: other}))
        said += _stands(entered, mode, control, other)
        for v in (value, other, other, value):
            remote.apply(control, v)
        said += _stands(remote.enter(Wanted(mode, {control: value})), mode, control, value)
    except Exception as e:
        said.append(f"enter() and apply(): {type(e).__name__} where all is in order: {e}")
    wrong: tuple[tuple[str, Callable[[], object]], ...] = (
        ("a mode that there is not", lambda: remote.enter(Wanted("no such mode, surely", {}))),
        ("a control that there is not", lambda: remote.apply("no such control, surely", 1)),
        ("a value that there is not", lambda: remote.apply(control, "no such value, surely")),
    )
    for what, act in wrong:
        try:
            act()
        except RefusedError as e:
            if not str(e):
                said.append(f"{what} is refused without a reason")
        except Exception as e:
            said.append(f"{what} gives {type(e).__name__} rather than RefusedError")
        else:
            said.append(f"{what} is taken as if there were such")
    return said
