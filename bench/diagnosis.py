"""Hidden faults on invented vehicles: how often the cause is found, what it is taken for, and how many tests that takes."""

from __future__ import annotations

import statistics
import time
from collections import Counter, defaultdict
from pathlib import Path

import numpy as np
from tests.build import judged, runs_of

from bench.report import Figure
from bench.strangers import outcomes, page
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.additions import add_to
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.measuring.readings import Measured
from mavrik.core.procedures import PROCEDURES, procedure
from mavrik.standin.vehicle import VEHICLES, HiddenVehicle, hidden_faults, with_starter

PAGE = Path(__file__).resolve().parents[1] / "docs" / "diagnosis.md"
SEEDS = 3
SURE = 0.9
STRANGERS = 240
"""Cases on vehicles that are not ours."""

LARGE = {"five batteries in parallel": "battery_parallel", "one behind a converter": "battery_converter"}


def _kind(cause: str) -> str:
    return cause.split(":")[0]


def _tests_needed(vehicle: HiddenVehicle, by_information: bool) -> tuple[int, float]:
    """Procedures and minutes until one cause is as good as sure, in the order of the work or of what tells most."""
    measured: dict[str, Measured] = {}
    # Both orders choose among the tests that tell something of this circuit.
    useful = [p.name for p in PROCEDURES if any(not a.own_rule for a in p.points(vehicle.circuit))]
    left = list(useful)
    minutes = 0.0
    while left:
        found = judged(vehicle.circuit, *runs_of(vehicle, measured), ahead=by_information)
        if found.causes[0].probability >= SURE and measured:
            break
        name = next((t.procedure for t in found.next_tests if t.procedure in left), left[0]) if by_information else left[0]
        left.remove(name)
        minutes += procedure(name).minutes
        measured |= vehicle.read(procedure(name))
    return len(useful) - len(left), minutes


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
        found = judged(circuit, *runs_made, ahead=True)
        times.append((time.perf_counter() - begin) * 1000)
        first += found.causes[0].cause == hidden.causes[0]
    return times[1:], first


LARGE_RUNS = 12


def figures() -> list[Figure]:
    """Measures, and writes docs/diagnosis.md."""
    seen: Counter[str] = Counter()
    first: Counter[str] = Counter()
    three: Counter[str] = Counter()
    taken_for: dict[str, Counter[str]] = defaultdict(Counter)
    times, needed = [], {True: [], False: []}  # type: ignore[var-annotated]
    large = {words: _large(thirty_branches(fifth), LARGE_RUNS) for words, fifth in LARGE.items()}
    for circuit in VEHICLES.values():
        for k, hidden in enumerate(hidden_faults(circuit)):
            for seed in range(SEEDS):
                vehicle = HiddenVehicle(circuit, hidden, np.random.default_rng(100 * seed + k))
                runs_made = runs_of(vehicle, vehicle.everything())
                begin = time.perf_counter()
                causes = [c.cause for c in judged(circuit, *runs_made).causes]
                times.append((time.perf_counter() - begin) * 1000)
                own, kind = hidden.causes[0], _kind(hidden.causes[0])
                seen[kind] += 1
                first[kind] += causes[0] == own
                three[kind] += own in causes[:3]
                taken_for[kind][
                    kind if causes[0] == own else f"another {kind}" if _kind(causes[0]) == kind else _kind(causes[0])
                ] += 1
            for by_information in (True, False):
                needed[by_information].append(
                    _tests_needed(HiddenVehicle(circuit, hidden, np.random.default_rng(k)), by_information)
                )
    total = sum(seen.values())
    tests = {b: statistics.mean(n for n, _ in rows) for b, rows in needed.items()}
    minutes = {b: statistics.mean(m for _, m in rows) for b, rows in needed.items()}
    strange, with_five = outcomes(STRANGERS), outcomes(STRANGERS, core_only=True)
    lines = [
        "# How often the cause is found",
        "",
        "## On vehicles that are not ours",
        "",
        "Written by `./mavrik bench diagnosis`. The vehicles of `tests/reference/strangers/` share no code with the findings: copper, batteries, alternators, belts, meters and",
        "hands of their own, drawn at random from wide ranges and solved by ngspice; what they share is the drawn circuit and the list of places that a test asks for. A cause",
        "counts as found where its kind and its part are both right.",
        "",
        *page(strange, with_five),
        "",
        "## On vehicles solved by our own network",
        "",
        f"Every fault of the catalogue hidden in {len(VEHICLES)} invented vehicles (`src/mavrik/standin/vehicle.py`), {SEEDS} times each, at magnitudes that no grid of the catalogue has.",
        "Parts differ from their document by 5 %, set points by 50 mV, outputs by 6 %; meters err within their accuracy. All procedures are read. This says only that the reasoning",
        "holds together: the same network predicts and hides.",
        "",
        f"Of {total} cases the true cause is ranked first in {sum(first.values()) / total:.1%}, among the first three in "
        f"{sum(three.values()) / total:.1%}.",
        "",
        "| hidden | cases | first | first three | taken for |",
        "|---|---|---|---|---|",
    ]
    for kind in sorted(seen):
        other = ", ".join(f"{what} {n}" for what, n in taken_for[kind].most_common() if what != kind) or "–"
        lines.append(f"| {kind.replace('_', ' ')} | {seen[kind]} | {first[kind]} | {three[kind]} | {other.replace('_', ' ')} |")
    lines += [
        "",
        f"Until one cause is {SURE:.0%} sure, taking what tells most a minute needs {tests[True]:.1f} procedures and "
        f"{minutes[True]:.0f} minutes on average; the fixed order of the work needs {tests[False]:.1f} and {minutes[False]:.0f}.",
        "",
    ]
    PAGE.write_text("\n".join(lines), encoding="utf-8")
    return [
        Figure(
            "diagnosis",
            "rank all faults, pairs too, everything read, jobs of up to 10 branches",
            "ms",
            statistics.median(times),
            statistics.quantiles(times, n=20)[-1],
            500.0,
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
        Figure(
            "diagnosis",
            "true cause not ranked first, on vehicles that are not ours",
            "%",
            100 * sum(not o.first for o in strange) / len(strange),
            None,
            5.0,
        ),
        Figure("diagnosis", "true cause not ranked first", "%", 100 * (1 - sum(first.values()) / total), None, 10.0),
        Figure("diagnosis", "true cause not among the first three", "%", 100 * (1 - sum(three.values()) / total), None, 1.0),
        Figure(
            "diagnosis",
            "minutes to the cause, by information over fixed order",
            "ratio",
            minutes[True] / minutes[False],
            None,
            1.0,
        ),
    ]
