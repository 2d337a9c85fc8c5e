"""How experiments do on the simulated bench with its noise, drift and stray light: a feature that does nothing and one that takes
3 % of the light, in three lights; and what HDR modes make of metadata and of the SDR mode before them.

python -m benchmarks.conditions [REPEATS]
"""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from importlib.resources import files

import numpy as np

from lumenar.bench.panel_timing import CLEAR_S, PANEL_TIMINGS, REST, settling
from lumenar.bench.ports import BelowFloorError, Bench
from lumenar.bench.simulated.assemble import simulated_bench
from lumenar.bench.simulated.clock import SimulatedClock
from lumenar.bench.simulated.unit_file import UnitFile
from lumenar.core.experiments.base import Stage, StageRead
from lumenar.core.experiments.conditions import Conditions, Factor, LightState
from lumenar.core.experiments.hdr_modes import CarryOver, SameModes
from lumenar.core.experiments.metadata import MetadataResponse, sent_as
from lumenar.core.experiments.significance import PLACES
from lumenar.core.readings.patches import Patch
from lumenar.core.signals import SignalFormat
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
    habits, XYZ, before = PANEL_TIMINGS[panel], [], None
    for patch in patches:
        bench.source.show(patch)
        bench.clock.sleep(settling(habits, before, patch) + habits.rest_s)
        before = patch
        try:
            XYZ.append(bench.meter.read().XYZ)
        except BelowFloorError:
            XYZ.append((np.nan,) * 3)
    return np.array(XYZ, float)


def carried_out(
    stages: Sequence[Stage], file: UnitFile, seed: int, format: SignalFormat | None = None
) -> list[StageRead]:
    """The stages of an experiment on the simulated bench. format: what is sent; None where that plays no part."""
    bench = simulated_bench(file, SimulatedClock(start=3600.0), seed, ideal=True)
    sent = format or SignalFormat()
    if format is not None:
        bench.source.configure(format)
    reads = []
    for stage in stages:
        bench.source.show(REST)
        for act in stage.acts:
            if act.kind == "light":
                bench.room.light(float(act.value))  # type: ignore[union-attr]
                bench.clock.sleep(SENSOR_S)
            elif act.kind == "power":
                bench.remote.power(act.value == "on")  # type: ignore[attr-defined]
            elif act.kind == "signal":
                bench.source.configure(replace(sent, transfer=act.value))  # type: ignore[arg-type]
            elif act.kind == "metadata":
                bench.source.configure(replace(sent, metadata=sent_as(str(act.value))))
            elif act.kind == "mode":
                bench.remote.select(str(act.value))  # type: ignore[attr-defined]
            else:
                bench.remote.apply(act.path, act.value)
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
    e = x.explain(carried_out(x.stages, file, seed))
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


KINDS = ("obeyed", "ignored", "maxcll")
SAID = {
    "obeyed": "goes by the mastering peak and not",
    "ignored": "ignores metadata",
    "maxcll": "goes by MaxCLL and not",
}
PQ = SignalFormat("pq", "limited", 10)


def hdr_unit(seed: int) -> tuple[UnitFile, str, str]:
    """A television whose first HDR mode treats metadata in one of three ways, has a twin, and into which an SDR mode leaks or
    none does; with the way and the name of the mode that leaks, empty where none does."""
    rng = np.random.default_rng([seed, 41])
    document = json.loads((files("lumenar.demo") / "units/carrow-meridian-65.json").read_text())
    kind = KINDS[seed % 3]
    hdr = next(m for m in document["modes"] if m["name"] == "Reel HDR")
    hdr["tone_map"] |= {"kind": "rolloff", "metadata": kind, "gain": float(rng.uniform(1.2, 2.2))}
    document["modes"].append({**hdr, "name": "Show HDR"})
    sdr = [m["name"] for m in document["modes"] if m.get("signal", "sdr") == "sdr"]
    leaky = str(rng.choice(sdr)) if seed % 2 else ""
    leak = {"clamp": "bt709"} if seed % 4 == 1 else {"light": -float(rng.uniform(0.03, 0.3))}
    document["leaks"] = [{"mode": leaky, **leak}] if leaky else []
    document["seed"] = seed
    return UnitFile.model_validate(document), kind, leaky


def hdr_once(seed: int) -> tuple[str, str, bool, bool]:
    """How metadata behave and what was said of it; whether the leak, or that there is none, was told; whether the twin was."""
    file, kind, leaky = hdr_unit(seed)
    noise = Noise(0.001, 0.0003)
    metadata = MetadataResponse("Reel HDR", "pq", noise)
    said = metadata.conclude(carried_out(metadata.stages, file, seed, PQ)).sentence
    sdr = tuple(m.name for m in file.modes if m.signal == "sdr")
    carry = CarryOver(sdr, "Reel HDR", "pq", noise)
    leak = carry.conclude(carried_out(carry.stages, file, seed + 1, PQ)).sentence
    told = leak.startswith(f"{leaky} shows in") if leaky else "is the same whichever" in leak
    pq = tuple(m.name for m in file.modes if m.signal == "pq")
    alike = SameModes(pq, "pq", noise)
    same = alike.conclude(carried_out(alike.stages, file, seed + 2, PQ)).sentence
    return kind, said, told, same.startswith("Reel HDR and Show HDR are the same. ")


def hdr_modes(pool: ProcessPoolExecutor, units: int) -> None:
    """Metadata behaviour, leaks and equivalent modes of random televisions."""
    made = list(pool.map(hdr_once, range(1, units + 1), chunksize=2))
    right = sum(SAID[kind] in said for kind, said, _, _ in made)
    blind = [said for kind, said, _, _ in made if kind == "ignored"]
    say = sys.stdout.write
    say(f"{units} televisions: what a mode makes of metadata told right {right}; ")
    say(f"of {len(blind)} that ignore them, called obedient {sum('goes by' in s for s in blind)}; ")
    say(
        f"leak, or that there is none, told {sum(t for _, _, t, _ in made)}; twin modes told {sum(s for *_, s in made)}\n"
    )


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
        say(f"the slowest took {max(o.seconds for o in made):.1f} s\n\n")
        hdr_modes(pool, max(40, repeats // 2))


if __name__ == "__main__":
    main()
