"""A job that is done changes only by reopening; archive and waste basket; what has lain there for thirty days is gone for good."""

from __future__ import annotations

import io
import uuid
import zipfile
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from sqlalchemy import text
from sqlalchemy.exc import DBAPIError

from mavrik.exchange.bundle import read_bundle
from mavrik.jobs.shelving import BASKET_KEEPS, empty_basket
from mavrik.store.database import Database
from tests.api.conftest import Caller, do_tasks, drops, job_body, keep
from tests.api.test_captures import load, table
from tests.build import simple_document

CAPTURE = table([12.5] * 1000, 1e-3)


@pytest.fixture
def database(database_url: str) -> Any:
    made = Database(database_url)
    yield made
    made.dispose()


def writes(job: dict[str, Any]) -> list[tuple[str, str, Any]]:
    """Every way to change a job."""
    where = f"/api/jobs/{job['id']}"
    return [
        ("PUT", where, {**job_body(), "lock": job["lock"]}),
        ("PUT", f"{where}/circuit", {"document": simple_document(), "lock": job["circuits"][-1]["lock"]}),
        ("POST", f"{where}/runs", {"circuit_id": job["circuits"][-1]["id"], "run": drops(100, home=0.05)}),
        ("POST", f"{where}/plan", {"target_current_a": 150}),
        ("POST", f"{where}/resistances", None),
    ]


@pytest.fixture
def done(tech: Caller, job: dict[str, Any]) -> dict[str, Any]:
    """A job with a reading, done."""
    assert keep(tech, job, drops(100, home=0.05)).status_code == 201
    lock = tech.get(f"/api/jobs/{job['id']}").json["lock"]  # type: ignore[index]
    answer = tech.put(f"/api/jobs/{job['id']}", {**job_body(), "state": "done", "lock": lock})
    assert answer.status_code == 200
    body: dict[str, Any] = answer.json  # type: ignore[assignment]
    return body


def test_a_job_that_is_done_changes_only_by_reopening(tech: Caller, reader: Caller, done: dict[str, Any]) -> None:
    for method, path, body in writes(done):
        refused = tech.send(method, path, body)
        assert refused.status_code == 409 and "Reopen it first" in refused.text, path
    assert tech.post(f"/api/jobs/{done['id']}/captures?name=late.csv", raw=CAPTURE).status_code == 409
    where = f"/api/jobs/{done['id']}/reopen"
    assert reader.post(where, {"reason": "curious"}).status_code == 403
    assert tech.post(where, {"reason": ""}).status_code == 422
    opened = tech.post(where, {"reason": "came back the next day"})
    assert opened.status_code == 200 and opened.json["state"] == "open"  # type: ignore[index]
    change = opened.json["changes"][0]  # type: ignore[index]
    assert (change["kind"], change["before"], change["after"]) == ("reopened", {"state": "done"}, {"state": "open"})
    assert "came back the next day" in change["what"]
    assert keep(tech, done, drops(100, home=0.06)).status_code == 201
    assert tech.post(where, {"reason": "once more"}).status_code == 422


@pytest.mark.parametrize("shelf", ["archive", "basket"])
def test_a_job_that_is_put_away_is_read_and_not_written(tech: Caller, boss: Caller, job: dict[str, Any], shelf: str) -> None:
    where = f"/api/jobs/{job['id']}"
    assert tech.put(f"{where}/shelf", {"shelf": shelf}).status_code == 403
    assert boss.put(f"{where}/shelf", {"shelf": shelf}).json["shelf"] == shelf  # type: ignore[index]
    for method, path, body in writes(job):
        assert tech.send(method, path, body).status_code == 409, path
    assert tech.get(where).status_code == 200 and tech.get(f"{where}/bundle").status_code == 200
    number = job["number"]
    assert not tech.get(f"/api/jobs?search={number}").json["jobs"]  # type: ignore[index]
    assert tech.get(f"/api/jobs?search={number}&shelf={shelf}").json["total"] == 1  # type: ignore[index]
    back = boss.put(f"{where}/shelf", {"shelf": "bench"})
    assert back.json["changes"][0]["before"] == {"shelf": shelf}  # type: ignore[index]
    assert tech.get(f"/api/jobs?search={number}").json["total"] == 1  # type: ignore[index]
    assert keep(tech, job, drops(100, home=0.05)).status_code == 201


def test_why_a_job_is_closed_is_said_and_a_job_put_away_is_not_reopened(tech: Caller, boss: Caller, done: dict[str, Any]) -> None:
    """What the screen says is what a change is refused for."""
    where = f"/api/jobs/{done['id']}"
    for shelf, why in (
        ("archive", "It lies in the archive."),
        ("basket", "It lies in the waste basket."),
        ("bench", "It is done."),
    ):
        assert boss.put(f"{where}/shelf", {"shelf": shelf}).json["closed"] == why  # type: ignore[index]
        for method, path, body in writes(done):
            refused = tech.send(method, path, body)
            assert refused.status_code == 409 and refused.json["detail"].startswith(why), refused.text  # type: ignore[index]
        reopened = tech.post(f"{where}/reopen", {"reason": "forgot the strap"})
        assert reopened.status_code == (200 if shelf == "bench" else 409), reopened.text
    assert tech.get(where).json["closed"] == ""  # type: ignore[index]


def test_the_basket_is_emptied_after_thirty_days_and_the_log_remembers(
    tech: Caller, boss: Caller, job: dict[str, Any], database: Database
) -> None:
    first = keep(tech, job, drops(100, home=0.05)).json
    assert first is not None
    assert keep(tech, job, {**drops(100, home=0.06), "supersedes": first["id"]}).status_code == 201
    assert tech.post(f"/api/jobs/{job['id']}/plan", {"target_current_a": 150}).status_code == 201
    load(tech, job["id"], CAPTURE, "name=kept.csv")
    mark = uuid.uuid4().hex
    lock = tech.get(f"/api/jobs/{job['id']}").json["lock"]  # type: ignore[index]
    assert tech.put(f"/api/jobs/{job['id']}", {**job_body(complaint=mark), "lock": lock}).status_code == 200
    assert boss.put(f"/api/jobs/{job['id']}/shelf", {"shelf": "basket"}).status_code == 200
    now = datetime.now(UTC)
    with database.session() as session:
        assert job["number"] not in empty_basket(session, now + BASKET_KEEPS - timedelta(hours=1))
    assert tech.get(f"/api/jobs/{job['id']}").status_code == 200
    with database.session() as session:
        assert job["number"] in empty_basket(session, now + BASKET_KEEPS + timedelta(hours=1))
    assert tech.get(f"/api/jobs/{job['id']}").status_code == 404
    changes = boss.get(f"/api/changes?search={job['number']}").json["changes"]  # type: ignore[index]
    assert {"removed", "made", "measured", "shelved"} <= {c["kind"] for c in changes}
    with database.engine.begin() as connection:
        assert not connection.scalar(text("SELECT count(*) FROM changes WHERE after::text LIKE :mark"), {"mark": f"%{mark}%"})
        for name in ("runs", "circuit_versions", "job_documents", "captures", "job_summaries", "job_findings"):
            assert connection.scalar(text(f"SELECT count(*) FROM {name} WHERE job_id = :job"), {"job": job["id"]}) == 0


@pytest.mark.parametrize("table_name", ["runs", "changes"])
@pytest.mark.parametrize(
    "statement", ["UPDATE {} SET person_id = NULL WHERE job_id = :job", "DELETE FROM {} WHERE job_id = :job"]
)
def test_the_database_itself_refuses_to_change_what_is_only_added(
    tech: Caller, job: dict[str, Any], database: Database, table_name: str, statement: str
) -> None:
    assert keep(tech, job, drops(100, home=0.05)).status_code == 201
    with pytest.raises(DBAPIError, match="added, never changed"), database.engine.begin() as connection:
        connection.execute(text(statement.format(table_name)), {"job": job["id"]})


def test_a_run_is_kept_under_the_name_of_who_made_it_unless_a_lead_records_it(
    tech: Caller, boss: Caller, job: dict[str, Any]
) -> None:
    assert keep(tech, job, drops(100, home=0.05)).json["run"]["measured_by"] == "Tech"  # type: ignore[index]
    assert keep(tech, job, {**drops(100, home=0.05), "measured_by": "Tech"}).status_code == 201
    assert keep(tech, job, {**drops(100, home=0.05), "measured_by": "Boss"}).status_code == 403
    other = keep(boss, job, {**drops(100, home=0.05), "measured_by": "The apprentice"})
    assert other.json["run"]["measured_by"] == "The apprentice"  # type: ignore[index]


def test_a_customers_data_are_written_out_and_erased_and_the_readings_stay(
    tech: Caller, boss: Caller, database: Database
) -> None:
    name = f"Orla {uuid.uuid4().hex[:8]}"
    body = job_body(
        customer={"name": name, "contact": "07700 900 123"},
        vehicle={"description": f"Van of {name}", "kind": "van", "system_voltage_v": 12},
        complaint=f"{name} says it whines",
    )
    job: dict[str, Any] = tech.post("/api/jobs", body).json  # type: ignore[assignment]
    where = f"/api/jobs/{job['id']}"
    assert tech.put(f"{where}/circuit", {"document": simple_document(), "lock": None}).status_code == 200
    job = tech.get(where).json  # type: ignore[assignment]
    assert keep(tech, job, {**drops(100, home=0.05), "note": f"{name} held the lamp"}).status_code == 201
    changed = {**body, "complaint": f"{name} says it howls", "lock": job["lock"]}
    assert tech.put(where, changed).status_code == 200
    answer = boss.get(f"/api/customers?search={name[5:]}")
    assert answer.status_code == 200, answer.text
    (row,) = answer.json["customers"]  # type: ignore[index]
    assert (row["name"], row["jobs"]) == (name, 1)
    assert tech.post(f"/api/customers/{row['id']}/data").status_code == 403
    begun: Any = boss.post(f"/api/customers/{row['id']}/data").json
    do_tasks(boss)
    kept_file = f"/api/tasks/{begun['id']}/file"
    written = boss.get(kept_file)
    with zipfile.ZipFile(io.BytesIO(written.data)) as packed:
        (inside,) = packed.namelist()
        bundle = read_bundle(packed.read(inside))
    assert bundle.customer.name == name and len(bundle.runs) == 1
    path = f"/api/customers/{row['id']}/erase"
    assert boss.post(path, {"name": "Somebody else"}).status_code == 422
    assert tech.get(where).json["customer"]["name"] == name  # type: ignore[index]
    assert boss.post(path, {"name": name}).json == {"jobs": 1}
    assert boss.get(kept_file).status_code == 404
    after = tech.get(where)
    assert name not in after.text and "07700" not in after.text
    assert after.json["runs"][0]["run"]["readings"] == job_readings(bundle)  # type: ignore[index]
    assert not tech.get(f"/api/jobs?search={name[5:]}").json["jobs"]  # type: ignore[index]
    with database.engine.begin() as connection:
        for column in ("before", "after"):
            assert not connection.scalar(
                text(f"SELECT count(*) FROM changes WHERE {column}::text LIKE :name"), {"name": f"%{name}%"}
            )
    assert boss.post(path, {"name": name}).status_code == 422
    assert boss.post("/api/customers/2147483647/erase", {"name": name}).status_code == 404


def job_readings(bundle: Any) -> list[dict[str, Any]]:
    readings: list[dict[str, Any]] = bundle.runs[0].run.model_dump(mode="json")["readings"]
    return readings
