"""The drive of a job's alternator over the API: asked, kept, carried, refused at its field."""

from __future__ import annotations

import json
from typing import Any

import pytest

from tests.api.conftest import Caller, job_body

ASKED = {"alternator_id": "alt", "idle_rpm": 800, "crank_mm": 150, "now_mm": 60, "new_mm": 50, "limit_rpm": 18_000}


def answered(response: Any, status: int = 200) -> Any:
    assert response.status_code == status, response.text
    return response.json


@pytest.fixture
def path(job: dict[str, Any]) -> str:
    return f"/api/jobs/{job['id']}/drive"


def test_one_begins_with_the_circuit_s_ratio_and_goes_on_with_what_was_kept(tech: Caller, reader: Caller, path: str) -> None:
    first = answered(tech.get(path))
    assert first["revision"] == 0 and first["document"]["alternator_id"] == "alt" and first["view"]["ratio_from"] == "circuit"
    seen = answered(reader.post(f"{path}/preview", ASKED))
    assert seen["speeds"][0]["after"]["shaft_rpm"] == 2400 and answered(reader.get(path)) == first
    assert answered(tech.post(path, ASKED), 201)["view"] == seen
    again = answered(reader.get(path))
    assert again["revision"] == 1 and again["document"]["new_mm"] == 50 and again["view"] == seen
    # The same once more is no new revision; something else is.
    assert answered(tech.post(path, ASKED), 201)["revision"] == 1
    assert answered(tech.post(path, {**ASKED, "new_mm": 52}), 201)["revision"] == 2


def test_it_is_kept_who_did_it_and_who_may(tech: Caller, reader: Caller, job: dict[str, Any], path: str) -> None:
    assert reader.post(path, ASKED).status_code == 403
    tech.post(path, ASKED)
    record = answered(tech.get(f"/api/jobs/{job['id']}"))
    assert any(c["thing"] == "drive 1" for c in record["changes"])
    assert [(d["kind"], d["revision"], d["document"]["new_mm"]) for d in record["documents"]] == [("drive", 1, 50)]


@pytest.mark.parametrize(
    ("change", "field"),
    [({"redline_rpm": 900}, "redline_rpm"), ({"now_mm": None}, "now_mm"), ({"centres_mm": 50}, "centres_mm"), ({"alternator_id": "ghost"}, "alternator_id")],
)  # fmt: skip
def test_what_contradicts_itself_is_refused_at_its_field_and_not_kept(
    tech: Caller, path: str, change: dict[str, Any], field: str
) -> None:
    for to in (path, f"{path}/preview"):
        refused = answered(tech.post(to, {**ASKED, **change}), 422)
        assert [p["field"] for p in refused["problems"]] == [field]
    assert answered(tech.get(path))["revision"] == 0


def test_a_job_that_is_done_keeps_its_drive(tech: Caller, job: dict[str, Any], path: str) -> None:
    tech.post(path, ASKED)
    lock = answered(tech.get(f"/api/jobs/{job['id']}"))["lock"]
    answered(tech.put(f"/api/jobs/{job['id']}", {**job_body(state="done"), "lock": lock}))
    assert tech.post(path, {**ASKED, "new_mm": 45}).status_code == 409
    assert answered(tech.get(path))["document"]["new_mm"] == 50


def test_a_bundle_carries_it_out_and_in(tech: Caller, job: dict[str, Any], path: str) -> None:
    tech.post(path, ASKED)
    tech.post(f"/api/jobs/{job['id']}/plan", {"target_current_a": 150})
    data = tech.get(f"/api/jobs/{job['id']}/bundle").data
    assert [d["kind"] for d in json.loads(data)["documents"]] == ["drive", "plan"]
    made = answered(tech.post("/api/jobs/import", raw=data), 201)
    other = answered(tech.get(f"/api/jobs/{made['id']}/drive"))
    assert other["document"] == answered(tech.get(path))["document"] and len(made["documents"]) == 2
    # One that says it is a plan is none.
    broken = json.loads(data)
    broken["documents"][0]["kind"] = "plan"
    refused = answered(tech.post("/api/jobs/import", raw=json.dumps(broken).encode()), 422)
    assert "no document of kind 'plan'" in json.dumps(refused)


def test_the_sheet_says_it(tech: Caller, job: dict[str, Any], path: str) -> None:
    assert "Pulley" not in tech.get(f"/api/jobs/{job['id']}/sheet").text
    tech.post(path, {**ASKED, "redline_rpm": 6500})
    sheet = tech.get(f"/api/jobs/{job['id']}/sheet").text
    assert "Pulley: 50.0 mm in place of 60.0 mm" in sheet and "19500 too fast" in sheet and "Overspeed: 19500 /min" in sheet


def test_a_drive_from_a_file_that_does_not_add_up_is_shown_to_be_mended_and_does_not_stop_the_sheet(
    tech: Caller, job: dict[str, Any]
) -> None:
    data = json.loads(tech.get(f"/api/jobs/{job['id']}/bundle").data)
    data["documents"].append({"kind": "drive", "document": {**ASKED, "idle_rpm": 900, "cruise_rpm": 800}})
    made = answered(tech.post("/api/jobs/import", raw=json.dumps(data).encode()), 201)
    kept = answered(tech.get(f"/api/jobs/{made['id']}/drive"))
    assert kept["view"] is None and kept["document"]["cruise_rpm"] == 800
    assert "Pulley" not in tech.get(f"/api/jobs/{made['id']}/sheet").text
