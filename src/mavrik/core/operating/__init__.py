"""A circuit at an operating state: one kind of state, one way of making a network of it."""

from mavrik.core.operating.elements import elements_of
from mavrik.core.operating.engine import Engine, Settled
from mavrik.core.operating.point import BranchFlow, DeviceFlow, OperatingPoint, Supply, point_of, solve_circuit, supplies_of
from mavrik.core.operating.state import BankLoad, DeadShort, State, check_state, is_on
from mavrik.core.operating.together import AtState, settle_together, solved_together

__all__ = [
    "AtState",
    "BankLoad",
    "BranchFlow",
    "DeadShort",
    "DeviceFlow",
    "Engine",
    "OperatingPoint",
    "Settled",
    "State",
    "Supply",
    "check_state",
    "elements_of",
    "is_on",
    "point_of",
    "settle_together",
    "solve_circuit",
    "solved_together",
    "supplies_of",
]
