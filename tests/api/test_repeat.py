"""A request whose answer was lost is sent again: one job, one run, and the same answer."""

from __future__ import annotations

import json
import threading
import uuid
from typing import Any

import pytest
from sqlalchemy.exc import OperationalError

from mavrik.jobs import repeating, sessions
from tests.api.conftest import Caller, _signed_in, drops, job_body
from tests.build import simple_document


def send(caller: Caller, path: str, body: Any, key: str) -> Any:
    headers = {"X-CSRFToken": caller.token, "Idempotency-Key": key}
    return caller.client.post(path, data=json.dumps(body), content_type="application/json", headers=headers)


def test_a_job_and_a_run_are_made_once_and_told_twice(tech: Caller) -> None:
    mark, key = uuid.uuid4().hex, uuid.uuid4().hex
    first = send(tech, "/api/jobs", job_body(complaint=mark), key)
    second = send(tech, "/api/jobs", job_body(complaint=mark), key)
    assert (first.status_code, second.status_code) == (201, 201)
    assert second.json == first.json and second.headers["Idempotency-Replayed"] == "true"
    assert "Idempotency-Replayed" not in first.headers
    assert tech.get(f"/api/jobs?search={mark}").json["total"] == 1  # type: ignore[index]
    where = f"/api/jobs/{first.json['id']}"
    circuit = tech.put(f"{where}/circuit", {"document": simple_document(), "lock": None}).json
    assert circuit is not None
    run = {"circuit_id": circuit["id"], "run": drops(100, home=0.05)}
    key = uuid.uuid4().hex
    assert send(tech, f"{where}/runs", run, key).json == send(tech, f"{where}/runs", run, key).json
    assert len(tech.get(where).json["runs"]) == 1  # type: ignore[index]
    key = uuid.uuid4().hex
    plans = [send(tech, f"{where}/plan", {"target_current_a": 150}, key) for _ in range(2)]
    assert [p.status_code for p in plans] == [201, 201] and len(tech.get(where).json["documents"]) == 1  # type: ignore[index]
    # Without a key, or with another, a repeat is a run of its own.
    assert send(tech, f"{where}/runs", run, uuid.uuid4().hex).status_code == 201
    assert len(tech.get(where).json["runs"]) == 2  # type: ignore[index]


def test_twenty_at_one_moment_make_one(app: Any, tech: Caller) -> None:
    mark, key = uuid.uuid4().hex, uuid.uuid4().hex
    callers = [_signed_in(app, "tech") for _ in range(20)]
    answers: list[Any] = []
    begin = threading.Barrier(len(callers))

    def make(caller: Caller) -> None:
        begin.wait()
        answers.append(send(caller, "/api/jobs", job_body(complaint=mark), key))

    threads = [threading.Thread(target=make, args=(c,)) for c in callers]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert {a.status_code for a in answers} == {201} and len({a.json["id"] for a in answers}) == 1
    assert tech.get(f"/api/jobs?search={mark}").json["total"] == 1  # type: ignore[index]


def test_what_was_refused_is_tried_anew_with_the_same_key(tech: Caller) -> None:
    key = uuid.uuid4().hex
    assert send(tech, "/api/jobs", job_body(complaint=""), key).status_code == 422
    assert send(tech, "/api/jobs", job_body(complaint="now it says"), key).status_code == 201


def test_a_key_is_good_for_one_request_of_one_person(tech: Caller, other: Caller) -> None:
    mark, key = uuid.uuid4().hex, uuid.uuid4().hex
    assert send(tech, "/api/jobs", job_body(complaint=mark), key).status_code == 201
    misused = send(tech, "/api/jobs", job_body(complaint=f"{mark} else"), key)
    assert misused.status_code == 422 and "another request" in misused.text
    assert send(other, "/api/jobs", job_body(complaint=f"{mark} else"), key).status_code == 201


@pytest.mark.parametrize("key", ["", "x" * 81, "ü"])
def test_a_key_that_cannot_be_kept_is_refused(tech: Caller, key: str) -> None:
    assert send(tech, "/api/jobs", job_body(), key).status_code == 422


def test_a_database_that_goes_away_before_the_answer_is_kept_makes_nothing(tech: Caller, monkeypatch: pytest.MonkeyPatch) -> None:
    """Found by killing it: the answer was 500, which nobody sends again."""

    def away(*_: object) -> None:
        raise OperationalError("UPDATE", None, Exception("gone"))

    mark, key = uuid.uuid4().hex, uuid.uuid4().hex
    with monkeypatch.context() as patched:
        patched.setattr(repeating, "finish", away)
        lost = send(tech, "/api/jobs", job_body(complaint=mark), key)
    assert lost.status_code == 503 and lost.headers["Retry-After"]
    assert send(tech, "/api/jobs", job_body(complaint=mark), key).status_code == 201
    assert tech.get(f"/api/jobs?search={mark}").json["total"] == 1  # type: ignore[index]


def test_a_database_that_is_away_when_a_person_is_looked_up_is_no_mistake_of_the_server(
    tech: Caller, monkeypatch: pytest.MonkeyPatch
) -> None:
    def away(*_: object) -> None:
        raise OperationalError("SELECT", None, Exception("gone"))

    monkeypatch.setattr(sessions, "find", away)
    assert tech.get("/api/jobs").status_code == 503
    assert send(tech, "/api/jobs", job_body(), uuid.uuid4().hex).status_code == 503
