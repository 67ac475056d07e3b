"""Many want the same thing at the same moment: one gets it, the others are told, and nothing is there twice."""

from __future__ import annotations

import asyncio
import json
import uuid
from collections import Counter
from collections.abc import Awaitable, Callable, Sequence
from typing import Any, TypeAlias

from bench.server import Client

Race: TypeAlias = dict[str, Any]
"""The answers by status, and what is wrong with them in words; empty where nothing is."""

VEHICLE = {"description": "Raced", "kind": "van", "system_voltage_v": 12}


async def _at_once(
    rivals: Sequence[Client], method: str, path: str, body: Callable[[int], object], **headers: str
) -> list[tuple[int, Any]]:
    """What each is answered; all have signed in before, and none waits for another."""

    async def one(k: int, client: Client) -> tuple[int, Any]:
        status, answer = await client.ask(method, path, json.dumps(body(k)).encode(), headers)
        return status, json.loads(answer) if answer else None

    return await asyncio.gather(*(one(k, c) for k, c in enumerate(rivals)))


def _judged(answers: Sequence[tuple[int, Any]], allowed: dict[int, int | None], wrong: str = "") -> Race:
    """allowed: how often each status has to be there, None where that is open; wrong: what else is."""
    statuses = Counter(status for status, _ in answers)
    for status in statuses:
        if status not in allowed:
            wrong = f"answered {status}: {next(str(said)[:200] for s, said in answers if s == status)}"
    for status, times in allowed.items():
        if times is not None and statuses[status] != times:
            wrong = wrong or f"{statuses[status]} answered {status}, not {times}"
    return {"answers": {str(s): n for s, n in sorted(statuses.items())}, "wrong": wrong}


async def _job(client: Client, **more: object) -> Any:
    body = {"customer": {"name": "Race"}, "vehicle": VEHICLE, "complaint": "raced", **more}
    status, answer = await client.ask("POST", "/api/jobs", json.dumps(body).encode())
    assert status == 201, answer
    return json.loads(answer)


async def _same_revision(rivals: Sequence[Client]) -> Race:
    """All save another circuit over the one that all have read."""
    job = await _job(rivals[0])
    path = f"/api/jobs/{job['id']}/circuit"
    layout = json.loads((await rivals[0].ask("GET", "/api/layouts/front_battery?system_voltage_v=12"))[1])
    status, answer = await rivals[0].ask("PUT", path, json.dumps({"document": layout, "lock": None}).encode())
    assert status == 200, answer
    lock = json.loads(answer)["lock"]
    first = {**layout["branches"][0]}

    def body(k: int) -> object:
        branches = [{**first, "label": f"Rival {k}"}, *layout["branches"][1:]]
        return {"document": {**layout, "branches": branches}, "lock": lock, "circuit_id": json.loads(answer)["id"]}

    answers = await _at_once(rivals, "PUT", path, body)
    return _judged(answers, {200: 1, 409: len(rivals) - 1})


async def _same_key(rivals: Sequence[Client]) -> Race:
    """The same request, sent again and again by somebody who heard no answer."""
    mark = uuid.uuid4().hex
    body = {"customer": {"name": "Race"}, "vehicle": VEHICLE, "complaint": mark}
    answers = await _at_once(rivals, "POST", "/api/jobs", lambda k: body, **{"Idempotency-Key": mark})
    made = {answer["id"] for status, answer in answers if status == 201}
    total = json.loads((await rivals[0].ask("GET", f"/api/jobs?search={mark}"))[1])["total"]
    wrong = "" if len(made) == total == 1 else f"{total} jobs, {len(made)} told of"
    return _judged(answers, {201: None, 409: None, 503: None}, wrong)


async def _same_customer(rivals: Sequence[Client]) -> Race:
    """Jobs for a customer that nobody has entered before."""
    name = f"Race {uuid.uuid4().hex[:10]}"
    body = {"customer": {"name": name}, "vehicle": VEHICLE, "complaint": name}
    answers = await _at_once(rivals, "POST", "/api/jobs", lambda k: body)
    customers = json.loads((await rivals[0].ask("GET", f"/api/customers?search={name.replace(' ', '%20')}"))[1])["customers"]
    numbers = {answer["number"] for status, answer in answers if status == 201}
    wrong = "" if len(customers) == 1 and len(numbers) == len(rivals) else f"{len(customers)} customers, {len(numbers)} numbers"
    return _judged(answers, {201: len(rivals)}, wrong)


async def _same_bundle(rivals: Sequence[Client]) -> Race:
    """The same bundle taken in: each gets a job of its own, with a number of its own."""
    job = await _job(rivals[0])
    bundle = json.loads((await rivals[0].ask("GET", f"/api/jobs/{job['id']}/bundle"))[1])
    bundle["job"]["number"] = f"31-{uuid.uuid4().int % 1_000_000:06d}"
    answers = await _at_once(rivals, "POST", "/api/jobs/import", lambda k: bundle)
    numbers = [answer["number"] for status, answer in answers if status == 201]
    wrong = "" if len(numbers) == len(set(numbers)) else "two jobs have one number"
    return _judged(answers, {201: None, 503: None}, wrong)


async def _same_instrument(rivals: Sequence[Client]) -> Race:
    """A meter entered under one name."""
    meter = {"label": "Raced", "kind": "voltmeter", "percent_of_reading": 0.5, "digits": 2, "resolution": 0.001}
    body = {"id": f"race_{uuid.uuid4().hex[:10]}", **meter}
    answers = await _at_once(rivals, "POST", "/api/instruments", lambda k: body)
    return _judged(answers, {201: 1, 422: len(rivals) - 1})


async def _same_task(rivals: Sequence[Client]) -> Race:
    """Long work cancelled by all: it has ended once."""
    job = await _job(rivals[0])
    task = json.loads((await rivals[0].ask("POST", f"/api/files?search={job['number']}", b'{"file": "bundle"}'))[1])
    answers = await _at_once(rivals, "POST", f"/api/tasks/{task['id']}/cancel", lambda k: None)
    states = {answer["state"] for status, answer in answers if status == 200}
    wrong = "" if len(states) == 1 and states <= {"cancelled", "done"} else f"told {sorted(states)}"
    return _judged(answers, {200: len(rivals)}, wrong)


async def _guesses(rivals: Sequence[Client]) -> Race:
    """Passwords guessed at once: no more are looked at than one after the other."""
    strangers = [Client(r.host, r.port) for r in rivals]
    for one in strangers:
        await one.open()
        one.token = json.loads((await one.ask("GET", "/api/session"))[1])["csrf_token"]
    answers = await _at_once(strangers, "POST", "/api/session", lambda k: {"login": "ines", "password": f"guess number {k}"})
    looked_at = sum(status == 401 for status, _ in answers)
    wrong = "" if looked_at <= MOST_GUESSES else f"{looked_at} guesses were looked at"
    return _judged(answers, {401: None, 429: None}, wrong)


MOST_GUESSES = 10
"""As `mavrik.jobs.people` has it for one account from one address."""

RACES: dict[str, Callable[[Sequence[Client]], Awaitable[Race]]] = {
    "one circuit saved by all": _same_revision,
    "one request sent again and again": _same_key,
    "one new customer": _same_customer,
    "one bundle": _same_bundle,
    "one name of a meter": _same_instrument,
    "one task cancelled by all": _same_task,
    "one password guessed at": _guesses,
}


async def _race(port: int, count: int, login: str) -> dict[str, Race]:
    first = Client("127.0.0.1", port)
    await first.sign_in(login)
    rivals = [Client("127.0.0.1", port) for _ in range(count)]
    for one in rivals:
        await one.open()
        one.cookie, one.token = first.cookie, first.token
    return {name: await race(rivals) for name, race in RACES.items()}


def race_test(port: int, rivals: int = 30, login: str = "mara") -> dict[str, Race]:
    """Every race once, on a `shop`. Returns what was answered, and what is wrong with it in words.

    login: of a lead
    """
    return asyncio.run(_race(port, rivals, login))
