"""The one command, run for real in a folder of its own: private cluster, server, stop, reset."""

from __future__ import annotations

import json
import os
import socket
import stat
import sys
import urllib.error
import urllib.request
from pathlib import Path
from types import SimpleNamespace

import pytest

from mavrik.ops import base, cluster, server
from mavrik.ops import command as ops_command
from tests.ops.conftest import Place


def test_a_server_of_other_settings_or_other_code_is_known(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = tmp_path / "src" / "mavrik"
    (folder / "static").mkdir(parents=True)
    (folder / "a.py").write_text("one")
    monkeypatch.setattr(server, "ROOT", tmp_path)
    monkeypatch.setattr(base, "ROOT", tmp_path)
    first = server.stamp_of({"MAVRIK_WORKSHOP": "A"})
    assert first == server.stamp_of({"MAVRIK_WORKSHOP": "A"}) != server.stamp_of({"MAVRIK_WORKSHOP": "B"})
    (folder / "static" / "built.json").write_text("the front end is read anew at every request")
    assert server.stamp_of({"MAVRIK_WORKSHOP": "A"}) == first
    (folder / "a.py").write_text("two")
    assert server.stamp_of({"MAVRIK_WORKSHOP": "A"}) != first


def test_how_many_processes_answer_is_a_setting(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delenv("MAVRIK_PROCESSES", raising=False)
    assert server.processes() == server.USUAL_PROCESSES
    monkeypatch.setenv("MAVRIK_PROCESSES", "3")
    assert server.processes() == 3
    for wrong in ("", "0", "65", "two", "-1", "1.5"):
        monkeypatch.setenv("MAVRIK_PROCESSES", wrong)
        with pytest.raises(base.OperationError, match=r"MAVRIK_PROCESSES is a number from 1 to 64"):
            server.processes()


@pytest.mark.long
def test_demo_starts_says_where_and_stops(place: Place) -> None:
    done = place.run("demo", "--port", str(place.port))
    assert done.returncode == 0, done.stderr
    assert f"http://127.0.0.1:{place.port}" in done.stdout
    assert "tobin" in done.stdout and "copper-and-slate" in done.stdout
    assert place.get("/api/health") == 200
    assert place.get("/api/jobs") == 401
    again = place.run("demo", "--port", str(place.port))
    assert again.returncode == 0 and place.get("/api/health") == 200
    # Nothing but the owner reads the secrets; the database listens on no network address.
    for name in ("cluster.json", "secret.json"):
        assert stat.S_IMODE((place.var / name).stat().st_mode) == 0o600
    home = Path(json.loads((place.var / "cluster.json").read_text())["home"])
    assert (home / "data" / "postmaster.pid").read_text().splitlines()[5].strip() == ""
    if os.geteuid() == 0:
        assert (home / "data").stat().st_uid != 0
    stopped = place.run("stop")
    assert stopped.stdout.startswith("Stopped: server, ") and "database" in stopped.stdout
    with pytest.raises(urllib.error.URLError):
        place.get("/api/health")
    assert place.run("stop").stdout.startswith("Nothing was running")


def test_a_taken_port_is_one_clear_line(place: Place) -> None:
    with socket.socket() as holder:
        holder.bind(("127.0.0.1", 0))
        holder.listen()
        port = holder.getsockname()[1]
        done = place.run("demo", "--port", str(port))
    assert done.returncode == 1
    assert done.stderr.strip().splitlines()[-1] == f"mavrik: Port {port} is taken by another program. Choose another with --port."
    place.run("stop")


@pytest.mark.long
def test_without_demo_data_the_first_account_is_asked_for(place: Place) -> None:
    refused = place.run("up", "--port", str(place.port))
    assert refused.returncode == 1
    assert "nobody has an account yet" in refused.stderr
    short = place.run("up", "--port", str(place.port), "--first-login", "boss", MAVRIK_FIRST_PASSWORD="short")
    assert short.returncode == 1 and "At least 10 characters" in short.stderr
    done = place.run("up", "--port", str(place.port), "--first-login", "boss", MAVRIK_FIRST_PASSWORD="long enough now")
    assert done.returncode == 0, done.stderr
    assert "copper-and-slate" not in done.stdout
    assert place.get("/api/health") == 200
    # Once somebody has an account, nobody is asked.
    assert place.run("up", "--port", str(place.port)).returncode == 0


@pytest.mark.long
def test_reset_deletes_the_demo_and_leaves_real_jobs(place: Place) -> None:
    # Nobody to ask: what cannot be undone is not done by a word alone.
    for words in (("reset",), ("reset", "--everything")):
        refused = place.run(*words)
        assert refused.returncode == 1 and "--yes" in refused.stderr and "Nothing was done." in refused.stderr
    done = place.run("reset", "--yes")
    assert done.returncode == 0 and "demo" in done.stdout
    assert place.run("reset", "--yes").returncode == 0
    assert place.run("up", "--port", str(place.port)).returncode == 0  # the first account is still there
    place.run("stop")


def test_reset_deletes_no_database_it_did_not_make(place: Place) -> None:
    done = place.run("reset", MAVRIK_DATABASE_URL="postgresql://somewhere/else")
    assert done.returncode == 1 and "did not make" in done.stderr


def test_the_name_is_typed_before_anything_is_deleted(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sys, "stdin", SimpleNamespace(isatty=lambda: True))
    monkeypatch.setattr("builtins.input", lambda _: " mavrik_demo ")
    ops_command._confirm("This deletes it.", "mavrik_demo", False)
    with pytest.raises(base.OperationError, match="That is not its name"):
        ops_command._confirm("This deletes it.", "mavrik", False)


@pytest.mark.long
def test_what_was_backed_up_comes_back_by_the_one_command(place: Place, tmp_path: Path) -> None:
    assert place.run("up", "--port", str(place.port)).returncode == 0
    file = tmp_path / "shop.mavrik-backup"
    made = place.run("backup", str(file))
    assert made.returncode == 0 and "0 jobs" in made.stdout, made.stderr
    assert place.get("/api/health") == 200  # a backup sends nobody away
    refused = place.run("restore", str(file))
    assert refused.returncode == 1 and "--yes" in refused.stderr and place.get("/api/health") == 200
    assert place.run("restore", str(tmp_path / "none"), "--yes").returncode == 1
    done = place.run("restore", str(file), "--yes")
    assert done.returncode == 0 and "Restored 0 jobs" in done.stdout, done.stderr
    assert len(list((place.var / "backups").glob("*-before-restore.mavrik-backup"))) == 1
    assert place.run("up", "--port", str(place.port)).returncode == 0  # with the account that was there
    damaged = tmp_path / "damaged"
    damaged.write_bytes(file.read_bytes()[:-30000])
    again = place.run("restore", str(damaged), "--yes")
    assert again.returncode == 2 and again.stderr.strip().splitlines()[-1].startswith("mavrik: damaged")
    place.run("stop")


def test_a_cluster_of_another_postgresql_is_one_clear_line(tmp_path: Path) -> None:
    """Its own programs, not the newest: a server of another version would not start on its data."""
    (tmp_path / "PG_VERSION").write_text("11\n")
    with pytest.raises(base.OperationError, match=r"made by PostgreSQL 11, .*apt-get install postgresql-11"):
        cluster.binaries(tmp_path)
    own = cluster.binaries()
    (tmp_path / "PG_VERSION").write_text(f"{own.parts[-2]}\n")
    assert cluster.binaries(tmp_path) == own


def test_an_unknown_word_lists_the_commands(place: Place) -> None:
    done = place.run("fly")
    assert done.returncode == 2 and "invalid choice" in done.stderr
    assert "assess" in place.run("--help").stdout


def test_assess_goes_through_the_one_command(place: Place) -> None:
    done = place.run("assess", "docs/formats/example.mavrik.json")
    assert json.loads(done.stdout)["findings"]["headline"]["verdict"] == "fail"
    assert place.run("assess", "README.md").returncode == 2


def test_a_deep_folder_gets_its_socket_elsewhere(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    deep = tmp_path / ("deep" * 20)
    monkeypatch.setattr(cluster, "VAR", deep)
    monkeypatch.setattr(cluster, "_can_enter", lambda *_: True)
    home, run = cluster._choose_places(None)
    assert home.is_relative_to(deep) and not run.is_relative_to(deep)
    assert len(str(run)) < cluster.LONGEST_SOCKET


def test_a_closed_folder_sends_the_cluster_to_var_lib(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(cluster, "VAR", tmp_path / "var")
    monkeypatch.setattr(cluster, "_can_enter", lambda *_: False)
    home, _ = cluster._choose_places(None)
    assert home.parent == Path("/var/lib") and home.name.startswith("mavrik-")
