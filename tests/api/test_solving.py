"""Solving, protection and additions over the API: every layout, every bad document, at its place and without a traceback."""

from __future__ import annotations

from copy import deepcopy
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from mavrik.core.circuit import MAX_BRANCHES
from mavrik.core.circuit.additions import ADDITIONS, add_to
from mavrik.core.circuit.layouts import LAYOUTS, build_layout
from mavrik.core.circuit.rules import check_circuit
from mavrik.core.operating import State, solve_circuit
from tests.api.conftest import Caller
from tests.api.test_hard_use import JUNK, QUIET, places
from tests.build import simple_document, with_branch


def solve(caller: Caller, circuit: dict[str, Any], **state: Any):  # type: ignore[no-untyped-def]
    return caller.post("/api/solve", {"circuit": circuit, "state": state})


def cable(k: int, start: str, end: str, **changes: Any) -> dict[str, Any]:
    own = {
        "kind": "cable",
        "id": f"c{k}",
        "label": f"C{k}",
        "from_node": start,
        "to_node": end,
        "length_m": 1.0,
        "size": "35 mm2",
    }
    return {**own, **changes}


@pytest.mark.parametrize("addition", ADDITIONS, ids=lambda a: a.name)
@pytest.mark.parametrize("layout", LAYOUTS, ids=lambda x: x.name)
def test_every_addition_to_every_layout_works_at_once(layout: object, addition: object) -> None:
    circuit = layout.build(12)  # type: ignore[attr-defined]
    if addition.name == "alternator" and len(circuit.alternators) == 2:  # type: ignore[attr-defined]
        with pytest.raises(ValueError):
            add_to(circuit, addition.name)  # type: ignore[attr-defined]
        return
    grown = add_to(circuit, addition.name)  # type: ignore[attr-defined]
    assert check_circuit(grown) == []
    solve_circuit(grown, State())
    assert add_to(grown, "load_on_a_lead").loads[-1].id not in {e.id for e in grown.elements}


def test_a_circuit_grows_over_the_api_and_says_where_it_cannot(reader: Caller) -> None:
    front = build_layout("front_battery", 12).model_dump(mode="json")
    grown = reader.post("/api/grow", {"circuit": front, "what": "battery_link"}).json
    assert set(grown["added"]) >= {"battery_2", "link", "link_cable", "link_fuse", "far_fuse"}
    assert reader.post("/api/grow", {"circuit": front, "what": "flux"}).json["detail"].startswith("There is nothing to add")
    two = reader.post("/api/grow", {"circuit": front, "what": "alternator"}).json["circuit"]
    third = reader.post("/api/grow", {"circuit": two, "what": "alternator"})
    assert third.status_code == 422 and "full" in third.json["detail"]
    bare = simple_document(schema_version=2)
    assert "no place" in reader.post("/api/grow", {"circuit": bare, "what": "ground_chassis"}).json["detail"]


def test_solve_answers_for_a_fault_and_protection_for_every_fuse(reader: Caller) -> None:
    front = build_layout("front_battery", 12).model_dump(mode="json")
    answer = solve(reader, front, engine_rpm=0, fault={"from_node": "alt_stud", "to_node": "alt_case"}).json
    assert answer["course"]["cleared"] and "Charge fuse" in answer["course"]["headline"]
    assert answer["gains"]["plus"] == "bat_pos" and answer["point"]["supplies"]
    review = reader.post("/api/protection", {"circuit": front}).json
    assert [p["branch_id"] for p in review["protectors"]] == ["charge_fuse"]


BAD = [
    ("too many", lambda d: d["branches"].extend(cable(k, "stud", "fuse_in") for k in range(10_000)), "branches"),
    ("unknown kind", lambda d: d["branches"][0].update(kind="flux"), "kind"),
    ("schema", lambda d: d.update(schema_version=99), "schema_version"),
    ("negative length", lambda d: d["branches"][0].update(length_m=-1), "length_m"),
    ("endless length", lambda d: d["branches"][0].update(length_m=1e309), "length_m"),
    ("zero ohm", lambda d: d["branches"].append({**cable(1, "stud", "fuse_in"), "kind": "joint", "resistance_mohm": 0}), ""),
    ("no such node", lambda d: d["branches"][0].update(to_node="ghost"), "to_node"),
    ("one node", lambda d: d["branches"][0].update(to_node="stud"), "to_node"),
    ("same id", lambda d: d["branches"].append(deepcopy(d["branches"][0])), "id"),
]  # fmt: skip


GAPS = [
    ("floating island", lambda d: (d["nodes"].extend({"id": f"n{k}", "role": "stud", "label": f"N{k}"} for k in range(2)), d["branches"].extend([cable(1, "n0", "n1"), cable(2, "n0", "n1")])), "no connection"),
    ("dead end", lambda d: (d["nodes"].append({"id": "n0", "role": "stud", "label": "N0"}), d["branches"].append(cable(1, "stud", "n0"))), "leads nowhere"),
    ("dead short", lambda d: d["branches"].append(cable(1, "stud", "case")), "dead short"),
    ("open loop", lambda d: d["branches"].pop(), "No way back"),
]  # fmt: skip


@pytest.mark.parametrize(("open_it", "words"), [(o, w) for _, o, w in GAPS], ids=[n for n, _, _ in GAPS])
def test_a_circuit_that_cannot_charge_is_kept_drawn_and_solved_and_what_it_cannot_do_is_said(
    tech: Caller, job: dict[str, Any], open_it: Any, words: str
) -> None:
    document = simple_document(schema_version=2)
    open_it(document)
    assert solve(tech, document).status_code == 200
    assert tech.post("/api/protection", {"circuit": document}).status_code == 200
    draft = tech.post(f"/api/jobs/{job['id']}/findings/draft", {"circuit": document}).json
    assert draft and words in draft["findings"]["headline"]["text"] and draft["findings"]["headline"]["verdict"] == "fail"
    drawn = {b["branch_id"] for b in draft["pictures"]["loop"]["branches"]}
    assert drawn == {b["id"] for b in document["branches"]}
    saved = tech.put(f"/api/jobs/{job['id']}/circuit", {"document": document, "lock": job["circuits"][-1]["lock"]})
    assert saved.status_code == 200, saved.text
    for path in ("findings", "bench", "sheet", "bundle"):
        assert tech.get(f"/api/jobs/{job['id']}/{path}").status_code == 200, path


@pytest.mark.parametrize(("break_it", "field"), [(b, f) for _, b, f in BAD], ids=[n for n, _, _ in BAD])
@pytest.mark.parametrize("path", ["/api/solve", "/api/protection", "/api/jobs/{}/findings/draft"])
def test_a_bad_circuit_is_refused_at_its_place(reader: Caller, job: dict[str, Any], path: str, break_it: Any, field: str) -> None:
    document = simple_document(schema_version=2)
    break_it(document)
    answer = reader.post(path.format(job["id"]), {"circuit": document})
    assert answer.status_code in (413, 422), answer.text
    problem = answer.json
    assert problem["detail"] and "Traceback" not in answer.text
    if field and answer.status_code == 422:
        assert any(field in p["field"] or field in p["element"] or field in p["message"] for p in problem["problems"]), problem


def test_two_ideal_sources_that_fight_find_their_rest(reader: Caller) -> None:
    """Two chargers of different voltage on one pair of posts: the higher carries everything; nothing is divided by zero."""
    document = simple_document(schema_version=2)
    both = {"positive_node": "plus", "negative_node": "minus", "limit_a": 50}
    document["chargers"] = [
        {"id": "one", "label": "One", "set_point_v": 14.0, **both},
        {"id": "two", "label": "Two", "set_point_v": 14.4, **both},
    ]
    point = solve(reader, document, engine_rpm=0).json["point"]
    does = {d["device_id"]: d for d in point["devices"]}
    assert does["one"]["does"] == "off" and does["two"]["current_a"] > 0
    assert point["given_w"] == pytest.approx(point["taken_w"] + point["lost_w"], abs=0.01)


def test_as_many_branches_as_are_allowed_are_solved(reader: Caller) -> None:
    document = simple_document(schema_version=2)
    document["branches"] += [cable(k, "stud", "fuse_in") for k in range(MAX_BRANCHES - len(document["branches"]))]
    assert solve(reader, document).status_code == 200


@given(data=st.data())
@QUIET
def test_a_solve_request_with_one_value_replaced_is_answered_or_refused(reader: Caller, data: st.DataObject) -> None:
    layout = data.draw(st.sampled_from(["second_battery_converter", "boat_isolator", "second_battery_link", "motorcycle"]))
    state = {
        "engine_rpm": 900,
        "contacts": {},
        "fault": {"from_node": "alt_stud", "to_node": "alt_case"},
        "watch_node": "bat_pos",
    }
    body = {"circuit": build_layout(layout, 12).model_dump(mode="json"), "state": state}
    holder, key = data.draw(st.sampled_from(places(body)))
    holder[key] = data.draw(JUNK)
    answer = reader.post("/api/solve", body)
    assert answer.status_code in (200, 422), answer.text
    if answer.status_code == 200:
        point = answer.json["point"]
        assert point["given_w"] == pytest.approx(point["taken_w"] + point["lost_w"], abs=0.05, rel=1e-4)
    else:
        assert answer.json["detail"]


def test_two_parts_of_one_name_are_refused_wherever_a_circuit_is_asked_for(reader: Caller) -> None:
    document = build_layout("boat_selector", 12).model_dump(mode="json")
    contact = next(b for b in document["branches"] if b["kind"] == "switch")
    document["branches"].append({**contact, "rating_a": 200.0})
    document["alternators"][0]["stud_node"] = document["alternators"][0]["case_node"]
    for path, body in (("/api/protection", {}), ("/api/solve", {"state": {}})):
        answer: Any = reader.post(path, {"circuit": document, **body})
        assert answer.status_code == 422 and any(p["element"] == contact["id"] for p in answer.json["problems"]), answer.text


@pytest.mark.parametrize("layout", ["second_battery_converter", "boat_isolator", "second_battery_link", "motorcycle"])
def test_a_battery_of_next_to_no_resistance_gives_what_is_taken(reader: Caller, layout: str) -> None:
    document = build_layout(layout, 12).model_dump(mode="json")
    # Less than a microohm is no battery's, and is refused at its field.
    document["batteries"][0]["internal_mohm"] = 6.05e-202
    refused: Any = reader.post("/api/solve", {"circuit": document, "state": {"engine_rpm": 900}})
    assert refused.status_code == 422 and refused.json["problems"][0]["field"] == "internal_mohm"
    document["batteries"][0]["internal_mohm"] = 1e-3
    state = {"engine_rpm": 900, "fault": {"from_node": "alt_stud", "to_node": "alt_case"}}
    point: Any = reader.post("/api/solve", {"circuit": document, "state": state}).json["point"]  # type: ignore[index]
    assert point["given_w"] == pytest.approx(point["taken_w"] + point["lost_w"], abs=0.05, rel=1e-4)


@pytest.mark.parametrize(("field", "value"), [("watch_node", "ghost"), ("loads_on", {"ghost": True}), ("lasts_s", -1)])
def test_a_state_that_names_nothing_is_refused(reader: Caller, field: str, value: Any) -> None:
    answer = solve(reader, with_branch(simple_document(schema_version=2), "feed"), **{field: value})
    assert answer.status_code == 422 and field in answer.text


def test_a_drawn_circuit_is_edited_by_the_server_and_nothing_is_saved(reader: Caller) -> None:
    document = simple_document()
    grown = reader.post("/api/edit", {"circuit": document, "branch_id": "feed", "edit": "insert", "to": "fuse"}).json
    assert grown and grown["added"] == ["fuse_2"] and len(grown["circuit"]["branches"]) == 4
    answer = reader.post("/api/edit", {"circuit": grown["circuit"], "branch_id": "fuse_2", "edit": "remove"}).json
    assert answer and len(answer["circuit"]["branches"]) == 3
    small = reader.post("/api/edit", {"circuit": document, "branch_id": "fuse", "edit": "family", "to": "blade_f"}).json
    assert small and small["circuit"]["branches"][1]["family"] == "blade_f"
    for edit, branch_id, to in (
        ("insert", "feed", "rope"),
        ("remove", "nowhere", ""),
        ("family", "feed", "blade_f"),
        ("family", "fuse", "x"),
    ):
        refused = reader.post("/api/edit", {"circuit": document, "branch_id": branch_id, "edit": edit, "to": to})
        assert refused.status_code == 422 and refused.json["problems"][0]["element"] == branch_id  # type: ignore[index]
