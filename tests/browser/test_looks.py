"""Every view can be used by everybody: axe-core finds nothing against WCAG A and AA, in both themes."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import ROOT
from tests.browser.test_findings import SWEEPER

AXE = (ROOT / "frontend" / "node_modules" / "axe-core" / "axe.min.js").read_text(encoding="utf-8")
RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa"]

STILL = """Promise.allSettled(
    document.getAnimations().filter(a => a.effect.getTiming().iterations !== Infinity).map(a => a.finished))"""
"""Done when what moves and fades has come to rest."""

Look = tuple[str, ...]
"""What is pressed on a page, one after the other, before it is looked at."""

VIEWS: list[tuple[str, str, tuple[Look, ...]]] = [
    ("/", "[data-job]", ((), ("[data-test=narrow]",))),
    ("/jobs/1/circuit", "svg.loop", (("g[data-branch=charge_cable]",),)),
    ("/jobs/10/circuit", "svg.loop", (("[data-test=try-state]", "[data-test=show-protection]"),)),
    ("/jobs/11/circuit", "[data-layout]", ((),)),
    ("/jobs/6/measure", "[data-test=test-plan]", (("[data-test=cautions-seen]", "[data-test=conditions-more]"),)),
    (f"/jobs/{SWEEPER}/measure", "[data-test=all-tests]", (("[data-test=all-tests]", "[data-procedure=regulated]", "[data-test=run-clear]"),)),
    ("/jobs/1/findings", "[data-test=headline]", (
        ("[data-cause] button",),
        ("[data-view=branches]",),
        ("[data-view=readings]",),
    )),
    ("/jobs/3/plan", "[data-test=comparison]", (
        (),
        ("[data-test=part-drive]", "[data-test=add-pulley]"),
        ("[data-test=part-use]",),
        ("[data-test=part-worth]", "[data-plan]"),
        ("[data-test=worth-changes]", "[data-change] button"),
        ("[data-test=part-guided]", "[data-test=guided-parts] tbody tr"),
    )),
    ("/lists", "[data-test=units]", (
        (),
        ("[data-test=list-prices]",),
        ("[data-test=list-stock]",),
        ("[data-test=list-means]",),
    )),
    ("/jobs/3/build", "[data-test=next-step]", (
        (),
        ("[data-test=pane-steps]",),
        ("[data-test=pane-parts]", "[data-test=bill]", "[data-test=quotation] h3"),
        ("[data-test=pane-points]", "[data-point] h3"),
        ("[data-test=pane-ways]", "[data-test=new-way]", "[data-test=stretch-0]"),
    )),
    ("/jobs/3/hand_over", "iframe", ((),)),
    ("/instruments", "[data-instrument]", ((),)),
    ("/people", "table", ((),)),
    ("/?state=done", "[data-job]", (("[data-job]", "[data-test=reopen]"),)),
    ("/log", "[data-test=log] li", ((),)),
    ("/orders", "[data-test=orders]", ((),)),
    ("/schedule", "[data-test=board]", ((".bar >> nth=0",),)),
    ("/work", "h1", ((),)),
    ("/customers", "[data-customer]", (("[data-test=erase]",),)),
]  # fmt: skip


def broken(page: Page, rules: Sequence[str] = RULES) -> list[str]:
    """What axe-core finds wrong on a page as it stands; the sheet in its frame is a document of its own.

    Left out is one rule that axe-core itself calls experimental: it runs the words of a drawing together without gaps.
    """
    page.evaluate("document.fonts.ready")
    if not page.evaluate("'axe' in window"):
        page.evaluate(AXE)
    audit: dict[str, Any] = page.evaluate(
        """rules => axe.run(document, { runOnly: rules, iframes: false, resultTypes: ['violations'],
            rules: { 'label-content-name-mismatch': { enabled: false } } })""",
        list(rules),
    )
    return [f"{v['id']}: {n['html'][:160]}" for v in audit["violations"] for n in v["nodes"]]


def broken_at_rest(page: Page, rules: Sequence[str] = RULES) -> list[str]:
    """The same once it stands still: what Vuetify moves and fades, and what a late answer brings, is judged when it is there.

    What is found once is looked at again, as long as it is not the same.
    """
    problems, before = [""], None
    while problems and problems != before:
        before = problems
        page.evaluate(STILL)
        problems = broken(page, rules)
    return problems


@pytest.mark.long(but=2)
@pytest.mark.parametrize(("path", "wait", "looks"), VIEWS)
def test_nothing_stands_in_the_way_in_either_theme(
    open_page: Callable[..., Page], path: str, wait: str, looks: tuple[Look, ...]
) -> None:
    page = open_page("mara", at=path)
    page.locator(wait).first.wait_for()
    for clicks in looks:
        for click in clicks:
            page.locator(click).first.click()
        theme = page.locator(".v-application").get_attribute("class") or ""
        assert (clicks, broken_at_rest(page)) == (clicks, [])
        page.evaluate("document.activeElement.blur()")
        page.get_by_role("button", name="Light or dark", include_hidden=True).first.dispatch_event("click")
        expect(page.locator(".v-application")).not_to_have_class(theme)
        # The theme changes colours and nothing else.
        assert (clicks, broken_at_rest(page, ["color-contrast"])) == (clicks, [])


def test_the_sign_in_page_too(open_page: Callable[..., Page]) -> None:
    page = open_page(None, at="/sign-in")
    page.wait_for_selector("input[name=login]:focus")
    assert broken(page) == []
