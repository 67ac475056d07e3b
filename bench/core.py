"""The core: judging a circuit of 30 branches."""

from __future__ import annotations

import statistics
import time

from tests.build import drop_run, simple_document

from bench.report import Figure
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.drawing.pictures import draw
from mavrik.core.findings import judge
from mavrik.core.measuring.readings import Run
from mavrik.core.planning.sizing import propose
from mavrik.core.planning.targets import SizingTarget

RUNS = 200


def thirty_branches() -> Circuit:
    """A feed of 20 parts, a return of 9, and a second ground beside it."""
    document = simple_document()
    fuse = document["branches"][1]
    document["branches"] = []

    def chain(prefix: str, first: str, last: str, count: int) -> None:
        before = first
        for k in range(count):
            after = last if k == count - 1 else f"{prefix}{k}"
            if after != last:
                document["nodes"].append({"id": after, "role": "stud", "label": after})
            document["branches"].append(
                {
                    "kind": "cable",
                    "id": f"{prefix}_c{k}",
                    "label": f"{prefix} {k}",
                    "from_node": before,
                    "to_node": after,
                    "length_m": 0.2,
                    "size": "50 mm2",
                }
            )
            before = after

    chain("f", "stud", "fuse_in", 19)
    document["branches"].append(fuse)
    chain("r", "minus", "case", 9)
    document["branches"].append(
        {
            "kind": "ground_strap",
            "id": "strap",
            "label": "Strap",
            "from_node": "minus",
            "to_node": "case",
            "length_m": 1.5,
            "size": "16 mm2",
        }
    )
    return Circuit.model_validate(document)


def full_test(circuit: Circuit) -> Run:
    """Every branch read."""
    return drop_run(circuit, 80, **{b.id: 0.012 for b in circuit.branches})


def _median_ms(work: object, runs: int = RUNS) -> tuple[float, float]:
    assert callable(work)
    for _ in range(5):
        work()
    times = []
    for _ in range(runs):
        start = time.perf_counter()
        work()
        times.append((time.perf_counter() - start) * 1000)
    return statistics.median(times), statistics.quantiles(times, n=20)[-1]


def _yardstick() -> None:
    """What this machine is worth at this moment: its clock differs by more than two between one minute and another."""
    for _ in range(100_000):
        pass


def figures() -> list[Figure]:
    """Medians over many runs in one process."""
    circuit = thirty_branches()
    test = full_test(circuit)
    assert len(circuit.branches) == 30
    findings = judge(circuit, [test], ahead=False)
    front = build_layout("front_battery", 12)
    measured = []
    for name, target, work, runs in (
        ("yardstick: 100,000 turns of an empty Python loop", None, _yardstick, RUNS),
        ("judge a draft, 30 branches, all read", None, lambda: judge(circuit, [test], ahead=False), 10),
        ("judge with what to read next, 30 branches", None, lambda: judge(circuit, [test]), 10),
        ("loop and staircase, 30 branches", None, lambda: draw(circuit, findings), RUNS),
        ("read a 30-branch circuit document", None, lambda: Circuit.model_validate_json(circuit.model_dump_json()), RUNS),
        ("propose for 150 A, 7 branches", None, lambda: propose(front, SizingTarget(target_current_a=150)), 50),
    ):
        median, p95 = _median_ms(work, runs)
        measured.append(Figure("core", name, "ms", median, p95, target))
    return measured
