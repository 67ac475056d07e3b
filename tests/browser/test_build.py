"""Leads made at the bench in the browser: chosen, measured, ticked by key, kept, and still there."""

from __future__ import annotations

from collections.abc import Callable

from playwright.sync_api import Page, expect

from tests.browser.conftest import job_with


def test_a_lead_is_chosen_measured_made_and_ticked_and_the_next_step_stays_on_top(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/")
    page.wait_for_selector("[data-job]")
    job = job_with(page, "front_battery")
    page.goto(f"/jobs/{job}/build")
    headline, following = page.locator("[data-test=build-headline]"), page.locator("[data-test=next-step]")
    expect(headline).to_contain_text("Nothing is to be made")
    page.locator("[data-anew=charge_cable]").get_by_role("checkbox").check()
    expect(following).to_contain_text("Make Charge cable.")
    card = page.locator("[data-card=charge_cable]")
    drawn = page.locator("[data-test=cut]").inner_text()
    # A string along its way says another length than the drawing: the cut follows, and is the core's.
    page.locator("[data-test=route]").get_by_role("textbox").fill("1500")
    page.keyboard.press("Tab")
    expect(page.locator("[data-test=cut]")).not_to_have_text(drawn)
    expect(page.locator("[data-test=assumed]")).not_to_contain_text("along its way")
    expect(card).to_contain_text("1545 mm")

    page.locator("h3", has_text="Charge cable").click()
    page.keyboard.press("x")
    expect(following).to_contain_text("Key out")
    page.keyboard.press("s")
    # What has to wait cannot be ticked, and says for what.
    positive = page.locator("[data-step='off:battery:positive']")
    expect(positive).to_contain_text("after: Battery: negative clamp off")
    expect(positive.get_by_role("button")).to_be_disabled()
    page.locator("[data-step=safe]").get_by_role("button").click()
    expect(following).to_contain_text("negative clamp off")
    expect(page.locator("[data-step=safe]")).to_contain_text("not kept yet")
    with page.expect_response(lambda r: r.url.endswith("/build?revision=0") and r.request.method == "POST") as kept:
        page.locator("[data-test=keep-build]").click()
    view = kept.value.json()["view"]
    expect(page.locator("[data-test=keep-build]")).to_have_text("Kept")
    expect(page.locator("[data-step=safe]")).to_contain_text("Tobin Ashgrove")
    page.reload()
    expect(following).to_contain_text(next(s["text"] for s in view["steps"] if s["id"] == view["next_step"]))
    expect(headline).to_contain_text(view["headline"])
    page.keyboard.press("c")
    (cable,) = view["cables"]
    expect(page.locator(f"[data-cable='{cable['size']}']")).to_contain_text(f"{cable['total_mm'] / 1000:.2f} m")
