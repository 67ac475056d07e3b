"""The loop as SVG, and what the sheet says of proposals and of jobs that are not finished."""

from __future__ import annotations

import re
from datetime import UTC, datetime
from typing import Any
from xml.etree import ElementTree

import pytest

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.drawing.pictures import draw
from mavrik.core.measuring.readings import Run
from mavrik.core.planning.sizing import propose
from mavrik.core.planning.targets import SizingTarget
from mavrik.exchange.bundle import Bundle, read_bundle
from mavrik.exchange.loop_svg import draw_loop, stroke_width
from mavrik.exchange.sheet import render_sheet
from tests.build import drop_run, judged, simple_circuit, with_branch
from tests.exchange.test_formats import as_bytes, bundle_document

NOW = datetime(2026, 3, 4, 15, 30, tzinfo=UTC)
SVG = "{http://www.w3.org/2000/svg}"


def drawn(circuit: Circuit, *runs: Run) -> str:
    findings = judged(circuit, *runs)
    return draw_loop(circuit, draw(circuit, findings).loop, findings)


@pytest.mark.long(but=10)
@pytest.mark.parametrize("volts", [12, 24])
@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda layout: layout.name)
def test_every_layout_is_well_formed_svg_with_all_its_branches(layout: Any, volts: int) -> None:
    circuit = layout.build(volts)
    root = ElementTree.fromstring(drawn(circuit))
    assert len(root.findall(f"{SVG}polyline")) == len(circuit.branches)
    words = " ".join(t.text or "" for t in root.iter(f"{SVG}text"))
    for branch in circuit.branches:
        assert branch.label in words


def test_four_times_the_metal_is_drawn_twice_as_wide() -> None:
    assert stroke_width(120) == pytest.approx(2 * stroke_width(30), abs=0.2)
    assert stroke_width(1000) == 22.0


def test_readings_and_verdicts_stand_at_their_branch() -> None:
    circuit = build_layout("front_battery", 12)
    svg = drawn(circuit, drop_run(circuit, 80, charge_cable=0.30, mount=0.008))
    assert "300 mV FAIL" in svg and "8 mV pass" in svg
    assert re.search(r"\(\d+ mV\)", svg)  # what was not read stands in brackets


def test_a_label_cannot_break_out_of_the_drawing() -> None:
    document = with_branch(build_layout("front_battery", 12).model_dump(mode="json"), "mount", label='<a href="x">&')
    circuit = Circuit.model_validate(document)
    svg = drawn(circuit)
    assert "<a href" not in svg and "&lt;a href" in svg
    ElementTree.fromstring(svg)


def with_proposal() -> Bundle:
    document = bundle_document()
    bundle = read_bundle(as_bytes(document))
    made = propose(bundle.circuits[0].document, SizingTarget(target_current_a=140))
    document["circuits"].append({"id": 2, "role": "proposal", "revision": 1, "document": made.circuit.model_dump(mode="json")})
    plan = {
        "target": made.target.model_dump(mode="json"),
        "choices": [c.model_dump(mode="json") for c in made.choices],
        "notes": list(made.notes),
    }
    document["documents"] = [{"kind": "plan", "circuit_id": 2, "document": plan}]
    return read_bundle(as_bytes(document))


def test_the_sheet_sets_the_proposal_beside_what_was_found() -> None:
    page = render_sheet(with_proposal(), "A Shop", NOW)
    assert "Planned for 140 A" in page
    assert page.count("<svg") == 2
    assert "Smallest for 140 A" in page and "35 mm²" in page
    assert "Second opinion by the marine rule" in page


def test_the_sheet_names_probes_instruments_and_who_measured() -> None:
    document = bundle_document()
    document["runs"][0]["run"]["measured_by"] = "Hand Invented"
    page = render_sheet(read_bundle(as_bytes(document)), "A Shop", NOW)
    for words in (
        "Stud → Fuse stud",
        "Test meter",
        "Test clamp",
        "Measured by Hand Invented",
        "Technician: Hand Invented",
        "2026-03-04 15:30",
    ):
        assert words in page


def test_the_sheet_of_an_unmeasured_job_says_so() -> None:
    page = render_sheet(read_bundle(as_bytes(bundle_document(runs=[]))), "A Shop", NOW)
    assert "None taken yet" in page and "Nothing measured yet" in page


def test_the_job_number_cannot_break_out_of_the_style() -> None:
    document = bundle_document()
    document["job"]["number"] = '"}</style><b>x'
    page = render_sheet(read_bundle(as_bytes(document)), "A Shop", NOW)
    assert page.count("</style>") == 1 and "<b>x" not in page


def test_contradicting_readings_are_on_the_sheet() -> None:
    document = bundle_document()
    run = drop_run(simple_circuit(), 100, feed=0.121, fuse=0.053, feed_v=0.3)
    document["runs"][0]["run"] = run.model_dump(mode="json")
    assert "A probe was wrong" in render_sheet(read_bundle(as_bytes(document)), "A Shop", NOW)
