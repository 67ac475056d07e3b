"""What one person sends in breaks nothing for another: dates, numbers, sizes and names that cannot be are refused at the door."""

from __future__ import annotations

import csv
import io
import json
import re
import threading
from datetime import UTC, datetime
from typing import Any

import pytest
from sqlalchemy import text

from mavrik.domain import limits
from mavrik.exchange.bundle import read_bundle
from mavrik.exchange.files import JOB_FILES
from mavrik.exchange.readings_table import readings_csv
from mavrik.exchange.sheet import render_sheet
from mavrik.jobs import room
from mavrik.jobs.work import OWN_NUMBER, next_number
from mavrik.store.database import Database
from mavrik.web.problems import MOST_PROBLEMS
from tests.api.conftest import Caller, _signed_in, drops, job_body, keep
from tests.api.test_captures import load, table
from tests.build import drop_run, simple_circuit, simple_document
from tests.exchange.test_formats import as_bytes, bundle_document
from tests.reference.test_waveform import cranked

BEYOND = ["9999-12-31T23:59:59-12:00", "0001-01-01T00:00:00+12:00", "1989-12-31T00:00:00Z", "2101-01-02T00:00:00Z"]


def take_in(caller: Caller, document: dict[str, Any]) -> Any:
    return caller.post("/api/jobs/import", raw=as_bytes(document))


@pytest.mark.parametrize("at", BEYOND)
def test_a_date_that_no_calendar_shows_is_refused_at_every_door(tech: Caller, boss: Caller, job: dict[str, Any], at: str) -> None:
    run = drops(100, home=0.05)
    assert keep(tech, job, {**run, "measured_at": at}).status_code == 422
    run["readings"][0]["at"] = at
    assert keep(tech, job, run).status_code == 422
    assert tech.post("/api/jobs", job_body(promised=at[:10])).status_code == 422
    meter = {"id": "late", "label": "Late", "kind": "clamp", "percent_of_reading": 1, "digits": 1, "resolution": 0.1}
    assert boss.post("/api/instruments", {**meter, "calibration_due": at[:10]}).status_code == 422
    carried = bundle_document(exported_at=at)
    assert take_in(tech, carried).status_code == 422
    carried = bundle_document()
    carried["runs"][0]["run"]["measured_at"] = at
    assert take_in(tech, carried).status_code == 422
    assert tech.get("/api/jobs").status_code == 200


def test_a_row_that_no_program_of_ours_wrote_stands_in_the_list_as_damaged(
    tech: Caller, job: dict[str, Any], database_url: str
) -> None:
    """A date beyond what Python can hold, put there past every door, and nothing found kept."""
    assert keep(tech, job, drops(100, home=0.05)).status_code == 201
    database = Database(database_url)
    with database.engine.begin() as connection:
        connection.execute(text("SET LOCAL mavrik.rewriting = 'on'"))
        connection.execute(text("UPDATE runs SET measured_at = '12000-01-01' WHERE job_id = :job"), {"job": job["id"]})
        connection.execute(text("DELETE FROM job_findings WHERE job_id = :job"), {"job": job["id"]})
        connection.execute(text("DELETE FROM job_summaries WHERE job_id = :job"), {"job": job["id"]})
    try:
        listed = tech.get("/api/jobs").json["jobs"]  # type: ignore[index]
        assert "cannot be read" in next(row["damaged"] for row in listed if row["id"] == job["id"])
        assert sum(not row["damaged"] for row in listed) == len(listed) - 1
    finally:
        with database.engine.begin() as connection:
            connection.execute(text("SET LOCAL mavrik.rewriting = 'on'"))
            connection.execute(text("UPDATE runs SET measured_at = now() WHERE job_id = :job"), {"job": job["id"]})
        database.dispose()


@pytest.mark.parametrize("number", ["26-99999999999999999", "26-²", "26-١٢٣٤", "X-1", "26-123"])
def test_a_number_that_is_none_of_ours_is_replaced_and_stops_nobody(tech: Caller, number: str) -> None:
    document = bundle_document()
    document["job"]["number"] = number
    answer = take_in(tech, document)
    assert answer.status_code == 201 and OWN_NUMBER.fullmatch(answer.json["number"])
    made = tech.post("/api/jobs", job_body())
    assert made.status_code == 201 and made.json["number"] > answer.json["number"]  # type: ignore[index]


def test_a_number_of_ours_is_kept_unless_it_is_taken(tech: Caller) -> None:
    document = bundle_document()
    document["job"]["number"] = "19-004711"
    first, second = take_in(tech, document).json["number"], take_in(tech, document).json["number"]
    assert first == "19-004711" != second


def test_nobody_waits_for_a_number_and_none_is_given_twice(database_url: str, app: Any) -> None:
    """Two who have not saved yet: before, the second waited for the first to end."""
    database = Database(database_url)
    with database.session() as first, database.session() as second:
        second.execute(text("SET LOCAL lock_timeout = '2s'"))
        assert len({next_number(first), next_number(second), next_number(first)}) == 3
    database.dispose()


@pytest.mark.parametrize("path", ["/api/solve", "/api/protection"])
@pytest.mark.parametrize("many", ["zeros", "keys", "branches"])
def test_a_million_wrong_entries_are_one_mistake(reader: Caller, path: str, many: str) -> None:
    circuit = simple_document()
    if many == "zeros":
        circuit["nodes"] = [0] * 900_000
    elif many == "keys":
        circuit |= {f"k{k}": 0 for k in range(150_000)}
    else:
        circuit["branches"] = [{}] * 600_000
    answer = reader.post(path, raw=json.dumps({"circuit": circuit}, separators=(",", ":")).encode())
    assert answer.status_code == 422
    assert len(answer.data) < 10_000 and len(answer.json["problems"]) <= MOST_PROBLEMS  # type: ignore[index]


def test_no_more_problems_are_told_than_anybody_mends(reader: Caller) -> None:
    circuit = simple_document()
    circuit["branches"] = [{**circuit["branches"][0], "id": f"b{k}", "length_m": -1} for k in range(120)]
    answer = reader.post("/api/solve", {"circuit": circuit})
    assert answer.status_code == 422 and len(answer.json["problems"]) == MOST_PROBLEMS  # type: ignore[index]


@pytest.mark.long
def test_what_is_kept_of_a_capture_can_be_sent_and_printed(tech: Caller, job: dict[str, Any]) -> None:
    """Times of 1970, and a column headed by a paragraph."""
    at = job["id"]
    volts = cranked(1000.0)[:4000]
    rows = "\n".join(f"{1_793_692_800 + k * 1e-3:.3f},{v:.4f}" for k, v in enumerate(volts))
    capture = load(tech, at, f"Time (s),{'long ' * 60}(V)\n{rows}\n".encode())
    assert capture["state"] == "ready", capture
    assert len(capture["channel"]) <= limits.MOST_CHANNEL_NAME
    again = load(tech, at, f"Time (s),{'long ' * 60}(V)\n{rows}\n".encode(), f"channel={capture['channel']}")
    assert again["state"] == "ready"
    assert keep(tech, job, drops(100, home=0.05)).status_code == 201
    for kind in (f for f in JOB_FILES if f.needs is None):
        assert tech.get(f"/api/jobs/{at}/files/{kind.name}").status_code == 200, kind.name
    assert take_in(tech, tech.get(f"/api/jobs/{at}/files/bundle").json).status_code == 201  # type: ignore[arg-type]


def test_a_capture_of_no_vehicle_is_refused_when_it_comes_in(tech: Caller, job: dict[str, Any]) -> None:
    capture = load(tech, job["id"], table([1.0, 2e4, 3.0] * 40, 1e-3))
    assert capture["state"] == "failed" and "no voltage of a vehicle" in capture["problem"]
    assert load(tech, job["id"], b"V\n1\n2\n3\n", "interval_s=1")["state"] == "ready"
    tiny = tech.client.post(
        f"/api/jobs/{job['id']}/captures?interval_s=1e-300", data=b"V\n1\n2\n", headers={"X-CSRFToken": tech.token}
    )
    assert tiny.status_code == 422


def test_a_job_takes_no_more_than_goes_out_again(tech: Caller, job: dict[str, Any], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(room.KEPT, room.Run, (1, "runs"))
    assert keep(tech, job, drops(100, home=0.05)).status_code == 201
    full = keep(tech, job, drops(100, home=0.05))
    assert full.status_code == 422 and "the most that go into one file" in full.json["detail"]  # type: ignore[index]
    monkeypatch.setattr(room, "MOST_JOB_CHARACTERS", 100)
    circuit = tech.get(f"/api/jobs/{job['id']}").json["circuits"][-1]  # type: ignore[index]
    saved = tech.put(
        f"/api/jobs/{job['id']}/circuit", {"document": simple_document(), "lock": circuit["lock"], "circuit_id": circuit["id"]}
    )
    assert saved.status_code == 422 and "This job is full" in saved.json["detail"]  # type: ignore[index]


@pytest.mark.parametrize("value", ["nan", "inf", "-inf", "1e400"])
def test_a_stretch_from_nowhere_is_refused(tech: Caller, job: dict[str, Any], value: str) -> None:
    capture = load(tech, job["id"], table(cranked(1000.0)[:2000], 1e-3))
    assert tech.get(f"/api/jobs/{job['id']}/captures/{capture['id']}/view?from_s={value}").status_code == 422


def test_values_that_are_numbers_and_none_of_this_world(tech: Caller, job: dict[str, Any]) -> None:
    plan = {"target_current_a": 150, "insulation_c": 150}
    assert tech.post(f"/api/jobs/{job['id']}/plan/preview", plan).status_code == 422
    circuit = simple_document()
    circuit["branches"][0]["measured_mohm"] = 5e-324
    assert tech.post("/api/solve", {"circuit": circuit}).status_code == 422


@pytest.mark.parametrize(
    ("name", "spelled"), [("Οδυσσεύς Carting", "ΟΔΥΣΣΕΎΣ CARTING"), ("İlk Haulage", "i̇lk haulage"), ("Straße", "STRASSE")]
)
def test_a_customer_whose_letters_fold_oddly(tech: Caller, name: str, spelled: str) -> None:
    """The database alone says what is one name; where Python folds otherwise it once found no row, and could make none."""
    for _ in range(2):
        for one in (name, spelled, name.upper(), name.lower()):
            assert tech.post("/api/jobs", job_body(customer={"name": one})).status_code == 201


def test_of_two_who_add_one_login_at_once_one_is_told(app: Any, boss: Caller) -> None:
    leads = [_signed_in(app, "boss") for _ in range(6)]
    codes: list[int] = []

    def add(caller: Caller) -> None:
        body = {"login": "twice", "name": "Twice Over", "role": "technician", "password": "a long enough password"}
        codes.append(caller.post("/api/people", body).status_code)

    threads = [threading.Thread(target=add, args=(c,)) for c in leads]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert codes.count(201) == 1 and set(codes) == {201, 422}


def test_a_job_number_ends_no_style(app: Any) -> None:
    document = bundle_document()
    document["job"]["number"] = 'x"; } * {\ncolor:red'
    page = render_sheet(read_bundle(as_bytes(document)), "A Shop", datetime(2026, 1, 2, tzinfo=UTC))
    (content,) = re.findall(r'@bottom-left \{ content: "([^"]*)"', page)
    assert "}" not in content and "\n" not in content and "\\00000a" in content


@pytest.mark.parametrize("words", ["=1+1", "a;=1+1", ";=1+1", "a;;@x", "\t=1", "a\n+1", "-2"])
def test_no_formula_reaches_a_spreadsheet_whatever_it_takes_for_the_end_of_a_cell(words: str) -> None:
    run = drop_run(simple_circuit(), 100, feed=0.121).model_copy(update={"measured_by": words})
    (row, *_) = csv.DictReader(io.StringIO(readings_csv([(simple_circuit(), run)])))
    for cell in re.split(r"[;\t\r\n]", row["measured_by"]):
        assert not cell.startswith(("=", "+", "-", "@"))


def test_the_description_of_the_api_has_no_holes(app: Any) -> None:
    def holes(value: Any, at: str = "") -> list[str]:
        if value is None:
            return [at]
        inner = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
        return [h for k, v in inner if k not in ("default", "example", "const") for h in holes(v, f"{at}/{k}")]

    assert holes(app.api_doc) == []
    assert app.api_doc["components"]["securitySchemes"]


@pytest.mark.parametrize(
    "headers",
    [
        {"Origin": "https://elsewhere.example"},
        {"Origin": "null"},
        {"Origin": "http://localhost:9999"},
        {"Sec-Fetch-Site": "cross-site"},
        {"Sec-Fetch-Site": "same-site"},
    ],
    ids=lambda h: "-".join(h.values()),
)
def test_a_page_of_another_site_writes_nothing_even_with_a_token(tech: Caller, headers: dict[str, str]) -> None:
    request = {"method": "POST", "json": {}, "headers": {"X-CSRFToken": tech.token, **headers}}
    answer = tech.client.open("/api/solve", **request)  # type: ignore[arg-type]
    assert answer.status_code == 403 and answer.json["type"].endswith("foreign")  # type: ignore[index]
    assert tech.get("/api/jobs", headers=headers).status_code == 200


def test_a_page_of_our_own_writes(tech: Caller) -> None:
    for headers in ({"Origin": "http://localhost"}, {"Sec-Fetch-Site": "same-origin"}, {}):
        request = {"method": "POST", "json": {}, "headers": {"X-CSRFToken": tech.token, **headers}}
        assert tech.client.open("/api/solve", **request).status_code == 422  # type: ignore[arg-type]


def test_a_field_called_by_a_raised_figure_is_refused_in_words(tech: Caller) -> None:
    """Python calls a superscript three a digit and makes no number of it: looked up in a list, it was a mistake of the server."""
    for name in ("%C2%B3", "%C2%B2", "3", "%D9%A3"):
        refused = tech.post(f"/api/files?{name}=", [{"a": 1}])
        assert refused.status_code == 422 and refused.json["problems"], refused.text  # type: ignore[index]
