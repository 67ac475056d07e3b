"""A captured voltage: samples at even intervals, seen from afar, without gaps."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Samples = NDArray[np.float32] | NDArray[np.float64]

MOST_SAMPLES = 10_000_000
"""So many of one capture are taken in."""

LEAST_INTERVAL_S, MOST_INTERVAL_S = 1e-9, 3600.0
"""From the fastest scope that anybody would hold to a charging circuit, to a logger that looks once an hour."""
MOST_VOLTS = 10_000.0
"""Beyond any reading of a vehicle, its ignition included."""
FARTHEST_S = 4e9
"""Times of a capture count from its trigger, or from 1970: both fit."""


class WaveformError(ValueError):
    """A capture that cannot say what is asked of it."""


@dataclass(frozen=True)
class Wave:
    """Samples at even intervals."""

    volts: Samples
    interval_s: float
    start_s: float = 0.0

    def __post_init__(self) -> None:
        if not LEAST_INTERVAL_S <= self.interval_s <= MOST_INTERVAL_S:
            allowed = f"{LEAST_INTERVAL_S:g} to {MOST_INTERVAL_S:g} s"
            raise WaveformError(f"The sampling interval is {allowed}, not {self.interval_s:g}")

    @property
    def seconds(self) -> float:
        """How long it is [s]."""
        return len(self.volts) * self.interval_s


def envelope(volts: Samples, buckets: int) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """The least and the most of even stretches of a capture, so that no peak is lost however small it is drawn.

    volts: samples; NaN where there is none
    buckets: how many stretches, at most; fewer samples give as many stretches as there are samples
    Returns two arrays of the same length; NaN for a stretch without samples. Raises ValueError for no buckets.

    >>> least, most = envelope(np.array([0.0, 5.0, 1.0, -3.0]), 2)
    >>> least.tolist(), most.tolist()
    ([0.0, -3.0], [5.0, 1.0])
    """
    if buckets < 1:
        raise ValueError("At least one stretch")
    n = len(volts)
    if n == 0:
        return np.zeros(0, dtype=np.float32), np.zeros(0, dtype=np.float32)
    starts = np.unique(np.linspace(0, n, min(buckets, n), endpoint=False).astype(np.int64))
    return np.fmin.reduceat(volts, starts).astype(np.float32), np.fmax.reduceat(volts, starts).astype(np.float32)


def without_gaps(volts: Samples) -> NDArray[np.float64]:
    """Samples whose gaps lie on the line between their neighbours. Raises WaveformError where there is no number at all."""
    samples = np.asarray(volts, dtype=np.float64)
    missing = ~np.isfinite(samples)
    if missing.all():
        raise WaveformError("The capture holds no numbers")
    if missing.any():
        known = np.flatnonzero(~missing)
        samples = np.interp(np.arange(len(samples)), known, samples[known])
    return samples
