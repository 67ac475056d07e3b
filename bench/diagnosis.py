"""How often the cause is found on vehicles that share no code with the findings, how far that can be trusted, and how long it takes."""

from __future__ import annotations

import statistics
import time
from pathlib import Path

import numpy as np
from tests.build import judged, runs_of
from tests.reference.strangers import faults

from bench.diagnosis_page import diagram, page
from bench.report import Figure
from bench.strangers import (
    SURE,
    altered_outcome,
    calibration,
    hidden_in,
    later_outcome,
    one_of_three,
    other_laws_outcome,
    other_outcomes,
    outcomes,
    rare_outcome,
    ratio_of,
    walked,
    with_hindsight,
    worked_outcome,
)
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.additions import add_to
from mavrik.core.circuit.layouts import build_layout
from mavrik.standin.vehicle import VEHICLES, HiddenVehicle, hidden_faults, with_starter

PAGE = Path(__file__).resolve().parents[1] / "docs" / "diagnosis.md"
DIAGRAM = PAGE.with_name("diagnosis.svg")
STRANGERS = 480
"""Cases that are counted."""

RARE = 64
"""Cases of faults that look like others."""

ALTERED = 120
"""Cases of vehicles wired as no drawing has it."""

OTHER_LAWS = 72
"""Cases of vehicles by other laws than the yard's."""

WORKED = 48
"""Cases of bad isolators and links."""

WALKED = 48
"""Cases that are walked through, one test after the other."""

HINDSIGHT = 12
"""Of those so many of which the shortest way is looked for."""

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
    """Measures, and writes docs/diagnosis.md with its picture."""
    times = []
    for circuit in VEHICLES.values():
        for k, hidden in enumerate(hidden_faults(circuit)):
            vehicle = HiddenVehicle(circuit, hidden, np.random.default_rng(k))
            runs_made = runs_of(vehicle, vehicle.everything())
            begin = time.perf_counter()
            judged(circuit, *runs_made)
            times.append((time.perf_counter() - begin) * 1000)
    large = {words: _large(thirty_branches(fifth), LARGE_RUNS) for words, fifth in LARGE.items()}
    all_read, with_five, walks = outcomes(STRANGERS), outcomes(STRANGERS, core_only=True), walked(WALKED)
    rare = [*other_outcomes(rare_outcome, RARE), *other_outcomes(later_outcome, RARE // len(faults.RARE))]
    otherwise, by_other_laws = other_outcomes(altered_outcome, ALTERED), other_outcomes(other_laws_outcome, OTHER_LAWS)
    worked, hidden, least = other_outcomes(worked_outcome, WORKED), hidden_in(all_read), with_hindsight(HINDSIGHT)
    lines = page(all_read, with_five, walks, rare, otherwise, by_other_laws, worked, hidden, least)
    PAGE.write_text("\n".join(lines) + "\n", encoding="utf-8")
    DIAGRAM.write_text(diagram(all_read), encoding="utf-8")
    sure = [o for o in all_read if o.causes and o.causes[0][1] >= SURE]
    count = len(all_read)
    return [
        Figure(
            "diagnosis",
            "rank all faults, pairs too, everything read, jobs of up to 10 branches",
            "ms",
            statistics.median(times),
            statistics.quantiles(times, n=20)[-1],
            150.0,
        ),
        *(
            Figure("diagnosis", f"the same on a job of 29 branches, {words}", "ms", statistics.median(t), max(t), 500.0)
            for words, (t, _) in large.items()
        ),
        *(
            Figure(
                "diagnosis", f"true cause not ranked first there, {words}", "%", 100 * (1 - first_there / LARGE_RUNS), None, 10.0
            )
            for words, (_, first_there) in large.items()
        ),
        Figure("diagnosis", "true cause not ranked first", "%", 100 * sum(not o.first for o in all_read) / count, None, 5.0),
        Figure(
            "diagnosis",
            "none of the true ones among the first three",
            "%",
            100 * sum(not one_of_three(o) for o in all_read) / count,
            None,
            1.0,
        ),
        Figure(
            "diagnosis",
            "wrong of what is called 90 % sure",
            "%",
            100 * sum(not o.first for o in sure) / max(len(sure), 1),
            None,
            3.0,
        ),
        Figure("diagnosis", "expected calibration error", "%", 100 * calibration(all_read)[1], None, 3.0),
        Figure("diagnosis", "minutes to a sure answer, by information over fixed order", "ratio", ratio_of(walks), None, 0.35),
    ]
