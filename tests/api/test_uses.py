"""How a job's vehicle is used, over the API: asked, kept, carried, printed, refused at its field."""

from __future__ import annotations

import json
from typing import Any

import pytest

from tests.api.conftest import Caller, do_tasks, job_body

LAMPS = {"label": "Lamps", "current_a": 60}
IDLE = {"label": "Idle", "engine_rpm": 800, "hours_a_day": 2, "on": ["Lamps"]}
ASKED = {"consumers": [LAMPS], "scenes": [IDLE], "starts_a_day": 3, "crank_a": 200}


def answered(response: Any, status: int = 200) -> Any:
    assert response.status_code == status, response.text
    return response.json


@pytest.fixture
def path(job: dict[str, Any]) -> str:
    return f"/api/jobs/{job['id']}/use"


def test_one_begins_with_what_is_there_and_goes_on_with_what_was_kept(tech: Caller, reader: Caller, path: str) -> None:
    first = answered(tech.get(path))
    assert first["revision"] == 0 and [s["label"] for s in first["document"]["scenes"]][-1] == "Parked"
    assert first["answer"]["planned"] is None
    seen = answered(reader.post(f"{path}/preview", ASKED))
    assert seen["now"]["idle"] == "Idle" and seen["now"]["scenes"][0]["hot"]["used_a"] == pytest.approx(60, abs=0.1)
    assert answered(reader.get(path)) == first
    assert answered(tech.post(path, ASKED), 201)["answer"] == seen
    again = answered(reader.get(path))
    assert again["revision"] == 1 and again["document"]["consumers"][0]["label"] == "Lamps" and again["answer"] == seen
    # The same once more is no new revision; something else is.
    assert answered(tech.post(path, ASKED), 201)["revision"] == 1
    assert answered(tech.post(path, {**ASKED, "starts_a_day": 30}), 201)["revision"] == 2


def test_it_is_kept_who_did_it_and_who_may(tech: Caller, reader: Caller, job: dict[str, Any], path: str) -> None:
    assert reader.post(path, ASKED).status_code == 403
    tech.post(path, ASKED)
    record = answered(tech.get(f"/api/jobs/{job['id']}"))
    change = next(c for c in record["changes"] if c["thing"] == "use 1")
    assert change["what"].startswith("kept how it is used: ")
    assert [(d["kind"], d["revision"]) for d in record["documents"]] == [("use", 1)]


@pytest.mark.parametrize(
    ("change", "field"),
    [({"driving": "Ghost"}, "driving"), ({"scenes": [{**IDLE, "hours_a_day": 20}, {**IDLE, "label": "B", "hours_a_day": 9}]}, "scenes")],
)  # fmt: skip
def test_what_contradicts_itself_is_refused_at_its_field_and_not_kept(
    tech: Caller, path: str, change: dict[str, Any], field: str
) -> None:
    for to in (path, f"{path}/preview"):
        refused = answered(tech.post(to, {**ASKED, **change}), 422)
        assert [p["field"] for p in refused["problems"]] == [field]
    assert answered(tech.get(path))["revision"] == 0


def test_what_is_planned_stands_beside_it(tech: Caller, job: dict[str, Any], path: str) -> None:
    tech.post(f"/api/jobs/{job['id']}/drive", {"alternator_id": "alt", "crank_mm": 150, "now_mm": 60, "new_mm": 50})
    tech.post(f"/api/jobs/{job['id']}/plan", {"target_current_a": 150})
    seen = answered(tech.post(f"{path}/preview", ASKED))
    assert seen["planned_by"] == "a unit of 150 A and a pulley of 50 mm"
    assert seen["planned"]["idle_surplus_a"] > seen["now"]["idle_surplus_a"] + 20


def test_a_measured_drain_is_what_never_sleeps(tech: Caller, job: dict[str, Any], path: str) -> None:
    reading = {"point": "drain_a:bat", "value": 0.31}
    run = {"circuit_id": job["circuits"][0]["id"], "run": {"procedure": "drain", "readings": [reading]}}
    made = tech.post(f"/api/jobs/{job['id']}/runs", run)
    assert made.status_code == 201, made.text
    assert answered(tech.get(path))["document"]["asleep_a"] == pytest.approx(0.31)


def test_a_job_that_is_done_keeps_its_use(tech: Caller, job: dict[str, Any], path: str) -> None:
    tech.post(path, ASKED)
    lock = answered(tech.get(f"/api/jobs/{job['id']}"))["lock"]
    answered(tech.put(f"/api/jobs/{job['id']}", {**job_body(state="done"), "lock": lock}))
    assert tech.post(path, {**ASKED, "starts_a_day": 9}).status_code == 409


def test_a_bundle_carries_it_and_the_sheet_says_it(tech: Caller, job: dict[str, Any], path: str) -> None:
    assert "Does it keep up" not in tech.get(f"/api/jobs/{job['id']}/sheet").text
    tech.post(path, ASKED)
    data = tech.get(f"/api/jobs/{job['id']}/bundle").data
    assert [d["kind"] for d in json.loads(data)["documents"]] == ["use"]
    made = answered(tech.post("/api/jobs/import", raw=data), 201)
    assert answered(tech.get(f"/api/jobs/{made['id']}/use"))["document"] == answered(tech.get(path))["document"]
    sheet = tech.get(f"/api/jobs/{made['id']}/sheet").text
    assert "Does it keep up?" in sheet and "Ah come back" in sheet


def test_a_use_from_a_file_that_does_not_add_up_is_shown_to_be_mended_and_does_not_stop_the_sheet(
    tech: Caller, job: dict[str, Any]
) -> None:
    data = json.loads(tech.get(f"/api/jobs/{job['id']}/bundle").data)
    data["documents"].append({"kind": "use", "document": {**ASKED, "driving": "Ghost"}})
    made = answered(tech.post("/api/jobs/import", raw=json.dumps(data).encode()), 201)
    kept = answered(tech.get(f"/api/jobs/{made['id']}/use"))
    assert kept["answer"] is None and kept["document"]["driving"] == "Ghost"
    assert "Does it keep up" not in tech.get(f"/api/jobs/{made['id']}/sheet").text


def test_an_engine_computers_csv_is_read_or_refused_with_its_line(reader: Caller) -> None:
    assert answered(reader.post("/api/use/speeds", {"text": "rpm;h\n700;100\n1500;20,5"}))["speeds"][1]["hours"] == 20.5
    refused = answered(reader.post("/api/use/speeds", {"text": "700;100\n900;many"}), 422)
    assert refused["problems"][0]["field"] == "speeds" and "Line 2" in refused["problems"][0]["message"]


def test_a_high_set_point_is_kept_only_where_somebody_wants_it(tech: Caller, job: dict[str, Any]) -> None:
    """Above 15.0 V on 12 V: shown with what it does, refused at its field, kept when acknowledged."""
    body = {"target_current_a": 120, "set_point_v": 15.8}
    seen = answered(tech.post(f"/api/jobs/{job['id']}/plan/preview", body))
    assert seen["set_point"]["high"] and seen["proposal"]["circuit"]["alternators"][0]["set_point_v"] == 15.8
    refused = answered(tech.post(f"/api/jobs/{job['id']}/plan", body), 422)
    assert [p["field"] for p in refused["problems"]] == ["high_acknowledged"]
    assert answered(tech.get(f"/api/jobs/{job['id']}"))["documents"] == []
    assert answered(tech.post(f"/api/jobs/{job['id']}/plan", {**body, "high_acknowledged": True}), 201)["role"] == "proposal"
    ordinary = answered(tech.post(f"/api/jobs/{job['id']}/plan", {**body, "set_point_v": 14.2}), 201)
    assert ordinary["document"]["alternators"][0]["set_point_v"] == 14.2


def test_days_go_by_as_long_work_and_are_kept(tech: Caller, reader: Caller, job: dict[str, Any], path: str) -> None:
    weeks = f"/api/jobs/{job['id']}/simulation"
    assert answered(reader.get(weeks)) == {"revision": 0, "document": None}
    refused = answered(tech.post(weeks, {"days": 2}), 422)
    assert "Keep how the vehicle is used first" in refused["detail"]
    tech.post(path, {**ASKED, "asleep_a": 1.5})
    tech.post(f"/api/jobs/{job['id']}/plan", {"target_current_a": 150})
    assert reader.post(weeks, {"days": 2}).status_code == 403
    assert [p["field"] for p in answered(tech.post(weeks, {"days": 60, "runs": 500}), 422)["problems"]] == ["runs"]
    task = answered(tech.post(weeks, {"days": 2, "runs": 3, "seed": 5}), 202)
    assert task["kind"] == "simulate" and task["state"] == "waiting"
    do_tasks(tech)
    done = answered(tech.get(f"/api/tasks/{task['id']}"))
    assert (done["state"], done["progress"]) == ("done", 1.0), done
    kept = answered(reader.get(weeks))
    made = kept["document"]
    assert kept["revision"] == 1 and made["planned_by"] == "a unit of 150 A" and made["request"]["seed"] == 5
    # 1.5 A for two days are more than a battery at 80 % has to give before it is half empty.
    assert made["now"]["no_start_after_d"] is not None and made["now"]["no_start_share"] > 0
    # The same again is the same, and no new revision.
    tech.post(weeks, {"days": 2, "runs": 3, "seed": 5})
    do_tasks(tech)
    assert answered(reader.get(weeks)) == kept
    data = tech.get(f"/api/jobs/{job['id']}/bundle").data
    other = answered(tech.post("/api/jobs/import", raw=data), 201)
    assert answered(reader.get(f"/api/jobs/{other['id']}/simulation"))["document"] == made


def test_days_that_are_cancelled_leave_nothing(tech: Caller, job: dict[str, Any], path: str) -> None:
    tech.post(path, ASKED)
    task = answered(tech.post(f"/api/jobs/{job['id']}/simulation", {"days": 1}), 202)
    answered(tech.post(f"/api/tasks/{task['id']}/cancel"))
    do_tasks(tech)
    assert answered(tech.get(f"/api/tasks/{task['id']}"))["state"] == "cancelled"
    assert answered(tech.get(f"/api/jobs/{job['id']}/simulation"))["revision"] == 0


def test_the_second_of_two_who_keep_at_once_is_told(tech: Caller, boss: Caller, path: str) -> None:
    answered(tech.post(f"{path}?revision=0", ASKED), 201)
    late = answered(boss.post(f"{path}?revision=0", {**ASKED, "starts_a_day": 9}), 409)
    assert late["theirs"]["revision"] == 1 and late["theirs"]["document"]["starts_a_day"] == 3
    # The same as theirs is no conflict; theirs followed, mine is kept.
    assert answered(boss.post(f"{path}?revision=0", ASKED), 201)["revision"] == 1
    assert answered(boss.post(f"{path}?revision=1", {**ASKED, "starts_a_day": 9}), 201)["revision"] == 2
