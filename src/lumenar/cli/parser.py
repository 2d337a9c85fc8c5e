"""What the command line takes: commands with their options."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from pathlib import Path
from typing import NoReturn, TypeAlias

from lumenar import __version__
from lumenar.cli import commands

DATA = Path("lumenar-data")


class _OneLineParser(argparse.ArgumentParser):
    """Says what is wrong in one line."""

    def error(self, message: str) -> NoReturn:
        self.exit(2, f"{self.prog}: {message}\n")


def parser() -> _OneLineParser:
    """The parser of all commands. Parsed options have `run`, which carries the command out."""
    top = _OneLineParser(prog="lumenar", description="Measure displays, publish reports anyone can recompute.")
    top.add_argument("--version", action="version", version=__version__)
    added = top.add_subparsers(required=True, metavar="command")
    for add in (_add_servers, _add_bench, _add_files, _add_checks):
        add(added)
    return top


_Commands: TypeAlias = "argparse._SubParsersAction[_OneLineParser]"


def _add_servers(added: _Commands) -> None:
    for name, run, words in (
        ("serve", commands.run_serve, "the application"),
        ("demo", commands.run_demo, "build the demonstration data where absent, then serve"),
    ):
        p = _command(added, name, words, run)
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


def _add_bench(added: _Commands) -> None:
    p = _command(added, "survey", "the whole job on the simulated bench, without a browser", commands.run_survey)
    p.add_argument("unit", type=Path, metavar="UNIT.json", help="unit file of the display (docs/unit-file.md)")
    p.add_argument("--out", type=Path, required=True, metavar="DIR", help="folder for readings, figures and site")
    p.add_argument("--seed", type=_seed, help="another seed for sample and noise than the unit file's")
    p.add_argument("--modes", nargs="+", metavar="MODE", help="only these modes (default: all)")
    p.add_argument("--measurements", nargs="+", metavar="KEY", help="only these measurements (default: all)")
    p.add_argument("--tune", action="store_true", help="tune the best mode of each purpose, then replay the settings")

    p = _command(added, "tune", "find a mode's best settings on the simulated bench", commands.run_tune)
    p.add_argument("unit", type=Path, metavar="UNIT.json", help="unit file of the display (docs/unit-file.md)")
    p.add_argument("--mode", required=True, metavar="NAME", help="the mode to tune")
    p.add_argument("--goal", default="all", metavar="KEY", help="one of the goals, tone say (default: %(default)s)")
    p.add_argument("--luminance", type=float, metavar="CD_M2", help="of white (default: as it is)")
    p.add_argument("--purpose", metavar="KEY", help="take goals, luminance and target from a purpose, colour_work say")
    p.add_argument("--white", type=_xy, metavar="X,Y", help="another white than the target's")
    p.add_argument("--target", metavar="KEY", help="another target than the mode's own")
    p.add_argument("--seed", type=_seed, help="another seed for sample and noise than the unit file's")
    p.add_argument("--json", action="store_true", help="the whole tuning on standard output")


def _add_files(added: _Commands) -> None:
    p = _command(added, "figures", "figures from a readings file (JSON, CSV, CGATS text)", commands.run_figures)
    p.add_argument("readings", type=Path, metavar="READINGS", help="readings file (docs/formats.md)")
    _columns(p)
    p.add_argument("--target", metavar="T", help="compare with this target instead of each setup's own")
    p.add_argument("--json", action="store_true", help="the figures file on standard output")

    p = _command(
        added,
        "findings",
        "faults and strengths of a display, from a readings file or a unit file",
        commands.run_findings,
    )
    p.add_argument("file", type=Path, metavar="READINGS|UNIT", help="readings file, or unit file to survey first")
    _columns(p)
    p.add_argument("--json", action="store_true", help="the findings file on standard output")

    p = _command(added, "import", "take a readings file (JSON, CSV, CGATS text) into the data", commands.run_import)
    p.add_argument("readings", type=Path, metavar="FILE", help="readings file (docs/formats.md)")
    p.add_argument("--data", type=Path, default=DATA, help="data folder (default: %(default)s)")
    p.add_argument("--review", type=int, metavar="ID", help="a review that is there (default: a new one)")
    p.add_argument("--maker", default="", help="of the display, where the file does not say it")
    p.add_argument("--model", default="", help="of the display, where the file does not say it")
    p.add_argument("--kind", default="monitor", help="monitor, television, projector, phone or laptop")
    p.add_argument("--panel", default="", help="lcd, oled, projector or other, where the file does not say it")
    _columns(p)

    p = _command(added, "export", "a review's readings as a file", commands.run_export)
    p.add_argument("review", type=int, metavar="REVIEW", help="number of the review")
    p.add_argument("--data", type=Path, default=DATA, help="data folder (default: %(default)s)")
    p.add_argument("--format", default="json", metavar="KEY", help="json, csv or cgats (default: %(default)s)")
    p.add_argument("--out", type=Path, metavar="FILE", help="file to write (default: standard output)")


def _add_checks(added: _Commands) -> None:
    p = _command(added, "verify", "recompute a published edition or data package and compare", commands.run_verify)
    p.add_argument("package", type=Path, metavar="PACKAGE", help="an edition's folder, its data folder, or data.zip")

    p = _command(added, "publish", "write all published editions as a static site", commands.run_publish)
    p.add_argument("--data", type=Path, required=True, metavar="DATA", help="the data folder")
    p.add_argument("--to", type=Path, required=True, metavar="DIR", help="folder of the site; made if it is not there")
    p.add_argument(
        "--address", default="", metavar="URL", help="where the site will be, for feed, sitemap and canonical links"
    )

    p = _command(added, "rescue", "save what is whole of a damaged data folder into a new one", commands.run_rescue)
    p.add_argument("data", type=Path, metavar="DATA", help="the damaged data folder")
    p.add_argument("--out", type=Path, required=True, metavar="DIR", help="a new folder")


def _command(
    added: _Commands, name: str, words: str, run: Callable[[argparse.Namespace], int]
) -> argparse.ArgumentParser:
    p = added.add_parser(name, help=words, description=f"{words[:1].upper()}{words[1:]}.")
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
