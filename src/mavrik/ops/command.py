"""The words after `./mavrik`."""

from __future__ import annotations

import argparse
import os
import subprocess
import sys
import time
from pathlib import Path

from mavrik.ops import cluster, server, standin
from mavrik.ops.base import ROOT, VAR, VENV_PYTHON, OperationError, say
from mavrik.ops.debian import PDF_PACKAGES, ensure_packages
from mavrik.ops.environment import ensure_frontend, ensure_python

DEFAULT_PORT = 8642
USE_CASES = ("assess", "solve", "plan", "isolate", "build", "sheet", "formats", "standin")
DATABASES = {"demo": "mavrik_demo", "up": "mavrik"}

SUMMARY = """
commands
  demo      start with demo data; prints the address and the sign-in
  up        start without demo data; the first start asks for the first account
  stop      stop the server and the private database
  backup    write all jobs, people and readings to one file (--demo: the demo's); the server may go on running
  restore   put a backup in the database's place; what was there is backed up first, and its name asked for
  reset     stop, and delete the demo's database (--everything: all of the private cluster); asks for its name
  assess    judge a job bundle and print JSON, without a database (assess --help says every field)
  solve     solve a bundle's circuit at an operating state and print JSON, without a database (solve --help says every field)
  plan      size a bundle's leads and say whether it keeps up, as JSON, without a database
  sheet     print a job bundle's sheet as PDF, without a database
  formats   write the published schemas
  standin   a simulated vehicle with meters that speak SCPI on loopback; demo starts one with a fault hidden
  test      linters, types, import rules and all tests; words after it go to pytest
  attack    kill, race and confuse a shop of its own: nothing acknowledged may be lost, nothing be a mistake of the server
  bench     measure; see docs/performance.md

environment
  MAVRIK_DATABASE_URL   another PostgreSQL database to use instead of the private cluster
  MAVRIK_WORKSHOP       name at the head of the sheet
"""


def _start(mode: str, arguments: argparse.Namespace) -> int:
    started = time.monotonic()
    ensure_packages(PDF_PACKAGES, "the printed sheet")
    ensure_python()
    ensure_frontend()
    environment = {**_database_environment(mode), "MAVRIK_PROCESSES": str(server.processes())}
    if mode == "demo":
        environment |= {"MAVRIK_DEMO": "1", "MAVRIK_WORKSHOP": os.environ.get("MAVRIK_WORKSHOP", "Fennick Yard Auto Electrics")}
    running = server.find_running()
    # One of another kind, on another port, or started before the code or the settings changed, makes way.
    if running and (running.mode, running.port, running.stamp) != (mode, arguments.port, server.stamp_of(environment)):
        server.stop()
        running = None
    if running is None:
        server.check_port(arguments.port)
    # What a server answers from was made ready before it was started.
    if running is None or not server.is_healthy(running.port):
        _prepare_database(mode, arguments, environment)
    if running is None:
        running = server.start(arguments.port, mode, environment)
    if mode == "demo":
        standin.start()
    print(f"Mavrik is at {running.address}  (started in {time.monotonic() - started:.1f} s)")
    if mode == "demo":
        print("Sign in as  tobin  with  copper-and-slate   (technician; mara is the lead, ines may only read)")
    print("Stop it with: ./mavrik stop")
    return 0


def _prepare_database(mode: str, arguments: argparse.Namespace, environment: dict[str, str]) -> None:
    prepare = [str(VENV_PYTHON), "-m", "mavrik.cli", "prepare"]
    if mode == "demo":
        prepare.append("--demo")
    else:
        prepare += [
            w
            for pair in (("--first-login", arguments.first_login), ("--first-name", arguments.first_name))
            if pair[1]
            for w in pair
        ]
    code = subprocess.run(
        prepare, cwd=ROOT, env={**os.environ, **environment, "PYTHONPATH": str(ROOT / "src")}, check=False
    ).returncode
    if code:
        raise OperationError("The database could not be made ready; see above.")


def _database_environment(mode: str) -> dict[str, str]:
    """Where the database of a mode is, and with what programs it is dumped."""
    made = {"MAVRIK_BACKUPS": str(VAR / "backups")}
    url = os.environ.get("MAVRIK_DATABASE_URL")
    if url:
        return {**made, "MAVRIK_DATABASE_URL": url}
    settings = cluster.ensure_cluster()
    made["MAVRIK_PG_BIN"] = str(cluster.binaries(Path(settings["home"]) / "data"))
    made["MAVRIK_ADMIN_URL"] = cluster.url_of(settings, "postgres")
    return {**made, "MAVRIK_DATABASE_URL": cluster.url_of(settings, DATABASES[mode])}


def _confirm(what: str, name: str, sure: bool) -> None:
    """Have the name of what is lost typed, or told beforehand with --yes."""
    if sure:
        return
    if not sys.stdin.isatty():
        raise OperationError(f"{what} Nobody is here to be asked; --yes says that it is meant. Nothing was done.")
    if input(f"{what}\nType {name} to go on: ").strip() != name:
        raise OperationError("That is not its name. Nothing was done.")


def _backup(arguments: argparse.Namespace) -> int:
    return _on_database(arguments, "backup")


def _restore(arguments: argparse.Namespace) -> int:
    if not Path(arguments.file).is_file():
        raise OperationError(f"There is no file {arguments.file}.")
    if os.environ.get("MAVRIK_DATABASE_URL") and not os.environ.get("MAVRIK_ADMIN_URL"):
        raise OperationError("To restore into a database of your own, MAVRIK_ADMIN_URL has to name one that may make others.")
    url = os.environ.get("MAVRIK_DATABASE_URL")
    name = url.partition("?")[0].rpartition("/")[2] if url else DATABASES["demo" if arguments.demo else "up"]
    _confirm(f"This replaces everything in the database {name} by the backup, and stops the server.", name, arguments.yes)
    server.stop()
    return _on_database(arguments, "restore")


def _on_database(arguments: argparse.Namespace, word: str) -> int:
    ensure_python()
    database = _database_environment("demo" if arguments.demo else "up")
    environment = {**os.environ, **database, "PYTHONPATH": str(ROOT / "src")}
    command = [str(VENV_PYTHON), "-m", "mavrik.cli", word, arguments.file]
    return subprocess.run(command, env=environment, check=False).returncode


def _stop() -> int:
    did = (("server", server.stop()), ("stand-in", standin.stop()), ("database", cluster.stop_cluster()))
    stopped = [name for name, was in did if was]
    print(f"Stopped: {', '.join(stopped)}." if stopped else "Nothing was running.")
    return 0


def _reset(everything: bool, sure: bool) -> int:
    if os.environ.get("MAVRIK_DATABASE_URL"):
        raise OperationError("MAVRIK_DATABASE_URL is set: Mavrik deletes no database that it did not make.")
    if everything:
        _confirm("This deletes every job, reading and account, the real ones too, for good.", DATABASES["up"], sure)
    else:
        _confirm("This deletes the demo's jobs with all that was changed in them.", DATABASES["demo"], sure)
    server.stop()
    standin.stop()
    if everything:
        cluster.remove_cluster()
        for path in (server.SECRET, server.LOG):
            path.unlink(missing_ok=True)
        print("Deleted the private cluster with all its databases.")
        return 0
    if cluster.SETTINGS.exists():
        settings = cluster.ensure_cluster()
        code = "import sys; from mavrik.store.database import drop_database; drop_database(*sys.stdin.read().split())"
        urls = f"{cluster.url_of(settings, 'postgres')} {cluster.url_of(settings, DATABASES['demo'])}"
        ensure_python()
        subprocess.run(
            [str(VENV_PYTHON), "-c", code], input=urls, text=True, check=True, env={**os.environ, "PYTHONPATH": str(ROOT / "src")}
        )
        cluster.stop_cluster()
    print("Deleted the demo's database. ./mavrik demo makes it anew.")
    return 0


def _parse(words: list[str]) -> argparse.Namespace:
    parser = argparse.ArgumentParser(
        prog="./mavrik", epilog=SUMMARY, formatter_class=argparse.RawDescriptionHelpFormatter, add_help=True
    )
    commands = parser.add_subparsers(dest="command", metavar="command", required=True)
    for mode in DATABASES:
        one = commands.add_parser(mode)
        one.add_argument("--port", type=int, default=int(os.environ.get("MAVRIK_PORT", DEFAULT_PORT)))
        one.add_argument("--first-login", help="login of the first account; its password from MAVRIK_FIRST_PASSWORD")
        one.add_argument("--first-name")
    commands.add_parser("stop")
    reset = commands.add_parser("reset")
    reset.add_argument("--everything", action="store_true", help="also real jobs: delete the whole private cluster")
    backup, restore = commands.add_parser("backup"), commands.add_parser("restore")
    for one in (backup, restore):
        one.add_argument("file", help="the backup")
        one.add_argument("--demo", action="store_true", help="the demo's database")
    for one in (reset, restore):
        one.add_argument("--yes", action="store_true", help="do it without asking")
    return parser.parse_args(words)


def _dispatch(words: list[str]) -> int:
    if words and words[0] in USE_CASES:
        if words[0] == "sheet":
            ensure_packages(PDF_PACKAGES, "the printed sheet")
        ensure_python()
        environment = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
        return subprocess.run([str(VENV_PYTHON), "-m", "mavrik.cli", *words], env=environment, check=False).returncode
    if words and words[0] in ("test", "bench", "attack"):
        from mavrik.ops import checks

        return {"test": checks.run_tests, "bench": checks.run_bench, "attack": checks.run_attack}[words[0]](words[1:])
    arguments = _parse(words)
    if arguments.command in DATABASES:
        return _start(arguments.command, arguments)
    if arguments.command == "reset":
        return _reset(arguments.everything, arguments.yes)
    return {"stop": lambda _: _stop(), "backup": _backup, "restore": _restore}[arguments.command](arguments)


def main(words: list[str]) -> int:
    """Run one command; returns its exit code."""
    VAR.mkdir(parents=True, exist_ok=True)
    try:
        return _dispatch(words)
    except OperationError as error:
        say(f"mavrik: {error}")
        return 1
    except KeyboardInterrupt:
        return 130


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
