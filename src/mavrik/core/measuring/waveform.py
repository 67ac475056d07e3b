"""What a captured voltage says: ripple and its pulses, cranking and the onset of charge."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import Annotated

import numpy as np
from numpy.typing import NDArray
from pydantic import Field
from scipy import ndimage, signal

from mavrik.core.document import Document

Samples = NDArray[np.float32] | NDArray[np.float64]

MOST_SAMPLES = 10_000_000
"""So many of one capture are taken in."""

MOST_ANALYSED = 1 << 20
"""Ripple repeats thousands of times a second; a stretch of so many samples from the middle says all of it."""

SLOW_HZ = 15.0
"""What changes more slowly is load and regulation, not ripple."""

STEADY_V = 3.0
"""Loads switched on a running engine move the voltage by less; a starter by more."""

LINE = 4.0
"""Pulses at one speed stand out of their neighbourhood so far; what falls off evenly, as behind a step, does not."""

STRETCH_S = 0.02
"""Several pulses, however slowly the engine runs."""

LEAST_HZ, MOST_HZ = 40.0, 20_000.0
"""Where the pulses of an alternator can be: one pole pair at cranking up to six pulses of eight at full speed."""

MOST_POINTS = 600
SHOWN_TIMES = 15
CRANK_POINTS = 200_000
ABOVE_NOISE = 6.0
SECOND_SHARE, THIRD_SHARE = 0.4, 0.2
"""Harmonics of an even rectifier fall off at once: 0.25 and 0.11 of the first. Of a missing diode they do not."""

PULSES = 6
SLOWEST, FASTEST = 0.7, 1.2
LAGS = 0.92
"""Below this share of what speed and ratio say, the belt is asked about: a dial is read to a few percent."""


class WaveformError(ValueError):
    """A capture that cannot say what is asked of it."""


class Pulses(StrEnum):
    """What the pulses of a rectifier look like."""

    EVEN = "even"
    DIODE = "diode"
    PHASE = "phase"
    FLAT = "flat"
    UNCLEAR = "unclear"
    UNSTEADY = "unsteady"


TIMES = {PULSES: Pulses.EVEN, 1: Pulses.DIODE, 2: Pulses.PHASE}
"""The strongest component as a multiple of the pole-pair frequency, and what that is of."""


class Ripple(Document):
    """Ripple of a captured voltage."""

    mean_v: Annotated[float, Field(description="Over the whole capture [V]")]
    ripple_vpp: Annotated[float, Field(description="Peak to peak without slow changes, the median of stretches of 20 ms [V]")]
    spikes_vpp: Annotated[float, Field(description="The same at its worst [V]")]
    rms_v: Annotated[float, Field(description="Of the ripple [V]")]
    strongest_hz: Annotated[float | None, Field(description="The strongest component [Hz]; null where there is none")]
    pulses: Pulses
    words: str
    frequency_hz: tuple[float, ...]
    amplitude_v: tuple[float, ...]
    """Spectrum, peak values [V]."""


class CrankCapture(Document):
    """Cranking in a captured battery voltage."""

    rest_v: Annotated[float, Field(description="Before the starter [V]")]
    least_v: Annotated[float, Field(description="The least that lasted 2 ms [V]")]
    least_at_s: float
    from_s: Annotated[float, Field(description="The starter comes on [s]")]
    to_s: Annotated[float, Field(description="The starter goes off [s]")]
    onset_s: Annotated[float | None, Field(description="From there until charging begins [s]; null where it does not")]
    charging_v: Annotated[float | None, Field(description="Once charging [V]")]
    words: str


LEAST_INTERVAL_S, MOST_INTERVAL_S = 1e-9, 3600.0
"""From the fastest scope that anybody would hold to a charging circuit, to a logger that looks once an hour."""
MOST_VOLTS = 10_000.0
"""Beyond any reading of a vehicle, its ignition included."""
FARTHEST_S = 4e9
"""Times of a capture count from its trigger, or from 1970: both fit."""


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


def _sound(volts: Samples) -> NDArray[np.float64]:
    """Without gaps: a sample that is missing takes the value before it."""
    samples = np.asarray(volts, dtype=np.float64)
    missing = ~np.isfinite(samples)
    if missing.all():
        raise WaveformError("The capture holds no numbers")
    if missing.any():
        known = np.flatnonzero(~missing)
        samples = np.interp(np.arange(len(samples)), known, samples[known])
    return samples


def pulse_hz(engine_rpm: float, pulley_ratio: float, pole_pairs: int) -> float:
    """Frequency of one pole pair, a sixth of the ripple of a sound rectifier [Hz].

    engine_rpm: [1/min]; pulley_ratio: shaft over engine speed; pole_pairs: of the alternator, 6 in most, up to 8
    Raises ValueError for what is not above 0.
    Source: any power-electronics text; six pulses a period of a three-phase bridge.

    >>> pulse_hz(2000, 3.0, 6)
    600.0
    """
    if min(engine_rpm, pulley_ratio, pole_pairs) <= 0:
        raise ValueError("Speed, ratio and pole pairs are above 0")
    return engine_rpm * pulley_ratio * pole_pairs / 60


def ripple_of(wave: Wave, pole_pair_hz: float | None = None) -> Ripple:
    """Ripple of a captured voltage, and whether all pulses of the rectifier are there.

    wave: at the stud, engine running, DC or AC coupled
    pole_pair_hz: see `pulse_hz`, where the speed is known; a lost phase can only be told from a sound bridge with it
    Raises WaveformError for a capture too short (under 50 ms), too coarse (under 1 kHz) or without numbers.
    Source: six-pulse bridge, ripple 4.2 % rms at six times the pole-pair frequency; a lost diode leaves a strong component at
    the pole-pair frequency, a lost phase at twice that. Limits between them are ours, from computed rectifiers.

    >>> t = np.arange(20_000) / 20_000
    >>> found = ripple_of(Wave(14.2 + 0.1 * np.sin(2 * np.pi * 720 * t), 1 / 20_000), 120)
    >>> round(found.ripple_vpp, 2), round(found.strongest_hz), found.pulses.value
    (0.2, 720, 'even')
    """
    rate = 1 / wave.interval_s
    if wave.seconds < 0.05:
        raise WaveformError(f"{wave.seconds * 1000:.3g} ms is too short for ripple: capture a tenth of a second or more")
    if rate < 1000:
        raise WaveformError(f"{rate:.3g} samples a second are too few for ripple: capture with 10 kHz or more")
    middle = max(0, (len(wave.volts) - MOST_ANALYSED) // 2)
    samples = _sound(wave.volts[middle : middle + MOST_ANALYSED])
    mean = float(np.nanmean(wave.volts, dtype=np.float64))
    window = max(3, round(STRETCH_S * rate))
    slow = samples[: len(samples) // window * window].reshape(-1, window).mean(axis=1)
    if np.ptp(slow) > STEADY_V:
        raise WaveformError(
            f"The voltage changes by {np.ptp(slow):.1f} V within this capture: ripple is read while the engine runs steadily. "
            "Is it a capture of cranking?"
        )
    fast = signal.sosfiltfilt(signal.butter(2, SLOW_HZ, "highpass", fs=rate, output="sos"), samples)
    count = len(fast) // window
    heights = np.ptp(fast[: count * window].reshape(count, window), axis=1)
    size = min(len(fast), 1 << 16)
    frequency, power = signal.welch(fast, rate, window="hann", nperseg=size, scaling="spectrum")
    amplitude = np.sqrt(2 * power)
    band = (frequency >= LEAST_HZ) & (frequency <= min(MOST_HZ, rate / 2))
    pulses, strongest = _pulses(frequency, np.where(band, amplitude, 0.0), pole_pair_hz)
    # Up to where harmonics still tell something; the rest would press them against the edge.
    shown = frequency <= min(MOST_HZ, rate / 2, max(2000.0, SHOWN_TIMES * (strongest or 0.0)))
    step = max(1, int(np.ceil(shown.sum() / MOST_POINTS)))
    starts = np.arange(0, int(shown.sum()), step)
    return Ripple(
        mean_v=mean,
        ripple_vpp=float(np.median(heights)),
        spikes_vpp=float(heights.max()),
        rms_v=float(fast.std()),
        strongest_hz=strongest,
        pulses=pulses,
        words=_pulse_words(pulses, strongest, pole_pair_hz),
        frequency_hz=tuple(np.round(frequency[starts], 3).tolist()),
        amplitude_v=tuple(np.round(np.maximum.reduceat(amplitude[shown], starts), 7).tolist()),
    )


def _pulses(
    frequency: NDArray[np.float64], amplitude: NDArray[np.float64], pole_pair_hz: float | None
) -> tuple[Pulses, float | None]:
    top = int(np.argmax(amplitude))
    strongest = float(frequency[top])
    if amplitude[top] <= ABOVE_NOISE * float(np.median(amplitude[amplitude > 0], axis=0) if (amplitude > 0).any() else 0):
        return Pulses.FLAT, None
    away = np.abs(frequency / strongest - 1)
    around = amplitude[(away > 0.04) & (away < 0.4) & (amplitude > 0)]
    if len(around) and amplitude[top] < LINE * float(np.median(around)):
        return Pulses.UNSTEADY, strongest
    if pole_pair_hz is not None:
        # A belt slips and a speed is read off a dial: 1, 2 and 6 are told apart all the same.
        for times, says in TIMES.items():
            if SLOWEST <= strongest / (times * pole_pair_hz) <= FASTEST:
                return says, strongest
        return Pulses.UNCLEAR, strongest

    def share(times: float) -> float:
        near = np.abs(frequency - times * strongest) <= 0.04 * strongest * max(times, 1.0)
        return float(amplitude[near].max(initial=0.0) / amplitude[top])

    # Where the first harmonic of a lost diode is not the strongest, it lies at half or a third of what is.
    below = max(share(0.5), share(1 / 3))
    if share(2) > SECOND_SHARE or share(3) > THIRD_SHARE or below > SECOND_SHARE:
        return Pulses.DIODE, strongest
    return Pulses.EVEN, strongest


def _pulse_words(pulses: Pulses, strongest: float | None, pole_pair_hz: float | None) -> str:
    if strongest is None:
        return "No ripple above the noise: is the engine running, and the channel on the stud?"
    at = f"The strongest component lies at {strongest:.0f} Hz"
    if pole_pair_hz is not None:
        at += f", {strongest / pole_pair_hz:.1f} times the pole-pair frequency of {pole_pair_hz:.0f} Hz"
    said = {
        Pulses.EVEN: "the pulses are even, as of a sound rectifier.",
        Pulses.DIODE: "pulses are missing once a turn of a pole pair: a diode does not conduct.",
        Pulses.PHASE: "two pulses where six should be: a phase is lost.",
        Pulses.UNCLEAR: "that fits neither a sound rectifier nor a lost diode or phase: check speed, ratio and pole pairs.",
        Pulses.UNSTEADY: "it hardly stands out, as pulses at one speed would. Hold the engine at one speed and capture again.",
        Pulses.FLAT: "",
    }[pulses]
    times = next((t for t, says in TIMES.items() if says is pulses), None)
    if pole_pair_hz is not None and times is not None and strongest < LAGS * times * pole_pair_hz:
        low = 1 - strongest / (times * pole_pair_hz)
        said += f" The shaft turns {low:.0%} slower than engine speed and ratio say: does the belt slip?"
    if pulses is Pulses.EVEN and pole_pair_hz is None:
        said += " A lost phase looks the same without the engine's speed: enter it."
    return f"{at}: {said}"


FALL_V, RISE_V = 0.5, 0.6
"""The starter pulls a 12 V battery down by more, charging lifts it by more."""


def cranking_of(wave: Wave, system_voltage_v: float = 12.0) -> CrankCapture:
    """Cranking in a captured battery voltage: how far it fell, how long, and when charging began.

    wave: at the battery posts, from before the key is turned
    system_voltage_v: 12 or 24 [V]
    Raises WaveformError where the voltage does not fall as under a starter, or the capture holds no numbers.
    Source: common practice; charging has begun where the voltage stays 0.6 V (of 12) above rest for half a second.

    >>> volts = np.concatenate((np.full(100, 12.6), np.full(80, 10.1), np.full(120, 12.3), np.full(300, 14.2)))
    >>> found = cranking_of(Wave(volts, 0.01))
    >>> found.least_v, found.from_s, round(found.to_s, 2), round(found.onset_s, 2)
    (10.1, 1.0, 1.8, 1.2)
    """
    scale = system_voltage_v / 12
    samples = _sound(wave.volts)
    block = max(1, len(samples) // CRANK_POINTS)
    if block > 1:
        samples = samples[: len(samples) // block * block].reshape(-1, block).mean(axis=1)
    step = wave.interval_s * block
    size = max(1, round(0.002 / step))
    steady = ndimage.median_filter(samples, size) if size > 1 else samples
    low = int(np.argmin(steady))
    rest = float(np.median(steady[: max(1, low // 2)])) if low else float(steady[0])
    under = steady < rest - FALL_V * scale
    if not under[low]:
        raise WaveformError(f"The voltage never falls {FALL_V * scale:g} V below rest: is the cranking in this capture?")
    first = int(np.argmax(under))
    after = np.flatnonzero(~under[low:])
    last = low + int(after[0]) if len(after) else len(under)
    # Compression lifts the voltage within one cranking: it goes on while the voltage falls again within a third of a second.
    gap = max(1, round(0.3 / step))
    while (more := np.flatnonzero(under[last : last + gap])).size and last < len(under):
        last += int(more[-1]) + 1
    above = steady[last:] > rest + RISE_V * scale
    long = max(1, round(0.5 / step))
    held = np.convolve(above, np.ones(long, dtype=np.int64), mode="valid") == long if len(above) >= long else np.zeros(0, bool)
    onset = int(np.argmax(held)) if held.any() else None
    charging = float(np.median(steady[last + onset :])) if onset is not None else None
    words = f"From {rest:.2f} V down to {steady[low]:.2f} V, cranking for {(last - first) * step:.1f} s."
    words += (
        f" Charging began {onset * step:.1f} s later, at {charging:.2f} V."
        if onset is not None and charging is not None
        else " Charging did not begin within this capture."
    )
    return CrankCapture(
        rest_v=rest,
        least_v=float(steady[low]),
        least_at_s=wave.start_s + low * step,
        from_s=wave.start_s + first * step,
        to_s=wave.start_s + last * step,
        onset_s=None if onset is None else onset * step,
        charging_v=charging,
        words=words,
    )
