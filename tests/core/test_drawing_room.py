"""Where there is no room for words they wait for a tap: no label lies over another."""

from __future__ import annotations

import pytest

from mavrik.core.circuit.editing import insert_after
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.circuit.ring import find_ring
from mavrik.core.drawing.loop import lay_out
from mavrik.core.drawing.pictures import draw
from mavrik.core.findings import judge
from mavrik.exchange.loop_svg import draw_loop


@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda layout: layout.name)
def test_every_branch_of_a_ready_layout_is_named(layout: object) -> None:
    circuit = layout.build(12)  # type: ignore[attr-defined]
    assert all(b.named for b in lay_out(circuit, find_ring(circuit)).branches)


def test_a_very_long_ring_is_drawn_and_not_lettered() -> None:
    circuit = build_layout("competition_car", 12)
    for _ in range(70):
        circuit, _ = insert_after(circuit, "long_feed", "cable")
    findings = judge(circuit, [], ahead=False)
    loop = draw(circuit, findings).loop
    unnamed = [b.branch_id for b in loop.branches if not b.named]
    named = [b.branch_id for b in loop.branches if b.named]
    assert len(unnamed) > 70 and named
    svg = draw_loop(circuit, loop, findings)
    assert svg.count("<polyline") == len(loop.branches)
    assert svg.count("mV)") == len(named)
