"""Accounts: who may sign in, and what they may do."""

from __future__ import annotations

import secrets
from dataclasses import dataclass
from datetime import timedelta
from enum import StrEnum

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from sqlalchemy import delete, func, or_, select
from sqlalchemy.orm import Session

from mavrik.core.topology import Problem
from mavrik.jobs.errors import InvalidError, TooManyError
from mavrik.store.models import Change, Person, SignInFailure

SHORTEST_PASSWORD = 10
TRIES_PER_LOGIN = 5
TRIES_PER_ADDRESS = 25
WINDOW = timedelta(minutes=10)

_hasher = PasswordHasher()
_decoy = _hasher.hash(secrets.token_urlsafe(16))


class Role(StrEnum):
    """What a person may do: read; work on jobs; also look after people."""

    READ_ONLY = "read_only"
    TECHNICIAN = "technician"
    LEAD = "lead"

    @property
    def rank(self) -> int:
        """Higher may do more."""
        return [Role.READ_ONLY, Role.TECHNICIAN, Role.LEAD].index(self)


@dataclass(frozen=True)
class Who:
    """The person acting, as use cases need to know them."""

    id: int
    login: str
    name: str
    role: Role
    stamp: str = ""


def who_is(person: Person) -> Who:
    """A person's row as `Who`."""
    return Who(person.id, person.login, person.name, Role(person.role), person.stamp)


def find_session(session: Session, key: str) -> Who | None:
    """The active person behind a session key, or None when it has ended."""
    person_id, _, stamp = key.partition(":")
    person = session.get(Person, int(person_id)) if person_id.isdigit() and len(person_id) < 10 else None
    if person is None or not person.active or not secrets.compare_digest(person.stamp, stamp):
        return None
    return who_is(person)


def session_key(who: Who) -> str:
    """What the session cookie carries of a person."""
    return f"{who.id}:{who.stamp}"


def sign_in(session: Session, login: str, password: str, address: str) -> Who | None:
    """Check a login and password.

    address: where the request came from, for the rate limit
    Returns the person, or None for a wrong login or password (the failure is kept).
    Raises TooManyError after too many failures in ten minutes for this login or this address.
    """
    login = login.strip().lower()[:60]
    since = func.now() - WINDOW
    failures = select(func.count()).select_from(SignInFailure).where(SignInFailure.at > since)
    by_login = session.scalar(failures.where(SignInFailure.login == login)) or 0
    by_address = session.scalar(failures.where(SignInFailure.address == address)) or 0
    if by_login >= TRIES_PER_LOGIN or by_address >= TRIES_PER_ADDRESS:
        raise TooManyError("Too many failed sign-ins. Wait ten minutes and try again.")
    person = session.scalar(select(Person).where(Person.login == login, Person.active))
    try:
        # An unknown login takes as long as a wrong password.
        _hasher.verify(person.password_hash if person else _decoy, password)
        good = person is not None
    except (VerificationError, InvalidHashError):
        good = False
    if not good or person is None:
        session.add(SignInFailure(login=login, address=address[:60]))
        return None
    session.execute(delete(SignInFailure).where(or_(SignInFailure.login == login, SignInFailure.at < since)))
    return who_is(person)


def add_person(session: Session, login: str, name: str, role: Role, password: str, by: Who | None = None) -> Who:
    """Make an account.

    Raises InvalidError for a login that is taken, or a login, name or password that will not do.
    """
    login = login.strip().lower()
    name = name.strip()
    problems = []
    if not (2 <= len(login) <= 60) or not all(c.isalnum() or c in "._-" for c in login):
        problems.append(Problem("login", "login", "2 to 60 letters, digits, dots or dashes"))
    elif session.scalar(select(Person.id).where(Person.login == login)) is not None:
        problems.append(Problem("login", "login", f"The login '{login}' is taken"))
    if not 1 <= len(name) <= 80:
        problems.append(Problem("name", "name", "1 to 80 characters"))
    if len(password) < SHORTEST_PASSWORD:
        problems.append(Problem("password", "password", f"At least {SHORTEST_PASSWORD} characters"))
    if problems:
        raise InvalidError("; ".join(f"{p.field}: {p.message}" for p in problems), problems)
    person = Person(login=login, name=name, role=role.value, password_hash=_hasher.hash(password), stamp=secrets.token_hex(8))
    session.add(person)
    session.add(Change(person_id=by.id if by else None, person_name=by.name if by else "set-up", what=f"added {role} {login}"))
    session.flush()
    return who_is(person)


def has_people(session: Session) -> bool:
    """Whether anybody can sign in yet."""
    return session.scalar(select(Person.id).limit(1)) is not None


def list_people(session: Session) -> list[Who]:
    """Everybody with an account, by name."""
    return [who_is(p) for p in session.scalars(select(Person).where(Person.active).order_by(Person.name))]
