"""What lands on each point: counted by hand on a small circuit, and on every layout against the circuit itself."""

from __future__ import annotations

from collections import Counter

import pytest

from mavrik.core.circuit import Circuit, ConductorBranch, Termination, TerminationKind
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.fabrication.documents import BuildBook, EndSpec, LeadSpec, StudThread, check_book
from mavrik.core.fabrication.points import WiredPoint, wired_points
from mavrik.core.operating.prediction import at_output, predict

CAR = build_layout("front_battery", 12)


def with_lead(circuit: Circuit, branch_id: str, **changes: object) -> Circuit:
    branches = tuple(b.model_copy(update=changes) if b.id == branch_id else b for b in circuit.branches)
    return circuit.model_copy(update={"branches": branches})


def at(circuit: Circuit, node_id: str, book: BuildBook | None = None) -> WiredPoint:
    return next(p for p in wired_points(circuit, book or BuildBook()) if p.node_id == node_id)


@pytest.mark.parametrize("layout", [x.name for x in LAYOUTS])
def test_every_end_of_every_part_lands_somewhere_once(layout: str) -> None:
    circuit = build_layout(layout, 12)
    points = wired_points(circuit, BuildBook())
    assert [p.number for p in points] == list(range(1, len(circuit.nodes) + 1))
    landed = Counter((p.node_id, x.part_id) for p in points for x in p.landings)
    for b in circuit.branches:
        runs = b.parallel if isinstance(b, ConductorBranch) else 1
        for node, end in ((b.from_node, "from_end"), (b.to_node, "to_end")):
            clamped = isinstance(b, ConductorBranch) and getattr(b, end).kind is TerminationKind.POST_CLAMP
            assert landed[node, b.id] == (1 if clamped else runs)
    for battery in circuit.batteries:
        assert landed[battery.positive_node, battery.id] == landed[battery.negative_node, battery.id] == 1
    for p in points:
        on = [x for x in p.landings if x.place]
        assert [x.place for x in on] == list(range(1, len(on) + 1)) and bool(on) == bool(p.stud) == (p.needs_mm is not None)
        amps = [x.current_a or 0.0 for x in on]
        assert amps == sorted(amps, reverse=True), "what carries most lies at the foot"


def test_what_carries_most_at_rated_output_lies_at_the_foot_of_the_block() -> None:
    block = at(CAR, "block")
    solved = predict(CAR, at_output(CAR, CAR.alternator.rated_a)).current_a
    by_current = sorted((x for x in block.landings if x.place), key=lambda x: -abs(solved[x.part_id]))
    assert [x.part_id for x in by_current] == [x.part_id for x in block.landings if x.place]


def test_the_thread_that_two_lugs_take_is_that_of_a_hand_calculation() -> None:
    """M10: a nut of 8 mm (ISO 4032 has 8.4), a washer of 2, two turns of 1.5 beyond it; the tube of a lug for 25 mm2 is 10.6
    over 7.6 mm, for 16 mm2 8.7 over 6.1, and lies flat."""
    block = at(CAR, "block")
    assert {x.what for x in block.landings if x.place} == {"25 mm2", "16 mm2"}
    assert block.stud == "M10" and block.needs_mm == pytest.approx(8 + 2 + 2 * 1.5 + (10.6 - 7.6) + (8.7 - 6.1))


def test_a_stud_that_is_too_short_or_carries_too_much_or_has_two_sizes_is_said_at_its_place() -> None:
    needs = at(CAR, "block").needs_mm
    assert needs is not None
    short = at(CAR, "block", BuildBook(threads=(StudThread(node_id="block", thread_mm=needs - 2),)))
    assert short.problems == (
        "The stud is 2.0 mm too short: a nut on two threads holds nothing. Take a longer stud, or a lug off it.",
    )
    enough = at(CAR, "block", BuildBook(threads=(StudThread(node_id="block", thread_mm=needs + 0.5),)))
    assert enough.problems == () and not any("thread" in w for w in enough.assumed)
    five = at(with_lead(CAR, "block_ground", parallel=4), "block")
    assert any("at most 4. Take a busbar" in w for w in five.problems)
    ends = [
        LeadSpec(branch_id=i, **{end: EndSpec(stud=s)})
        for i, end, s in (("engine_strap", _end("engine_strap"), "M8"), ("block_ground", _end("block_ground"), "M10"))
    ]
    two = at(CAR, "block", BuildBook(leads=tuple(ends)))
    assert two.stud == "M10" and len(two.problems) == 1
    assert "Engine strap for M8" in two.problems[0] and "Battery to block for M10" in two.problems[0]


def _end(branch_id: str) -> str:
    return "from_end" if CAR.branch(branch_id).from_node == "block" else "to_end"


def test_a_clamp_lies_beside_the_stud() -> None:
    lead = CAR.branch("battery_lead")
    end = "from_end" if lead.from_node == "bat_pos" else "to_end"
    clamped = at(with_lead(CAR, "battery_lead", **{end: Termination(kind=TerminationKind.POST_CLAMP)}), "bat_pos")
    assert clamped.stud == "" and clamped.torque_nm is None
    assert {x.label for x in clamped.landings} == {lead.label, CAR.battery.label} and not any(x.place for x in clamped.landings)


def test_two_lengths_of_one_stud_are_refused_at_it() -> None:
    twice = BuildBook(threads=(StudThread(node_id="block", thread_mm=20), StudThread(node_id="block", thread_mm=22)))
    assert [(p.element, p.field) for p in check_book(twice)] == [("block", "thread_mm")]
