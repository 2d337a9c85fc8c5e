"""How the readings of an edition came about."""

from __future__ import annotations

from collections.abc import Iterable

from lumenar.app.exchange.file_meters import FileUnit
from lumenar.app.exchange.readings_file import FileSetup
from lumenar.core.signals import WORDS, words_of
from lumenar.publish.package import Results

NOT_RECORDED = "not recorded"


def method(results: Results) -> list[tuple[str, str]]:
    """How the readings came about, item by item, as far as it was recorded."""
    readings = results.readings
    rooms = []
    for setup in readings.setups:
        c = setup.condition
        said = [] if c is None else [c.label] if c.label else []
        said += [f"{c.lux:g} lux at the display"] if c is not None and c.lux is not None else []
        rooms.append(", ".join(said) or NOT_RECORDED)
    windows = sorted(
        {r.window for s in readings.setups for r in s.readings if r.pattern == "window" and r.zone is None}
    )
    meters = []
    for m in readings.meters:
        name = m.name or f"a {m.kind}, name {NOT_RECORDED}"
        name += f" ({m.serial})" if m.serial else ""
        if m.kind == "colorimeter":
            name += (
                ", corrected for this panel" if m.correction is not None else ", without a correction for this panel"
            )
        meters.append(name)
    return [
        ("Samples", _joined(_sample(u) for u in readings.units)),
        ("Signal", _joined(_signal(s) for s in readings.setups)),
        ("Room", _joined(rooms)),
        ("Meters", _joined(meters) or NOT_RECORDED),
        ("Near black", _joined(f for s in results.setups for f in s.floors) or "as the meters state it"),
        ("Lit share of the screen", ", ".join(f"{100 * w:g} %" for w in windows) + ", on black unless said otherwise"),
    ]


def _signal(s: FileSetup) -> str:
    """What a setup was sent, and whether the display said that it showed it."""
    sent = words_of({"transfer": s.signal, **({} if s.format is None else s.format.model_dump(exclude_none=True))})
    if s.shown is None:
        return sent
    if s.shown.transfer != s.signal:
        return f"{sent}; the display said it showed {WORDS[s.shown.transfer]}"
    return f"{sent}, which the display said it showed"


def _sample(u: FileUnit) -> str:
    return f"{u.sample or NOT_RECORDED} (serial {u.serial or NOT_RECORDED}, firmware {u.firmware or NOT_RECORDED})"


def _joined(texts: Iterable[str]) -> str:
    """Texts without doubles, as one line."""
    return "; ".join(dict.fromkeys(texts))
