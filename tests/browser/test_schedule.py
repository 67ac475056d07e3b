"""The workshop's week in the browser: a place found, dragged, moved by keys, kept; laid out anew; in a telephone's calendar."""

from __future__ import annotations

import json
from collections.abc import Callable
from datetime import date, datetime, timedelta
from typing import Any

import pytest
from playwright.sync_api import Page, Response, expect

from tests.browser.conftest import choose, job_with

FAR = {"width": 1280, "height": 1000}


def settled(page: Page, what: Callable[[], None]) -> Any:
    """What the core says of the schedule after something was done."""
    with page.expect_response(lambda r: r.url.endswith("/api/schedule/preview")) as seen:
        what()
    response: Response = seen.value
    return response.json()


def block_of(view: Any, job: int) -> Any:
    (block,) = (b for b in view["blocks"] if b["job_id"] == job)
    return block


def days_ahead(view: Any) -> list[str]:
    """Open days of the second week from now on: no clock that moves on makes them the past."""
    monday = datetime.fromisoformat(view["now"]).date()
    monday += timedelta(days=14 - monday.weekday())
    return sorted({o["begins"][:10] for o in view["open"] if 0 <= (date.fromisoformat(o["begins"][:10]) - monday).days < 7})


def test_a_job_gets_a_place_is_moved_by_hand_and_key_and_stays_there(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job = job_with(page, "front_battery")
    page.set_viewport_size(FAR)
    page.keyboard.press("v")
    waits = page.locator(f"[data-waits='{job}']")
    expect(waits).to_contain_text("Test and find, 1.5 h")
    view = settled(page, waits.locator("[data-test=find-place]").click)
    pane = page.locator("[data-test=block]")
    expect(pane).to_contain_text(block_of(view, job)["number"])
    expect(page.locator("[data-test=block-conflicts]")).to_have_count(0)
    expect(waits).to_have_count(0)

    # To a day by its field, and the board goes with it; from there to another day and bay by hand.
    first, *_, last = days_ahead(view)
    settled(page, lambda: page.locator("[data-test=block-day] input").fill(first))
    bar = page.locator(f"[data-block='{job}:measure']").first
    expect(bar).to_be_visible()
    row = page.locator("[data-row]").nth(2)
    strip = row.locator(".strip").last
    box, to = bar.bounding_box(), strip.bounding_box()
    assert box and to

    def drag() -> None:
        page.mouse.move(box["x"] + 4, box["y"] + 20)
        page.mouse.down()
        page.mouse.move(box["x"] + 30, box["y"] + 40)
        page.mouse.move(to["x"] + 5, to["y"] + 20, steps=4)
        page.mouse.up()

    dragged = block_of(settled(page, drag), job)
    assert dragged["bay"] == row.get_attribute("data-row")
    assert dragged["begins"] == f"{last}T08:00:00"
    later = block_of(settled(page, lambda: page.keyboard.press("ArrowRight")), job)
    assert later["begins"] == f"{last}T08:15:00" and later["bay"] == dragged["bay"]
    pinned = block_of(settled(page, lambda: page.keyboard.press("p")), job)
    assert pinned["pinned"]
    page.locator("[data-test=keep-schedule]").click()
    expect(page.locator("[data-test=schedule-said]")).to_have_text("Kept.")
    kept = block_of(page.request.get("/api/schedule").json()["view"], job)
    assert (kept["begins"], kept["bay"], kept["pinned"]) == (later["begins"], later["bay"], True)


def put_by_api(page: Page, *placed: dict[str, Any]) -> None:
    now = page.request.get("/api/schedule").json()
    token = page.request.get("/api/session").json()["csrf_token"]
    document = {**now["document"], "placed": [*now["document"]["placed"], *placed]}
    body = {"document": document, "revision": now["revision"]}
    assert page.request.put("/api/schedule", data=body, headers={"X-CSRFToken": token}).ok


@pytest.mark.long
def test_what_cannot_be_is_said_and_a_layout_mends_it(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/")
    page.wait_for_selector("[data-job]")
    jobs = [job_with(page, "front_battery") for _ in range(2)]
    seen = page.request.get("/api/schedule").json()
    (bay, other), person = seen["workshop"]["bays"][:2], seen["workshop"]["people"][0]["id"]
    at = f"{days_ahead(seen['view'])[0]}T10:00:00"
    place = {"kind": "measure", "begins": at, "people": [person]}
    put_by_api(page, {**place, "job_id": jobs[0], "bay": bay["id"]}, {**place, "job_id": jobs[1], "bay": other["id"]})
    page.set_viewport_size(FAR)
    page.goto("/schedule")
    bar = page.locator(f"[data-block='{jobs[1]}:measure']").first
    # The second week from now on is one or two weeks on from the first that has hours left.
    expect(page.locator("[data-test=board]")).to_be_visible()
    while bar.count() == 0:
        page.locator("[data-test=week-on]").click()
    bar.click()
    expect(page.locator("[data-test=block-conflicts]")).to_contain_text("is in two places")
    bays = page.locator("[data-test=block-bay]")
    choose(bays, page.get_by_role("option", name=bay["label"]), bays.get_by_text(bay["label"]))
    expect(page.locator("[data-test=block-conflicts]")).to_contain_text(f"{bay['label']} has two vehicles")
    page.locator("[data-test=lay-out]").click()
    proposal = page.locator("[data-test=proposal]")
    expect(proposal).to_be_visible(timeout=120_000)
    mended = settled(page, page.locator("[data-test=take-layout]").click)
    assert not any({*jobs} & {*c["job_ids"]} for c in mended["conflicts"])
    expect(page.locator("[data-test=block-conflicts]")).to_have_count(0)
    page.locator("[data-test=keep-schedule]").click()
    expect(page.locator("[data-test=schedule-said]")).to_have_text("Kept.")


def test_who_saved_first_is_told_and_nothing_is_lost(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job = job_with(page, "front_battery")
    their_job = job_with(page, "front_battery")
    page.goto("/schedule")
    settled(page, page.locator(f"[data-waits='{job}'] [data-test=find-place]").click)
    now = page.request.get("/api/schedule").json()
    token = page.request.get("/api/session").json()["csrf_token"]
    theirs = {**now["document"], "wishes": [*now["document"]["wishes"], {"job_id": their_job, "left_out": True}]}
    body = {"document": theirs, "revision": now["revision"]}
    assert page.request.put("/api/schedule", data=body, headers={"X-CSRFToken": token}).ok
    page.locator("[data-test=keep-schedule]").click()
    page.locator("[data-test=keep-both]").click()
    expect(page.locator("[data-test=schedule-said]")).to_have_text("Kept.")
    assert block_of(page.request.get("/api/schedule").json()["view"], job)


def test_an_address_for_a_telephone_works_until_it_is_revoked(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/")
    page.wait_for_selector("[data-job]")
    page.goto("/schedule")
    page.locator("[data-test=calendars]").click()
    page.locator("[data-test=feed-label]").get_by_role("textbox").fill("Telephone at the gate")
    page.locator("[data-test=feed-make]").click()
    shown = page.locator("[data-test=feed-address]")
    expect(shown).to_contain_text("not shown again")
    address = shown.locator(".mono").inner_text()
    # Whoever has no account fetches it.
    stranger = page.context.browser.new_context()  # type: ignore[union-attr]
    assert "BEGIN:VCALENDAR" in stranger.request.get(address).text()
    page.locator("[data-feed]").filter(has_text="Telephone at the gate").locator("[data-test=feed-revoke]").click()
    expect(page.locator("[data-feed]").filter(has_text="Telephone at the gate")).to_have_count(0)
    assert stranger.request.get(address).status == 404
    stranger.close()


@pytest.mark.long
def test_work_that_was_moved_on_a_telephone_moves_here_once_it_is_kept(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job = job_with(page, "front_battery")
    page.set_viewport_size(FAR)
    page.keyboard.press("v")
    view = settled(page, page.locator(f"[data-waits='{job}'] [data-test=find-place]").click)
    day = days_ahead(view)[-1]
    at = f"{day.replace('-', '')}T101500"
    entry = f"UID:job-{job}-measure-0@mavrik\nDTSTART:{at}"
    moved = f"BEGIN:VCALENDAR\nBEGIN:VEVENT\n{entry}\nEND:VEVENT\nEND:VCALENDAR\n"
    page.locator("[data-test=calendars]").click()
    file = {"name": "moved.ics", "mimeType": "text/calendar", "buffer": moved.encode()}
    page.locator("[data-test=read-ics] input").set_input_files(file)
    expect(page.locator("[data-test=moves-told]")).to_contain_text("10:15.")
    page.locator("[data-test=keep-schedule]").click()
    expect(page.locator("[data-test=schedule-said]")).to_have_text("Kept.")
    placed = page.request.get("/api/schedule").json()["document"]["placed"]
    assert [p["begins"] for p in placed if p["job_id"] == job] == [f"{day}T10:15:00"]


@pytest.mark.long
def test_hours_and_holidays_are_kept_and_the_week_follows(open_page: Callable[..., Page]) -> None:
    page = open_page(login="mara", at="/lists?list=means")
    page.wait_for_selector("[data-test=means]")
    before = page.request.get("/api/workshop").json()
    saturday = page.locator("[data-hours='5'] input, input[data-hours='5']").first
    saturday.fill("nine to one")
    expect(page.locator("[data-test=means]")).to_contain_text("As 8:00–12:00 13:00–17:00")
    saturday.fill("9-13")
    days = "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:1\nSUMMARY:Lantern fair\nDTSTART;VALUE=DATE:20980303\nEND:VEVENT\nEND:VCALENDAR\n"
    page.locator("[data-test=closed-ics] input").set_input_files(
        {"name": "fair.ics", "mimeType": "text/calendar", "buffer": days.encode()}
    )
    expect(page.locator("[data-test=lists-said]")).to_contain_text("1 closed days read")
    page.locator("[data-test=keep-lists]").click()
    expect(page.locator("[data-test=lists-said]")).to_have_text("Kept.")
    kept = page.request.get("/api/workshop").json()["document"]
    assert {"weekday": 5, "begins": "09:00", "ends": "13:00"} in kept["shifts"]
    assert {"first": "2098-03-03", "last": "2098-03-03", "label": "Lantern fair"} in kept["closed"]
    page.goto("/schedule")
    page.locator("[data-test=week-on]").click()
    expect(page.locator("[data-test=board] .head .day")).to_have_count(6)
    # As it was, for whoever comes after.
    token = page.request.get("/api/session").json()["csrf_token"]
    now = page.request.get("/api/workshop").json()["revision"]
    body = json.dumps({"document": before["document"], "revision": now})
    assert page.request.put("/api/workshop", data=body, headers={"X-CSRFToken": token, "Content-Type": "application/json"}).ok
