"""The command line. Exit status 0 done, 1 the check failed, 2 bad input with one clear line on standard error."""

from __future__ import annotations

import argparse
import json
import os
import sys
import tempfile
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, NoReturn

from lumenar import __version__
from lumenar.app.errors import UserError
from lumenar.store.database import StoreError

if TYPE_CHECKING:
    from lumenar.app.exchange.readings_file import ReadingsFile

DATA = Path("lumenar-data")


class _OneLineParser(argparse.ArgumentParser):
    """Says what is wrong in one line."""

    def error(self, message: str) -> NoReturn:
        self.exit(2, f"{self.prog}: {message}\n")


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command; returns its exit status."""
    options = _parser().parse_args(arguments)
    try:
        status: int = options.run(options)
    except UserError as e:
        print(e.detail, file=sys.stderr)
        return 2
    except StoreError as e:
        print(e, file=sys.stderr)
        return 2
    except BrokenPipeError:
        # Whoever read our output has seen enough; Python must not complain again while it shuts down.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except OSError as e:
        print(f"{e.filename or 'output'}: {e.strerror or e}", file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        return 130
    return status


def _parser() -> _OneLineParser:
    parser = _OneLineParser(prog="lumenar", description="Measure displays, publish reports anyone can recompute.")
    parser.add_argument("--version", action="version", version=__version__)
    commands = parser.add_subparsers(required=True, metavar="command")
    for add in (_add_servers, _add_bench, _add_files, _add_checks):
        add(commands)
    return parser


_Commands = argparse._SubParsersAction[_OneLineParser]


def _add_servers(commands: _Commands) -> None:
    for name, run, words in (
        ("serve", _serve, "the application"),
        ("demo", _demo, "build the demonstration data where absent, then serve"),
    ):
        p = _command(commands, name, words, run)
        p.add_argument("--data", type=Path, default=DATA, help="data folder (default: %(default)s)")
        p.add_argument(
            "--host", default="127.0.0.1", help="address of this machine to listen on (default: %(default)s)"
        )
        p.add_argument("--port", type=_port, default=8140, help="port to listen on (default: %(default)s)")
        p.add_argument(
            "--speed",
            type=float,
            default=20.0,
            choices=(1.0, 20.0, 0.0),
            help="clock of simulated instruments; 0 never waits",
        )
        if name == "demo":
            p.add_argument("--build-only", action="store_true", help="build the data and stop")


def _add_bench(commands: _Commands) -> None:
    p = _command(commands, "survey", "the whole job on the simulated bench, without a browser", _survey)
    p.add_argument("unit", type=Path, metavar="UNIT.json", help="unit file of the display (docs/unit-file.md)")
    p.add_argument("--out", type=Path, required=True, metavar="DIR", help="folder for readings, figures and site")
    p.add_argument("--seed", type=_seed, help="another seed for sample and noise than the unit file's")
    p.add_argument("--modes", nargs="+", metavar="MODE", help="only these modes (default: all)")
    p.add_argument("--measurements", nargs="+", metavar="KEY", help="only these measurements (default: all)")
    p.add_argument("--tune", action="store_true", help="tune the best mode per purpose and replay what was found")

    p = _command(commands, "tune", "find a mode's best settings on the simulated bench", _tune)
    p.add_argument("unit", type=Path, metavar="UNIT.json", help="unit file of the display (docs/unit-file.md)")
    p.add_argument("--mode", required=True, metavar="NAME", help="the mode to tune")
    p.add_argument("--goal", default="all", metavar="KEY", help="one of the goals, tone say (default: %(default)s)")
    p.add_argument("--luminance", type=float, metavar="CD_M2", help="of white (default: as it is)")
    p.add_argument("--purpose", metavar="KEY", help="take goals, luminance and target from a purpose, colour_work say")
    p.add_argument("--white", type=_xy, metavar="X,Y", help="another white than the target's")
    p.add_argument("--target", metavar="KEY", help="another target than the mode's own")
    p.add_argument("--seed", type=_seed, help="another seed for sample and noise than the unit file's")
    p.add_argument("--json", action="store_true", help="the whole tuning on standard output")


def _add_files(commands: _Commands) -> None:
    p = _command(commands, "figures", "figures from a readings file (JSON, CSV, CGATS text)", _figures)
    p.add_argument("readings", type=Path, metavar="READINGS", help="readings file (docs/formats.md)")
    _columns(p)
    p.add_argument("--target", metavar="T", help="compare with this target instead of each setup's own")
    p.add_argument("--json", action="store_true", help="the figures file on standard output")

    p = _command(commands, "findings", "what is worth telling of a display, from a readings or unit file", _findings)
    p.add_argument("file", type=Path, metavar="READINGS|UNIT", help="readings file, or unit file to survey first")
    _columns(p)
    p.add_argument("--json", action="store_true", help="the findings file on standard output")

    p = _command(commands, "import", "take a readings file (JSON, CSV, CGATS text) into the data", _import)
    p.add_argument("readings", type=Path, metavar="FILE", help="readings file (docs/formats.md)")
    p.add_argument("--data", type=Path, default=DATA, help="data folder (default: %(default)s)")
    p.add_argument("--review", type=int, metavar="ID", help="a review that is there (default: a new one)")
    p.add_argument("--maker", default="", help="of the display, where the file does not say it")
    p.add_argument("--model", default="", help="of the display, where the file does not say it")
    p.add_argument("--kind", default="monitor", help="monitor, television, projector, phone or laptop")
    p.add_argument("--panel", default="", help="lcd, oled, projector or other, where the file does not say it")
    _columns(p)

    p = _command(commands, "export", "a review's readings as a file", _export)
    p.add_argument("review", type=int, metavar="REVIEW", help="number of the review")
    p.add_argument("--data", type=Path, default=DATA, help="data folder (default: %(default)s)")
    p.add_argument("--format", default="json", metavar="KEY", help="json, csv or cgats (default: %(default)s)")
    p.add_argument("--out", type=Path, metavar="FILE", help="file to write (default: standard output)")


def _add_checks(commands: _Commands) -> None:
    p = _command(commands, "verify", "recompute a published edition or data package and compare", _verify)
    p.add_argument("package", type=Path, metavar="PACKAGE", help="an edition's folder, its data folder, or data.zip")

    p = _command(commands, "rescue", "save what is whole of a damaged data folder into a new one", _rescue)
    p.add_argument("data", type=Path, metavar="DATA", help="the damaged data folder")
    p.add_argument("--out", type=Path, required=True, metavar="DIR", help="a new folder")


def _command(
    commands: _Commands, name: str, words: str, run: Callable[[argparse.Namespace], int]
) -> argparse.ArgumentParser:
    p = commands.add_parser(name, help=words, description=f"{words[:1].upper()}{words[1:]}.")
    p.set_defaults(run=run)
    return p


def _columns(p: argparse.ArgumentParser) -> None:
    """The option that says what the columns of a table are."""
    p.add_argument(
        "--column",
        action="append",
        default=[],
        metavar="HEAD=WHAT",
        help="what a column is; rgb=0..255 says how signals run",
    )


def _port(text: str) -> int:
    if not text.isdigit() or not 1 <= int(text) <= 65535:
        raise argparse.ArgumentTypeError(f"{text!r} is no port; ports run from 1 to 65535")
    return int(text)


def _xy(text: str) -> tuple[float, float]:
    try:
        x, y = (float(part) for part in text.split(","))
    except ValueError:
        raise argparse.ArgumentTypeError(f"{text!r} is no chromaticity; say x and y, as in 0.3127,0.329") from None
    return x, y


def _seed(text: str) -> int:
    if not text.isdigit() or int(text) > 2**53:
        raise argparse.ArgumentTypeError(f"{text!r} is no seed; a seed is a whole number from 0 on")
    return int(text)


def _import(options: argparse.Namespace) -> int:
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


def _export(options: argparse.Namespace) -> int:
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


def _serve(options: argparse.Namespace) -> int:
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


def _demo(options: argparse.Namespace) -> int:
    from lumenar.app.application import Application
    from lumenar.demo.scenario import build

    application = Application(options.data)
    try:
        if build(application):
            print("The demonstration data was built by running the simulated bench.", flush=True)
    finally:
        application.close()
    return 0 if options.build_only else _serve(options)


def _read(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as e:
        raise UserError("file", f"{path}: cannot be read ({e.strerror})") from e


def _survey(options: argparse.Namespace) -> int:
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


def _tune(options: argparse.Namespace) -> int:
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


def _findings(options: argparse.Namespace) -> int:
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


def _figures(options: argparse.Namespace) -> int:
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


def _rescue(options: argparse.Namespace) -> int:
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


def _verify(options: argparse.Namespace) -> int:
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
    if check.other_version:
        print(
            f"{options.package}: its page was made by {check.other_version}, so only its numbers and scripts were compared",
            file=sys.stderr,
        )
        return 3
    return 0


if __name__ == "__main__":
    sys.exit(main())
