"""Engine, sessions and migrations."""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, event, exc, make_url, text
from sqlalchemy.orm import Session, sessionmaker
from sqlalchemy.pool import NullPool

MIGRATIONS = Path(__file__).parent / "migrations"

TRUSTED_S = 1.0
"""A connection that answered so long ago is used without a ping: no server is down and up again within that."""

SNAPSHOT = "(pg_current_snapshot() || ' ' || (SELECT checkpoint_lsn FROM pg_control_checkpoint()))"
"""What a statement sees of all transactions: the same text, the same data (PostgreSQL's manual, transaction id and snapshot functions).

With where the last checkpoint lies, because after a crash numbers of transactions whose record was lost are given again:
recovery ends with a checkpoint of its own, further on than any before."""


@dataclass(frozen=True)
class Limits:
    """How long one request may hold up the others; PostgreSQL ends what takes longer."""

    statement_s: float = 30.0
    lock_s: float = 10.0
    """Waiting for somebody else who writes the same row."""
    idle_s: float = 120.0
    """Doing nothing inside a transaction: its locks would stay for as long as it hangs."""

    @property
    def options(self) -> str:
        """As a connection is told them."""
        given = {
            "statement_timeout": self.statement_s,
            "lock_timeout": self.lock_s,
            "idle_in_transaction_session_timeout": self.idle_s,
        }
        return " ".join(f"-c {name}={seconds * 1000:.0f}" for name, seconds in given.items())


class Database:
    """One PostgreSQL database."""

    def __init__(self, url: str, limits: Limits | None = None) -> None:
        """url: an SQLAlchemy or libpq URL, any PostgreSQL one is served by psycopg 3; limits: of its connections."""
        self.url = as_psycopg(url)
        self.engine: Engine = create_engine(
            self.url,
            pool_size=8,
            max_overflow=8,
            # Values of a statement are somebody's data: they do not go into an error, and so not into a log.
            hide_parameters=True,
            connect_args={"connect_timeout": 3, "options": (limits or Limits()).options},
        )
        _pinged_when_idle(self.engine)
        self._sessions = sessionmaker(self.engine, expire_on_commit=False)
        self._glances = sessionmaker(self.engine.execution_options(isolation_level="AUTOCOMMIT"))

    @contextmanager
    def session(self) -> Iterator[Session]:
        """A session in one transaction: committed at the end, rolled back by any exception."""
        with self._sessions.begin() as session:
            yield session

    @contextmanager
    def glance(self) -> Iterator[Session]:
        """A session without a transaction, for one look at one row: it saves two of three trips to the server."""
        with self._glances() as session:
            yield session

    def migrate(self) -> None:
        """Bring the schema to the newest version."""
        config = Config()
        config.set_main_option("script_location", str(MIGRATIONS))
        config.set_main_option("sqlalchemy.url", self.url.replace("%", "%%"))
        command.upgrade(config, "head")

    def dispose(self) -> None:
        """Close all connections."""
        self.engine.dispose()


def _pinged_when_idle(engine: Engine) -> None:
    """Let a connection that has been idle answer before it is used, because a restarted server must not cost anybody a request."""

    @event.listens_for(engine, "checkin")
    def rests(_connection: Any, record: Any) -> None:
        record.info["rests_since"] = time.monotonic()

    @event.listens_for(engine, "checkout")
    def answers(connection: Any, record: Any, _proxy: Any) -> None:
        if time.monotonic() - record.info.get("rests_since", 0.0) > TRUSTED_S:
            try:
                alive = engine.dialect.do_ping(connection)
            except engine.dialect.dbapi.Error as error:  # type: ignore[union-attr]
                # The pool opens another, and gives up what it opened before.
                raise exc.DisconnectionError() from error
            if not alive:
                raise exc.DisconnectionError()


def snapshot_of(session: Session) -> str:
    """Which transactions a session sees: as long as that is the same, nothing has changed."""
    return str(session.scalar(text(f"SELECT {SNAPSHOT}")))


def as_psycopg(url: str) -> str:
    """A PostgreSQL URL with the driver named.

    >>> as_psycopg("postgresql://u@/db")
    'postgresql+psycopg://u@/db'
    """
    for plain in ("postgresql://", "postgres://"):
        if url.startswith(plain):
            return "postgresql+psycopg://" + url[len(plain) :]
    return url


def as_libpq(url: str) -> str:
    """The same URL for what speaks to PostgreSQL without SQLAlchemy.

    >>> as_libpq("postgresql+psycopg://u@/db")
    'postgresql://u@/db'
    """
    return as_psycopg(url).replace("postgresql+psycopg://", "postgresql://", 1)


def ensure_database(admin_url: str, url: str) -> None:
    """Make the database of `url` where there is none.

    admin_url: a database of the same server whose owner may make others
    """
    name = make_url(as_psycopg(url)).database
    assert name is not None
    engine = create_engine(as_psycopg(admin_url), isolation_level="AUTOCOMMIT", poolclass=NullPool)
    with engine.connect() as connection:
        if connection.scalar(text("SELECT 1 FROM pg_database WHERE datname = :name"), {"name": name}) is None:
            connection.execute(text(f"CREATE DATABASE {engine.dialect.identifier_preparer.quote(name)}"))


def drop_database(admin_url: str, url: str) -> None:
    """Delete the database of `url`, ending whoever uses it."""
    name = make_url(as_psycopg(url)).database
    assert name is not None
    engine = create_engine(as_psycopg(admin_url), isolation_level="AUTOCOMMIT", poolclass=NullPool)
    with engine.connect() as connection:
        quoted = engine.dialect.identifier_preparer.quote(name)
        connection.execute(text(f"DROP DATABASE IF EXISTS {quoted} WITH (FORCE)"))
