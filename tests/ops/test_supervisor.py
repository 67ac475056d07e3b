"""What dies is started again: the server, its workers, the private database; and its log stays within bounds."""

from __future__ import annotations

import json
import os
import signal
import stat
import subprocess
import sys
import time
import urllib.error
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from bench.attack.shop import children_of
from sqlalchemy import text
from sqlalchemy.exc import OperationalError

from mavrik.ops import cluster, supervisor
from mavrik.ops.supervisor import Supervisor, rotate
from mavrik.store.database import Database, snapshot_of
from tests.ops.conftest import Place

SLEEPS = [sys.executable, "-c", "import time; time.sleep(600)"]
CEILING_S = 120.0


def until(what: Callable[[], bool]) -> None:
    """Wait for an event; the ceiling is for a machine that does other things as well."""
    begun = time.monotonic()
    while not what():
        assert time.monotonic() - begun < CEILING_S
        time.sleep(0.1)


def is_alive(pid: int) -> bool:
    try:
        return "State:\tZ" not in Path(f"/proc/{pid}/status").read_text()
    except FileNotFoundError:
        return False


@pytest.fixture
def watched() -> Iterator[Callable[[list[str]], Supervisor]]:
    made: list[Supervisor] = []

    def make(command: list[str]) -> Supervisor:
        made.append(Supervisor({"server": command}, private_database=False))
        return made[-1]

    yield make
    for one in made:
        one.stop()


def test_a_server_that_dies_is_started_again_and_ever_later_where_it_dies_at_once(
    watched: Callable[[list[str]], Supervisor], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(supervisor, "SHORTEST_PAUSE_S", 0.01)
    boss = watched([sys.executable, "-c", "raise SystemExit(3)"])
    pauses = []
    for _ in range(5):
        until(lambda: (boss.look(), boss.kept[0].child is not None)[1])
        assert boss.kept[0].child is not None
        boss.kept[0].child.wait()
        boss.look()
        pauses.append(boss.kept[0].pause_s)
    assert pauses == pytest.approx([0.01, 0.02, 0.04, 0.08, 0.16])


def test_workers_that_outlive_their_server_go_with_it(watched: Callable[[list[str]], Supervisor], tmp_path: Path) -> None:
    """Otherwise they keep the port, and no other server comes up."""
    pid_file = tmp_path / "pid"
    boss = watched([sys.executable, "-c", f"import subprocess, pathlib, time; p = subprocess.Popen({SLEEPS!r}); pathlib.Path({str(pid_file)!r}).write_text(str(p.pid)); time.sleep(600)"])  # fmt: skip
    boss.look()
    until(lambda: pid_file.exists() and pid_file.read_text() != "")
    worker = int(pid_file.read_text())
    assert boss.kept[0].child is not None and is_alive(worker)
    os.kill(boss.kept[0].child.pid, signal.SIGKILL)
    boss.kept[0].child.wait()
    boss.look()
    until(lambda: not is_alive(worker))


def test_a_server_does_not_outlive_its_supervisor(tmp_path: Path) -> None:
    pid_file = tmp_path / "pid"
    child = f"import os, pathlib, time; pathlib.Path({str(pid_file)!r}).write_text(str(os.getpid())); time.sleep(600)"
    words = [
        sys.executable,
        "-m",
        "mavrik.ops.supervisor",
        str(tmp_path / "log"),
        "0",
        "--",
        "server",
        sys.executable,
        "-c",
        child,
    ]
    root = Path(__file__).resolve().parents[2]
    with subprocess.Popen(words, cwd=root, env={**os.environ, "PYTHONPATH": str(root / "src")}) as own:
        until(lambda: pid_file.exists() and pid_file.read_text() != "")
        own.kill()
    until(lambda: not is_alive(int(pid_file.read_text())))


def test_a_log_is_put_aside_and_its_writers_go_on(tmp_path: Path) -> None:
    log = tmp_path / "server.log"
    with log.open("ab", buffering=0) as writer:
        for k in range(5):
            writer.write(f"{k}".encode() * 100)
            assert rotate(log, largest=50, kept=3)
        writer.write(b"last")
    assert log.read_bytes() == b"last" and not rotate(log, largest=50)
    kept = sorted(p.name for p in tmp_path.iterdir())
    assert kept == ["server.log", "server.log.1", "server.log.2", "server.log.3"]
    assert (tmp_path / "server.log.1").read_bytes() == b"4" * 100 and (tmp_path / "server.log.3").read_bytes() == b"2" * 100
    assert {stat.S_IMODE((tmp_path / n).stat().st_mode) for n in kept[1:]} == {0o600}


def answers(of: Place) -> bool:
    try:
        return of.get("/api/health") == 200
    except (urllib.error.URLError, OSError):
        return False


@pytest.fixture(scope="module")
def running(place: Place) -> Iterator[Place]:
    first = {"MAVRIK_FIRST_PASSWORD": "long enough now", "MAVRIK_PROCESSES": "2"}
    begun = place.run("up", "--port", str(place.port), "--first-login", "boss", **first)
    assert begun.returncode == 0, begun.stderr
    yield place
    assert place.run("stop").stdout.startswith("Stopped: server")


@pytest.mark.long
def test_server_worker_and_database_come_back_by_themselves(running: Place) -> None:
    place = running
    assert stat.S_IMODE((place.var / "server.log").stat().st_mode) == 0o600
    own = int(json.loads((place.var / "server.json").read_text())["pid"])
    (serving,), (working,) = children_of(own, b"uvicorn"), children_of(own, b"mavrik.cli")
    for killed in (serving, working):
        os.kill(killed, signal.SIGKILL)
    until(lambda: not is_alive(serving) and not is_alive(working))
    until(lambda: answers(place))
    until(lambda: bool(children_of(own, b"mavrik.cli")))
    (serving,) = children_of(own, b"uvicorn")
    workers = children_of(serving)
    for worker in workers:
        os.kill(worker, signal.SIGKILL)
    until(lambda: not any(is_alive(w) for w in workers))
    until(lambda: answers(place))
    home = Path(json.loads((place.var / "cluster.json").read_text())["home"])
    postmaster = int((home / "data" / "postmaster.pid").read_text().splitlines()[0])
    os.kill(postmaster, signal.SIGKILL)
    until(lambda: not is_alive(postmaster))
    until(lambda: answers(place))


@pytest.mark.long
def test_a_snapshot_of_before_a_crash_does_not_come_again(running: Place) -> None:
    settings = json.loads((running.var / "cluster.json").read_text())
    database = Database(cluster.url_of(settings, "postgres"))

    def seen() -> tuple[str, str]:
        with database.glance() as glance:
            return str(glance.scalar(text("SELECT pg_current_snapshot()"))), snapshot_of(glance)

    def came_back() -> bool:
        try:
            return bool(seen())
        except OperationalError:
            return False

    for _ in range(10):
        transactions, snapshot = seen()
        with database.glance() as glance:
            os.kill(int(glance.scalar(text("SELECT pg_backend_pid()")) or 0), signal.SIGKILL)
            glance.invalidate()
        until(came_back)
        again, after = seen()
        assert after != snapshot
        if again == transactions:
            break
        # Somebody of the running product wrote meanwhile.
    else:
        pytest.fail("no crash without a transaction")
    database.dispose()
