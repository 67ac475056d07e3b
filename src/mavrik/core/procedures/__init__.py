"""The tests of the trade, and what their readings are kept as."""

from mavrik.core.operating.bench_states import BenchState, Setup, load_test_a, ohmic, state_of
from mavrik.core.procedures.band import Band, pass_band
from mavrik.core.procedures.base import BenchStep, Judgement, Point, Procedure
from mavrik.core.procedures.bench_limits import Limits, MakerLimits, MakerWindow, bench_limits
from mavrik.core.procedures.records import (
    Observation,
    Repeat,
    check_run,
    complete_run,
    latest_of,
    no_longer_in_a_procedure,
    observations,
    standing,
)
from mavrik.core.procedures.registry import PROCEDURES, procedure

__all__ = [
    "PROCEDURES",
    "Band",
    "BenchState",
    "BenchStep",
    "Judgement",
    "Limits",
    "MakerLimits",
    "MakerWindow",
    "Observation",
    "Point",
    "Procedure",
    "Repeat",
    "Setup",
    "bench_limits",
    "check_run",
    "complete_run",
    "latest_of",
    "load_test_a",
    "no_longer_in_a_procedure",
    "observations",
    "ohmic",
    "pass_band",
    "procedure",
    "standing",
    "state_of",
]
