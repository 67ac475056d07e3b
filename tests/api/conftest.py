"""A server on the test database, and people signed in to it."""

from __future__ import annotations

import json
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from argon2 import PasswordHasher
from flask.testing import FlaskClient
from werkzeug.test import TestResponse

from mavrik.jobs import people, tasks
from mavrik.jobs.equipment import ensure_starting_set
from mavrik.jobs.people import Role, add_person
from mavrik.store.database import Database
from mavrik.web.app import create_app
from mavrik.web.settings import Settings
from tests.build import simple_document

PASSWORD = "a long enough password"
PEOPLE = {"tech": Role.TECHNICIAN, "other": Role.TECHNICIAN, "boss": Role.LEAD, "reader": Role.READ_ONLY}


class Caller:
    """A person with a browser: keeps cookies and carries the write token."""

    def __init__(self, client: FlaskClient) -> None:
        self.client = client
        self.token = self.get("/api/session").json["csrf_token"]  # type: ignore[index]

    def get(self, path: str, **more: Any) -> TestResponse:
        return self.client.get(path, **more)

    def send(self, method: str, path: str, body: Any = None, raw: bytes | None = None, token: str | None = None) -> TestResponse:
        data = raw if raw is not None else json.dumps(body)
        headers = {"X-CSRFToken": self.token if token is None else token}
        return self.client.open(path, method=method, data=data, content_type="application/json", headers=headers)

    def post(self, path: str, body: Any = None, **more: Any) -> TestResponse:
        return self.send("POST", path, body, **more)

    def put(self, path: str, body: Any = None, **more: Any) -> TestResponse:
        return self.send("PUT", path, body, **more)

    def sign_in(self, login: str, password: str = PASSWORD) -> TestResponse:
        answer = self.post("/api/session", {"login": login, "password": password})
        if answer.status_code == 200:
            self.token = self.get("/api/session").json["csrf_token"]  # type: ignore[index]
        return answer


@pytest.fixture(scope="session", autouse=True)
def quick_hashes() -> Iterator[PasswordHasher]:
    """Passwords that take next to nothing to try: people sign in a thousand times here, and a hash as it is takes a tenth of a second.

    Gives the one that the product hashes with.
    """
    as_it_is = people._hasher
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(people, "_hasher", PasswordHasher(time_cost=1, memory_cost=8, parallelism=1))
        yield as_it_is


@pytest.fixture(scope="session")
def app(database_url: str, tmp_path_factory: pytest.TempPathFactory, quick_hashes: PasswordHasher) -> Any:
    return made_app(database_url, tmp_path_factory.mktemp("static"))


def made_app(database_url: str, static: Path) -> Any:
    """The application on an empty database, with the people of the tests; static: where its pages are put."""
    (static / "index.html").write_text('<meta name="csp-nonce" content="%NONCE%">')
    made = create_app(Settings(database_url=database_url, secret_key="test", workshop="Test shop", static=static))
    database = Database(database_url)
    with database.session() as session:
        for login, role in PEOPLE.items():
            add_person(session, login, login.title(), role, PASSWORD)
        ensure_starting_set(session)
    database.dispose()
    return made


@pytest.fixture
def stranger(app: Any) -> Iterator[Caller]:
    with app.test_client() as client:
        yield Caller(client)


def _signed_in(app: Any, login: str) -> Caller:
    caller = Caller(app.test_client())
    assert caller.sign_in(login).status_code == 200
    return caller


@pytest.fixture
def tech(app: Any) -> Caller:
    return _signed_in(app, "tech")


@pytest.fixture
def other(app: Any) -> Caller:
    return _signed_in(app, "other")


@pytest.fixture
def boss(app: Any) -> Caller:
    return _signed_in(app, "boss")


@pytest.fixture
def reader(app: Any) -> Caller:
    return _signed_in(app, "reader")


def job_body(**changes: Any) -> dict[str, Any]:
    return {
        "customer": {"name": "Invented Carting"},
        "vehicle": {"description": "Handcart Deluxe", "kind": "van", "system_voltage_v": 12},
        "complaint": "Lamp glows",
        **changes,
    }


@pytest.fixture
def job(tech: Caller) -> dict[str, Any]:
    """A job with the simple circuit."""
    made = tech.post("/api/jobs", job_body()).json
    assert made is not None
    saved = tech.put(f"/api/jobs/{made['id']}/circuit", {"document": simple_document(), "lock": None})
    assert saved.status_code == 200, saved.text
    job: dict[str, Any] = tech.get(f"/api/jobs/{made['id']}").json  # type: ignore[assignment]
    return job


def run_body(procedure: str, values: dict[str, float], **more: Any) -> dict[str, Any]:
    """A run as a browser sends it."""
    return {"procedure": procedure, "readings": [{"point": a, "value": v} for a, v in values.items()], **more}


def drops(output_a: float = 100.0, alternator: str = "alt", **values: float) -> dict[str, Any]:
    """A charging-drop test as a browser sends it: drops by branch id, read with the register's meter and clamp."""
    named = {f"charge_a:{alternator}": output_a}
    for name, value in values.items():
        named[name if name in ("feed_v", "return_v", "stud_v", "battery_v") else f"drop_v:{name}"] = value
    body = run_body("charging_drops", named, engine_rpm=2000, engine_space_c=20, ambient_c=20)
    for reading in body["readings"]:
        reading["instrument"] = "clamp" if reading["point"].startswith("charge_a:") else "dmm"
    return body


def keep(caller: Caller, job: dict[str, Any], run: dict[str, Any], circuit_id: int | None = None) -> TestResponse:
    """Keep a run on the job's latest circuit."""
    circuit = circuit_id if circuit_id is not None else job["circuits"][-1]["id"]
    return caller.post(f"/api/jobs/{job['id']}/runs", {"circuit_id": circuit, "run": run})


def findings(caller: Caller, job: dict[str, Any]) -> dict[str, Any]:
    """What is found of a job."""
    answer = caller.get(f"/api/jobs/{job['id']}/findings")
    assert answer.status_code == 200, answer.text
    body: dict[str, Any] = answer.json["findings"]  # type: ignore[index]
    return body


def begin_tasks(database_url: str) -> threading.Thread:
    """A worker in a thread of its own, with an event loop of its own, that does what is in the queue."""

    def work() -> None:
        database = Database(database_url)
        tasks.work(database, wait=False)
        database.dispose()

    thread = threading.Thread(target=work, name="worker")
    thread.start()
    return thread


def do_tasks(caller: Caller) -> None:
    """Have everything done that is in the queue."""
    begin_tasks(caller.client.application.extensions["mavrik_database"].url).join()


def describe(tech: Caller, job_id: int, layout: str = "front_battery") -> str:
    """Give a job the circuit of a layout; returns the job's path."""
    at = f"/api/jobs/{job_id}"
    circuits = tech.get(at).json["circuits"]  # type: ignore[index]
    document = tech.get(f"/api/layouts/{layout}").json
    saved = tech.put(f"{at}/circuit", {"document": document, "lock": circuits[-1]["lock"] if circuits else None})
    assert saved.status_code == 200, saved.text
    return at
