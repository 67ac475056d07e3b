"""Voltages over time, as an oscilloscope on a simulated vehicle would see them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

NOISE_V = 0.008
PHASES = 3
LOST: dict[str, tuple[int, ...]] = {"diode_open": (), "diode_shorted": (), "phase_lost": (0,)}
"""Phases whose winding carries nothing."""

COMPRESSION_HZ, COMPRESSION_V = 9.0, 0.25
KEY_AT, RELEASE_AT, CHARGES_AT, RAMP = 0.15, 0.40, 0.55, 0.05
"""Of the captured time: when the starter comes on and goes off, when charging begins, and how long it takes to rise."""


def bridge(t: Floats, pole_pair_hz: float, cause: str = "") -> Floats:
    """What a three-phase bridge of 1 V a phase gives [V].

    t: times [s]; pole_pair_hz: of one phase; cause: `diode_open`, `diode_shorted`, `phase_lost`, anything else is sound
    Source: any power-electronics text: the highest phase over the lowest, of those whose diode conducts.

    >>> round(float(bridge(np.linspace(0, 1, 10_000), 50.0).mean()), 2)  # 3 sqrt(3) / pi
    1.65
    """
    phase = np.sin(2 * np.pi * pole_pair_hz * t - 2 * np.pi * np.arange(PHASES)[:, None] / PHASES)
    works = [k for k in range(PHASES) if k not in LOST.get(cause, ())]
    above = works[1:] if cause.startswith("diode") else works
    return np.asarray(phase[above].max(axis=0) - phase[works].min(axis=0))


def running(t: Floats, mean_v: float, ripple_vpp: float, pole_pair_hz: float, cause: str, rng: np.random.Generator) -> Floats:
    """The stud of a running alternator: its mean with the rectifier's pulses upon it [V].

    t: times [s]; mean_v, ripple_vpp: what meters show; pole_pair_hz, cause: as `bridge`; rng: for the noise
    """
    pulses = bridge(t, pole_pair_hz, cause)
    share = ripple_vpp / max(float(np.ptp(pulses)), 1e-9)
    return np.asarray(mean_v + (pulses - pulses.mean()) * share + rng.normal(0, NOISE_V, len(t)))


def started(t: Floats, rest_v: float, cranking_v: float, idle_v: float, rng: np.random.Generator) -> Floats:
    """Battery posts from before the key is turned until the engine runs [V].

    t: times [s], from 0; rest_v, cranking_v, idle_v: what a meter shows in those states; rng: for the noise
    The starter's strokes of compression lift and press the voltage; the first turn from standstill takes it lowest.
    """
    share = t / t[-1]
    stroke = COMPRESSION_V * (1 + np.sin(2 * np.pi * COMPRESSION_HZ * t)) / 2
    inrush = 0.8 * np.exp(-(t - KEY_AT * t[-1]).clip(0) / 0.05)
    volts = np.where(
        share < KEY_AT, rest_v, np.where(share < RELEASE_AT, cranking_v + stroke - inrush, min(rest_v, 12.4 / 12.6 * rest_v))
    )
    rise = np.clip((share - CHARGES_AT) / RAMP, 0, 1)
    after = share >= RELEASE_AT
    volts = np.where(after, volts + (idle_v - volts) * rise, volts)
    return np.asarray(volts + rng.normal(0, NOISE_V, len(t)))
