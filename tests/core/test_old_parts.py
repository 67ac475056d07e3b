"""What is taken out of use: what becomes of it, and that the way back leads to where the work began."""

from __future__ import annotations

import pytest

from mavrik.core.catalogue.prices import usual_prices
from mavrik.core.circuit import Circuit
from mavrik.core.circuit.editing import remove_branch
from mavrik.core.circuit.layouts import LAYOUTS, build_layout, front_battery
from mavrik.core.fabrication.bench import build_view
from mavrik.core.fabrication.documents import BuildBook, Fate, OldPart, check_book
from mavrik.core.fabrication.old_parts import FATE_WORDS, old_parts
from mavrik.core.fabrication.steps import Phase

CAR = front_battery(12)


def changed(branch_id: str, **to: object) -> Circuit:
    made = tuple(b.model_copy(update=to) if b.id == branch_id else b for b in CAR.branches)
    return CAR.model_copy(update={"branches": made})


def book_with(part_id: str, fate: str, where: str = "") -> BuildBook:
    return BuildBook(old=(OldPart(part_id=part_id, fate=Fate(fate), where=where),))


def removal(circuit: Circuit, planned: Circuit, book: BuildBook) -> str:
    (step,) = (s for s in build_view(circuit, planned, book, usual_prices()).steps if s.phase is Phase.REMOVE)
    return step.text


def test_stock_wiring_that_is_not_needed_is_capped_at_both_ends_and_never_left_live() -> None:
    """Common practice: capped and kept as a spare."""
    without = CAR.model_copy(update={"branches": tuple(b for b in CAR.branches if b.id != "body_ground")})
    (old,) = old_parts(CAR, without, BuildBook()).parts
    assert (old.fate, old.assumed) == (Fate.CAPPED, True) and old.between == "Battery − to Chassis"
    assert "both ends" in removal(CAR, without, BuildBook()) and "cap each" in removal(CAR, without, BuildBook())
    at = book_with("body_ground", "capped", "along the inner wing")
    assert removal(CAR, without, at).endswith("tag it spare: along the inner wing.")


@pytest.mark.parametrize(
    ("to", "fate"),
    [({"size": "50 mm2"}, Fate.SHELF), ({"size": "50 mm2", "label": "Renamed"}, Fate.SHELF), ({"label": "Renamed"}, None)],
)
def test_a_lead_that_is_replaced_is_kept_and_one_that_is_renamed_stays(to: dict[str, str], fate: Fate | None) -> None:
    parts = old_parts(CAR, changed("charge_cable", **to), BuildBook()).parts
    assert [p.fate for p in parts] == ([fate] if fate else [])


def test_what_looks_bad_is_thrown_away_and_then_it_cannot_be_undone_without_parts() -> None:
    bad_end = CAR.branch("charge_cable").from_end.model_copy(update={"condition": "corroded"})  # type: ignore[union-attr]
    worn = changed("charge_cable", from_end=bad_end)
    old = old_parts(worn, changed("charge_cable", size="50 mm2"), BuildBook())
    assert [p.fate for p in old.parts] == [Fate.SCRAP] and not old.whole
    assert any("is gone" in line and "25 mm²" in line for line in old.back)
    kept = old_parts(worn, changed("charge_cable", size="50 mm2"), book_with("charge_cable", "shelf", "box 3"))
    assert kept.whole and any("(kept: box 3)" in line for line in kept.back)


def test_a_fuse_cannot_be_capped_whatever_the_book_says() -> None:
    (old,) = old_parts(CAR, changed("charge_fuse", rating_a=250.0), book_with("charge_fuse", "capped")).parts
    assert Fate.CAPPED not in old.fates and old.fate is Fate.SHELF and old.was == "125 A Bolt-down strip, 51 mm (high current)"


def test_devices_that_go_are_named_by_what_they_were() -> None:
    unit = CAR.alternators[0].model_copy(update={"rated_a": 180.0})
    battery = CAR.batteries[0].model_copy(update={"capacity_ah": 95.0})
    old = old_parts(CAR, CAR.model_copy(update={"alternators": (unit,), "batteries": (battery,)}), BuildBook())
    assert [p.was for p in old.parts] == ["90 A", "70 Ah flooded"]
    assert old.back[0].startswith("Negative clamps off first") and "negatives last" in old.back[-1]


def test_nothing_is_undone_where_nothing_was_done() -> None:
    old = old_parts(CAR, CAR, BuildBook())
    assert (old.parts, old.back, old.whole) == ((), (), True)


def test_two_fates_of_one_part_are_refused() -> None:
    twice = BuildBook(old=(OldPart(part_id="a", fate=Fate.SHELF), OldPart(part_id="a", fate=Fate.SCRAP)))
    assert [(p.element, p.field) for p in check_book(twice)] == [("a", "fate")]
    assert set(FATE_WORDS) == set(Fate)


@pytest.mark.parametrize("layout", [x.name for x in LAYOUTS])
def test_every_part_of_every_layout_that_goes_has_a_step_that_says_what_becomes_of_it(layout: str) -> None:
    circuit = build_layout(layout, 12)
    for branch in circuit.branches:
        view = build_view(circuit, remove_branch(circuit, branch.id), BuildBook(), usual_prices())
        words, steps = {p.part_id: p.words for p in view.old.parts}, {s.id: s.text for s in view.steps}
        if branch.id in words:
            assert steps[f"remove:{branch.id}"] == words[branch.id]
