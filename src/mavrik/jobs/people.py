"""Accounts: who may sign in, and what they may do."""

from __future__ import annotations

import secrets
import unicodedata
from datetime import timedelta
from functools import cache

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from sqlalchemy import delete, func, or_, select, update
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session
from zxcvbn import zxcvbn

from mavrik.core.document import Document, Problem
from mavrik.domain.roles import Role, Who
from mavrik.jobs.changes import differing, note_change
from mavrik.jobs.errors import ConflictError, InvalidError, NotFoundError, TooManyError
from mavrik.store.models import Change, Person, SignIn, SignInFailure

SHORTEST_PASSWORD = 10
TRIES_PER_LOGIN = 5
TRIES_PER_ADDRESS = 25
TRIES_FROM_ANYWHERE = 20
"""For one login from all addresses together; who has signed in from an address before may still do so from there."""

LONGEST_RECKONED = 72
"""Of a longer password the beginning is enough, and reckoning takes its time."""

LEAST_STRENGTH = 2
"""Of 4, as zxcvbn reckons: fewer than a million guesses is a password that somebody has on a list."""

WINDOW = timedelta(minutes=10)

_hasher = PasswordHasher()


@cache
def _decoy() -> str:
    """A hash that no password has."""
    return _hasher.hash(secrets.token_urlsafe(16))


class Account(Document):
    """A person's account, as those see it who look after people."""

    id: int
    login: str
    name: str
    role: Role
    active: bool
    lock: int


class Named(Document):
    """Somebody by name."""

    id: int
    name: str


def list_names(session: Session) -> list[Named]:
    """Everybody who may sign in, by name."""
    people = session.execute(select(Person.id, Person.name).where(Person.active).order_by(Person.name, Person.id))
    return [Named(id=r.id, name=r.name) for r in people]


def who_is(person: Person) -> Who:
    """A person's row as `Who`."""
    return Who(person.id, person.login, person.name, Role(person.role))


def sign_in(session: Session, login: str, password: str, address: str) -> Who | None:
    """Check a login and password.

    address: where the request came from, for the rate limit
    Returns the person, or None for a wrong login or password (the failure is kept).
    Raises TooManyError after too many failures in ten minutes: for this login from this address, from this address altogether, or for
    this login from anywhere, unless that person has signed in from this address before. Nobody can so be shut out by another's guesses.
    """
    login = login.strip().lower()[:60]
    address = address[:60]
    # One guess at a time, each counted before the next: twenty at one moment are twenty. First the login, then the address, always.
    for of in (f"login {login}", f"address {address}"):
        session.execute(select(func.pg_advisory_xact_lock(func.hashtextextended(of, 0))))
    since = func.now() - WINDOW
    failures = select(func.count()).select_from(SignInFailure).where(SignInFailure.at > since)
    by_login, by_address = failures.where(SignInFailure.login == login), failures.where(SignInFailure.address == address)
    here = by_login.where(SignInFailure.address == address)
    person = session.scalar(select(Person).where(Person.login == login, Person.active))
    refused = (
        (session.scalar(here) or 0) >= TRIES_PER_LOGIN
        or (session.scalar(by_address) or 0) >= TRIES_PER_ADDRESS
        or ((session.scalar(by_login) or 0) >= TRIES_FROM_ANYWHERE and not _came_from(session, person, address))
    )
    if refused:
        raise TooManyError("Too many failed sign-ins. Wait ten minutes and try again.")
    # An unknown login takes as long as a wrong password; whoever is first waits for the hash to be made, known or not.
    decoy = _decoy()
    try:
        _hasher.verify(person.password_hash if person else decoy, password)
        good = person is not None
    except (VerificationError, InvalidHashError):
        good = False
    if not good or person is None:
        session.add(SignInFailure(login=login, address=address))
        return None
    same_caller = (SignInFailure.login == login) & (SignInFailure.address == address)
    session.execute(delete(SignInFailure).where(or_(same_caller, SignInFailure.at < since)))
    return who_is(person)


def _came_from(session: Session, person: Person | None, address: str) -> bool:
    """Whether a person has signed in from an address before."""
    if person is None:
        return False
    before = select(SignIn.id).where(SignIn.person_id == person.id, SignIn.address == address).limit(1)
    return session.scalar(before) is not None


def _scripts(login: str) -> set[str]:
    """Scripts of a login's letters, by the first word of their names: LATIN, CYRILLIC, GREEK."""
    return {unicodedata.name(c, "?").split()[0] for c in login if c.isalpha()}


def end_sign_ins(session: Session, person_id: int) -> None:
    """Sign a person out everywhere."""
    session.execute(update(SignIn).where(SignIn.person_id == person_id, SignIn.ended_at.is_(None)).values(ended_at=func.now()))


def _name_problems(name: str) -> list[Problem]:
    return [] if 1 <= len(name) <= 80 else [Problem("name", "name", "1 to 80 characters")]


def _password_problems(password: str, login: str, name: str, field: str = "password") -> list[Problem]:
    """What is wrong with a password, that it is easily guessed by who knows the person's name too."""
    if len(password) < SHORTEST_PASSWORD:
        return [Problem(field, field, f"At least {SHORTEST_PASSWORD} characters")]
    reckoned = zxcvbn(password[:LONGEST_RECKONED], user_inputs=[login, *name.split(), "mavrik"], max_length=LONGEST_RECKONED)
    if reckoned["score"] < LEAST_STRENGTH:
        return [Problem(field, field, "Too easily guessed; take a few words that do not belong together")]
    return []


def _refuse(problems: list[Problem]) -> None:
    if problems:
        raise InvalidError("; ".join(f"{p.field}: {p.message}" for p in problems), problems)


def add_person(session: Session, login: str, name: str, role: Role, password: str, by: Who | None = None) -> Who:
    """Make an account.

    Raises InvalidError for a login that is taken, or a login, name or password that will not do.
    """
    login = login.strip().lower()
    name = name.strip()
    problems: list[Problem] = []
    if not (2 <= len(login) <= 60) or not all(c.isalnum() or c in "._-" for c in login):
        problems.append(Problem("login", "login", "2 to 60 letters, digits, dots or dashes"))
    elif len(_scripts(login)) > 1:
        problems.append(Problem("login", "login", "Letters of one script only, so that no two logins look the same"))
    problem = Problem("login", "login", f"The login '{login}' is taken")
    if not problems and session.scalar(select(Person.id).where(Person.login == login)) is not None:
        problems.append(problem)
    _refuse(problems + _name_problems(name) + _password_problems(password, login, name))
    person = Person(login=login, name=name, role=role.value, password_hash=_hasher.hash(password))
    try:
        with session.begin_nested():
            session.add(person)
    except IntegrityError:
        # By somebody at this moment.
        _refuse([problem])
    session.add(
        Change(
            person_id=by.id if by else None,
            person_name=by.name if by else "set-up",
            what=f"added {role} {login}",
            kind="made",
            thing=f"account {login}",
        )
    )
    session.flush()
    return who_is(person)


def has_people(session: Session) -> bool:
    """Whether anybody can sign in yet."""
    return session.scalar(select(Person.id).limit(1)) is not None


def list_people(session: Session) -> list[Account]:
    """All accounts, those that may sign in first, by name."""
    return [account_of(p) for p in session.scalars(select(Person).order_by(Person.active.desc(), Person.name))]


def account_of(person: Person) -> Account:
    """A person's row as an account."""
    return Account(
        id=person.id, login=person.login, name=person.name, role=Role(person.role), active=person.active, lock=person.lock
    )


def change_person(
    session: Session, person_id: int, name: str, role: Role, active: bool, lock: int, by: Who, password: str = ""
) -> Account:
    """Change an account. A new password, or closing it, ends every session of that person; a role counts at once.

    lock: the version it was edited from
    password: a new one, or empty to leave it
    Raises NotFoundError for an account that is not there, ConflictError when somebody else saved in between, InvalidError for values that will not do and for a change that
    would leave nobody to look after people.
    """
    # The leads' rows are held, so that two leads cannot shut each other out at the same moment.
    leads = set(session.scalars(select(Person.id).where(Person.active, Person.role == Role.LEAD.value).with_for_update()))
    person = session.scalar(select(Person).where(Person.id == person_id).with_for_update())
    if person is None:
        raise NotFoundError("There is no such account.")
    if person.lock != lock:
        theirs = account_of(person).model_dump(mode="json")
        raise ConflictError("Somebody else saved this account while you were editing it.", theirs)
    name = name.strip()
    problems = _name_problems(name) + (_password_problems(password, person.login, name) if password else [])
    if person.id in leads and len(leads) == 1 and not (active and role is Role.LEAD):
        field = "active" if not active else "role"
        problems.append(Problem(field, field, "This is the only lead; make another one first"))
    _refuse(problems)
    before = {"name": person.name, "role": person.role, "active": person.active}
    person.name, person.role, person.active = name, role.value, active
    was, now = differing(before, {"name": name, "role": role.value, "active": active})
    if password:
        person.password_hash = _hasher.hash(password)
    if password or not active:
        end_sign_ins(session, person.id)
    what = (
        f"changed account {person.login}: {role.value}, {'active' if active else 'closed'}{', new password' if password else ''}"
    )
    note_change(session, None, by, what, kind="changed", thing=f"account {person.login}", before=was, after=now)
    session.flush()
    return account_of(person)


def change_password(session: Session, who: Who, old: str, new: str, address: str) -> Who:
    """Change one's own password; they are signed out everywhere.

    address: where the request came from, for the rate limit
    Raises InvalidError when the old one is wrong or the new one will not do. Wrong ones count as failed sign-ins.
    """
    problems = _password_problems(new, who.login, who.name, "new_password")
    _refuse(problems)
    person = session.get(Person, who.id)
    if person is None or sign_in(session, who.login, old, address) is None:
        raise InvalidError("Current password is incorrect.", [Problem("password", "password", "Current password is incorrect")])
    person.password_hash = _hasher.hash(new)
    end_sign_ins(session, person.id)
    note_change(session, None, who, "changed the own password", kind="changed", thing=f"account {person.login}")
    session.flush()
    return who_is(person)
