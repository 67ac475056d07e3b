"""Who can reach what."""

import re
from typing import Any

import pytest

from mavrik.domain.roles import IN_WORDS, MAY, Permission, Role
from mavrik.jobs.people import TRIES_PER_LOGIN
from mavrik.web.access import PUBLIC
from tests.api.conftest import PASSWORD, Caller, job_body

OPEN_ENDPOINTS = {
    "session.health", "session.live", "session.ready", "metrics", "session.get_session", "session.post_session", "files.get_bundle_schema", "pages.assets", "pages.sheet_assets", "pages.page",
    # A calendar program cannot sign in: its address is a secret instead, held in test_schedule.py.
    "schedule.get_calendar",
}  # fmt: skip


def address_of(rule: Any) -> str:
    filled = re.sub(r"<int:[^>]+>", "1", rule.rule)
    return re.sub(r"<[^>]+>", "front_battery", filled)


def test_every_route_is_closed_to_strangers_unless_it_says_otherwise(app: Any, stranger: Caller) -> None:
    walked = 0
    for rule in app.url_map.iter_rules():
        if rule.endpoint in OPEN_ENDPOINTS:
            continue
        for method in rule.methods - {"HEAD", "OPTIONS"}:
            answer = stranger.send(method, address_of(rule), {})
            assert answer.status_code == 401, (method, rule.rule, answer.status_code)
            assert answer.mimetype == "application/problem+json"
            walked += 1
    assert walked >= 18


def test_the_open_routes_are_just_these(app: Any) -> None:
    marked = {
        r.endpoint for r in app.url_map.iter_rules() if getattr(app.view_functions[r.endpoint], "mavrik_needs", None) == PUBLIC
    }
    assert marked == OPEN_ENDPOINTS


def test_a_reader_reads_and_writes_nothing(app: Any, reader: Caller, job: dict[str, Any]) -> None:
    assert reader.get("/api/jobs").status_code == 200
    assert reader.get(f"/api/jobs/{job['id']}/sheet").status_code == 200
    refused = 0
    for rule in app.url_map.iter_rules():
        needs = getattr(app.view_functions[rule.endpoint], "mavrik_needs", None)
        if needs in (PUBLIC, Permission.READ):
            continue
        for method in rule.methods - {"HEAD", "OPTIONS"}:
            assert reader.send(method, address_of(rule), {}).status_code == 403, rule.rule
            refused += 1
    assert refused >= 9


def test_a_technician_is_refused_just_what_the_table_leaves_to_leads(app: Any, tech: Caller) -> None:
    refused = set()
    for rule in app.url_map.iter_rules():
        needs = getattr(app.view_functions[rule.endpoint], "mavrik_needs", None)
        if needs == PUBLIC or needs in MAY[Role.TECHNICIAN]:
            continue
        for method in rule.methods - {"HEAD", "OPTIONS"}:
            answer = tech.send(method, address_of(rule), {})
            assert answer.status_code == 403 and IN_WORDS[needs] in answer.json["detail"], rule.rule  # type: ignore[index]
            refused.add(needs)
    assert refused <= set(Permission) - MAY[Role.TECHNICIAN] and len(refused) >= 2


def test_a_route_that_says_nothing_is_nobodys(app: Any, boss: Caller) -> None:
    view = app.view_functions["people.get_people"]
    kept = view.mavrik_needs
    del view.mavrik_needs
    try:
        assert boss.get("/api/people").status_code == 403
    finally:
        view.mavrik_needs = kept


def test_only_a_lead_looks_after_people(tech: Caller, boss: Caller) -> None:
    body = {"login": "newbie", "name": "New Hand", "role": "technician", "password": PASSWORD}
    assert tech.post("/api/people", body).status_code == 403
    assert boss.post("/api/people", body).status_code == 201
    again = boss.post("/api/people", {**body, "password": "short"})
    assert again.status_code == 422
    assert {p["field"] for p in again.json["problems"]} == {"login", "password"}  # type: ignore[index]
    assert "newbie" in [p["login"] for p in boss.get("/api/people").json["people"]]  # type: ignore[index]


def test_writes_without_the_token_are_refused(tech: Caller) -> None:
    answer = tech.post("/api/jobs", job_body(), token="")
    assert answer.status_code == 400
    assert "csrf" in answer.json["type"]  # type: ignore[index]


def test_the_cookie_is_kept_from_scripts_and_other_sites(stranger: Caller) -> None:
    cookie = stranger.sign_in("tech").headers["Set-Cookie"]
    assert "HttpOnly" in cookie and "SameSite=Strict" in cookie


def test_signing_out_ends_the_session(tech: Caller) -> None:
    assert tech.send("DELETE", "/api/session").status_code == 200
    assert tech.get("/api/jobs").status_code == 401


def test_a_forged_session_is_nobody(app: Any) -> None:
    client = app.test_client()
    client.set_cookie("mavrik", "eyJfdXNlcl9pZCI6IjE6eCJ9.x.y")
    assert client.get("/api/jobs").status_code == 401


def test_guessing_is_stopped_even_with_the_right_password_in_the_end(app: Any, boss: Caller) -> None:
    boss.post("/api/people", {"login": "target", "name": "T", "role": "technician", "password": PASSWORD})
    guesser = Caller(app.test_client())
    for _ in range(TRIES_PER_LOGIN):
        assert guesser.sign_in("target", "wrong password").status_code == 401
    answer = guesser.sign_in("target")
    assert answer.status_code == 429
    assert "ten minutes" in answer.json["detail"]  # type: ignore[index]


def test_every_answer_carries_the_security_headers(stranger: Caller) -> None:
    for path in ("/", "/api/session", "/api/jobs", "/api/nothing", "/jobs/3/read"):
        answer = stranger.get(path)
        policy = answer.headers["Content-Security-Policy"]
        assert "default-src 'none'" in policy and "script-src 'self';" in policy and "unsafe" not in policy
        assert answer.headers["X-Content-Type-Options"] == "nosniff"
    assert stranger.get("/api/nothing").status_code == 404


def test_the_page_gets_a_new_nonce_each_time(stranger: Caller) -> None:
    first, second = stranger.get("/"), stranger.get("/")
    nonce = re.search(r'content="([^"]+)"', first.text)
    assert nonce and f"'nonce-{nonce.group(1)}'" in first.headers["Content-Security-Policy"]
    assert first.text != second.text


@pytest.mark.parametrize(
    "path", ["/assets/../app.py", "/assets/..%2f..%2fapp.py", "/sheet-assets/sheet.html.j2", "/sheet-assets/..%2fsheet.py"]
)
def test_no_path_leads_out_of_the_assets(stranger: Caller, path: str) -> None:
    answer = stranger.get(path)
    assert answer.status_code == 404 or "%NONCE%" not in answer.text
    assert "import" not in answer.text and "{{" not in answer.text
