"""Callouts on fitted parts, and proposals."""

import math
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mavrik.core.catalogue.conductor import SizeSystem
from mavrik.core.catalogue.fuses import FuseFamily, fuse_table
from mavrik.core.circuit import Circuit, ConductorBranch, FuseBranch
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.circuit.ring import find_ring
from mavrik.core.circuit.rules import check_circuit
from mavrik.core.measuring.limits import LimitProfileName
from mavrik.core.operating.prediction import at_output, predict
from mavrik.core.planning.comparison import compare
from mavrik.core.planning.fusing import fuse_every_source
from mavrik.core.planning.options import BOUGHT_BY
from mavrik.core.planning.sizing import propose
from mavrik.core.planning.targets import SizingError, SizingTarget
from mavrik.core.protection.case import series_run
from mavrik.core.protection.sources import unfused
from tests.build import judged, simple_circuit, simple_document, with_branch


def codes(document: dict[str, Any]) -> dict[str, str | None]:
    return {f.code: f.branch_id for f in judged(Circuit.model_validate(document)).parts}


def rated(document: dict[str, Any], amperes: float) -> dict[str, Any]:
    return {**document, "alternators": [{**document["alternators"][0], "rated_a": amperes}]}


def without_fuse() -> dict[str, Any]:
    document = simple_document()
    document["branches"] = [b for b in document["branches"] if b["id"] != "fuse"]
    document["branches"][0]["to_node"] = "plus"
    document["nodes"] = [n for n in document["nodes"] if n["id"] != "fuse_in"]
    return document


def test_a_250_a_unit_on_a_4_awg_lead_is_called_out() -> None:
    document = rated(with_branch(simple_document(), "feed", size="4 AWG"), 250)
    findings = judged(Circuit.model_validate(document))
    finding = next(f for f in findings.parts if f.code == "cable_too_small" and f.branch_id == "feed")
    assert finding.severity == "danger"
    assert "160 A" in finding.why and "250 A" in finding.why
    assert finding.source.startswith("ABYC E-11")


def test_a_cable_without_a_fuse_is_called_out() -> None:
    assert codes(without_fuse())["no_fuse"] == "feed"
    assert "no_fuse" not in codes(simple_document())


def test_a_fuse_above_its_cable_or_below_its_load_is_called_out() -> None:
    above = codes(with_branch(simple_document(), "fuse", rating_a=300))
    assert above["fuse_above_cable"] == "fuse"
    below = codes(with_branch(simple_document(), "fuse", rating_a=80))
    assert below["fuse_below_load"] == "fuse"


def test_a_fuse_too_far_from_the_battery_is_called_out_unless_the_cable_is_sheathed() -> None:
    document = simple_document()
    document["nodes"].append({"id": "far", "role": "stud", "label": "Far"})
    document["branches"][1]["to_node"] = "far"
    tail = {
        "kind": "cable",
        "id": "tail",
        "label": "Tail",
        "from_node": "far",
        "to_node": "plus",
        "length_m": 0.6,
        "size": "35 mm2",
    }
    document["branches"].append(tail)
    assert codes(document)["fuse_far"] == "tail"
    assert "fuse_far" not in codes(with_branch(document, "tail", sheathed=True))
    assert "fuse_far" not in codes(with_branch(document, "tail", length_m=0.17))


def test_two_batteries_joined_without_a_fuse_are_called_out() -> None:
    sound = build_layout("parallel_batteries", 12).model_dump(mode="json")
    assert "two_sources" not in codes(sound)
    for fuse in ("link_fuse", "link_fuse_2"):
        for k, b in enumerate(sound["branches"]):
            if b["id"] == fuse:
                sound["branches"][k] = {
                    "kind": "joint",
                    "id": fuse,
                    "label": "Bar",
                    "from_node": b["from_node"],
                    "to_node": b["to_node"],
                }
    assert "two_sources" in codes(sound)


def test_bad_ends_and_weak_contacts_are_called_out() -> None:
    assert codes(with_branch(simple_document(), "home", to_end={"kind": "crimp", "condition": "corroded"}))["bad_end"] == "home"
    document = simple_document()
    document["branches"][1] = {
        "kind": "switch",
        "id": "fuse",
        "label": "Isolator",
        "from_node": "fuse_in",
        "to_node": "plus",
        "rating_a": 50,
    }
    assert codes(document)["contact_rating"] == "fuse"


def test_a_side_too_thin_even_when_sound_is_called_out() -> None:
    assert "feed_undersized" in codes(with_branch(simple_document(), "feed", length_m=4))
    assert "feed_undersized" not in codes(with_branch(simple_document(), "feed", length_m=1.0))


def breaks(family: FuseFamily) -> float:
    return min(fuse_table().families[family].interrupting_a.values())


def check_proposal(as_found: Circuit, target: SizingTarget) -> None:
    """Everything a proposal promises, asked of the parts themselves."""
    made = propose(as_found, target)
    circuit = made.circuit
    assert check_circuit(circuit) == []
    need = target.target_current_a
    assert circuit.alternator.rated_a == need
    ring = find_ring(circuit)
    seen = predict(circuit, at_output(circuit, need, warmed_up=True))
    side = {"common": 0.2, "strict": 0.1, "three_percent": 0.18}[target.limit_profile] * circuit.system_voltage_v / 12
    diodes = sum(circuit.branch(b).threshold_v for b in ring.feed)
    assert seen.path_drop(ring.feed) <= side + diodes
    assert seen.path_drop(ring.return_side) <= side
    conductors = [b for b in circuit.branches if isinstance(b, ConductorBranch) and b.id in ring.feed + ring.return_side]
    for lead in conductors:
        assert lead.ampacity().current_a >= need
    fitted = {b.id: b for b in as_found.branches if isinstance(b, FuseBranch)}
    fuses = [b for i in ring.feed if isinstance(b := circuit.branch(i), FuseBranch)]
    assert fuses
    for fuse in fuses:
        kept = fuse.id in fitted and fitted[fuse.id].family is fuse.family  # type: ignore[union-attr]
        assert kept or fuse.family is target.fuse_family or breaks(fuse.family) >= breaks(target.fuse_family)
        run = [b for b in series_run(circuit, fuse.id) if isinstance(b, ConductorBranch)]
        assert need < fuse.rating_a <= min((b.ampacity().current_a for b in run), default=math.inf)
    # The fuse nearest the battery is within 178 mm of it.
    tail = 0.0
    for branch_id in reversed(ring.feed):
        branch = circuit.branch(branch_id)
        if isinstance(branch, FuseBranch):
            break
        tail += getattr(branch, "length_m", 0)
    assert tail <= 0.178
    codes_after = {f.code for f in judged(circuit, profile=target.limit_profile).parts if f.severity == "danger"}
    assert not codes_after & {"no_fuse", "fuse_above_cable", "fuse_below_load"}
    assert {c.branch_id for c in made.choices} <= {b.id for b in circuit.branches}
    assert all(c.reason for c in made.choices)


@pytest.mark.long(but=12)
@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda layout: layout.name)
@pytest.mark.parametrize("system", BOUGHT_BY)
@pytest.mark.parametrize("need", [60.0, 110.0, 150.0])
def test_a_proposal_keeps_its_promises(layout: Any, system: SizeSystem, need: float) -> None:
    check_proposal(layout.build(12), SizingTarget(target_current_a=need, system=system))


@pytest.mark.long
@given(
    need=st.floats(20, 220),
    system=st.sampled_from(BOUGHT_BY),
    family=st.sampled_from([FuseFamily.STRIP_51, FuseFamily.ANL, FuseFamily.MRBF, FuseFamily.CLASS_T]),
    insulation=st.sampled_from([75, 90, 105, 125]),
    profile=st.sampled_from(LimitProfileName),
    volts=st.sampled_from([12, 24]),
)
@settings(max_examples=60)
def test_any_proposal_keeps_its_promises_or_says_why_not(
    need: float, system: SizeSystem, family: FuseFamily, insulation: int, profile: LimitProfileName, volts: int
) -> None:
    target = SizingTarget(
        target_current_a=need, system=system, fuse_family=family, insulation_c=insulation, limit_profile=profile
    )
    try:
        check_proposal(build_layout("front_battery", volts), target)
    except SizingError as error:
        assert len(str(error)) > 20


def test_the_charge_cable_is_the_smallest_that_will_do() -> None:
    """150 A, AWG, 105 degC, engine space (85 %): 2 AWG carries 178 A but leaves no fuse from 187.5 A; 1 AWG carries 208 A
    and takes a 200 A fuse."""
    made = propose(build_layout("front_battery", 12), SizingTarget(target_current_a=150, system=SizeSystem.AWG))
    parts = {c.branch_id: c.after for c in made.choices}
    assert parts["charge_cable"] == parts["battery_lead"] == "1 AWG"
    assert parts["charge_fuse"].startswith("200 A")
    assert "208 A" in next(c.reason for c in made.choices if c.branch_id == "charge_cable")


def test_a_circuit_without_a_fuse_gets_one_at_the_battery() -> None:
    made = propose(Circuit.model_validate(without_fuse()), SizingTarget(target_current_a=100))
    ring = find_ring(made.circuit)
    assert made.circuit.branch(ring.feed[-2]).kind == "fuse"
    assert any("fuse was added" in note for note in made.notes)


def test_a_fuse_at_the_wrong_end_moves_to_the_battery() -> None:
    document = simple_document()
    document["branches"][0] |= {"from_node": "fuse_in", "to_node": "plus"}
    document["branches"][1] |= {"from_node": "stud", "to_node": "fuse_in"}
    made = propose(Circuit.model_validate(document), SizingTarget(target_current_a=100))
    ring = find_ring(made.circuit)
    assert ring.feed[-2] == "fuse"
    assert len([b for b in made.circuit.branches if b.kind == "fuse"]) == 1
    assert any("moved" in note for note in made.notes)


def test_grounds_are_never_proposed_thinner_than_fitted() -> None:
    """They also carry cranking current."""
    circuit = build_layout("front_battery", 12)
    made = propose(circuit, SizingTarget(target_current_a=30))
    for branch_id in ("block_ground", "body_ground", "engine_strap"):
        before, after = circuit.branch(branch_id), made.circuit.branch(branch_id)
        assert isinstance(before, ConductorBranch) and isinstance(after, ConductorBranch)
        assert after.conductor.area_mm2 >= 0.95 * before.conductor.area_mm2


def test_a_hopeless_target_says_why() -> None:
    with pytest.raises(SizingError, match=r"Fuse would have to carry 900 A for good: no rating"):
        propose(simple_circuit(), SizingTarget(target_current_a=900))


def test_a_family_without_a_rating_for_it_gives_way_to_one_that_has() -> None:
    """90 A for good ask for 112.5 A at 80 %; the largest blade is 100 A."""
    circuit = Circuit.model_validate(with_branch(simple_document(), "fuse", family="blade_e", rating_a=80))
    made = propose(circuit, SizingTarget(target_current_a=90, fuse_family=FuseFamily.BLADE_E))
    fuse = made.circuit.branch("fuse")
    assert isinstance(fuse, FuseBranch) and fuse.rating_a >= 112.5 and breaks(fuse.family) >= 2000
    assert "has no rating for it" in next(c.reason for c in made.choices if c.branch_id == "fuse")


def test_a_proposal_beside_what_was_found() -> None:
    circuit = build_layout("front_battery", 12)
    made = propose(circuit, SizingTarget(target_current_a=150))
    beside = compare(circuit, made.circuit, LimitProfileName.COMMON)
    rows = {r.branch_id: r for r in beside.branches}
    assert beside.current_a == 150
    assert rows["charge_cable"].change == "changed" and rows["mount"].change == "kept"
    assert rows["charge_cable"].drop_after_v < rows["charge_cable"].drop_before_v  # type: ignore[operator]
    assert beside.feed_after_v <= beside.limit_v < beside.feed_before_v
    assert beside.feed_after_v == pytest.approx(sum(rows[b].drop_after_v or 0 for b in find_ring(made.circuit).feed))


def test_a_lead_between_switch_and_fuse_keeps_what_the_fuse_behind_it_asks() -> None:
    """A selector's lead that battery 2 feeds through 250 A does not shrink to what the alternator asks of it."""
    circuit = build_layout("boat_selector", 12)
    made = propose(circuit, SizingTarget(target_current_a=60))
    lead = made.circuit.branch("common_lead")
    assert isinstance(lead, ConductorBranch) and lead.size == "70 mm2" and lead.ampacity().current_a >= 250


def test_a_link_is_fused_and_rated_for_what_the_new_unit_sends_through_it() -> None:
    """With the first battery full and the second low all of it goes through the link."""
    made = propose(build_layout("second_battery_link", 12), SizingTarget(target_current_a=180)).circuit
    for branch_id in ("link_fuse", "house_fuse", "link"):
        part = made.branch(branch_id)
        assert part.rating_a * (1 if branch_id == "link" else 0.8) >= 175, (branch_id, part.rating_a)  # type: ignore[attr-defined]
    reason = next(c.reason for c in propose(build_layout("second_battery_link", 12), SizingTarget(target_current_a=180)).choices if c.branch_id == "link")  # fmt: skip
    assert "Not to be used again: rated 140 A" in reason


LONG = ("charge_cable", "long_feed", "battery_lead")


def test_a_lead_that_also_cranks_keeps_its_metal_and_its_fuse() -> None:
    """A rear battery's 95 mm2 lead, fused for cranking, stays when a small unit is planned."""
    document = build_layout("competition_car", 12).model_dump(mode="json")
    document["branches"] = [{**b, "size": "95 mm2"} if b["id"] in LONG else b for b in document["branches"]]
    document["branches"] = [{**b, "rating_a": 250} if b["id"] == "charge_fuse" else b for b in document["branches"]]
    made = propose(Circuit.model_validate(document), SizingTarget(target_current_a=50)).circuit
    assert made.branch("charge_fuse").rating_a == 250  # type: ignore[attr-defined]
    assert {made.branch(b).size for b in LONG} == {"95 mm2"}  # type: ignore[attr-defined]


def test_a_sound_circuit_that_carries_it_already_is_left_alone() -> None:
    made = propose(build_layout("boat_isolator", 12), SizingTarget(target_current_a=60))
    assert made.choices == () and any(n.startswith("Kept as fitted") for n in made.notes)


def test_what_has_gone_bad_is_renewed_and_not_kept() -> None:
    document = build_layout("front_battery", 12).model_dump(mode="json")
    document["branches"] = [{**b, "measured_mohm": 40} if b["id"] == "block_ground" else b for b in document["branches"]]
    made = propose(Circuit.model_validate(document), SizingTarget(target_current_a=60))
    ground = next(c for c in made.choices if c.branch_id == "block_ground")
    assert "renewed" in ground.reason and made.circuit.branch("block_ground").measured_mohm is None


def test_links_inside_a_bank_and_starter_leads_get_no_fuse() -> None:
    bank = build_layout("house_bank_diagonal", 12)
    assert fuse_every_source(bank, FuseFamily.STRIP_51) == (bank, (), [])
    winch = build_layout("winch", 12)
    assert fuse_every_source(winch, FuseFamily.STRIP_51)[1] == ()


def test_a_charge_cable_on_the_starters_stud_is_fused_there() -> None:
    """Cranking comes down the battery's lead: a fuse at the post would carry it, so it sits where the charge cable leaves."""
    nodes = [
        {"id": "stud", "role": "alternator_stud", "label": "Stud"},
        {"id": "starter_stud", "role": "starter_stud", "label": "Starter stud"},
        {"id": "plus", "role": "battery_positive", "label": "Battery +"},
        {"id": "minus", "role": "battery_negative", "label": "Battery -"},
        {"id": "case", "role": "alternator_case", "label": "Case"},
    ]
    lead = {"kind": "cable", "length_m": 1.0, "size": "35 mm2", "place": "cabin"}
    branches = [
        {**lead, "id": "charge", "label": "Charge cable", "from_node": "stud", "to_node": "starter_stud"},
        {**lead, "id": "main", "label": "Main lead", "from_node": "starter_stud", "to_node": "plus"},
        {**lead, "id": "home", "label": "Ground", "from_node": "minus", "to_node": "case"},
    ]
    starter = {"id": "starter", "label": "Starter", "from_node": "starter_stud", "to_node": "case", "current_a": 300, "law": "resistance", "cranking": True}  # fmt: skip
    made = propose(Circuit.model_validate(simple_document(nodes=nodes, branches=branches, loads=[starter])), SizingTarget(target_current_a=90))  # fmt: skip
    fuse = next(b for b in made.circuit.branches if b.kind == "fuse")
    assert "starter_stud" in (fuse.from_node, fuse.to_node)
    assert not [f for f in unfused(made.circuit) if f.severity == "danger"]
