"""The circuit document and whether it closes."""

from typing import Any

import pytest
from pydantic import ValidationError

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.additions import add_to
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.circuit.ring import Side, find_ring
from mavrik.core.circuit.rules import charging_gaps, check_circuit
from mavrik.core.drawing.loop import lay_out
from mavrik.core.operating import solve_circuit
from mavrik.core.protection.case import series_run
from mavrik.core.protection.documents import Outcome
from mavrik.core.protection.review import review_protection
from tests.build import simple_circuit, simple_document, with_branch


@pytest.mark.parametrize(
    ("branch_id", "changes", "field"),
    [
        ("feed", {"length_m": -1}, "length_m"),
        ("feed", {"length_m": 0}, "length_m"),
        ("feed", {"length_m": 51}, "length_m"),
        ("feed", {"length_m": "long"}, "length_m"),
        ("feed", {"length_m": float("nan")}, "length_m"),
        ("feed", {"length_m": float("inf")}, "length_m"),
        ("feed", {"size": "33 mm2"}, "size"),
        ("feed", {"insulation_c": 70}, "insulation_c"),
        ("feed", {"place": "roof"}, "place"),
        ("feed", {"parallel": 0}, "parallel"),
        ("feed", {"colour": "red"}, "colour"),
        ("feed", {"label": ""}, "label"),
        ("feed", {"from_node": "Über"}, "from_node"),
        ("fuse", {"rating_a": 151}, "fuse"),
        ("fuse", {"family": "nail"}, "family"),
        ("fuse", {"kind": "wire"}, "branches"),
    ],
)
def test_a_value_that_cannot_be_is_refused_at_its_place(branch_id: str, changes: dict[str, Any], field: str) -> None:
    with pytest.raises(ValidationError) as caught:
        Circuit.model_validate(with_branch(simple_document(), branch_id, **changes))
    assert any(field in [str(part) for part in error["loc"]] for error in caught.value.errors())


def test_a_fuse_of_no_rating_names_the_ratings_there_are() -> None:
    with pytest.raises(ValidationError, match="Ratings: 60, 80, 100"):
        Circuit.model_validate(with_branch(simple_document(), "fuse", rating_a=151))


def test_the_document_survives_json() -> None:
    circuit = simple_circuit()
    assert Circuit.model_validate_json(circuit.model_dump_json()) == circuit
    with pytest.raises(ValidationError):
        circuit.branches[0].length_m = 3  # type: ignore[union-attr, misc]


def test_a_schema_of_tomorrow_is_refused() -> None:
    with pytest.raises(ValidationError, match="schema_version"):
        Circuit.model_validate(simple_document(schema_version=3))


def problems_of(document: dict[str, Any]) -> list[tuple[str, str]]:
    return [(p.element, p.field) for p in check_circuit(Circuit.model_validate(document))]


def gaps_of(document: dict[str, Any]) -> list[tuple[str, str]]:
    """What a circuit that can be computed cannot do."""
    circuit = Circuit.model_validate(document)
    assert not check_circuit(circuit)
    solve_circuit(circuit)
    lay_out(circuit, find_ring(circuit))
    return [(p.element, p.field) for p in charging_gaps(circuit)]


def test_a_sound_circuit_has_no_problem() -> None:
    assert problems_of(simple_document()) == gaps_of(simple_document()) == []


def test_a_branch_that_leads_nowhere_is_named() -> None:
    document = simple_document()
    document["nodes"].append({"id": "loose", "role": "stud", "label": "Loose end"})
    document["branches"].append(
        {
            "kind": "cable",
            "id": "stray",
            "label": "Stray",
            "from_node": "plus",
            "to_node": "loose",
            "length_m": 1,
            "size": "6 mm2",
        }
    )
    assert gaps_of(document) == [("stray", "to_node")]
    circuit = Circuit.model_validate(document)
    assert "Loose end" in charging_gaps(circuit)[0].message
    assert any(b.branch_id == "stray" for b in lay_out(circuit, find_ring(circuit)).branches)


def test_a_missing_return_path_is_said_at_the_battery() -> None:
    document = simple_document()
    document["nodes"].append({"id": "chassis", "role": "chassis", "label": "Chassis"})
    document["branches"][2]["to_node"] = "chassis"
    document["loads"] = [
        {"id": "lamp", "label": "Lamp", "from_node": "plus", "to_node": "chassis", "current_a": 5},
        {"id": "fan", "label": "Fan", "from_node": "stud", "to_node": "case", "current_a": 5},
    ]
    assert ("bat", "negative_node") in gaps_of(document)
    ring = find_ring(Circuit.model_validate(document))
    assert not ring.closes
    assert ring.return_side == () and ring.feed == ("feed", "fuse")


def test_an_open_switch_leaves_no_path() -> None:
    document = simple_document()
    document["branches"][1] = {
        "kind": "switch",
        "id": "fuse",
        "label": "Isolator",
        "from_node": "fuse_in",
        "to_node": "plus",
        "closed": False,
    }
    assert gaps_of(document) == [("bat", "positive_node")]
    circuit = Circuit.model_validate(document)
    assert "Isolator is open" in charging_gaps(circuit)[0].message
    ring = find_ring(circuit)
    assert not ring.closes and ring.feed == ("feed", "fuse")
    assert solve_circuit(circuit).node_voltages_v["stud"] == pytest.approx(14.4)


def test_feed_joined_to_return_is_a_dead_short() -> None:
    document = simple_document()
    document["branches"].append(
        {"kind": "cable", "id": "slip", "label": "Slip", "from_node": "plus", "to_node": "minus", "length_m": 1, "size": "6 mm2"}
    )
    assert gaps_of(document) == [("slip", "to_node")]
    problem = charging_gaps(Circuit.model_validate(document))[0]
    assert "dead short" in problem.message and "Slip" in problem.message


@pytest.mark.parametrize(
    ("change", "element", "field"),
    [
        ({"to_node": "nowhere"}, "feed", "to_node"),
        ({"to_node": "stud"}, "feed", "to_node"),
        ({"id": "home"}, "home", "id"),
    ],
)
def test_names_must_refer_and_be_unique(change: dict[str, str], element: str, field: str) -> None:
    assert (element, field) in problems_of(with_branch(simple_document(), "feed", **change))


@pytest.mark.parametrize("volts", [12, 24])
@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda layout: layout.name)
def test_every_ready_layout_is_sound_and_in_its_voltage(layout: Any, volts: int) -> None:
    circuit = layout.build(volts)
    assert check_circuit(circuit) == []
    assert circuit.system_voltage_v == volts
    # Common practice: 14.4 V for lead-acid, about 14.5 V on a motorcycle.
    assert circuit.alternator.set_point_v == pytest.approx((14.5 if layout.name == "motorcycle" else 14.4) * volts / 12)


def test_an_unknown_layout_is_named() -> None:
    with pytest.raises(ValueError, match="front_battery"):
        build_layout("underwater", 12)


def test_the_ring_takes_the_way_of_least_resistance() -> None:
    ring = find_ring(build_layout("front_battery", 12))
    assert ring.feed == ("charge_cable", "charge_fuse", "battery_lead")
    assert ring.return_side == ("block_ground", "mount")
    assert ring.side["engine_strap"] is Side.RETURN
    assert ring.feed_nodes[0] == "alt_stud" and ring.return_nodes[-1] == "alt_case"


def test_a_run_is_what_must_carry_one_current() -> None:
    circuit = build_layout("parallel_batteries", 12)
    assert {b.id for b in series_run(circuit, "link_cable")} == {"link_fuse", "link_cable", "link_fuse_2"}
    assert {b.id for b in series_run(circuit, "charge_fuse")} == {"charge_cable", "charge_fuse", "battery_lead"}
    assert {b.id for b in series_run(circuit, "body_ground")} == {"body_ground", "engine_strap"}


def test_a_run_ends_where_a_converter_or_a_charger_is_connected() -> None:
    """Their current comes or goes there: what lies on either side of them does not carry the same."""
    document = simple_document(schema_version=2)
    document["nodes"].append({"id": "tap", "role": "stud", "label": "Tap"})
    document["branches"][1]["to_node"] = "tap"
    tail = {
        "kind": "cable",
        "id": "tail",
        "label": "Tail",
        "from_node": "tap",
        "to_node": "plus",
        "length_m": 0.3,
        "size": "35 mm2",
    }
    document["branches"].append(tail)
    plain = Circuit.model_validate(document)
    assert {b.id for b in series_run(plain, "feed")} == {"feed", "fuse", "tail"}
    charger = {
        "id": "mains",
        "label": "Mains",
        "positive_node": "tap",
        "negative_node": "minus",
        "limit_a": 20,
        "set_point_v": 14.2,
    }
    charged = Circuit.model_validate({**document, "chargers": [charger]})
    assert {b.id for b in series_run(charged, "feed")} == {"feed", "fuse"}
    house = {"id": "plus_2", "role": "battery_positive", "label": "Plus 2"}
    dcdc = {
        "id": "dcdc", "label": "DC-DC", "in_node": "tap", "out_node": "plus_2", "ground_node": "minus", "limit_a": 20, "set_point_v": 14.2,
    }  # fmt: skip
    second = {"id": "bat_2", "label": "Two", "positive_node": "plus_2", "negative_node": "minus", "capacity_ah": 70}
    fed = {**document, "nodes": [*document["nodes"], house], "converters": [dcdc], "batteries": [*document["batteries"], second]}
    assert {b.id for b in series_run(Circuit.model_validate(fed), "feed")} == {"feed", "fuse"}


@pytest.mark.parametrize(("load_a", "outcome"), [(2.4, Outcome.GOOD), (2.41, Outcome.WATCH), (3.01, Outcome.BAD)])
def test_a_fuse_that_fits_to_the_last_digit_fits(load_a: float, outcome: Outcome) -> None:
    """Common practice: 80 % of the rating for good. 2.4 A is 80 % of 3 A, whatever the solver's last digit says."""
    document = add_to(build_layout("front_battery", 12), "load_on_a_lead").model_dump(mode="json")
    for branch in document["branches"]:
        if branch["id"] == "load_fuse":
            branch.update(family="blade_c", rating_a=3)
    document["loads"][0]["current_a"] = load_a
    review = review_protection(Circuit.model_validate(document))
    checks = next(p.checks for p in review.protectors if p.branch_id == "load_fuse")
    assert next(c.outcome for c in checks if c.name == "load") is outcome
