"""Answers that are kept as long as nothing in the database changes: never an old one, never one for somebody who may not ask."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from datetime import date, timedelta
from typing import Any

import pytest
from sqlalchemy import text

from mavrik.jobs import listing
from mavrik.store.database import Database, snapshot_of
from mavrik.web import kept
from mavrik.web.kept import Answer, Kept
from tests.api.conftest import Caller, drops, job_body, keep

PATHS = ("", "/findings", "/bench", "/captures")


@pytest.fixture
def counted(monkeypatch: pytest.MonkeyPatch) -> list[int]:
    """How often the list was made."""
    made: list[int] = []
    list_jobs = listing.list_jobs

    def counting(*args: Any) -> Any:
        made.append(1)
        return list_jobs(*args)

    monkeypatch.setattr(listing, "list_jobs", counting)
    return made


@pytest.fixture
def store(database_url: str) -> Iterator[Database]:
    database = Database(database_url)
    yield database
    database.dispose()


def while_nobody_writes(store: Database, question: Callable[[int], None]) -> None:
    """Ask, and again, until nobody wrote meanwhile: tests beside these, on databases of their own, end transactions, too.

    ask: gets the number of the attempt, for a question that nobody asked before
    """
    for attempt in range(200):
        with store.session() as session:
            before = snapshot_of(session)
        question(attempt)
        with store.session() as session:
            if snapshot_of(session) == before:
                return
    pytest.fail("somebody writes all the time")


def test_what_has_not_changed_is_made_once(tech: Caller, reader: Caller, counted: list[int], store: Database) -> None:
    answers: list[Any] = []

    def ask(attempt: int) -> None:
        counted.clear()
        path = f"/api/jobs?search=made+once+{attempt}"
        answers[:] = [c.get(path) for c in (tech, tech, reader, tech)]

    while_nobody_writes(store, ask)
    assert len(counted) == 1 and len({a.data for a in answers}) == 1
    assert {a.headers["Cache-Control"] for a in answers} == {"no-store"}
    assert tech.get("/api/jobs?search=made+twice").status_code == 200 and len(counted) == 2


CHANGES: dict[str, Callable[[Caller, dict[str, Any]], Any]] = {
    "details": lambda c, job: c.put(f"/api/jobs/{job['id']}", {**job_body(complaint="Hums"), "lock": job["lock"]}),
    "a test": lambda c, job: keep(c, job, drops(feed=0.08)),
    "archived": lambda c, job: c.put(f"/api/jobs/{job['id']}/shelf", {"shelf": "archive"}),
}


@pytest.mark.parametrize("change", CHANGES)
def test_a_change_shows_at_once_everywhere(change: str, boss: Caller, reader: Caller, job: dict[str, Any]) -> None:
    paths = [f"/api/jobs/{job['id']}{p}" for p in PATHS] + ["/api/jobs?order=newest"]
    answers = [reader.get(p) for p in paths]
    assert [a.status_code for a in answers] == [200] * len(paths)
    assert [reader.get(p).data for p in paths] == [a.data for a in answers]
    done = CHANGES[change](boss, job)
    assert done.status_code in (200, 201), done.text
    after = [reader.get(p) for p in paths]
    assert after[0].data != answers[0].data
    # As somebody is told who asks in a way that nobody asked before.
    assert [a.data for a in after] == [reader.get(p + ("&limit=50" if "?" in p else "?asked=anew")).data for p in paths]


def test_what_was_under_way_when_it_was_asked_shows_once_it_is_there(
    reader: Caller, job: dict[str, Any], store: Database
) -> None:
    """One that began before and ends after others, too: it is none of those that an answer in between has seen."""
    path = f"/api/jobs/{job['id']}"
    change = text("UPDATE jobs SET complaint = :words, lock = lock + 1 WHERE id = :id")
    with store.engine.connect() as slow:
        slow.execute(change, {"words": "Slow one", "id": job["id"]})
        with store.engine.begin() as quick:
            quick.execute(text("UPDATE instruments SET slug = slug"))
        assert [reader.get(path).json["complaint"] for _ in range(2)] == [job["complaint"]] * 2  # type: ignore[index]
        slow.commit()
    assert reader.get(path).json["complaint"] == "Slow one"  # type: ignore[index]


def test_a_change_while_an_answer_is_made_is_not_kept_away(
    reader: Caller, job: dict[str, Any], store: Database, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The view reads, somebody saves, and the answer leaves: it may be the old one, but not a second time."""
    list_jobs, path = listing.list_jobs, f"/api/jobs?search={job['number']}"

    def overtaken(*args: Any) -> Any:
        page = list_jobs(*args)
        with store.engine.begin() as other:
            other.execute(text("UPDATE jobs SET complaint = 'Overtaken' WHERE id = :id"), {"id": job["id"]})
        return page

    monkeypatch.setattr(listing, "list_jobs", overtaken)
    assert reader.get(path).json["jobs"][0]["complaint"] == job["complaint"]  # type: ignore[index]
    monkeypatch.setattr(listing, "list_jobs", list_jobs)
    assert reader.get(path).json["jobs"][0]["complaint"] == "Overtaken"  # type: ignore[index]


def test_many_who_write_and_read_never_read_what_was(app: Any, tech: Caller, job: dict[str, Any]) -> None:
    """Who has saved something sees it, whatever the others do meanwhile."""
    wrong: list[str] = []

    def work(name: str) -> None:
        caller = Caller(app.test_client())
        assert caller.sign_in("other" if name == "a" else "boss").status_code == 200
        made: dict[str, Any] = caller.post("/api/jobs", job_body(complaint=f"{name} 0")).json  # type: ignore[assignment]
        for k in range(1, 13):
            body = {**job_body(complaint=f"{name} {k}"), "lock": made["lock"]}
            made = caller.put(f"/api/jobs/{made['id']}", body).json  # type: ignore[assignment]
            seen = caller.get(f"/api/jobs/{made['id']}").json["complaint"]  # type: ignore[index]
            if seen != f"{name} {k}":
                wrong.append(f"{name} {k} reads {seen}")

    threads = [threading.Thread(target=work, args=(n,)) for n in "ab"]
    for t in threads:
        t.start()
    for t in threads:
        t.join(120)
    assert wrong == []


def test_what_many_ask_at_once_is_made_once(app: Any, tech: Caller, store: Database, monkeypatch: pytest.MonkeyPatch) -> None:
    """Who asks while it is made gets what was made; who asked before a change that it does not show does not."""
    list_jobs, entered, go_on = listing.list_jobs, threading.Event(), threading.Event()
    answers: Kept = app.extensions["mavrik_kept"]
    made: list[int] = []
    bodies: list[bytes] = []

    def held(*args: Any) -> Any:
        made.append(1)
        entered.set()
        assert go_on.wait(60)
        return list_jobs(*args)

    callers = [Caller(app.test_client()) for _ in range(6)]
    assert [c.sign_in("tech").status_code for c in callers] == [200] * 6
    monkeypatch.setattr(listing, "list_jobs", held)
    monkeypatch.setattr(kept, "WAITS_S", 60.0)

    def ask(attempt: int) -> None:
        for seen in (made, bodies):
            seen.clear()
        for event in (entered, go_on):
            event.clear()
        path = f"/api/jobs?search=at+once+{attempt}"
        threads = [threading.Thread(target=lambda c=c: bodies.append(c.get(path).data)) for c in callers]  # type: ignore[misc]
        threads[0].start()
        assert entered.wait(60)
        for t in threads[1:]:
            t.start()
        until = time.monotonic() + 60
        while answers.waiting < 5 and time.monotonic() < until:
            time.sleep(0.01)
        go_on.set()
        for t in threads:
            t.join(60)

    while_nobody_writes(store, ask)
    assert len(set(bodies)) == 1 and len(bodies) == 6 and len(made) == 1


def test_an_answer_from_before_it_was_asked_for_is_not_taken() -> None:
    answers = Kept()
    assert answers.begin("q", 60) is None
    answers.keep("q", Answer("old", b"old", "text/plain", checked_at=time.monotonic() - 1))
    answers.end("q")
    assert answers.begin("q", 60) is None, "it is from before this was asked"
    late: list[Answer | None] = []
    other = threading.Thread(target=lambda: late.append(answers.begin("q", 60)))
    other.start()
    answers.keep("q", Answer("new", b"new", "text/plain", checked_at=time.monotonic() + 3600))
    answers.end("q")
    other.join(60)
    assert late and late[0] is not None and late[0].body == b"new"
    assert answers.begin("gone", 60) is None
    answers.end("gone")
    assert answers.begin("gone", 0.0) is None, "whoever waits for what comes to nothing makes it"


def test_nobody_who_may_not_ask_gets_a_kept_answer(
    app: Any, tech: Caller, boss: Caller, reader: Caller, job: dict[str, Any]
) -> None:
    path = f"/api/jobs/{job['id']}"
    gone, stranger = Caller(app.test_client()), Caller(app.test_client())
    assert gone.sign_in("tech").status_code == 200
    assert [c.get(path).status_code for c in (tech, gone, stranger)] == [200, 200, 401]
    assert [c.get("/api/customers").status_code for c in (boss, reader, boss)] == [200, 403, 200]
    assert gone.send("DELETE", "/api/session").status_code in (200, 204)
    assert [c.get(path).status_code for c in (tech, gone)] == [200, 401]


def test_a_new_day_is_a_new_question(tech: Caller, counted: list[int], store: Database, monkeypatch: pytest.MonkeyPatch) -> None:
    """What is overdue is so by the day."""

    class Tomorrow(date):
        @classmethod
        def today(cls) -> date:  # type: ignore[override]
            return date.today() + timedelta(1)

    def ask(attempt: int) -> None:
        path = f"/api/jobs?due=overdue&search=new+day+{attempt}"
        monkeypatch.setattr(kept, "date", date)
        counted.clear()
        assert [tech.get(path).status_code for _ in range(2)] == [200, 200]
        today.append(len(counted))
        monkeypatch.setattr(kept, "date", Tomorrow)
        assert tech.get(path).status_code == 200

    today: list[int] = []
    while_nobody_writes(store, ask)
    assert (today[-1], len(counted)) == (1, 2)


def test_a_refusal_is_not_kept(tech: Caller, app: Any) -> None:
    answers: Kept = app.extensions["mavrik_kept"]
    before = len(answers)
    assert [tech.get("/api/jobs/999999").status_code for _ in range(2)] == [404, 404]
    assert [tech.get("/api/jobs?after=nowhere").status_code for _ in range(2)] == [422, 422]
    assert len(answers) == before


def test_room_is_bounded_and_what_was_asked_last_stays() -> None:
    answers = Kept(most_bytes=100)
    for name in "abc":
        answers.keep(name, Answer("s", b"x" * 40, "text/plain"))
        assert answers.find("a", "s") is None or name in "abc"
    assert len(answers) == 2 and answers.find("b", "s") is None
    assert answers.find("a", "s") and answers.find("a", "later") is None
    answers.keep("a", Answer("later", b"x" * 90, "text/plain"))
    assert len(answers) == 1 and answers.find("a", "later")
