"""Planning a run: which patches, in which order, and how long it takes."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

from lumenar.bench.panel_timing import (
    CLEAR_S,
    FIRST_RESTS,
    LEVEL_S,
    MOVE_S,
    SETUP_S,
    SIGNATURE,
    WHITES,
    PanelTiming,
    settling,
)
from lumenar.core.measurements import MEASUREMENTS, Context
from lumenar.core.readings.patches import Patch


@dataclass(frozen=True)
class Cell:
    """One cell of the Board: a setup (by its number in the store) and a measurement."""

    setup: int
    measurement: str


@dataclass(frozen=True)
class PlannedPatch:
    """One patch of a plan, with the measurements that use its reading and the bench time it takes in s."""

    setup: int
    patch: Patch
    measurements: tuple[str, ...]
    seconds: float


@dataclass(frozen=True)
class Plan:
    """Patches in the order they will be read. `asked` counts them before sharing, `seconds` is bench time."""

    patches: tuple[PlannedPatch, ...]
    asked: int
    seconds: float
    saved_seconds: float


def _kind(patch: Patch, window: float) -> int:
    """Which part of a setup's run a patch belongs to; parts follow one another."""
    if patch.level is not None:
        return 6
    if patch.reads != "XYZ":
        return 5
    if patch.at_s is not None:
        return 4
    if patch.zone is not None:
        return 3
    if patch.pattern != "window":
        return 2
    return 0 if patch.window == window else 1


def _ordered(patches: Sequence[Patch], habits: PanelTiming) -> list[Patch]:
    """Plain patches bright before dark, or bright and dark in turn where the panel needs rest; then other windows and
    patterns; then zone by zone as the measurement gives them, so that the meter is moved least; then what is held, in its
    own time; then other instruments; ladders last, level by level, so that the control is moved least."""
    windows = [p.window for p in patches if _kind(p, p.window) == 0]
    usual = max(set(windows), key=windows.count) if windows else 0.1
    parts: dict[int, list[Patch]] = {k: [] for k in range(7)}
    for patch in patches:
        parts[_kind(patch, usual)].append(patch)
    parts[0].sort(key=lambda p: -sum(p.rgb))
    if habits.rest_every:
        bright, dark = parts[0][: (len(parts[0]) + 1) // 2], parts[0][(len(parts[0]) + 1) // 2 :]
        parts[0] = [p for pair in zip(bright, dark[::-1], strict=False) for p in pair] + bright[len(dark) :]
    parts[1].sort(key=lambda p: p.window)
    parts[4].sort(key=lambda p: (p.repeat, p.window, p.at_s or 0))
    parts[6].sort(key=lambda p: (-(p.level or 0), p.reads, -sum(p.rgb)))
    # The luminance control's ladder before what loads the panel: after whole screens and holds it would be read too dim.
    return [p for k in (0, 6, 1, 2, 3, 4, 5) for p in parts[k]]


def is_free(patch: Patch) -> bool:
    """Whether rests and reference whites may come before a patch: not in ladders, holds and zones."""
    return patch.level is None and patch.at_s is None and patch.zone is None


def recovery_s(habits: PanelTiming) -> float:
    """How long a panel that needs rests gets to recover from what was held."""
    return 10 * habits.rest_s


def begins_hold(patch: Patch, before: Patch | None) -> bool:
    """Whether a patch that is held is another picture than the one before."""
    if patch.at_s is None:
        return False
    return before is None or before.at_s is None or replace(before, at_s=None) != replace(patch, at_s=None)


def part_of(patch: Patch) -> str:
    """Which part without rests and reference whites a patch belongs to, empty for none."""
    if patch.level is not None:
        return "ladder"
    return "hold" if patch.at_s is not None else "zones" if patch.zone is not None else ""


def plan_run(
    cells: Sequence[Cell],
    context: Callable[[int], Context],
    habits: PanelTiming,
    expected_s: Callable[[int, Sequence[Patch]], Sequence[float]],
) -> Plan:
    """The plan for cells, grouped by setup in the order given; patches that several measurements share in one setup are
    read once. context: what a setup's patches depend on; expected_s: reading times of patches in s."""
    planned: list[PlannedPatch] = []
    asked, saved = 0, 0.0
    for setup in dict.fromkeys(c.setup for c in cells):
        shared: dict[Patch, list[str]] = {}
        for cell in cells:
            if cell.setup != setup:
                continue
            for patch in dict.fromkeys(MEASUREMENTS[cell.measurement].patches(context(setup))):
                shared.setdefault(patch, []).append(cell.measurement)
        every = list(dict.fromkeys([*shared, *SIGNATURE]))
        expected = dict(zip(every, expected_s(setup, every), strict=True))
        for patch, users in shared.items():
            asked += len(users)
            saved += (len(users) - 1) * (habits.settle_s + expected[patch])
        order = _ordered(list(shared), habits)
        times = _times(order, habits, expected)
        planned += [PlannedPatch(setup, p, tuple(shared[p]), t) for p, t in zip(order, times, strict=True)]
    return Plan(tuple(planned), asked, sum(p.seconds for p in planned), saved)


def _times(order: Sequence[Patch], habits: PanelTiming, expected: Mapping[Patch, float]) -> list[float]:
    """Bench time of each patch of a setup, with all that the runner does before it; it follows the runner's own rules."""
    seconds: list[float] = []
    before: Patch | None = None
    level: float | None = None
    zone: tuple[int, int, int, int] | None = None
    since_rest, since_reference, unwatched = 0, 0.0, False
    for patch in order:
        spent = 0.0
        if before is None:
            spent += (
                SETUP_S
                + max(CLEAR_S, FIRST_RESTS * habits.rest_s)
                + sum(habits.settle_s + habits.large_step_s * 0.5 + expected[p] for p in SIGNATURE)
                + (WHITES - 1) * (habits.settle_s + expected[SIGNATURE[0]])
            )
        if before is not None and part_of(before) and part_of(patch) != part_of(before) and habits.reference_every_s:
            spent += habits.large_step_s * 0.5 + WHITES * (habits.settle_s + expected[SIGNATURE[0]])
            spent += recovery_s(habits) if habits.rest_every else 0.0
            since_reference = 0.0
        if habits.rest_every and begins_hold(patch, before):
            spent += recovery_s(habits)
        if patch.level != level:
            spent, level = spent + LEVEL_S, patch.level
        if patch.zone != zone:
            spent, zone = spent + MOVE_S, patch.zone
        if is_free(patch):
            if habits.rest_every and since_rest >= habits.rest_every:
                spent, since_rest = spent + habits.rest_s, 0
            if habits.reference_every_s and since_reference >= habits.reference_every_s:
                spent += habits.large_step_s * 0.5 + WHITES * (habits.settle_s + expected[SIGNATURE[0]])
                since_reference = 0.0
            since_rest += 1
        if patch.at_s:
            # Held on from the reading before: the next one comes when its time has.
            spent += patch.at_s if before is None or begins_hold(patch, before) else patch.at_s - (before.at_s or 0.0)
        else:
            spent += settling(habits, before, patch) + expected[patch]
        seconds.append(spent)
        since_reference += spent
        unwatched = is_free(patch) or (unwatched and not part_of(patch))
        before = patch
    if seconds and unwatched and habits.reference_every_s:
        seconds[-1] += habits.large_step_s * 0.5 + WHITES * (habits.settle_s + expected[SIGNATURE[0]])
    return seconds
