"""Plugs: what goes together, what mates, what melts; each case worked out by hand from the circuit and the list."""

from __future__ import annotations

import pytest

from mavrik.core.catalogue.plugs import plug_table
from mavrik.core.catalogue.prices import usual_prices
from mavrik.core.circuit import ConnectorBranch
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.fabrication.bench import all_leads
from mavrik.core.fabrication.cards import lead_cards
from mavrik.core.fabrication.documents import BuildBook, Contacts, LeadSpec, PlugSpec, check_book
from mavrik.core.fabrication.needs import Need, needs_of
from mavrik.core.fabrication.plugs import PlugView, plug_views
from mavrik.core.fabrication.points import wired_points
from mavrik.core.fabrication.stock import PartSpec, StockItem, serves

TOW = build_layout("tow_and_trailer", 12)
PINS, SOCKETS = Contacts.PINS, Contacts.SOCKETS


def plugs(*specs: PlugSpec, leads: tuple[LeadSpec, ...] = ()) -> dict[str, PlugView]:
    return {v.id: v for v in plug_views(TOW, BuildBook(plugs=specs, leads=leads))}


def pole(branch_id: str, **halves: object) -> PlugSpec:
    return PlugSpec.model_validate({"branch_id": branch_id, **halves})


def test_two_plugs_that_a_hand_may_swap_want_keys_of_their_own() -> None:
    both = plugs()
    assert all("May be swapped with" in v.problems[0] and v.assumed for v in both.values())
    keyed = plugs(pole("coupling_feed", series="power_2_50", key="red"), pole("coupling_return", series="power_2_50", key="grey"))
    assert all(v.problems == () for v in keyed.values())
    same = plugs(pole("coupling_feed", series="power_2_50", key="red"), pole("coupling_return", series="power_2_50", key="red"))
    assert all("both red" in v.problems[0] for v in same.values())


def test_feed_and_return_in_one_housing_have_each_lead_on_its_own_side() -> None:
    (plug,) = plugs(*(pole(i, housing="Trailer", key="grey") for i in ("coupling_feed", "coupling_return"))).values()
    assert plug.problems == () and plug.poles == 2 and [r.cavity for r in plug.rows] == [1, 2]
    # The feed's current goes out through it, the return's comes back: the vehicle's leads are on one side all the same.
    assert [r.leads for r in plug.rows] == [
        ("Feed to the tow bar, 16 mm2", "Feed in the trailer, 16 mm2"),
        ("Return to the battery, 16 mm2", "Return in the trailer, 16 mm2"),
    ]
    assert plug.live == "The half at Socket + stays live when it is apart."


def test_cavities_are_given_once_and_no_more_than_there_are() -> None:
    (twice,) = plugs(*(pole(i, housing="T", cavity=2) for i in ("coupling_feed", "coupling_return"))).values()
    assert "Cavity 2 is given to 2 poles." in twice.problems
    (beyond,) = plugs(pole("coupling_feed", housing="T"), pole("coupling_return", housing="T", cavity=3)).values()
    assert any("has 2 cavities, not 3" in w for w in beyond.problems) and [r.cavity for r in beyond.rows] == [1, 3]


@pytest.mark.parametrize(
    ("halves", "messages"),
    [
        ((PINS, PINS), ("do not mate", "bare pins")),
        ((SOCKETS, SOCKETS), ("do not mate",)),
        ((PINS, SOCKETS), ("bare pins",)),
        ((SOCKETS, PINS), ()),
        ((None, None), ()),
    ],
)
def test_the_wrong_gender_is_found_before_it_is_ordered(halves: tuple[Contacts | None, ...], messages: tuple[str, ...]) -> None:
    """The vehicle's half hangs on its battery; the trailer's only on a charger's input."""
    views = plugs(
        pole("coupling_feed", series="sealed_1_60", key="red", from_half=halves[0], to_half=halves[1]),
        pole("coupling_return", key="grey"),
    )
    plug = views["coupling_feed"]
    assert len(plug.problems) == len(messages) and all(any(s in w for w in plug.problems) for s in messages)


def test_what_mates_with_the_half_that_is_there_is_what_is_ordered() -> None:
    plug = plugs(pole("coupling_feed", series="sealed_1_60", key="red", from_half=SOCKETS))["coupling_feed"]
    assert plug.order[0].startswith("Sealed, one-pole, 60 A, red, for Socket +: half with sockets, 1 contact")
    assert plug.order[1].startswith("Sealed, one-pole, 60 A, red, for Plug +: half with pins")
    assert any("seal goes onto its cable before" in w for w in plug.order)
    unseen = plugs(pole("coupling_feed", series="sealed_1_60"))["coupling_feed"]
    assert all("look which half is there first" in w for w in unseen.order[:2])
    alike = plugs()["coupling_feed"]
    assert alike.order[0] == "Two-pole, halves alike, 50 A: two halves, alike, 2 contacts."


def test_a_contact_that_is_too_weak_too_small_or_does_not_seal_is_said() -> None:
    small = plugs(pole("coupling_feed", series="sealed_2_25"))["coupling_feed"].problems
    assert any("Coupling + carries" in w and "heats and melts" in w for w in small)
    assert any("Feed to the tow bar, 16 mm2: its contacts are for 2.5 to 5.4 mm²." in w for w in small)
    thick = plugs(pole("coupling_feed", series="sealed_1_60"), leads=(LeadSpec(branch_id="tow_feed", cable_mm=11.0),))[
        "coupling_feed"
    ]
    assert any("Feed to the tow bar is 11.0 mm over its insulation: the seals close on 5 to 9 mm." in w for w in thick.problems)


def test_a_lead_that_goes_to_a_plug_gets_a_contact_and_no_lug_on_a_stud() -> None:
    cards = {c.branch_id: c for c in lead_cards(TOW, TOW, BuildBook(anew=all_leads(TOW)))}
    first, second = cards["tow_feed"].ends
    assert (first.lug, first.stud, first.contact) == ("16 mm2", "M8", "")
    assert (second.lug, second.stud, second.torque_nm, second.contact) == ("", "", None, "contact for 16 mm2")
    assert any("Press the contact for 16 mm2" in s for s in cards["tow_feed"].in_order)
    assert not any("Plug" in a or "Socket" in a for c in cards.values() for a in c.assumed)
    for point in wired_points(TOW, BuildBook()):
        if point.node_id in ("tow_rear", "trailer_front"):
            assert point.stud == "" and {x.place for x in point.landings} == {None}


@pytest.mark.parametrize("layout", [x.name for x in LAYOUTS])
def test_every_plug_of_every_layout_is_listed_once(layout: str) -> None:
    circuit = build_layout(layout, 24)
    poles = [r.branch_id for v in plug_views(circuit, BuildBook()) for r in v.rows]
    assert sorted(poles) == sorted(b.id for b in circuit.branches if isinstance(b, ConnectorBranch))


def test_a_series_that_is_not_listed_or_a_key_that_it_does_not_come_in_is_refused_at_its_pole() -> None:
    wrong = BuildBook(plugs=(pole("a", series="none"), pole("b", series="power_2_50", key="pink"), pole("b")))
    assert [(p.element, p.field) for p in check_book(wrong)] == [("b", "branch_id"), ("a", "series"), ("b", "key")]
    assert all(s.least_mm2 < s.most_mm2 and s.poles and s.keys for s in plug_table().series.values())


def bought(*specs: PlugSpec) -> dict[str, Need]:
    """What is bought where both poles of the coupling are new."""
    without = TOW.model_copy(update={"branches": tuple(b for b in TOW.branches if not isinstance(b, ConnectorBranch))})
    needs = needs_of(without, TOW, (), usual_prices(), (), plug_views(TOW, BuildBook(plugs=specs)))
    return {n.text: n for n in needs}


def test_what_is_bought_is_what_the_list_of_plugs_proposes_by_the_half() -> None:
    """Two housings with a pole each, or one with both: two halves a housing, and never a connector by its ampere."""
    apart = bought(
        pole("coupling_feed", series="power_2_50", key="red"), pole("coupling_return", series="power_2_50", key="grey")
    )
    assert {text: n.required for text, n in apart.items()} == {
        "Half of a plug: Two-pole, halves alike, 50 A, red": 2,
        "Half of a plug: Two-pole, halves alike, 50 A, grey": 2,
    }
    (one,) = bought(*(pole(i, housing="T", series="power_2_120") for i in ("coupling_feed", "coupling_return"))).values()
    assert one.required == 2 and one.spec == PartSpec(kind="plug", series="power_2_120")


def test_halves_that_differ_are_bought_as_they_mate_and_not_before_that_is_known() -> None:
    halves = bought(*(pole(i, housing="T", series="sealed_2_25") for i in ("coupling_feed", "coupling_return")))
    assert all("pins or sockets not said yet" in text and n.spec is None for text, n in halves.items())
    known = bought(
        pole("coupling_feed", housing="T", series="sealed_2_25", from_half=SOCKETS), pole("coupling_return", housing="T")
    )
    assert [n.spec.half for n in known.values() if n.spec] == [SOCKETS, PINS]


@pytest.mark.parametrize(
    ("choices", "serving"),
    [({"key": "red"}, True), ({"key": "grey"}, False), ({}, True), ({"series": "power_2_120", "key": "red"}, False)],
)
def test_a_half_serves_in_the_colour_that_was_chosen(choices: dict[str, str], serving: bool) -> None:
    half = StockItem.model_validate(
        {"number": "P", "label": "P", "kind": "plug", "series": "power_2_50", "price": "5.50", **choices}
    )
    assert serves(half, PartSpec(kind="plug", series="power_2_50", key="red")) is serving


@pytest.mark.parametrize(
    ("half", "words"),
    [
        ({"series": "power_9"}, "No plugs 'power_9' are listed"),
        ({"series": "sealed_2_25"}, "'half' is needed"),
        ({"series": "power_2_50", "half": "pins"}, "both halves of Two-pole, halves alike, 50 A are alike"),
        ({"series": "power_2_50", "key": "violet"}, "comes in grey, red"),
    ],
)
def test_a_half_that_cannot_be_is_refused(half: dict[str, str], words: str) -> None:
    with pytest.raises(ValueError, match=words):
        PartSpec.model_validate({"kind": "plug", **half})


def test_contacts_that_are_moved_are_taken_out_with_their_tool() -> None:
    (plug,) = plugs(
        *(pole(i, housing="T", cavity=c, moved_from=m) for i, c, m in (("coupling_feed", 1, 2), ("coupling_return", 2, None)))
    ).values()
    assert sum("out of cavity 2" in w for w in plug.order) == 1 and "never by the cable" in " ".join(plug.order)
    stays = BuildBook(plugs=(pole("coupling_feed", cavity=1, moved_from=1),))
    assert [p.field for p in check_book(stays)] == ["moved_from"]
