"""How a lug is pressed on: the die by geometry done here by hand, shims, tools that do not do, bent palms, and what a ground lead asks."""

from __future__ import annotations

import math

import pytest

from mavrik.core.catalogue.conductor import Material, parse_size
from mavrik.core.catalogue.lugs import barrel_for, lug_table
from mavrik.core.catalogue.prices import usual_prices
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import front_battery
from mavrik.core.fabrication.bench import build_view
from mavrik.core.fabrication.cards import LeadCard, lead_cards
from mavrik.core.fabrication.crimping import TOOL_WORDS, CrimpTool, hex_across_mm, pressed
from mavrik.core.fabrication.documents import BuildBook, EndSpec, LeadSpec
from mavrik.core.fabrication.needs import needs_of
from mavrik.core.fabrication.samples import samples_of
from mavrik.core.fabrication.stock import PartSpec, serves, usual_stock

CAR = front_battery(12)
SIZES = list(map(parse_size, lug_table().barrels))


@pytest.mark.parametrize("size", SIZES, ids=lambda s: s.label)
def test_a_hexagon_holds_barrel_and_strands_with_a_twentieth_of_air(size: object) -> None:
    """Area of a hexagon of width w: w2 sqrt(3)/2. It is narrower than the barrel was, and wider than the strands alone."""
    barrel = barrel_for(size)  # type: ignore[arg-type]
    across = hex_across_mm(barrel, size)  # type: ignore[arg-type]
    metal = math.pi * (barrel.outer_mm**2 - barrel.inner_mm**2) / 4 + size.area_mm2  # type: ignore[attr-defined]
    assert across**2 * math.sqrt(3) / 2 == pytest.approx(metal / 0.95)
    assert 0.78 * barrel.outer_mm < across < barrel.outer_mm


def card(lead: str = "charge_cable", circuit: Circuit = CAR, **end: object) -> LeadCard:
    spec = LeadSpec(branch_id=lead, from_end=EndSpec.model_validate(end))
    (made,) = lead_cards(circuit, circuit, BuildBook(anew=(lead,), leads=(spec,)))
    return made


def test_a_die_that_is_a_little_wide_gets_a_shim_and_one_that_is_far_off_is_refused() -> None:
    expected = card().ends[0].pressed
    assert expected and expected.across_mm and expected.shim_mm is None and "its own die" in expected.words
    near = card(die_mm=expected.across_mm + 0.2).ends[0].pressed
    assert near and near.shim_mm is None
    wide = card(die_mm=expected.across_mm + 1.0)
    assert wide.ends[0].pressed and wide.ends[0].pressed.shim_mm == 1.0 and "1 mm copper shim" in " ".join(wide.in_order)
    assert "too large" in card(die_mm=expected.across_mm + 2.0).problem
    assert "cuts strands" in card(die_mm=expected.across_mm - 1.0).problem


@pytest.mark.parametrize(("size", "can"), [("50 mm2", True), ("70 mm2", False), ("2 AWG", True), ("2/0 AWG", False)])
def test_a_hammer_does_not_go_through_a_large_lug(size: str, can: bool) -> None:
    of = parse_size(size)
    if can:
        assert pressed(CrimpTool.HAMMER, "the lug", barrel_for(of), of).across_mm is None
    else:
        with pytest.raises(ValueError, match="too large to be hammered"):
            pressed(CrimpTool.HAMMER, "the lug", barrel_for(of), of)


def test_every_tool_says_what_it_asks_and_is_asked_for_at_its_step() -> None:
    assert set(TOOL_WORDS) == set(CrimpTool)
    for tool, named in ((CrimpTool.HEX, "press with the die"), (CrimpTool.INDENT, "indent"), (CrimpTool.HAMMER, "anvil")):
        book = BuildBook(anew=("charge_cable",), leads=(LeadSpec(branch_id="charge_cable", to_end=EndSpec(tool=tool)),))
        steps = build_view(CAR, CAR, book, usual_prices()).steps
        assert any(named in t for t in next(s for s in steps if s.id == "make:charge_cable").tools)


def test_a_bent_lug_is_another_part_and_another_sample() -> None:
    made = card(palm="bent_90")
    lugs = {n.text: n for n in needs_of(CAR, CAR, (made,), usual_prices()) if n.spec and n.spec.kind == "lug"}
    assert {text: n.required for text, n in lugs.items()} == {"Lug 25 mm2, M8, bent 90°": 1, "Lug 25 mm2, M8": 1}
    serving = {text: [i.number for i in usual_stock().items if serves(i, n.spec)] for text, n in lugs.items() if n.spec}
    assert serving == {"Lug 25 mm2, M8, bent 90°": ["LG-25-M8-90"], "Lug 25 mm2, M8": ["LG-25-M8"]}
    assert len(samples_of((made,))) == 2 and "bent 90°" in " ".join(made.in_order)
    # The string is laid round the bend: the lead is cut no shorter for it.
    assert made.cut_mm == card().cut_mm
    with pytest.raises(ValueError, match="'palm' says nothing"):
        PartSpec.model_validate({"kind": "tube", "outer_mm": 12, "wall_mm": 1.5, "palm": "bent_90"})


def test_circular_mils_go_into_the_lugs_of_the_gauge_and_aluminium_into_none() -> None:
    """133,100 circular mils are 2/0, 66,360 are 2 AWG (ASTM B258, from memory)."""

    def of(**to: object) -> LeadCard:
        made = tuple(b.model_copy(update=to) if b.id == "charge_cable" else b for b in CAR.branches)
        return card(circuit=CAR.model_copy(update={"branches": made}))

    assert [of(size=s).ends[0].lug for s in ("66360 CM", "133100 CM")] == ["2 AWG", "2/0 AWG"]
    aluminium = of(material=Material.ALUMINIUM)
    assert "bimetal lug" in aluminium.problem and aluminium.cut_mm is None


def test_a_ground_lead_asks_for_bare_metal_and_primer_and_a_feed_does_not() -> None:
    book = BuildBook(anew=("charge_cable", "body_ground"))
    fit = {s.branch_id: s.text for s in build_view(CAR, CAR, book, usual_prices()).steps if s.id.startswith("fit:")}
    assert "Bare metal under the ring at Chassis, no paint; primer over it" in fit["body_ground"]
    assert "primer" not in fit["charge_cable"]


def test_the_last_test_says_how_warm_a_lug_may_get() -> None:
    last = build_view(CAR, CAR, BuildBook(anew=("charge_cable",)), usual_prices()).steps[-1]
    assert "no more" not in last.text and "more than 30 K warmer" in last.text and "thermometer" in last.tools
