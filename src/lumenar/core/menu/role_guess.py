"""What a control is probably for, by its name in the menu. A guess is only a proposal: a person confirms it."""

from __future__ import annotations

import re

from lumenar.core.menu.roles import AXES, CHANNELS, ON_AXIS, role_of

_SHORT = {"r": "red", "g": "green", "b": "blue"}
_AXES_SHORT = {**_SHORT, "c": "cyan", "m": "magenta", "y": "yellow"}
_GAIN = {"gain", "gains", "drive", "high", "highlight", "contrast"}
_OFFSET = {"offset", "offsets", "bias", "cut", "cutoff", "low"}
_ON_AXIS = {
    "hue": "hue",
    "tint": "hue",
    "saturation": "saturation",
    "sat": "saturation",
    "lightness": "lightness",
    "brightness": "lightness",
    "luminance": "lightness",
    "value": "lightness",
}
_LIGHT = (
    "backlight",
    "back light",
    "luminance",
    "panel light",
    "cell light",
    "light output",
    "lamp power",
    "light source",
    "light",
)
"""Names of controls for the luminance of white, the most certain first. "Brightness" counts only if there is none of these, since
it sets black on many displays."""
_SHADOWS = re.compile(r"\b(shadow|shadows|dark boost|dark detail|black stabili[sz]er|black detail|shadow detail)\b")
_TONE = re.compile(r"\b(gamma|tone|tone curve|curve|eotf)\b")
_WHITE = re.compile(r"\b(colou?r temp(erature)?|white balance|white point|warmth|colou?r tone)\b")


def guess_role(path: str) -> str | None:
    """The role of a control by its path in the menu, None if its name says nothing.

    "White > R Gain" is `red gain`, "Six colours > Cyan > Hue" is `cyan hue`, "Backlight" is `luminance`.
    """
    parts = [_name(p) for p in path.split(">")]
    name = parts[-1]
    words = name.split()
    above = " ".join(parts[:-1]).split()
    for role in (_channel(words, above), _on_axis(words, above)):
        if role is not None and role_of(role) is not None:
            return role
    if name in _LIGHT:
        return "luminance"
    for pattern, role in ((_SHADOWS, "shadows"), (_TONE, "tone"), (_WHITE, "white")):
        if pattern.search(name):
            return role
    return None


def _name(path: str) -> str:
    """The last part of a path, in small letters and with blanks alone between its words."""
    return re.sub(r"[_\-/]+", " ", path.split(">")[-1]).strip().lower()


def guess_roles(paths: list[str]) -> dict[str, str]:
    """By path the roles of controls whose names tell them. At most one sets the luminance: the one with the most certain name, or
    brightness if there is no other."""
    found = {p: role for p in paths if (role := guess_role(p)) is not None}
    lights = sorted((p for p, role in found.items() if role == "luminance"), key=lambda p: _LIGHT.index(_name(p)))
    if not lights:
        lights = [p for p in paths if _name(p) == "brightness"]
        found |= dict.fromkeys(lights[:1], "luminance")
    for p in lights[1:]:
        found.pop(p, None)
    return found


def _channel(words: list[str], above: list[str]) -> str | None:
    """A gain or an offset of a channel."""
    channel = next((_SHORT.get(w, w) for w in words if w in (*CHANNELS, *_SHORT)), None)
    if channel is None:
        return None
    for kinds, role in ((_GAIN, "gain"), (_OFFSET, "offset")):
        if kinds & {*words}:
            return f"{channel} {role}"
    # "RGB gain > Red": the head says what the channels are.
    alone = len(words) == 1
    for kinds, role in ((_GAIN - {"contrast"}, "gain"), (_OFFSET, "offset")):
        if alone and kinds & {*above}:
            return f"{channel} {role}"
    return None


def _on_axis(words: list[str], above: list[str]) -> str | None:
    """Hue, saturation or lightness of one of the six colours. The colour is named in the same words or in the heading above."""
    kind = next((_ON_AXIS[w] for w in words if w in _ON_AXIS), None)
    names = {**{a: a for a in AXES}, **_AXES_SHORT}
    axis = next((names[w] for w in words if w in names), None)
    if kind is None or kind not in ON_AXIS:
        # "Hue > Cyan": the head names the quality, the control names the colour.
        kind = next((_ON_AXIS[w] for w in above if w in _ON_AXIS), None) if axis and len(words) == 1 else None
    elif axis is None:
        axis = next((names[w] for w in reversed(above) if w in names and len(w) > 1), None)
    return f"{axis} {kind}" if axis and kind else None
