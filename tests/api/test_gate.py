"""Heavy work is bounded: beside as much of it as the server takes, light requests are answered, and who finds no room is told."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
from flask import Flask, Response
from flask.testing import FlaskClient
from sqlalchemy import text
from sqlalchemy.exc import DBAPIError, OperationalError

from mavrik.jobs.links import LIVE_AT_ONCE
from mavrik.store.database import Database, Limits
from mavrik.web import gate
from mavrik.web.front import THREADS
from mavrik.web.gate import Gate, heavy
from tests.api.conftest import Caller

CEILING_S = 60.0


def until(happens: Callable[[], bool]) -> None:
    end = time.monotonic() + CEILING_S
    while not happens():
        assert time.monotonic() < end, "it never happened"
        time.sleep(0.005)


class Crowd:
    """A small server with one heavy view that lasts until it is let go, and one light one."""

    def __init__(self, room: Gate) -> None:
        self.gate, self.go, self.running = room, threading.Event(), 0
        self.app = Flask("crowd")
        lock = threading.Lock()

        @self.app.post("/heavy")
        @heavy
        def work() -> str:
            with lock:
                self.running += 1
            assert self.go.wait(CEILING_S)
            with lock:
                self.running -= 1
            return "done"

        @self.app.get("/light")
        def light() -> str:
            return "here"

        @self.app.post("/falls")
        @heavy
        def falls() -> str:
            raise RuntimeError("on the way")

        gate.install(self.app, room)

    def client(self) -> FlaskClient:
        return self.app.test_client()

    def ask(self) -> Response:
        return self.client().post("/heavy", data=b"x")  # type: ignore[return-value]


@pytest.fixture
def pool() -> Iterator[ThreadPoolExecutor]:
    with ThreadPoolExecutor(8) as made:
        yield made


def test_no_more_at_once_than_there_is_room_for(pool: ThreadPoolExecutor) -> None:
    crowd = Crowd(Gate(at_once=2, waiting=3, longest_wait_s=CEILING_S))
    answers = [pool.submit(crowd.ask) for _ in range(5)]
    until(lambda: crowd.running == 2 and crowd.gate.waiting == 3)
    refused = crowd.ask()
    assert refused.status_code == 503 and refused.headers["Retry-After"] == str(gate.RETRY_S)
    assert refused.json["type"].endswith("busy")  # type: ignore[index]
    assert crowd.client().get("/light").text == "here"
    crowd.go.set()
    assert [a.result(CEILING_S).status_code for a in answers] == [200] * 5
    assert crowd.ask().status_code == 200


def test_who_waits_too_long_is_told(pool: ThreadPoolExecutor) -> None:
    crowd = Crowd(Gate(at_once=1, waiting=3, longest_wait_s=0.01))
    first = pool.submit(crowd.ask)
    until(lambda: crowd.running == 1)
    assert crowd.ask().status_code == 503
    crowd.go.set()
    assert first.result(CEILING_S).status_code == 200


def test_what_falls_makes_room_again() -> None:
    crowd = Crowd(Gate(at_once=1, waiting=0))
    for _ in range(3):
        assert crowd.client().post("/falls").status_code == 500
    crowd.go.set()
    assert crowd.ask().status_code == 200


def test_some_threads_are_always_free() -> None:
    assert gate.AT_ONCE + gate.WAITING + LIVE_AT_ONCE < THREADS


def test_what_solves_judges_prints_and_imports_goes_through_it(app: Any) -> None:
    marked = {name for name, view in app.view_functions.items() if getattr(view, "mavrik_heavy", False)}
    expected = {
        "drafts.post_solve", "drafts.post_protection", "findings.get_findings", "findings.post_findings_draft", "files.get_sheet_pdf",
        "files.get_sheet", "files.get_file", "files.get_bundle", "plans.post_preview", "plans.post_plan", "jobs.post_import",
    }  # fmt: skip
    assert expected <= marked
    assert not {"session.health", "jobs.get_jobs", "session.post_session"} & marked


def test_a_busy_server_says_so_and_prints_a_moment_later(app: Any, tech: Caller, monkeypatch: pytest.MonkeyPatch) -> None:
    room: Gate = app.extensions["mavrik_gate"]
    monkeypatch.setattr(room, "_most_waiting", 0)
    assert all(room.enter() for _ in range(gate.AT_ONCE))
    try:
        answer = tech.post("/api/solve", {})
        assert answer.status_code == 503 and answer.mimetype == "application/problem+json"
        assert tech.get("/api/health").status_code == 200
    finally:
        for _ in range(gate.AT_ONCE):
            room.leave()
    assert tech.post("/api/solve", {}).status_code == 422


def test_a_statement_that_takes_too_long_is_ended(database_url: str) -> None:
    database = Database(database_url, Limits(statement_s=0.05))
    with pytest.raises(OperationalError, match="statement timeout"), database.session() as session:
        session.execute(text("SELECT pg_sleep(60)"))
    database.dispose()


def test_nobody_waits_for_ever_for_somebody_elses_row(database_url: str) -> None:
    first, second = Database(database_url), Database(database_url, Limits(lock_s=0.05))
    with first.session() as holder:
        holder.execute(text("SELECT * FROM people WHERE login = 'tech' FOR UPDATE"))
        with pytest.raises(OperationalError, match="lock timeout"), second.session() as other:
            other.execute(text("UPDATE people SET name = name WHERE login = 'tech'"))
    first.dispose()
    second.dispose()


def test_a_transaction_that_hangs_lets_go(database_url: str) -> None:
    """A thread that died in the middle must not keep its locks: PostgreSQL ends it, and the next one writes."""
    hanging = Database(database_url, Limits(idle_s=0.05))
    after = Database(database_url, Limits(lock_s=CEILING_S))
    with pytest.raises(DBAPIError) as ended, hanging.session() as session:
        session.execute(text("SELECT * FROM people WHERE login = 'tech' FOR UPDATE"))
        with after.session() as other:
            other.execute(text("UPDATE people SET name = name WHERE login = 'tech'"))
        session.execute(text("SELECT 1"))
    assert ended.value.connection_invalidated  # which the server answers with 503
    hanging.dispose()
    after.dispose()
