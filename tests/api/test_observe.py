"""What an operator sees: JSON lines without anybody's data, an id through to the screen, metrics for who knows the token."""

from __future__ import annotations

import io
import json
import logging
import uuid
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import text
from sqlalchemy.exc import SQLAlchemyError

from mavrik.store.database import Database
from mavrik.web import observe
from mavrik.web.app import create_app
from mavrik.web.settings import Settings
from tests.api.conftest import PASSWORD, Caller, job_body


@pytest.fixture
def lines() -> Iterator[io.StringIO]:
    """All that is logged meanwhile."""
    stream, root = io.StringIO(), logging.getLogger()
    handlers, level = root.handlers, root.level
    observe.log_to(stream)
    yield stream
    root.handlers = handlers
    root.setLevel(level)


def read(lines: io.StringIO) -> list[dict[str, Any]]:
    return [json.loads(line) for line in lines.getvalue().splitlines()]


def test_every_request_is_a_line_with_an_id_that_the_person_sees_too(tech: Caller, lines: io.StringIO) -> None:
    answer = tech.get("/api/jobs/2147483647")
    line = read(lines)[-1]
    assert answer.json["request_id"] == answer.headers["X-Request-Id"] == line["request"]  # type: ignore[index]
    assert (line["method"], line["route"], line["status"]) == ("GET", "/api/jobs/<int:job_id>", 404)
    assert line["ms"] >= 0 and isinstance(line["person"], int)
    assert tech.get("/api/jobs", headers={"X-Request-Id": "from-a-proxy-1"}).headers["X-Request-Id"] == "from-a-proxy-1"
    for bad in ("short", "x" * 65, "a b c d e f g", "<script>alert"):
        assert tech.get("/api/jobs", headers={"X-Request-Id": bad}).headers["X-Request-Id"] != bad


def test_nobodys_data_are_in_the_log(app: Any, tech: Caller, boss: Caller, lines: io.StringIO) -> None:
    name = f"Secretive {uuid.uuid4().hex}"
    assert tech.post("/api/jobs", job_body(customer={"name": name}, complaint=f"{name} complains")).status_code == 201
    assert tech.get(f"/api/jobs?search={name[10:]}").status_code == 200
    assert tech.post("/api/session", {"login": "tech", "password": "wrong but secret"}).status_code == 401
    assert boss.put("/api/instruments/dmm/address", {"address": "169.254.0.1:80"}).status_code == 422
    log = lines.getvalue()
    assert len(read(lines)) >= 4
    for secret in (name[10:], PASSWORD, "wrong but secret", tech.token, "argon2", "mavrik="):
        assert secret not in log, secret


def test_an_error_of_the_database_says_nothing_of_the_values(database_url: str, lines: io.StringIO) -> None:
    database = Database(database_url)
    secret = f"Secretive {uuid.uuid4().hex}"
    insert = text("INSERT INTO customers (name, contact) VALUES (:name, '')")
    try:
        for _ in range(2):
            with database.engine.begin() as connection:
                connection.execute(insert, {"name": secret})
    except SQLAlchemyError:
        logging.getLogger("mavrik.test").exception("made twice")
    database.dispose()
    (line,) = (x for x in read(lines) if x["event"] == "made twice")
    assert "uq_customers_name_folded" in line["trace"] and secret.lower() not in lines.getvalue().lower()


def test_metrics_are_for_who_knows_the_token(database_url: str, tmp_path: Path, app: Any, boss: Caller) -> None:
    assert boss.get("/api/metrics").status_code == 404
    (tmp_path / "index.html").write_text("")
    watched = create_app(Settings(database_url=database_url, secret_key="test", static=tmp_path, metrics_token="a long token"))
    with watched.test_client() as client:
        assert client.get("/api/metrics").status_code == 404
        assert client.get("/api/metrics", headers={"Authorization": "Bearer wrong"}).status_code == 404
        client.get("/api/session")
        shown = client.get("/api/metrics", headers={"Authorization": "Bearer a long token"})
    assert shown.status_code == 200 and shown.mimetype == "text/plain"
    assert 'mavrik_requests_total{method="GET",route="/api/session",status="200"}' in shown.text
    assert 'mavrik_request_seconds_bucket{le="0.1",route="/api/session"}' in shown.text


def test_alive_and_ready_are_two_questions(tmp_path: Path) -> None:
    (tmp_path / "index.html").write_text("")
    away = Settings(database_url="postgresql://nobody@127.0.0.1:9/none", secret_key="test", static=tmp_path)
    with create_app(away).test_client() as client:
        assert client.get("/api/live").status_code == 200
        ready = client.get("/api/ready")
        assert ready.status_code == 503 and ready.headers["Retry-After"]
