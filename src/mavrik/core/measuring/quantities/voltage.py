"""A voltage between two points."""

from mavrik.core.measuring.quantities.base import Quantity

VOLTAGE = Quantity(
    10,
    "voltage",
    "Voltage",
    "V",
    "V",
    meter="voltmeter",
    turned_below=-0.05,
    turned="Negative: the probes are swapped. Turn them, or enter the value without its sign.",
    most_times_system_v=3.5,
    slip="Was it read in millivolts?",
)
"""A stud that has lost its sense wire stands at the rectifier's clamp, three times the system's voltage; beyond is no reading."""
