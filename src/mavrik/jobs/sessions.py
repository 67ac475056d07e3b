"""Where people are signed in: kept here, so that signing out ends it whatever copy of a cookie there is."""

from __future__ import annotations

import hashlib
import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy import ColumnElement, String, bindparam, delete, func, literal_column, select, update
from sqlalchemy.orm import Session

from mavrik.core.document import Document
from mavrik.domain.roles import Role, Who
from mavrik.jobs.errors import NotFoundError
from mavrik.store.database import SNAPSHOT
from mavrik.store.models import Person, SignIn

LASTS = timedelta(hours=14)
"""Of a working day: then one signs in again."""

SEEN_EVERY = timedelta(minutes=5)
"""So often it is kept that somebody is there; more often would write at every request."""

KEPT = timedelta(days=90)
"""How long an ended one is remembered: an address somebody came from is one they may come from again."""


def _lasting() -> ColumnElement[bool]:
    return SignIn.ended_at.is_(None) & (SignIn.begun_at > func.now() - LASTS)


FIND = (
    select(
        Person.id,
        Person.login,
        Person.name,
        Person.role,
        SignIn.id.label("sign_in"),
        (SignIn.seen_at < func.now() - SEEN_EVERY).label("old"),
        literal_column(SNAPSHOT, String).label("snapshot"),
    )
    .join(SignIn, SignIn.person_id == Person.id)
    .where(SignIn.key_hash == bindparam("key_hash"), _lasting(), Person.active)
)
"""Asked with every request, so made once."""


class SignInRecord(Document):
    """One place where a person is signed in."""

    id: int
    address: str
    handheld: bool
    """On a phone or a tablet."""
    begun_at: datetime
    seen_at: datetime
    here: bool
    """Whether it is this one."""


def begin(session: Session, who: Who, address: str, handheld: bool) -> str:
    """Keep that a person has signed in; returns the key that their cookie carries, of which only a hash is kept.

    address: where the request came from; handheld: on a phone or a tablet
    """
    key = secrets.token_urlsafe(32)
    session.execute(delete(SignIn).where(SignIn.begun_at < func.now() - KEPT))
    session.add(SignIn(person_id=who.id, key_hash=_hash(key), address=address[:60], handheld=handheld))
    session.flush()
    return key


@dataclass(frozen=True)
class ActiveSession:
    """A person who is signed in."""

    who: Who
    snapshot: str
    """Of the database, that they were seen in."""


def find(session: Session, key: str) -> ActiveSession | None:
    """The active person behind a key, or None where that has ended."""
    row = session.execute(FIND, {"key_hash": _hash(key)}).one_or_none()
    if row is None:
        return None
    if row.old:
        session.execute(update(SignIn).where(SignIn.id == row.sign_in).values(seen_at=func.now()))
    return ActiveSession(Who(row.id, row.login, row.name, Role(row.role)), row.snapshot)


def end(session: Session, key: str) -> None:
    """Sign out: the key is good for nothing from here on."""
    session.execute(update(SignIn).where(SignIn.key_hash == _hash(key), SignIn.ended_at.is_(None)).values(ended_at=func.now()))


def end_one(session: Session, who: Who, sign_in_id: int) -> None:
    """Sign oneself out in one place. Raises NotFoundError for one that is not one's own, or has ended."""
    ended = session.scalar(
        update(SignIn)
        .where(SignIn.id == sign_in_id, SignIn.person_id == who.id, _lasting())
        .values(ended_at=func.now())
        .returning(SignIn.id)
    )
    if ended is None:
        raise NotFoundError("You are not signed in there any more.")


def own(session: Session, who: Who, key: str) -> list[SignInRecord]:
    """Where a person is signed in, the newest first.

    key: of the one that asks
    """
    rows = session.scalars(select(SignIn).where(SignIn.person_id == who.id, _lasting()).order_by(SignIn.id.desc()))
    mine = _hash(key)
    return [
        SignInRecord(
            id=r.id, address=r.address, handheld=r.handheld, begun_at=r.begun_at, seen_at=r.seen_at, here=r.key_hash == mine
        )
        for r in rows
    ]


def _hash(key: str) -> str:
    return hashlib.sha256(key.encode()).hexdigest()
