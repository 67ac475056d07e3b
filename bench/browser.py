"""The browser: from a key to the redrawn loop, and what the first page costs."""

from __future__ import annotations

import gzip
import shutil
import statistics
from pathlib import Path

from playwright.sync_api import sync_playwright

from bench.report import Figure
from bench.server import serving
from mavrik.jobs.demo import DEMO_LOGIN, DEMO_PASSWORD
from mavrik.web.settings import STATIC

FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--no-first-run",
]
EDITS = 30
LARGEST, PLANNED = 8, 3
"""The demo's job with the most branches, and the one whose pulley and belt are planned."""

REDRAW = """async (length) => {
  const input = document.querySelector('[data-field=length_m] input')
  const drawn = document.querySelector('g[data-branch=charge_cable]')
  const start = performance.now()
  const seen = new Promise((done) => {
    new MutationObserver((_, observer) => { observer.disconnect(); requestAnimationFrame(() => done(performance.now())) })
      .observe(drawn, { subtree: true, childList: true, characterData: true, attributes: true })
  })
  input.value = String(length)
  input.dispatchEvent(new Event('input', { bubbles: true }))
  return (await seen) - start
}"""


DRAG = """async ([what, where, to]) => {
  const slider = document.querySelector(what)
  const drawn = document.querySelector(where)
  const start = performance.now()
  const seen = new Promise((done) => {
    new MutationObserver((_, observer) => { observer.disconnect(); requestAnimationFrame(() => done(performance.now())) })
      .observe(drawn, { subtree: true, childList: true, characterData: true, attributes: true })
  })
  slider.value = String(to)
  slider.dispatchEvent(new Event('input', { bubbles: true }))
  return (await seen) - start
}"""


def _script_kb(names: set[str]) -> float:
    return sum(len(gzip.compress((STATIC / "assets" / Path(n).name).read_bytes(), 9)) for n in names) / 1000


def figures() -> list[Figure]:
    """Edit to redraw, and script of the first load."""
    with serving() as (host, port), sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=FLAGS)
        page = browser.new_page(base_url=f"http://{host}:{port}", viewport={"width": 1280, "height": 800})
        scripts: set[str] = set()
        page.on("response", lambda r: scripts.add(r.url) if r.url.endswith(".js") else None)
        page.goto("/sign-in")
        page.wait_for_selector("input[name=login]:focus")
        page.fill("input[name=login]", DEMO_LOGIN)
        page.fill("input[name=password]", DEMO_PASSWORD)
        page.keyboard.press("Enter")
        page.wait_for_selector("[data-job]")
        first = _script_kb(scripts)
        page.goto("/jobs/2/circuit")
        page.locator("g[data-branch=charge_cable]").click()
        page.wait_for_selector("[data-field=length_m] input")
        page.wait_for_timeout(500)
        times = []
        for k in range(EDITS):
            times.append(page.evaluate(REDRAW, 1 + k / 10))
            page.wait_for_timeout(120)
        page.goto(f"/jobs/{LARGEST}/circuit")
        page.locator("[data-test=try-state]").click()
        page.wait_for_selector("[data-device=alternator]")
        page.wait_for_timeout(800)
        dragged = []
        for k in range(EDITS):
            dragged.append(page.evaluate(DRAG, ["[data-test=state-engine_rpm] [role=slider]", "svg.loop", 600 + 50 * k]))
            page.wait_for_timeout(120)
        page.goto(f"/jobs/{PLANNED}/plan")
        page.locator("[data-test=part-drive]").click()
        page.wait_for_selector("[data-test=try-pulley]")
        page.wait_for_timeout(800)
        pulley = []
        for k in range(EDITS):
            pulley.append(page.evaluate(DRAG, ["[data-test=try-pulley]", "[data-test=hot-idle]", 48 + k / 2]))
            page.wait_for_timeout(120)
        every = _script_kb(scripts)
        browser.close()
    return [
        Figure(
            "browser",
            "a length typed, until loop and staircase are redrawn",
            "ms",
            statistics.median(times),
            statistics.quantiles(times, n=20)[-1],
            150.0,
        ),
        Figure(
            "browser",
            "the speed dragged a step, until a loop of 20 branches is redrawn",
            "ms",
            statistics.median(dragged),
            statistics.quantiles(dragged, n=20)[-1],
            150.0,
        ),
        Figure(
            "browser",
            "a pulley dragged a step, until the output at idle is there anew",
            "ms",
            statistics.median(pulley),
            statistics.quantiles(pulley, n=20)[-1],
            150.0,
        ),
        Figure("browser", "script to the job list, gzip", "kB", first, None, 300.0),
        Figure("browser", "script with a job open, gzip", "kB", every, None, 300.0),
    ]
