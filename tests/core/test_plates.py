"""Plates: what matters of a part stands first, and nothing on them is guessed."""

from __future__ import annotations

import pytest

from mavrik.core.circuit import BreakerBranch, Circuit, FuseBranch, LinkBranch
from mavrik.core.circuit.branches.contacts import SwitchedBranch
from mavrik.core.circuit.layouts import LAYOUTS, build_layout, front_battery
from mavrik.core.fabrication.documents import BuildBook, OldPart
from mavrik.core.fabrication.old_parts import OldParts, old_parts
from mavrik.core.fabrication.plates import Plate, plates_of

NOTHING = OldParts(parts=(), back=(), whole=True)


def plates(circuit: Circuit, old: OldParts = NOTHING) -> dict[str, Plate]:
    return {p.part_id: p for p in plates_of(circuit, old)}


def test_a_fuse_says_its_rating_its_family_and_what_it_is_for() -> None:
    fuse = plates(front_battery(12))["charge_fuse"]
    assert fuse.lines == ("125 A, and no larger", "Bolt-down strip, 51 mm (high current)", "For Charge cable, Battery lead")


def test_a_charger_is_live_from_both_sides_and_says_so_first() -> None:
    circuit = build_layout("second_battery_converter", 12)
    (charger,) = circuit.converters
    first, second, _ = plates(circuit)[charger.id].lines
    assert first.startswith("Live from both sides: ") and second == "Both fuses out before it is opened"
    assert all("All negatives off first" in plates(circuit)[b.id].lines for b in circuit.batteries)


def test_a_spare_says_that_it_is_dead_what_it_was_and_where_it_lies() -> None:
    car = front_battery(12)
    thicker = tuple(b.model_copy(update={"size": "50 mm2"}) if b.id == "charge_cable" else b for b in car.branches)
    planned = car.model_copy(update={"branches": thicker})
    book = BuildBook(old=(OldPart(part_id="charge_cable", fate="capped", where="inner wing"),))
    spares = [p for p in plates_of(planned, old_parts(car, planned, book)) if p.title == "Spare"]
    assert [p.lines for p in spares] == [
        (
            "Dead: both ends off and capped",
            "Charge cable, 25 mm², 1.20 m",
            "Alternator stud to Fuse stud",
            "Tied back: inner wing",
        )
    ]
    # What is kept elsewhere hangs on no wire.
    assert not [p for p in plates_of(planned, old_parts(car, planned, BuildBook())) if p.title == "Spare"]


@pytest.mark.parametrize("layout", [x.name for x in LAYOUTS])
def test_every_part_that_a_hand_works_has_one_plate(layout: str) -> None:
    circuit = build_layout(layout, 12)
    worked = {b.id for b in circuit.branches if isinstance(b, FuseBranch | BreakerBranch | SwitchedBranch | LinkBranch)}
    made = plates_of(circuit, NOTHING)
    assert len({p.part_id for p in made}) == len(made) and worked <= {p.part_id for p in made}
    ratings = {b.id: f"{b.rating_a:g} A, and no larger" for b in circuit.branches if isinstance(b, FuseBranch)}
    assert all(p.lines[0] == ratings[p.part_id] for p in made if p.part_id in ratings)
