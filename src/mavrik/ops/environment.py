"""The Python environment and the front-end build, made from the lock files and remade only when those change."""

from __future__ import annotations

import importlib.util
import json
import os
import shutil
import sys
from pathlib import Path

from mavrik.ops.base import ROOT, VENV, VENV_PYTHON, OperationError, fingerprint, read_json, run, say
from mavrik.ops.debian import PYTHON_PACKAGES, ensure_packages

STAMP = VENV / "mavrik.json"
FRONTEND = ROOT / "frontend"
BUILD = ROOT / "src" / "mavrik" / "web" / "static" / "app"
BUILD_SOURCES = tuple(FRONTEND / name for name in ("src", "index.html", "package-lock.json", "vite.config.ts", "tsconfig.json"))


def ensure_python(test: bool = False) -> None:
    """Make `.venv` hold exactly what the lock file names.

    test: with the tools for testing too
    """
    locks = {"app": ROOT / "requirements" / "app.txt", "test": ROOT / "requirements" / "test.txt"}
    marks = {name: fingerprint([path]) for name, path in locks.items()}
    have = read_json(STAMP)
    # The test lock holds all of the app's, at the same versions.
    if VENV_PYTHON.exists() and (have.get("test") == marks["test"] or (not test and have.get("app") == marks["app"])):
        return
    want = "test" if test else "app"
    if not VENV_PYTHON.exists():
        if importlib.util.find_spec("ensurepip") is None:
            ensure_packages(PYTHON_PACKAGES, "the Python environment")
        say("Making .venv ...")
        shutil.rmtree(VENV, ignore_errors=True)
        run([sys.executable, "-m", "venv", str(VENV)], "Making .venv")
    say("Installing the locked Python packages ...")
    run(
        [
            str(VENV_PYTHON),
            "-m",
            "pip",
            "install",
            "--quiet",
            "--disable-pip-version-check",
            "--require-hashes",
            "-r",
            str(locks[want]),
        ],
        "Installing the Python packages",
    )
    site = next((VENV / "lib").glob("python3.*/site-packages"))
    (site / "mavrik.pth").write_text(f"{ROOT / 'src'}\n")
    STAMP.write_text(json.dumps({**have, want: marks[want]}))


def _node_environment() -> dict[str, str]:
    if shutil.which("npm") is None or shutil.which("node") is None:
        raise OperationError("Node 20 with npm is needed to build the front end, and is not on this machine.")
    return {**os.environ, "NO_COLOR": "1", "CI": "true"}


def ensure_node_modules() -> None:
    """Install the locked front-end packages."""
    stamp = FRONTEND / "node_modules" / ".mavrik"
    mark = fingerprint([FRONTEND / "package-lock.json", FRONTEND / "package.json"])
    if stamp.exists() and stamp.read_text() == mark:
        return
    environment = _node_environment()
    say("Installing the locked front-end packages ...")
    run(["npm", "ci", "--no-audit", "--no-fund"], "npm ci", cwd=FRONTEND, env=environment)
    stamp.write_text(mark)


def ensure_frontend() -> Path:
    """Build the front end; returns the folder it is served from."""
    stamp = BUILD / ".mavrik"
    mark = fingerprint(BUILD_SOURCES)
    if stamp.exists() and stamp.read_text() == mark:
        return BUILD
    ensure_node_modules()
    say("Building the front end ...")
    run(["npm", "run", "build"], "The front-end build", cwd=FRONTEND, env=_node_environment())
    stamp.write_text(mark)
    return BUILD
