"""The answers to one question of a guided change, side by side in numbers."""

from __future__ import annotations

from collections.abc import Iterable

from pydantic import Field

from mavrik.core import network as net
from mavrik.core.catalogue.prices import PriceList
from mavrik.core.catalogue.sources import source_table
from mavrik.core.circuit import Circuit, ConductorBranch, NodeRole
from mavrik.core.circuit.rules import CircuitError
from mavrik.core.document import Document, Label
from mavrik.core.operating import Engine, State
from mavrik.core.operating.devices import unit_output_a
from mavrik.core.operating.magnet_stator import regulator_heat_w, settles_at_c, stator_current_a
from mavrik.core.operating.prediction import FAST_RPM
from mavrik.core.operating.state import AMBIENT_C
from mavrik.core.planning.cost import circuit_cost
from mavrik.core.planning.guided.base import Answers, Guide, GuideProblemError, checked
from mavrik.core.planning.leads import cheapest_proposal
from mavrik.core.planning.targets import SizingError, SizingTarget

HALF = 0.5
"""Charge of the batteries that are looked at: they take what they can."""


class ComparedBattery(Document):
    """What one battery gets."""

    label: Label
    volts: float
    current_a: float = Field(description="Into it [A]")


class ComparedStator(Document):
    """What a permanent-magnet stator and its regulator stand while the batteries are full."""

    current_a: float = Field(description="In the stator, the engine at speed [A]")
    warm_c: float = Field(description="Where its windings settle [degC]")
    regulator_w: float = Field(description="Heat in the regulator of what nobody takes [W]")


class ComparedAnswer(Document):
    """One answer, and what it comes to with all its leads and fuses sized."""

    name: str
    label: str
    refused: str = Field("", description="Why it cannot be done; the rest is then left out")
    feed_v: float | None = Field(
        None, description="Lost from the first alternator's stud to the first battery, at full output [V]"
    )
    return_v: float | None = Field(None, description="Lost from the first battery to the alternator's case, at full output [V]")
    crank_v: float | None = Field(None, description="At the starter while cranking [V]; null: the circuit has none")
    batteries: tuple[ComparedBattery, ...] = Field((), description="Half full, the engine at speed")
    stator: ComparedStator | None = Field(None, description="Null: no permanent magnet")
    worst_lead: str = Field("", description="The ground lead whose loss is worst")
    lost_v: float | None = Field(
        None, description="Lost on the return at full output without that lead [V]; null: nothing charges"
    )
    cost: float | None = Field(None, description="Parts and hours by the workshop's prices")
    does: bool | None = Field(None, description="Whether it does what it is for; null: not proven, or not asked")
    fit_words: str = Field("", description="What decides that; empty: it is not asked")


def compare_answer(as_found: Circuit, guide: Guide, answers: Answers, target: SizingTarget, prices: PriceList) -> ComparedAnswer:
    """What the answer to the question that a guide compares comes to, to be set beside the others.

    as_found: the circuit; answers: by name of the question, the one that is compared among them or as is usual; target: how leads are
    sized; prices: the workshop's
    It is built, sized as any plan is, and solved: at full output, half-full batteries with the engine at speed, cranking, and with each
    ground lead gone in turn.
    Raises GuideProblemError as `guided`, and for a guide that compares nothing.

    >>> from mavrik.core.catalogue.prices import usual_prices
    >>> from mavrik.core.circuit.layouts import front_battery
    >>> from mavrik.core.planning.guided import guide_of
    >>> car = front_battery(12)
    >>> row = compare_answer(car, guide_of(car, "grounds"), {"school": "chain"}, SizingTarget(target_current_a=120), usual_prices())
    >>> row.label, row.refused
    ('Chain: battery to body, body to engine', '')
    """
    question = next((q for q in guide.asks(as_found) if q.name == guide.compares), None)
    if question is None:
        raise GuideProblemError("guide", f"{guide.label}: nothing of it is set side by side.")
    given = checked(guide, as_found, answers)
    choice = next(c for c in question.choices if c.name == given[question.name])
    try:
        changed = guide.build(as_found, given)
        made = cheapest_proposal(changed.circuit, target, prices, as_found).circuit
        cost = circuit_cost(as_found, made, prices).total(prices)
        row, fit = _row(made, choice.name, choice.label, cost), changed.fit
        return row if fit is None else row.model_copy(update={"does": fit.does, "fit_words": fit.words})
    except (SizingError, GuideProblemError, CircuitError, net.NoOperatingPointError) as error:
        return ComparedAnswer(name=choice.name, label=choice.label, refused=str(error))


def _row(circuit: Circuit, name: str, label: str, cost: float) -> ComparedAnswer:
    first, unit = circuit.battery, circuit.alternator
    full = _full(circuit)
    half = Engine(circuit, State(engine_rpm=FAST_RPM, chargers_on=False, state_of_charge={b.id: HALF for b in circuit.batteries}))
    charging = half.settle().solution
    back = full.between(first.negative_node, unit.case_node)
    worst = ""
    lost: float | None = back
    for lead in _grounds(circuit):
        without = _return_without(circuit, lead)
        if without is None or (lost is not None and abs(without) > abs(lost) + 1e-6):
            worst, lost = lead.label, without
        if without is None:
            break
    return ComparedAnswer(
        name=name, label=label, feed_v=full.between(unit.stud_node, first.positive_node), return_v=back,
        crank_v=_cranking(circuit), stator=_stator(circuit), worst_lead=worst, lost_v=lost, cost=cost,
        batteries=tuple(
            ComparedBattery(label=b.label, volts=charging.between(b.positive_node, b.negative_node), current_a=charging.current_a[b.id])
            for b in circuit.batteries
        ),
    )  # fmt: skip


def _stator(circuit: Circuit) -> ComparedStator | None:
    """Of a permanent magnet, at speed with full batteries and the consumers that are on."""
    unit = circuit.alternator
    if unit.kind != "permanent_magnet":
        return None
    table, charged = source_table(), {b.id: 1.0 for b in circuit.batteries}
    around = AMBIENT_C + table.engine_space_rise_k
    state = State(engine_rpm=FAST_RPM, chargers_on=False, state_of_charge=charged)
    gives = Engine(circuit, state).settle().solution.current_a[unit.id]
    can = float(unit_output_a(unit, FAST_RPM * unit.pulley_ratio, table.hot_c))
    flows = stator_current_a(unit, min(gives, can), can)
    return ComparedStator(
        current_a=flows, warm_c=float(settles_at_c(around, flows / can)), regulator_w=regulator_heat_w(unit, gives, can)
    )


def _full(circuit: Circuit) -> net.Solution:
    """At full output, whatever takes it."""
    full = {a.id: a.rated_a for a in circuit.alternators}
    return Engine(circuit, State(engine_rpm=FAST_RPM, chargers_on=False, output_a=full)).settle().solution


def _grounds(circuit: Circuit) -> Iterable[ConductorBranch]:
    """The leads between the first battery's negative post, engine, body and the alternator's case."""
    roles = (NodeRole.ENGINE_BLOCK, NodeRole.CHASSIS, NodeRole.ALTERNATOR_CASE)
    ground = {circuit.battery.negative_node, *(n.id for n in circuit.nodes if n.role in roles)}
    return (b for b in circuit.branches if isinstance(b, ConductorBranch) and {b.from_node, b.to_node} <= ground)


def _return_without(circuit: Circuit, lead: ConductorBranch) -> float | None:
    """What the return loses without a lead; None where nothing charges any more."""
    rest = circuit.model_copy(update={"branches": tuple(b for b in circuit.branches if b.id != lead.id)})
    try:
        lost = _full(rest).between(circuit.battery.negative_node, circuit.alternator.case_node)
    except (CircuitError, net.NoOperatingPointError):
        return None
    return lost if abs(lost) < circuit.system_voltage_v else None


def _cranking(circuit: Circuit) -> float | None:
    starter = next((x for x in circuit.loads if x.cranking), None)
    if starter is None:
        return None
    try:
        solution = Engine(circuit, State(engine_rpm=0, cranking=True, chargers_on=False, converters_on=False)).settle().solution
    except net.NoOperatingPointError:
        return None
    return solution.between(starter.from_node, starter.to_node)
