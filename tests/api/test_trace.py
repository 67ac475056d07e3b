"""The log: everything that changes stands in it with before and after, found by its words and written out."""

from __future__ import annotations

import csv
import io
import uuid
from typing import Any
from urllib.parse import urlencode

import pytest

from tests.api.conftest import PASSWORD, Caller, job_body


def log(caller: Caller, **query: Any) -> list[dict[str, Any]]:
    rows: list[dict[str, Any]] = []
    after = ""
    while True:
        answer = caller.get(f"/api/changes?{urlencode({**query, 'after': after})}")
        assert answer.status_code == 200, answer.text
        rows += answer.json["changes"]  # type: ignore[index]
        after = answer.json["next"]  # type: ignore[index]
        if not after:
            return rows


def test_accounts_and_instruments_stand_in_it_with_before_and_after(boss: Caller) -> None:
    login = f"log{uuid.uuid4().hex[:6]}"
    made = boss.post("/api/people", {"login": login, "name": "Logged", "role": "technician", "password": PASSWORD}).json
    assert made is not None
    changed = {"name": "Logged", "role": "read_only", "active": True, "lock": 1}
    assert boss.put(f"/api/people/{made['id']}", changed).status_code == 200
    (of_role, of_making) = log(boss, search=login)
    assert (of_role["before"], of_role["after"]) == ({"role": "technician"}, {"role": "read_only"})
    assert of_making["kind"] == "made" and of_role["person"] == "Boss"
    meter = {
        "id": f"m{uuid.uuid4().hex[:6]}",
        "label": "Logged",
        "kind": "clamp",
        "percent_of_reading": 1,
        "digits": 1,
        "resolution": 0.1,
    }
    assert boss.post("/api/instruments", meter).status_code == 201
    assert boss.put(f"/api/instruments/{meter['id']}", {"instrument": {**meter, "digits": 4}, "lock": 1}).status_code == 200
    assert boss.put(f"/api/instruments/{meter['id']}/address", {"address": "127.0.0.1:5025"}).status_code == 200
    where, what, begun = log(boss, search=meter["id"])
    assert (where["before"], where["after"]) == ({"address": None}, {"address": "127.0.0.1:5025"})
    assert (what["before"], what["after"]) == ({"digits": 1}, {"digits": 4})
    assert begun["after"]["label"] == "Logged"


def test_it_is_found_by_job_person_kind_time_and_words_and_pages_hold_each_once(tech: Caller, boss: Caller) -> None:
    mark = uuid.uuid4().hex[:8]
    job = tech.post("/api/jobs", job_body(complaint=f"first {mark}")).json
    assert job is not None
    for k in range(5):
        body = {**job_body(complaint=f"{k} {mark}"), "lock": job["lock"]}
        job = tech.put(f"/api/jobs/{job['id']}", body).json
        assert job is not None
    rows = log(boss, job=job["number"], limit=2)
    assert [r["kind"] for r in rows] == ["changed"] * 5 + ["made"]
    assert [r["id"] for r in rows] == sorted({r["id"] for r in rows}, reverse=True)
    assert rows[0]["before"] == {"complaint": f"3 {mark}"} and rows[0]["job"] == job["number"]
    assert log(boss, search=f"{mark} complaint", kind="changed") == rows[:5]
    assert log(boss, job=job["number"], since=rows[2]["at"]) == rows[:3]
    assert log(boss, job=job["number"], until=rows[2]["at"]) == rows[2:]
    person = next(p["id"] for p in boss.get("/api/people/names").json["people"] if p["name"] == "Boss")  # type: ignore[index]
    assert not log(boss, job=job["number"], person=person)
    written = list(csv.reader(io.StringIO(boss.get(f"/api/changes.csv?job={job['number']}").text)))
    assert len(written) == 7 and written[1][6] == f"complaint: 3 {mark}"


def test_a_cell_of_it_is_never_a_formula(tech: Caller, boss: Caller) -> None:
    mark = uuid.uuid4().hex[:8]
    job = tech.post("/api/jobs", job_body(complaint=mark)).json
    assert job is not None
    assert tech.put(f"/api/jobs/{job['id']}", {**job_body(complaint="=1+1;=2"), "lock": job["lock"]}).status_code == 200
    assert ";=2" not in boss.get(f"/api/changes.csv?job={job['number']}").text


@pytest.mark.parametrize("path", ["/api/changes", "/api/changes.csv"])
def test_only_leads_read_it(tech: Caller, boss: Caller, path: str) -> None:
    assert tech.get(path).status_code == 403
    assert boss.get(path).status_code == 200
    assert boss.get(f"{path}?since=0001-01-01T00:00:00Z").status_code == 422
    assert boss.get("/api/changes?after=odd").status_code == 422
