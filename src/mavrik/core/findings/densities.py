"""How densely values lie where chance puts them. scipy.stats has these too; to load it takes longer than a judgement does."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import blas
from scipy.special import gammaln

NEXT_TO_NOTHING = 1400.0
"""Where a square of standard deviations is more a density is next to nothing, and its exponential would be slow."""


def log_density(off: NDArray[np.float64], root: NDArray[np.float64]) -> NDArray[np.float64]:
    """Logarithm of a normal density at many places, the constant of pi left out.

    off: of each place, how far it is from the middle (places, unknowns); root: Cholesky's of the covariance, lower (unknowns, unknowns)
    Source: the multivariate normal density.

    >>> root = np.array([[2.0, 0.0], [1.0, 1.0]])
    >>> log_density(np.array([[0.0, 0.0], [2.0, 2.0]]), root).round(6).tolist()
    [-0.693147, -1.693147]
    """
    # LAPACK's own solver of triangles takes forty times as long for so many right sides.
    standard = blas.dtrsm(1.0, root.T, off, side=1)
    return np.asarray(-0.5 * (standard**2).sum(axis=1) - np.log(np.diag(root)).sum())


def normal_density(off: NDArray[np.float64], sigma: NDArray[np.float64]) -> NDArray[np.float64]:
    """Density of a normal distribution, value by value.

    off: how far each value is from the middle; sigma: standard deviations, above 0
    Source: the normal density.

    >>> normal_density(np.array([0.0, 2.0]), np.array([1.0, 2.0])).round(6).tolist()
    [0.398942, 0.120985]
    """
    return np.asarray(np.exp(-0.5 * np.minimum((off / sigma) ** 2, NEXT_TO_NOTHING)) / (sigma * np.sqrt(2 * np.pi)))


def log_student_density(off: NDArray[np.float64], width: NDArray[np.float64], freedom: float) -> NDArray[np.float64]:
    """Logarithm of the density of Student's distribution, value by value.

    off: how far each value is from the middle; width: what one unit of the standard distribution is there, above 0
    freedom: degrees of it, above 0
    Source: Student's density.

    >>> log_student_density(np.array([0.0]), np.array([1.0]), 2.0).round(6).tolist()  # 1 / sqrt(8)
    [-1.039721]
    """
    constant = gammaln((freedom + 1) / 2) - gammaln(freedom / 2) - 0.5 * np.log(freedom * np.pi)
    return np.asarray(constant - np.log(width) - (freedom + 1) / 2 * np.log1p((off / width) ** 2 / freedom))
