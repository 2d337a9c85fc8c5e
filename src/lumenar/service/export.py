"""A review's readings as a readings file."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from lumenar.bench.simulated.meter import PHOTODIODE, SPECTRORADIOMETER
from lumenar.core.readings import Trace, Waveform
from lumenar.service import cells
from lumenar.service.application import Application
from lumenar.service.planning import settings_of
from lumenar.service.units import unit_by_id, unit_of
from lumenar.store import corrections, readings, reviews, runs
from lumenar.store.readings import COLUMNS

_KINDS = {"XYZ": "colorimeter", "spectrum": "spectroradiometer", "waveform": "photodiode"}


def readings_document(app: Application, review_id: int) -> dict[str, Any]:
    """The readings file of a review: for each setup the readings of its newest complete cells that are not stale.

    XYZ is as read; the correction stands with the meter. A reading that several measurements share stands once for each
    of them, with the same id; so does a patch that was read again, which counts as its median.
    """
    unit_of(app, review_id)
    db = app.db.connection()
    fresh = cells.newest(app, review_id).fresh
    meters: dict[str, dict[str, Any]] = {}
    units = {u.id: f"u{i}" for i, u in enumerate(reviews.units_of(db, review_id), 1)}
    setups: list[dict[str, Any]] = []
    for setup in reviews.setups_of(db, review_id):
        own = {cell.measurement: row.run_id for cell, row in fresh.items() if cell.setup == setup.id}
        if not own:
            continue
        entries: list[dict[str, Any]] = []
        for run_id in dict.fromkeys(own.values()):
            wanted = {m for m, r in own.items() if r == run_id}
            entries += _entries(app, run_id, setup.id, wanted, meters)
        _, file = unit_by_id(app, setup.unit_id)
        changed = setup.name == setup.mode and setup.changes
        setups.append(
            {
                "name": f"{setup.name}, changed" if changed else setup.name,
                "unit": units[setup.unit_id],
                "mode": setup.mode,
                "signal": setup.signal,
                "target": setup.target,
                "settings": settings_of(file, setup),
                "condition": {"lux": 0, "label": "dark", "automatic": []},
                "readings": sorted(entries, key=lambda r: (r["measurement"], r["time_s"])),
            }
        )
    return {
        "format": "lumenar-readings",
        "version": 1,
        "units": [_unit(app, u, units[u]) for u in units],
        "meters": list(meters.values()),
        "setups": setups,
    }


def _unit(app: Application, unit_id: int, name: str) -> dict[str, Any]:
    row, _ = unit_by_id(app, unit_id)
    return {
        "id": name, "maker": row.maker, "model": row.model, "serial": row.serial, "sample": row.sample, "panel": row.panel,
        "firmware": row.firmware,
    }  # fmt: skip


def _entries(
    app: Application, run_id: int, setup_id: int, wanted: set[str], meters: dict[str, dict[str, Any]]
) -> list[dict[str, Any]]:
    db = app.db.connection()
    uses: dict[int, list[str]] = {}
    ids = runs.patch_ids(db, run_id, setup_id)
    for patch_id, measurement in readings.uses(db, ids[0], ids[-1]) if ids else ():
        if measurement in wanted:
            uses.setdefault(patch_id, []).append(measurement)
    rows = [dict(zip(COLUMNS, row, strict=True)) for row in readings.of_setup(db, run_id, setup_id)]
    held = readings.traces(db, {r["patch_id"] for r in rows if r["reads"] != "XYZ"})
    entries = []
    for r in rows:
        for measurement in uses.get(r["patch_id"], ()):
            entries.append(
                _entry(r, measurement, _meter(app, run_id, r["reads"], meters), held.get((r["patch_id"], r["attempt"])))
            )
    return entries


def _meter(app: Application, run_id: int, reads: str, meters: dict[str, dict[str, Any]]) -> str:
    """The id of the meter of a reading, described on first use; each correction makes a meter of its own."""
    db = app.db.connection()
    run = runs.get(db, run_id)
    correction = run.correction_id if run and reads == "XYZ" else None
    key = f"{_KINDS[reads]}" + (f" with correction {correction}" if correction else "")
    if key in meters:
        return str(meters[key]["id"])
    name = f"m{len(meters) + 1}"
    meter: Mapping[str, object] = run.meter if run else {}
    entry: dict[str, Any] = {
        "id": name, "name": meter.get("name", ""), "kind": meter.get("kind", "colorimeter"),
        "repeatability_percent": 100 * float(str(meter.get("repeatability", 0.002))),
        "floor_cd_m2": float(str(meter.get("floor", 0.0))),
    }  # fmt: skip
    if reads != "XYZ":
        other = SPECTRORADIOMETER if reads == "spectrum" else PHOTODIODE
        entry |= {
            "name": other.name,
            "kind": other.kind,
            "repeatability_percent": 100 * other.repeatability,
            "floor_cd_m2": 0.0,
        }
    row = corrections.get(db, correction) if correction else None
    if row is not None:
        entry |= {"correction": row.matrix, "correction_u_percent": row.residual.get("u_percent", 0.0)}
    meters[key] = entry
    return name


def _entry(r: dict[str, Any], measurement: str, meter: str, trace: Trace | None) -> dict[str, Any]:
    entry: dict[str, Any] = {
        "id": r["id"],
        "measurement": measurement,
        "rgb": [r["r"], r["g"], r["b"]],
        "window": r["window"],
        "background": r["background"],
        "level": r["level"],
        "meter": meter,
        "time_s": r["time_s"],
        "XYZ": None if r["Y"] is None else [r["X"], r["Y"], r["Z"]],
    }
    if r["zone"] is not None:
        entry["zone"] = [int(v) for v in r["zone"].strip("[]").split(",")]
    if r["pattern"] != "window":
        entry["pattern"] = r["pattern"]
    for key, usual in (("at_s", None), ("repeat", 0)):
        if r[key] != usual:
            entry[key] = r[key]
    if r["outcome"] != "ok":
        entry["flag"] = r["outcome"]
    if isinstance(trace, Waveform):
        # The samples were rounded to a ten-thousandth of their mean when they were read; six digits hold that.
        entry["waveform"] = {"rate_hz": trace.rate_hz, "samples": trace.samples.tolist()}
    elif trace is not None:
        entry["spectrum"] = {"start_nm": trace.start_nm, "step_nm": trace.step_nm, "radiance": trace.radiance.tolist()}
    return entry
