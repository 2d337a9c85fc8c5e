"""A simulated camera before the simulated unit: a photo of the screen beside a lamp that is known to pulse, read line by line."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from lumenar.bench.simulated.behaviour import waveform
from lumenar.bench.simulated.light import SimulatedUnit
from lumenar.bench.simulated.unit_file import Modulation
from lumenar.core.colour import transfer

Array = NDArray[np.float64]

LINES, WIDTH = 900, 1200
READOUT_S = 1 / 30
"""How long the camera takes to read its lines, one after the other."""
RATE_HZ = 100_000.0
REFERENCE = Modulation(shape="sine", frequency_hz=400.0, depth=[(0, 0.8), (100, 0.8)])
RIM = 60
NOISE = 0.012
"""Of one pixel, as a share of white."""


def photo(unit: SimulatedUnit, shutter_s: float, seed: int) -> NDArray[np.uint8]:
    """A picture (h, w, 3), sRGB: the unit's white at the left, a lamp of 400 Hz at the right, dark between and about them. Each
    line sees the light of `shutter_s` s, the next a little later."""
    m = unit.behaviour.modulation
    left = _lines(m, unit.level, unit.backlight, shutter_s)
    right = _lines(REFERENCE, 0.0, 1.0, shutter_s)
    rng = np.random.default_rng([seed, 31])
    picture = np.full((LINES, WIDTH), 0.004)
    rows, middle = slice(RIM, LINES - RIM), WIDTH // 2
    for columns, light in ((slice(RIM, middle - RIM), left), (slice(middle + RIM, WIDTH - RIM), right)):
        picture[rows, columns] = 0.55 * light[rows, None]
    y, x = np.mgrid[-1 : 1 : LINES * 1j, -1 : 1 : WIDTH * 1j]
    picture = picture * (1 - 0.12 * (x * x + y * y))
    picture = picture + NOISE * np.sqrt(picture) * rng.standard_normal(picture.shape)
    encoded = transfer.srgb_inverse(np.clip(picture, 0, 1))
    return np.asarray(np.round(255 * np.repeat(encoded[..., None], 3, axis=2)), np.uint8)


def _lines(m: Modulation | None, level: float, backlight: float, shutter_s: float) -> Array:
    """Light (h,) of each line, 1 in the mean."""
    if m is None:
        return np.ones(LINES)
    seconds = READOUT_S + shutter_s
    light = np.concatenate([[0.0], np.cumsum(waveform(m, level, 1.0, seconds + 0.01, RATE_HZ, backlight))]) / RATE_HZ
    at = np.arange(len(light)) / RATE_HZ
    begin = np.arange(LINES) / LINES * READOUT_S
    seen = (np.interp(begin + shutter_s, at, light) - np.interp(begin, at, light)) / shutter_s
    return np.asarray(seen, float)
