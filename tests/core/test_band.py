"""Between what a reading passes: as the procedure's own judgement has it, and without asking that thousands of times."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import pytest

from mavrik.core.circuit.layouts import build_layout
from mavrik.core.measuring.readings import Measured
from mavrik.core.measuring.uncertainty import Verdict
from mavrik.core.procedures import Limits, pass_band, procedure

JOINTS = {
    f"joint_{what}:{s}{k}": Measured(v, 0.01) for s in "AB" for k, v in ((1, 12.6), (2, 12.5)) for what in ("start_v", "end_v")
}
PROCEDURES = ("switches", "cranking", "regulated", "idle_soak", "drain")


@pytest.mark.parametrize("name", PROCEDURES)
def test_just_inside_passes_and_just_outside_does_not(name: str) -> None:
    car, limits = build_layout("competition_car", 12), Limits()
    of, count = procedure(name), 0
    for point in of.points(car):
        band = pass_band(of, car, point, {}, limits)
        if band is None:
            continue
        for edge, out in ((band.least, -1), (band.most, 1)):
            if edge:
                count += 1
                for value, passes in ((edge - out * 1e-4 * abs(edge), True), (edge + out * 1e-4 * abs(edge), False)):
                    judgement = next(j for j in of.judge(car, {point.id: Measured(value, 0.0)}, limits) if j.point == point.id)
                    assert (judgement.verdict is Verdict.PASS) is passes, (point.id, value)
    assert count


def counted(name: str) -> tuple[Any, list[int]]:
    of, calls = procedure(name), [0]

    def judge(*words: Any) -> Any:
        calls[0] += 1
        return of.judge(*words)

    return replace(of, judge=judge), calls


@pytest.mark.parametrize(("name", "measured", "most"), [("joints", JOINTS, 30), ("fuse_steps", {}, 260)])
def test_a_band_is_found_with_few_questions(name: str, measured: Mapping[str, Measured], most: int) -> None:
    car = build_layout("front_battery", 12)
    of, calls = counted(name)
    for point in of.points(car):
        calls[0] = 0
        pass_band(of, car, point, measured, Limits())
        assert calls[0] <= most, point.id
