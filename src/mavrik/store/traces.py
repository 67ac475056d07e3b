"""Rows that are only ever added: the database itself refuses to change them, but for the few use cases that have to."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from sqlalchemy import text
from sqlalchemy.orm import Session


@contextmanager
def rewriting(session: Session) -> Iterator[None]:
    """Inside, runs and changes may be changed and deleted: to bring an older program's up to date, to erase, to empty the basket."""
    session.execute(text("SET LOCAL mavrik.rewriting = 'on'"))
    yield
    session.flush()
    session.execute(text("SET LOCAL mavrik.rewriting = 'off'"))
