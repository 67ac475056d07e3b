"""Whether another unit goes where the old one was: figures against figures by hand, words against words, ticks that contradict them."""

from __future__ import annotations

from typing import Any

import pytest

from mavrik.core.catalogue.units import Unit
from mavrik.core.planning.fitting import FitItem, FitProblemError, FitRequest, FitRow, FitView, fit_list, fit_points

UNIT = Unit(
    name="Trial", rated_a=150, limit_rpm=18_000, pulley_mm=54, price=1, ears="two, fixed", foot_mm=60.0, bore_mm=17.0, rotation="clockwise",
    plug="square", regulator="internal", frame="middle",
)  # fmt: skip


def listed(*items: FitItem, unit: Unit | None = UNIT) -> FitView:
    return fit_list(FitRequest(unit="Trial", items=items), unit)


def row(name: str, **what: Any) -> FitRow:
    return next(r for r in listed(FitItem(point=name, **what)).rows if r.name == name)


@pytest.mark.parametrize(
    ("name", "figure", "proposes", "says"),
    [
        ("foot", 60.2, "fits", "as wide"), ("foot", 64, "adapter", "4 mm of spacers"), ("foot", 57, "no", "3 mm too wide"),
        ("foot", 80, "no", "20 mm too narrow"), ("bore", 17, "fits", "goes on"), ("bore", 15, "no", "2 mm too thick"),
        ("bore", 19, "no", "2 mm of play"), ("pulley_free", 2, "fits", "2 mm"), ("pulley_free", 1.5, "no", "at least 2"),
        ("alignment", -0.5, "fits", "-0.5 mm"), ("alignment", -1.5, "no", "at most 1"), ("stud", 1, "no", "at least 2"),
        ("frame", 5, "fits", "5 mm"), ("frame", 1, "no", "at least 3"),
    ],
)  # fmt: skip
def test_figures_say_what_they_say_by_hand(name: str, figure: float, proposes: str, says: str) -> None:
    """Common practice: spacers where the place is wider, never pulled shut; two threads past the nut; the pulley spins free."""
    seen = row(name, figure=figure)
    assert (seen.proposes, seen.shown_by) == (proposes, "figure") and says in seen.says


def test_words_are_held_against_the_unit_s() -> None:
    assert row("plug", words="Square").proposes == "fits"
    assert row("plug", words="oval").proposes == "adapter"
    assert row("rotation", words="anticlockwise").proposes == "no"
    assert row("plug", words="oval").shown_by == "words"
    # Of a unit that nobody knows nothing is said.
    blank = fit_list(FitRequest(items=(FitItem(point="plug", words="oval"), FitItem(point="foot", figure=64))), None)
    assert {r.proposes for r in blank.rows} == {"open"}


def test_a_tick_settles_and_one_that_contradicts_the_figure_is_said() -> None:
    ticked = listed(FitItem(point="ears", state="fits"), FitItem(point="foot", figure=57, state="fits"))
    foot = next(r for r in ticked.rows if r.name == "foot")
    assert (
        foot.contradicts
        and ticked.settled == 2
        and ticked.headline == "Look again: foot between the bracket's faces, 3 mm too wide for its place"
    )
    assert not row("foot", figure=64, state="fits").contradicts, "what goes in with spacers fits"
    assert row("foot", figure=60, state="no").contradicts


def test_the_headline_says_what_comes_next_what_does_not_fit_or_that_it_goes() -> None:
    assert listed().headline == f"0 of {len(fit_points())} settled; next: mounting ears"
    assert listed(FitItem(point="alignment", figure=4)).headline == "Does not fit: belt in line, 4 mm: at most 1"
    all_fit = [FitItem(point=p.name, state="fits") for p in fit_points()]
    assert listed(*all_fit).headline == "It goes there as it is"
    adapted = [FitItem(point="plug", state="adapter"), FitItem(point="bracket", state="adapter", reversible=False)]
    seen = listed(*(i for i in all_fit if i.point not in ("plug", "bracket")), *adapted)
    assert (
        seen.headline == "It goes there with 2 adapters or spacers, and not all of it can be changed back" and not seen.reversible
    )


def test_what_cannot_be_is_refused() -> None:
    for items in ([FitItem(point="ears"), FitItem(point="ears")], [FitItem(point="magic")]):
        with pytest.raises(FitProblemError) as refused:
            listed(*items)
        assert refused.value.field == "items"
