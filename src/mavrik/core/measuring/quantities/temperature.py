"""A temperature."""

from mavrik.core.measuring.quantities.base import Quantity

TEMPERATURE_C = Quantity(
    80,
    "temperature",
    "Temperature",
    "°C",
    "°C",
    digits=0,
    meter="thermometer",
    last_digit=1.0,
    least=-60.0,
    most=800.0,
)
"""By an infrared thermometer, of the hottest place."""
