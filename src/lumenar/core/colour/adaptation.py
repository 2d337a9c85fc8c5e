"""Chromatic adaptation."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]

# The linear Bradford cone matrix (ICC.1:2022, annex E).
BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])


def bradford(white_from: ArrayLike, white_to: ArrayLike) -> Array:
    """Linear Bradford matrix (ICC.1:2022, annex E) taking colours seen under one white to another.

    Whites are XYZ (..., 3), only their chromaticity and ratio of scale count; result (..., 3, 3), applied as M @ XYZ.
    """
    one, two = np.asarray(white_from, float) @ BRADFORD.T, np.asarray(white_to, float) @ BRADFORD.T
    return np.asarray(np.linalg.inv(BRADFORD) @ ((two / one)[..., None] * BRADFORD), float)


def adapt(XYZ: ArrayLike, white_from: ArrayLike, white_to: ArrayLike) -> Array:
    """XYZ (..., 3) adapted from one white XYZ to another with the linear Bradford transform."""
    M = bradford(white_from, white_to)
    return np.asarray(np.einsum("...ij,...j->...i", M, np.asarray(XYZ, float)), float)
