"""The command line, in this process and in one of its own."""

from __future__ import annotations

import io
import os
import subprocess
import sys
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from unittest import mock

from mavrik.cli import main

ROOT = Path(__file__).resolve().parents[1]


def run_cli(*words: str, data: bytes | None = None) -> subprocess.CompletedProcess[bytes]:
    """What a command says and its exit code, run here: to start a program takes longer than most commands do."""
    out, err = (io.TextIOWrapper(io.BytesIO(), encoding="utf-8", write_through=True) for _ in range(2))
    stdin = io.TextIOWrapper(io.BytesIO(data or b""), encoding="utf-8")
    with mock.patch.object(sys, "stdin", stdin), redirect_stdout(out), redirect_stderr(err):
        try:
            code = main(list(words))
        except SystemExit as end:
            code = end.code if isinstance(end.code, int) else 1 if end.code else 0
    texts = [stream.buffer.getvalue() for stream in (out, err) if isinstance(stream.buffer, io.BytesIO)]
    return subprocess.CompletedProcess(words, code, *texts)


def start_cli(*words: str, data: bytes | None = None) -> subprocess.CompletedProcess[bytes]:
    """The same as a program of its own, in surroundings that say nothing of a database."""
    return subprocess.run(
        [sys.executable, "-m", "mavrik.cli", *words], input=data, capture_output=True, check=False,
        env={"PYTHONPATH": str(ROOT / "src"), "PATH": os.defpath},
    )  # fmt: skip
