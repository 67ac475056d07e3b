"""Small circuits and tests to test with; every figure is invented."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from typing import Any

from PIL import Image

from mavrik.core.circuit import Circuit
from mavrik.core.findings import BranchFinding, Findings, judge
from mavrik.core.findings.inference import Posterior, infer
from mavrik.core.measuring.instruments import Instrument
from mavrik.core.measuring.limits import LimitProfileName
from mavrik.core.measuring.readings import Measured, Reading, Run
from mavrik.core.operating.prediction import at_output, predict
from mavrik.core.procedures import PROCEDURES, Limits, check_run, complete_run, observations, procedure, standing
from mavrik.standin.vehicle import HiddenVehicle

METER = Instrument(id="dmm", label="Test meter", kind="voltmeter", percent_of_reading=0.5, digits=2, resolution=0.001)
CLAMP = Instrument(id="clamp", label="Test clamp", kind="clamp", percent_of_reading=2, digits=3, resolution=0.1)


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


def completed(circuit: Circuit, run: Run) -> Run:
    """A run as it is kept, after it was checked."""
    assert not check_run(circuit, run), check_run(circuit, run)
    return complete_run(circuit, run)


def drop_run(circuit: Circuit, output_a: float = 100.0, **readings: float) -> Run:
    """A charging-drop test: drops by branch id; feed_v, return_v, stud_v and battery_v by their own names.

    A name that ends in _amps is the current of that branch.
    """
    points = {p.id: p for p in procedure("charging_drops").points(circuit)}
    named = {f"charge_a:{circuit.alternator.id}": output_a}
    for name, value in readings.items():
        own = f"branch_a:{name.removesuffix('_amps')}" if name.endswith("_amps") else name
        named[own if own in points else f"drop_v:{name}"] = value
    return completed(
        circuit,
        Run(
            procedure="charging_drops",
            readings=tuple(
                Reading(point=k, value=v, instrument=CLAMP.id if points[k].meter == "clamp" else METER.id)
                for k, v in named.items()
            ),
            instruments=(METER, CLAMP),
            engine_rpm=2000,
            engine_space_c=20,
            ambient_c=20,
        ),
    )


def drops_with(
    circuit: Circuit,
    output_a: float,
    hidden_ohm: Mapping[str, float],
    clamped: bool = False,
    reverse: str = "",
    sides: bool = False,
    **state: Any,
) -> Run:
    """Every drop of a circuit with hidden resistances, as a meter of 1 mV resolution shows them; sides: those as a whole too."""
    seen = predict(circuit, at_output(circuit, output_a, engine_space_c=20, ambient_c=20, **state), hidden_ohm)
    readings = {b: round(v, 3) * (-1 if b == reverse else 1) for b, v in seen.drop_v.items()}
    if sides:
        volts, main, battery = seen.node_v, circuit.alternator, circuit.battery
        readings["feed_v"] = round(volts[main.stud_node] - volts[battery.positive_node], 3)
        readings["return_v"] = round(volts[battery.negative_node] - volts[main.case_node], 3)
    if clamped:
        points = {p.id for p in procedure("charging_drops").points(circuit)}
        readings |= {f"{b}_amps": round(a, 1) for b, a in seen.current_a.items() if f"branch_a:{b}" in points}
    return drop_run(circuit, output_a, **readings)


def runs_of(vehicle: HiddenVehicle, measured: Mapping[str, Measured]) -> list[Run]:
    """What was read on a vehicle as runs, a procedure each."""
    circuit, made = vehicle.circuit, []
    for of in PROCEDURES:
        ids = [p.id for p in of.points(circuit) if p.id in measured]
        readings = tuple(Reading(point=i, value=measured[i].value, uncertainty=measured[i].uncertainty) for i in ids)
        conditions = vehicle.conditions if of.name == "charging_drops" else {}
        if readings:
            made.append(complete_run(circuit, Run(procedure=of.name, readings=readings, **conditions)))
    return made


def judged(
    circuit: Circuit, *runs: Run, profile: LimitProfileName = LimitProfileName.COMMON, wants: str = "", ahead: bool = False
) -> Findings:
    """The findings of some runs; without looking ahead unless that is asked."""
    return judge(circuit, runs, Limits(profile=profile), wants, (), ahead)


def branch_of(findings: Findings, branch_id: str) -> BranchFinding:
    """What is said of one branch."""
    return next(b for b in findings.branches if b.branch_id == branch_id)


def inferred(circuit: Circuit, runs: Sequence[Run]) -> Posterior:
    """What some runs say of the causes."""
    return infer(circuit, observations(circuit, standing(runs)))


RED, BLUE = (200, 30, 30), (30, 30, 200)


def picture(width: int = 400, height: int = 200, format_: str = "JPEG", exif: Any = None, noise: int = 0) -> bytes:
    """Left half red, right half blue."""
    made = Image.new("RGB", (width, height), RED)
    made.paste(BLUE, (width // 2, 0, width, height))
    if noise:
        made = Image.effect_noise((width, height), noise).convert("RGB")
    out = io.BytesIO()
    made.save(out, format_, **({"exif": exif} if exif else {}))
    return out.getvalue()
