"""What tests share: a PostgreSQL database of their own, made anew for each worker."""

from __future__ import annotations

import os
import uuid
from collections.abc import Iterator
from contextlib import contextmanager

import pytest

from mavrik.ops import cluster
from mavrik.store.database import Database, drop_database, ensure_database


@pytest.fixture(scope="session")
def admin_url() -> str:
    """A database from which others can be made: the private cluster's, or MAVRIK_TEST_ADMIN_URL."""
    return os.environ.get("MAVRIK_TEST_ADMIN_URL") or cluster.url_of(cluster.ensure_cluster(), "postgres")


@contextmanager
def fresh_database(admin_url: str) -> Iterator[str]:
    """An empty, migrated database; deleted afterwards."""
    name = f"mavrik_test_{uuid.uuid4().hex[:10]}"
    head, _, tail = admin_url.partition("?")
    url = f"{head.rsplit('/', 1)[0]}/{name}" + (f"?{tail}" if tail else "")
    ensure_database(admin_url, url)
    database = Database(url)
    database.migrate()
    database.dispose()
    yield url
    drop_database(admin_url, url)


@pytest.fixture(scope="session")
def database_url(admin_url: str) -> Iterator[str]:
    """This worker's database."""
    with fresh_database(admin_url) as url:
        yield url
