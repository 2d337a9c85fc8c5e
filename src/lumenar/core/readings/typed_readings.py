"""Readings as a person types or pastes them from a meter that only shows numbers, and what in them cannot be or is odd."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from lumenar.core.colour.spaces import uv_to_xy, xy_to_XYZ
from lumenar.core.colour.transfer import pq
from lumenar.core.numbers import significant
from lumenar.core.targets import Signal

Form = Literal["XYZ", "Yxy", "Yuv", "Y"]
FORMS: dict[Form, str] = {"XYZ": "X Y Z", "Yxy": "Y x y", "Yuv": "Y u' v'", "Y": "Y alone"}
MOST_CD_M2 = 50_000.0
"""More than any display gives."""
NEGATIVE_CD_M2, NEGATIVE_SHARE = 0.1, 0.01
"""Noise near black can make a component as negative as this and this share of Y."""
SPREAD = 0.02
"""A grey may be this much brighter than a brighter one before anybody is asked."""
PQ_FROM, PQ_MOST, PQ_SURE = 0.25, 2.5, 0.3
"""A grey of PQ from this code on with so many times the light that it asks for is odd; so is one with so much less, up to this
share of white."""
GREY_FROM, GAMMAS = 0.2, (1.2, 3.6)
"""From this signal on a grey between black and white is asked about where its gamma would lie outside of these."""


class TypedError(ValueError):
    """What was typed is no reading; the text says why and how it is written."""


@dataclass(frozen=True)
class Typed:
    """One typed reading: XYZ in cd/m2, or None where the meter showed that it is under its floor."""

    XYZ: tuple[float, float, float] | None


_SPLIT = re.compile(r"[;\t ]+")
_THOUSANDS = re.compile(r"^[-+]?\d{1,3}(,\d{3})+(\.\d*)?$")
_UNDER = re.compile(r"^(<.*|-+|low|under|0([.,]0*)?)$", re.IGNORECASE)


def numbers(text: str) -> list[float]:
    """Numbers from a line: parted by blanks, tabs or semicolons with a decimal point or comma, or parted by commas with a
    decimal point. TypedError names what is none."""
    words = [w for w in _SPLIT.split(text.strip()) if w]
    if len(words) == 1 and words[0].count(",") > 1:
        words = words[0].split(",")
    else:
        words = [w.rstrip(",") if "." in w or not re.search(r"\d,\d", w) else w for w in words]
    found = []
    # With a decimal point among the numbers a comma marks thousands.
    points = any("." in w for w in words)
    for word in words:
        plain = word.replace(",", ".") if word.count(",") == 1 and "." not in word else word
        if "," in word and points:
            if not _THOUSANDS.match(word):
                raise TypedError(
                    f"{word!r} may be two numbers or one; write it without a comma, or all with decimal commas"
                )
            plain = word.replace(",", "")
        try:
            value = float(plain)
        except ValueError:
            raise TypedError(f"{word!r} is no number") from None
        if value != value or abs(value) == float("inf"):
            raise TypedError(f"{word!r} is no number")
        found.append(value)
    return found


def parse(text: str, form: Form) -> Typed:
    """A reading as typed in a form; TypedError where it cannot be one. A zero, a dash, "low" or "<0.003" alone means that the
    meter is under its floor."""
    if not text.strip():
        raise TypedError("nothing is typed")
    if _UNDER.match(text.strip()):
        return Typed(None)
    values = numbers(text)
    if form == "Y" and len(values) == 1:
        # What nobody read stands for nothing: only measurements that never look at it take such a reading.
        values = [values[0]] * 3
    elif form == "Y":
        raise TypedError(f"{len(values)} numbers, but a luminance is one")
    if len(values) != 3:
        count = "1 number" if len(values) == 1 else f"{len(values)} numbers"
        raise TypedError(f"{count}, but {FORMS[form]} takes three, parted by blanks")
    XYZ = _as_XYZ(values, form)
    Y = XYZ[1]
    if Y > MOST_CD_M2:
        raise TypedError(f"{significant(Y, 3)} cd/m² is more than any display gives; Y is in cd/m²")
    if min(XYZ) < -(NEGATIVE_CD_M2 + NEGATIVE_SHARE * max(Y, 0)):
        raise TypedError(f"{significant(min(XYZ), 3)} is less than noise can make of no light")
    return Typed(XYZ)


def _as_XYZ(values: Sequence[float], form: Form) -> tuple[float, float, float]:
    a, b, c = values
    if form in ("XYZ", "Y"):
        return a, b, c
    if form == "Yxy":
        if not (0 < b < 0.8 and 0 < c < 0.9 and b + c <= 1):
            raise TypedError(f"x {b:g}, y {c:g} is no colour; {_hint(values)}")
        X, _, Z = xy_to_XYZ([b, c], a).tolist()
        return X, a, Z
    if not (0 < b < 0.7 and 0 < c < 0.65):
        raise TypedError(f"u' {b:g}, v' {c:g} is no colour; {_hint(values)}")
    X, _, Z = xy_to_XYZ(uv_to_xy([b, c]), a).tolist()
    return X, a, Z


def _hint(values: Sequence[float]) -> str:
    return "are these X Y Z?" if min(values[1:]) > 1 else "see the order and the form"


HUES = {
    (1, 0, 0): ("red", (0.4507, 0.5229)),
    (0, 1, 0): ("green", (0.1250, 0.5625)),
    (0, 0, 1): ("blue", (0.1754, 0.1579)),
}
"""What the primaries are called, and where in u'v' those of BT.709 are."""
NEARER = 0.08
"""A primary is asked about if its colour is nearer to another's by this much in u'v'."""


def _another_hue(rgb: Sequence[float], typed: Typed) -> str:
    """Whether a primary reads as another one, as where two rows were swapped: a question, empty if not."""
    top = max(rgb)
    key = tuple(int(v > 0.5 * top) for v in rgb)
    if key not in HUES or min(rgb) > 0.05 * top or typed.XYZ is None:
        return ""
    X, Y, Z = typed.XYZ
    total = X + 15 * Y + 3 * Z
    if total <= 0 or X == Y == Z:
        return ""
    u, v = 4 * X / total, 9 * Y / total
    off = {name: math.dist((u, v), place) for name, place in HUES.values()}
    nearest = min(off, key=lambda name: off[name])
    name = HUES[key][0]
    return f"That is the colour of {nearest}, not of {name}. Is it so?" if off[name] - off[nearest] > NEARER else ""


def odd(
    read: Sequence[tuple[Sequence[float], Sequence[float] | None]], signal: Signal = "sdr"
) -> tuple[int, str] | None:
    """The first of some readings that is odd beside the others, darkest signal first, as its place and a question to the person:
    signal rgb and XYZ of each, None under the meter's floor. None if nothing is odd."""
    lit = [(rgb, 0.0 if XYZ is None else float(XYZ[1])) for rgb, XYZ in read]
    for i in sorted(range(len(read)), key=lambda i: sum(read[i][0])):
        rgb, XYZ = read[i]
        typed = Typed(None if XYZ is None else (float(XYZ[0]), float(XYZ[1]), float(XYZ[2])))
        others = [o for j, o in enumerate(lit) if j != i]
        if said := question(rgb, typed, others, signal):
            return i, said
    return _sum_of_primaries(read)


SHARES = {(1, 0, 0): (0.43, 0.21, 0.02), (0, 1, 0): (0.38, 0.72, 0.12), (0, 0, 1): (0.19, 0.07, 0.86)}
"""What the primaries of BT.709 add to X, Y and Z of white, as shares."""
SUM = 0.2
"""White and the sum of its primaries may differ by this share in each of X, Y and Z before it is asked about."""
DARK_SHARE = 0.02
"""A black with more than this share of white is asked about."""


def _sum_of_primaries(read: Sequence[tuple[Sequence[float], Sequence[float] | None]]) -> tuple[int, str] | None:
    """The reading that keeps white from being the sum of its primaries, as its place and a question; None if it is the sum, or
    not all four were read. A display with a white subpixel is asked about too."""
    places = {tuple(rgb): i for i, (rgb, XYZ) in enumerate(read) if XYZ is not None}
    white = places.get((1.0, 1.0, 1.0))
    primaries = [places.get(tuple(float(v) for v in p)) for p in SHARES]
    if white is None or None in primaries:
        return None
    black = places.get((0.0, 0.0, 0.0))
    values = [[float(v) for v in XYZ or ()] for _, XYZ in read]
    for c, name in enumerate("XYZ"):
        W = values[white][c]
        K = 0.0 if black is None else values[black][c]
        if black is not None and DARK_SHARE * W < K:
            return black, f"{name} of black is {100 * K / W:.0f} % of white's. Is it so?" if W > 0 else "Is it so?"
        own = [values[i][c] - K for i in primaries if i is not None]
        total = sum(own) + K
        if abs(total - W) <= SUM * max(W, 1e-9):
            continue
        # The primary with the most unusual share of white; white itself if all shares are usual.
        shares = [s[c] for s in SHARES.values()]
        off = [abs(v / total - s) if total > 0 else 1.0 for v, s in zip(own, shares, strict=True)]
        worst = max(range(3), key=lambda i: off[i])
        place = primaries[worst] if off[worst] > SUM else white
        said = (
            f"{name} of red, green and blue add up to {significant(total, 3)}, white has {significant(W, 3)}. Is it so?"
        )
        return (white if place is None else place), said
    return None


def question(
    rgb: Sequence[float], typed: Typed, others: Sequence[tuple[Sequence[float], float]], signal: Signal = "sdr"
) -> str:
    """What is odd about a reading beside those of other patches in the same setup and window (signal rgb, Y in cd/m2), as a
    question to the person; empty where nothing is. In PQ greys have the light that they ask for, up to what there is, and
    nobody knows of HLG's what they should have."""
    Y = 0.0 if typed.XYZ is None else typed.XYZ[1]
    red, green, blue = rgb
    if said := _another_hue(rgb, typed):
        return said
    white = next((other for signal, other in others if tuple(signal) == (1.0, 1.0, 1.0)), None)
    if red == green == blue:
        greys = [(signal[0], other) for signal, other in others if signal[0] == signal[1] == signal[2]]
        darker = max((g for g in greys if g[0] < red), default=None, key=lambda g: g[1])
        brighter = min((g for g in greys if g[0] > red), default=None, key=lambda g: g[1])
        if darker is not None and darker[1] > Y * (1 + SPREAD) + 0.001:
            return f"Darker than {100 * darker[0]:g} % with {significant(darker[1], 3)} cd/m². Is it so?"
        if brighter is not None and brighter[1] * (1 + SPREAD) + 0.001 < Y:
            return f"Brighter than {100 * brighter[0]:g} % with {significant(brighter[1], 3)} cd/m². Is it so?"
    elif white is not None and white * (1 + SPREAD) < Y:
        return f"Brighter than white with {significant(white, 3)} cd/m². Is it so?"
    if signal == "pq" and red == green == blue and red >= PQ_FROM and white is not None and white > 0 and Y > 0:
        asked = float(pq(red))
        off = Y / asked
        # Where light runs out a display may roll off from well below.
        if off > PQ_MOST or (asked < PQ_SURE * white and off < 1 / PQ_MOST):
            return f"It asks for {significant(asked, 3)} cd/m². Is it so?"
    if signal == "sdr" and red == green == blue and GREY_FROM <= red < 1 and white is not None and white > 0 and Y > 0:
        gamma = math.log(Y / white) / math.log(red)
        if not GAMMAS[0] <= gamma <= GAMMAS[1]:
            return f"That would be a gamma of {gamma:.1f} here. Is it so?"
    if typed.XYZ is None and max(rgb) > 0.3:
        return "Under the meter's floor at so much signal. Is it so?"
    return ""
