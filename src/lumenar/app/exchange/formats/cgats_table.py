"""CGATS text (ISO 28178): each plain patch in the usual window once."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from lumenar.app.application import Application
from lumenar.app.exchange.formats.base import Format
from lumenar.app.exchange.formats.table import SetupTable, tables, text_of_cell
from lumenar.store.readings import COLUMNS

USUAL_WINDOW = 0.1


def _parts(setups: Iterable[SetupTable]) -> Iterator[str]:
    """CGATS text in parts, a table for each setup, signals from 0 to 100; each plain patch in the usual window once, in the order
    of their signals, since such a table has no room for more."""
    yield 'CGATS.17\nORIGINATOR "Lumenar"\n'
    for s in setups:
        found: list[tuple[list[float], list[str]]] = []
        for row, used in s.readings:
            r = dict(zip(COLUMNS, row, strict=True))
            plain = r["window"] == USUAL_WINDOW and r["pattern"] == "window" and r["Y"] is not None
            if used and plain and all(r[c] is None for c in ("level", "zone", "at_s")):
                signal = [round(100 * float(r[c]), 8) for c in "rgb"]  # type: ignore[arg-type]
                XYZ = [float(r[c]) for c in "XYZ"]  # type: ignore[arg-type]
                found.append(([*signal, *XYZ], [text_of_cell(v) for v in (*signal, *XYZ)]))
        title = s.name.replace('"', "'")
        lines = ["", f'DESCRIPTOR "{title}"', "NUMBER_OF_FIELDS 7", "BEGIN_DATA_FORMAT"]
        lines += ["SAMPLE_ID RGB_R RGB_G RGB_B XYZ_X XYZ_Y XYZ_Z", "END_DATA_FORMAT", f"NUMBER_OF_SETS {len(found)}"]
        lines += [
            "BEGIN_DATA",
            *(f"{i} {' '.join(cells)}" for i, (_, cells) in enumerate(sorted(found), 1)),
            "END_DATA",
        ]
        yield "\n".join(lines) + "\n"


def parts(app: Application, review_id: int) -> Iterator[str]:
    """A review as CGATS text."""
    return _parts(tables(app, review_id))


FORMAT = Format("cgats", "CGATS", 3, "txt", "text/plain", parts)
