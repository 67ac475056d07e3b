"""A real server, a real database and Debian's Chromium."""

from __future__ import annotations

import os
import shutil
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable, Iterator
from functools import cache
from pathlib import Path

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, StorageState, expect, sync_playwright

from mavrik.jobs.demo import DEMO_PASSWORD, load_demo
from mavrik.store.database import Database
from tests.conftest import fresh_database

# Events are waited for; the ceiling is for a machine that does other things as well.
expect.set_options(timeout=30_000)

ROOT = Path(__file__).resolve().parents[2]
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--no-first-run",
]


@pytest.fixture(scope="session")
def database_url(admin_url: str) -> Iterator[str]:
    """A database apart from that of the other tests: the demo wants an empty one."""
    with fresh_database(admin_url) as url:
        yield url


@pytest.fixture(scope="session")
def base(database_url: str) -> Iterator[str]:
    """The address of a server with the demo data."""
    from datetime import UTC, datetime

    database = Database(database_url)
    with database.session() as session:
        load_demo(session, datetime.now(UTC).date())
    database.dispose()
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    environment = {
        **os.environ, "MAVRIK_DATABASE_URL": database_url, "MAVRIK_SECRET_KEY": "browser test", "MAVRIK_WORKSHOP": "Test shop",
        "PYTHONPATH": str(ROOT / "src"),
    }  # fmt: skip
    server = subprocess.Popen(
        [sys.executable, "-m", "gunicorn", "mavrik.web.app:from_environment()", "--bind", f"127.0.0.1:{port}", "--threads", "8", "--no-control-socket"],
        env=environment, cwd=ROOT, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    address = f"http://127.0.0.1:{port}"
    for _ in range(200):
        try:
            urllib.request.urlopen(f"{address}/api/health", timeout=1)
            break
        except OSError:
            time.sleep(0.1)
    yield address
    server.terminate()
    server.wait(10)


@pytest.fixture(scope="session")
def chromium() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=FLAGS)
        yield browser
        browser.close()


class Watched:
    """What a page asked for and complained of."""

    def __init__(self) -> None:
        self.requests: list[str] = []
        self.errors: list[str] = []


@pytest.fixture(scope="session")
def signed_in(chromium: Browser, base: str) -> Callable[[str], StorageState]:
    """What a browser keeps of a person who has signed in; each signs in once."""

    @cache
    def state(login: str) -> StorageState:
        context = chromium.new_context(base_url=base)
        page = context.new_page()
        page.set_default_timeout(30_000)
        sign_in(page, login)
        kept = context.storage_state()
        context.close()
        return kept

    return state


@pytest.fixture
def open_page(chromium: Browser, base: str, signed_in: Callable[[str], StorageState]) -> Iterator[Callable[..., Page]]:
    """Opens pages of a person signed in; fails the test when one asked anybody else or broke the content policy."""
    contexts: list[BrowserContext] = []
    watched = Watched()

    def make(login: str | None = "tobin", width: int = 1280, height: int = 800, at: str | None = None) -> Page:
        context = chromium.new_context(
            base_url=base,
            viewport={"width": width, "height": height},
            accept_downloads=True,
            storage_state=signed_in(login) if login else None,
        )
        contexts.append(context)
        page = context.new_page()
        page.set_default_timeout(30_000)
        page.on("request", lambda r: watched.requests.append(r.url))
        page.on("pageerror", lambda e: watched.errors.append(str(e)))
        page.on(
            "console",
            lambda m: watched.errors.append(m.text) if m.type == "error" and "Failed to load resource" not in m.text else None,
        )
        if at is not None:
            page.goto(at)
        elif login:
            page.goto("/")
            page.wait_for_selector("[data-job]")
        return page

    yield make
    for context in contexts:
        context.close()
    assert [u for u in watched.requests if not u.startswith((base, "data:", "blob:"))] == []
    assert watched.errors == []


def sign_in(page: Page, login: str) -> None:
    page.goto("/sign-in")
    # The field takes the focus as it appears; typing before that would land in it whatever was meant.
    page.wait_for_selector("input[name=login]:focus")
    page.fill("input[name=login]", login)
    page.fill("input[name=password]", DEMO_PASSWORD)
    page.keyboard.press("Enter")
    page.wait_for_selector("[data-job]")
