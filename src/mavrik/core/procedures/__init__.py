"""The tests of the trade, each in a file of its own, in the order of the work."""

from mavrik.core.procedures.all_consumers import ALL_CONSUMERS
from mavrik.core.procedures.base import (
    Ask,
    BenchStep,
    Judgement,
    Limits,
    MakerLimits,
    MakerWindow,
    Procedure,
    ProcedureRun,
    RunReading,
    Taken,
    Unit,
    bench_limits,
    check_run,
    merged,
    overdue_meters,
    taken_of,
)
from mavrik.core.procedures.battery_load import BATTERY_LOAD
from mavrik.core.procedures.charging_drops import CHARGING_DROPS
from mavrik.core.procedures.connectors import CONNECTORS
from mavrik.core.procedures.cranking import CRANKING
from mavrik.core.procedures.drain import DRAIN
from mavrik.core.procedures.full_output import FULL_OUTPUT
from mavrik.core.procedures.fuse_steps import FUSE_STEPS
from mavrik.core.procedures.idle_output import IDLE_OUTPUT
from mavrik.core.procedures.idle_soak import IDLE_SOAK
from mavrik.core.procedures.joints import JOINTS
from mavrik.core.procedures.key_on import KEY_ON
from mavrik.core.procedures.looked_at import FITTED, VISUAL
from mavrik.core.procedures.net_battery import NET_BATTERY
from mavrik.core.procedures.permanent_magnet import PERMANENT_MAGNET
from mavrik.core.procedures.regulated import REGULATED
from mavrik.core.procedures.rest import REST
from mavrik.core.procedures.ripple import RIPPLE
from mavrik.core.procedures.states import BenchState, half_cca_a, ohmic, state_of
from mavrik.core.procedures.switches import SWITCHES
from mavrik.core.procedures.temperature import TEMPERATURE

PROCEDURES: tuple[Procedure, ...] = (
    VISUAL,
    FITTED,
    REST,
    BATTERY_LOAD,
    KEY_ON,
    SWITCHES,
    CRANKING,
    REGULATED,
    FULL_OUTPUT,
    ALL_CONSUMERS,
    CHARGING_DROPS,
    RIPPLE,
    PERMANENT_MAGNET,
    IDLE_OUTPUT,
    NET_BATTERY,
    TEMPERATURE,
    CONNECTORS,
    IDLE_SOAK,
    DRAIN,
    FUSE_STEPS,
    JOINTS,
)


def procedure(name: str) -> Procedure:
    """A procedure by name.

    name: one of `PROCEDURES`
    Raises ValueError for a name there is none of.

    >>> procedure("rest").title
    'Battery at rest'
    """
    for found in PROCEDURES:
        if found.name == name:
            return found
    raise ValueError(f"There is no procedure '{name}'. Procedures: {', '.join(p.name for p in PROCEDURES)}.")


__all__ = [
    "PROCEDURES",
    "Ask",
    "BenchState",
    "BenchStep",
    "Judgement",
    "Limits",
    "MakerLimits",
    "MakerWindow",
    "Procedure",
    "ProcedureRun",
    "RunReading",
    "Taken",
    "Unit",
    "bench_limits",
    "check_run",
    "half_cca_a",
    "merged",
    "ohmic",
    "overdue_meters",
    "procedure",
    "state_of",
    "taken_of",
]
