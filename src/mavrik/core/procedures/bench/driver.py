"""What who drives the vehicle has noticed of it: where to look first."""

from __future__ import annotations

from mavrik.core.circuit import Circuit
from mavrik.core.operating.bench_states import BenchState
from mavrik.core.procedures.base import BenchStep, Point, Procedure

ASKED: dict[str, tuple[str, tuple[str, ...]]] = {
    "flat": ("Flat after standing for a day or two", ("drain_a:",)),
    "message": ("Charge lamp or battery message while driving", ("regulated_v:", "output_a:", "net_a_fast:")),
    "cranks": ("Cranks slowly, after a drive too", ("crank_v", "load_v:")),
    "dims": ("Lights dim at idle, with consumers on", ("regulated_v:idle_loaded", "net_a_idle:", "idle_a:")),
    "too_bright": ("Bulbs blow, or the battery gasses or smells", ("regulated_v:fast",)),
    "squeals": ("Belt squeals, after the start or with loads on", ("belt:", "shaft_rpm:")),
}
"""By name, as the catalogue of faults has it: what is asked, and which readings say the same and better."""


def _points(circuit: Circuit) -> tuple[Point, ...]:
    return tuple(
        Point(f"noticed:{name}", label, "yes_no", BenchState.REST, indicator=name, hearsay=True, read_instead=instead)
        for name, (label, instead) in ASKED.items()
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
