"""What tests share: a PostgreSQL database of their own, made anew for each worker."""

from __future__ import annotations

import os
import uuid
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime

import pytest
from hypothesis import settings
from sqlalchemy import NullPool, create_engine, text

from mavrik.jobs.demo import load_demo
from mavrik.ops import cluster
from mavrik.store.database import Database, as_psycopg, drop_database, ensure_database

RUN = "MAVRIK_TEST_RUN"
"""Names one run of the tests to all its workers."""
FILLING = 0x6D617672
"""The advisory lock of who fills the demo's database."""


# No test is timed: the machine may be busy.
settings.register_profile("untimed", deadline=None)
settings.load_profile("untimed")


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--without-long", action="store_true", help="leave out what is marked `long`, but for its first cases")


def pytest_configure(config: pytest.Config) -> None:
    os.environ.setdefault(RUN, uuid.uuid4().hex[:10])


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Leave out the long ones where that is asked for: of a test of many cases those behind its first `but`."""
    if not config.getoption("--without-long"):
        return
    cases, left = Counter[str](), list[pytest.Item]()
    for item in items:
        marker, family = item.get_closest_marker("long"), item.nodeid.partition("[")[0]
        cases[family] += 1
        if marker is not None and cases[family] > marker.kwargs.get("but", 0):
            left.append(item)
    config.hook.pytest_deselected(items=left)
    without = set(left)
    items[:] = [item for item in items if item not in without]


def pytest_unconfigure(config: pytest.Config) -> None:
    admin_url = os.environ.get("MAVRIK_TEST_ADMIN_URL")
    if admin_url and not hasattr(config, "workerinput"):
        drop_database(admin_url, _beside(admin_url, _demo_name()))


@pytest.fixture(scope="session")
def whole(pytestconfig: pytest.Config) -> bool:
    """Whether the long ones are run as well: for a test that goes through more cases then."""
    return not pytestconfig.getoption("--without-long")


@pytest.fixture(scope="session")
def admin_url() -> str:
    """A database from which others can be made: the private cluster's, or MAVRIK_TEST_ADMIN_URL."""
    own = os.environ.get("MAVRIK_TEST_ADMIN_URL") or cluster.url_of(cluster.ensure_cluster(), "postgres")
    os.environ["MAVRIK_TEST_ADMIN_URL"] = own
    return own


def _beside(admin_url: str, name: str) -> str:
    """The address of another database of the same server."""
    head, _, tail = admin_url.partition("?")
    return f"{head.rsplit('/', 1)[0]}/{name}" + (f"?{tail}" if tail else "")


def _demo_name() -> str:
    return f"mavrik_test_demo_{os.environ[RUN]}"


@contextmanager
def fresh_database(admin_url: str) -> Iterator[str]:
    """An empty, migrated database; deleted afterwards."""
    url = _beside(admin_url, f"mavrik_test_{uuid.uuid4().hex[:10]}")
    ensure_database(admin_url, url)
    database = Database(url)
    database.migrate()
    database.dispose()
    yield url
    drop_database(admin_url, url)


@contextmanager
def demo_database(admin_url: str) -> Iterator[str]:
    """A database with the demo's data, which are made once in a run and copied; deleted afterwards."""
    name, demo = f"mavrik_test_{uuid.uuid4().hex[:10]}", _demo_name()
    engine = create_engine(as_psycopg(admin_url), isolation_level="AUTOCOMMIT", poolclass=NullPool)
    with engine.connect() as connection:
        # Of several workers one fills it, the others wait; whoever ends early leaves nothing that looks filled.
        connection.execute(text("SELECT pg_advisory_lock(:key)"), {"key": FILLING})
        if connection.scalar(text("SELECT 1 FROM pg_database WHERE datname = :name"), {"name": demo}) is None:
            with fresh_database(admin_url) as filling:
                database = Database(filling)
                with database.session() as session:
                    load_demo(session, datetime.now(UTC).date())
                database.dispose()
                own = filling.partition("?")[0].rsplit("/", 1)[1]
                connection.execute(text(f'ALTER DATABASE "{own}" RENAME TO "{demo}"'))
        connection.execute(text("SELECT pg_advisory_unlock(:key)"), {"key": FILLING})
        connection.execute(text(f'CREATE DATABASE "{name}" TEMPLATE "{demo}"'))
    url = _beside(admin_url, name)
    yield url
    drop_database(admin_url, url)


@pytest.fixture(scope="session")
def database_url(admin_url: str) -> Iterator[str]:
    """This worker's database."""
    with fresh_database(admin_url) as url:
        yield url
