"""An alternating voltage, as of a stator's phases."""

from mavrik.core.measuring.quantities.base import Quantity

AC_VOLTAGE = Quantity(
    30,
    "ac_voltage",
    "AC voltage",
    "V",
    "V",
    digits=1,
    last_digit=0.1,
    least=0.0,
    most=500.0,
)
"""No connected voltmeter is asked for it: those read direct voltage."""
