"""Meter corrections."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike, NDArray

from lumenar.core.colour.spaces import XYZ_to_xy

Array = NDArray[np.float64]


WHITE = "white"
PRIMARIES = ("red", "green", "blue")


@dataclass(frozen=True, eq=False)
class ColourReadings:
    """What one meter read of a display for a correction: names (n) of the colours, XYZ (..., n, 3) as read, time_s (n,);
    its relative repeatability and the absolute part of its noise in cd/m2; covariance (n, 3, 3): that of each reading in
    (cd/m2)^2 where it is known, as of a spectrum; else half of the variance is common to X, Y and Z."""

    names: tuple[str, ...]
    XYZ: Array
    time_s: Array
    repeatability: float
    absolute: float
    covariance: Array | None = None

    @cached_property
    def whites(self) -> NDArray[np.intp]:
        """Which readings are of white."""
        return np.flatnonzero(np.array(self.names) == WHITE)

    def mean(self, name: str) -> Array:
        """XYZ (..., 3) of a colour, the mean of its readings."""
        return np.asarray(self.XYZ[..., np.array(self.names) == name, :].mean(axis=-2), float)

    def redrawn(self, draws: int, rng: np.random.Generator) -> ColourReadings:
        """The same series read `draws` times over, XYZ (draws, n, 3)."""
        common = rng.standard_normal((draws, len(self.names), 1))
        each = rng.standard_normal((draws, len(self.names), 3))
        if self.covariance is not None:
            # A covariance may lack a dimension where a colour has no light in one of X, Y, Z: its root always exists.
            values, vectors = np.linalg.eigh(self.covariance)
            root = vectors * np.sqrt(np.maximum(values, 0.0))[:, None, :]
            return replace(self, XYZ=self.XYZ + (root @ each[..., None])[..., 0])
        u = np.hypot(self.repeatability * self.XYZ, self.absolute)
        return replace(self, XYZ=self.XYZ + u * (common + each) * np.sqrt(0.5))


def _phosphor(rgb: ArrayLike, white: ArrayLike) -> tuple[Array, Array]:
    """Columns of chromaticity (x, y, z) for R, G, B (..., 3, 3), and the amounts (..., 3) that make the white's
    chromaticity."""
    xy, w = XYZ_to_xy(rgb), XYZ_to_xy(white)
    N = np.swapaxes(np.concatenate([xy, 1 - xy.sum(axis=-1, keepdims=True)], axis=-1), -1, -2)
    target = np.concatenate([w, 1 - w.sum(axis=-1, keepdims=True)], axis=-1)
    return N, np.linalg.solve(N, target[..., None])[..., 0]


def corrected(XYZ: ArrayLike, matrix: ArrayLike) -> Array:
    """M @ reading for readings (..., 3) and a correction (3, 3). Term by term, so that a reading gives the same figure
    whether it comes alone or among others: a matrix product may add up in another order."""
    v, M = np.asarray(XYZ, float), np.asarray(matrix, float)
    return np.asarray(v[..., 0, None] * M[:, 0] + v[..., 1, None] * M[:, 1] + v[..., 2, None] * M[:, 2], float)


CROSSTALK = np.array([[0.0, 0.10, 0.04], [0.075, 0.0, 0.02], [0.015, 0.03, 0.0]])
"""How much of one of X, Y and Z the filters of an uncorrected colorimeter take for another: one standard deviation of the
elements of the matrix that would correct it. Chosen so that intervals hold the
truth for the simulated colorimeter on the displays of `make truth`."""
OF_WHITE = np.array([0.03, 0.02, 0.03])
"""By how much it is off for a white that is like its calibration source, one relative standard deviation of X, Y and Z."""
BY_PANEL = {"lcd": 1.0, "oled": 1.0, "projector": 1.1, "other": 1.3}
"""How much larger both are for kinds of panel whose spectra differ more."""


def mismatch(panel: str, draws: int, seed: int) -> Array:
    """What a colorimeter without a correction may be off by on a kind of panel: matrices (draws, 3, 3) for its readings to be
    multiplied by. seed tells the meter and the kind of panel apart, so that readings of the same meter share them."""
    rng = np.random.default_rng([20_261_201, seed])
    factor = BY_PANEL.get(panel, BY_PANEL["other"])
    cross = factor * CROSSTALK * rng.standard_normal((draws, 3, 3))
    own = 1 + factor * OF_WHITE * rng.standard_normal((draws, 3)) - cross.sum(axis=-1)
    return np.asarray(cross + own[..., None] * np.eye(3), float)


def without_drift(reference: ColourReadings, working: ColourReadings) -> tuple[ColourReadings, ColourReadings]:
    """Both series as if the display's light had not changed between them and meanwhile.

    A display brightens or dims while it is read. The logarithm of its light is taken to change evenly from the first
    reading to the last of both meters: one slope, by least squares from all readings of white, each meter with a level of
    its own. ColourReadings with fewer than two whites each stay as they are.
    """
    t = np.concatenate([s.time_s[s.whites] for s in (reference, working)])
    count = len(reference.whites)
    if count < 2 or len(t) - count < 2 or np.ptp(t) == 0:
        return reference, working
    y = np.log(np.concatenate([s.XYZ[..., s.whites, 1] for s in (reference, working)], axis=-1))
    groups = (slice(0, count), slice(count, None))
    tc = np.concatenate([t[g] - t[g].mean() for g in groups])
    yc = np.concatenate([y[..., g] - y[..., g].mean(axis=-1, keepdims=True) for g in groups], axis=-1)
    slope = (yc @ tc) / (tc @ tc)
    middle = t.mean()
    first, second = (
        replace(s, XYZ=s.XYZ * np.exp(-slope[..., None] * (s.time_s - middle))[..., None]) for s in (reference, working)
    )
    return first, second


def from_series(reference: ColourReadings, working: ColourReadings) -> Array:
    """The four-colour matrix (..., 3, 3) of two series with R, G, B and white, freed of drift; `four_colour`'s errors."""
    one, two = without_drift(reference, working)
    rgb = [np.stack([s.mean(name) for name in PRIMARIES], axis=-2) for s in (one, two)]
    return four_colour(rgb[0], one.mean(WHITE), rgb[1], two.mean(WHITE))


def spread(reference: ColourReadings, working: ColourReadings, draws: int, seed: int) -> Array:
    """How else a correction might have come out: matrices (draws, 3, 3) by which corrected readings are multiplied.

    Both meters' raw readings are redrawn by their noise and go through the whole method; each is relative to the matrix of
    the readings themselves, whose own bias by noise is taken out.
    """
    rng = np.random.default_rng([seed, 4])
    matrix = from_series(reference, working)
    others = from_series(reference.redrawn(draws, rng), working.redrawn(draws, rng)) @ np.linalg.inv(matrix)
    return np.asarray(others - (others.mean(axis=0) - np.eye(3)), float)


def four_colour(reference_rgb: ArrayLike, reference_white: ArrayLike, rgb: ArrayLike, white: ArrayLike) -> Array:
    """The four-colour matrix (ASTM E1455-17, section 9): corrected = M @ reading, (..., 3, 3).

    reference_rgb, rgb: XYZ of R, G, B, (..., 3, 3), one colour a row; whites (..., 3). Only chromaticities of the primaries
    are used, so drift between them cancels; the scale makes Y of white agree. Raises numpy.linalg.LinAlgError where the
    primaries lie on one line.
    """
    N_ref, k_ref = _phosphor(reference_rgb, reference_white)
    N, k = _phosphor(rgb, white)
    M = (N_ref * k_ref[..., None, :]) @ np.linalg.inv(N * k[..., None, :])
    w = np.asarray(white, float)
    scale = np.asarray(reference_white, float)[..., 1] / (M[..., 1, :] * w).sum(axis=-1)
    return np.asarray(M * scale[..., None, None], float)
