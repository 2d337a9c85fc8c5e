"""What the commands do. Each returns its exit status."""

from __future__ import annotations

import argparse
import json
import sys
import tempfile
from pathlib import Path
from typing import TYPE_CHECKING

from lumenar.app.errors import UserError

if TYPE_CHECKING:
    from lumenar.app.exchange.readings_file import ReadingsFile


def run_import(options: argparse.Namespace) -> int:
    from lumenar.app.application import Application
    from lumenar.app.exchange.importing import Identity, import_readings, understand

    mapping = dict(_pair(text) for text in options.column)
    data, name = _read(options.readings), options.readings.name
    for note in understand(data, name, mapping).notes:
        print(note, file=sys.stderr)
    application = Application(options.data)
    try:
        identity = Identity(options.maker, options.model, options.kind, options.panel)
        review = import_readings(application, data, name, identity, options.review, mapping)
    finally:
        application.close()
    print(f"{name} is in review {review} of {options.data}.")
    return 0


def _pair(text: str) -> tuple[str, str]:
    from lumenar.app.errors import BadInputError

    head, found, what = text.partition("=")
    if not found or not head:
        raise BadInputError("column", f"--column {text}: say a head and what it is, as in --column Lum=Y")
    return head, what


def run_export(options: argparse.Namespace) -> int:
    from lumenar.app.application import Application
    from lumenar.app.exchange.formats import parts_as

    application = Application(options.data)
    try:
        parts = parts_as(application, options.review, options.format)
        if options.out is None:
            sys.stdout.writelines(parts)
        else:
            # Beside it first: what was there stays whole until the new one is.
            beside = options.out.with_name(f".{options.out.name}.part")
            with beside.open("w") as file:
                for n, part in enumerate(parts):
                    file.write(part)
                    if sys.stderr.isatty():
                        print(f"\r{n} setups written", end="", file=sys.stderr, flush=True)
            beside.replace(options.out)
    finally:
        application.close()
    return 0


def run_serve(options: argparse.Namespace) -> int:
    from lumenar.api.server import bind, serve
    from lumenar.app.application import Application

    sock = bind(options.host, options.port)
    application = Application(options.data)
    try:
        print(
            f"Lumenar is at http://{options.host}:{options.port} (data in {options.data}); Ctrl-C ends it.", flush=True
        )
        serve(application, sock, options.speed)
    finally:
        application.close()
    return 0


def run_demo(options: argparse.Namespace) -> int:
    from lumenar.app.application import Application
    from lumenar.demo.scenario import build

    application = Application(options.data)
    try:
        if build(application):
            print("The demonstration data was built by running the simulated bench.", flush=True)
    finally:
        application.close()
    return 0 if options.build_only else run_serve(options)


def _read(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as e:
        raise UserError("file", f"{path}: cannot be read ({e.strerror})") from e


def run_survey(options: argparse.Namespace) -> int:
    from lumenar.publish.survey import survey

    def progress(done: int, total: int) -> None:
        if sys.stderr.isatty():
            print(f"\r{done} of {total} readings", end="" if done < total else "\n", file=sys.stderr, flush=True)

    result = survey(
        text=_read(options.unit),
        name=options.unit.name,
        out=options.out,
        seed=options.seed,
        modes=options.modes,
        measurements=options.measurements,
        progress=progress,
        tune=options.tune,
    )
    for sentence in result.tuned:
        print(sentence)
    print(f"{result.readings} readings; report in {result.folder / 'site' / 'index.html'}")
    for purpose, mode, value in result.best:
        print(f"{purpose}: {mode}, {value:.0f} of 100")
    return 0


def run_tune(options: argparse.Namespace) -> int:
    from lumenar.app.tuning.tune_file import tune_file

    goals = () if options.goal == "all" else (options.goal,)
    found = tune_file(
        text=_read(options.unit),
        name=options.unit.name,
        mode=options.mode,
        goals=goals,
        luminance=options.luminance,
        white=options.white,
        target=options.target,
        seed=options.seed,
        purpose=options.purpose,
    )
    if options.json:
        print(json.dumps(found, ensure_ascii=False, allow_nan=False))
        return 0
    print(f"{found['mode']}: {len(found['attempts'])} attempts, {found['readings']} readings")
    print(found["reason"])
    for path, value in found["settings"].items():
        print(f"  {path} = {value:g}" if isinstance(value, int | float) else f"  {path} = {value}")
    gain = found["gain"]
    if gain is not None:
        print(f"gain of {gain['figure']}: {gain['value']:.2f} ({gain['low']:.2f} to {gain['high']:.2f})")
    print("worth it" if found["worth_it"] else "leave it alone")
    return 0


def run_findings(options: argparse.Namespace) -> int:
    from lumenar.app.exchange.file_figures import analyse_file
    from lumenar.app.findings import evidence, views
    from lumenar.core.findings import findings
    from lumenar.publish.survey import survey

    data, name = _read(options.file), options.file.name
    if name.lower().endswith(".json") and _format_of(data) == "lumenar-unit":
        with tempfile.TemporaryDirectory(prefix="lumenar-") as folder:
            data = survey(data, name, Path(folder)).folder.joinpath("readings.json").read_bytes()
            name = "readings.json"
    found = findings(evidence.of_file(analyse_file(_readings_file(data, name, options), name)))
    if options.json:
        print(json.dumps(views.document(found), ensure_ascii=False, allow_nan=False))
        return 0
    for f in found:
        print(f"{f.key:22} {f.sentence}")
    if not found:
        print("Nothing certain was found.")
    return 0


def _format_of(data: bytes) -> object:
    """What a JSON file says that it is; None if it isn't JSON."""
    try:
        document = json.loads(data)
    except ValueError:
        return None
    return document.get("format") if isinstance(document, dict) else None


def _readings_file(data: bytes, name: str, options: argparse.Namespace) -> ReadingsFile:
    """A readings file of any format; what was assumed of a table goes to standard error."""
    from lumenar.app.exchange.readings_file import parse_readings
    from lumenar.app.exchange.table_import import read_any

    if name.lower().endswith(".json"):
        # Errors are then about JSON, not about a table.
        return parse_readings(data, name)
    read = read_any(data, name, dict(_pair(text) for text in options.column))
    for note in read.notes:
        print(note, file=sys.stderr)
    return read.file


def run_figures(options: argparse.Namespace) -> int:
    from lumenar.app.exchange.file_figures import analyse_file, figures_document
    from lumenar.app.figures.cells import target_of
    from lumenar.core.measurements import MEASUREMENTS

    name = options.readings.name
    file = _readings_file(_read(options.readings), name, options)
    for setup in file.setups if options.target else ():
        target_of(options.target, setup.signal)
    found = analyse_file(file, name, options.target)
    if options.json:
        print(json.dumps(figures_document(found), ensure_ascii=False, allow_nan=False))
        return 0
    for one in found:
        print(f"{one.name} against {one.target}")
        for key, analysis in one.analyses.items():
            scalars = {k: float(v) for k, v in analysis.figures.items() if v.ndim == 0}
            print(f"  {MEASUREMENTS[key].title}: {MEASUREMENTS[key].words(scalars)}")
        for key, reason in one.left_out.items():
            print(f"  {MEASUREMENTS[key].title}: none, {reason}")
        for sentence in one.floors:
            print(f"  {sentence}")
    return 0


def run_rescue(options: argparse.Namespace) -> int:
    from lumenar.app.rescue import Saved, rescue

    def tell(table: str, found: Saved) -> None:
        lost = "an unknown number lost" if found.lost is None else f"{found.lost:,} lost" if found.lost else ""
        print(f"{table}: {found.kept:,} saved{f', {lost}' if lost else ''}", flush=True)

    saved = rescue(options.data, options.out, tell)
    for table, found in saved.items():
        if found.orphaned:
            print(f"{table}: {found.orphaned:,} left out, since what they belong to is lost")
    print(f"Saved in {options.out}. Serve it with: lumenar serve --data {options.out}")
    if all(found.whole for found in saved.values()):
        return 0
    print(f"{options.data}: not everything could be saved; the lines above say what is missing", file=sys.stderr)
    return 1


def run_publish(options: argparse.Namespace) -> int:
    from lumenar.app.application import Application
    from lumenar.app.errors import BadInputError
    from lumenar.publish.library import export

    if not (options.data / "lumenar.db").is_file():
        raise BadInputError("data", f"{options.data}: no data folder of Lumenar")
    app = Application(options.data)
    try:
        displays, copied = export(app, options.to, options.address)
    finally:
        app.close()
    print(f"{displays} displays in {options.to}; {copied} editions are new or changed")
    return 0


def run_verify(options: argparse.Namespace) -> int:
    from lumenar.publish.verify import verify

    check = verify(options.package)
    for line in check.disagreements[:20]:
        print(line, file=sys.stderr)
    if not check.agrees:
        print(
            f"{options.package}: does not agree, {len(check.disagreements)} of {check.compared} differ", file=sys.stderr
        )
        return 1
    print(f"{options.package}: agrees, {check.compared} numbers recomputed from the readings")
    for line in check.edited:
        print(f"written by the editor, follows from no reading: {line}")
    if check.other_version:
        print(
            f"{options.package}: its pages were made by {check.other_version}, so only their numbers and scripts were compared",
            file=sys.stderr,
        )
        return 3
    return 0
