"""The browser: from a key to the redrawn loop, and what the first page costs."""

from __future__ import annotations

import gzip
import shutil
import statistics
from collections.abc import Iterable, Sequence
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

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
SPEED, FROM_IDLE, STEPS = "[data-test=state-engine_rpm] [role=slider]", 14, 20
"""The speed of a state that is tried, how many of its steps are 700 /min, and how many are measured from there."""
LARGEST, PLANNED, BARE, READ = 10, 3, 9, 2
"""Jobs of the demo: with the most branches, whose pulley and belt are planned, without a reading, and with three tests read."""

PATIENCE_MS = 10_000
"""After this long without a redrawn picture the bench has aimed at something that is no longer there."""

REDRAW = """async ([what, where, value, patience]) => {
  const input = document.querySelector(what)
  const drawn = document.querySelector(where)
  const start = performance.now()
  const seen = new Promise((done, fail) => {
    setTimeout(() => fail(new Error(`${where} was not drawn anew`)), patience)
    new MutationObserver((_, observer) => { observer.disconnect(); requestAnimationFrame(() => done(performance.now())) })
      .observe(drawn, { subtree: true, childList: true, characterData: true, attributes: true })
  })
  if (value === null) input.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowRight', bubbles: true }))
  else {
    input.value = String(value)
    input.dispatchEvent(new Event('input', { bubbles: true }))
  }
  return (await seen) - start
}"""


def _redrawn(page: Page, what: str, where: str, values: Iterable[float | None]) -> list[float]:
    """Times from an input to its picture [ms]; None: a step of a slider by its key."""
    times = []
    for value in values:
        times.append(page.evaluate(REDRAW, [what, where, value, PATIENCE_MS]))
        page.wait_for_timeout(120)
    return times


def _row(what: str, times: Sequence[float]) -> Figure:
    return Figure("browser", what, "ms", statistics.median(times), statistics.quantiles(times, n=20)[-1], 150.0)


def _script_kb(names: set[str]) -> float:
    return sum(len(gzip.compress((STATIC / "assets" / Path(n).name).read_bytes(), 9)) for n in names) / 1000


def figures() -> list[Figure]:
    """Edit to redraw, and script of the first load."""
    with serving() as (host, port), sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium-headless-shell"), args=FLAGS)
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
        edits = {}
        for words, job in (("", BARE), (", of a job with readings, judged anew", READ)):
            page.goto(f"/jobs/{job}/circuit")
            page.locator("g[data-branch=charge_cable]").click()
            page.wait_for_selector("[data-field=length_m] input")
            page.wait_for_timeout(500)
            values = [1 + k / 10 for k in range(EDITS)]
            edits[words] = _redrawn(page, "[data-field=length_m] input", "g[data-branch=charge_cable]", values)
        opened = _script_kb(scripts)
        page.goto(f"/jobs/{LARGEST}/circuit")
        page.locator("[data-test=try-state]").click()
        page.wait_for_selector("[data-device=alternator]")
        page.wait_for_timeout(800)
        # From 700 /min, where a step more is more output; where a regulator holds it, nothing has to be drawn anew.
        page.locator(SPEED).press("Home")
        for _ in range(FROM_IDLE):
            page.locator(SPEED).press("ArrowRight")
        page.wait_for_timeout(800)
        dragged = _redrawn(page, SPEED, "svg.loop", [None] * STEPS)
        page.goto(f"/jobs/{PLANNED}/plan")
        page.locator("[data-test=part-drive]").click()
        page.wait_for_selector("[data-test=try-pulley]")
        page.wait_for_timeout(800)
        pulley = _redrawn(page, "[data-test=try-pulley]", "[data-test=hot-idle]", [48 + k / 2 for k in range(EDITS)])
        browser.close()
    return [
        *(_row(f"a length typed, until loop and staircase are redrawn{words}", times) for words, times in edits.items()),
        _row("the speed dragged a step, until a loop of 20 branches is redrawn", dragged),
        _row("a pulley dragged a step, until the output at idle is there anew", pulley),
        Figure("browser", "script to the job list, gzip", "kB", first, None, 300.0),
        Figure("browser", "script with a job open, gzip", "kB", opened, None, 300.0),
    ]
