"""What who drives the vehicle has noticed of it: where to look first."""

from __future__ import annotations

from mavrik.core.circuit import Circuit
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures.base import BenchStep, Point, Procedure

ASKED = {
    "flat": "Flat after standing for a day or two",
    "message": "Charge lamp or battery message while driving",
    "cranks": "Cranks slowly, after a drive too",
    "dims": "Lights dim at idle, with consumers on",
    "too_bright": "Bulbs blow, or the battery gasses or smells",
    "squeals": "Belt squeals, after the start or with loads on",
}
"""By name, as the catalogue of faults has it."""


def _points(circuit: Circuit) -> tuple[Point, ...]:
    return tuple(
        Point(f"noticed:{name}", label, "yes_no", BenchState.REST, indicator=name, hearsay=True) for name, label in ASKED.items()
    )


DRIVER = Procedure(
    5, "driver", "Ask the driver", "It says where to look first. It condemns nothing: that is for the readings.", 2, "at the counter",
    (),
    (
        BenchStep("Ask, do not suggest: what happened, when, after how long a drive or a stand, in what weather."),
        BenchStep("Leave open what the driver does not know. No message on the dash does not mean no fault."),
    ),
    _points,
)  # fmt: skip
