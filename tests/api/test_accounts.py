"""Accounts below the web: passwords, sessions, limits on guessing."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta

import pytest
from sqlalchemy import select, update
from sqlalchemy.orm import Session

from mavrik.core.measurement import Instrument, InstrumentKind
from mavrik.jobs.equipment import list_instruments, save_instrument
from mavrik.jobs.errors import InvalidError, TooManyError
from mavrik.jobs.people import (
    TRIES_PER_ADDRESS,
    TRIES_PER_LOGIN,
    WINDOW,
    Role,
    add_person,
    find_session,
    has_people,
    list_people,
    session_key,
    sign_in,
)
from mavrik.store.database import Database
from mavrik.store.models import Change, Person, SignInFailure

GOOD = "a password of length"


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


def test_a_session_ends_with_its_stamp_and_with_its_person(session: Session) -> None:
    who = add_person(session, "stamped", "S", Role.TECHNICIAN, GOOD)
    key = session_key(who)
    assert find_session(session, key) == who
    session.execute(update(Person).where(Person.id == who.id).values(stamp="another"))
    assert find_session(session, key) is None
    session.execute(update(Person).where(Person.id == who.id).values(stamp=who.stamp, active=False))
    assert find_session(session, key) is None
    assert who.login not in [w.login for w in list_people(session)]
    assert sign_in(session, "stamped", GOOD, "192.0.2.9") is None


@pytest.mark.parametrize("key", ["", ":", "1", "x:y", "1:", "99999999999:z", "-1:z", "1 OR 1=1:z"])
def test_a_made_up_session_is_nobody(session: Session, key: str) -> None:
    assert find_session(session, key) is None


def test_a_login_is_closed_for_a_while_after_too_many_failures(session: Session) -> None:
    add_person(session, "guessed", "G", Role.TECHNICIAN, GOOD)
    for _ in range(TRIES_PER_LOGIN):
        assert sign_in(session, "GUESSED ", "wrong", "192.0.2.5") is None
    with pytest.raises(TooManyError):
        sign_in(session, "guessed", GOOD, "192.0.2.6")
    # Ten minutes later it is open again, and a good sign-in clears the count.
    session.execute(update(SignInFailure).values(at=SignInFailure.at - WINDOW - timedelta(seconds=1)))
    assert sign_in(session, "guessed", GOOD, "192.0.2.6") is not None
    assert session.scalar(select(SignInFailure.id).where(SignInFailure.login == "guessed")) is None


def test_an_address_is_closed_after_too_many_failures_over_all_logins(session: Session) -> None:
    add_person(session, "bystander", "B", Role.TECHNICIAN, GOOD)
    for k in range(TRIES_PER_ADDRESS):
        session.add(SignInFailure(login=f"nobody{k}", address="192.0.2.7"))
    session.flush()
    with pytest.raises(TooManyError):
        sign_in(session, "bystander", GOOD, "192.0.2.7")
    assert sign_in(session, "bystander", GOOD, "192.0.2.8") is not None


def test_roles_are_ordered() -> None:
    assert Role.READ_ONLY.rank < Role.TECHNICIAN.rank < Role.LEAD.rank


def test_an_instrument_is_kept_whole(session: Session) -> None:
    who = add_person(session, "keeper", "K", Role.TECHNICIAN, GOOD)
    meter = Instrument(id="odd_meter", label="Odd", kind=InstrumentKind.TACHOMETER, percent_of_reading=1, digits=1, resolution=1)
    save_instrument(session, meter, who)
    session.flush()
    assert meter in list_instruments(session)
