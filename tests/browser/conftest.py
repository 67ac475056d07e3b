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
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import (
    APIResponse,
    Browser,
    BrowserContext,
    Locator,
    Page,
    StorageState,
    TimeoutError,
    expect,
    sync_playwright,
)

from mavrik.jobs.demo import DEMO_PASSWORD
from mavrik.ops.server import serving
from tests.conftest import demo_database

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
    # Pages of one person share a process, and with it what is compiled already.
    "--renderer-process-limit=1",
]


@pytest.fixture(scope="session")
def database_url(admin_url: str) -> Iterator[str]:
    """A database apart from that of the other tests: with the demo's data."""
    with demo_database(admin_url) as url:
        yield url


STARTS_WITHIN_S = 300.0
"""On a busy machine; a server that has given up is not waited for."""


@pytest.fixture(scope="session")
def base(database_url: str) -> Iterator[str]:
    """The address of a server with the demo data."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    environment = {
        **os.environ, "MAVRIK_DATABASE_URL": database_url, "MAVRIK_SECRET_KEY": "browser test", "MAVRIK_WORKSHOP": "Test shop",
        "PYTHONPATH": str(ROOT / "src"),
    }  # fmt: skip
    server = subprocess.Popen(
        [sys.executable, "-m", "uvicorn", *serving("127.0.0.1", port, 1)],
        env=environment, cwd=ROOT, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    worker = subprocess.Popen([sys.executable, "-m", "mavrik.cli", "work"], env=environment, cwd=ROOT, stderr=subprocess.DEVNULL)
    address = f"http://127.0.0.1:{port}"
    until = time.monotonic() + STARTS_WITHIN_S
    while True:
        try:
            urllib.request.urlopen(f"{address}/api/health", timeout=10)
            break
        except OSError:
            assert server.poll() is None and time.monotonic() < until, "the server does not start"
            time.sleep(0.1)
    yield address
    for one in (server, worker):
        one.terminate()
    for one in (server, worker):
        one.wait(60)


@pytest.fixture(scope="session")
def chromium() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium-headless-shell"), args=FLAGS)
        yield browser
        browser.close()


class Watched:
    """What a page asked for and complained of."""

    def __init__(self) -> None:
        self.requests: list[str] = []
        self.errors: list[str] = []


class People:
    """A browser of each person, signed in once: what it has loaded and compiled serves all tests of a worker."""

    def __init__(self, chromium: Browser, base: str) -> None:
        self._chromium, self.base = chromium, base
        self._of: dict[str, BrowserContext] = {}

    def stranger(self, state: StorageState | None = None) -> BrowserContext:
        """A browser that has been nowhere yet."""
        return self._chromium.new_context(base_url=self.base, accept_downloads=True, storage_state=state, reduced_motion="reduce")

    def browser_of(self, login: str) -> BrowserContext:
        """The browser of a person."""
        if login not in self._of:
            context = self.stranger()
            page = context.new_page()
            page.set_default_timeout(30_000)
            sign_in(page, login)
            # It stays, so that the process does; nothing of the application goes on in it.
            page.goto("/api/health")
            self._of[login] = context
        return self._of[login]


def choose(opens: Locator, option: Locator, shows: Locator) -> None:
    """Open a menu and take what it offers, until that shows: a late answer of the server may redraw what is open under the pointer."""
    for _ in range(4):
        try:
            opens.click()
            option.click(timeout=8_000)
            shows.wait_for(state="visible", timeout=10_000)
        except TimeoutError:
            # Whatever is still open is closed, so that the next click opens and does not close.
            opens.page.keyboard.press("Escape")
            continue
        return
    shows.wait_for(state="visible")


@pytest.fixture(scope="session")
def people(chromium: Browser, base: str) -> People:
    return People(chromium, base)


@pytest.fixture
def open_page(people: People) -> Iterator[Callable[..., Page]]:
    """Opens pages of a person signed in; fails the test when one asked anybody else or broke the content policy.

    What earlier tests left on the machine is gone; `apart` gives a browser of its own, for what reaches beyond a page.
    """
    watched = Watched()
    pages: list[Page] = []
    of_this_test: list[BrowserContext] = []

    def context_for(login: str | None, apart: bool) -> BrowserContext:
        if login and not apart:
            return people.browser_of(login)
        state = people.browser_of(login).storage_state() if login else None
        of_this_test.append(people.stranger(state))
        return of_this_test[-1]

    def make(
        login: str | None = "tobin", width: int = 1280, height: int = 800, at: str | None = None, apart: bool = False
    ) -> Page:
        context = context_for(login, apart)
        page = context.new_page()
        if all(p.context != context for p in pages):
            forget = {"origin": people.base, "storageTypes": "local_storage,indexeddb"}
            context.new_cdp_session(page).send("Storage.clearDataForOrigin", forget)
        pages.append(page)
        page.set_viewport_size({"width": width, "height": height})
        page.set_default_timeout(30_000)
        page.on("request", lambda r: watched.requests.append(r.url))
        page.on("pageerror", lambda e: watched.errors.append(str(e)))
        page.on(
            "console",
            lambda m: watched.errors.append(m.text) if m.type == "error" and "Failed to load resource" not in m.text else None,
        )
        if at is not None:
            page.goto(at)
        return page

    yield make
    for page in pages:
        page.close()
    for context in of_this_test:
        context.close()
    assert [u for u in watched.requests if not u.startswith((people.base, "data:", "blob:"))] == []
    assert watched.errors == []


def job_with(page: Page, layout: str, shows: str = "circuit") -> int:
    """A new job with a ready circuit, made as the page would make it; the page, which may be an empty one, then shows a stage of it."""
    api = page.context.request
    headers = {"X-CSRFToken": api.get("/api/session").json()["csrf_token"]}

    def sent(answer: APIResponse) -> Any:
        assert answer.ok, answer.text()
        return answer.json()

    circuit = sent(api.get(f"/api/layouts/{layout}"))
    vehicle = {"description": "Trial rig", "kind": "other", "system_voltage_v": circuit["system_voltage_v"]}
    details = {"customer": {"name": f"State of {layout}"}, "vehicle": vehicle, "complaint": "What if"}
    job = int(sent(api.post("/api/jobs", data=details, headers=headers))["id"])
    sent(api.put(f"/api/jobs/{job}/circuit", data={"document": circuit}, headers=headers))
    page.goto(f"/jobs/{job}/{shows}")
    if shows == "circuit":
        page.wait_for_selector("svg.loop")
    return job


def sign_in(page: Page, login: str) -> None:
    page.goto("/sign-in")
    # The field takes the focus as it appears; typing before that would land in it whatever was meant.
    page.wait_for_selector("input[name=login]:focus")
    page.fill("input[name=login]", login)
    page.fill("input[name=password]", DEMO_PASSWORD)
    page.keyboard.press("Enter")
    page.wait_for_selector("[data-job]")
