"""Migrations and the demo."""

import json
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import date, datetime
from functools import partial
from pathlib import Path
from typing import Any

import sqlalchemy as sa
from alembic import command
from alembic.config import Config

from mavrik.core.fabrication.quotation import Quotation
from mavrik.core.planning.drive import DriveRequest
from mavrik.domain.job import DocumentKind
from mavrik.jobs.demo import JOBS, load_demo
from mavrik.jobs.finding import findings_of
from mavrik.jobs.listing import list_jobs
from mavrik.jobs.people import TRIES_PER_ADDRESS, sign_in
from mavrik.jobs.upgrading import complete_old_runs
from mavrik.jobs.work import get_row, open_job
from mavrik.store.database import MIGRATIONS, Database, drop_database, ensure_database
from mavrik.store.models import Task
from tests.conftest import demo_database


def test_the_migrations_make_what_the_models_say(database_url: str) -> None:
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.set_main_option("sqlalchemy.url", database_url.replace("%", "%%"))
    command.check(config)


def test_the_demo_fills_an_empty_database_once(admin_url: str) -> None:
    with demo_database(admin_url) as url:
        database = Database(url)
        with database.session() as session:
            assert not load_demo(session, date(2026, 11, 24))
            rows = list_jobs(session).jobs
            assert len(rows) == len(JOBS) >= 6
            assert {row.state for row in rows} == {"open", "waiting", "done"}
            assert len({row.progress.missing for row in rows}) >= 4
            assert {row.system_voltage_v for row in rows} == {12, 24}
            for row in rows:
                open_job(session, row.id)
            assert sign_in(session, "tobin", "copper-and-slate", "192.0.2.1") is not None
            for k in range(TRIES_PER_ADDRESS - 1):
                assert sign_in(session, f"nobody{k}", "x", "192.0.2.2") is None
        database.dispose()


@contextmanager
def database_of_before(admin_url: str, database_url: str) -> Iterator[tuple[Database, dict[str, Any], Callable[[str], None]]]:
    """A database with rows as schema 0006 kept them, those rows by table, and what brings it to a later schema."""
    old = json.loads((Path(__file__).parent / "data" / "database_0006.json").read_text(encoding="utf-8"))
    url = database_url.replace("mavrik_test_", "mavrik_test_old_")
    ensure_database(admin_url, url)
    database = Database(url)
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.set_main_option("sqlalchemy.url", url.replace("%", "%%"))
    try:
        command.upgrade(config, "0006")
        with database.engine.begin() as connection:
            for table, rows in old.items():
                own = sa.Table(table, sa.MetaData(), autoload_with=connection)
                dates = {c.name for c in own.c if isinstance(c.type, sa.DateTime)}
                for row in rows:
                    connection.execute(
                        own.insert(), {k: datetime.fromisoformat(v) if k in dates and v else v for k, v in row.items()}
                    )
                # What the database hands out next comes behind what is there.
                connection.execute(
                    sa.text(f"SELECT setval(pg_get_serial_sequence('{table}', 'id'), (SELECT max(id) FROM {table}))")
                )
        yield database, old, partial(command.upgrade, config)
    finally:
        database.dispose()
        drop_database(admin_url, url)


def test_a_database_of_an_earlier_version_is_read(admin_url: str, database_url: str) -> None:
    """Rows as the version before kept them (schema 0006): a drop test of two tables, bench runs, a proposal on a circuit."""
    with database_of_before(admin_url, database_url) as (database, old, _):
        database.migrate()
        with database.session() as session:
            assert complete_old_runs(session) == len(old["test_runs"]) + len(old["bench_runs"])
        with database.session() as session:
            assert complete_old_runs(session) == 0
            numbers = {row.number: row.id for row in list_jobs(session).jobs}
            planned, tested = (open_job(session, numbers[n]) for n in ("26-0002", "26-0009"))
            # The drop test is a run like the others, each of its readings whole.
            (drops,) = (r.run for r in planned.runs)
            assert drops.procedure == "charging_drops" and len(drops.readings) == len(old["readings"]) + 1
            by_point = {r.point: r for r in drops.readings}
            first = next(r for r in old["readings"] if r["quantity"] == "branch_drop")
            read = by_point[f"drop_v:{first['branch_id']}"]
            assert (read.value, read.quantity, read.unit, read.red.node if read.red else "") == (
                first["value"],
                "voltage_drop",
                "V",
                first["red_node"],
            )
            assert by_point["charge_a:alternator"].value == old["test_runs"][0]["conditions"]["output_current_a"]
            # Bench runs are the same record; their points keep their names.
            kept = [r.run for r in tested.runs]
            assert [r.procedure for r in kept] == [b["procedure"] for b in old["bench_runs"]]
            for run, before in zip(kept, old["bench_runs"], strict=True):
                assert [(r.point, r.value) for r in run.readings] == [
                    (r["ask"], r["value"]) for r in before["document"]["readings"]
                ]
                assert run.measured_by == before["measured_by"] and all(r.quantity and r.label for r in run.readings)
            # The proposal is a document of the job, on its circuit.
            (plan,) = planned.documents
            assert plan.kind == "plan" and plan.document.target.target_current_a == 155
            assert {c.id for c in planned.circuits if c.role == "proposal"} == {plan.circuit_id}
            assert set(planned.purposes) == {"find_fault", "more_load"} and tested.purposes == ("find_fault",)
            assert [c.what for c in reversed(tested.changes)] == [c["what"] for c in old["changes"] if c["job_id"] == tested.id]
            # And it is judged like any job of today.
            for job in (planned, tested):
                findings = findings_of(session, get_row(session, job.id))
                assert findings is not None and findings.readings > 0


def test_documents_and_tasks_are_found_under_their_names_of_today(admin_url: str, database_url: str) -> None:
    """As the last program of schema 0016 kept them: what it wrote into bundles of version 2, and what a task was asked for."""
    bundle = json.loads((Path(__file__).parents[1] / "exchange" / "data" / "job.v2.mavrik.json").read_text(encoding="utf-8"))
    kept = [d for d in bundle["documents"] if d["circuit_id"] is None]
    with database_of_before(admin_url, database_url) as (database, old, upgrade):
        upgrade("0016")
        job_id, person_id = old["jobs"][0]["id"], old["people"][0]["id"]
        with database.engine.begin() as connection:
            tables = {name: sa.Table(name, sa.MetaData(), autoload_with=connection) for name in ("job_documents", "tasks")}
            for k, document in enumerate(kept, 1):
                row = {"job_id": job_id, "kind": document["kind"], "revision": k, "document": document["document"], "lock": 1}
                connection.execute(tables["job_documents"].insert(), row)
            task = {
                "kind": "compare_worth",
                "title": "What buys what",
                "asked": {"job_id": job_id},
                "state": "done",
                "progress": 1.0,
            }
            more = {"step": "", "tries": 1, "problem": "", "result": {}, "person_id": person_id}
            connection.execute(tables["tasks"].insert(), {**task, **more})
        database.migrate()
        with database.session() as session:
            complete_old_runs(session)
            documents = {d.kind: d.document for d in open_job(session, job_id).documents if d.kind != "plan"}
            drive, offer = documents[DocumentKind.DRIVE], documents[DocumentKind.QUOTATION]
            assert isinstance(drive, DriveRequest) and drive.target_idle_a == 110
            assert isinstance(offer, Quotation) and offer.accepted is not None and offer.accepted.recorded_by == "Tobin Ashgrove"
            assert {d["kind"] for d in kept} == {k.value for k in documents}
            assert session.scalars(sa.select(Task.request)).all() == [{"job_id": job_id}]
