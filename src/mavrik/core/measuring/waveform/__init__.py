"""What a captured voltage says: ripple and its pulses, cranking and the onset of charge."""

from mavrik.core.measuring.waveform.cranking import CrankCapture, Cranked, cranking_of
from mavrik.core.measuring.waveform.ripple import Pulses, Ripple, pulse_hz, ripple_of
from mavrik.core.measuring.waveform.wave import (
    FARTHEST_S,
    LEAST_INTERVAL_S,
    MOST_INTERVAL_S,
    MOST_SAMPLES,
    MOST_VOLTS,
    Samples,
    Wave,
    WaveformError,
    envelope,
)

__all__ = [
    "FARTHEST_S",
    "LEAST_INTERVAL_S",
    "MOST_INTERVAL_S",
    "MOST_SAMPLES",
    "MOST_VOLTS",
    "CrankCapture",
    "Cranked",
    "Pulses",
    "Ripple",
    "Samples",
    "Wave",
    "WaveformError",
    "cranking_of",
    "envelope",
    "pulse_hz",
    "ripple_of",
]
