"""What to do next, and what would turn a finding: held against doing it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from mavrik.core.circuit.layouts import build_layout
from mavrik.core.findings import Findings
from mavrik.core.findings.documents import ActionKind
from mavrik.core.findings.faults import NOTHING
from mavrik.core.findings.hypotheses import hypotheses
from mavrik.core.findings.next_reading import CHARGE_MINUTES, Draws, look_ahead
from mavrik.core.findings.unknowns import Unknowns, least_of
from mavrik.core.measuring.readings import Measured, Reading
from mavrik.core.operating.prediction import at_output, predict
from mavrik.core.procedures import PROCEDURES, Setup, complete_run, procedure
from mavrik.standin.vehicle import VEHICLES, HiddenVehicle, hidden_faults
from tests.build import drop_run, inferred, judged, runs_of


def bench(name: str, cause: str, seed: int = 5) -> HiddenVehicle:
    hidden = next(h for h in hidden_faults(VEHICLES[name]) if h.causes == (cause,))
    return HiddenVehicle(VEHICLES[name], hidden, np.random.default_rng(seed))


def kinds(findings: Findings) -> list[ActionKind]:
    return [a.kind for a in findings.next_actions]


def test_before_anything_is_read_whole_tests_come_first_by_what_they_tell_a_minute() -> None:
    findings = judged(VEHICLES["front"], ahead=True)
    assert set(kinds(findings)) == {ActionKind.TEST}
    a_minute = [a.bits / a.minutes for a in findings.next_actions]
    assert a_minute == sorted(a_minute, reverse=True) and a_minute[0] > 0


def test_one_reading_that_all_hangs_on_is_to_be_read_again_with_another_meter() -> None:
    """One drop says that a lead is bad, the side read whole that it is not: a repeat parts the two within minutes."""
    sound = bench("front", NOTHING)
    read = sound.everything()
    read["drop_v:charge_cable"] = replace(read["drop_v:charge_cable"], value=read["drop_v:charge_cable"].value + 0.06)
    tests = {
        k: v
        for k, v in read.items()
        if k.startswith(("drop_v:", "feed_v", "return_v", "charge_a:", "stud_v", "battery_v", "rest_v"))
    }
    findings = judged(sound.circuit, *runs_of(sound, tests), ahead=True)
    assert [d.point for d in findings.doubtful] == ["drop_v:charge_cable"]
    first = findings.next_actions[0]
    assert (first.kind, first.point) == (ActionKind.READ_AGAIN, "drop_v:charge_cable")
    assert "another meter" in first.text and first.minutes < 5


def test_the_current_that_parts_two_grounds_is_to_be_clamped() -> None:
    """Beside one another grounds are told apart by what each carries: the drop over both is one and the same."""
    car = build_layout("rear_battery_both", 12)
    seen = predict(car, at_output(car, 80, engine_space_c=20, ambient_c=20), {"rear_ground": 0.02}).drop_v
    ground = {b: round(v, 3) for b, v in seen.items() if b in ("rear_ground", "direct_ground", "engine_strap", "battery_lead")}
    findings = judged(car, drop_run(car, 80, **ground), ahead=True)
    shared = {p.id for p in procedure("charging_drops").points(car) if p.id.startswith("branch_a:")}
    clamps = [a for a in findings.next_actions if a.kind is ActionKind.CLAMP]
    assert shared and (not clamps or clamps[0].point in shared)
    if findings.undecided:
        assert clamps and clamps[0].text.startswith("Clamp it: ")


@pytest.mark.parametrize(("rest_v", "charged"), [(12.1, True), (12.65, False)])
def test_a_flat_battery_is_charged_first_and_a_full_one_is_not(rest_v: float, charged: bool) -> None:
    car = VEHICLES["front"]
    run = complete_run(car, procedure_run("rest", {"rest_v:battery": rest_v}))
    ahead = look_ahead(inferred(car, [run]), frozenset({"rest_v:battery"}), {})
    charge = [a for a in ahead.actions if a.kind is ActionKind.CHARGE]
    assert not charged or not charge or charge[0].minutes == CHARGE_MINUTES
    # Hours of a charger come last: only once the tests that take minutes tell no more is it worth a place.
    everything = bench("front", NOTHING, 6)
    read = everything.everything()
    read["rest_v:battery"] = Measured(rest_v, 0.02)
    posterior = inferred(car, runs_of(everything, read))
    left = look_ahead(posterior, frozenset(read), {})
    assert [a.kind for a in left.actions if a.kind is ActionKind.CHARGE] == [] or charged


def procedure_run(name: str, values: dict[str, float]):  # type: ignore[no-untyped-def]
    from mavrik.core.measuring.readings import Run

    return Run(procedure=name, readings=tuple(Reading(point=k, value=v) for k, v in values.items()))


TURNED = [("parallel", "worn_brushes:alternator"), ("rear", "weak_battery:battery"), ("front", NOTHING)]


def turned(name: str, cause: str, seed: int) -> float:
    """What is left of the likeliest cause's probability, as a share, once the reading is taken, well beyond the value that was said."""
    vehicle = bench(name, cause, seed)
    read = {k: v for k, v in vehicle.everything().items() if k.startswith(("rest_v", "regulated", "crank_v", "key_"))}
    posterior = inferred(vehicle.circuit, runs_of(vehicle, read))
    best = max(posterior.by_cause, key=lambda c: posterior.by_cause[c])
    turn = look_ahead(posterior, frozenset(read), {}).turns[best]
    assert turn.words.startswith("It would give way if ")
    beyond = 0.04 * max(abs(turn.value), 0.05) * (1 if turn.up else -1)
    after = inferred(
        vehicle.circuit, runs_of(vehicle, read | {turn.point: Measured(turn.value + beyond, 0.01 * abs(turn.value))})
    )
    return after.by_cause[best] / posterior.by_cause[best]


@pytest.mark.long
def test_what_is_said_to_turn_it_turns_it() -> None:
    """Straight lines say how far a drop while cranking may be off, and one in six was further off than that: where parts have more
    resistance than drawn it grows faster."""
    left = [turned(name, cause, seed) for name, cause in TURNED for seed in (4, 5)]
    assert sum(share < 0.45 for share in left) >= 5 and max(left) < 0.75, left


def test_sound_parts_lie_within_the_band_of_the_staircase() -> None:
    car = VEHICLES["front"]
    sound = predict(car, at_output(car, 80, engine_space_c=20, ambient_c=20)).drop_v
    findings = judged(car, drop_run(car, 80, **{b: round(v, 3) for b, v in sound.items() if abs(v) > 0.002}))
    banded = [b for b in findings.branches if b.sound_low_v is not None]
    assert {b.branch_id for b in banded} >= {b.branch_id for b in findings.branches if b.on_ring}
    for b in banded:
        assert b.sound_low_v is not None and b.sound_high_v is not None
        assert 0 <= b.sound_low_v <= abs(sound[b.branch_id]) <= b.sound_high_v
        assert b.sound_high_v < 3 * abs(sound[b.branch_id]) + 0.03
    assert all(b.sound_low_v is None for b in judged(car).branches)


def test_a_fault_is_at_least_a_third_of_what_it_usually_is() -> None:
    """Brushes that leave a unit all of its output are not worn, and a regulator that is 0.01 V high is not set high: what drags this
    one down is the load that is there, listed or not."""
    car = VEHICLES["front"]
    every, u = hypotheses(car), Unknowns.of(car)
    least, side = least_of(u, every)
    row = next(k for k, h in enumerate(every) if h.causes == ("regulator_high:alternator",))
    change = every[row].changes[0]
    k = u.place[change.what, change.element]
    assert side[row, k] == 1 and least[row, k] == pytest.approx(change.amount / 3)
    assert not side[0].any()
    vehicle = bench("rear", "unlisted_load:battery")
    findings = judged(vehicle.circuit, *runs_of(vehicle, vehicle.everything()))
    assert findings.nothing_broken > 0.95 and {c.cause for c in findings.causes[:2]} == {"none:", "unlisted_load:battery"}


def test_a_reading_by_itself_tells_what_it_tells_among_none() -> None:
    """All single readings are weighed at once; each of them has to be worth what a set of that one reading is."""
    model = inferred(VEHICLES["front"], [])
    draws = Draws(model)
    placed = [(p, Setup(p.state)) for of in PROCEDURES for p in of.points(model.model.document) if not p.own_rule]
    seen, together = draws.expected(placed)
    each = draws.told_by_each([p for p, _ in placed], seen, np.diagonal(together, axis1=1, axis2=2))
    alone = [draws.told_by([p], seen[:, [k]], together[:, [k]][:, :, [k]]) for k, (p, _) in enumerate(placed)]
    assert any(p.kind.yes_or_no for p, _ in placed) and max(each) > 0.1
    assert each == pytest.approx(alone, abs=1e-12)
