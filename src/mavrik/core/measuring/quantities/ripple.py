"""What is left of the alternating voltage behind the rectifier, peak to peak."""

from mavrik.core.measuring.quantities.base import Quantity

RIPPLE_VOLTAGE = Quantity(
    70,
    "ripple",
    "Ripple",
    "V",
    "V p-p",
    meter="oscilloscope",
    least=0.0,
    most_times_system_v=3.5,
)
"""By an oscilloscope, or a captured waveform."""
