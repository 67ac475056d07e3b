"""What a job is for."""

from __future__ import annotations

from enum import StrEnum


class Purpose(StrEnum):
    """Why a vehicle comes in; a job may have several."""

    FIND_FAULT = "find_fault"
    MORE_LOAD = "more_load"
    BATTERY = "battery"
    ISOLATE = "isolate"
    MAKE_LEADS = "make_leads"
    ROUTINE_CHECK = "routine_check"


PURPOSE_WORDS: dict[Purpose, tuple[str, str]] = {
    Purpose.FIND_FAULT: ("Find a fault", "Not charging, eats alternators or batteries, a drain nobody finds."),
    Purpose.MORE_LOAD: ("Carry more load", "Fans, lamps, fridge, winch, inverter: more than the circuit was built for."),
    Purpose.BATTERY: ("Move or add a battery", "A battery in the rear, a second one, another chemistry."),
    Purpose.ISOLATE: ("Isolate", "A disconnect for storage, theft, drain, or an emergency stop."),
    Purpose.MAKE_LEADS: ("Make leads", "Cables and fused leads to measure."),
    Purpose.ROUTINE_CHECK: ("Routine check", "Before the season, before a sale, every so many hours."),
}
"""Each in words, and when it is chosen."""
