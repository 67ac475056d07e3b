"""Keeps the server up, and the worker beside it: starts again what dies, the private database too, and keeps the log within bounds.

`./mavrik up` and `demo` start this in the background; it runs uvicorn, which starts another process for each of its own that dies,
and the worker that does long work.
"""

from __future__ import annotations

import contextlib
import ctypes
import json
import os
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Mapping, Sequence
from itertools import pairwise
from pathlib import Path
from typing import Any

from mavrik.ops import cluster

LOOK_EVERY_S = 0.5
DATABASE_EVERY_S = 5.0
LOG_EVERY_S = 30.0
TIDY_EVERY_S = 3600.0
LARGEST_LOG_BYTES = 10_000_000
LOGS_KEPT = 5
ENDS_WITHIN_S = 8.0
SHORTEST_PAUSE_S, LONGEST_PAUSE_S = 1.0, 30.0
LIVED_S = 60.0
"""A server that ran so long and then died is started again at once; one that dies at each start waits longer and longer."""


SERVER, WORKER = "server", "worker"
BETWEEN = "--"
"""Before each name and command."""


def say(event: str, **more: Any) -> None:
    """A line of the log, as the server's own are."""
    at = time.strftime("%Y-%m-%dT%H:%M:%SZ", time.gmtime())
    print(json.dumps({"at": at, "level": "warning", "logger": "mavrik.supervisor", "event": event, **more}), flush=True)


def rotate(log: Path, largest: int = LARGEST_LOG_BYTES, kept: int = LOGS_KEPT) -> bool:
    """Put a log that has grown too large aside and empty it; whether it was. Who writes it goes on in the same file.

    The oldest of those kept is deleted; all of them only their owner reads.
    """
    if not log.exists() or log.stat().st_size <= largest:
        return False
    for k in range(kept - 1, 0, -1):
        older = log.with_name(f"{log.name}.{k}")
        if older.exists():
            older.replace(log.with_name(f"{log.name}.{k + 1}"))
    aside = log.with_name(f"{log.name}.1")
    with open(os.open(aside, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "wb") as copy, log.open("rb") as source:  # noqa: PTH123
        shutil.copyfileobj(source, copy)
    # Its writers append: they go on at the new beginning.
    os.truncate(log, 0)
    return True


PR_SET_PDEATHSIG = 1
"""prctl(2), Linux."""


def _end_with_parent() -> None:
    """In the child: be told to end when the parent is gone."""
    with contextlib.suppress(OSError, AttributeError):
        ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGTERM)


def _kill_group(leader: int) -> None:
    """Workers that outlived their server would keep its port."""
    with contextlib.suppress(ProcessLookupError, PermissionError):
        os.killpg(leader, signal.SIGKILL)


def _no_counts() -> None:
    """What the processes before counted would be counted once more."""
    if folder := os.environ.get("PROMETHEUS_MULTIPROC_DIR"):
        shutil.rmtree(folder, ignore_errors=True)
        Path(folder).mkdir(mode=0o700, parents=True)


class Kept:
    """A process that is started again when it dies; at once where it ran for a while, ever later where it dies at each start."""

    def __init__(self, name: str, command: Sequence[str], before: Callable[[], None] | None = None) -> None:
        """name: in the log; command: what to start; before: done each time before that."""
        self.name, self._command, self._before = name, list(command), before
        self.pause_s = 0.0
        self.child: subprocess.Popen[bytes] | None = None
        self._started = -LIVED_S

    def look(self) -> bool:
        """Whether it had to be started."""
        now = time.monotonic()
        if self.child is not None and (code := self.child.poll()) is not None:
            lived = now - self._started
            self.pause_s = 0.0 if lived > LIVED_S else min(max(2 * self.pause_s, SHORTEST_PAUSE_S), LONGEST_PAUSE_S)
            _kill_group(self.child.pid)
            say(f"the {self.name} died", code=code, again_in_s=self.pause_s)
            self.child = None
            self._started = now
        if self.child is None and now - self._started >= self.pause_s:
            self._started = now
            if self._before is not None:
                self._before()
            # A group of its own, so that its workers go with it; and it goes when this process does, however that ends.
            self.child = subprocess.Popen(
                self._command, stdin=subprocess.DEVNULL, process_group=0, preexec_fn=_end_with_parent
            )  # fmt: skip
            return True
        return False

    def ask_to_end(self) -> None:
        """Tell it to end."""
        if self.child is not None:
            self.child.terminate()

    def end(self, within_s: float) -> None:
        """End it, in good order where it does so in time."""
        if self.child is None:
            return
        self.child.terminate()
        with contextlib.suppress(subprocess.TimeoutExpired):
            self.child.wait(within_s)
        _kill_group(self.child.pid)


class Supervisor:
    """Processes and what they stand on."""

    def __init__(self, commands: Mapping[str, Sequence[str]], log: Path | None = None, private_database: bool = True) -> None:
        """commands: by name; log: where their lines go, to be kept within bounds; private_database: whether to keep ours up too."""
        self.kept = [Kept(name, command, _no_counts if name == SERVER else None) for name, command in commands.items()]
        self._log, self._private = log, private_database
        self._ending = False
        self._due = {"log": 0.0, "database": 0.0, "tidy": time.monotonic() + TIDY_EVERY_S}

    def end(self, *_: object) -> None:
        """Stop them, and then this."""
        self._ending = True

    def run(self) -> None:
        """Until told to end."""
        signal.signal(signal.SIGTERM, self.end)
        signal.signal(signal.SIGINT, self.end)
        while not self._ending:
            self.look()
            time.sleep(LOOK_EVERY_S)
        self.stop()

    def look(self) -> None:
        """Once round: is everything there that should be?"""
        for one in self.kept:
            one.look()
        if self._private and self._is_due("database", DATABASE_EVERY_S):
            self._revive_database()
        if self._log is not None and self._is_due("log", LOG_EVERY_S):
            rotate(self._log)
        if self._is_due("tidy", TIDY_EVERY_S):
            subprocess.Popen([sys.executable, "-m", "mavrik.cli", "tidy"])

    def _is_due(self, what: str, every_s: float) -> bool:
        now = time.monotonic()
        if now < self._due[what]:
            return False
        self._due[what] = now + every_s
        return True

    def _revive_database(self) -> None:
        try:
            if cluster.revive():
                say("the database was down and is started again")
        except Exception as error:
            say("the database does not start", why=str(error))

    def stop(self) -> None:
        """End all of them."""
        for one in self.kept:
            one.ask_to_end()
        until = time.monotonic() + ENDS_WITHIN_S
        for one in self.kept:
            one.end(max(until - time.monotonic(), 0.1))


def main(words: Sequence[str]) -> None:
    """words: the log's file, whether the database is the private one (1 or 0), and after each `--` a name and its command."""
    log, private, *rest = words
    starts = [k for k, word in enumerate(rest) if word == BETWEEN]
    parts = [rest[a + 1 : b] for a, b in pairwise([*starts, len(rest)])]
    Supervisor({name: command for name, *command in parts}, Path(log), private == "1").run()


if __name__ == "__main__":
    main(sys.argv[1:])
