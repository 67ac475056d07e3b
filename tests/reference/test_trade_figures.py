"""Figures that the trade goes by. Common practice with no published source, written from memory, unless one is named."""

from __future__ import annotations

import pytest

from mavrik.core.catalogue.conductor import cable_resistance, circular_mils_for_drop, parse_size
from mavrik.core.circuit import Circuit
from mavrik.core.findings import BranchVerdict
from mavrik.core.measuring.limits import LimitProfileName, Scope, limit_for
from mavrik.core.planning.sizing import propose
from mavrik.core.planning.targets import SizingTarget
from mavrik.core.protection.documents import Severity
from mavrik.core.thermal.ampacity import Place, ampacity
from tests.build import branch_of, drop_run, judged, simple_circuit, simple_document, with_branch

CIRCULAR_MIL_MM2 = 0.0254**2 * 3.141592653589793 / 4


def test_a_thin_trailer_feed_loses_about_two_volts() -> None:
    """Common practice: 6 mm2 at 25 A over 12 m, there and back, loses about 2 V."""
    ohm = cable_resistance(parse_size("6 mm2"), 2 * 12, 20)
    assert 25 * ohm == pytest.approx(2.0, abs=0.05)


def test_the_appliance_makers_ten_square_is_little_better_than_half() -> None:
    """Common practice: 10 mm2 is the least for the same run; IEC 60228 says 1.91 against 3.30 ohm/km."""
    thin, thick = (cable_resistance(parse_size(s), 24, 20) for s in ("6 mm2", "10 mm2"))
    assert 25 * thick == pytest.approx(25 * 24 * 1.91e-3)
    assert thick / thin == pytest.approx(1.91 / 3.30)


@pytest.mark.parametrize(
    ("size", "link_a", "unit_a", "carries"), [("6 AWG", 100, 170, False), ("2 AWG", 250, 170, True), ("4 AWG", 250, 250, False)]
)
def test_a_bigger_unit_needs_a_bigger_cable(size: str, link_a: float, unit_a: float, carries: bool) -> None:
    """Common practice: 6 AWG does not carry 170 A and 2 AWG does; 4 AWG on a 250 A unit is the mistake to catch."""
    document = with_branch(with_branch(simple_document(), "feed", size=size), "home", size=size)
    document = with_branch(document, "fuse", rating_a=link_a)
    document["alternators"][0]["rated_a"] = unit_a
    findings = judged(Circuit.model_validate(document))
    assert findings.branches[0].ampacity is not None and findings.branches[0].ampacity.ok is carries
    small = [f for f in findings.parts if f.code == "cable_too_small"]
    assert bool(small) is not carries
    assert all(f.severity is Severity.DANGER for f in small)


def test_the_fuse_stays_below_its_cable_even_where_the_trade_goes_above() -> None:
    """The field fits 250 A on 2 AWG; ABYC E-11 gives that cable 210 A at most. Our choice is the rule: below the cable."""
    document = with_branch(with_branch(simple_document(), "feed", size="2 AWG"), "fuse", rating_a=250)
    document["alternators"][0]["rated_a"] = 170
    fuse = judged(Circuit.model_validate(document)).branches[1].fuse
    assert fuse is not None and fuse.above_load and not fuse.below_cable
    assert fuse.cable_a == 210


@pytest.mark.parametrize(
    ("profile", "scope", "volts"),
    [
        (LimitProfileName.COMMON, Scope.SIDE, 0.2),
        (LimitProfileName.COMMON, Scope.GROUND, 0.1),
        (LimitProfileName.COMMON, Scope.WHOLE, 0.5),
        (LimitProfileName.THREE_PERCENT, Scope.WHOLE, 0.36),
    ],
)
def test_the_limits_are_the_trades(profile: LimitProfileName, scope: Scope, volts: float) -> None:
    """Common practice: 0.2 V a side, 0.1 V a ground, 0.5 V the whole circuit; other shops use 3 %."""
    assert limit_for(profile, scope, 12).volts == pytest.approx(volts)


def test_a_new_lead_for_the_old_one_saves_four_fifths_of_the_power() -> None:
    """Common practice: a lead that read 0.55 V and its replacement that read 0.11 V at the same current: 80 % less lost."""
    circuit = simple_circuit()
    old, new = (branch_of(judged(circuit, drop_run(circuit, 100, feed=v)), "feed").heat_w for v in (0.55, 0.11))
    assert old is not None and new is not None
    assert (old, new) == (pytest.approx(55), pytest.approx(11))
    assert 1 - new / old == pytest.approx(0.8)


@pytest.mark.parametrize(
    ("amps", "feet", "volts", "least"),
    [
        (100, 20, 0.36, "2 AWG"),
        (60, 20, 0.36, "4 AWG"),
        (25, 30, 0.36, "6 AWG"),
        (150, 15, 0.36, "1 AWG"),
        (200, 10, 0.36, "2 AWG"),
    ],
)
def test_the_marine_rule_picks_its_tables_sizes(amps: float, feet: float, volts: float, least: str) -> None:
    """ABYC E-11, CM = 10.75 x A x ft / V at 3 % of 12 V; the next size up by ASTM B258, worked here apart from the core."""
    mils = circular_mils_for_drop(amps, feet, volts)
    series = ["10 AWG", "8 AWG", "6 AWG", "4 AWG", "3 AWG", "2 AWG", "1 AWG", "1/0 AWG", "2/0 AWG"]
    fitting = [s for s in series if parse_size(s).area_mm2 >= mils * CIRCULAR_MIL_MM2]
    assert fitting[0] == least


@pytest.mark.parametrize("amps", [80, 120, 160, 200])
def test_a_proposal_never_falls_below_the_marine_rule(amps: float) -> None:
    """ABYC E-11's rule counts the cables alone; fuse, lugs and heat come on top, so ours may only be thicker."""
    made = propose(simple_circuit(), SizingTarget(target_current_a=amps))
    feed = made.circuit.branch("feed")
    area = feed.conductor.area_mm2 * feed.parallel  # type: ignore[union-attr]
    ring_ft = sum(b.length_m for b in made.circuit.branches if hasattr(b, "length_m")) / 0.3048
    rule = circular_mils_for_drop(amps, ring_ft, 0.4) * CIRCULAR_MIL_MM2
    assert area > rule
    assert f"{rule:.0f} mm2" in made.notes[-1]


def test_an_engine_space_takes_fifteen_percent_by_abyc_e11() -> None:
    """ABYC E-11, 105 degC insulation: engine space 85 % of outside."""
    for size in ("10 AWG", "6 AWG", "4 AWG", "2 AWG", "1/0 AWG", "2/0 AWG"):
        inside = ampacity(parse_size(size), 105, Place.ENGINE_SPACE).current_a
        assert inside == pytest.approx(0.85 * ampacity(parse_size(size), 105, Place.OUTSIDE).current_a)


def test_a_meter_across_a_lead_reads_nothing_until_current_flows() -> None:
    """Common practice, and Ohm's law: no lead loses nothing at 100 A; the probes did not touch, or no current was in it."""
    circuit = simple_circuit()
    finding = branch_of(judged(circuit, drop_run(circuit, 100, feed=0.0)), "feed")
    assert finding.verdict is BranchVerdict.CHECK_PROBES and finding.excess_ohm is None
