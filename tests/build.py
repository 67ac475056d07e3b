"""Small circuits and tests to test with; every figure is invented."""

from __future__ import annotations

from typing import Any

from mavrik.core.circuit import Circuit
from mavrik.core.measuring.measurement import DropTest, Instrument, InstrumentKind, Quantity, Reading

METER = Instrument(
    id="dmm", label="Test meter", kind=InstrumentKind.VOLTMETER, percent_of_reading=0.5, digits=2, resolution=0.001
)
CLAMP = Instrument(id="clamp", label="Test clamp", kind=InstrumentKind.CLAMP, percent_of_reading=2, digits=3, resolution=0.1)


def simple_document(**changes: Any) -> dict[str, Any]:
    """Stud - 2 m cable - fuse - battery - 1 m cable - case, all 35 mm2, 100 A, as plain JSON."""
    document: dict[str, Any] = {
        "schema_version": 1,
        "layout": "",
        "system_voltage_v": 12,
        "nodes": [
            {"id": "stud", "role": "alternator_stud", "label": "Stud"},
            {"id": "fuse_in", "role": "stud", "label": "Fuse stud"},
            {"id": "plus", "role": "battery_positive", "label": "Battery +"},
            {"id": "minus", "role": "battery_negative", "label": "Battery -"},
            {"id": "case", "role": "alternator_case", "label": "Case"},
        ],
        "branches": [
            {"kind": "cable", "id": "feed", "label": "Feed", "from_node": "stud", "to_node": "fuse_in", "length_m": 2.0, "size": "35 mm2", "place": "cabin"},
            {"kind": "fuse", "id": "fuse", "label": "Fuse", "from_node": "fuse_in", "to_node": "plus", "family": "strip_51", "rating_a": 150},
            {"kind": "cable", "id": "home", "label": "Home", "from_node": "minus", "to_node": "case", "length_m": 1.0, "size": "35 mm2", "place": "cabin"},
        ],
        "alternators": [{"id": "alt", "label": "Alternator", "stud_node": "stud", "case_node": "case", "rated_a": 100, "set_point_v": 14.4}],
        "batteries": [{"id": "bat", "label": "Battery", "positive_node": "plus", "negative_node": "minus", "capacity_ah": 70}],
        "loads": [],
    }  # fmt: skip
    return {**document, **changes}


def with_branch(document: dict[str, Any], branch_id: str, **changes: Any) -> dict[str, Any]:
    """The document with fields of one branch changed."""
    branches = [{**b, **changes} if b["id"] == branch_id else b for b in document["branches"]]
    return {**document, "branches": branches}


def simple_circuit(**changes: Any) -> Circuit:
    """`simple_document` as a circuit."""
    return Circuit.model_validate(simple_document(**changes))


def drop_test(current_a: float = 100.0, **readings: float) -> DropTest:
    """A test of drops by branch id; feed_drop, return_drop, stud_voltage and battery_voltage by their own names.

    A name that ends in _amps is the current of that branch.
    """
    sides = {q.value for q in Quantity}
    made = []
    for name, value in readings.items():
        if name in sides:
            made.append(Reading(quantity=Quantity(name), value=value))
        elif name.endswith("_amps"):
            made.append(Reading(quantity=Quantity.BRANCH_CURRENT, branch_id=name.removesuffix("_amps"), value=value))
        else:
            made.append(Reading(quantity=Quantity.BRANCH_DROP, branch_id=name, value=value))
    return DropTest(
        output_current_a=current_a,
        engine_speed_rpm=2000,
        engine_space_c=20,
        ambient_c=20,
        voltmeter=METER,
        clamp=CLAMP,
        readings=tuple(made),
    )
