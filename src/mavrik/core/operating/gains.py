"""What each part costs the voltage at a place: per milliohm, if it lost nothing, and if its cable were a size larger."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Annotated

import numpy as np
from pydantic import Field

from mavrik.core.catalogue.conductor import PROPOSED_AWG, PROPOSED_METRIC, SizeSystem, parse_size
from mavrik.core.circuit import AnyBranch, Circuit, ConductorBranch
from mavrik.core.operating import Engine, Settled, State

PERFECT_OHM = 1e-7


@dataclass(frozen=True)
class Gain:
    """What one branch costs the voltage asked about."""

    branch_id: str
    label: str
    volt_per_mohm: Annotated[float, Field(description="Change of the voltage for a milliohm more here [V/mohm]")]
    perfect_v: Annotated[float, Field(description="Gained if it had no resistance at all [V]")]
    larger: Annotated[str | None, Field(description="The next larger size of a cable's series")]
    larger_v: Annotated[float | None, Field(description="Gained with that size [V]")]


@dataclass(frozen=True)
class Gains:
    """All branches by what they cost the voltage between two nodes, the dearest first."""

    plus: str
    minus: str
    volts: float
    branches: tuple[Gain, ...]


def watched(circuit: Circuit, node: str | None) -> tuple[str, str]:
    """The two nodes a voltage is taken between: a node and where what hangs on it returns.

    circuit: the document
    node: the first of the two; left out, the first battery's positive post
    """
    plus = node or circuit.battery.positive_node
    returns = {a.stud_node: a.case_node for a in circuit.alternators}
    returns |= {c.in_node: c.ground_node for c in circuit.converters} | {x.from_node: x.to_node for x in circuit.loads}
    returns |= {b.positive_node: b.negative_node for b in circuit.batteries}
    return plus, returns.get(plus, circuit.battery.negative_node)


def next_larger(branch: AnyBranch) -> ConductorBranch | None:
    """The same cable in the next larger size of its series; None for what is no cable or has none.

    branch: any branch
    """
    if not isinstance(branch, ConductorBranch):
        return None
    series = PROPOSED_METRIC if branch.conductor.system is SizeSystem.METRIC else PROPOSED_AWG
    larger = [s for s in series if parse_size(s).area_mm2 > branch.conductor.area_mm2 * 1.01]
    return branch.model_copy(update={"size": larger[0]}) if larger else None


def gains(circuit: Circuit, state: State) -> Gains:
    """What every branch costs the voltage at the state's `watch_node`.

    circuit, state: the document and what is on, open and known
    Returns for each branch that conducts the slope, the gain of a perfect part and of the next larger cable, each with the
    network solved anew. Contacts with little resistance gain almost nothing, whatever is paid for them.
    Raises CircuitError for what is not there, NoOperatingPointError.
    Source: network solution; slopes by the adjoint of the nodal equations (`Network.sensitivities`).

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> found = gains(front_battery(12), State())
    >>> found.plus, found.branches[0].label
    ('bat_pos', 'Charge cable')
    """
    return gains_of(Engine(circuit, state).settle())


def gains_of(settled: Settled) -> Gains:
    """As `gains`, of a circuit that is at rest already."""
    engine, values = settled.engine, settled.values
    plus, minus = watched(engine.circuit, engine.state.watch_node)
    slopes = engine.network.sensitivities(plus, minus, settled.rest)
    branches = engine.warm.branches
    rows = [k for k, r in enumerate(engine.network.resistors) if r.id in {b.id for b in branches}]
    larger = [next_larger(b) for b in branches]
    ohm = np.asarray(values.resistor_ohm, dtype=float)
    many = np.tile(ohm, (2 * len(branches), 1))
    for k, (row, bigger) in enumerate(zip(rows, larger, strict=True)):
        many[k, row] = PERFECT_OHM
        if bigger is not None:
            share = bigger.sound_resistance_ohm(20.0) / branches[k].resistance_ohm(20.0)
            many[len(branches) + k, row] = ohm[row] * share
    v = engine.network.solve_many(replace(values, resistor_ohm=many), settled.rest).node_v
    solved = v[:, engine.network.row[plus]] - v[:, engine.network.row[minus]]
    now = settled.solution.between(plus, minus)
    costs = [
        Gain(
            b.id,
            b.label,
            slopes[b.id] / 1000,
            float(solved[k] - now),
            bigger.size if bigger else None,
            float(solved[len(branches) + k] - now) if bigger else None,
        )
        for k, (b, bigger) in enumerate(zip(branches, larger, strict=True))
    ]
    # What gains nothing stays in the document's order, whatever rounding says of it.
    return Gains(plus, minus, now, tuple(sorted(costs, key=lambda g: -round(abs(g.perfect_v), 9))))
