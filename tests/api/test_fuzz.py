"""The short form of `./mavrik attack fuzz`: nonsense made from the published description, on a database of its own."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

import pytest
from bench.attack.fuzzing import LOGINS, Answer, fuzz, operations, wrong_with

from mavrik.jobs.demo import DEMO_PASSWORD
from mavrik.web.app import create_app
from mavrik.web.settings import Settings
from tests.api.conftest import Caller
from tests.conftest import demo_database

DOCUMENT = json.loads((Path(__file__).resolve().parents[2] / "docs" / "formats" / "openapi.json").read_text(encoding="utf-8"))


@pytest.fixture
def people(admin_url: str, tmp_path: Path) -> Iterator[dict[str, Caller]]:
    """The demo's people, in a shop that may be wrecked."""
    with demo_database(admin_url) as url:
        app = create_app(Settings(database_url=url, secret_key="fuzz", workshop="Fuzzed", static=tmp_path))
        callers = {}
        for login in LOGINS:
            callers[login] = Caller(app.test_client())
            assert callers[login].sign_in(login, DEMO_PASSWORD).status_code == 200
        yield callers
        app.extensions["mavrik_database"].dispose()


def test_nothing_that_is_sent_is_a_mistake_of_the_server(people: dict[str, Caller], whole: bool) -> None:
    def send(login: str, method: str, path: str, media_type: str | None, body: bytes | None) -> Answer:
        caller = people[login]
        answer = caller.client.open(
            path, method=method, data=body, content_type=media_type, headers={"X-CSRFToken": caller.token}
        )  # fmt: skip
        return Answer(answer.status_code, answer.mimetype, answer.data, answer.headers)

    jobs = [j["id"] for j in people["tobin"].get("/api/jobs").json["jobs"]]  # type: ignore[index]
    every = operations(DOCUMENT)
    times = (4 if whole else 1) * len(every)
    mistakes = fuzz(send, DOCUMENT, {"job_id": jobs}, times)
    assert mistakes.mistakes == []
    assert sum(mistakes.answers.values()) + mistakes.unsendable >= times and {200, 404, 422} <= set(mistakes.answers)


@pytest.mark.parametrize(
    ("status", "media_type", "body", "headers", "wrong"),
    [
        (200, "application/json", b"{}", {}, False),
        (422, "application/problem+json", b'{"detail": "Because."}', {}, False),
        (503, "application/problem+json", b'{"detail": "Later."}', {"Retry-After": "2"}, False),
        (503, "application/problem+json", b'{"detail": "Later."}', {}, True),
        (500, "application/problem+json", b'{"detail": "Oh."}', {}, True),
        (404, "text/html", b"<h1>", {}, True),
        (422, "application/problem+json", b'{"detail": ""}', {}, True),
    ],
)
def test_what_counts_as_a_mistake(status: int, media_type: str, body: bytes, headers: Mapping[str, Any], wrong: bool) -> None:
    assert bool(wrong_with(Answer(status, media_type, body, headers))) is wrong
