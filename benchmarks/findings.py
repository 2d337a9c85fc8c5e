"""How sure findings are: faults planted in random displays, read by meters with noise, and displays without faults.

python -m benchmarks.findings [displays] [without]

Each fault is planted in `displays` random displays at twice the limit of its rule, and in as many at half of the limit.
Displays without faults are measured for everything. A fault of modulation is not planted, as its waveforms have no noise of their
own.
"""

from __future__ import annotations

import sys
from collections import Counter
from concurrent.futures import ProcessPoolExecutor

from lumenar.core.findings import findings
from tests.kit import planted

FOUND, REPORTED = 0.95, 0.05


def keys(seed: int, key: str, size: float) -> list[str]:
    """The keys of the faults and notes that are found on a display with one planted."""
    measurement, fault = planted.FAULTS[key]
    found = findings(planted.evidence(planted.setup(seed, (measurement,), fault, size)))
    return [f.key for f in found if f.kind != "strength"]


def planted_row(task: tuple[str, int]) -> tuple[str, int, int, Counter[str]]:
    """How often a fault is found at twice and at half its limit, and what else is found."""
    key, count = task
    twice = [keys(seed, key, 2.0) for seed in range(count)]
    half = [keys(seed, key, 0.5) for seed in range(count)]
    others = Counter(k for found in (*twice, *half) for k in found if k != key)
    return key, sum(key in f for f in twice), sum(key in f for f in half), others


def without(seed: int) -> list[str]:
    """The findings of a display without faults, in SDR and in PQ."""
    sdr = tuple(m for m in planted.MEASURED if m != "pq_tracking")
    both = (planted.setup(seed, sdr, noisy=True), planted.setup(seed, ("pq_tracking",), noisy=True))
    return [f.key for s in both for f in findings(planted.evidence(s)) if f.kind != "strength"]


def main() -> int:
    """Print the table; 1 if a row is not as it should be."""
    count, faultless = map(int, [*sys.argv[1:], *("40", "400")[len(sys.argv) - 1 :]])
    good = True
    print(f"{'finding':24} {'at twice':>10} {'at half':>10}   also found")
    with ProcessPoolExecutor() as pool:
        for key, twice, half, others in pool.map(planted_row, [(k, count) for k in planted.FAULTS]):
            fine = twice >= FOUND * count and half <= REPORTED * count
            good &= fine
            also = ", ".join(f"{k} {n}" for k, n in others.most_common(3))
            print(
                f"{key:24} {twice:4d} of {count:3d} {half:3d} of {count:3d} {' ' if fine else '!'} {also}", flush=True
            )
        false = Counter(k for found in pool.map(without, range(faultless), chunksize=8) for k in found)
    print(f"{faultless} displays without faults: {sum(false.values())} findings {dict(false) if false else ''}")
    return 0 if good and not false else 1


if __name__ == "__main__":
    sys.exit(main())
