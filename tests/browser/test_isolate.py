"""A disconnect in the browser: what for, seen to fail with the engine running, another way decided on, its label printed."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import job_with

TRIED_MS = 120_000
"""Ten ways are built and switched before anything is shown."""


def choose_purpose(page: Page, label: str) -> None:
    page.locator("[data-test=purpose]").click()
    page.get_by_role("option", name=label, exact=True).click()


def row_of(page: Page, job: int, way: str, situation: str, off: list[str]) -> Any:
    rows = page.context.request.get(f"/api/jobs/{job}/isolation/ways/{way}").json()["way"]["rows"]
    return next(r for r in rows if r["situation"] == situation and sorted(r["off"]) == sorted(off))


@pytest.mark.long
def test_a_purpose_is_chosen_the_switch_seen_to_fail_another_way_accepted_and_the_label_printed(
    open_page: Callable[..., Page],
) -> None:
    page = open_page()
    job = job_with(page, "competition_car", "isolate")
    page.wait_for_selector("[data-way=as_fitted]", timeout=TRIED_MS)
    choose_purpose(page, "Emergency stop in competition")
    fitted = page.locator("[data-way=as_fitted]")
    expect(fitted).to_have_attribute("data-does", "false", timeout=TRIED_MS)

    # The switch that is fitted, opened on the loop with the engine at idle: it runs on.
    fitted.click()
    state, verdict = page.locator("[data-test=state]"), page.locator("[data-test=verdict]")
    expect(verdict).to_contain_text("Not fit for: emergency stop in competition")
    expect(state).to_contain_text("The engine runs.")
    page.locator("[data-branch=cut_off]").press("Enter")
    expect(state).to_contain_text("The engine runs on.")
    row = row_of(page, job, "as_fitted", "idle", ["Cut-off switch"])
    expect(state).to_contain_text(f"{len(row['lit'])} of 8")
    expect(state).to_contain_text(f"{row['stud_v']:.1f} V at the alternator")
    assert {b.get_attribute("data-branch") for b in page.locator("[data-branch][data-lit=true]").all()} == set(row["lit"])
    expect(page.locator("[data-load=ignition]")).to_have_attribute("data-fed", "true")
    expect(page.locator("[data-rule=each_control_stops][data-outcome=broken], [data-outcome=broken]").first).to_be_visible()

    # Two switches in series with a relay's coil: either stops it, by key as by hand.
    page.locator("[data-way=two_controls]").click()
    expect(verdict).to_contain_text("Fit for: emergency stop in competition")
    expect(state).to_contain_text("The engine runs.")
    page.locator("[data-control=outside]").click()
    expect(state).to_contain_text("The engine stops.")
    expect(page.locator("[data-load=ignition]")).to_have_attribute("data-fed", "false")
    page.locator("[data-control=outside]").click()
    page.keyboard.press("o")
    expect(page.locator("[data-control=driver]")).to_have_attribute("aria-pressed", "false")
    expect(state).to_contain_text("The engine stops.")
    page.locator("[data-test=tab-table]").click()
    rows = page.locator("[data-test=truth-table] tbody tr")
    first = rows.count()
    page.locator("[data-test=all-rows]").click()
    expect(rows).to_have_count(24)
    assert first < 24

    page.locator("[data-test=tab-owner]").click()
    expect(page.locator("[data-test=print-label]")).to_have_count(0)
    page.locator("[data-test=keep-isolation]").click()
    expect(page.locator("[data-test=keep-isolation]")).to_contain_text("Kept", timeout=TRIED_MS)
    owner = page.locator("[data-test=owner]")
    expect(owner).to_contain_text("Outer switch stops a running engine.")
    label = page.context.request.get(page.locator("[data-test=print-label]").get_attribute("href") or "")
    assert label.ok and label.body().startswith(b"%PDF")

    # The live proof: a run on the planned circuit, each answer against what was promised.
    page.locator("[data-test=tab-proof]").click()
    proof = page.locator("[data-test=proof]")
    expect(proof).to_have_attribute("data-proven", "null", timeout=TRIED_MS)
    promised = page.context.request.get(f"/api/jobs/{job}/isolation/proof").json()["disconnect"]["proof"]["lines"]
    page.locator("[data-prove=disconnect]").click()
    page.locator("[data-test=run-clear]").click()
    for line in promised:
        field = page.locator(f"[data-run=disconnect] [data-point='{line['point']}']")
        if line["promised"] in ("yes", "no"):
            field.get_by_role("button", name=line["promised"], exact=True).click()
        else:
            field.locator("input").fill("12.5" if line["promised"] == "live" else "0.02")
    page.locator("[data-test=keep-run]").click()
    expect(proof).to_have_attribute("data-proven", "true", timeout=TRIED_MS)
    expect(page.locator("[data-line][data-kept=true]")).to_have_count(len(promised))

    # It is the job's plan, and stays what was decided on.
    page.reload()
    expect(page.locator("[data-test=keep-isolation]")).to_contain_text("Kept", timeout=TRIED_MS)
    expect(page.locator("[data-way=two_controls]")).to_have_attribute("aria-pressed", "true")
    plan = page.context.request.get(f"/api/jobs/{job}").json()
    assert {d["kind"] for d in plan["documents"]} == {"plan", "isolation"}


def test_what_is_looked_at_on_a_fitted_switch_is_typed_at_it_and_counts_and_the_verdict_stands_in_findings(
    open_page: Callable[..., Page],
) -> None:
    page = open_page()
    job = job_with(page, "competition_car", "isolate")
    page.wait_for_selector("[data-way=as_fitted]", timeout=TRIED_MS)
    choose_purpose(page, "Emergency stop in competition")
    page.locator("[data-way=as_fitted]").click()
    expect(page.locator("[data-rule=reach_driver]")).to_have_attribute("data-outcome", "unknown")
    page.locator("[data-test=to-switch]").click()
    page.locator("[data-test=control-place]").click()
    page.get_by_role("option", name="by the seated driver").click()
    page.locator("[data-fact=marked]").click()
    page.get_by_role("option", name="no", exact=True).click()
    # A switch that gets another name takes along what is known of it.
    page.get_by_label("Name", exact=True).fill("Main switch")
    page.keyboard.press("Control+s")
    expect(page.locator("[data-test=save-circuit]")).to_be_disabled()
    controls = page.context.request.get(f"/api/jobs/{job}").json()["circuits"][-1]["document"]["controls"]
    assert [(c["label"], c["place"], c["marked"], c["lockable"]) for c in controls] == [("Main switch", "driver", False, None)]
    page.goto(f"/jobs/{job}/isolate")
    page.wait_for_selector("[data-way=as_fitted]", timeout=TRIED_MS)
    choose_purpose(page, "Emergency stop in competition")
    page.locator("[data-way=as_fitted]").click()
    expect(page.locator("[data-rule=reach_driver]")).to_have_attribute("data-outcome", "met")
    expect(page.locator("[data-rule=marked]")).to_have_attribute("data-outcome", "broken")

    # Meanwhile somebody else changes the circuit: what was seen is not kept, and is made anew.
    beside = open_page("mara", at="/")
    beside.wait_for_selector("[data-job]")
    as_found = beside.context.request.get(f"/api/jobs/{job}").json()["circuits"][-1]
    circuit = {**as_found["document"], "controls": []}
    api = beside.context.request
    headers = {"X-CSRFToken": api.get("/api/session").json()["csrf_token"]}
    saved = api.put(f"/api/jobs/{job}/circuit", data={"document": circuit, "lock": as_found["lock"]}, headers=headers)
    assert saved.ok, saved.text()
    page.locator("[data-test=keep-isolation]").click()
    expect(page.get_by_text("Somebody changed the circuit since this was seen").first).to_be_visible(timeout=TRIED_MS)
    expect(page.locator("[data-rule=reach_driver]")).to_have_attribute("data-outcome", "unknown", timeout=TRIED_MS)
    page.locator("[data-test=keep-isolation]").click()
    expect(page.locator("[data-test=keep-isolation]")).to_contain_text("Kept", timeout=TRIED_MS)

    # What it does stands in Findings, with what decides that, and how far it is proven.
    page.goto(f"/jobs/{job}/findings")
    card = page.locator("[data-test=disconnect-found]")
    expect(card).to_have_attribute("data-does", "false", timeout=TRIED_MS)
    expect(card).to_contain_text("Not fit for: emergency stop in competition")
    expect(card).to_contain_text("it runs on at idle")
    expect(page.locator("[data-test=disconnect-proof]")).to_have_text("Not yet proven on the vehicle.")
    page.locator("[data-test=to-isolate]").click()
    page.wait_for_selector("[data-way=as_fitted]", timeout=TRIED_MS)
    page.locator("[data-test=tab-proof]").click()
    heat = page.locator("[data-test=contact-heat] [data-contact=cut_off]")
    expect(heat).to_have_attribute("data-measured", "false", timeout=TRIED_MS)
    kept = page.context.request.get(f"/api/jobs/{job}/isolation/proof").json()["disconnect"]["contacts"][0]
    expect(heat).to_contain_text(f"{kept['heat_w']:.1f} W")


@pytest.mark.long
def test_a_lead_changes_what_a_purpose_asks_and_what_makes_it_one_stays(open_page: Callable[..., Page]) -> None:
    reader = open_page("ines", at="/lists")
    reader.locator("[data-test=list-purposes]").click()
    expect(reader.locator("[data-rule=two_controls] button").first).to_be_disabled()
    page = open_page("mara", at="/lists")
    page.locator("[data-test=list-purposes]").click()
    rule = page.locator("[data-rule=two_controls]")
    expect(rule).to_have_attribute("data-asked", "required")
    expect(page.locator("[data-rule=engine_stops] button")).to_have_count(0)
    rule.get_by_role("button", name="Advised").click()
    expect(rule).to_have_attribute("data-asked", "advised")
    book = page.locator("[data-test=rulebook] input, input[data-test=rulebook]").first
    book.fill("Hill club, 2026")
    # What was typed and not kept comes back.
    page.reload()
    page.locator("[data-test=list-purposes]").click()
    expect(rule).to_have_attribute("data-asked", "advised")
    expect(book).to_have_value("Hill club, 2026")
    page.locator("[data-test=keep-lists]").click()
    expect(page.locator("[data-test=lists-said]")).to_have_text("Kept.")
    kept = page.context.request.get("/api/purposes").json()["document"]["purposes"]["emergency"]
    assert "two_controls" in kept["advises"] and "two_controls" not in kept["requires"] and kept["rulebook"] == "Hill club, 2026"
    # As it was, for the jobs of the other tests.
    rule.get_by_role("button", name="Required").click()
    book.fill("")
    page.locator("[data-test=keep-lists]").click()
    expect(page.locator("[data-test=keep-lists]")).to_be_disabled()
    kept = page.context.request.get("/api/purposes").json()["document"]["purposes"]["emergency"]
    assert "two_controls" in kept["requires"] and not kept["rulebook"]
