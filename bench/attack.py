"""Attack a running product of one's own, on loopback: servers, workers and databases are killed in a load of writers.

`./mavrik attack` starts a shop in a folder of its own, and in the end every write that was acknowledged has to be there, once.
"""

from __future__ import annotations

import argparse
import asyncio
import json
import os
import random
import shutil
import signal
import socket
import subprocess
import sys
import time
import uuid
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from pathlib import Path

from bench.server import Client

ROOT = Path(__file__).resolve().parents[1]
VICTIMS = ("server", "worker", "database")
CEILING_S = 300.0
"""Long enough for any machine to come back; what takes longer does not come back."""

ASK_S = 60.0
PAGE = 100


@contextmanager
def shop() -> Iterator[tuple[Path, int]]:
    """A product of its own with the demo's data: its folder and port. Gone afterwards."""
    # Below the clone: the unprivileged account of the database must be able to enter it.
    var = ROOT / "var" / f"attack-{os.getpid()}"
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = int(probe.getsockname()[1])
    own = {k: v for k, v in os.environ.items() if not k.startswith("MAVRIK_")} | {"MAVRIK_VAR": str(var)}

    def run(*words: str) -> None:
        subprocess.run(["./mavrik", *words], cwd=ROOT, env=own, check=True, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL)

    try:
        run("demo", "--port", str(port))
        yield var, port
    finally:
        run("stop")
        run("reset", "--everything", "--yes")
        shutil.rmtree(var, ignore_errors=True)


def _children(pid: int) -> list[int]:
    found = []
    for status in Path("/proc").glob("[0-9]*/status"):
        with suppress(OSError):
            if f"PPid:\t{pid}\n" in status.read_text():
                found.append(int(status.parent.name))
    return found


def _victim(var: Path, kind: str) -> int | None:
    """A process to be killed; None where it is not there at this moment."""
    if kind == "database":
        home = Path(json.loads((var / "cluster.json").read_text())["home"])
        with suppress(OSError, IndexError, ValueError):
            return int((home / "data" / "postmaster.pid").read_text().splitlines()[0])
        return None
    servers = _children(int(json.loads((var / "server.json").read_text())["pid"]))
    if kind == "server" or not servers:
        return servers[0] if servers else None
    workers = [p for p in _children(servers[0]) if b"spawn_main" in Path(f"/proc/{p}/cmdline").read_bytes()]
    return random.choice(workers) if workers else None  # noqa: S311


@dataclass
class Told:
    """What the writers were told."""

    made: dict[str, int] = field(default_factory=dict)
    """Id of the job by its complaint."""
    tries: int = 0
    killed: Counter[str] = field(default_factory=Counter)
    longest_away_s: float = 0.0


class Writer(Client):
    """Opens jobs, each under a key of its own, and asks again until it is told that one was made."""

    async def write(self, told: Told) -> None:
        """One job."""
        mark, key = uuid.uuid4().hex, uuid.uuid4().hex
        vehicle = {"description": "Attacked", "kind": "van", "system_voltage_v": 12}
        body = json.dumps({"customer": {"name": "Attack"}, "vehicle": vehicle, "complaint": mark}).encode()
        begun = time.monotonic()
        while True:
            told.tries += 1
            try:
                status, said = await asyncio.wait_for(self.ask("POST", "/api/jobs", body, {"Idempotency-Key": key}), ASK_S)
            except (OSError, EOFError, TimeoutError):
                status, said = 0, b""
                with suppress(OSError):
                    await self.open()
            if status == 201:
                told.made[mark] = int(json.loads(said)["id"])
                told.longest_away_s = max(told.longest_away_s, time.monotonic() - begun)
                return
            if status not in (0, 503):
                raise AssertionError(f"{status}: {said[:200]!r}")
            if time.monotonic() - begun > CEILING_S:
                raise AssertionError(f"it did not come back within {CEILING_S:.0f} s")
            await asyncio.sleep(0.2)


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
    found: Counter[str] = Counter()
    after = ""
    while True:
        status, said = await client.ask("GET", f"/api/jobs?search=Attacked&order=newest&limit={PAGE}&after={after}")
        assert status == 200, said
        page = json.loads(said)
        found.update(job["complaint"] for job in page["jobs"])
        after = page["next"]
        if not after:
            return found


async def _attack(var: Path, port: int, kills: int, writers: int, pause_s: float) -> tuple[Told, Counter[str]]:
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
    ended.set()
    for task in done:
        task.result()
    await asyncio.gather(*working)
    await first.open()
    return told, await _all_of_them(first)


def kill_test(kills: int = 30, writers: int = 8, pause_s: float = 2.0) -> dict[str, object]:
    """Kill servers, workers and the database in turn while jobs are opened.

    Returns counts: acknowledged, lost of those, made twice, tries, kills by what was killed, the longest a writer waited.
    """
    with shop() as (var, port):
        told, found = asyncio.run(_attack(var, port, kills, writers, pause_s))
    return {
        "acknowledged": len(told.made),
        "lost": sum(mark not in found for mark in told.made),
        "twice": sum(count > 1 for count in found.values()),
        "tries": told.tries,
        "killed": dict(told.killed),
        "longest wait, s": round(told.longest_away_s, 1),
    }


def main(words: list[str]) -> int:
    """Attack, and say how it went; 1 where something was lost or made twice."""
    parser = argparse.ArgumentParser(prog="./mavrik attack", description=__doc__)
    parser.add_argument("--kills", type=int, default=30)
    parser.add_argument("--writers", type=int, default=8)
    parser.add_argument("--pause", type=float, default=2.0, help="between a recovery and the next kill [s]")
    arguments = parser.parse_args(words)
    found = kill_test(arguments.kills, arguments.writers, arguments.pause)
    print(json.dumps(found, indent=2))
    return 1 if found["lost"] or found["twice"] else 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
