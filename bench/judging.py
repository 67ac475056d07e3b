"""How long it takes to judge a job with everything read, ranked by all causes with what to read next."""

from __future__ import annotations

import statistics
import time

import numpy as np
from tests.build import judged, runs_of

from bench.report import Figure
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.additions import add_to
from mavrik.core.circuit.layouts import build_layout
from mavrik.standin.vehicle import VEHICLES, HiddenVehicle, hidden_faults, with_starter

LARGE = {"five batteries in parallel": "battery_parallel", "one behind a converter": "battery_converter"}


def thirty_branches(fifth: str = "battery_converter") -> Circuit:
    """A narrowboat: two alternators, a bank of four, loads and a fifth battery, behind a charger or beside; 29 branches and a starter."""
    circuit = build_layout("house_bank_diagonal", 12)
    for name in (fifth, "load_on_a_lead", "load_on_a_lead", "ground_case"):
        circuit = add_to(circuit, name)
    return with_starter(circuit)


def _large(circuit: Circuit, runs: int) -> tuple[list[float], int]:
    """Times to rank everything on a large job with everything read [ms], and how often the true cause came first."""
    hidden = next(h for h in hidden_faults(circuit) if h.causes[0].startswith("resistance"))
    times, first = [], 0
    for seed in range(runs):
        vehicle = HiddenVehicle(circuit, hidden, np.random.default_rng(seed))
        runs_made = runs_of(vehicle, vehicle.everything())
        begin = time.perf_counter()
        findings = judged(circuit, *runs_made, ahead=True)
        times.append((time.perf_counter() - begin) * 1000)
        first += findings.causes[0].cause == hidden.causes[0]
    return times[1:], first


LARGE_RUNS = 12


def figures() -> list[Figure]:
    """Measures."""
    times = []
    for circuit in VEHICLES.values():
        for k, hidden in enumerate(hidden_faults(circuit)):
            vehicle = HiddenVehicle(circuit, hidden, np.random.default_rng(k))
            runs_made = runs_of(vehicle, vehicle.everything())
            begin = time.perf_counter()
            judged(circuit, *runs_made)
            times.append((time.perf_counter() - begin) * 1000)
    large = {words: _large(thirty_branches(fifth), LARGE_RUNS) for words, fifth in LARGE.items()}
    return [
        Figure(
            "judging",
            "rank all faults, pairs too, everything read, jobs of up to 10 branches",
            "ms",
            statistics.median(times),
            statistics.quantiles(times, n=20)[-1],
            150.0,
        ),
        *(
            Figure("judging", f"the same on a job of 29 branches, {words}", "ms", statistics.median(t), max(t), 500.0)
            for words, (t, _) in large.items()
        ),
        *(
            Figure(
                "judging", f"true cause not ranked first there, {words}", "%", 100 * (1 - first_there / LARGE_RUNS), None, 10.0
            )
            for words, (_, first_there) in large.items()
        ),
    ]
