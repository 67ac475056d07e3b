"""Ripple of a captured voltage, and what its pulses say of the rectifier."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import Annotated

import numpy as np
import scipy
from numpy.typing import NDArray
from pydantic import Field

from mavrik.core.document import Document
from mavrik.core.measuring.waveform.wave import Wave, WaveformError, without_gaps

Floats = NDArray[np.float64]

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

LEAST_RATE = 1000.0
MOST_POINTS = 600
SHOWN_TIMES = 15
ABOVE_NOISE = 6.0

PULSES = 6
"""Of a three-phase bridge, a turn of a pole pair."""

USUAL_POLE_PAIRS = 6
SLOWEST, FASTEST = 0.7, 1.2
"""A belt slips and a speed is read off a dial: 1, 2 and 6 times a frequency are told apart all the same."""

LAGS = 0.92
"""Below this share of what speed and ratio say, the belt is asked about: a dial is read to a few percent."""

LEAST_SHAFT_RPM, MOST_SHAFT_RPM = 900.0, 16_000.0
"""Slower no unit charges, faster none turns for long. Common practice, no source."""

AT_THE_BENCH_RPM = 8000.0
"""A unit whose ripple is read turns no faster: 2,000 /min of the engine with a small pulley. Common practice, no source."""

BETTER = 5
"""A rate of so many times the least shows the shape of the pulses, too: ten samples a pulse."""

HEALTHY_VPP = 0.5
"""Even ripple at the stud of a 12 V system stays below. Common practice, no source."""

TORN = 0.42
"""Second and third harmonic together, over the first: even pulses of two or six stay below, where a diode is open or shorted they lie
above. From rectifiers on batteries computed by ngspice, tests/reference."""

BELOW = 0.6
"""A component at half or a third of the strongest that has this share of it is the first of its row; phases that differ by a few percent
leave less there. From the same rectifiers."""


class Pulses(StrEnum):
    """What the pulses of a rectifier look like."""

    EVEN = "even"
    DIODE = "diode"
    PHASE = "phase"
    FLAT = "flat"
    UNCLEAR = "unclear"
    UNSTEADY = "unsteady"
    TOO_FEW = "too_few"
    """Samples: what shows may be the mirror image of something faster."""


PER_TURN = {Pulses.EVEN: PULSES, Pulses.PHASE: 2, Pulses.DIODE: 1}
"""Pulses a turn of a pole pair."""


class Ripple(Document):
    """Ripple of a captured voltage."""

    mean_v: Annotated[float, Field(description="Over the whole capture [V]")]
    ripple_vpp: Annotated[float, Field(description="Peak to peak without slow changes, the median of stretches of 20 ms [V]")]
    spikes_vpp: Annotated[float, Field(description="The same at its worst [V]")]
    rms_v: Annotated[float, Field(description="Of the ripple [V]")]
    strongest_hz: Annotated[float | None, Field(description="The strongest component [Hz]; null where there is none")]
    shaft_rpm: Annotated[
        float | None, Field(description="Of the alternator, as the pulses count it [1/min]; null where they do not say")
    ]
    pulses: Pulses
    words: str
    frequency_hz: tuple[float, ...]
    amplitude_v: tuple[float, ...]
    """Spectrum, peak values [V]."""


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


def least_rate(pole_pair_hz: float) -> float:
    """Samples a second below which the pulses of a sound rectifier cannot be told from their mirror images.

    pole_pair_hz: see `pulse_hz`
    Source: Nyquist's rate of six pulses a turn of a pole pair.

    >>> least_rate(120)
    1440
    """
    return 2 * PULSES * pole_pair_hz


@dataclass(frozen=True)
class _Spectrum:
    """Amplitudes within the band where pulses can be."""

    frequency: Floats
    amplitude: Floats
    strongest: float | None
    """None: nothing stands out of the noise."""
    steady: bool

    @classmethod
    def of(cls, frequency: Floats, amplitude: Floats) -> _Spectrum:
        top = int(np.argmax(amplitude))
        noise = float(np.median(amplitude[amplitude > 0])) if (amplitude > 0).any() else 0.0
        if amplitude[top] <= ABOVE_NOISE * noise:
            return cls(frequency, amplitude, None, False)
        away = np.abs(frequency / frequency[top] - 1)
        around = amplitude[(away > 0.04) & (away < 0.4) & (amplitude > 0)]
        steady = not len(around) or bool(amplitude[top] >= LINE * float(np.median(around)))
        return cls(frequency, amplitude, float(frequency[top]), steady)

    def share(self, hz: float, of_hz: float) -> float:
        """A component over another one."""
        return self._at(hz) / max(self._at(of_hz), 1e-12)

    def _at(self, hz: float) -> float:
        return float(self.amplitude[np.abs(self.frequency - hz) <= 0.04 * hz].max(initial=0.0))

    def first_of_its_row(self) -> float:
        """The component that the strongest is a multiple of."""
        assert self.strongest is not None
        for part in (3, 2):
            if self.share(self.strongest / part, self.strongest) > BELOW:
                return self.strongest / part
        return self.strongest


def _with_the_speed(spectrum: _Spectrum, pole_pair_hz: float) -> Pulses:
    """What the pulses are of, where it is known how fast pole pairs pass."""
    strongest, first = spectrum.strongest or 0.0, spectrum.first_of_its_row()
    for says in (Pulses.EVEN, Pulses.DIODE, Pulses.PHASE):
        at = first if says is Pulses.DIODE else strongest
        if SLOWEST <= at / (PER_TURN[says] * pole_pair_hz) <= FASTEST:
            return says
    return Pulses.UNCLEAR


def _by_their_shape(spectrum: _Spectrum, pole_pairs: int, healthy: bool) -> tuple[Pulses, str]:
    """What the pulses are of without any speed: by their harmonics, and by what speeds a shaft can have; and what else they may be of.

    healthy: whether they are no higher than those of a sound rectifier
    """
    first = spectrum.first_of_its_row()
    second, third = spectrum.share(2 * first, first), spectrum.share(3 * first, first)

    def turns(says: Pulses) -> bool:
        return LEAST_SHAFT_RPM <= _shaft_rpm(first, says, pole_pairs) <= MOST_SHAFT_RPM

    if first != spectrum.strongest or second + third > TORN:
        return (Pulses.DIODE if turns(Pulses.DIODE) else Pulses.UNCLEAR), ""
    plain = [says for says in (Pulses.EVEN, Pulses.PHASE) if turns(says)]
    if len(plain) == 1:
        return plain[0], ""
    if not plain:
        return Pulses.UNCLEAR, ""
    either = " and ".join(
        f"{of} at {_shaft_rpm(first, says, pole_pairs):.0f} /min of its shaft"
        for says, of in ((Pulses.EVEN, "a sound rectifier"), (Pulses.PHASE, "a lost phase"))
    )
    more = f" The same would be seen of {either}: enter the engine's speed."
    return (Pulses.EVEN if healthy else Pulses.UNCLEAR), more


def _shaft_rpm(first_hz: float, says: Pulses, pole_pairs: int) -> float:
    return 60 * first_hz / PER_TURN[says] / pole_pairs


def ripple_of(
    wave: Wave, pole_pair_hz: float | None = None, pole_pairs: int = USUAL_POLE_PAIRS, system_voltage_v: float = 12.0
) -> Ripple:
    """Ripple of a captured voltage, and whether all pulses of the rectifier are there.

    wave: at the stud, engine running, DC or AC coupled
    pole_pair_hz: see `pulse_hz`, where the speed is known; a lost phase can only be told from a sound bridge at a third of the speed
    with it, or by how deep the pulses are
    pole_pairs: of the alternator; system_voltage_v: 12 or 24 [V]
    Nothing is said of the pulses where there are fewer samples than two for each of them: see `least_rate`.
    Raises WaveformError for a capture too short (under 50 ms), too coarse (under 1 kHz) or without numbers.
    Source: six-pulse bridge, ripple 4.2 % rms at six times the pole-pair frequency; a lost diode leaves a strong component at
    the pole-pair frequency, a lost phase at twice that. Limits between them are ours, from computed rectifiers.

    >>> t = np.arange(20_000) / 20_000
    >>> found = ripple_of(Wave(14.2 + 0.1 * np.sin(2 * np.pi * 720 * t), 1 / 20_000), 120)
    >>> round(found.ripple_vpp, 2), round(found.strongest_hz), found.pulses.value, round(found.shaft_rpm)
    (0.2, 720, 'even', 1200)
    """
    rate = 1 / wave.interval_s
    if wave.seconds < 0.05:
        raise WaveformError(f"{wave.seconds * 1000:.3g} ms is too short for ripple: capture a tenth of a second or more")
    if rate < LEAST_RATE:
        raise WaveformError(f"{rate:.3g} samples a second are too few for ripple: capture with 10 kHz or more")
    middle = max(0, (len(wave.volts) - MOST_ANALYSED) // 2)
    samples = without_gaps(wave.volts[middle : middle + MOST_ANALYSED])
    mean = float(np.nanmean(wave.volts, dtype=np.float64))
    window = max(3, round(STRETCH_S * rate))
    slow = samples[: len(samples) // window * window].reshape(-1, window).mean(axis=1)
    if np.ptp(slow) > STEADY_V:
        raise WaveformError(
            f"The voltage changes by {np.ptp(slow):.1f} V within this capture: ripple is read while the engine runs steadily. "
            "Is it a capture of cranking?"
        )
    fast = scipy.signal.sosfiltfilt(scipy.signal.butter(2, SLOW_HZ, "highpass", fs=rate, output="sos"), samples)
    count = len(fast) // window
    heights = np.ptp(fast[: count * window].reshape(count, window), axis=1)
    size = min(len(fast), 1 << 16)
    frequency, power = scipy.signal.welch(fast, rate, window="hann", nperseg=size, scaling="spectrum")
    amplitude = np.sqrt(2 * power)
    band = (frequency >= LEAST_HZ) & (frequency <= min(MOST_HZ, rate / 2))
    spectrum = _Spectrum.of(frequency, np.where(band, amplitude, 0.0))
    healthy = float(np.median(heights)) < HEALTHY_VPP * system_voltage_v / 12
    pulses, more = _pulses(spectrum, rate, pole_pair_hz, pole_pairs, healthy)
    # Up to where harmonics still tell something; the rest would press them against the edge.
    shown = frequency <= min(MOST_HZ, rate / 2, max(2000.0, SHOWN_TIMES * (spectrum.strongest or 0.0)))
    step = max(1, int(np.ceil(shown.sum() / MOST_POINTS)))
    starts = np.arange(0, int(shown.sum()), step)
    return Ripple(
        mean_v=mean,
        ripple_vpp=float(np.median(heights)),
        spikes_vpp=float(heights.max()),
        rms_v=float(fast.std()),
        strongest_hz=spectrum.strongest,
        shaft_rpm=_shaft_rpm(_counted(spectrum, pulses), pulses, pole_pairs) if pulses in PER_TURN else None,
        pulses=pulses,
        words=_words(spectrum, pulses, pole_pair_hz, pole_pairs) + more,
        frequency_hz=tuple(np.round(frequency[starts], 3).tolist()),
        amplitude_v=tuple(np.round(np.maximum.reduceat(amplitude[shown], starts), 7).tolist()),
    )


def _counted(spectrum: _Spectrum, pulses: Pulses) -> float:
    """The component that pulses are counted by: missing ones by the first of the row."""
    return spectrum.first_of_its_row() if PER_TURN[pulses] == 1 else (spectrum.strongest or 0.0)


def _pulses(spectrum: _Spectrum, rate: float, pole_pair_hz: float | None, pole_pairs: int, healthy: bool) -> tuple[Pulses, str]:
    if spectrum.strongest is None:
        return Pulses.FLAT, ""
    if not spectrum.steady:
        return Pulses.UNSTEADY, ""
    at_most = pole_pair_hz or AT_THE_BENCH_RPM * pole_pairs / 60
    if rate < (least := least_rate(at_most)):
        fastest = "" if pole_pair_hz else f", should the shaft turn at {AT_THE_BENCH_RPM:.0f} /min"
        more = (
            f" {rate:.4g} samples a second do not show {PULSES * at_most:.0f} pulses{fastest}: what is seen may be a mirror image. "
            f"Capture with {least / 1000:.3g} kHz at least, better {BETTER * least / 1000:.3g} kHz"
        )
        return Pulses.TOO_FEW, f"{more}{'' if pole_pair_hz else ', or enter the speed'}."
    if pole_pair_hz is not None:
        return _with_the_speed(spectrum, pole_pair_hz), ""
    return _by_their_shape(spectrum, pole_pairs, healthy)


def _words(spectrum: _Spectrum, pulses: Pulses, pole_pair_hz: float | None, pole_pairs: int) -> str:
    if spectrum.strongest is None:
        return "No ripple above the noise: is the engine running, and the channel on the stud?"
    at = f"The strongest component lies at {spectrum.strongest:.0f} Hz"
    if pulses is Pulses.TOO_FEW:
        return f"{at}."
    if pole_pair_hz is not None:
        at += f", {spectrum.strongest / pole_pair_hz:.1f} times the pole-pair frequency of {pole_pair_hz:.0f} Hz"
    words = {
        Pulses.EVEN: "the pulses are even, as of a sound rectifier.",
        Pulses.DIODE: "pulses are missing once a turn of a pole pair: a diode does not conduct, or is shorted. Read the drain at rest: a "
        "shorted one shows there too.",
        Pulses.PHASE: "two pulses where six should be: a phase is lost.",
        Pulses.UNCLEAR: "that fits neither a sound rectifier nor a lost diode or phase for certain: check speed, ratio and pole pairs.",
        Pulses.UNSTEADY: "it hardly stands out, as pulses at one speed would. Hold the engine at one speed and capture again.",
    }[pulses]
    if pulses in PER_TURN:
        seen = _counted(spectrum, pulses)
        if pole_pair_hz is None:
            words += f" By their count the shaft turns at about {_shaft_rpm(seen, pulses, pole_pairs):.0f} /min, if it has {pole_pairs} pole pairs."
        elif seen < LAGS * (expected := PER_TURN[pulses] * pole_pair_hz):
            words += f" The shaft turns {1 - seen / expected:.0%} slower than engine speed and ratio say: does the belt slip?"
    return f"{at}: {words}"
