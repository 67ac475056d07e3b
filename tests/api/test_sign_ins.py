"""Where people are signed in is kept on the server: signing out ends it for every copy of a cookie, and guesses are counted one by one."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
from sqlalchemy import text
from werkzeug.test import TestResponse

from mavrik.jobs import people
from mavrik.store.database import Database
from mavrik.web.app import create_app
from mavrik.web.settings import Settings
from tests.api.conftest import PASSWORD, Caller
from tests.api.test_people import make, signed_in


def guess(app: Any, login: str, password: str, address: str) -> TestResponse:
    client = app.test_client()
    token = client.get("/api/session").json["csrf_token"]
    return client.post(  # type: ignore[no-any-return]
        "/api/session", json={"login": login, "password": password}, headers={"X-CSRFToken": token},
        environ_overrides={"REMOTE_ADDR": address},
    )  # fmt: skip


def copy_of(app: Any, caller: Caller) -> Caller:
    """Another browser with the same cookie."""
    other = app.test_client()
    cookie = caller.client.get_cookie("mavrik")
    assert cookie is not None
    other.set_cookie("mavrik", cookie.value)
    return Caller(other)


def test_signing_out_ends_a_copied_cookie(app: Any, boss: Caller) -> None:
    make(boss, "copied")
    here = signed_in(app, "copied")
    thief = copy_of(app, here)
    assert thief.get("/api/jobs").status_code == 200
    assert here.send("DELETE", "/api/session").status_code == 200
    assert thief.get("/api/jobs").status_code == 401 and here.get("/api/jobs").status_code == 401


def test_cookie_and_write_token_are_new_at_sign_in(app: Any, boss: Caller) -> None:
    """What somebody planted in a browser before is not what its person then works with."""
    make(boss, "fixed")
    caller = Caller(app.test_client())
    token, cookie = caller.token, caller.client.get_cookie("mavrik")
    assert caller.sign_in("fixed").status_code == 200
    after = caller.client.get_cookie("mavrik")
    assert cookie and after and caller.token != token and after.value != cookie.value
    assert caller.post("/api/solve", {}, token=token).status_code == 400
    assert caller.post("/api/solve", {}).status_code in (403, 422)


def test_one_sees_and_ends_ones_own(app: Any, boss: Caller) -> None:
    make(boss, "roaming")
    here, tablet = signed_in(app, "roaming"), signed_in(app, "roaming")
    listed = here.get("/api/sign-ins").json["sign_ins"]  # type: ignore[index]
    assert [s["here"] for s in listed] == [False, True] and {s["address"] for s in listed} == {"127.0.0.1"}
    assert "key" not in str(listed)
    left = here.send("DELETE", f"/api/sign-ins/{listed[0]['id']}")
    assert [s["here"] for s in left.json["sign_ins"]] == [True]  # type: ignore[index]
    assert tablet.get("/api/jobs").status_code == 401 and here.get("/api/jobs").status_code == 200
    assert here.send("DELETE", f"/api/sign-ins/{listed[0]['id']}").status_code == 404
    # Somebody else's is as if it were not there.
    assert boss.send("DELETE", f"/api/sign-ins/{listed[1]['id']}").status_code == 404
    assert here.get("/api/jobs").status_code == 200


def test_a_phone_is_told_from_a_computer(app: Any, boss: Caller) -> None:
    make(boss, "pocket")
    phone = app.test_client()
    token = phone.get("/api/session").json["csrf_token"]
    headers = {"X-CSRFToken": token, "User-Agent": "Something (Mobile; like others)"}
    assert phone.post("/api/session", json={"login": "pocket", "password": PASSWORD}, headers=headers).status_code == 200
    [row] = phone.get("/api/sign-ins", headers=headers).json["sign_ins"]
    assert row["handheld"] is True


def test_it_ends_by_itself_after_a_working_day(app: Any, boss: Caller, database_url: str) -> None:
    make(boss, "sleeper")
    caller = signed_in(app, "sleeper")
    database = Database(database_url)

    def age(hours: float) -> None:
        with database.session() as session:
            session.execute(
                text(
                    "UPDATE sign_ins SET begun_at = now() - make_interval(mins => :m), seen_at = now() - interval '1 hour' "
                    "WHERE person_id = (SELECT id FROM people WHERE login = 'sleeper')"
                ),
                {"m": int(hours * 60)},
            )

    age(13.9)
    assert caller.get("/api/jobs").status_code == 200
    with database.session() as session:
        seen = "SELECT max(seen_at) > now() - interval '1 minute' FROM sign_ins JOIN people p ON p.id = person_id WHERE p.login = 'sleeper'"
        assert session.scalar(text(seen)) is True
        # Who reads the database finds nothing to sign in with.
        kept = session.scalar(text("SELECT key_hash FROM sign_ins ORDER BY id DESC LIMIT 1"))
    cookie = caller.client.get_cookie("mavrik")
    assert cookie is not None and kept not in cookie.value
    age(14.1)
    assert caller.get("/api/jobs").status_code == 401
    database.dispose()


@pytest.mark.parametrize("forged", ["", "1", "1:stamp", "x" * 5000, "é\x00"])
def test_a_made_up_key_opens_nothing(app: Any, database_url: str, forged: str) -> None:
    client = app.test_client()
    with client.session_transaction() as cookie:
        cookie["_user_id"] = forged.replace("\x00", "")
        cookie["_fresh"] = True
    assert client.get("/api/jobs").status_code == 401


def test_twenty_guesses_at_one_moment_are_twenty(app: Any, boss: Caller) -> None:
    make(boss, "besieged")
    with ThreadPoolExecutor(10) as pool:
        codes = list(pool.map(lambda k: guess(app, "besieged", f"guess {k}", "10.1.1.1").status_code, range(20)))
    assert sorted(codes) == [401] * people.TRIES_PER_LOGIN + [429] * (20 - people.TRIES_PER_LOGIN)


def test_anothers_guesses_do_not_lock_a_person_out(app: Any, boss: Caller, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(people, "TRIES_FROM_ANYWHERE", 6)
    make(boss, "targeted")
    assert guess(app, "targeted", PASSWORD, "10.2.0.1").status_code == 200
    for k in range(6):
        assert guess(app, "targeted", "a guess", f"10.2.9.{k}").status_code == 401
    # Guesses from many addresses together close the login for addresses it never came from, and only for those.
    refused = guess(app, "targeted", PASSWORD, "10.2.9.99")
    assert refused.status_code == 429 and int(refused.headers["Retry-After"]) == 600
    assert guess(app, "targeted", PASSWORD, "10.2.0.1").status_code == 200


def test_signing_in_elsewhere_does_not_forgive_an_attacker(app: Any, boss: Caller) -> None:
    make(boss, "watched")
    for _ in range(people.TRIES_PER_LOGIN):
        guess(app, "watched", "a guess", "10.3.9.9")
    assert guess(app, "watched", PASSWORD, "10.3.0.1").status_code == 200
    assert guess(app, "watched", "a guess", "10.3.9.9").status_code == 429


@pytest.mark.parametrize(
    ("password", "good"),
    [("password1234", False), ("qwertyuiop", False), ("aaaaaaaaaaaa", False), ("marlowe2026", False), ("gorse kettle lantern", True), ("x" * 3000, False)],
)  # fmt: skip
def test_a_password_on_everybodys_list_is_refused(boss: Caller, password: str, good: bool) -> None:
    body = {"login": f"marlowe{len(password)}", "name": "Marlowe Quist", "role": "technician", "password": password}
    answer = boss.post("/api/people", body)
    assert answer.status_code == (201 if good else 422), answer.text
    if not good:
        assert [p["field"] for p in answer.json["problems"]] == ["password"]  # type: ignore[index]


def test_a_login_is_of_one_script(boss: Caller) -> None:
    def added(login: str) -> TestResponse:
        return boss.post("/api/people", {"login": login, "name": "Any", "role": "technician", "password": PASSWORD})

    mixed = added("t\u043ebin.two")  # a Cyrillic o
    assert mixed.status_code == 422 and "one script" in mixed.text
    assert added("\u0438\u0440\u0438\u043d\u0430-2").status_code == 201


@pytest.mark.parametrize(("proxies", "seen"), [(0, "127.0.0.1"), (1, "10.0.0.2"), (2, "10.0.0.1")])
def test_only_our_own_proxies_are_believed(app: Any, boss: Caller, database_url: str, proxies: int, seen: str) -> None:
    """Whoever sends the header may write into it what he likes; only what our own proxies added counts."""
    if proxies == 0:
        make(boss, "behind")
    behind = create_app(
        Settings(database_url=database_url, secret_key="test", static=app.config["MAVRIK"].static, proxies=proxies)
    )
    client = behind.test_client()
    ahead = {"X-Forwarded-For": "6.6.6.6, 10.0.0.1, 10.0.0.2"}
    token = client.get("/api/session", headers=ahead).json["csrf_token"]
    body = {"login": "behind", "password": PASSWORD}
    assert client.post("/api/session", json=body, headers={**ahead, "X-CSRFToken": token}).status_code == 200
    assert client.get("/api/sign-ins", headers=ahead).json["sign_ins"][0]["address"] == seen
