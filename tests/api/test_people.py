"""Accounts over HTTP: changed, closed, their own password; and what two requests at one moment do."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest

from tests.api.conftest import PASSWORD, Caller, job_body


def make(boss: Caller, login: str, role: str = "technician") -> dict[str, Any]:
    answer = boss.post("/api/people", {"login": login, "name": login.title(), "role": role, "password": PASSWORD})
    assert answer.status_code == 201, answer.text
    made: dict[str, Any] = answer.json  # type: ignore[assignment]
    return made


def as_kept(person: dict[str, Any], **changes: Any) -> dict[str, Any]:
    return {"name": person["name"], "role": person["role"], "active": person["active"], "lock": person["lock"], **changes}


def signed_in(app: Any, login: str, password: str = PASSWORD) -> Caller:
    caller = Caller(app.test_client())
    assert caller.sign_in(login, password).status_code == 200
    return caller


def test_a_closed_account_is_out_at_its_next_request(app: Any, boss: Caller) -> None:
    person = make(boss, "leaver")
    hand = signed_in(app, "leaver")
    assert hand.get("/api/jobs").status_code == 200
    closed = boss.put(f"/api/people/{person['id']}", as_kept(person, active=False))
    assert closed.status_code == 200 and closed.json["active"] is False  # type: ignore[index]
    assert hand.get("/api/jobs").status_code == 401
    assert Caller(app.test_client()).sign_in("leaver").status_code == 401


def test_a_role_counts_from_the_next_request(app: Any, boss: Caller) -> None:
    person = make(boss, "climber", "read_only")
    hand = signed_in(app, "climber")
    assert hand.post("/api/jobs", job_body()).status_code == 403
    assert boss.put(f"/api/people/{person['id']}", as_kept(person, role="technician")).status_code == 200
    assert hand.post("/api/jobs", job_body()).status_code == 201


def test_the_second_lead_to_save_is_told(boss: Caller) -> None:
    person = make(boss, "contested")
    assert boss.put(f"/api/people/{person['id']}", as_kept(person, name="One")).status_code == 200
    late = boss.put(f"/api/people/{person['id']}", as_kept(person, name="Two"))
    assert late.status_code == 409
    assert late.json["theirs"]["name"] == "One"  # type: ignore[index]


@pytest.mark.parametrize(
    ("changes", "field"),
    [({"name": " "}, "name"), ({"role": "king"}, "role"), ({"password": "short"}, "password"), ({"lock": "x"}, "lock")],
)
def test_a_change_that_will_not_do_is_refused_by_field(boss: Caller, changes: dict[str, Any], field: str) -> None:
    person = next(p for p in boss.get("/api/people").json["people"] if p["login"] == "other")  # type: ignore[index]
    answer = boss.put(f"/api/people/{person['id']}", as_kept(person, **changes))
    assert answer.status_code == 422
    assert field in [p["field"] for p in answer.json["problems"]]  # type: ignore[index]


def test_nobody_but_a_lead_changes_accounts(tech: Caller, boss: Caller) -> None:
    person = make(boss, "target_of_tech")
    assert tech.put(f"/api/people/{person['id']}", as_kept(person, role="lead")).status_code == 403
    assert boss.put("/api/people/999999", as_kept(person)).status_code == 404


def test_a_new_password_ends_all_other_sessions_but_not_this_one(app: Any, boss: Caller) -> None:
    make(boss, "changer", "read_only")
    here, elsewhere = signed_in(app, "changer"), signed_in(app, "changer")
    wrong = here.put("/api/session/password", {"password": "not mine", "new_password": "a quite new one"})
    assert wrong.status_code == 422
    assert wrong.json["problems"][0]["field"] == "password"  # type: ignore[index]
    assert elsewhere.get("/api/jobs").status_code == 200
    done = here.put("/api/session/password", {"password": PASSWORD, "new_password": "a quite new one"})
    assert done.status_code == 200 and "a quite new one" not in done.text
    assert here.get("/api/jobs").status_code == 200
    assert elsewhere.get("/api/jobs").status_code == 401
    signed_in(app, "changer", "a quite new one")


def test_the_old_password_cannot_be_guessed_from_inside(app: Any, boss: Caller) -> None:
    make(boss, "borrowed", "read_only")
    here = signed_in(app, "borrowed")
    codes = [
        here.put("/api/session/password", {"password": f"guess {k}", "new_password": "a quite new one"}).status_code
        for k in range(7)
    ]
    assert codes[:5] == [422] * 5 and codes[-1] == 429


def test_a_new_customer_of_two_jobs_at_one_moment_is_one_customer(app: Any) -> None:
    body = job_body(customer={"name": "Twin Arrivals", "contact": "at the gate"})
    hands = [signed_in(app, "tech") for _ in range(4)]
    with ThreadPoolExecutor(4) as pool:
        answers = list(pool.map(lambda hand: hand.post("/api/jobs", body), hands))
    assert [a.status_code for a in answers] == [201] * 4
    assert len({a.json["number"] for a in answers}) == 4  # type: ignore[index]
    assert {a.json["customer"]["contact"] for a in answers} == {"at the gate"}  # type: ignore[index]
