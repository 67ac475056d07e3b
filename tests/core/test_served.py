"""At which voltage a load is served, and what of a day's readings holds for every cause."""

from __future__ import annotations

from dataclasses import replace

import pytest

from mavrik.core.circuit import Circuit, LoadKind
from mavrik.core.circuit.layouts import build_layout
from mavrik.core.findings.bench_model import BenchModel
from mavrik.core.findings.changes import What
from mavrik.core.findings.day import Day, running_voltages
from mavrik.core.findings.served import RUNNING_V_12, Served
from mavrik.core.findings.unknowns import UNREAD_CHARGED_V
from mavrik.core.measuring.readings import Measured
from mavrik.core.procedures import PROCEDURES, BenchState, Observation, Setup

BARGE = build_layout("house_bank_diagonal", 12)
"""An inverter of 60 A, as a power, on the bus of a bank of four behind a link."""

STATE = BenchState.FAST_LOADED


def served(circuit: Circuit, **read: float) -> float | None:
    return Served(circuit, {STATE: read}).ohm("inverter", STATE)


def test_a_power_is_served_at_the_volts_of_the_battery_that_metal_joins_it_to() -> None:
    """Not at those of the starting battery beyond the link."""
    assert served(BARGE, battery=14.4, bank_1=12.0) == pytest.approx(12.0 / 60)
    assert served(BARGE, battery=14.4, bank_1=14.0) == pytest.approx(14.0**2 / (12.0 * 60))
    for bank in ("bank_2", "bank_3"):
        # The nearest that was read.
        assert served(BARGE, **{bank: 13.0, "battery": 14.4}) == pytest.approx(13.0**2 / 720)


@pytest.mark.parametrize("slip", [0.2, 5.0, 23.0])
def test_a_slip_is_no_voltage_that_a_load_is_served_at(slip: float) -> None:
    assert served(BARGE, bank_1=slip) == served(BARGE) == pytest.approx(RUNNING_V_12**2 / 720)


def test_of_24_volts_everything_is_twice_that() -> None:
    assert Served(build_layout("house_bank_diagonal", 24), {}).ohm("inverter", STATE) == pytest.approx(
        (2 * RUNNING_V_12) ** 2 / (24 * 60)
    )


def test_a_resistance_and_a_starter_are_left_as_they_are() -> None:
    loads = tuple(x.model_copy(update={"law": LoadKind.RESISTANCE}) for x in BARGE.loads)
    assert served(BARGE.model_copy(update={"loads": loads}), bank_1=14.0) is None
    assert Served(BARGE, {}).ohm("starter", STATE) is None and Served(BARGE, {}).ohm("charge_fuse", STATE) is None


def seen(state: BenchState, red: str, black: str, volts: float) -> Observation:
    """A reading at two nodes in a state, whatever test asks for it."""
    point = next(p for of in PROCEDURES for p in of.points(BARGE) if p.id == "regulated_v:fast")
    return Observation(replace(point, red=red, black=black, state=state), Setup(state), Measured(volts, 0.02), 0)


def test_volts_of_a_day_are_those_at_the_posts_while_the_engine_ran() -> None:
    main = BARGE.battery
    posts = main.positive_node, main.negative_node
    read = [seen(STATE, *posts, v) for v in (14.1, 14.2, 9.0)]
    read += [seen(BenchState.REST, *posts, 12.5), seen(STATE, "alt_stud", "alt_case", 14.6)]
    assert running_voltages(BARGE, read) == {STATE: {main.id: 14.1}}


def test_what_a_load_bank_and_its_battery_take_together_is_not_known() -> None:
    rest = {b.id: 12.6 for b in BARGE.batteries}
    usual, banked = (BenchModel(BARGE, Day(rest, banked=on)).unknowns for on in (frozenset[str](), frozenset({"battery"})))
    at = usual.place[What.CHARGED, "battery"]
    # Of one that nobody read either it is more still: it is drawn full, and an ampere then makes a volt and more.
    unread = BenchModel(BARGE, Day()).unknowns
    assert usual.width[at] < UNREAD_CHARGED_V <= banked.width[at] < unread.width[at]
    assert (banked.width != usual.width).sum() == 1
