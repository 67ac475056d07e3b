"""A running product of one's own to attack, on loopback, and what it consists of."""

from __future__ import annotations

import os
import shutil
import socket
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from mavrik.jobs.demo import DEMO_LOGIN, DEMO_PASSWORD

ROOT = Path(__file__).resolve().parents[2]
TRACES = 3


@contextmanager
def shop(demo: bool = True) -> Iterator[tuple[Path, int]]:
    """A product of its own: its folder and port. Gone afterwards.

    demo: with the demo's data; otherwise nothing is in it but a lead, with the login and the password of the demo's technician
    """
    # Below the clone: the unprivileged account of the database must be able to enter it.
    var = ROOT / "var" / f"attack-{os.getpid()}"
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = int(probe.getsockname()[1])
    environment = {k: v for k, v in os.environ.items() if not k.startswith("MAVRIK_")} | {"MAVRIK_VAR": str(var)}
    environment["MAVRIK_FIRST_PASSWORD"] = DEMO_PASSWORD

    def run(*words: str) -> None:
        subprocess.run(
            ["./mavrik", *words], cwd=ROOT, env=environment, check=True, stdin=subprocess.DEVNULL, stdout=subprocess.DEVNULL
        )

    try:
        run(*(["demo"] if demo else ["up", "--first-login", DEMO_LOGIN]), "--port", str(port))
        yield var, port
    except BaseException:
        # What the server said of it goes with the shop.
        lines = (var / "server.log").read_text(errors="replace").splitlines() if (var / "server.log").exists() else []
        print("\n".join([line for line in lines if '"trace"' in line][-TRACES:]), file=sys.stderr)
        raise
    finally:
        run("stop")
        run("reset", "--everything", "--yes")
        shutil.rmtree(var, ignore_errors=True)


def children_of(pid: int, named: bytes = b"") -> list[int]:
    """Processes below another; named: in their command."""
    children = []
    for status in Path("/proc").glob("[0-9]*/status"):
        with suppress(OSError):
            if f"PPid:\t{pid}\n" in status.read_text() and named in (status.parent / "cmdline").read_bytes():
                children.append(int(status.parent.name))
    return children
