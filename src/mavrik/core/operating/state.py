"""An operating state of a circuit: what turns, what is on and open, how warm it is, what was read."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated

from pydantic import Field

from mavrik.core.circuit import AnyBranch, Circuit, Load
from mavrik.core.circuit.branches import Setting
from mavrik.core.document import Document, Identifier, Problem

Amount = Annotated[float, Field(ge=0, le=2000)]

ENGINE_SPACE_C = 40.0
AMBIENT_C = 20.0
"""Temperatures that are taken where nobody noted any [degC]; a warm engine in a mild workshop, common practice."""


@dataclass(frozen=True)
class Span:
    """Over what a number of a state is usually tried; its bounds lie farther out."""

    least: float
    most: float
    step: float


USUAL_SPANS = {"engine_rpm": Span(0, 6000, 50), "ambient_c": Span(-30, 50, 1), "engine_space_c": Span(-30, 120, 1)}
"""Common practice: standstill to the fastest road engines, hard frost to a hot summer and the heat over an engine."""


class BankLoad(Document):
    """A load bank, connected for a test."""

    from_node: Identifier
    to_node: Identifier
    current_a: Amount


class DeadShort(Document):
    """A fault to try out: a path that should not be."""

    from_node: Identifier
    to_node: Identifier
    resistance_mohm: Annotated[float, Field(ge=1e-3, le=1000)] = 1.0


class State(Document):
    """An operating state; everything left out is as the circuit document has it."""

    engine_rpm: Annotated[float, Field(ge=0, le=12000, description="Engine speed [1/min]")] = 2000.0
    engine_space_c: Annotated[float, Field(ge=-40, le=140)] = ENGINE_SPACE_C
    ambient_c: Annotated[float, Field(ge=-40, le=60)] = AMBIENT_C
    alternator_c: Annotated[float, Field(ge=-40, le=160, description="Temperature of the alternators [degC]")] = 60.0
    warmed_up: bool = Field(False, description="Cables at the temperature their current settles at")
    cranking: bool = Field(False, description="Starters on, alternators off")
    loads_on: dict[Identifier, bool] = Field({}, description="By load id; left out, as the document has it")
    contacts: dict[Identifier, bool] = Field({}, description="Closed or not, by id of a switch, breaker, relay or link")
    output_a: dict[Identifier, Amount] = Field({}, description="A known output by alternator id, whatever the voltage [A]")
    stud_v: dict[Identifier, Annotated[float, Field(ge=0, le=100)]] = Field(
        {},
        description="Volts read between stud and case by alternator id, of one with a known output: they say how charged the "
        "batteries are [V]",
    )
    lasts_s: Annotated[float, Field(ge=0, le=86400, description="How long the state has lasted [s]: links wait their delay")] = (
        3600.0
    )
    chargers_on: bool = Field(True, description="Whether bench chargers are plugged in")
    converters_on: bool = Field(True, description="Whether DC-DC chargers run; most sleep with the engine")
    state_of_charge: dict[Identifier, Annotated[float, Field(ge=0, le=1)]] = Field({}, description="By battery id")
    bank: BankLoad | None = None
    fault: DeadShort | None = None
    watch_node: Identifier | None = Field(
        None, description="Where the voltage is asked about; left out, the first battery's positive post"
    )


def is_on(load: Load, state: State) -> bool:
    """Whether a load is switched on; a starter only while cranking."""
    return state.cranking if load.cranking else state.loads_on.get(load.id, load.on)


def setting_of(circuit: Circuit, branch: AnyBranch, state: State) -> Setting:
    """What a state says of a branch; voltages of links are taken against the first battery's negative post."""
    return Setting(state.contacts.get(branch.id), state.lasts_s, circuit.battery.negative_node)


def check_state(circuit: Circuit, state: State) -> list[Problem]:
    """Names in a state that the circuit does not have."""
    nodes = {n.id for n in circuit.nodes}
    known = {
        "loads_on": {x.id for x in circuit.loads},
        "contacts": {b.id for b in circuit.branches if b.settable},
        "output_a": {a.id for a in circuit.alternators},
        "stud_v": {a.id for a in circuit.alternators},
        "state_of_charge": {b.id for b in circuit.batteries},
    }
    problems = [
        Problem(name, field, f"There is no '{name}' to say this of. Known: {', '.join(sorted(ids)) or 'none'}.")
        for field, ids in known.items()
        for name in getattr(state, field)
        if name not in ids
    ]
    if state.watch_node is not None and state.watch_node not in nodes:
        problems.append(Problem("watch_node", "watch_node", f"There is no node '{state.watch_node}'."))
    for where, what in (("bank", state.bank), ("fault", state.fault)):
        if what is not None:
            problems += [
                Problem(where, f, f"There is no node '{getattr(what, f)}'.")
                for f in ("from_node", "to_node")
                if getattr(what, f) not in nodes
            ]
            if what.from_node == what.to_node:
                problems.append(Problem(where, "to_node", "Both ends are on the same node."))
    return problems
