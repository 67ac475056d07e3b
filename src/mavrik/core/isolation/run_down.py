"""An alternator whose battery has just been taken away: how far its voltage can rise, how long, and what takes it."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from mavrik.core.circuit import Alternator
from mavrik.core.isolation.case import Case
from mavrik.core.isolation.purposes import isolation_table
from mavrik.core.isolation.table import Table
from mavrik.core.isolation.wired import FAST
from mavrik.core.operating.devices import unit_output_a

LEAST_A = 0.5
"""Less than this across a whole vehicle is nothing that an alternator feeds."""

COLD_C = 25.0


@dataclass(frozen=True)
class RunDown:
    """The moment after a control has opened under way, the engine still turning and the field still there."""

    control: str
    before_a: float
    """The most that the alternators can give there just before, into a flat battery [A]."""
    left_ohm: float | None
    """What is left across them [ohm]; None: nothing."""
    peak_v: float
    """How far the voltage can rise [V], not beyond what an unclamped one is known to reach."""
    resistor: str
    """What the switch puts across it then, by its name; empty: nothing."""
    resistor_j: float
    """What that takes at most while the surge dies away [J]."""
    field_cut: bool
    """Whether the field goes with it."""
    below_rpm: float | None
    """Engine speed below which it makes nothing [1/min]; None: a magnet."""


def run_down(case: Case, control: str) -> RunDown | None:
    """What an alternator does in the moment after a control has taken its battery away, at the worst: with all on, or bare.

    case: circuit and switching; control: by id
    The windings keep the current going that flowed before, at the most what the unit can give, through whatever is left: voltage is
    that current times what is left across the alternators, and not above the band of an unclamped unit. It dies away exponentially; a resistor takes V2 tau / 2 R of it.
    None where the alternator keeps a battery. An estimate: what clamps inside the unit is not known.
    Source: current in an inductance is continuous; bands and duration from ISO 16750-2, from memory.

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> from mavrik.core.isolation.topologies import topology_of
    >>> made = topology_of("multi_pole").build(build_layout("competition_car", 12))
    >>> found = run_down(Case(made.circuit, made.switching), "master")
    >>> found.resistor, found.field_cut
    ('Run-down resistor', False)
    """
    return case.once(f"run-down {control}", lambda: _worst(case, control))


def _worst(case: Case, control: str) -> RunDown | None:
    if not case.taken_away(case.used.row("fast", (control,))):
        return None
    return max((_of(case, table, control) for table in (case.used, case.bare)), key=lambda f: f.peak_v)


def _of(case: Case, table: Table, control: str) -> RunDown:
    switched, dump = table.switched, isolation_table().load_dump[case.circuit.system_voltage_v]
    ids = [c.id for c in switched.switching.controls]
    before = table.part("fast")
    fast = switched.switching.fast_rpm
    gives = sum(float(unit_output_a(a, fast * a.pulley_ratio, COLD_C)) for a in case.circuit.alternators)
    opened = before.at.of(np.zeros(1, dtype=np.int64))
    opened = replace(opened, controls=np.array([[i != control for i in ids]]))
    # Contacts and coils follow in milliseconds; engine and field do not.
    for _ in range(len(switched.switching.senses) + 1):
        after, positions, volts = switched.step(opened)
        opened = replace(after, engine=np.full(1, FAST, dtype=np.int8), excited=opened.excited)
    unit = case.circuit.alternator
    node = switched.wired.node
    across = float(volts.node_v[0, node[unit.stud_node]] - volts.node_v[0, node[unit.case_node]])
    flows = float(volts.source_a[0].sum())
    left = across / flows if flows > LEAST_A and across > 0 else None
    # Without a path it rises as far as it is known to.
    peak = min(gives * left, dump.unclamped_v[1]) if left is not None else dump.unclamped_v[1]
    new = positions.loads[0] & ~before.positions.loads[0]
    resistor = next((x for x, on in zip(case.circuit.loads, new.tolist(), strict=True) if on), None)
    tau_s = dump.unclamped_ms[1] / 1000 / math.log(10)
    ohm = case.circuit.system_voltage_v / resistor.current_a if resistor else math.inf
    label = next(c.label for c in case.controls if c.id == control)
    return RunDown(
        control=label, before_a=gives, left_ohm=left, peak_v=max(peak, across), resistor=resistor.label if resistor else "",
        resistor_j=peak * peak * tau_s / 2 / ohm, field_cut=not switched.with_field(opened, volts).any(), below_rpm=cut_in_rpm(unit),
    )  # fmt: skip


def cut_in_rpm(unit: Alternator) -> float | None:
    """Engine speed below which a unit makes next to nothing, cold [1/min]; None for a permanent magnet.

    unit: with its curve and pulley ratio

    >>> from mavrik.core.circuit.layouts import build_layout
    >>> 200 < cut_in_rpm(build_layout("front_battery", 12).alternator) < 800
    True
    """
    if unit.kind == "permanent_magnet":
        return None
    shaft = np.arange(50.0, 6000.0, 10.0)
    gives = unit_output_a(unit, shaft, COLD_C)
    return float(shaft[int(np.argmax(gives > LEAST_A))]) / unit.pulley_ratio
