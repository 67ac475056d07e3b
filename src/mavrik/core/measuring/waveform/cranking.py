"""Cranking in a captured battery voltage: each attempt, how far it fell, and when charging began."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field
from scipy import ndimage

from mavrik.core.document import Document
from mavrik.core.measuring.waveform.wave import Wave, WaveformError, without_gaps

Floats = NDArray[np.float64]

MOST_POINTS = 200_000
LEAST_LASTS_S = 0.002
"""What is shorter is no voltage that a starter or a computer would see."""

SMOOTH_S = 0.05
"""Longer than noise, shorter than the compression of one cylinder."""

TURN_S = 0.15
"""About one compression stroke of a slow starter: what lasts less is its inrush."""

FALL_V, MOST_FALL_V, FALL_SHARE = 0.5, 1.8, 0.45
"""Of a 12 V system. A starter pulls its battery down by more than the first at least; what counts as cranking is a fall of this share of
its depth, or of the second: glow plugs pull a battery down by 0.7 V or so. Common practice, no source."""

SAME_LEVEL_V = 0.35
"""Of a 12 V system: what differs by more is not at rest but under some load."""

SAME_ATTEMPT_S = 0.3
"""Compression lifts the voltage within one cranking for less."""

SHORTEST_S = 0.1
CHARGES_V, HELD_S = 0.15, 0.5
"""Of a 12 V system: nothing but a charge holds a battery above its rest for so long, and a surface charge is gone after cranking."""

NOISE_TIMES = 4.0


class Cranked(Document):
    """One attempt."""

    from_s: Annotated[float, Field(description="The starter comes on [s]")]
    to_s: Annotated[float, Field(description="The starter goes off [s]")]
    least_v: Annotated[float, Field(description="The least that lasted 2 ms [V]")]


class CrankCapture(Document):
    """Cranking in a captured battery voltage."""

    rest_v: Annotated[float, Field(description="Before the starter and before glow plugs [V]")]
    least_v: Annotated[float, Field(description="The least that lasted 2 ms, of all attempts [V]")]
    least_at_s: float
    from_s: Annotated[float, Field(description="The starter comes on, the last time [s]")]
    to_s: Annotated[float, Field(description="The starter goes off, the last time [s]")]
    attempts: Annotated[tuple[Cranked, ...], Field(description="Every time the starter was on")]
    onset_s: Annotated[float | None, Field(description="From there until charging begins [s]; null where it does not")]
    charging_v: Annotated[float | None, Field(description="Once charging [V]")]
    words: str


def _median(samples: Floats, seconds: float, step: float) -> Floats:
    size = max(1, round(seconds / step))
    return np.asarray(ndimage.median_filter(samples, size, mode="nearest")) if size > 1 else samples


def _rest(smooth: Floats, scale: float) -> tuple[float, float]:
    """The voltage at rest before the starter, and what counts as cranking below it; before that there may be glow plugs.

    smooth: without noise
    """
    highest = np.maximum.accumulate(smooth)
    depth = float((highest - smooth).max())
    fall = min(max(FALL_V * scale, FALL_SHARE * depth), MOST_FALL_V * scale)
    if depth < FALL_V * scale:
        raise WaveformError(f"The voltage never falls {FALL_V * scale:g} V below rest: is the cranking in this capture?")
    before = smooth[: max(1, int(np.argmax(smooth < highest - fall)))]
    top = float(np.percentile(before, 95))
    return float(np.median(before[before > top - SAME_LEVEL_V * scale])), fall


def _runs(under: NDArray[np.bool_], step: float) -> list[tuple[int, int]]:
    """Where the starter is on: beginnings and ends."""
    edges = np.flatnonzero(np.diff(np.concatenate(([False], under, [False])).astype(np.int8)))
    runs: list[tuple[int, int]] = []
    for first, last in zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True):
        if runs and (first - runs[-1][1]) * step < SAME_ATTEMPT_S:
            runs[-1] = (runs[-1][0], last)
        else:
            runs.append((first, last))
    return [r for r in runs if (r[1] - r[0]) * step >= SHORTEST_S]


def cranking_of(wave: Wave, system_voltage_v: float = 12.0) -> CrankCapture:
    """Cranking in a captured battery voltage: every attempt, how far it fell, how long, and when charging began.

    wave: at the battery posts, from before the key is turned
    system_voltage_v: 12 or 24 [V]
    Raises WaveformError where the voltage does not fall as under a starter, or the capture holds no numbers.
    Source: common practice. Cranking is a fall deeper than that of glow plugs; charging has begun where the voltage stays above rest
    for half a second, which no battery does by itself.

    >>> volts = np.concatenate((np.full(100, 12.6), np.full(80, 10.1), np.full(120, 12.3), np.full(300, 14.2)))
    >>> found = cranking_of(Wave(volts, 0.01))
    >>> found.least_v, found.from_s, round(found.to_s, 2), round(found.onset_s, 2), len(found.attempts)
    (10.1, 1.0, 1.8, 1.2, 1)
    """
    scale = system_voltage_v / 12
    samples = without_gaps(wave.volts)
    block = max(1, len(samples) // MOST_POINTS)
    if block > 1:
        samples = samples[: len(samples) // block * block].reshape(-1, block).mean(axis=1)
    step = wave.interval_s * block
    steady, smooth = _median(samples, LEAST_LASTS_S, step), _median(samples, SMOOTH_S, step)
    rest, fall = _rest(_median(samples, TURN_S, step), scale)
    runs = _runs(smooth < rest - fall, step)
    if not runs:
        raise WaveformError(f"The voltage never falls {FALL_V * scale:g} V below rest: is the cranking in this capture?")
    first, last = runs[-1]
    after = smooth[last:]
    noise = float(np.median(np.abs(np.diff(smooth)))) if len(smooth) > 1 else 0.0
    above = after > rest + max(CHARGES_V * scale, NOISE_TIMES * noise)
    long = max(1, round(HELD_S / step))
    held = np.convolve(above, np.ones(long, dtype=np.int64), mode="valid") == long if len(above) >= long else np.zeros(0, bool)
    onset = int(np.argmax(held)) if held.any() else None
    charging = float(np.median(after[onset:])) if onset is not None else None
    low = min((a + int(np.argmin(steady[a:b])) for a, b in runs), key=lambda k: float(steady[k]))
    attempts = tuple(
        Cranked(from_s=wave.start_s + a * step, to_s=wave.start_s + b * step, least_v=float(steady[a:b].min())) for a, b in runs
    )
    return CrankCapture(
        rest_v=rest,
        least_v=float(steady[low]),
        least_at_s=wave.start_s + low * step,
        from_s=wave.start_s + first * step,
        to_s=wave.start_s + last * step,
        attempts=attempts,
        onset_s=None if onset is None else onset * step,
        charging_v=charging,
        words=_words(rest, float(steady[low]), attempts, None if onset is None else onset * step, charging),
    )


def _words(rest: float, least: float, attempts: tuple[Cranked, ...], onset_s: float | None, charging: float | None) -> str:
    times = " and ".join(f"{a.to_s - a.from_s:.1f} s" for a in attempts)
    tried = f"cranking {len(attempts)} times, for {times}" if len(attempts) > 1 else f"cranking for {times}"
    words = f"From {rest:.2f} V down to {least:.2f} V, {tried}."
    if len(attempts) > 1:
        words += " It did not start at once: fuel, glow plugs and battery come before the starter."
    if onset_s is None or charging is None:
        return f"{words} Charging did not begin within this capture."
    return f"{words} Charging began {onset_s:.1f} s later, at {charging:.2f} V."
