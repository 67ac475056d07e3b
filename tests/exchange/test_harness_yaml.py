"""The harness as YAML: written, checked by its own schema, read back; and files that a stranger sends."""

from __future__ import annotations

import random
from contextlib import suppress
from pathlib import Path
from typing import Any

import jsonschema
import pytest
import yaml

from mavrik.core.circuit import Circuit
from mavrik.core.circuit.layouts import front_battery
from mavrik.core.fabrication.cards import lead_cards
from mavrik.core.fabrication.documents import BuildBook, EndSpec, LeadSpec, Reclaimed
from mavrik.exchange.harness_yaml import (
    LARGEST,
    Harness,
    HarnessError,
    HarnessLead,
    _lead,
    harness_from_yaml,
    harness_schema,
    harness_to_yaml,
    with_harness,
)

CAR = front_battery(12)
# Invented; written by hand, as somebody would who has never seen the program's own.
BY_HAND = """
# The leads of the bench, measured on Tuesday.
format: mavrik-harness
version: 1
leads:
  - id: charge_cable
    route_mm: 1480
    slack: 0.05
    size: 35 mm2
    start: {stud: M8, metal: brass}
    end:
      stud: 5/16 in
      school: crimp_solder
  - id: battery_lead
    route_mm: 610
"""


def read(text: str, book: BuildBook | None = None, circuit: Circuit = CAR) -> Any:
    return with_harness(book or BuildBook(), harness_from_yaml(text), circuit, circuit)


def test_what_somebody_wrote_by_hand_is_read_into_the_book() -> None:
    other = LeadSpec(branch_id="engine_strap", route_mm=300)
    ticked = BuildBook(leads=(other, LeadSpec(branch_id="charge_cable", route_mm=99)), anew=("charge_cable",))
    made = read(BY_HAND, ticked)
    specs = {s.branch_id: s for s in made.document.leads}
    assert specs["charge_cable"].route_mm == 1480 and specs["charge_cable"].slack == 0.05
    assert (specs["charge_cable"].from_end.stud, specs["charge_cable"].to_end.school) == ("M8", "crimp_solder")
    assert specs["engine_strap"] == other
    assert made.document.anew == ("charge_cable", "battery_lead")
    assert made.messages == ("Charge cable: the plan has 25 mm2, the file 35 mm2. The plan's stays.",)


def test_the_file_keeps_to_its_schema_and_comes_back_as_it_went() -> None:
    lead = HarnessLead(id="charge_cable", label="Charge cable é", size="25 mm2", route_mm=1200, cut_mm=1209.5)
    harness = Harness(job="26-0017", vehicle="Ferry: 'Patience' # two", leads=(lead,))
    text = harness_to_yaml(harness)
    jsonschema.validate(yaml.safe_load(text), harness_schema(), jsonschema.Draft202012Validator)
    jsonschema.validate(yaml.safe_load(BY_HAND), harness_schema(), jsonschema.Draft202012Validator)
    assert harness_from_yaml(text) == harness
    book = read(text).document
    assert book.leads == (LeadSpec(branch_id="charge_cable", route_mm=1200, from_end=EndSpec(), to_end=EndSpec()),)


FULL = LeadSpec(
    branch_id="charge_cable", route_mm=1200, slack=0.05, cable_mm=11.5,
    reclaimed=Reclaimed(length_mm=2000, current_a=50, drop_mv=74, cable_c=15),
    from_end=EndSpec(stud="M10", metal="brass", palm="bent_90", tool="indent", school="crimp"),
    to_end=EndSpec(stud="M6", school="tube", tube_outer_mm=12, tube_wall_mm=1.5),
)  # fmt: skip


@pytest.mark.parametrize("spec", [FULL, FULL.model_copy(update={"from_end": EndSpec(die_mm=30)})])
def test_all_that_is_known_of_a_lead_goes_out_and_comes_back_also_of_one_that_cannot_be_made(spec: LeadSpec) -> None:
    (card,) = lead_cards(CAR, CAR, BuildBook(anew=("charge_cable",), leads=(spec,)))
    assert bool(card.problem) is (spec is not FULL)
    text = harness_to_yaml(Harness(leads=(_lead(card, spec),)))
    jsonschema.validate(yaml.safe_load(text), harness_schema(), jsonschema.Draft202012Validator)
    assert read(text).document.leads == (spec,)


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("- a\n- b\n", "no harness"),
        ("just words", "no harness"),
        ("format: mavrik-harness\nversion: 1\nleads: [", "Line"),
        ("a: &x [1]\nb: *x\n", "Line 2: An alias"),
        ("format: mavrik-harness\nformat: mavrik-harness\n", "Line 2: 'format' stands there twice"),
        ("1: 2\n", "the name of a field is a word"),
        ("a: " + "[" * 40 + "]" * 40, "nested too deep"),
        ("a: " + "[" * 5000 + "]" * 5000, "nested too deep"),
        ("a: !!python/object/apply:os.system ['true']\n", "Line 1"),
        ("a: 2026-99-99\n", "no YAML"),
        ("x" * (LARGEST + 1), "200 kB"),
        ("\x00", "YAML"),
        ("format: another\nversion: 1\nleads: []\n", "cannot|can be read"),
    ],
)
def test_what_is_no_harness_is_refused_with_line_and_reason(text: str, message: str) -> None:
    with pytest.raises(HarnessError, match=f"(?i){message}"):
        harness_from_yaml(text)


@pytest.mark.parametrize(
    ("lead", "element", "field"),
    [
        ("{id: charge_cable, route_mm: -4}", "charge_cable", "route_mm"),
        ("{id: charge_cable, colour: red}", "charge_cable", "colour"),
        ("{id: charge_cable, start: {school: glue}}", "charge_cable", "school"),
        ("{route_mm: 300}", "lead 1", "id"),
        ("17", "lead 1", "0"),
    ],
)
def test_what_is_wrong_is_told_at_its_lead_and_field(lead: str, element: str, field: str) -> None:
    with pytest.raises(HarnessError) as caught:
        harness_from_yaml(f"format: mavrik-harness\nversion: 1\nleads: [{lead}]\n")
    assert (element, field) in {(p.element, p.field) for p in caught.value.problems}


@pytest.mark.parametrize("leads", ["[{id: tow_bar}]", "[{id: charge_cable}, {id: charge_cable}]"])
def test_a_lead_that_is_not_there_or_there_twice_is_named_and_nothing_is_read(leads: str) -> None:
    with pytest.raises(HarnessError) as caught:
        read(f"format: mavrik-harness\nversion: 1\nleads: {leads}\n")
    assert caught.value.problems[0].field == "id"


def test_a_way_comes_with_the_file_or_is_the_jobs_and_a_string_beside_it_is_refused() -> None:
    head = "format: mavrik-harness\nversion: 1\n"
    way = "ways: [{id: sill, label: Sill, stretches: [{length_mm: 1200, where: cabin}, {length_mm: 300, ends_at: grommet}]}]\n"
    made = read(f"{head}{way}leads: [{{id: charge_cable, way: sill, to_tail_mm: 80}}]\n").document
    assert [w.length_mm for w in made.ways] == [1500] and made.leads[0].way == "sill"
    again = harness_from_yaml(
        harness_to_yaml(Harness(leads=(HarnessLead(id="charge_cable", way="sill", to_tail_mm=80),), ways=made.ways))
    )
    assert again.ways == made.ways
    for lead, field in (("way: floor", "way"), ("way: sill, route_mm: 900", "route_mm")):
        with pytest.raises(HarnessError) as caught:
            read(f"{head}{way}leads: [{{id: charge_cable, {lead}}}]\n")
        assert [(p.element, p.field) for p in caught.value.problems] == [("charge_cable", field)]


def test_a_stud_through_a_panel_goes_out_and_comes_back_and_has_to_be_a_point_of_the_plan() -> None:
    head = "format: mavrik-harness\nversion: 1\nleads: []\n"
    made = read(f"{head}bulkheads: [{{node_id: block, through: engine mount, far: [engine_strap]}}]\n").document
    assert [(b.node_id, b.through, b.far, b.there) for b in made.bulkheads] == [
        ("block", "engine mount", ("engine_strap",), False)
    ]
    assert harness_from_yaml(harness_to_yaml(Harness(leads=(), bulkheads=made.bulkheads))).bulkheads == made.bulkheads
    with pytest.raises(HarnessError) as caught:
        read(f"{head}bulkheads: [{{node_id: moon, through: roof}}]\n")
    assert [(p.element, p.field) for p in caught.value.problems] == [("moon", "node_id")]


@pytest.mark.parametrize("seed", range(60))
def test_a_broken_file_is_refused_or_read_and_never_falls_over(seed: int) -> None:
    chance = random.Random(seed)
    text = list(BY_HAND)
    for _ in range(chance.randint(1, 15)):
        text[chance.randrange(len(text))] = chance.choice("\n\t:{}[]&*!|>'\"%@`#-?,\x00é😀0")
    with suppress(HarnessError):
        read("".join(text))


def test_the_published_schema_is_of_this_program() -> None:
    published = Path(__file__).parents[2] / "docs" / "formats" / "mavrik-harness.v1.schema.json"
    assert yaml.safe_load(published.read_text()) == harness_schema()
