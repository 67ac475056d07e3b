"""Long work: asked for, done once whatever dies meanwhile, cancelled, tried again, and closed to others."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import procrastinate
import pytest
from procrastinate.schema import SchemaManager
from sqlalchemy import event, select, text

from mavrik.exchange.files import job_file
from mavrik.jobs import scratch, tasks
from mavrik.jobs.carrying import ArchiveRequest
from mavrik.jobs.tasks import records, running
from mavrik.jobs.tasks.kinds import import_archive
from mavrik.store.database import MIGRATIONS, Database
from mavrik.store.models import Job, Person, Task
from tests.api.conftest import Caller, do_tasks, drops, findings, job_body, keep
from tests.api.test_captures import technician


@pytest.fixture
def database(database_url: str) -> Iterator[Database]:
    made = Database(database_url)
    yield made
    made.dispose()


@pytest.fixture(autouse=True)
def own_scratch(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv(scratch.PLACE, str(tmp_path / "scratch"))
    return tmp_path / "scratch"


def only(caller: Caller, kind: str) -> dict[str, Any]:
    """The latest task of a kind."""
    rows = [t for t in caller.get("/api/tasks").json["tasks"] if t["kind"] == kind]  # type: ignore[index]
    return dict(max(rows, key=lambda t: t["id"]))


def archive(**files: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as packed:
        for name, data in files.items():
            packed.writestr(f"{name}.json", data)
    return out.getvalue()


def send(caller: Caller, data: bytes, name: str = "old-shop.zip") -> Any:
    return caller.client.post(
        f"/api/jobs/archive?name={name}", data=data, content_type="application/zip", headers={"X-CSRFToken": caller.token}
    )


def bundle_of(caller: Caller, job: dict[str, Any], complaint: str) -> bytes:
    held = json.loads(caller.get(f"/api/jobs/{job['id']}/bundle").data)
    held["job"]["complaint"] = complaint
    return json.dumps(held).encode()


def files_request(search: str, file: str = "sheet.pdf") -> tuple[str, dict[str, Any]]:
    """Where and how the files of a list are asked for."""
    return f"/api/files?search={search}", {"file": file}


def test_the_sheets_of_a_list_come_as_one_file(tech: Caller, other: Caller, boss: Caller, job: dict[str, Any]) -> None:
    assert keep(tech, job, drops(feed=0.1)).status_code == 201
    lock = tech.get(f"/api/jobs/{job['id']}").json["lock"]  # type: ignore[index]
    assert tech.put(f"/api/jobs/{job['id']}", {**job_body(complaint="Wanted zipped"), "lock": lock}).status_code == 200
    tech.post("/api/jobs", job_body(complaint="Nothing drawn yet, wanted zipped"))
    made = tech.post(*files_request("wanted zipped"))
    assert made.status_code == 202, made.text
    assert (made.json["state"], made.json["file"], made.json["asked_by"]) == ("waiting", None, "Tech")  # type: ignore[index]
    do_tasks(tech)
    task = only(tech, "write_files")
    assert (task["state"], task["progress"]) == ("done", 1.0)
    fetched = tech.get(f"/api/tasks/{task['id']}/file")
    with zipfile.ZipFile(io.BytesIO(fetched.data)) as packed:
        assert packed.read(f"{job['number']}{job_file('sheet.pdf').ending}").startswith(b"%PDF")
        names = packed.namelist()
    refused = task["result"]["refused"]
    assert len(names) == len(refused) == 1
    assert len(names) + len(refused) == tech.get("/api/jobs?search=wanted+zipped").json["total"]  # type: ignore[index]
    assert all(r["why"] for r in refused)
    at = f"/api/tasks/{task['id']}"
    assert [c.get(f"{at}/file").status_code for c in (other, boss)] == [404, 200]
    assert [c.get(at).status_code for c in (other, boss)] == [404, 200]
    assert task["id"] not in {t["id"] for t in other.get("/api/tasks").json["tasks"]}  # type: ignore[index]
    assert other.post(f"{at}/cancel").status_code == 404


def test_a_list_of_none_or_a_file_that_is_none_is_refused_at_once(tech: Caller, reader: Caller) -> None:
    for request in (
        files_request("no such words anywhere"),
        files_request("", "sheet.exe"),
        ("/api/files?order=up", {"file": "bundle"}),
    ):
        assert tech.post(*request).status_code == 422
    assert reader.post(*files_request("no such words anywhere")).status_code == 422  # may, but there are none
    assert tech.get("/api/tasks/2147483647").status_code == 404


def test_bundles_of_an_archive_are_taken_in_and_the_others_say_why_not(
    tech: Caller, reader: Caller, job: dict[str, Any], own_scratch: Path
) -> None:
    sound = bundle_of(tech, job, "came in a heap")
    sent = send(tech, archive(a=sound, b=b"{}", c=sound, d=b"\xff\xfe"))
    assert sent.status_code == 202 and sent.json["title"] == "Jobs out of old-shop.zip"
    do_tasks(tech)
    task = only(tech, "import_archive")
    assert task["state"] == "done" and [m["file"] for m in task["result"]["made"]] == ["a.json", "c.json"]
    assert [r["file"] for r in task["result"]["refused"]] == ["b.json", "d.json"] and all(
        r["why"] for r in task["result"]["refused"]
    )
    for made in task["result"]["made"]:
        assert tech.get(f"/api/jobs/{made['job_id']}").json["number"] == made["number"]  # type: ignore[index]
        assert findings(tech, {"id": made["job_id"]})
    assert list(own_scratch.iterdir()) == []
    assert send(reader, archive(a=sound)).status_code == 403
    assert list(own_scratch.iterdir()) == []
    assert not task["may_try_again"] and tech.post(f"/api/tasks/{task['id']}/again").status_code == 422


def test_nobody_reaches_tasks_signed_out(stranger: Caller) -> None:
    assert stranger.get("/api/tasks").status_code == 401 and stranger.get("/api/tasks/1/file").status_code == 401
    assert stranger.post(*files_request("")).status_code == 401 and send(stranger, b"x").status_code == 401


@pytest.mark.parametrize("data", [b"PK\x05\x06" + bytes(18), b"no archive at all", b"PK\x03\x04 cut short"])
def test_what_is_no_archive_says_so(tech: Caller, data: bytes) -> None:
    assert send(tech, data).status_code == 202
    do_tasks(tech)
    task = only(tech, "import_archive")
    assert task["state"] == "failed" and ("no job bundle" in task["problem"] or "no ZIP archive" in task["problem"])


def test_a_member_that_unpacks_without_end_is_not_unpacked(tech: Caller, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(import_archive, "LARGEST_BUNDLE_BYTES", 1_000_000)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("endless.json", b"0" * 50_000_000)
    assert len(out.getvalue()) < 60_000 and send(tech, out.getvalue()).status_code == 202
    do_tasks(tech)
    task = only(tech, "import_archive")
    assert task["state"] == "failed" and "larger than" in task["result"]["refused"][0]["why"]
    assert send(tech, b"").status_code == 422


def test_what_a_worker_had_done_before_it_died_is_not_done_twice(
    tech: Caller, job: dict[str, Any], database: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It dies between the second bundle and the third; the row then says that it runs, and nobody does."""
    sound = bundle_of(tech, job, "exactly once")
    send(tech, archive(a=sound, b=sound, c=sound))
    take_in = import_archive._take_in

    class Killed(BaseException):
        """As if by the machine."""

    def dies(work: Any, packed: Any, member: Any) -> None:
        if member.filename == "c.json":
            raise Killed
        take_in(work, packed, member)

    task_id = only(tech, "import_archive")["id"]
    monkeypatch.setattr(import_archive, "_take_in", dies)
    with pytest.raises(Killed):
        running.run_task(database, task_id)
    assert tech.get(f"/api/tasks/{task_id}").json["state"] == "running"  # type: ignore[index]
    monkeypatch.setattr(import_archive, "_take_in", take_in)
    do_tasks(tech)
    task: Any = tech.get(f"/api/tasks/{task_id}").json
    assert task["state"] == "done" and [m["file"] for m in task["result"]["made"]] == ["a.json", "b.json", "c.json"]
    with database.session() as session:
        assert len(session.scalars(select(Job.id).where(Job.complaint == "exactly once")).all()) == 3


def test_one_that_a_worker_dies_of_each_time_is_given_up(tech: Caller, job: dict[str, Any], database: Database) -> None:
    send(tech, archive(a=bundle_of(tech, job, "deadly")))
    task_id = only(tech, "import_archive")["id"]
    with database.session() as session:
        session.execute(text("UPDATE tasks SET state = 'running', tries = 3 WHERE id = :id"), {"id": task_id})
    do_tasks(tech)
    task: Any = tech.get(f"/api/tasks/{task_id}").json
    assert task["state"] == "failed" and "begun 3 times" in task["problem"]


def test_a_try_that_another_has_taken_over_keeps_nothing(tech: Caller, job: dict[str, Any], database: Database) -> None:
    """Its worker was only slow, and taken for dead."""
    send(tech, archive(a=bundle_of(tech, job, "taken over")))
    task_id = only(tech, "import_archive")["id"]
    begun = running._begin(database, task_id)
    assert begun is not None
    _, slow, _ = begun
    do_tasks(tech)
    for what in (lambda: slow.progress(0.5, "still at it"), lambda: slow.last().__enter__()):
        with pytest.raises(tasks.Stopped):
            what()
    assert tech.get(f"/api/tasks/{task_id}").json["state"] == "done"  # type: ignore[index]


def test_what_waits_is_cancelled_and_begun_again(tech: Caller, job: dict[str, Any]) -> None:
    assert keep(tech, job, drops(feed=0.1)).status_code == 201
    made: Any = tech.post(*files_request(job["number"])).json
    at = f"/api/tasks/{made['id']}"
    assert tech.post(f"{at}/cancel").json["state"] == "cancelled"  # type: ignore[index]
    do_tasks(tech)
    cancelled: Any = tech.get(at).json
    assert cancelled["state"] == "cancelled" and cancelled["may_try_again"] and tech.get(f"{at}/file").status_code == 404
    assert tech.post(f"{at}/cancel").json["state"] == "cancelled"  # type: ignore[index]
    assert tech.post(f"{at}/again").json["state"] == "waiting"  # type: ignore[index]
    do_tasks(tech)
    assert tech.get(at).json["state"] == "done" and tech.get(f"{at}/file").status_code == 200  # type: ignore[index]
    assert tech.post(f"{at}/again").status_code == 422


def test_nobody_fills_the_queue(tech: Caller, other: Caller, job: dict[str, Any], monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(records, "MOST_WAITING", 2)
    assert [tech.post(*files_request(job["number"])).status_code for _ in range(3)] == [202, 202, 429]
    assert other.post(*files_request(job["number"])).status_code == 202
    do_tasks(tech)


def test_what_is_not_saved_is_not_begun(tech: Caller, database: Database, tmp_path: Path) -> None:
    """The place in the queue is in the same transaction as what is asked for."""
    with pytest.raises(RuntimeError), database.session() as session:
        tasks.ask_for(session, "import_archive", ArchiveRequest(path=str(tmp_path)), "Never", technician(session))
        raise RuntimeError
    with database.session() as session:
        assert session.scalar(text("SELECT count(*) FROM procrastinate_jobs")) == 0
        assert session.scalar(select(Task.id).where(Task.title == "Never")) is None


def test_a_database_that_goes_away_under_the_queue_is_no_mistake_of_the_server(
    tech: Caller, job: dict[str, Any], app: Any
) -> None:
    """Between the row of the task and its place in the queue."""
    engine = app.extensions["mavrik_database"].engine

    def cut(conn: Any, cursor: Any, statement: str, *more: Any) -> None:
        if statement.startswith("INSERT INTO tasks"):
            with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as other:
                other.execute(text("SELECT pg_terminate_backend(:pid)"), {"pid": cursor.connection.info.backend_pid})

    event.listen(engine, "after_cursor_execute", cut)
    try:
        away = tech.post(*files_request(job["number"], "bundle"))
    finally:
        event.remove(engine, "after_cursor_execute", cut)
    assert away.status_code == 503, away.text


def test_a_database_that_goes_away_after_something_was_refused_leaves_it_refused(tech: Caller, app: Any) -> None:
    """What is rolled back then is nothing, and no mistake of the server."""
    engine = app.extensions["mavrik_database"].engine

    def cut(conn: Any, cursor: Any, statement: str, *more: Any) -> None:
        if "FROM tasks" in statement:
            with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as other:
                other.execute(text("SELECT pg_terminate_backend(:pid)"), {"pid": cursor.connection.info.backend_pid})

    event.listen(engine, "after_cursor_execute", cut)
    try:
        refused = tech.get("/api/tasks/2147483647")
    finally:
        event.remove(engine, "after_cursor_execute", cut)
    assert refused.status_code == 404, refused.text


def test_what_has_lost_its_place_in_the_queue_gets_it_back(tech: Caller, job: dict[str, Any], database: Database) -> None:
    made: Any = tech.post(*files_request(job["number"], "bundle")).json
    with database.session() as session:
        session.execute(text("DELETE FROM procrastinate_jobs"))
    assert tasks.requeue_lost(database) == 1 and tasks.requeue_lost(database) == 0
    do_tasks(tech)
    assert tech.get(f"/api/tasks/{made['id']}").json["state"] == "done"  # type: ignore[index]


def test_what_another_version_asked_for_is_said_to_be_so(tech: Caller, database: Database) -> None:
    with database.session() as session:
        person = session.scalars(select(Person).where(Person.login == "tech")).one()
        for kind, request in (("simulate_moon", {}), ("write_files", {"job_ids": []})):
            session.add(Task(kind=kind, title="From another time", request=request, person_id=person.id))
    with database.session() as session:
        ids = session.scalars(select(Task.id).where(Task.title == "From another time")).all()
    for task_id in ids:
        running.run_task(database, task_id)
        answer: Any = tech.get(f"/api/tasks/{task_id}").json
        assert answer["state"] == "failed" and "another version" in answer["problem"]


def test_an_oscilloscope_is_not_asked_again_by_itself(tech: Caller, database: Database) -> None:
    """What stood at the bench stands there no more."""
    from mavrik.jobs.captures import Fetch, begin
    from mavrik.jobs.captures.reading import FetchRequest

    job: Any = tech.post("/api/jobs", job_body()).json
    with database.session() as session:
        row = begin(session, job["id"], "Scope", "", technician(session))
        request = FetchRequest(capture_id=row.id, address="127.0.0.1:1", fetch=Fetch(instrument="scope", seconds=1))
        row.task = tasks.ask_for(session, "fetch_capture", request, "Capture", technician(session), job["id"])
        row.task.state, row.task.tries = "running", 1
    do_tasks(tech)
    (shown,) = tech.get(f"/api/jobs/{job['id']}/captures").json["captures"]  # type: ignore[index]
    assert shown["state"] == "failed" and "server was stopped" in shown["problem"]


def test_files_of_a_day_ago_are_deleted_and_tasks_of_a_month_ago(tech: Caller, job: dict[str, Any], database: Database) -> None:
    from mavrik.jobs.tidying import tidy

    made: Any = tech.post(*files_request(job["number"], "bundle")).json
    do_tasks(tech)
    at = f"/api/tasks/{made['id']}"
    for age, task, file in (("2 hours", 200, 200), ("25 hours", 200, 404), ("31 days", 404, 404)):
        with database.session() as session:
            session.execute(text(f"UPDATE tasks SET ended_at = now() - interval '{age}' WHERE id = :id"), {"id": made["id"]})
        with database.session() as session:
            tidy(session)
        assert (tech.get(at).status_code, tech.get(f"{at}/file").status_code) == (task, file)


def test_the_queues_tables_are_those_of_the_package_that_uses_them() -> None:
    """A newer package brings its own changes: they then go into a migration of ours."""
    (kept,) = (MIGRATIONS / "sql").glob("procrastinate_*.sql")
    assert kept.stem == f"procrastinate_{procrastinate.__version__.replace('.', '_')}"

    def statements(sql: str) -> list[str]:
        return [line for line in sql.splitlines() if line.strip() and not line.strip().startswith("--")]

    assert statements(kept.read_text()) == statements(SchemaManager.get_schema())
