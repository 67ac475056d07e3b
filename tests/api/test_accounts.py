"""Accounts below the web: passwords, sessions, limits on guessing."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta

import pytest
from argon2 import PasswordHasher
from sqlalchemy import select, update
from sqlalchemy.orm import Session

from mavrik.domain.roles import IN_WORDS, MAY, Permission, Role, Who
from mavrik.jobs import sessions
from mavrik.jobs.errors import ConflictError, InvalidError, NotFoundError, TooManyError
from mavrik.jobs.people import (
    TRIES_FROM_ANYWHERE,
    TRIES_PER_ADDRESS,
    TRIES_PER_LOGIN,
    WINDOW,
    add_person,
    change_password,
    change_person,
    has_people,
    list_people,
    sign_in,
)
from mavrik.store.database import Database
from mavrik.store.models import Change, Person, SignIn, SignInFailure

GOOD = "a password of length"


def signed_in(session: Session, key: str) -> Who | None:
    """The person behind a key."""
    row = sessions.find(session, key)
    return row.who if row else None


@pytest.fixture
def session(database_url: str) -> Iterator[Session]:
    """A session whose work is thrown away."""
    database = Database(database_url)
    with database.engine.connect() as connection, connection.begin() as outer:
        with Session(connection, join_transaction_mode="create_savepoint") as made:
            yield made
        outer.rollback()
    database.dispose()


def test_a_password_is_kept_only_as_argon2(session: Session) -> None:
    who = add_person(session, "Hashed", "Somebody", Role.TECHNICIAN, GOOD)
    row = session.get(Person, who.id)
    assert row is not None and row.login == "hashed"
    assert row.password_hash.startswith("$argon2id$") and GOOD not in row.password_hash
    assert has_people(session)
    assert session.scalar(select(Change.what).order_by(Change.id.desc()).limit(1)) == "added technician hashed"


def test_hashes_are_made_as_recommended(quick_hashes: PasswordHasher) -> None:
    """RFC 9106, the second choice, for where memory is short: 64 MiB, three passes, four lanes (from memory)."""
    assert quick_hashes.hash(GOOD).startswith("$argon2id$v=19$m=65536,t=3,p=4$")


@pytest.mark.parametrize(
    ("login", "name", "password", "field"),
    [
        ("x", "N", GOOD, "login"),
        ("a b", "N", GOOD, "login"),
        ("fine", " ", GOOD, "name"),
        ("fine", "N", "123456789", "password"),
        ("<x>", "N", GOOD, "login"),
    ],
)
def test_an_account_that_will_not_do_is_refused_by_field(
    session: Session, login: str, name: str, password: str, field: str
) -> None:
    with pytest.raises(InvalidError) as caught:
        add_person(session, login, name, Role.LEAD, password)
    assert [p.field for p in caught.value.problems] == [field]


def begun(session: Session, who: Who, address: str = "192.0.2.1") -> str:
    return sessions.begin(session, who, address, False)


def test_a_session_ends_by_itself_and_with_its_person(session: Session) -> None:
    who = add_person(session, "stamped", "S", Role.TECHNICIAN, GOOD)
    key, other = begun(session, who), begun(session, who)
    assert signed_in(session, key) == who
    sessions.end(session, key)
    assert signed_in(session, key) is None and signed_in(session, other) == who
    session.execute(update(Person).where(Person.id == who.id).values(active=False))
    assert signed_in(session, other) is None
    assert {w.login: w.active for w in list_people(session)}[who.login] is False
    assert sign_in(session, "stamped", GOOD, "192.0.2.9") is None


@pytest.mark.parametrize("key", ["", ":", "1", "x:y", "1:", "99999999999:z", "-1:z", "1 OR 1=1:z"])
def test_a_made_up_session_is_nobody(session: Session, key: str) -> None:
    assert signed_in(session, key) is None


def test_a_login_is_closed_for_a_while_after_too_many_failures(session: Session) -> None:
    add_person(session, "guessed", "G", Role.TECHNICIAN, GOOD)
    for _ in range(TRIES_PER_LOGIN):
        assert sign_in(session, "GUESSED ", "wrong", "192.0.2.5") is None
    with pytest.raises(TooManyError):
        sign_in(session, "guessed", GOOD, "192.0.2.5")
    # Where the guesses did not come from its person goes on signing in.
    assert sign_in(session, "guessed", GOOD, "192.0.2.6") is not None
    # Ten minutes later it is open again, and a good sign-in clears the count.
    session.execute(update(SignInFailure).values(at=SignInFailure.at - WINDOW - timedelta(seconds=1)))
    assert sign_in(session, "guessed", GOOD, "192.0.2.5") is not None
    assert session.scalar(select(SignInFailure.id).where(SignInFailure.login == "guessed")) is None


def test_guesses_from_everywhere_close_a_login_where_its_person_never_was(session: Session) -> None:
    who = add_person(session, "scattered", "S", Role.TECHNICIAN, GOOD)
    begun(session, who, "192.0.2.40")
    for k in range(TRIES_FROM_ANYWHERE):
        session.add(SignInFailure(login="scattered", address=f"198.51.100.{k}"))
    session.flush()
    with pytest.raises(TooManyError):
        sign_in(session, "scattered", GOOD, "192.0.2.41")
    assert sign_in(session, "scattered", GOOD, "192.0.2.40") is not None


def test_what_is_long_over_is_forgotten(session: Session) -> None:
    who = add_person(session, "long_ago", "L", Role.TECHNICIAN, GOOD)
    begun(session, who)
    session.execute(
        update(SignIn).where(SignIn.person_id == who.id).values(begun_at=SignIn.begun_at - sessions.KEPT - timedelta(1))
    )
    begun(session, who)
    assert len(session.scalars(select(SignIn.id).where(SignIn.person_id == who.id)).all()) == 1


def test_an_address_is_closed_after_too_many_failures_over_all_logins(session: Session) -> None:
    add_person(session, "bystander", "B", Role.TECHNICIAN, GOOD)
    for k in range(TRIES_PER_ADDRESS):
        session.add(SignInFailure(login=f"nobody{k}", address="192.0.2.7"))
    session.flush()
    with pytest.raises(TooManyError):
        sign_in(session, "bystander", GOOD, "192.0.2.7")
    assert sign_in(session, "bystander", GOOD, "192.0.2.8") is not None


def test_each_role_may_what_the_one_below_may_and_a_lead_everything() -> None:
    assert MAY[Role.READ_ONLY] < MAY[Role.TECHNICIAN] < MAY[Role.LEAD] == set(Permission) == set(IN_WORDS)


def test_a_lead_changes_and_closes_an_account(session: Session) -> None:
    lead = add_person(session, "head", "Head", Role.LEAD, GOOD)
    hand = add_person(session, "hand", "Hand", Role.TECHNICIAN, GOOD)
    key = begun(session, hand)
    changed = change_person(session, hand.id, " Handy ", Role.READ_ONLY, True, 1, lead)
    assert (changed.name, changed.role, changed.lock) == ("Handy", Role.READ_ONLY, 2)
    seen = signed_in(session, key)
    assert seen is not None and seen.role is Role.READ_ONLY  # a role counts at once, without signing in again
    closed = change_person(session, hand.id, "Handy", Role.READ_ONLY, False, 2, lead)
    assert not closed.active and signed_in(session, key) is None
    assert sign_in(session, "hand", GOOD, "192.0.2.20") is None
    again = change_person(session, hand.id, "Handy", Role.TECHNICIAN, True, 3, lead, "another good password")
    assert again.active and signed_in(session, key) is None
    assert sign_in(session, "hand", "another good password", "192.0.2.20") is not None


def test_the_last_lead_can_be_neither_closed_nor_demoted(session: Session) -> None:
    session.execute(update(Person).values(active=False))
    lead = add_person(session, "only", "Only", Role.LEAD, GOOD)
    for role, active, field in ((Role.TECHNICIAN, True, "role"), (Role.LEAD, False, "active")):
        with pytest.raises(InvalidError) as caught:
            change_person(session, lead.id, "Only", role, active, 1, lead)
        assert [p.field for p in caught.value.problems] == [field]
    add_person(session, "second", "Second", Role.LEAD, GOOD)
    assert change_person(session, lead.id, "Only", Role.TECHNICIAN, True, 1, lead).role is Role.TECHNICIAN


def test_an_account_saved_by_somebody_else_is_not_overwritten(session: Session) -> None:
    lead = add_person(session, "lead_a", "A", Role.LEAD, GOOD)
    other = add_person(session, "hand_b", "B", Role.TECHNICIAN, GOOD)
    change_person(session, other.id, "Bee", Role.TECHNICIAN, True, 1, lead)
    with pytest.raises(ConflictError) as caught:
        change_person(session, other.id, "Bea", Role.TECHNICIAN, True, 1, lead)
    assert caught.value.theirs["name"] == "Bee"
    with pytest.raises(NotFoundError):
        change_person(session, 999_999, "X", Role.TECHNICIAN, True, 1, lead)


def test_ones_own_password_changes_only_with_the_old_one(session: Session) -> None:
    who = add_person(session, "self", "Self", Role.READ_ONLY, GOOD)
    key = begun(session, who)
    for old, new, field in (("not it at all", "a new long password", "password"), (GOOD, "short", "new_password")):
        with pytest.raises(InvalidError) as caught:
            change_password(session, who, old, new, "192.0.2.30")
        assert [p.field for p in caught.value.problems] == [field]
    assert signed_in(session, key) == who
    fresh = change_password(session, who, GOOD, "a new long password", "192.0.2.30")
    assert signed_in(session, key) is None and fresh == who
    assert sign_in(session, "self", "a new long password", "192.0.2.30") is not None


def test_wrong_old_passwords_are_counted_as_guesses(session: Session) -> None:
    who = add_person(session, "tried", "T", Role.READ_ONLY, GOOD)
    for _ in range(TRIES_PER_LOGIN):
        with pytest.raises(InvalidError):
            change_password(session, who, "wrong", "a new long password", "192.0.2.31")
    with pytest.raises(TooManyError):
        change_password(session, who, GOOD, "a new long password", "192.0.2.31")
