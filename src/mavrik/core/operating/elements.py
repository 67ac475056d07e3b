"""A circuit document at a state as a network: the one place where a document becomes elements."""

from __future__ import annotations

import math
from dataclasses import replace

from mavrik.core import network as net
from mavrik.core.catalogue.sources import (
    charging_resistance_ohm,
    rest_voltage_v,
    source_table,
)
from mavrik.core.circuit import Alternator, Battery, Circuit, Load, LoadKind
from mavrik.core.operating.devices import battery_units, converter_element, inner_ohm, unit_output_a
from mavrik.core.operating.state import State, is_on, setting_of

FULL_FIELD_V_12 = 18.0
"""Where a gassing battery holds an alternator whose regulator is shorted, on a 12 V system. Common practice, rough, no source."""


def _battery(circuit: Circuit, battery: Battery, state: State) -> net.EmfSource:
    charge = state.state_of_charge.get(battery.id, battery.state_of_charge)
    series, strings = battery_units(circuit, battery), battery.parallel
    chemistry = battery.chemistry.value
    inner = inner_ohm(battery)
    charging = charging_resistance_ohm(chemistry, charge, battery.capacity_ah, battery.temperature_c, inner)
    share = series / strings
    return net.EmfSource(
        battery.id,
        battery.positive_node,
        battery.negative_node,
        rest_voltage_v(chemistry, charge) * series,
        inner * share,
        charging * share,
    )


SLIP_AT_SPEED, SLIP_UNLOADED = 0.8, 0.25
SLOW_RPM = 1200.0


def slip_shown(circuit: Circuit, state: State) -> float:
    """What of a belt's slip shows in a state: it slips by torque, which is greatest at idle with everything on.

    circuit, state: the document and what is on
    1 at idle and under load, somewhat less at speed, where the same output takes less torque; a quarter with nothing on.
    Source: power over speed; the figures are rough, our choice, no source.

    >>> from mavrik.core.circuit.layouts import front_battery
    >>> [slip_shown(front_battery(12), State(engine_rpm=r, loads_on={})) for r in (800, 2000)]
    [0.25, 0.25]
    """
    loaded = state.bank is not None or bool(state.output_a) or any(is_on(x, state) for x in circuit.loads)
    if not loaded:
        return SLIP_UNLOADED
    return 1.0 if state.engine_rpm < SLOW_RPM else SLIP_AT_SPEED


def _alternator(circuit: Circuit, alternator: Alternator, state: State) -> net.RegulatedSource:
    slip = source_table().belt_slip * slip_shown(circuit, state) if alternator.fault == "belt_slips" else 0.0
    shaft = state.engine_rpm * alternator.pulley_ratio * (1 - slip)
    limit = 0.0
    if alternator.field != "open" and not state.cranking:
        limit = float(unit_output_a(alternator, shaft, state.alternator_c))
        limit *= source_table().fault_output_share.get(alternator.fault, 1.0)
    forced = state.output_a.get(alternator.id)
    set_point = alternator.set_point_v + alternator.compensation_mv_per_k / 1000 * (state.alternator_c - 25.0)
    if alternator.field == "full":
        set_point = FULL_FIELD_V_12 * circuit.system_voltage_v / 12
    # Where a stud was read it is there that it may have to be held; a known output needs no sense.
    sensed = forced is None or alternator.id not in state.stud_v
    return net.RegulatedSource(
        alternator.id,
        alternator.stud_node,
        alternator.case_node,
        (sensed and alternator.sense_positive_node) or alternator.stud_node,
        (sensed and alternator.sense_negative_node) or alternator.case_node,
        set_point,
        limit,
        forced,
        # A known output is what was measured: it goes its way whatever the voltage, which then says nothing.
        source_table().clamp_v_12 * circuit.system_voltage_v / 12 if forced is None else None,
    )


def _load(circuit: Circuit, load: Load) -> net.Element:
    volts = circuit.system_voltage_v
    if load.law is LoadKind.RESISTANCE:
        return net.Resistor(load.id, load.from_node, load.to_node, volts / load.current_a)
    if load.law is LoadKind.POWER:
        return net.PowerLoad(load.id, load.from_node, load.to_node, volts * load.current_a, load.cut_off_v)
    return net.CurrentSource(load.from_node, load.to_node, load.current_a, load.id, takes=True)


def charged_before(element: net.Element, state: State) -> net.Element:
    """A link as the time before has left it: where a stud was read above its cut-in, it has closed.

    element: of a branch; state: what was read
    """
    if isinstance(element, net.Link) and max(state.stud_v.values(), default=0.0) > element.cut_in_v:
        return replace(element, closed=True)
    return element


def branch_elements(circuit: Circuit, state: State) -> list[net.Element]:
    """What conducts of a circuit's branches at a state, as elements with cold cables; of links see `charged_before`.

    circuit, state: the document and what is open
    """
    settings = (setting_of(circuit, b, state) for b in circuit.branches)
    made = (b.network_element(s) for b, s in zip(circuit.branches, settings, strict=True))
    return [e for e in made if e is not None]


def device_elements(circuit: Circuit, state: State, off_too: bool = False) -> list[net.Element]:
    """Everything of a circuit at a state but its branches.

    circuit, state: the document and what is on
    off_too: loads that are off take nothing instead of being left out, so that states which differ in them make one network
    """
    elements: list[net.Element] = [_alternator(circuit, a, state) for a in circuit.alternators]
    elements += [_battery(circuit, b, state) for b in circuit.batteries]
    elements += [
        x if on else _switched_off(x)
        for x, on in ((_load(circuit, x), is_on(x, state)) for x in circuit.loads if off_too or is_on(x, state))
    ]
    elements += [replace(converter_element(c), limit_a=c.limit_a if state.converters_on else 0.0) for c in circuit.converters]
    if state.chargers_on:
        elements += [
            net.RegulatedSource(
                c.id, c.positive_node, c.negative_node, c.positive_node, c.negative_node, c.set_point_v, c.limit_a
            )
            for c in circuit.chargers
        ]
    if state.bank is not None:
        elements.append(net.CurrentSource(state.bank.from_node, state.bank.to_node, state.bank.current_a, "bank", takes=True))
    if state.fault is not None:
        elements.append(net.Resistor("fault", state.fault.from_node, state.fault.to_node, state.fault.resistance_mohm / 1000))
    return elements


def _switched_off(load: net.Element) -> net.Element:
    if isinstance(load, net.Resistor):
        return replace(load, ohm=math.inf)
    if isinstance(load, net.PowerLoad):
        return replace(load, watt=0.0, cut_off_v=0.0)
    assert isinstance(load, net.CurrentSource)
    return replace(load, ampere=0.0)


def elements_of(circuit: Circuit, state: State) -> list[net.Element]:
    """Everything of a circuit at a state, as elements of a network with cold cables.

    circuit, state: the document and what is on, open and known
    """
    return [*(charged_before(e, state) for e in branch_elements(circuit, state)), *device_elements(circuit, state)]
