"""Engine, sessions and migrations."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, make_url, text
from sqlalchemy.orm import Session, sessionmaker
from sqlalchemy.pool import NullPool

MIGRATIONS = Path(__file__).parent / "migrations"


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
        # A ping before use, because a restarted server must not cost anybody a request.
        self.engine: Engine = create_engine(
            self.url,
            pool_size=8,
            max_overflow=8,
            pool_pre_ping=True,
            # Values of a statement are somebody's data: they do not go into an error, and so not into a log.
            hide_parameters=True,
            connect_args={"connect_timeout": 3, "options": (limits or Limits()).options},
        )
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
