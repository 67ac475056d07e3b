"""Migrations and the demo."""

from datetime import date

from alembic import command
from alembic.config import Config

from mavrik.jobs.demo import JOBS, load_demo
from mavrik.jobs.people import TRIES_PER_ADDRESS, sign_in
from mavrik.jobs.work import list_jobs, open_job
from mavrik.store.database import MIGRATIONS, Database, drop_database, ensure_database


def test_the_migrations_make_what_the_models_say(database_url: str) -> None:
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.set_main_option("sqlalchemy.url", database_url.replace("%", "%%"))
    command.check(config)


def test_the_demo_fills_an_empty_database_once(admin_url: str, database_url: str) -> None:
    url = database_url.replace("mavrik_test_", "mavrik_test_demo_")
    ensure_database(admin_url, url)
    database = Database(url)
    try:
        database.migrate()
        with database.session() as session:
            assert load_demo(session, date(2026, 11, 24))
        with database.session() as session:
            assert not load_demo(session, date(2026, 11, 24))
            rows = list_jobs(session)
            assert len(rows) == len(JOBS) >= 6
            assert {row.state for row in rows} == {"open", "waiting", "done"}
            assert len({row.progress.missing for row in rows}) >= 4
            assert {row.system_voltage_v for row in rows} == {12, 24}
            for row in rows:
                open_job(session, row.id)
            assert sign_in(session, "tobin", "copper-and-slate", "192.0.2.1") is not None
            for k in range(TRIES_PER_ADDRESS - 1):
                assert sign_in(session, f"nobody{k}", "x", "192.0.2.2") is None
    finally:
        database.dispose()
        drop_database(admin_url, url)
