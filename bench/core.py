"""The core: assessing a circuit of 30 branches."""

from __future__ import annotations

import statistics
import time

from mavrik.core.drawing.judged import judge
from mavrik.core.findings.assessment import assess
from mavrik.core.measuring.measurement import DropTest, Quantity, Reading
from tests.build import CLAMP, METER, simple_document

from bench.report import Figure
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.measuring.limits import LimitProfileName
from mavrik.core.planning.sizing import SizingTarget, propose

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


def full_test(circuit: Circuit) -> DropTest:
    """Every branch read."""
    readings = tuple(Reading(quantity=Quantity.BRANCH_DROP, branch_id=b.id, value=0.012) for b in circuit.branches)
    return DropTest(output_current_a=80, engine_speed_rpm=2000, voltmeter=METER, clamp=CLAMP, readings=readings)


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
    front = build_layout("front_battery", 12)
    found = []
    for name, target, work, runs in (
        ("yardstick: 100,000 turns of an empty Python loop", None, _yardstick, RUNS),
        ("assess, 30 branches, all read", 5.0, lambda: assess(circuit, test), RUNS),
        ("assess, staircase and loop, 30 branches", None, lambda: judge(circuit, test, LimitProfileName.COMMON), RUNS),
        ("read a 30-branch circuit document", None, lambda: Circuit.model_validate_json(circuit.model_dump_json()), RUNS),
        ("propose for 150 A, 7 branches", None, lambda: propose(front, SizingTarget(target_current_a=150)), 50),
    ):
        median, p95 = _median_ms(work, runs)
        found.append(Figure("core", name, "ms", median, p95, target))
    return found
