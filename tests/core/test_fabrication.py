"""Making leads: barrels, cut lengths, solder, home-made lugs, sleeves, reels; by geometry, by trying everything, by what the trade does."""

from __future__ import annotations

import itertools
import math

import numpy as np
import pytest

from mavrik.core.catalogue.conductor import PROPOSED_AWG, PROPOSED_METRIC, Stranding, parse_size
from mavrik.core.catalogue.lugs import barrel_for, lug_table, stud
from mavrik.core.circuit import CableBranch
from mavrik.core.fabrication import nesting
from mavrik.core.fabrication.acceptance import most_drop_v
from mavrik.core.fabrication.barrel import Fit, barrel_fit, smallest_barrel
from mavrik.core.fabrication.bolted import stack
from mavrik.core.fabrication.lengths import cut, lug_reach_mm
from mavrik.core.fabrication.nesting import Cutting, nest
from mavrik.core.fabrication.shrink import sleeve_for
from mavrik.core.fabrication.solder import solder_mm3, wire_mm
from mavrik.core.fabrication.stranded import conductor_diameter_mm
from mavrik.core.fabrication.tube_lug import pays, tube_lug

EVERY_SIZE = [parse_size(s) for s in (*PROPOSED_AWG, *PROPOSED_METRIC)]
FLEXIBLE, WELDING, ROAD = Stranding.FLEXIBLE, Stranding.EXTRA_FLEXIBLE, Stranding.ROAD_VEHICLE


@pytest.mark.parametrize("size", EVERY_SIZE, ids=lambda s: s.label)
def test_every_size_that_a_plan_proposes_goes_into_its_own_lug_and_not_into_one_two_down(size: object) -> None:
    barrel = barrel_for(size)  # type: ignore[arg-type]
    for stranding in Stranding:
        assert barrel_fit(barrel, [(size, stranding)]).fit in (Fit.SNUG, Fit.WITH_CARE)  # type: ignore[list-item]
    assert barrel_fit(barrel, [(size, FLEXIBLE)]).fit is Fit.SNUG  # type: ignore[list-item]
    same = [s for s in EVERY_SIZE if s.system is size.system]  # type: ignore[attr-defined]
    smaller = [s for s in same if s.area_mm2 < size.area_mm2]  # type: ignore[attr-defined]
    for two_down in smaller[:-1]:
        assert barrel_fit(barrel_for(two_down), [(size, FLEXIBLE)]).fit is Fit.TOO_MUCH  # type: ignore[list-item]


def test_two_conductors_in_one_barrel() -> None:
    """Common practice, no source: 1 AWG and 6 AWG together were snug in a barrel for 1/0."""
    one, six = parse_size("1 AWG"), parse_size("6 AWG")
    both = [(one, FLEXIBLE), (six, FLEXIBLE)]
    fit = barrel_fit(barrel_for(parse_size("1/0 AWG")), both)
    assert fit.fit is Fit.SNUG
    # Two circles in a circle need the sum of their diameters: side by side, unpressed, they would not go in.
    assert fit.side_by_side_mm == pytest.approx(conductor_diameter_mm(one) + conductor_diameter_mm(six))
    assert fit.side_by_side_mm > barrel_for(parse_size("1/0 AWG")).inner_mm
    assert barrel_fit(barrel_for(one), both).fit in (Fit.WITH_CARE, Fit.TOO_MUCH)
    assert barrel_fit(barrel_for(parse_size("3/0 AWG")), both).fit is Fit.LOOSE
    lugs = [parse_size(s) for s in PROPOSED_AWG]
    assert smallest_barrel(both, lugs) == parse_size("1/0 AWG")
    assert smallest_barrel([(parse_size("4/0 AWG"), FLEXIBLE)] * 2, lugs) is None
    with pytest.raises(ValueError, match="one conductor or two"):
        barrel_fit(barrel_for(one), [*both, (six, FLEXIBLE)])
    with pytest.raises(ValueError, match="not 0"):
        barrel_fit(barrel_for(one), [])


def test_one_size_down_is_flagged_for_fine_strands_and_refused_for_coarse_ones() -> None:
    fifty, barrel = parse_size("50 mm2"), barrel_for(parse_size("35 mm2"))
    assert barrel_fit(barrel, [(fifty, WELDING)]).fit is Fit.WITH_CARE
    assert barrel_fit(barrel, [(fifty, ROAD)]).fit is Fit.TOO_MUCH
    # Whatever is let in, its metal stays below what equal strands can fill at all.
    for size, other, stranding in itertools.product(EVERY_SIZE, EVERY_SIZE, Stranding):
        fit = barrel_fit(barrel_for(other), [(size, stranding)])
        assert fit.fit is Fit.TOO_MUCH or fit.metal_share < math.pi / (2 * math.sqrt(3))


def test_a_lead_is_cut_shorter_than_it_becomes_by_what_its_lugs_add() -> None:
    size = parse_size("35 mm2")
    made = cut(840, size, ("M8", "M10"), slack=0.05)
    reach = [lug_reach_mm(barrel_for(size), stud(s)) for s in ("M8", "M10")]
    assert made.cut_mm + sum(reach) == pytest.approx(made.finished_mm) == pytest.approx(882)
    # Stripped to the bottom of the barrel and a hair, and never more than the conductor has.
    assert all(barrel_for(size).depth_mm < s < barrel_for(size).depth_mm + 3 for s in made.strip_mm)
    assert made.tolerance_mm == 5 and cut(4000, size, ("M8", "M8")).tolerance_mm == 20
    short = sum(made.strip_mm) + 2 * lug_reach_mm(barrel_for(size), stud("M8"))
    assert cut(short + 0.1, size, ("M8", "M8")).cut_mm == pytest.approx(sum(made.strip_mm) + 0.1)
    for wrong, message in (
        ({"route_mm": short - 1}, "too short"), ({"route_mm": math.nan}, "above 0"), ({"slack": 0.4}, "Slack"),
        ({"studs": ("M8", "M7")}, "No stud"), ({"size": parse_size("20 AWG")}, "No lug is made"),
    ):  # fmt: skip
        with pytest.raises(ValueError, match=message):
            cut(**{"route_mm": 840, "size": size, "studs": ("M8", "M8"), **wrong})  # type: ignore[arg-type]


def test_every_stud_passes_its_hole_and_the_palm_leaves_metal_round_it() -> None:
    for name, of in lug_table().studs.items():
        assert 1.02 * of.diameter_mm < of.hole_mm < 1.12 * of.diameter_mm, name
        assert of.palm_mm > 1.5 * of.hole_mm, name
    assert stud("5/16 in").diameter_mm == pytest.approx(25.4 * 5 / 16, abs=0.01)
    assert stud("3/8 in").diameter_mm == pytest.approx(25.4 * 3 / 8, abs=0.01)


def test_solder_fills_what_the_metal_leaves_of_a_cup() -> None:
    """By geometry; common practice, no source: about 5 cm of solder go into a lug."""
    size = parse_size("2 AWG")
    barrel = barrel_for(size)
    cup = math.pi * (barrel.inner_mm / 2) ** 2 * barrel.depth_mm
    assert solder_mm3(barrel, size) + size.area_mm2 * barrel.depth_mm == pytest.approx(cup)
    assert solder_mm3(barrel, size, 0.5) == pytest.approx(solder_mm3(barrel, size) / 2)
    assert 30 < wire_mm(solder_mm3(barrel, size), 3.2) < 80
    for bad in ({"full": 0.0}, {"full": 1.5}, {"size": parse_size("4/0 AWG")}):
        with pytest.raises(ValueError, match=r"share|room"):
            solder_mm3(**{"barrel": barrel, "size": size, **bad})  # type: ignore[arg-type]
    with pytest.raises(ValueError, match="diameter"):
        wire_mm(100, 0)


def test_a_home_made_lug_keeps_the_conductors_metal_beside_its_hole() -> None:
    """By geometry; common practice, no source: a lug for 2 bought, or 0.18 made in 90 s."""
    size = parse_size("35 mm2")
    wide, thin = tube_lug(15, 2, stud("M8"), size), tube_lug(12, 1, stud("M10"), size)
    # A flattened tube has the metal of the tube.
    for made, outer, wall in ((wide, 15, 2), (thin, 12, 1)):
        tube = math.pi / 4 * (outer**2 - (outer - 2 * wall) ** 2)
        assert made.width_mm * made.thickness_mm == pytest.approx(tube)
        assert made.left_mm2 == pytest.approx(tube - stud("M8" if made is wide else "M10").hole_mm * made.thickness_mm)
    assert wide.enough and not thin.enough and "wider or thicker" in thin.words
    assert pays(2.0, 0.18, 90, 72.8) == pytest.approx(0) and pays(2.0, 0.18, 90, 60) > 0 > pays(2.0, 0.18, 90, 90)
    with pytest.raises(ValueError, match="wall"):
        tube_lug(10, 5, stud("M8"), size)


def test_a_sleeve_passes_the_lug_and_grips_the_cable() -> None:
    for size in EVERY_SIZE:
        barrel, over = barrel_for(size), conductor_diameter_mm(size) + 3.0
        made = sleeve_for(barrel, over)
        assert made.of.supplied_mm > max(barrel.outer_mm, over) and made.of.recovered_mm < min(barrel.outer_mm, over)
        assert made.length_mm > barrel.depth_mm
        smaller = [s for s in lug_table().shrink if s.supplied_mm < made.of.supplied_mm]
        assert all(s.supplied_mm < 1.05 * max(barrel.outer_mm, over) for s in smaller)
    with pytest.raises(ValueError, match="No sleeve"):
        sleeve_for(barrel_for(parse_size("4/0 AWG")), 60)


def test_what_carries_most_lies_at_the_studs_foot_and_a_stud_too_short_is_said_to_be() -> None:
    amps, palms = {"winch": 250.0, "charge": 120.0, "monitor": 1.0}, {"winch": 5.0, "charge": 4.0, "monitor": 1.0}
    made = stack(stud("M8"), amps, palms, 18.0)
    assert made.order == ("winch", "charge", "monitor")
    # Palms, a nut and a washer as high as the thread is thick, two turns beyond.
    assert made.needs_mm == pytest.approx(10 + 8 + 2.5) and made.left_mm == pytest.approx(-2.5)
    assert len(made.words) == 1 and "2.5 mm too short" in made.words[0]
    assert stack(stud("M8"), amps, palms).left_mm is None and not stack(stud("M8"), amps, palms, 25.0).words
    crowd = {f"lug {k}": 10.0 for k in range(5)}
    assert "busbar" in stack(stud("M10"), crowd, dict.fromkeys(crowd, 1.0), 60.0).words[0]
    with pytest.raises(KeyError):
        stack(stud("M8"), amps, {"winch": 5.0})
    with pytest.raises(ValueError, match="no lug"):
        stack(stud("M8"), {}, {})


def test_a_finished_lead_is_let_pass_a_little_worse_than_a_sound_one() -> None:
    lead = CableBranch(id="lead", label="Lead", from_node="a", to_node="b", length_m=3.0, size="2 AWG")
    sound = lead.sound_resistance_ohm(20) * 100
    assert sound < most_drop_v(lead, 100, 20) < 1.15 * sound
    assert most_drop_v(lead, 100, 60) > most_drop_v(lead, 100, 20)
    # A short one is not failed for what a meter cannot tell.
    short = lead.model_copy(update={"length_m": 0.2})
    assert most_drop_v(short, 10, 20) > short.sound_resistance_ohm(20) * 10 + 0.002
    with pytest.raises(ValueError, match="current"):
        most_drop_v(lead, 0, 20)


def begun_mm(made: Cutting, stock: list[float], useless: float) -> float:
    """What a cutting is judged by: metres begun, and a rest of no use on top."""
    used = {at for at in made.piece_of if at is not None}
    return sum(stock[j] + (useless if made.left_mm[j] < useless else 0) for j in used)


def best(leads: list[float], stock: list[float], kerf: float, useless: float) -> tuple[int, float]:
    """Every way to cut, tried."""
    optimum = (0, 0.0)
    for bars in itertools.product((None, *range(len(stock))), repeat=len(leads)):
        left, bad = list(stock), False
        for lead, at in zip(leads, bars, strict=True):
            if at is not None:
                bad |= left[at] < lead - 1e-9
                left[at] -= min(lead + kerf, left[at])
        if not bad:
            made = Cutting(bars, tuple(left), True)
            optimum = min(optimum, (-sum(at is not None for at in bars), begun_mm(made, stock, useless)))
    return optimum


@pytest.mark.parametrize("seed", range(12))
def test_cutting_is_as_good_as_the_best_of_all_ways(seed: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """Held against trying everything, with the time it takes on a machine that stands still for a second."""
    monkeypatch.setattr(nesting, "LONGEST_S", 60.0)
    rng = np.random.default_rng(seed)
    leads = [float(x) for x in rng.integers(200, 1500, 5)]
    stock = [float(x) for x in rng.integers(400, 3000, 4)]
    kerf, useless = float(rng.integers(0, 4)), float(rng.choice([0, 150]))
    made = nest(leads, stock, kerf, useless)
    assert made.proven
    assert (-sum(at is not None for at in made.piece_of), begun_mm(made, stock, useless)) == pytest.approx(
        best(leads, stock, kerf, useless)
    )
    for j, length in enumerate(stock):
        own = [lead for lead, at in zip(leads, made.piece_of, strict=True) if at == j]
        assert sum(own) + kerf * max(len(own) - 1, 0) <= length + 1e-6


def test_sixty_leads_come_out_of_reels_near_what_is_possible_at_all() -> None:
    """Held against a lower bound: no fewer metres can be begun than the leads have."""
    rng = np.random.default_rng(5)
    leads = [float(x) for x in rng.integers(300, 4500, 60)]
    stock = [25_000.0] * 8
    made = nest(leads, stock, 1.0)
    assert not made.short
    reels = len({at for at in made.piece_of if at is not None})
    assert reels <= math.ceil(sum(leads) / 25_000) + 1


def test_what_there_is_no_cable_for_is_said_and_a_long_search_ends_in_first_fit(monkeypatch: pytest.MonkeyPatch) -> None:
    made = nest([900, 5000, 300], [1000, 400])
    assert made.short == (1,) and made.piece_of == (0, None, 1) and made.left_mm == (100, 100)
    assert nest([], [100.0]).piece_of == () and nest([10.0], []).short == (0,)
    for leads, stock in (([0.0], [1.0]), ([1.0], [-1.0]), ([math.nan], [1.0])):
        with pytest.raises(ValueError, match="above 0"):
            nest(leads, stock)
    with pytest.raises(ValueError, match="0 or more"):
        nest([1.0], [2.0], kerf_mm=-1)

    class Nothing:
        x, status = None, 1

    monkeypatch.setattr(nesting, "milp", lambda *_, **__: Nothing())
    nested = nest([900, 700, 5000, 300], [1000, 1100])
    assert nested.piece_of == (0, 1, None, 1) and not nested.proven
