"""The command line. Exit status 0 done, 1 the check failed, 2 bad input with one clear line on standard error."""

from __future__ import annotations

import argparse
import json
import os
import sys
from collections.abc import Sequence
from pathlib import Path

from lumenar import __version__
from lumenar.service.errors import UserError
from lumenar.store.database import StoreError

DATA = Path("lumenar-data")


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


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="lumenar", description="Measure displays, publish reports anyone can recompute."
    )
    parser.add_argument("--version", action="version", version=__version__)
    commands = parser.add_subparsers(required=True, metavar="command")

    for name, run, words in (
        ("serve", _serve, "the application"),
        ("demo", _demo, "build the demonstration data where absent, then serve"),
    ):
        p = commands.add_parser(name, help=words)
        p.add_argument("--data", type=Path, default=DATA, help="data folder (default: %(default)s)")
        p.add_argument("--host", default="127.0.0.1")
        p.add_argument("--port", type=int, default=8140)
        p.add_argument(
            "--speed", type=float, default=20.0, choices=(1.0, 20.0, 0.0), help="stand-in clock; 0 never waits"
        )
        if name == "demo":
            p.add_argument("--build-only", action="store_true", help="build the data and stop")
        p.set_defaults(run=run)

    p = commands.add_parser("survey", help="the whole job on the simulated bench, without a browser")
    p.add_argument("unit", type=Path, metavar="UNIT.json")
    p.add_argument("--out", type=Path, required=True, metavar="DIR")
    p.add_argument("--seed", type=int)
    p.add_argument("--modes", nargs="+", metavar="MODE")
    p.add_argument("--measurements", nargs="+", metavar="KEY")
    p.set_defaults(run=_survey)

    p = commands.add_parser("figures", help="figures from a readings file")
    p.add_argument("readings", type=Path, metavar="READINGS")
    p.add_argument("--target", metavar="T")
    p.add_argument("--json", action="store_true", help="the figures file on standard output")
    p.set_defaults(run=_figures)

    p = commands.add_parser("verify", help="recompute a data package and compare")
    p.add_argument("package", type=Path, metavar="PACKAGE")
    p.set_defaults(run=_verify)
    return parser


def _serve(options: argparse.Namespace) -> int:
    from lumenar.api.server import bind, serve
    from lumenar.service.application import Application

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
    from lumenar.demo.scenario import build
    from lumenar.service.application import Application

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

    result = survey(
        _read(options.unit), options.unit.name, options.out, options.seed, options.modes, options.measurements
    )  # fmt: skip
    print(f"{result.readings} readings; report in {result.folder / 'site' / 'index.html'}")
    for purpose, mode, value in result.best:
        print(f"{purpose}: {mode}, {value:.0f} of 100")
    return 0


def _figures(options: argparse.Namespace) -> int:
    from lumenar.core.measurements import MEASUREMENTS
    from lumenar.service.cells import target_of
    from lumenar.service.readings_file import analyse_file, figures_document, parse_readings

    text, name = _read(options.readings), options.readings.name
    file = parse_readings(text, name)
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
    return 0


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
    return 0


if __name__ == "__main__":
    sys.exit(main())
