"""Edits of a drawn circuit, and the bounds that every form asks for."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mavrik.core.catalogue.fuses import FuseFamily, fuse_table
from mavrik.core.circuit import BRANCH_KINDS, Circuit, FuseBranch
from mavrik.core.circuit.editing import (
    add_parallel,
    change_family,
    change_kind,
    free_id,
    insert_after,
    remove_branch,
    tied_nodes,
)
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.circuit.rules import check_circuit
from mavrik.core.document import bounds_of
from mavrik.core.operating import State
from tests.build import simple_circuit, simple_document

BRANCHES = [(layout.name, b.id) for layout in LAYOUTS for b in layout.build(12).branches]


def kind_of(branch: Any) -> str:
    return str(branch.kind)


def test_a_branch_in_series_has_a_stud_of_its_own() -> None:
    longer, added = insert_after(simple_circuit(), "feed", "connector")
    new, before = longer.branch(added), longer.branch("feed")
    assert (before.to_node, new.to_node) == (new.from_node, "fuse_in")
    assert len(longer.nodes) == 6 and len({n.id for n in longer.nodes}) == 6
    # The branches stay in the order of the way, so that lists read along the loop.
    assert [b.id for b in longer.branches][:2] == ["feed", added]


def test_taking_a_branch_out_of_a_chain_closes_the_gap() -> None:
    shorter = remove_branch(simple_circuit(), "fuse")
    assert [(b.from_node, b.to_node) for b in shorter.branches] == [("stud", "plus"), ("minus", "case")]
    assert "fuse_in" not in {n.id for n in shorter.nodes}


def test_a_branch_beside_another_just_goes() -> None:
    doubled, added = add_parallel(simple_circuit(), "home")
    assert doubled.branch(added).label == "Home 2" and len(doubled.branches) == 4
    assert remove_branch(doubled, added).branches == simple_circuit().branches


@pytest.mark.parametrize(("layout", "branch_id"), BRANCHES)
def test_what_was_put_in_can_be_taken_out_again(layout: str, branch_id: str) -> None:
    circuit = build_layout(layout, 12)
    longer, added = insert_after(circuit, branch_id, "connector")
    assert not check_circuit(longer)
    back = remove_branch(longer, added)
    # The stud between may have become the branch's end instead of the old node; what touches what is the same again.
    assert len(back.branches) == len(circuit.branches) and len(back.nodes) == len(circuit.nodes)
    assert not check_circuit(back)


@pytest.mark.parametrize(("layout", "branch_id"), BRANCHES)
def test_whatever_goes_leaves_sources_and_loads_on_their_nodes(layout: str, branch_id: str) -> None:
    shorter = remove_branch(build_layout(layout, 12), branch_id)
    assert tied_nodes(shorter) <= {n.id for n in shorter.nodes}
    assert branch_id not in {b.id for b in shorter.branches}


@given(st.sampled_from(BRANCHES), st.sampled_from([k.model_fields["kind"].default for k in BRANCH_KINDS]))
def test_any_branch_may_become_any_kind_and_keeps_what_both_have(place: tuple[str, str], kind: str) -> None:
    circuit = build_layout(place[0], 12)
    old, new = circuit.branch(place[1]), change_kind(circuit, place[1], kind).branch(place[1])
    assert kind_of(new) == kind
    assert (new.label, new.from_node, new.to_node) == (old.label, old.from_node, old.to_node)
    if hasattr(old, "length_m") and hasattr(new, "length_m"):
        assert (new.length_m, new.size) == (old.length_m, old.size)  # type: ignore[attr-defined]


@pytest.mark.parametrize(
    ("rating", "family", "becomes"),
    [(150, FuseFamily.STRIP_51, 150), (150, FuseFamily.BLADE_F, fuse_table().families[FuseFamily.BLADE_F].ratings_a[-1])],
)
def test_a_fuse_of_another_family_has_a_rating_that_is_made(rating: float, family: FuseFamily, becomes: float) -> None:
    fuse = change_family(simple_circuit(), "fuse", family).branch("fuse")
    assert isinstance(fuse, FuseBranch)
    assert fuse.family is family and fuse.rating_a == becomes


@given(st.sampled_from(list(FuseFamily)), st.sampled_from(list(FuseFamily)))
def test_the_next_rating_above_is_taken_where_there_is_one(first: FuseFamily, second: FuseFamily) -> None:
    start = change_family(simple_circuit(), "fuse", first)
    before, after = start.branch("fuse"), change_family(start, "fuse", second).branch("fuse")
    assert isinstance(before, FuseBranch) and isinstance(after, FuseBranch)
    above = [r for r in fuse_table().families[second].ratings_a if r >= before.rating_a]
    assert after.rating_a == (above[0] if above else fuse_table().families[second].ratings_a[-1])


def test_what_cannot_be_edited_is_refused() -> None:
    circuit = simple_circuit()
    with pytest.raises(KeyError):
        insert_after(circuit, "nowhere", "cable")
    with pytest.raises(ValueError, match="no kind of branch"):
        insert_after(circuit, "feed", "rope")
    with pytest.raises(ValueError, match="no fuse"):
        change_family(circuit, "feed", FuseFamily.BLADE_F)


def test_ids_are_free_of_everything_that_has_one() -> None:
    circuit = simple_circuit()
    for node_id in ("stud", "feed", "alt", "bat"):
        assert free_id(circuit, node_id) == f"{node_id}_2"
    assert free_id(circuit, "new", ["new", "new_2"]) == "new_3"


def test_bounds_are_those_the_documents_keep() -> None:
    """What a form asks for is what the document takes, to the last digit."""
    bounds = bounds_of(Circuit, State)
    length, charge = bounds["cable.length_m"], bounds["Battery.state_of_charge"]
    ratio = bounds["Alternator.pulley_ratio"]
    assert (length.most, length.above, charge.least, charge.above, ratio.above) == (50, False, 0, False, True)
    for value, fits in ((length.most, True), (50.01, False), (length.least, True), (0.9 * length.least, False), (0, False)):
        document = simple_document()
        document["branches"][0]["length_m"] = value
        assert _is_circuit(document) is fits, value
    assert bounds["State.engine_rpm"].most == 12000


def _is_circuit(document: dict[str, Any]) -> bool:
    try:
        Circuit.model_validate(document)
    except ValueError:
        return False
    return True
