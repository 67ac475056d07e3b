"""Laying out the loop, and where a job stands."""

from itertools import combinations, pairwise
from typing import Any

import pytest

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.additions import add_to
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.circuit.ring import find_ring
from mavrik.core.drawing.loop import in_lines, lay_out
from mavrik.core.drawing.pictures import draw
from mavrik.core.findings import BranchVerdict, Findings
from mavrik.core.findings.documents import ActionKind
from mavrik.core.measuring.readings import Reading, Run
from mavrik.core.procedures import complete_run
from mavrik.core.workflow.progress import Progress, progress
from mavrik.core.workflow.purposes import Purpose
from mavrik.core.workflow.stages import STAGES, JobFacts, StageState
from tests.build import drop_run, judged, simple_circuit, simple_document


@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda layout: layout.name)
def test_everything_is_drawn_inside_the_picture_and_nothing_twice(layout: Any) -> None:
    circuit = layout.build(12)
    drawn = lay_out(circuit, find_ring(circuit))
    assert {n.node_id for n in drawn.nodes} == {n.id for n in circuit.nodes}
    assert sorted(b.branch_id for b in drawn.branches) == sorted(b.id for b in circuit.branches)
    devices = (circuit.alternators, circuit.batteries, circuit.loads, circuit.converters, circuit.chargers)
    assert sorted(s.id for s in drawn.sources) == sorted(d.id for group in devices for d in group)
    for a, b in combinations(drawn.nodes, 2):
        assert abs(a.x - b.x) + abs(a.y - b.y) > 60
    for place in drawn.branches:
        for x, y in place.points:
            assert 0 < x < drawn.width and 0 < y < drawn.height


@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda layout: layout.name)
def test_lines_start_and_end_at_their_nodes(layout: Any) -> None:
    circuit = layout.build(12)
    drawn = lay_out(circuit, find_ring(circuit))
    at = {n.node_id: (n.x, n.y) for n in drawn.nodes}
    for place in drawn.branches:
        branch = circuit.branch(place.branch_id)
        assert {place.points[0], place.points[-1]} == {at[branch.from_node], at[branch.to_node]}


@pytest.mark.long(but=4)
@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda layout: layout.name)
def test_an_open_switch_anywhere_is_judged_and_drawn(layout: Any) -> None:
    """What cannot charge is said, drawn and solved: a switch left open behind every branch in turn."""
    document = layout.build(12).model_dump(mode="json")
    for branch in document["branches"]:
        ends = {"from_node": "open_end", "to_node": branch["to_node"]}
        moved = [{**b, "to_node": "open_end"} if b["id"] == branch["id"] else b for b in document["branches"]]
        opened = {"kind": "switch", "id": "opened", "label": "Opened", "closed": False, **ends}
        nodes = [*document["nodes"], {"id": "open_end", "role": "stud", "label": "Open end"}]
        circuit = Circuit.model_validate({**document, "nodes": nodes, "branches": [*moved, opened]})
        findings = judged(circuit)
        pictures = draw(circuit, findings)
        assert {b.branch_id for b in pictures.loop.branches} == {b.id for b in circuit.branches}
        assert find_ring(circuit).closes or findings.headline.verdict == "fail", branch["id"]


def test_labels_do_not_lie_on_each_other() -> None:
    drawn = lay_out(build_layout("parallel_batteries", 12), find_ring(build_layout("parallel_batteries", 12)))
    for a, b in combinations(drawn.branches, 2):
        (ax, ay), (bx, by) = a.label_at, b.label_at
        assert abs(ax - bx) > 85 or abs(ay - by) > 60, (a.branch_id, b.branch_id)


@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda layout: layout.name)
def test_words_keep_out_of_each_other_and_of_upright_lines(layout: Any) -> None:
    """The longest word of every name has room, in the picture as it is drawn: about 12.5 units a letter."""
    circuit = layout.build(12)
    drawn = lay_out(circuit, find_ring(circuit))
    source = next(s for s in drawn.sources if s.kind == "alternator")
    axis, high = (source.start[1] + source.end[1]) / 2, 50 * drawn.words
    uprights = [
        (a[0], *sorted((a[1], b[1])))
        for p in drawn.branches
        for a, b in zip(p.points, p.points[1:], strict=False)
        if a[0] == b[0]
    ]
    spans = {}
    for place in drawn.branches:
        (x, y), half = place.label_at, place.label_room / 2
        longest = max(len(word) for word in circuit.branch(place.branch_id).label.split())
        # A narrow drawing is shown large: its letters take less of it.
        assert place.label_room >= longest * (12.5 if drawn.width > 2000 else 8) * drawn.words, place.branch_id
        top = y - high if y < axis else y
        for at, start, end in uprights:
            assert not (x - half < at < x + half and start < top + high - 1 and end > top + 1), (place.branch_id, at)
        spans[place.branch_id] = (x - half, x + half, y)
    for (one, (a0, a1, ay)), (other, (b0, b1, by)) in combinations(spans.items(), 2):
        assert abs(ay - by) >= high or a1 <= b0 + 1 or b1 <= a0 + 1, (one, other)


def test_a_parallel_branch_gets_a_lane_of_its_own() -> None:
    document = simple_document()
    document["branches"].append(
        {
            "kind": "ground_strap",
            "id": "strap",
            "label": "Strap",
            "from_node": "minus",
            "to_node": "case",
            "length_m": 1.5,
            "size": "16 mm2",
        }
    )
    circuit = Circuit.model_validate(document)
    drawn = {b.branch_id: b for b in lay_out(circuit, find_ring(circuit)).branches}
    assert not drawn["strap"].on_ring
    assert max(y for _, y in drawn["strap"].points) > max(y for _, y in drawn["home"].points)


def test_thirty_branches_are_drawn() -> None:
    document = simple_document()
    last = "stud"
    document["branches"] = [b for b in document["branches"] if b["id"] != "feed"]
    for k in range(27):
        to = "fuse_in" if k == 26 else f"n{k}"
        if to != "fuse_in":
            document["nodes"].append({"id": to, "role": "stud", "label": to})
        document["branches"].append(
            {
                "kind": "cable",
                "id": f"c{k}",
                "label": f"C{k}",
                "from_node": last,
                "to_node": to,
                "length_m": 0.2,
                "size": "50 mm2",
            }
        )
        last = to
    circuit = Circuit.model_validate(document)
    assert len(lay_out(circuit, find_ring(circuit)).branches) == 29


SIMPLE = simple_circuit()


def standing(
    *purposes: Purpose,
    handed_over: bool = False,
    plans: int = 0,
    build_steps: tuple[int, int] | None = None,
    added: tuple[str, ...] = (),
    **read: float,
) -> Progress:
    runs = [drop_run(SIMPLE, 100, **read)] if read else []
    findings = judged(SIMPLE, *runs)
    return progress(
        JobFacts(frozenset(purposes), SIMPLE, findings, plans=plans, build_steps=build_steps, handed_over=handed_over), added
    )


def test_a_new_job_begins_with_its_circuit() -> None:
    path_of_job = progress(JobFacts(frozenset({Purpose.MORE_LOAD})))
    assert path_of_job.next_stage == "circuit"
    assert {s.state for s in path_of_job.stages[1:]} == {StageState.BLOCKED}


def test_a_job_says_what_is_missing() -> None:
    fault = Purpose.FIND_FAULT
    assert standing(fault).missing == "a first test"
    partly = standing(fault, feed=0.121)
    assert partly.missing == "the drop of Fuse" and partly.next_stage == "measure"
    whole = {"feed": 0.121, "fuse": 0.053, "home": 0.065}
    assert standing(fault, **whole).next_stage == "hand_over"
    assert standing(Purpose.MORE_LOAD, **whole).next_stage == "plan"
    assert standing(Purpose.MORE_LOAD, plans=1, **whole).next_stage == "build"
    planned = {"plans": 1, "build_steps": (2, 9)}
    assert standing(Purpose.MORE_LOAD, **planned, **whole).missing == "7 of 9 steps"
    for every in (9, 0):  # all done, and nothing to do
        assert standing(Purpose.MORE_LOAD, **{**planned, "build_steps": (every, every)}, **whole).next_stage == "hand_over"


def test_the_path_says_what_the_findings_say_comes_next() -> None:
    """It named the drops while the findings asked for another test."""

    def judged_by(**volts: float) -> tuple[Findings, Progress]:
        readings = tuple(Reading(point=f"regulated_v:{state}", value=v) for state, v in volts.items())
        findings = judged(SIMPLE, complete_run(SIMPLE, Run(procedure="regulated", readings=readings)), ahead=True)
        return findings, progress(JobFacts(frozenset({Purpose.FIND_FAULT}), SIMPLE, findings))

    findings, path = judged_by(idle=14.3, idle_loaded=12.4, fast=14.3, fast_loaded=14.2)
    line = findings.headline
    assert line.read_on and line.next_step == f"Make the test that tells most: {line.reading}."
    assert path.next_stage == "measure" and path.missing == line.reading != findings.missing[0]
    # What is settled is mended: nothing is to be read first, and the path names what was left out.
    settled, path = judged_by(idle=16.2, idle_loaded=16.1, fast=16.2, fast_loaded=16.2)
    assert settled.headline.reading == "" and not settled.headline.read_on
    assert path.missing == settled.missing[0]


def test_what_is_to_be_read_again_is_what_the_path_names() -> None:
    """A house battery low by one reading: the findings asked for that once more, the path for the drops."""
    boat = build_layout("boat_isolator", 12)
    volts = {"idle": 14.38, "idle_loaded": 14.36, "fast": 14.41, "fast_loaded": 14.40}
    readings = [Reading(point=f"regulated_v:{state}", value=v) for state, v in volts.items()]
    others = {"regulated_stud_v": 15.22, "other_regulated_v:house": 12.94, "sense_v:alternator": 14.4}
    readings += [Reading(point=point, value=v) for point, v in others.items()]
    findings = judged(boat, complete_run(boat, Run(procedure="regulated", readings=tuple(readings))), ahead=True)
    again = findings.next_actions[0]
    assert again.kind is ActionKind.READ_AGAIN and again.point == "other_regulated_v:house"
    line = findings.headline
    # Of two that are as likely neither is named alone.
    assert (
        line.why[0].startswith("Most likely one of these: ")
        and "Isolator, house (" in line.why[0]
        and "House fuse (" in line.why[0]
    )
    # A bank behind an isolator has no limit of its own: that it keeps one is not said.
    assert line.text.endswith("though no reading misses a limit.") and line.next_step.startswith(again.text)
    assert line.read_on and line.reading == again.short == "another reading of house battery, 2000 /min, loads off"
    path = progress(JobFacts(frozenset({Purpose.FIND_FAULT}), boat, findings))
    assert path.next_stage == "measure" and path.missing == line.reading


@pytest.mark.parametrize(
    ("odd", "point", "words"),
    [
        ({"feed_v": 0.364}, "feed_v", "another reading of feed side, whole"),
        ({"charge_fuse": -0.051}, "drop_v:charge_fuse", "another reading of charge fuse"),
        ({"charge_cable": 0.0}, "drop_v:charge_cable", "another reading of charge cable"),
        ({"stud_v": 14.5, "battery_v": 13.79}, "", "another reading of stud and battery"),
    ],
    ids=["whole", "swapped", "dead", "stud and battery"],
)
def test_readings_that_contradict_each_other_are_read_again_before_a_job_is_handed_over(
    odd: dict[str, float], point: str, words: str
) -> None:
    """Every part was read, two of them cannot both be: the findings said to repeat them, the path to print and sign."""
    car = build_layout("front_battery", 12)
    sound = {b.branch_id: 80 / 90 * b.predicted_drop_v for b in judged(car).branches}
    findings = judged(car, drop_run(car, 80.0, **(sound | odd)), ahead=True)
    line = findings.headline
    assert line.verdict is BranchVerdict.CHECK_PROBES and not findings.missing
    assert line.reading == words and line.read_on
    if point:
        first = findings.next_actions[0]
        assert first.kind is ActionKind.READ_AGAIN and first.point == point and first.short == words
    path = progress(JobFacts(frozenset({Purpose.FIND_FAULT}), car, findings))
    assert path.next_stage == "measure" and path.missing == words
    states = {s.stage: s.state for s in path.stages}
    assert states["measure"] is StageState.PARTLY and states["findings"] is StageState.PARTLY


@pytest.mark.parametrize(
    ("times", "verdict", "then", "words"),
    [
        (0.9, BranchVerdict.PASS, "Make the test that tells most: net battery current.", "print and sign"),
        (
            1.0,
            BranchVerdict.CLOSE,
            "Repeat it nearer to rated output, or on a finer range: that narrows the band.",
            "another reading of feed side",
        ),
        (1.2, BranchVerdict.FAIL, "No part of it has too much: plan larger cables.", "print and sign"),
    ],
)
def test_where_every_part_was_read_nobody_is_sent_to_read_them_one_by_one(
    times: float, verdict: BranchVerdict, then: str, words: str
) -> None:
    """A side that loses too much, all parts of it read and sound: next came "measure the branches of this side one by one"."""
    car = build_layout("front_battery", 12)
    findings = judged(
        car, drop_run(car, 80.0, **{b.branch_id: times * 80 / 90 * b.predicted_drop_v for b in judged(car).branches}), ahead=True
    )
    line = findings.headline
    assert (line.verdict, line.next_step) == (verdict, then) and not findings.missing
    # Where nothing misses a limit, what would tell more is offered: the job lacks nothing.
    assert line.read_on is (verdict is BranchVerdict.CLOSE)
    assert progress(JobFacts(frozenset({Purpose.FIND_FAULT}), car, findings)).missing == words
    one_reading = judged(car, drop_run(car, 80.0, feed_v=0.2)).headline
    assert one_reading.verdict is BranchVerdict.FAIL and one_reading.reading == "the drop of Charge cable"


def test_of_parts_of_which_one_is_bad_the_reading_that_parts_them_comes_before_all_else() -> None:
    car = build_layout("front_battery", 12)
    findings = judged(car, drop_run(car, 70.0, feed_v=0.5), ahead=True)
    assert findings.undecided and findings.deciding is not None
    first, line = findings.next_actions[0], findings.headline
    assert first.point == findings.deciding.point and [a.point for a in findings.next_actions].count(first.point) == 1
    assert line.next_step == f"{first.text} {first.why}" and line.reading == first.short and line.read_on


def test_the_path_is_what_the_purpose_needs_and_what_was_added() -> None:
    def path(progress_now: Progress) -> list[str]:
        return [s.stage for s in progress_now.stages if s.on_path]

    assert path(standing(Purpose.FIND_FAULT)) == ["circuit", "measure", "findings", "hand_over"]
    assert path(standing(Purpose.FIND_FAULT, added=("plan",))) == ["circuit", "measure", "findings", "plan", "hand_over"]
    assert "plan" in path(standing(Purpose.FIND_FAULT, Purpose.MORE_LOAD))
    for purpose in Purpose:
        assert path(standing(purpose))[0] == "circuit" and path(standing(purpose))[-1] == "hand_over"
    assert [s.stage for s in standing().stages] == [s.name for s in STAGES]


def test_a_job_that_is_handed_over_misses_nothing() -> None:
    whole = {"feed": 0.121, "fuse": 0.053, "home": 0.065}
    assert standing(Purpose.FIND_FAULT, **whole).missing == "print and sign"
    after = standing(Purpose.FIND_FAULT, handed_over=True, **whole)
    assert after.stages[-1].state is StageState.DONE and after.missing == ""


@pytest.mark.parametrize(
    ("label", "lines"),
    [("Battery", ("Battery",)), ("155 A alternator", ("155 A", "alternator")), ("Unbreakablelongname", ("Unbreakablelongname",))],
)
def test_a_long_name_is_broken_where_it_has_a_gap(label: str, lines: tuple[str, ...]) -> None:
    assert in_lines(label) == lines


def test_a_drawing_that_is_shown_small_has_larger_words_and_room_for_them() -> None:
    """About 30 branches: on a screen of 1280 pixels a word of 21.5 units still is 10 pixels high, and the whole fits 800."""
    circuit = build_layout("house_bank_diagonal", 12)
    small = lay_out(circuit, find_ring(circuit))
    for name in ("battery_converter", "load_on_a_lead", "load_on_a_lead", "ground_case"):
        circuit = add_to(circuit, name)
    large = lay_out(circuit, find_ring(circuit))
    pixel = 1234 / large.width
    assert len(circuit.branches) == 29 and small.words < 1.05 < large.words
    assert 21.5 * large.words * pixel > 10 and large.height * pixel < 720
    heights = sorted({n.y for n in large.nodes})
    assert min(b - a for a, b in pairwise(heights)) >= 0.74 * 100 * large.words
