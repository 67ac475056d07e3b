"""The schematic: every part and every point on it once, joined as the circuit joins them, and nothing typed becomes markup."""

from __future__ import annotations

import re
import xml.etree.ElementTree as ET
from datetime import UTC, datetime
from typing import Any

import pytest

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.branches import BRANCH_KINDS
from mavrik.core.circuit.branches.base import Symbol
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.circuit.ring import find_ring
from mavrik.core.drawing.loop import lay_out
from mavrik.exchange.bundle import read_bundle
from mavrik.exchange.files import JOB_FILES
from mavrik.exchange.files.base import Printing
from mavrik.exchange.schematic import render_schematic, schematic_svg
from tests.exchange.test_formats import as_bytes, bundle_document

NOW = datetime(2026, 3, 4, tzinfo=UTC)
SVG = "{http://www.w3.org/2000/svg}"


def texts_of(svg: str) -> list[str]:
    return ["".join(t.itertext()).strip() for t in ET.fromstring(svg).iter(f"{SVG}text")]


def renamed(circuit: Circuit, label: str) -> Circuit:
    branches = tuple(b.model_copy(update={"label": label}) if k == 0 else b for k, b in enumerate(circuit.branches))
    return circuit.model_copy(update={"branches": branches})


@pytest.mark.parametrize("layout", [x.name for x in LAYOUTS])
def test_every_part_with_room_and_every_point_is_named_once(layout: str) -> None:
    circuit = build_layout(layout, 12)
    labels = texts_of(schematic_svg(circuit))
    drawn = lay_out(circuit, find_ring(circuit))
    whole = " ".join(labels)
    for place in drawn.branches:
        assert (circuit.branch(place.branch_id).label in whole) or not place.named
    for source in drawn.sources:
        assert all(any(line in text for text in labels) for line in source.lines)
    numbers = [int(t) for t in labels if re.fullmatch(r"\d+", t)]
    assert sorted(numbers) == list(range(1, len(circuit.nodes) + 1))
    assert sum(t == "G" for t in labels) == len(circuit.alternators)


def test_what_is_written_is_text_and_no_markup_or_formula() -> None:
    hostile = '<b>R&D</b> $x^2$ "q" ]]>'
    svg = schematic_svg(renamed(build_layout("front_battery", 12), hostile))
    assert any(t.startswith(hostile) for t in texts_of(svg)) and "<b>" not in svg and "style=" not in svg
    assert {e.tag.removeprefix(SVG) for e in ET.fromstring(svg).iter()} <= {
        "svg", "g", "path", "text", "tspan", "circle", "polygon", "line", "ellipse", "rect", "defs", "style", "polyline",
    }  # fmt: skip


def test_an_open_switch_is_drawn_open() -> None:
    car = build_layout("competition_car", 12)
    (switch,) = (b for b in car.branches if b.symbol is Symbol.SWITCH)
    opened = tuple(b.model_copy(update={"closed": False}) if b is switch else b for b in car.branches)
    closed, open_ = schematic_svg(car), schematic_svg(car.model_copy(update={"branches": opened}))
    assert closed != open_ and closed.count("<circle") == open_.count("<circle")


def test_only_what_has_no_symbol_is_a_box() -> None:
    boxes = {kind.model_fields["kind"].default for kind in BRANCH_KINDS if kind.symbol is Symbol.PART}
    assert boxes == {"voltage_link"}


def bundle(**changes: Any) -> Any:
    return read_bundle(as_bytes({**bundle_document(), **changes}))


def test_the_page_has_each_version_with_its_points_and_files_are_found() -> None:
    document = bundle_document()
    (first,) = document["circuits"]
    planned = {**first, "id": 2, "revision": 2, "role": "proposal"}
    page = render_schematic(bundle(circuits=[first, planned]), "A & B", NOW)
    assert page.count("<svg") == 2 and "As found, revision 1" in page and "Plan, revision 2" in page and "A &amp; B" in page
    nodes = [n["label"] for n in first["document"]["nodes"]]
    assert all(page.count(f"<td>{label}</td>") == 2 for label in nodes)
    towed = {**first, "document": build_layout("tow_and_trailer", 12).model_dump(mode="json")}
    pins = render_schematic(bundle(circuits=[towed], runs=[]), "Shop", NOW)
    assert (
        "Coupling +: Two-pole, halves alike, 50 A" in pins
        and "<td>Feed to the tow bar, 16 mm²</td><td>Feed in the trailer, 16 mm²</td>" in pins
    )
    files = {f.name: f for f in JOB_FILES}
    printing = Printing(workshop="Shop", at=NOW)
    assert files["schematic.pdf"].write(bundle(), printing).startswith(b"%PDF")
    assert files["schematic.svg"].write(bundle(), printing).startswith(b"<svg")
    bare = bundle(circuits=[], runs=[])
    for name in ("schematic.pdf", "schematic.svg"):
        with pytest.raises(ValueError, match="no circuit yet"):
            files[name].write(bare, printing)
