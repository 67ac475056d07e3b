"""The work at the bench: what counts as done, what comes next, and what is cut from which cable."""

from __future__ import annotations

import pytest

from mavrik.core.catalogue.prices import usual_prices
from mavrik.core.circuit import Chemistry, Circuit, ConductorBranch
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.fabrication.bench import BuildProblemError, BuildView, all_leads, build_view
from mavrik.core.fabrication.documents import BuildBook, EndSpec, LeadSpec, Tick
from mavrik.core.fabrication.steps import Phase
from mavrik.core.workflow.cautions import cautions_for

PRICES = usual_prices()
CAR = build_layout("front_battery", 12)


def thicker(*ids: str) -> Circuit:
    return CAR.model_copy(
        update={"branches": tuple(b.model_copy(update={"size": "50 mm2"}) if b.id in ids else b for b in CAR.branches)}
    )


def seen(planned: Circuit, *ticks: str, **book: object) -> BuildView:
    given = BuildBook.model_validate({"ticks": [Tick(step=t) for t in ticks], **book})
    return build_view(CAR, planned, given, PRICES)


@pytest.mark.long(but=6)
@pytest.mark.parametrize("layout", [x.name for x in LAYOUTS])
def test_doing_what_comes_next_until_nothing_does_is_all_of_it_in_its_order(layout: str) -> None:
    circuit = build_layout(layout, 12)
    ticks: list[Tick] = []
    anew = all_leads(circuit)
    while (view := build_view(circuit, circuit, BuildBook(anew=anew, ticks=tuple(ticks)), PRICES)).next_step is not None:
        assert view.done == len(ticks) and not view.too_early
        before = {s.id for s in view.steps if s.done}
        step = next(s for s in view.steps if s.id == view.next_step)
        assert step.ready and not step.waits_for and before.isdisjoint({step.id})
        ticks.append(Tick(step=step.id))
    assert [t.step for t in ticks] == [s.id for s in view.steps] and view.minutes_left == 0
    assert view.headline.startswith("All of it is done")
    # The last alone may be taken back: everything else is leaned on.
    assert [s.id for s in view.steps if s.loose] == ["test"]
    assert {c.branch_id for c in view.cards} == set(anew)


def test_what_is_ticked_before_what_it_needs_does_not_count() -> None:
    plan = thicker("charge_cable")
    view = seen(plan, "make:charge_cable", "off:battery:positive")
    assert view.too_early == ("off:battery:positive",) and view.done == 1
    positive = next(s for s in view.steps if s.id == "off:battery:positive")
    assert not positive.done and not positive.ready and "negative clamp off" in positive.waits_for[0]
    # A plan that grew a lead afterwards: what hung on the old steps alone still counts, what waits for the new one does not.
    grown = thicker("charge_cable", "battery_lead")
    every = [s.id for s in seen(plan).steps]
    later = seen(grown, *every)
    assert "on:battery:positive" in later.too_early and next(s for s in later.steps if s.id == "fit:charge_cable").done
    assert later.next_step == "make:battery_lead"
    # A tick of what the plan no longer asks for is no step and no mistake.
    assert seen(plan, "make:battery_lead").done == 0


def test_a_plan_that_changes_nothing_takes_no_battery_off() -> None:
    view = seen(CAR)
    assert view.steps == () and view.next_step is None and view.headline.startswith("Nothing is to be made")
    assert {s.branch_id for s in view.stays} == set(all_leads(CAR))


def test_cable_is_counted_by_size_with_every_run() -> None:
    plan = thicker("charge_cable", "battery_lead")
    twice = plan.model_copy(
        update={"branches": tuple(b.model_copy(update={"parallel": 2}) if b.id == "charge_cable" else b for b in plan.branches)}
    )
    view = seen(twice, anew=["engine_strap"])
    by_id = {c.branch_id: c for c in view.cards}
    (thick,) = [c for c in view.cables if c.size == "50 mm2"]
    assert [c.branch_id for c in thick.cuts] == ["charge_cable", "battery_lead"] and [c.runs for c in thick.cuts] == [2, 1]
    assert thick.total_mm == pytest.approx(2 * (by_id["charge_cable"].cut_mm or 0) + (by_id["battery_lead"].cut_mm or 0))
    strap = CAR.branch("engine_strap")
    assert isinstance(strap, ConductorBranch) and strap.conductor.label in {c.size for c in view.cables}


def test_what_was_measured_of_a_lead_is_on_its_card() -> None:
    plan = thicker("charge_cable")
    spec = LeadSpec(branch_id="charge_cable", route_mm=1500, slack=0.0, cable_mm=14, from_end=EndSpec(stud="M10"))
    (card,) = seen(plan, leads=[spec]).cards
    assert card.finished_mm == 1500 and card.ends[0].stud == "M10" and not any("insulation" in a for a in card.assumed)


@pytest.mark.parametrize(
    ("book", "place", "words"),
    [
        ({"leads": [LeadSpec(branch_id="charge_cable"), LeadSpec(branch_id="charge_cable")]}, "charge_cable", "twice"),
        ({"leads": [LeadSpec(branch_id="charge_cable", to_end=EndSpec(stud="M7"))]}, "charge_cable", "No stud 'M7'"),
        ({"ticks": [Tick(step="safe"), Tick(step="safe")]}, "build", "ticked twice"),
    ],
)
def test_what_cannot_be_is_said_at_its_place(book: dict[str, object], place: str, words: str) -> None:
    with pytest.raises(BuildProblemError, match=words) as refused:
        build_view(CAR, thicker("charge_cable"), BuildBook.model_validate(book), PRICES)
    assert refused.value.problems[0].element == place


def test_each_step_says_its_tools_its_hands_and_whose_cautions_stand_beside_it() -> None:
    view = seen(thicker("charge_cable"))
    steps = {s.id: s for s in view.steps}
    assert (
        "press with the die for 50 mm2" in steps["make:charge_cable"].tools
        and steps["make:charge_cable"].caution_step == "step_make"
    )
    assert steps["off:battery:negative"].tools == ("insulated spanner",)
    # What the nuts are drawn to is what the lead's card says.
    (card,) = view.cards
    for end in card.ends:
        assert f"{end.torque_nm:g} Nm at {end.at}" in steps["fit:charge_cable"].text
    for s in view.steps:
        assert cautions_for(s.caution_step), s.id
    # Off a battery's posts, and with the engine running, a hand is hurt: those want a tap.
    grave = {s.caution_step for s in view.steps if any(c.confirm for c in cautions_for(s.caution_step))}
    assert grave == {"step_off", "step_test"}


def test_a_soldered_end_asks_for_a_torch_and_a_heavy_battery_for_two() -> None:
    book = BuildBook.model_validate(
        {
            "anew": ["charge_cable"],
            "leads": [{"branch_id": "charge_cable", "from_end": {"school": "solder_cup"}, "to_end": {"school": "solder_cup"}}],
        }
    )
    (made,) = (s for s in build_view(CAR, CAR, book, PRICES).steps if s.phase is Phase.MAKE)
    assert "torch, solder and flux" in made.tools and not any("press" in t for t in made.tools)
    battery = CAR.batteries[0]
    for capacity, chemistry, people in ((70, "flooded", 1), (140, "agm", 2), (140, "lifepo4", 1)):
        other = battery.model_copy(update={"capacity_ah": capacity, "chemistry": Chemistry(chemistry), "label": "Another"})
        view = build_view(CAR, CAR.model_copy(update={"batteries": (other,)}), BuildBook(), PRICES)
        step = next(s for s in view.steps if s.id == f"fit:{battery.id}")
        assert (step.people, step.caution_step) == (people, "step_battery")


def test_a_step_has_one_photo() -> None:
    keys = ["a" * 64, "b" * 64]
    view = seen(thicker("charge_cable"), photos=[{"step": "safe", "photo": keys[0]}])
    assert {s.photo for s in view.steps if s.id == "safe"} == {keys[0]} and sum(s.photo is not None for s in view.steps) == 1
    with pytest.raises(BuildProblemError, match="two photos"):
        seen(thicker("charge_cable"), photos=[{"step": "safe", "photo": k} for k in keys])
