"""The leads of a plan as cards for the bench: each figure goes with the others, and what nobody measured is said."""

from __future__ import annotations

import math

import pytest

from mavrik.core.catalogue.conductor import parse_size
from mavrik.core.catalogue.lugs import StudMetal, barrel_for, stud
from mavrik.core.catalogue.prices import usual_prices
from mavrik.core.circuit import Circuit, ConductorBranch, Termination, TerminationKind
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.fabrication.bolted import torque_nm
from mavrik.core.fabrication.cards import LeadCard, lead_cards, leads_to_make
from mavrik.core.fabrication.documents import BuildBook, EndSpec, LeadSpec, check_book
from mavrik.core.fabrication.lengths import lug_reach_mm
from mavrik.core.fabrication.needs import needs_of
from mavrik.core.fabrication.schools import School
from mavrik.core.planning.sizing import propose
from mavrik.core.planning.targets import SizingTarget


def with_lead(circuit: Circuit, branch_id: str, **changes: object) -> Circuit:
    branches = tuple(b.model_copy(update=changes) if b.id == branch_id else b for b in circuit.branches)
    return circuit.model_copy(update={"branches": branches})


CAR = build_layout("front_battery", 12)


def test_a_card_has_figures_that_go_together_and_says_what_was_not_measured() -> None:
    (card,) = lead_cards(CAR, with_lead(CAR, "charge_cable", size="50 mm2"), BuildBook())
    lead = CAR.branch("charge_cable")
    assert isinstance(lead, ConductorBranch)
    assert card.finished_mm == pytest.approx(1030 * lead.length_m) and card.runs == 1
    lugs = [end for end in card.ends if end.lug]
    reach = [lug_reach_mm(barrel_for(lead.model_copy(update={"size": "50 mm2"}).conductor), stud(e.stud)) for e in lugs]
    if len(lugs) == 2:
        assert card.cut_mm == pytest.approx(card.finished_mm - sum(reach))
    assert len(card.assumed) == 4 and any("lay a string" in a for a in card.assumed)
    # The second sleeve is on the cable before the second end is pressed.
    at = [k for k, step in enumerate(card.in_order) if step.startswith("Slip on")]
    pressed = [k for k, step in enumerate(card.in_order) if "press it" in step or step.startswith("Press ")]
    assert len(at) == len(pressed) == 2 and at[1] < pressed[1] and "second lug" in card.in_order[at[1]]
    assert card.most_drop_mv is not None and 0 < card.most_drop_mv < 100
    assert card.problem == ""


def test_what_is_measured_is_used_and_nothing_is_taken_to_be_so_any_more() -> None:
    planned = with_lead(CAR, "charge_cable", size="50 mm2")
    ends = EndSpec(stud="M6", metal=StudMetal.BRASS), EndSpec(stud="5/16 in", metal=StudMetal.STEEL)
    spec = LeadSpec(branch_id="charge_cable", route_mm=900, slack=0.0, cable_mm=14.5, from_end=ends[0], to_end=ends[1])
    (card,) = lead_cards(CAR, planned, BuildBook(leads=(spec,)))
    assert card.assumed == () and card.finished_mm == 900
    assert [e.stud for e in card.ends] == ["M6", "5/16 in"]
    assert [e.torque_nm for e in card.ends] == [
        pytest.approx(torque_nm(stud("M6"), StudMetal.BRASS), abs=0.05),
        pytest.approx(torque_nm(stud("5/16 in"), StudMetal.STEEL), abs=0.05),
    ]


def test_a_post_clamp_has_no_stud_and_no_torque_of_ours() -> None:
    clamp = Termination(kind=TerminationKind.POST_CLAMP)
    (card,) = lead_cards(CAR, with_lead(CAR, "charge_cable", size="50 mm2", to_end=clamp), BuildBook())
    end = card.ends[1]
    assert (end.lug, end.stud, end.torque_nm) == ("", "", None) and any("the post clamp" in s for s in card.in_order)


@pytest.mark.parametrize(
    ("changes", "spec", "message"),
    [
        ({"size": "50 mm2"}, {"route_mm": 60}, "too short"),
        ({"size": "50 mm2"}, {"from_end": EndSpec(stud="M7")}, "No stud 'M7'"),
        ({"size": "150 mm2"}, {}, "No lug takes 150 mm2"),
    ],
)
def test_a_lead_that_cannot_be_made_says_why(changes: dict[str, object], spec: dict[str, object], message: str) -> None:
    book = BuildBook(leads=(LeadSpec.model_validate({"branch_id": "charge_cable", **spec}),))
    (card,) = lead_cards(CAR, with_lead(CAR, "charge_cable", **changes), book)
    assert message in card.problem and card.cut_mm is None and card.ends == ()


def test_a_size_that_no_lug_is_made_for_takes_the_next_and_is_flagged() -> None:
    (card,) = lead_cards(CAR, with_lead(CAR, "charge_cable", size="12 mm2"), BuildBook())
    assert card.ends[0].lug == "16 mm2" and card.ends[0].fit == "loose"


def test_what_is_there_already_is_not_made_again() -> None:
    assert leads_to_make(CAR, CAR) == ()
    # A label, or what was read of it, makes no new lead.
    assert leads_to_make(CAR, with_lead(CAR, "charge_cable", label="Main feed", measured_mohm=1.0)) == ()
    moved = with_lead(CAR, "charge_cable", length_m=2.0)
    assert [b.id for b in leads_to_make(CAR, moved)] == ["charge_cable"]
    assert lead_cards(CAR, with_lead(CAR, "charge_cable", parallel=2, size="35 mm2"), BuildBook())[0].runs == 2


def test_a_book_is_checked_at_its_leads_and_fields() -> None:
    twice = BuildBook(leads=(LeadSpec(branch_id="a"), LeadSpec(branch_id="a", from_end=EndSpec(stud="M99"))))
    assert [(p.element, p.field) for p in check_book(twice)] == [("a", "branch_id"), ("a", "from_end")]
    assert check_book(BuildBook()) == []


@pytest.mark.long(but=6)
@pytest.mark.parametrize("layout", [x.name for x in LAYOUTS])
def test_every_lead_that_a_plan_sizes_can_be_made(layout: str) -> None:
    circuit = build_layout(layout, 12)
    planned = propose(circuit, SizingTarget(target_current_a=circuit.alternator.rated_a + 20)).circuit
    cards = lead_cards(circuit, planned, BuildBook())
    assert [c.branch_id for c in cards] == [b.id for b in leads_to_make(circuit, planned)]
    assert {c.branch_id: c.problem for c in cards if c.problem} == {}
    for card in cards:
        assert card.cut_mm is not None and card.finished_mm is not None and 0 < card.cut_mm < card.finished_mm
        assert all(e.fit in ("snug", "with_care") for e in card.ends)


def schooled(end: dict[str, object], lead: str = "charge_cable") -> LeadCard:
    book = BuildBook.model_validate({"anew": [lead], "leads": [{"branch_id": lead, "from_end": end}]})
    (card,) = lead_cards(CAR, CAR, book)
    return card


def test_a_cup_is_filled_by_what_the_strands_leave_of_it() -> None:
    """By hand, 25 mm2 in its cup: the opening less the metal, as deep as the cup, as wire of 2 mm."""
    barrel = barrel_for(parse_size("25 mm2"))
    wire = (math.pi / 4 * barrel.inner_mm**2 - 25) * barrel.depth_mm / math.pi
    card = schooled({"school": "solder_cup"})
    assert card.ends[0].solder_mm == pytest.approx(wire) and card.ends[1].solder_mm is None
    melt = next(k for k, s in enumerate(card.in_order) if "into the cup" in s)
    assert f"{wire:.0f} mm of 2 mm solder" in card.in_order[melt]
    # It stands still before anything else is done to it, and the sleeve of the other end is on before that end is joined.
    assert card.waits[0].step == melt + 1 and card.waits[0].seconds == 60
    assert next(k for k, s in enumerate(card.in_order) if s.startswith("Slip on")) < melt
    assert "hand's width" in card.ends[0].asks


def test_solder_on_top_of_a_crimp_comes_after_the_press() -> None:
    card = schooled({"school": "crimp_solder"})
    pressed = next(k for k, s in enumerate(card.in_order) if s.startswith("Press the 25 mm2 lug"))
    assert "no more than shows there" in card.in_order[pressed + 1] and card.waits[0].step == pressed + 1
    assert card.ends[0].solder_mm is None and card.ends[0].lug == "25 mm2"


def test_the_plan_s_own_way_of_joining_is_taken_until_somebody_says_otherwise() -> None:
    soldered = with_lead(CAR, "charge_cable", from_end=Termination(kind=TerminationKind.SOLDER), size="35 mm2")
    (card,) = lead_cards(CAR, soldered, BuildBook())
    assert [e.school.value for e in card.ends] == ["solder_cup", "crimp"]
    book = BuildBook(leads=(LeadSpec(branch_id="charge_cable", from_end=EndSpec(school=School.CRIMP)),))
    assert lead_cards(CAR, soldered, book)[0].ends[0].school is School.CRIMP


def test_a_lug_of_tube_has_a_barrel_of_its_own_and_no_bought_one() -> None:
    card = schooled({"school": "tube", "stud": "M6", "tube_outer_mm": 12, "tube_wall_mm": 1.5})
    end = card.ends[0]
    assert (end.lug, end.tube, end.stud) == ("", "tube 12 x 1.5 mm", "M6") and end.tube_mm is not None
    assert any("drilled 6.4 mm" in s for s in card.in_order) and any("with the indent" in s for s in card.in_order)
    needs = needs_of(CAR, CAR, [card], usual_prices())
    tube = next(n for n in needs if n.id.startswith("tube:"))
    assert tube.required == pytest.approx(end.tube_mm / 1000) and sum(n.required for n in needs if n.id.startswith("lug:")) == 1


@pytest.mark.parametrize(
    ("end", "message"),
    [
        ({"school": "tube"}, "Say which tube"),
        # A thin tube round a large hole: (pi (12 - 0.8) / 2 - 10.5) 1.6 = 11 mm2 beside the hole, the conductor has 25.
        ({"school": "tube", "stud": "M10", "tube_outer_mm": 12, "tube_wall_mm": 0.8}, "Only 11 mm2 stay beside the hole"),
        ({"school": "tube", "stud": "M6", "tube_outer_mm": 12, "tube_wall_mm": 3.5}, "does not go into a tube of 12 x 3.5 mm"),
    ],
)
def test_a_tube_that_does_not_do_is_said_on_the_card(end: dict[str, object], message: str) -> None:
    card = schooled(end)
    assert message in card.problem and card.cut_mm is None


def test_no_post_clamp_is_made_of_tube() -> None:
    """The block ground begins with a clamp on the battery's post."""
    card = schooled({"school": "tube", "tube_outer_mm": 12, "tube_wall_mm": 1.5}, "block_ground")
    assert "post clamp" in card.problem
