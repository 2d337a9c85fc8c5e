"""Student's t and Fisher's F by scipy's special functions: what makes up its statistics takes longer to import than all else."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

Array = NDArray[np.float64]


def normal_quantile(p: float) -> float:
    """The value that a standard normal variable stays under with probability p."""
    from scipy.special import ndtri

    return float(ndtri(p))


def student_beyond(t: ArrayLike, nu: float) -> Array:
    """Probability (...) that Student's t with nu degrees of freedom is above t (...)."""
    from scipy.special import stdtr

    return np.asarray(stdtr(nu, -np.asarray(t, float)), float)


def student_quantile(p: float, nu: float) -> float:
    """The value that Student's t with nu degrees of freedom stays under with probability p."""
    from scipy.special import stdtrit

    return float(stdtrit(nu, p))


def fisher_beyond(F: ArrayLike, over: float, under: float) -> Array:
    """Probability (...) that Fisher's F with so many degrees of freedom over and under the line is above F (...)."""
    from scipy.special import fdtrc

    return np.asarray(fdtrc(over, under, np.asarray(F, float)), float)


def fisher_quantile(p: float, over: float, under: float) -> float:
    """The value that Fisher's F stays under with probability p."""
    from scipy.special import fdtri

    return float(fdtri(over, under, p))
