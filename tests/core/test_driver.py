"""What who drives a vehicle has noticed: it says where to look first, and condemns nothing."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import product

import numpy as np
import pytest

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import LAYOUTS, build_layout, front_battery
from mavrik.core.findings import Findings, judge
from mavrik.core.findings.documents import BranchVerdict
from mavrik.core.findings.faults import MENDS_NOTHING, NOTHING, UNKNOWN_KIND, fault_table
from mavrik.core.findings.headline import shown
from mavrik.core.findings.hypotheses import both, hypotheses
from mavrik.core.findings.inference import infer
from mavrik.core.measuring.readings import Reading, Run
from mavrik.core.procedures import PROCEDURES, complete_run, observations, procedure, standing
from mavrik.core.procedures.bench.driver import ASKED
from mavrik.standin.vehicle import with_starter
from tests.reference.strangers.driver import Driver
from tests.reference.strangers.yard import documents, draw

CAR = front_battery(12)


def asked(circuit: Circuit, answers: Mapping[str, bool], ahead: bool = False) -> Findings:
    readings = tuple(Reading(point=f"noticed:{name}", value=float(yes)) for name, yes in answers.items())
    return judge(circuit, [complete_run(circuit, Run(procedure="driver", readings=readings))], ahead=ahead)


def saying_yes_to(*names: str) -> dict[str, bool]:
    return {name: name in names for name in ASKED}


def likely(findings: Findings, cause: str) -> float:
    return next((c.probability for c in findings.causes if c.cause == cause), 0.0)


def condemned(findings: Findings) -> float:
    """How likely the likeliest part is to be bad."""
    parts = [c.probability for c in findings.causes if c.cause != NOTHING and c.kind not in {*MENDS_NOTHING, UNKNOWN_KIND}]
    return max([*parts, findings.settled_part.probability if findings.settled_part else 0.0], default=0.0)


def test_what_is_asked_is_what_the_catalogue_knows_of() -> None:
    table = fault_table()
    assert set(ASKED) == set(table.noticed)
    for kind, fault in table.faults.items():
        assert set(fault.noticed) <= set(table.noticed), kind
        # A fault is noticed more than nothing is.
        assert all(p > table.noticed[name] for name, p in fault.noticed.items()), kind
    assert {p.name for p in PROCEDURES if any(x.hearsay for x in p.points(CAR))} == {"driver"}
    assert PROCEDURES[0].name == "driver"


@pytest.mark.long(but=4)
@pytest.mark.parametrize("layout", [x.name for x in LAYOUTS])
def test_hearsay_condemns_nothing_and_measures_nothing(layout: str) -> None:
    circuit = build_layout(layout, 12)
    for name in (None, *ASKED):
        findings = asked(circuit, saying_yes_to(*([name] if name else [])))
        assert condemned(findings) < 0.5, name
        assert findings.headline.verdict is BranchVerdict.NOT_MEASURED and findings.headline.text == "Nothing measured yet.", name


@pytest.mark.long
def test_whatever_a_driver_says_no_part_is_called_bad() -> None:
    for answers in product((False, True), repeat=len(ASKED)):
        said = dict(zip(ASKED, answers, strict=True))
        findings = asked(CAR, said)
        assert condemned(findings) < fault_table().probably, said
        assert findings.headline.verdict is BranchVerdict.NOT_MEASURED, said


@pytest.mark.parametrize(
    ("name", "cause"),
    [
        ("flat", "drain:battery"),
        ("message", "field_open:alternator"),
        ("cranks", "weak_battery:battery"),
        ("too_bright", "regulator_high:alternator"),
        ("squeals", "belt_slips:alternator"),
    ],
)
def test_an_answer_says_where_to_look(name: str, cause: str) -> None:
    """Common practice of the trade, no source: what each of these complaints usually is."""
    yes, no = asked(CAR, saying_yes_to(name)), asked(CAR, saying_yes_to())
    assert likely(yes, cause) > 3 * likely(no, cause)
    assert likely(yes, NOTHING) < likely(no, NOTHING)


def test_an_answer_counts_as_often_as_it_is_given() -> None:
    """By hand, Bayes' rule of one answer: the odds of a drain against nothing broken, with what answers are wrong."""
    table = fault_table()
    wrong = table.misread_share
    run = complete_run(CAR, Run(procedure="driver", readings=(Reading(point="noticed:flat", value=1.0),)))
    alone = {c.causes: c.probability for c in infer(CAR, observations(CAR, standing([run], ()))).candidates}
    odds = table.faults["drain"].weight / table.faults["none"].weight
    more = [wrong + (1 - 2 * wrong) * p for p in (table.faults["drain"].noticed["flat"], table.noticed["flat"])]
    assert alone["drain:battery",] / alone[NOTHING,] == pytest.approx(odds * more[0] / more[1], rel=0.02)


def test_of_two_faults_either_may_be_noticed() -> None:
    """By hand: a drain is noticed in 8 of 10, a weak battery in 35 of 100, nothing broken in 1 of 10, which both have in common."""
    of = {h.causes[0]: h for h in hypotheses(CAR)}
    drain, weak, usual = of["drain:battery"], of["weak_battery:battery"], fault_table().noticed
    pair = both(drain, weak).noticed
    assert pair["flat"] == pytest.approx(1 - (1 - drain.noticed["flat"]) * (1 - weak.noticed["flat"]) / (1 - usual["flat"]))
    assert pair["flat"] > max(drain.noticed["flat"], weak.noticed["flat"]) and pair["cranks"] == pytest.approx(
        weak.noticed["cranks"]
    )
    assert both(drain, of["belt_slips:alternator"]).noticed["flat"] == pytest.approx(drain.noticed["flat"])


def test_who_was_asked_is_not_asked_again() -> None:
    nothing = judge(CAR)
    assert "driver" in {t.procedure for t in nothing.next_tests}
    assert nothing.deciding is not None and nothing.deciding.procedure != "driver"
    for answers in ({"flat": True}, saying_yes_to("flat")):
        findings = asked(CAR, answers, ahead=True)
        assert "driver" not in {t.procedure for t in findings.next_tests} | {a.procedure for a in findings.next_actions}
    # A drain is worth its half hour sooner.
    bits = [
        {t.procedure: t.bits for t in f.next_tests}["drain"] for f in (asked(CAR, saying_yes_to("flat"), ahead=True), nothing)
    ]
    assert bits[0] > 1.5 * bits[1]


def test_what_is_noticed_at_times_is_said_so() -> None:
    assert (shown("yes_no", 1.0), shown("yes_no", 0.0), shown("yes_no", 0.7)) == ("yes", "no", "yes in 70%")
    drain = next(c for c in asked(CAR, saying_yes_to("flat")).causes if c.cause == "drain:battery")
    (evidence,) = (e for e in drain.evidence if e.point == "noticed:flat")
    assert evidence.favours > 0 and shown(evidence.quantity, evidence.expected) == "yes in 80%"


def test_the_yards_driver_takes_nothing_from_what_else_is_drawn() -> None:
    """With him and without a vehicle is the same, and so is what is read on it."""
    drawn = documents(lambda layout, volts: build_layout(layout, volts).model_dump(mode="json"))
    one, other = (draw(drawn, 4).vehicle for _ in range(2))
    driver = Driver(one)
    assert all(isinstance(driver.says(p.indicator), bool) for p in procedure("driver").points(CAR))
    assert np.isclose(one.rng.random(), other.rng.random())


def test_what_is_read_counts_instead_of_what_was_said_of_it() -> None:
    """Every one of those readings is one that some test of a car with a starter takes."""
    ids = [p.id for of in PROCEDURES for p in of.points(with_starter(CAR))]
    for p in procedure("driver").points(CAR):
        assert all(any(i.startswith(begins) for i in ids) for begins in p.read_instead), p.id
    drain = complete_run(CAR, Run(procedure="drain", readings=(Reading(point="drain_a:battery", value=0.03),)))
    said = complete_run(CAR, Run(procedure="driver", readings=(Reading(point="noticed:flat", value=1.0),)))
    with_it, without = judge(CAR, [said, drain], ahead=False), judge(CAR, [drain], ahead=False)
    assert [(c.cause, c.probability) for c in with_it.causes] == [(c.cause, c.probability) for c in without.causes]
    # Nor is he asked for what is known: of the drain the question says nothing more.
    (asks,) = (p for p in procedure("driver").points(CAR) if p.indicator == "flat")
    assert asks.said_by(["drain_a:battery"]) and not asks.said_by(["rest_v:battery", "regulated_v:fast"])
    assert likely(with_it, "drain:battery") < 0.05 < likely(judge(CAR, [said], ahead=False), "drain:battery")
