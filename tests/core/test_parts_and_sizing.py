"""Callouts on fitted parts, and proposals."""

from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from mavrik.core.catalogue.conductor import SizeSystem
from mavrik.core.catalogue.fuses import FuseFamily
from mavrik.core.circuit import Circuit, ConductorBranch, FuseBranch
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.circuit.ring import find_ring
from mavrik.core.circuit.rules import check_circuit
from mavrik.core.measuring.limits import LimitProfileName
from mavrik.core.operating.prediction import at_output, predict
from mavrik.core.planning.comparison import compare
from mavrik.core.planning.sizing import BOUGHT_BY, SizingError, SizingTarget, propose
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
    said = judged(Circuit.model_validate(document))
    finding = next(f for f in said.parts if f.code == "cable_too_small" and f.branch_id == "feed")
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


def check_proposal(found: Circuit, target: SizingTarget) -> None:
    """Everything a proposal promises, asked of the parts themselves."""
    made = propose(found, target)
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
    weakest = min(b.ampacity().current_a for b in conductors if b.id in ring.feed)
    fuses = [b for i in ring.feed if isinstance(b := circuit.branch(i), FuseBranch)]
    assert fuses
    for fuse in fuses:
        assert fuse.family is target.fuse_family
        assert need < fuse.rating_a <= weakest
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


@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda layout: layout.name)
@pytest.mark.parametrize("system", BOUGHT_BY)
@pytest.mark.parametrize("need", [60.0, 110.0, 150.0])
def test_a_proposal_keeps_its_promises(layout: Any, system: SizeSystem, need: float) -> None:
    check_proposal(layout.build(12), SizingTarget(target_current_a=need, system=system))


@given(
    need=st.floats(20, 220),
    system=st.sampled_from(BOUGHT_BY),
    family=st.sampled_from([FuseFamily.STRIP_51, FuseFamily.ANL, FuseFamily.MRBF, FuseFamily.CLASS_T]),
    insulation=st.sampled_from([75, 90, 105, 125]),
    profile=st.sampled_from(LimitProfileName),
    volts=st.sampled_from([12, 24]),
)
@settings(max_examples=60, deadline=None)
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
    found = build_layout("front_battery", 12)
    made = propose(found, SizingTarget(target_current_a=30))
    for branch_id in ("block_ground", "body_ground", "engine_strap"):
        before, after = found.branch(branch_id), made.circuit.branch(branch_id)
        assert isinstance(before, ConductorBranch) and isinstance(after, ConductorBranch)
        assert after.conductor.area_mm2 >= 0.95 * before.conductor.area_mm2


def test_a_hopeless_target_says_why() -> None:
    with pytest.raises(SizingError, match=r"Nothing up to 2 x 120 mm2 will do for 900 A"):
        propose(simple_circuit(), SizingTarget(target_current_a=900))
    with pytest.raises(SizingError, match="no rating of this fuse family"):
        propose(simple_circuit(), SizingTarget(target_current_a=90, fuse_family=FuseFamily.BLADE_E))


def test_a_proposal_beside_what_was_found() -> None:
    found = build_layout("front_battery", 12)
    made = propose(found, SizingTarget(target_current_a=150))
    beside = compare(found, made.circuit, LimitProfileName.COMMON)
    rows = {r.branch_id: r for r in beside.branches}
    assert beside.current_a == 150
    assert rows["charge_cable"].change == "changed" and rows["mount"].change == "kept"
    assert rows["charge_cable"].drop_after_v < rows["charge_cable"].drop_before_v  # type: ignore[operator]
    assert beside.feed_after_v <= beside.limit_v < beside.feed_before_v
    assert beside.feed_after_v == pytest.approx(sum(rows[b].drop_after_v or 0 for b in find_ring(made.circuit).feed))
