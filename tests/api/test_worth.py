"""What buys what, over the API: compared, looked at, accepted, carried, printed; units and prices kept by a lead."""

from __future__ import annotations

import json
from typing import Any

import pytest

from tests.api.conftest import Caller, do_tasks, job_body

LAMPS = {"label": "Lamps", "current_a": 60}
IDLE = {"label": "Idle", "engine_rpm": 800, "hours_a_day": 2, "on": ["Lamps"]}
USE = {"consumers": [LAMPS], "scenes": [IDLE], "starts_a_day": 3, "crank_a": 200}
DRIVE = {"alternator_id": "alt", "crank_mm": 150, "now_mm": 60, "redline_rpm": 5200, "limit_rpm": 16_000}
TARGET = {"target_current_a": 90}
ASKED = {"worth": {"idle_surplus_a": 10, "day_holds": False}, "target": TARGET}


def answered(response: Any, status: int = 200) -> Any:
    assert response.status_code == status, response.text
    return response.json


@pytest.fixture
def path(tech: Caller, job: dict[str, Any]) -> str:
    at = f"/api/jobs/{job['id']}"
    answered(tech.post(f"{at}/use", USE), 201)
    answered(tech.post(f"{at}/drive", DRIVE), 201)
    return at


@pytest.fixture
def compared(tech: Caller, path: str) -> Any:
    task = answered(tech.post(f"{path}/worth", ASKED), 202)
    assert task["kind"] == "compare"
    do_tasks(tech)
    done = next(t for t in answered(tech.get("/api/tasks"))["tasks"] if t["id"] == task["id"])
    assert done["state"] == "done", done
    return answered(tech.get(f"{path}/worth"))


def test_nothing_was_compared_at_first(tech: Caller, path: str) -> None:
    assert answered(tech.get(f"{path}/worth")) == {"revision": 0, "document": None}
    assert tech.get(f"{path}/worth/plan_1").status_code == 404


def test_it_is_compared_and_kept_with_a_week_of_each(tech: Caller, path: str, compared: Any) -> None:
    document = compared["document"]
    view = document["view"]
    assert compared["revision"] == 1 and view["as_found"]["idle_surplus_a"] < 0 and view["pick"]
    weeks = {w["plan"]: w["charge"] for w in document["weeks"]}
    assert {"", view["pick"]} <= weeks.keys()
    assert all(len(c) == len(document["time_h"]) for c in weeks.values()) and document["time_h"][-1] == pytest.approx(168, abs=2)
    assert weeks[view["pick"]][-1] > weeks[""][-1]
    changes = answered(tech.get(path))["changes"]
    assert next(c for c in changes if c["thing"] == "worth 1")["what"].startswith("kept what buys what: ")


def test_a_plan_is_looked_at_and_accepted(tech: Caller, reader: Caller, path: str, compared: Any) -> None:
    pick = next(p for p in compared["document"]["view"]["plans"] if p["id"] == compared["document"]["view"]["pick"])
    seen = answered(reader.get(f"{path}/worth/{pick['id']}"))
    assert seen["accepted"]["labels"] == pick["labels"]
    assert reader.post(f"{path}/worth/{pick['id']}/accept", {}).status_code == 403
    circuit = answered(tech.post(f"{path}/worth/{pick['id']}/accept", {}), 201)
    assert circuit["role"] == "proposal" and circuit["document"] == seen["proposal"]["circuit"]
    job = answered(tech.get(path))
    plan = next(d for d in job["documents"] if d["kind"] == "plan")["document"]
    assert plan["accepted"]["change_ids"] == pick["change_ids"] and plan["accepted"]["cost"] == pick["cost"]
    assert plan["accepted"]["after"] == pick["figures"]
    units = {f"unit:{u['name']}": u for u in answered(tech.get("/api/units"))["document"]["units"]}
    unit = next(units[i] for i in pick["change_ids"] if i in units)
    pulley = next((float(i.removeprefix("pulley:")) for i in pick["change_ids"] if i.startswith("pulley:")), unit["pulley_mm"])
    assert answered(tech.get(f"{path}/drive"))["document"]["limit_rpm"] == unit["limit_rpm"]
    assert answered(tech.get(f"{path}/drive"))["document"]["new_mm"] == pulley
    # One question, one answer: what keeps up, what was compared and what the cables pane shows agree.
    use = answered(tech.get(f"{path}/use"))["answer"]
    assert use["planned_by"] == ", ".join(pick["labels"])
    assert use["planned"]["idle_surplus_a"] == pytest.approx(pick["figures"]["idle_surplus_a"])
    again = answered(tech.post(f"{path}/plan/preview", plan["target"]))
    assert again["proposal"]["circuit"] == circuit["document"] and again["accepted"] == plan["accepted"]
    drive = answered(tech.get(f"{path}/drive"))["view"]
    idle = next(s for s in drive["speeds"] if s["name"] == "idle")
    assert idle["after"]["hot_a"] == pytest.approx(use["planned"]["scenes"][0]["hot"]["can_a"])


@pytest.mark.long
def test_it_travels_and_is_printed(tech: Caller, path: str, compared: Any) -> None:
    pick = compared["document"]["view"]["pick"]
    labels = next(p for p in compared["document"]["view"]["plans"] if p["id"] == pick)["labels"]
    answered(tech.post(f"{path}/worth/{pick}/accept", {}), 201)
    sheet = tech.get(f"{path}/sheet").text
    assert "What is to be done" in sheet and all(label in sheet for label in labels)
    bundle = json.loads(tech.get(f"{path}/bundle").text)
    assert {d["kind"] for d in bundle["documents"]} >= {"plan", "worth", "use", "drive"}
    answer = answered(tech.post("/api/jobs/import", bundle), 201)
    assert answered(tech.get(f"/api/jobs/{answer['id']}/worth"))["document"] == compared["document"]


@pytest.mark.long
def test_a_plan_that_has_changed_since_is_not_accepted(tech: Caller, path: str, compared: Any) -> None:
    answered(tech.post(f"{path}/use", {**USE, "consumers": [{**LAMPS, "current_a": 75}]}), 201)
    refused = answered(tech.post(f"{path}/worth/plan_1/accept", {}), 422)
    assert "Compare again" in refused["detail"] and [p["field"] for p in refused["problems"]] == ["plan"]
    job = answered(tech.get(path))
    assert not [d for d in job["documents"] if d["kind"] == "plan"]
    assert answered(tech.get(f"{path}/drive"))["document"]["new_mm"] is None


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"left_out": ["unit:None such"]}, "left_out"), ({"conceded": ["without:Nothing"]}, "conceded"),
        ({"own_costs": {"lead:ghost": 3}}, "own_costs"),
    ],
)  # fmt: skip
def test_a_change_that_there_is_none_of_is_refused(tech: Caller, path: str, change: dict[str, Any], field: str) -> None:
    refused = answered(tech.post(f"{path}/worth", {**ASKED, "worth": {**ASKED["worth"], **change}}), 422)
    assert [p["field"] for p in refused["problems"]] == [field]


def test_a_job_without_circuit_and_one_that_is_done_have_nothing_to_compare(tech: Caller, path: str) -> None:
    bare = answered(tech.post("/api/jobs", job_body()), 201)
    assert tech.post(f"/api/jobs/{bare['id']}/worth", ASKED).status_code == 404
    job = answered(tech.get(path))
    answered(tech.put(path, {**job_body(state="done"), "lock": job["lock"]}))
    assert tech.post(f"{path}/worth", ASKED).status_code == 409


# Units and prices


@pytest.mark.long
def test_units_are_kept_by_a_lead_and_count_from_then_on(tech: Caller, boss: Caller, path: str) -> None:
    first = answered(tech.get("/api/units"))
    assert first["revision"] == 0 and len(first["document"]["units"]) > 5
    mine = {"name": "Shed 200", "rated_a": 200, "limit_rpm": 15000, "pulley_mm": 55, "price": 210}
    body = {"document": {"units": [mine]}, "revision": 0}
    assert tech.put("/api/units", body).status_code == 403
    kept = answered(boss.put("/api/units", body))
    assert kept["revision"] == 1 and kept["document"]["units"][0]["name"] == "Shed 200"
    late = answered(boss.put("/api/units", {"document": {"units": []}, "revision": 0}), 409)
    assert late["theirs"]["document"]["units"][0]["name"] == "Shed 200"
    answered(tech.post(f"{path}/worth", ASKED), 202)
    do_tasks(tech)
    singles = answered(tech.get(f"{path}/worth"))["document"]["view"]["singles"]
    assert [w["id"] for w in singles if w["kind"] == "unit"] == ["unit:Shed 200"]


def test_units_go_out_and_come_in_as_csv(tech: Caller, boss: Caller) -> None:
    listed = answered(tech.get("/api/units"))["document"]
    csv = tech.get("/api/units.csv")
    assert csv.headers["Content-Type"].startswith("text/csv")
    assert answered(tech.post("/api/units/read", {"text": csv.text})) == listed
    refused = answered(tech.post("/api/units/read", {"text": "name,rated_a\nX,100"}), 422)
    assert "limit_rpm" in refused["detail"]


def test_prices_are_kept_by_a_lead(tech: Caller, boss: Caller) -> None:
    first = answered(tech.get("/api/prices"))
    dearer = {**first["document"], "labour_per_h": 95.0, "currency": "Kr"}
    assert tech.put("/api/prices", {"document": dearer, "revision": first["revision"]}).status_code == 403
    now = answered(boss.put("/api/prices", {"document": dearer, "revision": first["revision"]}))["revision"]
    assert now == first["revision"] + 1
    assert answered(tech.get("/api/prices"))["document"] == dearer
    refused = answered(boss.put("/api/prices", {"document": {**dearer, "lug": -1}, "revision": now}), 422)
    assert any("lug" in p["field"] for p in refused["problems"])
