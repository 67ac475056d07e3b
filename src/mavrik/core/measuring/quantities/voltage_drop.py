"""A voltage along one lead or side: what it loses."""

from mavrik.core.measuring.quantities.base import Quantity

VOLTAGE_DROP = Quantity(
    20,
    "voltage_drop",
    "Voltage drop",
    "V",
    "mV",
    1000.0,
    digits=0,
    meter="voltmeter",
    last_digit=0.001,
    most_times_system_v=1.5,
    slip="Was it read in millivolts?",
)
"""May go either way: against the current it is negative. Across an open contact it is all the system has."""
