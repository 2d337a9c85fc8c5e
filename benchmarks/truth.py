"""Whether intervals hold what they promise: random displays surveyed by noisy meters, against their noise-free light.

    make truth                  1200 surveys and 200 of HDR, a quarter of an hour on two cores
    python -m benchmarks.truth 80 --only uniformity

Each survey makes a display of its own, corrects the working meter for it as the bench does, carries every measurement out by
the real runner, and compares each figure's 95 % interval with the figure of the same patches on the rested, warm display
without any noise. Of a hold, whose subject is the display's own drift, the truth is the same run without noise. Half of the
displays are warmed up by the bench first. A score is compared with that of the true figures. Of where a mode for PQ leaves the
curve and where it ends, the truth is that of every code there is.
"""

from __future__ import annotations

import argparse
import os
import sys
import time
from collections import defaultdict
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace

import numpy as np

from lumenar.app.figures.loading import correction_key, left_to_warm, uncorrected
from lumenar.app.instruments.correction_series import SERIES, as_series, read_colour
from lumenar.app.rubric_files import load_rubric
from lumenar.bench.panel_timing import PANEL_TIMINGS, SIGNATURE
from lumenar.bench.plan import Cell, plan_run
from lumenar.bench.ports import SaturatedError
from lumenar.bench.runner import Runner
from lumenar.bench.runner_port import RunnerStep, SetupState
from lumenar.bench.simulated.assemble import simulated_bench
from lumenar.bench.simulated.clock import SimulatedClock
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.bench.simulated.meter import COLORIMETER, SimulatedColorimeter
from lumenar.bench.simulated.unit_file import UnitFile
from lumenar.core.analysis import COUNTS, Analysis, analyse
from lumenar.core.colour import correction
from lumenar.core.colour.transfer import pq, pq_inverse
from lumenar.core.measurements import MEASUREMENTS, Context, MissingPatchError
from lumenar.core.readings.collecting import collect
from lumenar.core.readings.meter_limits import MeterLimits
from lumenar.core.readings.patches import Patch
from lumenar.core.readings.readings import Readings
from lumenar.core.scoring.rubric import Rule
from lumenar.core.scoring.score import score
from lumenar.core.targets import TARGETS
from lumenar.core.uncertainty import DRAWS

WITHOUT = ("modulation", "blue_light")
"""What has no draws, as its readings carry no repeatability of their own."""
COUNTED = ("_index", "_steps", "additive", "undecidable", "_level_percent", "first_visible_percent", "_hue_deg")
"""Figures that are counts, classes or places: their intervals are of whole numbers, and no share of them is promised."""
START_S = 40_000.0
"""Bench time at which a display is warm."""
RUBRIC = load_rubric()


def display(seed: int, hdr: bool = False) -> UnitFile:
    """A random display: emissive, backlit or projected, with its own spectra, curve, gamut, and faults. hdr: its mode is one for
    PQ."""
    rng = np.random.default_rng([seed, 11])
    panel = str(rng.choice(["lcd", "oled", "projector"]))
    oled = panel == "oled"

    def band(centre: float, spread: float) -> list[dict[str, float]]:
        return [{"peak_nm": float(rng.normal(centre, spread)), "width_nm": float(rng.uniform(18, 55))}]

    gains = rng.uniform(0.9, 1.0, 3)
    mode = {
        "name": "Only",
        "target": str(rng.choice([k for k, t in TARGETS.items() if t.signal == "sdr"])),
        "gamma": float(rng.uniform(1.9, 2.5)),
        "saturation": float(rng.uniform(0.85, 1.15)),
        "white_gains": (gains / gains.max()).tolist(),
    }
    if rng.uniform() < 0.5:
        mode["clamp"] = str(rng.choice(["bt709", "p3_d65"]))
    if rng.uniform() < 0.3:
        mode["curve_table"] = [
            [0, 0],
            [0.05, float(rng.uniform(0.02, 0.07))],
            [0.1, float(rng.uniform(0.08, 0.12))],
            [1, 1],
        ]
    if hdr:
        mode = {
            "name": "Only",
            "signal": "pq",
            "defaults": {"Light": 100},
            **tone_mapped(np.random.default_rng([seed, 2084])),
        }
    behaviour = {
        "edge_falloff": float(rng.uniform(0, 0.25)),
        "corner_tint": rng.normal(0, 0.02, 3).tolist(),
        "dark_clouds": float(rng.uniform(0, 0.2)),
        "load_depth": float(rng.uniform(0, 0.05)) if oled else 0.0,
        "load_tau_s": float(rng.uniform(20, 90)),
        "warm_up_depth": float(rng.uniform(0, 0.03)),
        "bloom": float(rng.uniform(0, 0.01)),
        "white_subpixel": float(rng.uniform(0, 0.3)) if rng.uniform() < 0.2 else 0.0,
        "area_limit": [[0, 1], [0.2, 1], [1, float(rng.uniform(0.5, 1))]] if oled else [],
    }
    leakage = 0.0 if oled and rng.uniform() < 0.6 else float(10 ** rng.uniform(-4, -2.6))
    light = {
        "red": band(628, 8), "green": band(533, 8), "blue": band(457, 6),
        "peak_cd_m2": float(10 ** rng.uniform(1.9, 3.1)), "native_white_xy": rng.normal([0.309, 0.325], 0.008).tolist(),
        "leakage": leakage, "panel_bits": 14, "input_bits": 10 if hdr else int(rng.choice([8, 10])),
    }  # fmt: skip
    top = 100.0
    control = {
        "path": "Light", "kind": "slider", "default": 80, "role": "luminance", "effect": "luminance",
        "table": [[0, 0.1], [50, float(rng.uniform(0.3, 0.6))], [top, 1.0]],
    }  # fmt: skip
    return UnitFile.model_validate(
        {
            "format": "lumenar-unit", "version": 1, "maker": "Random", "model": f"{seed}", "serial": "1", "firmware": "1",
            "kind": "monitor", "panel": panel, "size_inch": 27, "pixels": [2560, 1440], "seed": seed, "light": light,
            "behaviour": behaviour, "controls": [control], "modes": [mode],
        }
    )  # fmt: skip


def tone_mapped(rng: np.random.Generator) -> dict[str, object]:
    """A random mode for PQ: its peak, how it gets there, what it bends, and how the panel tires."""
    tone_map: dict[str, object] = {
        "kind": str(rng.choice(["clip", "rolloff"])), "mastering_cd_m2": float(rng.choice([1000, 4000, 10000])),
        "gain": float(np.exp(rng.uniform(np.log(1), np.log(4)))),
        "area_limit": [[0, 1], [0.1, float(rng.uniform(0.8, 1))], [1, float(rng.uniform(0.25, 0.75))]],
        "desaturate": float(rng.uniform(0, 0.3)),
    }  # fmt: skip
    if rng.uniform() < 0.4:
        tone_map["table"] = [
            [0, 0],
            [0.3, float(rng.uniform(0.29, 0.33))],
            [0.6, float(rng.uniform(0.58, 0.63))],
            [1, 1],
        ]
    return {"target": str(rng.choice(["bt2020_pq", "p3_d65_pq"])), "clamp": "p3_d65", "tone_map": tone_map}


def ends(file: UnitFile) -> dict[str, float]:
    """Where a mode for PQ leaves the curve and where nothing more comes, in % of code, from every code of ten bits."""
    unit = SimulatedUnit(calm_of(file))
    V = np.arange(1024) / 1023
    Y = []
    for v in V:
        patch = Patch((float(v),) * 3)
        unit.show(patch, START_S)
        Y.append((unit.seen(patch, START_S) @ unit.channel_XYZ)[1])
    light = np.array(Y)
    off = np.abs(light[1:] / pq(V[1:]) - 1) > 0.05
    # From the last code that is followed on.
    followed = np.flatnonzero(~off)
    knee = V[1] if not len(followed) else V[followed[-1] + 2] if followed[-1] + 2 < len(V) else np.nan
    return {"knee_percent": 100 * knee, "clip_percent": 100 * V[np.argmax(light >= 0.99 * light[-1])]}


def calm_of(file: UnitFile) -> UnitFile:
    """The display, rested and warm whatever is shown."""
    update = {"load_depth": 0.0, "warm_up_depth": 0.0}
    return file.model_copy(update={"behaviour": file.behaviour.model_copy(update=update)})


class StoppedError(Exception):
    """A run that stopped and waits for a person."""


class Notes:
    """A journal in memory."""

    def __init__(self, steps: list[RunnerStep]) -> None:
        self.steps, self.read, self.done = steps, [], 0
        self.rested: float | None = None
        self.whites: list[tuple[float, float]] = []
        self.warming: list[tuple[float, float]] = []
        self.states: list[tuple[str, str]] = []

    def next_step(self):
        return self.steps[self.done] if self.done < len(self.steps) else None

    def commit(self, step, outcome, reading, at_s, attempt=1):
        self.read.append((step.patch, outcome, reading, at_s))
        self.done += attempt == 1

    def watched(self, kind, setup, reading, at_s):
        (self.warming if kind == "warm_up" else self.whites).append((at_s, reading.XYZ[1]))

    def signed(self, setup, XYZ, changed, said):
        self.rested = XYZ[0][1]

    def warm(self, warm):
        pass

    def state(self, state, message):
        self.states.append((state, message))
        if state == "paused":
            # A benchmark cannot press Resume, so a paused run is stopped.
            raise StoppedError(message)

    def showing(self, step):
        pass


class Noiseless(SimulatedColorimeter):
    """Reads the light as it is."""

    def sense(self, light, stray, rng):
        return light @ self.unit.channel_XYZ, None


def corrected_meter(bench, file: UnitFile) -> tuple[np.ndarray, MeterLimits]:
    """The working meter's correction for the display, made as the bench makes it, and its limits."""
    series = []
    for meter in (bench.spectroradiometer, bench.meter):
        taken = [read_colour(bench, meter, name, PANEL_TIMINGS[file.panel].settle_s) for name in SERIES]
        series.append(as_series(taken, meter.describe()))
    matrix = correction.from_series(*series)
    key = correction_key(matrix)
    draws = correction.spread(*series, DRAWS, key)
    return matrix, replace(COLORIMETER.limits, correction_draws=draws, correction_key=key)


def carried_out(file: UnitFile, bench, patches: list[Patch], warm: bool = True) -> Notes:
    """The patches read by the real runner, which warms the display up before if it is not warm."""
    state = SetupState(1, "Only", "Only", file.defaults(file.modes[0]), "Light")
    notes = Notes([RunnerStep(i, state, p) for i, p in enumerate(patches)])
    if Runner(bench, notes, PANEL_TIMINGS[file.panel], warm_up=not warm, warm=warm).work() != "done":
        raise RuntimeError(str(notes.states[-1]))
    return notes


def true_readings(file: UnitFile, patches: list[Patch], limits: MeterLimits) -> Readings:
    """What a perfect meter reads of the rested, warm display."""
    unit = SimulatedUnit(calm_of(file))
    usual = float(file.defaults(file.modes[0])["Light"])
    XYZ = []
    for p in patches:
        unit.apply("Light", p.level if p.level is not None else usual)
        unit.show(p, START_S)
        XYZ.append(unit.seen(p, START_S) @ unit.channel_XYZ)
    # Nothing is too dark for a perfect meter.
    perfect = replace(limits, floor=0.0, absolute=0.0)
    found = collect(patches, np.array(XYZ), np.zeros(len(patches), bool), perfect)
    return replace(found, meter=limits, dim=np.zeros(len(found), bool), below_floor=np.zeros(len(found), bool))


def survey(
    seed: int, only: str | None, hdr: bool = False, corrected: bool = True
) -> list[tuple[str, str, float, float, float, float, float, bool]]:
    """Measurement, figure, truth, value, standard, low and high of every scalar figure of one survey, and whether it is a
    range, since black is no number."""
    file = display(seed, hdr)
    known = ends(file) if hdr and only in (None, "pq_tracking") else {}
    mode = file.modes[0]
    target = TARGETS[mode.target]
    # Half of the displays are just switched on.
    warm = seed % 2 == 0
    began = START_S if warm else 0.0
    bench = simulated_bench(file, SimulatedClock(start=began))
    bench.remote.select("Only")
    try:
        matrix, limits = corrected_meter(bench, file)
    except SaturatedError:
        # Brighter than the meter reads: the bench makes no correction there either.
        return []
    if not corrected:
        matrix, limits = None, uncorrected(COLORIMETER.limits, "colorimeter", "simulated", "", file.panel)
    context = Context(
        luminance_levels=file.luminance_levels(mode), target=target, bits=file.light.input_bits,
        grid=(5, 5) if seed % 3 == 0 else (3, 3), fine_black=seed % 4 == 0,
        top=float(pq_inverse(true_readings(file, [SIGNATURE[0]], limits).XYZ[0, 1])) if hdr else 1.0,
    )  # fmt: skip
    wanted = [
        m for m, x in MEASUREMENTS.items()
        if m not in WITHOUT and (m != "volume" or seed % 2 == 0) and only in (None, m) and mode.signal in x.signals
    ]  # fmt: skip
    plan = plan_run(
        [Cell(1, m) for m in wanted], lambda _: context, PANEL_TIMINGS[file.panel], lambda _, ps: [0.5] * len(ps)
    )
    patches = [p.patch for p in plan.patches]
    try:
        notes = carried_out(file, bench, patches, warm)
    except StoppedError:
        # Of some windows it is brighter than the meter reads.
        return []
    warmth = left_to_warm(True, notes.warming, notes.whites, limits.repeatability)
    rows = []
    found_by, true_by = {}, {}
    for m in wanted:
        own = set(MEASUREMENTS[m].patches(context))
        read = [r for r in notes.read if r[0] in own]
        noisy = collect(
            [r[0] for r in read],
            np.array([r[2].XYZ if r[2] else (np.nan,) * 3 for r in read]),
            np.array([r[1] == "below_floor" for r in read]),
            limits,
            np.array([r[3] for r in read]),
            matrices=[matrix] * len(read),
            cold=warmth.u,
            to_come=warmth.share,
        ).watched(notes.rested, notes.whites)
        if m in ("hold", "peak"):
            still = simulated_bench(file, SimulatedClock(start=began))
            still = replace(still, meter=Noiseless(still.remote, still.source, still.clock, seed))
            calm = carried_out(file, still, [p for p in patches if p in own], warm)
            truth = collect(
                [r[0] for r in calm.read],
                np.array([r[2].XYZ for r in calm.read]),
                np.zeros(len(calm.read), bool),
                limits,
            )
        else:
            truth = true_readings(file, sorted(own, key=repr), limits)
        try:
            found, true = analyse(m, noisy, target), analyse(m, truth, target, uncertain=False)
        except MissingPatchError:
            continue
        found_by[m], true_by[m] = found, true
        for key, u in found.uncertainty.items():
            t = known.get(key, true.scalar(key)) if m == "pq_tracking" else true.scalar(key)
            if m == "pq_tracking" and key in ("knee_cd_m2", "clip_cd_m2"):
                # The same places in other units.
                continue
            if t is not None and key not in COUNTS and found.scalar(key) is not None and u.standard > 0:
                rows.append((m, key, t, found.scalar(key), u.standard, u.low, u.high, key in found.range))
    return rows + scored(found_by, true_by, mode.signal)


def scored(found: dict[str, Analysis], true: dict[str, Analysis], signal: str) -> list[tuple]:
    """Rows as of `survey` for the score of every purpose, by the figures that both sets of analyses have."""
    rows = []
    for purpose in RUBRIC.purposes.values():
        weights = {
            f: w for f, w in purpose.weights.items()
            if purpose.signal == signal and has(RUBRIC.rules[f], found) and has(RUBRIC.rules[f], true)
        }  # fmt: skip
        if sum(weights.values()) < 0.5 * sum(purpose.weights.values()):
            continue
        only = replace(purpose, weights=weights, core=())
        a, b = (score(RUBRIC, only, analyses) for analyses in (found, true))
        if a.value is not None and b.value is not None:
            half = (a.high - a.low) / 2
            rows.append(
                ("score", purpose.key, b.value, a.value, max(half / 1.96, 1e-9), a.low, a.high, a.open_high > 0)
            )
    return rows


def has(rule: Rule, analyses: dict[str, Analysis]) -> bool:
    """Whether a rule's figure is among the analyses, as it is or as a bound; an endless contrast counts as very large."""
    for figure in filter(None, (rule.figure, rule.instead)):
        measurement, key = figure.split(".")
        analysis = analyses.get(measurement)
        if analysis is not None and key in analysis.figures and np.isposinf(analysis.figures[key]):
            analysis.figures[key] = np.array(1e12)
        if analysis is not None and analysis.scalar(key) is not None:
            return True
    return False


def within(
    key: str, truth: np.ndarray, value: np.ndarray, standard: np.ndarray, ranges: np.ndarray
) -> np.ndarray:  # fmt: skip
    """Mask (n,) of the surveys by which a figure's bias is judged: those whose truth is not at an end of what the figure can
    be. No drop at all shows as some, a display that is steady cannot show more than 100 %, and an interval that holds such a
    truth reaches to one side only. At an end is what lies within two stated deviations of nothing, of a figure that is never
    negative, or of 100 %, of one that is never more; and what depends on a black under the floor of the meter, which is given
    as a range, an end of which is a display that leaks no light."""
    far = ~ranges
    if value.min() >= 0:
        far &= truth > 2 * standard
    if key.endswith("_percent") and max(value.max(), truth.max()) <= 100 + 1e-6:
        far &= truth < 100 - 2 * standard
    return far


def table(rows: list[tuple[str, str, float, float, float, float, float, bool]]) -> list[str]:
    """Coverage, bias of the value and of the interval's middle in standard deviations, for each figure."""
    shown = {(m.key, c.figure) for m in MEASUREMENTS.values() for c in m.columns}
    by_key: dict[tuple[str, str], list[tuple[float, ...]]] = defaultdict(list)
    for m, key, *numbers in rows:
        by_key[m, key].append(tuple(numbers))
    lines = [f"{'figure':58s} {'n':>4s} {'covered':>8s} {'value':>7s} {'middle':>7s} {'scatter':>8s}"]
    lines.append(f"{'':58s} {'':>4s} {'%':>8s} {'bias/s':>7s} {'bias/s':>7s} {'/stated':>8s}")
    board, other, scores = [], [], []
    for (m, key), found in sorted(by_key.items()):
        truth, value, standard, low, high = np.array(found, float).T[:5]
        ranges = np.array([f[5] for f in found], bool)
        covered = 100 * np.mean((low <= truth + 1e-9) & (truth <= high + 1e-9))
        inner = within(key, truth, value, standard, ranges)
        if not inner.any():
            inner = np.ones(len(truth), bool)
        bias = np.median(((value - truth) / standard)[inner])
        middle = np.median(((np.where(np.isfinite(high), (low + high) / 2, value) - truth) / standard)[inner])
        scatter = np.sqrt(np.median(((value - truth) / standard) ** 2)) / 0.6745
        counted = key.endswith(COUNTED) or within(key, truth, value, standard, ranges).sum() < 40
        on_board = (m, key) in shown
        if not counted:
            (scores if m == "score" else board if on_board else other).append((covered, middle))
        mark = "·" if counted else "*" if on_board else " "
        lines.append(
            f"{mark}{m + '.' + key:57s} {len(found):4d} {covered:8.1f} {bias:7.2f} {middle:7.2f} {scatter:8.2f}"
        )
    for name, which, lowest, highest in (
        ("Board figures", board, 93, 97), ("other scalars", other, 90, 99), ("scores", scores, 93, 97),
    ):  # fmt: skip
        if not which:
            continue
        good = sum(lowest <= c <= highest for c, _ in which)
        # Of a score by its half width, which is 1.96 standard deviations.
        straight = sum(abs(b) <= (0.3 * 1.96 if which is scores else 0.3) for _, b in which)
        lines.append(
            f"{name}: {good} of {len(which)} covered in {lowest}..{highest} %, {straight} with a bias within 0.3; all together"
            f" {np.mean([c for c, _ in which]):.1f} %"
        )
    lines.append(
        "* on the Board, · a count, class or place, or seen fewer than 40 times: no share of these is promised. Bias is judged"
        " where the truth is not at an end of what the figure can be."
    )
    return lines


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("surveys", type=int, nargs="?", default=1200)
    parser.add_argument("--hdr", type=int, metavar="SURVEYS", help="as many of displays for PQ (default: a sixth)")
    parser.add_argument("--only", metavar="MEASUREMENT")
    parser.add_argument(
        "--uncorrected", type=int, default=None, metavar="SURVEYS", help="as many without a correction (a tenth)"
    )
    options = parser.parse_args()
    start = time.monotonic()
    kinds = [
        ("", False, True, options.surveys),
        (" of HDR", True, True, options.surveys // 6 if options.hdr is None else options.hdr),
        (" without a correction", False, False, options.surveys // 10 if options.uncorrected is None else options.uncorrected),
    ]  # fmt: skip
    with ProcessPoolExecutor(len(os.sched_getaffinity(0))) as pool:
        for name, hdr, corrected, count in kinds:
            rows = []
            seeds = range(1, count + 1)
            for found in pool.map(
                survey, seeds, [options.only] * count, [hdr] * count, [corrected] * count, chunksize=4
            ):
                rows += found
            if rows:
                said = f"{count} surveys{name} after {time.monotonic() - start:.0f} s"
                sys.stdout.write("\n".join(table(rows)) + f"\n{said}\n")


if __name__ == "__main__":
    main()
