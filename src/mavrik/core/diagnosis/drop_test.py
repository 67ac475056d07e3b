"""The readings of a charging drop test as evidence: each lead's drop at the output that was known."""

from __future__ import annotations

from mavrik.core.circuit import Circuit
from mavrik.core.measurement import DropTest, Quantity
from mavrik.core.procedures import Ask, Taken, Unit
from mavrik.core.procedures.states import BenchState
from mavrik.core.uncertainty import expanded_uncertainty


def asks_of_test(circuit: Circuit, test: DropTest) -> tuple[tuple[Ask, ...], dict[str, Taken]]:
    """What a drop test read, as asks in its own state, and the values.

    circuit, test: the document and a test on it; readings of branches that are gone are left out
    Stud and battery voltages depend on how charged the battery was that day, and are left to the other tests.
    """
    alternator, battery = circuit.alternator, circuit.battery
    known = {b.id: b for b in circuit.branches if b.conducts}
    sides = {
        Quantity.FEED_DROP: ("test_feed", "Feed side", alternator.stud_node, battery.positive_node),
        Quantity.RETURN_DROP: ("test_return", "Return side", battery.negative_node, alternator.case_node),
    }
    asks, taken = [], {}
    for reading in test.readings:
        if reading.quantity is Quantity.BRANCH_DROP and reading.branch_id in known:
            b = known[reading.branch_id]
            name, label, red, black, element = f"test_drop:{b.id}", b.label, b.from_node, b.to_node, b.id
        elif reading.quantity in sides:
            (name, label, red, black), element = sides[reading.quantity], ""
        else:
            continue
        at = f"{label}, at {test.output_current_a:g} A"
        ask = Ask(name, at, Unit.VOLT, BenchState.AT_OUTPUT, red, black, element, drop=True)
        asks.append(ask)
        # The clamp's error moves the expected drop as far as its own share of the current.
        share = expanded_uncertainty(test.output_current_a, test.clamp.spec) / test.output_current_a
        u = (expanded_uncertainty(reading.value, test.voltmeter.spec) ** 2 + (share * reading.value) ** 2) ** 0.5
        taken[ask.id] = Taken(reading.value, u)
    return tuple(asks), taken
