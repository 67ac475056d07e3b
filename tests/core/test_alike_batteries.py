"""Batteries of one vehicle differ less from each other than from what is known of them beforehand."""

from __future__ import annotations

import numpy as np
import pytest

from mavrik.core.circuit import Circuit
from mavrik.core.findings.changes import What
from mavrik.core.findings.faults import fault_table
from mavrik.core.findings.hypotheses import hypotheses
from mavrik.core.findings.unknowns import Unknowns, alike_batteries, inner_share
from mavrik.standin.vehicle import HiddenVehicle
from tests.build import judged, runs_of
from tests.core.test_more_faults import MADE, found_on


def rated(circuit: Circuit, **known: float) -> Circuit:
    """The same with something known of every battery."""
    return circuit.model_copy(update={"batteries": tuple(b.model_copy(update=known) for b in circuit.batteries)})


def test_those_of_lead_take_a_charge_alike_and_those_of_one_make_have_the_same_inside() -> None:
    alike = alike_batteries(MADE["bank"])
    bank = [f"bank_{k}" for k in (1, 2, 3, 4)]
    assert alike == {What.TAKES_ALIKE: [["battery", *bank]], What.OHM_ALIKE: [bank]}


@pytest.mark.parametrize("name", ["front", "behind a charger"])
def test_one_alone_is_like_nothing(name: str) -> None:
    """A lithium bank beside a starting battery of lead is another thing altogether."""
    assert alike_batteries(MADE[name]) == {What.TAKES_ALIKE: [], What.OHM_ALIKE: []}


def test_where_somebody_entered_the_resistance_a_make_says_nothing_more() -> None:
    circuit = rated(MADE["bank"], internal_mohm=4.5)
    assert alike_batteries(circuit)[What.OHM_ALIKE] == []
    assert inner_share(circuit.batteries[1]) == (0.0, fault_table().tolerances[What.OHM_SHARE][1], 0.0)


def test_what_is_its_own_and_what_is_common_add_up_to_what_one_alone_is_spread_by() -> None:
    """A vehicle with one battery is judged as if there were no others anywhere."""
    u = Unknowns.of(MADE["bank"])
    known = fault_table().tolerances
    for battery in u.alike[What.TAKES_ALIKE][0]:
        own, common = (u.width[u.place[w, i]] for w, i in ((What.TAKES_SHARE, battery), (What.TAKES_ALIKE, "battery")))
        assert np.hypot(own, common) == pytest.approx(known[What.TAKES_SHARE][1]) and own < known[What.TAKES_SHARE][1]
    for battery in u.alike[What.OHM_ALIKE][0]:
        own, common = (u.width[u.place[w, i]] for w, i in ((What.OHM_SHARE, battery), (What.OHM_ALIKE, "bank_1")))
        _, of_two, of_makes = inner_share(next(b for b in MADE["bank"].batteries if b.id == battery))
        assert (own, common) == (of_two, of_makes)
    alone = Unknowns.of(MADE["front"])
    assert alone.width[alone.place[What.TAKES_SHARE, "battery"]] == known[What.TAKES_SHARE][1]


@pytest.mark.long
@pytest.mark.parametrize("battery", ["bank_1", "bank_2"])
def test_one_of_four_with_far_more_than_the_others_is_weak_and_no_other_make(battery: str) -> None:
    first = found_on("bank", f"weak_battery:{battery}", ohm_share=2.5).causes[0]
    assert (first.cause, first.probability > 0.6) == (f"weak_battery:{battery}", True)


@pytest.mark.long
def test_four_that_are_all_alike_are_sound_however_much_another_make_has_less() -> None:
    """1.7 times what the catalogue has for an ampere hour, all four of them: a make that is built for hours, not for cranking."""
    bank = MADE["bank"]
    other_make = bank.model_copy(
        update={
            "batteries": tuple(
                b.model_copy(update={"internal_mohm": b.internal_mohm * 1.7}) if b.id.startswith("bank") else b
                for b in bank.batteries
            )
        }
    )
    assert [b.internal_mohm for b in other_make.batteries] != [b.internal_mohm for b in bank.batteries]
    vehicle = HiddenVehicle(other_make, hypotheses(other_make)[0], np.random.default_rng(3))
    findings = judged(bank, *runs_of(vehicle, vehicle.everything()))
    assert findings.causes[0].cause == "none:"
    assert not [c for c in findings.causes if c.kind == "weak_battery" and c.probability > 0.1]
