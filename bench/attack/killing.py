"""Servers, their processes, the worker and the database are killed in a load of writers.

In the end every write that was acknowledged has to be there, once, and all long work that was asked for has to be done.
"""

from __future__ import annotations

import asyncio
import json
import os
import random
import signal
import time
import uuid
from collections import Counter
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

from bench.attack.shop import children_of
from bench.server import Client

VICTIMS = ("server", "server process", "worker", "database")
NAMED = {"server": b"uvicorn", "worker": b"mavrik.cli"}
"""In the commands of the supervisor's children."""

EVERY = 10
"""So many jobs are opened between two that long work is asked for."""

CEILING_S = 300.0
"""Long enough for any machine to come back; what takes longer does not come back."""

ASK_S = 60.0
PAGE = 100


def _victim(var: Path, kind: str) -> int | None:
    """A process to be killed; None where it is not there at this moment."""
    if kind == "database":
        home = Path(json.loads((var / "cluster.json").read_text())["home"])
        with suppress(OSError, IndexError, ValueError):
            return int((home / "data" / "postmaster.pid").read_text().splitlines()[0])
        return None
    supervisor = int(json.loads((var / "server.json").read_text())["pid"])
    children = children_of(supervisor, NAMED["worker" if kind == "worker" else "server"])
    if kind == "server process" and children:
        children = children_of(children[0], b"spawn_main")
    return random.choice(children) if children else None  # noqa: S311


@dataclass
class Told:
    """What the writers were told."""

    made: dict[str, int] = field(default_factory=dict)
    """Id of the job by its complaint."""
    asked: list[int] = field(default_factory=list)
    """Long work."""
    tries: int = 0
    killed: Counter[str] = field(default_factory=Counter)
    longest_away_s: float = 0.0


class Writer(Client):
    """Opens jobs, each under a key of its own, and asks again until it is told that one was made; and for long work on some."""

    async def made(self, told: Told, path: str, body: object) -> dict[str, object]:
        """What was made, asked for until it is acknowledged."""
        raw, key = json.dumps(body).encode(), uuid.uuid4().hex
        begun = time.monotonic()
        while True:
            told.tries += 1
            try:
                status, answer = await asyncio.wait_for(self.ask("POST", path, raw, {"Idempotency-Key": key}), ASK_S)
            except (OSError, EOFError, TimeoutError):
                status, answer = 0, b""
                with suppress(OSError):
                    await self.open()
            if status in (201, 202):
                told.longest_away_s = max(told.longest_away_s, time.monotonic() - begun)
                return dict(json.loads(answer))
            # Too many tasks of this person wait already: that is an answer too, and to be waited out.
            if status not in (0, 429, 503):
                raise AssertionError(f"{status}: {answer[:200]!r}")
            if time.monotonic() - begun > CEILING_S:
                raise AssertionError(f"it did not come back within {CEILING_S:.0f} s")
            await asyncio.sleep(0.2)

    async def write(self, told: Told) -> None:
        """One job; and now and then its bundle as long work."""
        mark = uuid.uuid4().hex
        vehicle = {"description": "Attacked", "kind": "van", "system_voltage_v": 12}
        job = await self.made(told, "/api/jobs", {"customer": {"name": "Attack"}, "vehicle": vehicle, "complaint": mark})
        told.made[mark] = int(str(job["id"]))
        if len(told.made) % EVERY == 0:
            task = await self.made(told, f"/api/files?search={job['number']}", {"file": "bundle"})
            told.asked.append(int(str(task["id"])))


async def _kill(var: Path, kills: int, told: Told, pause_s: float) -> None:
    for k in range(kills):
        before, kind = len(told.made), VICTIMS[k % len(VICTIMS)]
        while (victim := _victim(var, kind)) is None:
            await asyncio.sleep(0.2)
        with suppress(ProcessLookupError):
            os.kill(victim, signal.SIGKILL)
            told.killed[kind] += 1
        # The next one when writes go through again.
        begun = time.monotonic()
        while len(told.made) < before + 5:
            if time.monotonic() - begun > CEILING_S:
                raise AssertionError(f"after a killed {kind} nothing is written any more")
            await asyncio.sleep(0.1)
        await asyncio.sleep(pause_s)


async def _all_of_them(client: Client) -> Counter[str]:
    """How often each complaint is in the list of jobs, page by page."""
    numbers: Counter[str] = Counter()
    after = ""
    while True:
        status, answer = await client.ask("GET", f"/api/jobs?search=Attacked&order=newest&limit={PAGE}&after={after}")
        assert status == 200, answer
        page = json.loads(answer)
        numbers.update(job["complaint"] for job in page["jobs"])
        after = page["next"]
        if not after:
            return numbers


async def _undone(client: Client, task_ids: list[int]) -> dict[str, int]:
    """How many of the tasks that were acknowledged did not end well, by how they did; all of them are waited for."""
    states: Counter[str] = Counter()
    begun = time.monotonic()
    for task_id in task_ids:
        while True:
            status, answer = await client.ask("GET", f"/api/tasks/{task_id}")
            state = json.loads(answer)["state"] if status == 200 else str(status)
            if state not in ("waiting", "running") or time.monotonic() - begun > CEILING_S:
                break
            await asyncio.sleep(0.2)
        if state != "done":
            states[state] += 1
    return dict(states)


async def _attack(
    var: Path, port: int, kills: int, writers: int, pause_s: float, writes: int
) -> tuple[Told, Counter[str], dict[str, int]]:
    told = Told()
    first = Writer("127.0.0.1", port)
    await first.sign_in()
    all_of_them = [Writer("127.0.0.1", port) for _ in range(writers)]
    for one in all_of_them:
        await one.open()
        one.cookie, one.token = first.cookie, first.token
    ended = asyncio.Event()

    async def work(one: Writer) -> None:
        while not ended.is_set():
            await one.write(told)

    working = [asyncio.create_task(work(one)) for one in all_of_them]
    killing = asyncio.create_task(_kill(var, kills, told, pause_s))
    done, _ = await asyncio.wait([*working, killing], return_when=asyncio.FIRST_COMPLETED)
    while len(told.made) < writes and not any(task in done for task in working):
        done, _ = await asyncio.wait(working, timeout=1.0, return_when=asyncio.FIRST_COMPLETED)
    ended.set()
    await asyncio.gather(killing, *working)
    await first.open()
    return told, await _all_of_them(first), await _undone(first, told.asked)


def kill_test(
    var: Path, port: int, kills: int = 30, writers: int = 8, pause_s: float = 2.0, writes: int = 0
) -> dict[str, object]:
    """Kill servers, their processes, the worker and the database in turn while jobs are opened and long work is asked for.

    var, port: of a `shop`; writes: go on until so many were acknowledged, however many kills that leaves between
    Returns counts: acknowledged, lost of those, made twice, tasks and those that did not end well, tries, kills by what was killed,
    the longest a writer waited.
    """
    told, found, undone = asyncio.run(_attack(var, port, kills, writers, pause_s, writes))
    return {
        "acknowledged": len(told.made),
        "lost": sum(mark not in found for mark in told.made),
        "twice": sum(count > 1 for count in found.values()),
        "tasks": len(told.asked),
        "tasks undone": undone,
        "tries": told.tries,
        "killed": dict(told.killed),
        "longest wait, s": round(told.longest_away_s, 1),
    }
