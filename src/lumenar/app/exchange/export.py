"""A review's readings as a readings file."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from lumenar.app.application import Application
from lumenar.app.displays.displays import display, display_of
from lumenar.app.exchange.readings_file import FILE_METADATA
from lumenar.app.figures import cells
from lumenar.app.figures.loading import watched_whites
from lumenar.core.readings.patches import Trace, Waveform
from lumenar.store import corrections, plans, readings, reviews, runs, watched
from lumenar.store.readings import COLUMNS
from lumenar.store.reviews import SetupRow

_KINDS = {"XYZ": "colorimeter", "spectrum": "spectroradiometer", "waveform": "photodiode"}


def readings_document(app: Application, review_id: int) -> dict[str, Any]:
    """The readings file of a review: for each setup the readings of its newest complete cells that are not stale.

    XYZ is as read; the correction stands with the meter. A reading that several measurements share stands once for each
    of them, with the same id; so does a patch that was read again, which counts as its median.
    """
    display_of(app, review_id)
    db = app.db.connection()
    fresh = cells.newest(app, review_id).fresh
    meters: dict[str, dict[str, Any]] = {}
    units = {u.id: f"u{i}" for i, u in enumerate(reviews.units_of(db, review_id), 1)}
    setups: list[dict[str, Any]] = []
    for setup in reviews.setups_of(db, review_id):
        own = {cell.measurement: row.run_id for cell, row in fresh.items() if cell.setup == setup.id}
        if own:
            setups.append(_setup(app, setup, units[setup.unit_id], own, meters))
    _number(setups, meters)
    used = {s["unit"] for s in setups}
    return {
        "format": "lumenar-readings",
        "version": 1,
        "units": [_unit(app, u, units[u]) for u in units if units[u] in used],
        "meters": list(meters.values()),
        "setups": setups,
    }


def _setup(
    app: Application, setup: SetupRow, unit: str, own: Mapping[str, int], meters: dict[str, dict[str, Any]]
) -> dict[str, Any]:
    """A setup as a file has it. unit: its sample's id there; own: by measurement the run that it was read in; meters: those
    described so far, by what they are known by."""
    db = app.db.connection()
    by_run: dict[int, list[str]] = {}
    for measurement, run_id in own.items():
        by_run.setdefault(run_id, []).append(measurement)
    entries = [e for r, wanted in by_run.items() for e in _entries(app, r, setup.id, set(wanted), meters)]
    listed = [_run(app, r, setup.id, wanted) for r, wanted in by_run.items()]
    document: dict[str, Any] = {
        "name": setup.name,
        "unit": unit,
        "mode": setup.mode,
        "shipped": bool(setup.shipped) and not setup.changes,
        "signal": setup.signal,
        "target": setup.target,
        # What a run recorded: all values where it applied them, else those that differ from default.
        "settings": runs.applied(db, max(by_run), setup.id) or dict(setup.changes),
        "runs": sorted(listed, key=lambda r: str(r["measurements"][0])),
        "readings": sorted(entries, key=lambda r: (r["measurement"], r["time_s"], r["id"])),
    }
    # Said only where every run says the same.
    for what in ("condition", "format", "shown"):
        said = [runs.recorded(db, r, setup.id, what) for r in by_run]
        if said[0] is not None and all(s == said[0] for s in said):
            document[what] = said[0]
    if shown := document.get("shown"):
        document["shown"] = {k: v for k, v in shown.items() if k not in FILE_METADATA}
    if metadata := {FILE_METADATA[k]: v for k, v in document.get("format", {}).items() if k in FILE_METADATA}:
        document["format"] = {k: v for k, v in document["format"].items() if k not in FILE_METADATA}
        document["metadata"] = metadata
    return document


def _number(setups: list[dict[str, Any]], meters: dict[str, dict[str, Any]]) -> None:
    """Number meters and readings in the order in which they stand in the file, whatever numbers they have in the store: so the
    same readings give the same file wherever they are kept."""
    names: dict[str, str] = {}
    numbers: dict[int, int] = {}
    for setup in setups:
        for r in setup["readings"]:
            r["meter"] = names.setdefault(r["meter"], f"m{len(names) + 1}")
            r["id"] = numbers.setdefault(r["id"], len(numbers) + 1)
    for key in list(meters):
        if meters[key]["id"] in names:
            meters[key]["id"] = names[meters[key]["id"]]
        else:
            del meters[key]
    ordered = sorted(meters.items(), key=lambda item: int(item[1]["id"][1:]))
    meters.clear()
    meters.update(ordered)


def _run(app: Application, run_id: int, setup_id: int, measurements: list[str]) -> dict[str, Any]:
    """What its readings are judged by that no single reading tells: drift and warmth are of a run, not of a setup."""
    run = runs.get(app.db.connection(), run_id)
    rested, later = watched_whites(app, run_id, setup_id)
    warming = watched.warm_up_readings(app.db.connection(), run_id) if run is not None and run.warm else []
    return {
        "measurements": sorted(measurements),
        "warm": None if run is None or run.warm is None else bool(run.warm),
        "warming": [{"time_s": t, "XYZ": list(XYZ)} for t, *XYZ in warming],
        "rested_white": None if rested is None else {"time_s": 0.0, "XYZ": rested},
        "whites": [{"time_s": t, "XYZ": list(XYZ)} for t, XYZ in later],
    }


def _unit(app: Application, unit_id: int, name: str) -> dict[str, Any]:
    row = display(app, unit_id).row
    return {
        "id": name,
        "maker": row.maker,
        "model": row.model,
        "serial": row.serial,
        "sample": row.sample,
        "panel": row.panel,
        "firmware": row.firmware,
    }


def _entries(
    app: Application, run_id: int, setup_id: int, wanted: set[str], meters: dict[str, dict[str, Any]]
) -> list[dict[str, Any]]:
    db = app.db.connection()
    uses = uses_of(app, run_id, setup_id, wanted)
    rows = [dict(zip(COLUMNS, row, strict=True)) for row in readings.of_setup(db, run_id, setup_id)]
    held = readings.traces(db, {r["patch_id"] for r in rows if r["reads"] != "XYZ"})
    names = {reads: _meter(app, run_id, reads, meters) for reads in dict.fromkeys(r["reads"] for r in rows)}
    return [
        _entry(r, measurement, names[r["reads"]], held.get((r["patch_id"], r["attempt"])))
        for r in rows
        for measurement in uses.get(r["patch_id"], ())
    ]


def _meter(app: Application, run_id: int, reads: str, meters: dict[str, dict[str, Any]]) -> str:
    """The id of the meter of a reading, described on first use; each correction makes a meter of its own."""
    db = app.db.connection()
    run = runs.get(db, run_id)
    correction = run.correction_id if run and reads == "XYZ" else None
    described = json.dumps(run.meters.get(reads, {}) if run else {}, sort_keys=True)
    key = f"{reads} {described} with correction {correction}"
    if key in meters:
        return str(meters[key]["id"])
    name = f"m{len(meters) + 1}"
    meter: Mapping[str, Any] = run.meters.get(reads, {}) if run else {}
    entry: dict[str, Any] = {"id": name, "name": meter.get("name", ""), "kind": meter.get("kind", _KINDS[reads])}
    if meter.get("serial"):
        entry["serial"] = meter["serial"]
    if "repeatability" in meter:
        entry["repeatability_percent"] = 100 * float(meter["repeatability"])
    if reads == "XYZ":
        entry |= {f"{k}_cd_m2": float(meter[k]) for k in ("floor", "absolute") if meter.get(k) is not None}
    row = corrections.get(db, correction) if correction else None
    if row is not None:
        entry |= {"correction": row.matrix, "correction_u_percent": row.residual.get("u_percent", 0.0)}
        entry |= {} if row.series is None else {"correction_series": row.series}
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


PATCH_ID, READS = COLUMNS.index("patch_id"), COLUMNS.index("reads")


def uses_of(app: Application, run_id: int, setup_id: int, wanted: set[str]) -> dict[int, list[str]]:
    """By patch of a setup in a run the measurements, of those that are wanted, that use it."""
    db = app.db.connection()
    found: dict[int, list[str]] = {}
    ids = plans.patch_ids(db, run_id, setup_id)
    for patch_id, measurement in readings.uses(db, ids[0], ids[-1]) if ids else ():
        if measurement in wanted:
            found.setdefault(patch_id, []).append(measurement)
    return found


def text_of(document: Mapping[str, Any]) -> str:
    """A readings file's text."""
    return json.dumps(document, indent=1, ensure_ascii=False, allow_nan=False) + "\n"
