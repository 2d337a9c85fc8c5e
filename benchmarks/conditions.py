"""How experiments under conditions do: a feature that does nothing and one that takes 3 % of the light, in three lights, on the
simulated bench with its noise, drift and stray light.

python -m benchmarks.conditions [REPEATS]
"""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from importlib.resources import files

import numpy as np

from lumenar.bench.habits import CLEAR_S, HABITS, REST, settling
from lumenar.bench.ports import BelowFloorError, Bench, RefusedError, Wanted
from lumenar.bench.simulated.assemble import simulated_bench
from lumenar.bench.simulated.clock import SimulatedClock
from lumenar.bench.simulated.unit_file import UnitFile
from lumenar.core.experiments.base import StageRead
from lumenar.core.experiments.conditions import Conditions, Factor, LightState
from lumenar.core.experiments.tested import PLACES
from lumenar.core.readings import Patch
from lumenar.core.tuning.base import Noise

UNITS = {"carrow-meridian-65": "Reel", "ostrel-fen-32": "Studio", "tessary-pell-6": "Faithful"}
LIGHTS = (LightState("dark", 0.0), LightState("lamp", 50.0), LightState("daylight", 500.0))
DIMS, NOTHING = "Room > Dims", "Room > Nothing"
SHARE = 0.03
SENSOR_S = 10.0


def unit(name: str, seed: int) -> UnitFile:
    """A demonstration display with two features: one takes 3 % of the light at `high` and half of that at `low`, one nothing."""
    document = json.loads((files("lumenar.demo") / f"units/{name}.json").read_text())
    switch = {"kind": "switch", "default": "off", "scope": "unit", "path": NOTHING}
    choice = {"kind": "choice", "choices": ["off", "low", "high"], "default": "off", "scope": "unit", "path": DIMS}
    document["controls"] += [switch, choice]
    document["features"] = [
        {"control": DIMS, "strength": {"low": 0.5, "high": 1.0}, "light": -SHARE},
        {"control": NOTHING},
    ]
    document["seed"] = seed
    return UnitFile.model_validate(document)


def read(bench: Bench, patches: Sequence[Patch], panel: str) -> np.ndarray:
    """XYZ (n, 3) of patches as the bench reads them."""
    habits, XYZ, before = HABITS[panel], [], None
    for patch in patches:
        bench.source.show(patch)
        bench.clock.sleep(settling(habits, before, patch) + habits.rest_s)
        before = patch
        try:
            XYZ.append(bench.meter.read().XYZ)
        except BelowFloorError:
            XYZ.append((np.nan,) * 3)
    return np.array(XYZ, float)


def carried_out(x: Conditions, file: UnitFile, seed: int) -> list[StageRead]:
    """The experiment on the simulated bench."""
    bench = simulated_bench(file, SimulatedClock(start=3600.0), seed, ideal=True)
    bench.remote.enter(Wanted(x.mode, {}))
    reads = []
    for stage in x.stages:
        bench.source.show(REST)
        for act in stage.acts:
            try:
                if act.kind == "light":
                    bench.room.light(float(act.value))  # type: ignore[union-attr]
                    bench.clock.sleep(SENSOR_S)
                elif act.kind == "power":
                    bench.remote.power(act.value == "on")  # type: ignore[attr-defined]
                elif act.kind == "mode":
                    bench.remote.select(str(act.value))  # type: ignore[attr-defined]
                else:
                    bench.remote.apply(act.path, act.value)
            except RefusedError as e:
                raise SystemExit(f"{act.words}: {e}") from e
        bench.clock.sleep(CLEAR_S)
        reads.append(StageRead(read(bench, stage.patches, file.panel)))
    return reads


@dataclass(frozen=True)
class Outcome:
    """One experiment: whether anything was said of what does nothing, whether each 3 % was found, and by figure how many
    intervals held the truth, of how many."""

    alarm: bool
    found: bool
    held: dict[str, tuple[int, int]]
    seconds: float


def once(name: str, seed: int, baselines: int) -> Outcome:
    """One repeat."""
    file = unit(name, seed)
    factors = (Factor(DIMS, ("off", "low", "high")), Factor(NOTHING, ("off", "on")))
    begun = time.perf_counter()
    x = Conditions(UNITS[name], "sdr", {}, LIGHTS, factors, Noise(0.001, 0.0003), baselines, seed)
    e = x.explain(carried_out(x, file, seed))
    held: dict[str, tuple[int, int]] = {}
    alarm, found = False, True
    for s in e.states:
        share = SHARE * (0.0, 0.5, 1.0)[s.key[1]]
        for f, t in s.tests.items():
            if len(PLACES[f]) > 1 or f == "black":
                alarm |= t.measurable
                continue
            true = -100 * share if f == "luminance" else 0.0
            inside, count = held.get(f, (0, 0))
            held[f] = inside + (t.low <= true <= t.high), count + 1
            alarm |= t.measurable and not (f == "luminance" and share)
        if s.key[1] == 2:
            found &= s.tests["luminance"].measurable
    return Outcome(alarm, found, held, time.perf_counter() - begun)


def main() -> None:
    """Print the table."""
    repeats = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    say = sys.stdout.write
    say(f"{repeats} experiments each: two features in three lights, 17 states\n")
    say(f"{'display, baselines':<34}{'nothing called so':<20}{'3 % found':<12}intervals that hold the truth\n")
    with ProcessPoolExecutor() as pool:
        for name in UNITS:
            for baselines in (6, 9):
                seeds = range(1, repeats + 1)
                made = list(pool.map(once, [name] * repeats, seeds, [baselines] * repeats, chunksize=4))
                quiet = sum(not o.alarm for o in made)
                told = sum(o.found for o in made)
                rates = {f: sum(o.held[f][0] for o in made) / sum(o.held[f][1] for o in made) for f in made[0].held}
                words = ", ".join(f"{f} {100 * r:.1f}" for f, r in rates.items())
                say(f"{f'{name}, {baselines}':<34}{f'{quiet} of {repeats}':<20}{f'{told} of {repeats}':<12}{words}\n")
    say(f"the slowest took {max(o.seconds for o in made):.1f} s\n")


if __name__ == "__main__":
    main()
