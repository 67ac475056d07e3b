"""Leads made at the bench in the browser: chosen, measured, ticked by key, kept, and still there."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import choose, job_with


@pytest.mark.long
def test_a_lead_is_chosen_measured_made_and_ticked_and_the_next_step_stays_on_top(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "front_battery", "build")
    headline, following = page.locator("[data-test=build-headline]"), page.locator("[data-test=next-step]")
    expect(headline).to_contain_text("Nothing is to be made")
    page.locator("[data-anew=charge_cable]").get_by_role("checkbox").click()
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
    expect(positive.locator(".tick")).to_be_disabled()
    page.locator("[data-step=safe] .tick").click()
    expect(following).to_contain_text("negative clamp off")
    # A hand is hurt there: its cautions are tapped first, and a key does not go past them.
    expect(page.locator("[data-test=step-done]")).to_be_disabled()
    page.keyboard.press("x")
    expect(following).to_contain_text("negative clamp off")
    # Neither does the list of all steps.
    negative = page.locator("[data-step='off:battery:negative']")
    expect(negative.locator(".tick")).to_be_disabled()
    expect(negative.locator("[data-test=cautions-seen]")).to_be_visible()
    following.locator("[data-test=cautions-seen]").click()
    expect(page.locator("[data-test=step-done]")).to_be_enabled()
    expect(negative.locator(".tick")).to_be_enabled()
    expect(negative.locator("[data-test=cautions-seen]")).to_have_count(0)
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


def test_work_goes_on_out_of_reach_and_is_sent_when_the_server_answers(open_page: Callable[..., Page], tmp_path: Path) -> None:
    page = open_page(apart=True)
    job = job_with(page, "front_battery", "build")
    following = page.locator("[data-test=next-step]")
    page.locator("[data-anew=charge_cable]").get_by_role("checkbox").click()
    expect(following).to_contain_text("Make Charge cable.")

    page.context.set_offline(True)
    page.locator("[data-test=step-done]").click()
    # The server cannot say what comes next: the page goes on by what is ticked, in the same order.
    expect(following).to_contain_text("Key out")
    expect(page.locator("[data-test=away]")).to_contain_text("does not answer")
    page.locator("[data-test=step-done]").click()
    expect(following).to_contain_text("negative clamp off")
    page.keyboard.press("s")
    photo = tmp_path / "safe.png"
    page.locator("[data-test=next-step]").screenshot(path=photo)
    page.locator("[data-step=safe] input[type=file]").set_input_files(photo)
    # It stands there at once, and says that it is only here.
    expect(page.locator("[data-step=safe] img")).to_have_attribute("src", re.compile("^data:image/png"))
    expect(page.locator("[data-step=safe] .shot")).to_contain_text("⇡")
    page.locator("[data-test=keep-build]").click()
    expect(page.locator("[data-test=away]")).to_contain_text("Kept on this machine")
    expect(page.locator("[data-test=unsent]")).to_contain_text("2 to send")
    # A page that was never looked at cannot be opened now, which is said; the work stays where it is.
    page.locator(".brand").click()
    expect(page.locator("[data-test=unopened]")).to_contain_text("Nothing is lost")
    expect(page.locator("[data-test=unsent]")).to_contain_text("2 to send")

    with page.expect_response(lambda r: "/build?revision=0" in r.url and r.request.method == "POST") as sent:
        page.context.set_offline(False)
    assert sent.value.status == 201
    expect(page.locator("[data-test=unsent]")).to_have_count(0)
    page.locator("[data-test=open-anew]").click()
    page.wait_for_selector("[data-job]")
    expect(page.locator("[data-test=unopened]")).to_have_count(0)
    page.goto(f"/jobs/{job}/build")
    expect(following).to_contain_text("negative clamp off")
    expect(page.locator("[data-test=keep-build]")).to_have_text("Kept")
    page.keyboard.press("s")
    expect(page.locator("[data-step=safe]")).to_contain_text("Tobin Ashgrove")
    # The server has it now, under its own name for it.
    expect(page.locator("[data-step=safe] img")).to_have_attribute("src", re.compile(rf"^/api/jobs/{job}/photos/[0-9a-f]{{64}}$"))
    assert page.locator("[data-step=safe] img").evaluate("async (i) => (await i.decode(), i.naturalWidth)") > 50
    expect(page.locator("[data-step=safe] .shot")).not_to_contain_text("⇡")


@pytest.mark.long
def test_a_photo_that_the_server_will_not_have_stays_with_its_reason_and_holds_nothing_back(
    open_page: Callable[..., Page], tmp_path: Path
) -> None:
    page = open_page(apart=True)
    job_with(page, "front_battery", "build")
    page.locator("[data-anew=charge_cable]").get_by_role("checkbox").click()
    expect(page.locator("[data-test=next-step]")).to_contain_text("Make Charge cable.")
    page.context.set_offline(True)
    page.locator("[data-test=step-done]").click()
    page.locator("[data-test=step-done]").click()
    page.keyboard.press("s")
    step = page.locator("[data-step=safe]")
    spoilt = tmp_path / "spoilt.jpg"
    spoilt.write_bytes(b"half of a card that was pulled too early")
    step.locator("input[type=file]").set_input_files(spoilt)
    page.locator("[data-test=keep-build]").click()
    expect(page.locator("[data-test=unsent]")).to_contain_text("2 to send")
    with page.expect_response(lambda r: r.url.endswith("/photos") and r.request.method == "POST") as sent:
        page.context.set_offline(False)
    assert sent.value.status == 422
    expect(step.get_by_role("alert")).to_contain_text("no photo")
    # The work that shows it is kept without it; the photo stays in its step until somebody takes another.
    expect(page.locator("[data-test=unsent]")).to_contain_text("1 to send")
    expect(step).to_contain_text("Tobin Ashgrove")
    good = tmp_path / "safe.png"
    page.locator("[data-test=next-step]").screenshot(path=good)
    step.locator(".shot").click()
    page.get_by_role("dialog").get_by_role("button", name="Take another").wait_for()
    step.locator("input[type=file]").set_input_files(good)
    expect(page.locator("[data-test=unsent]")).to_have_count(0)
    page.keyboard.press("Escape")
    with page.expect_response(lambda r: "/build?revision=" in r.url and r.request.method == "POST") as kept:
        page.locator("[data-test=keep-build]").click()
    assert kept.value.status == 201
    expect(step.get_by_role("alert")).to_have_count(0)
    expect(step.locator("img")).to_have_attribute("src", re.compile("/photos/[0-9a-f]{64}$"))


@pytest.mark.long
def test_what_is_taken_out_is_kept_where_it_is_said_and_the_way_back_says_so(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "front_battery", "build")
    page.locator("[data-anew=charge_cable]").get_by_role("checkbox").click()
    page.locator("h3", has_text="Charge cable").click()
    page.keyboard.press("r")
    old = page.locator("[data-old=charge_cable]")
    expect(old).to_contain_text("25 mm²")
    back = page.locator("[data-test=way-back]")
    expect(back).to_contain_text("nothing has to be bought")
    old.locator("[data-test=fate]").click()
    page.get_by_role("option", name="Stays in its place").click()
    where = old.locator("[data-test=where]").get_by_role("textbox")
    where.fill("along the inner wing")
    where.press("Tab")
    expect(back).to_contain_text("Take the caps off Charge cable")
    page.locator("[data-test=keep-build]").click()
    expect(page.locator("[data-test=keep-build]")).to_have_text("Kept")
    page.reload()
    page.locator("[data-test=pane-steps]").click()
    expect(page.locator("[data-step='remove:charge_cable']")).to_contain_text("tag it spare: along the inner wing")


@pytest.mark.long
def test_old_cable_is_read_and_a_sample_is_pulled_before_the_first_lead(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "front_battery", "build")
    page.locator("[data-anew=charge_cable]").get_by_role("checkbox").click()
    card = page.locator("[data-card=charge_cable]")
    card.locator("[data-test=reclaimed] summary").click()
    # 25 mm2 has 0.78 mohm a metre at most (IEC 60228): two metres at 50 A lose 78 mV, this one loses twice as much.
    for field, value in (("length_mm", "2000"), ("current_a", "50"), ("drop_mv", "156")):
        card.locator(f"[data-test=old-{field}]").get_by_role("textbox").fill(value)
        page.keyboard.press("Tab")
    expect(card.locator("[data-test=lead-problem]")).to_contain_text("Not to be used as 25 mm²")
    card.locator("[data-test=old-drop_mv]").get_by_role("textbox").fill("74")
    page.keyboard.press("Tab")
    expect(card.locator("[data-test=reclaimed-says]")).to_contain_text("As good as new 25 mm²")
    page.locator("h3", has_text="Charge cable").click()
    page.keyboard.press("s")
    page.locator("[data-test=samples]").get_by_role("checkbox").click()
    expect(page.locator("[data-test=next-step]")).to_contain_text("Sample: crimp a 25 mm² lug for M8")
    expect(page.locator("[data-step='make:charge_cable']")).to_contain_text("after: Sample")
    page.locator("[data-test=keep-build]").click()
    expect(page.locator("[data-test=keep-build]")).to_have_text("Kept")


def test_a_die_that_does_not_do_is_refused_and_can_be_put_right(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "front_battery", "build")
    page.locator("[data-anew=charge_cable]").get_by_role("checkbox").click()
    card = page.locator("[data-card=charge_cable]")
    press = card.locator("[data-test=press-from_end]")
    expect(press.locator("summary")).to_contain_text("mm flat to flat")
    press.locator("summary").click()
    die = press.locator("[data-test=die-from_end]").get_by_role("textbox")
    die.fill("20")
    die.press("Tab")
    expect(card.locator("[data-test=lead-problem]")).to_contain_text("too large for 25 mm2")
    die.fill("9.9")
    die.press("Tab")
    expect(press.locator("summary")).to_contain_text("shim")
    choose(
        press.locator("[data-test=palm-from_end]"),
        page.get_by_role("option", name="Bent 90°"),
        card.locator("b", has_text="25 mm² lug, M8, bent 90°"),
    )


def test_a_lead_signs_what_is_done(open_page: Callable[..., Page]) -> None:
    page = open_page(login="mara")
    job = job_with(page, "front_battery")
    api = page.context.request
    headers = {"X-CSRFToken": api.get("/api/session").json()["csrf_token"], "Content-Type": "application/json"}
    book = {**api.get(f"/api/jobs/{job}/build").json()["document"], "anew": ["charge_cable"]}
    steps = api.post(f"/api/jobs/{job}/build/preview", data=json.dumps(book), headers=headers).json()["steps"]
    all_but_one = {**book, "ticks": [{"step": s["id"]} for s in steps[:-1]]}
    assert api.post(f"/api/jobs/{job}/build", data=json.dumps(all_but_one), headers=headers).status == 201
    page.goto(f"/jobs/{job}/build")
    expect(page.locator("[data-test=next-step]")).to_contain_text("Start it")
    expect(page.locator("[data-test=sign-build]")).to_have_count(0)
    # An engine runs then: its cautions are tapped first.
    page.locator("[data-test=next-step] [data-test=cautions-seen]").click()
    page.locator("[data-test=step-done]").click()
    expect(page.locator("[data-test=build-headline]")).to_contain_text("All of it is done")
    page.locator("[data-test=keep-build]").click()
    # The path goes on from here; what is not on it yet is measured first.
    expect(page.locator("[data-test=onward]")).to_be_visible()
    page.locator("[data-test=sign-build]").click()
    expect(page.locator("[data-test=signature]")).to_contain_text("Looked over by Mara Quillfeather")
    expect(page.locator("[data-test=sign-build]")).to_have_count(0)


@pytest.mark.long
def test_parts_are_bought_received_used_and_offered_and_the_shelf_says_what_is_left(open_page: Callable[..., Page]) -> None:
    page = open_page(login="mara")
    job = job_with(page, "front_battery")
    page.goto("/lists")
    page.locator("[data-test=list-stock]").click()
    page.locator("[data-test=find-part]").get_by_role("textbox").fill("LG-25-M8")
    page.locator("[data-test=part-count]").get_by_role("textbox").fill("1")
    page.keyboard.press("Tab")
    page.locator("[data-test=keep-lists]").click()
    expect(page.locator("[data-test=lists-said]")).to_have_text("Kept.")

    page.goto(f"/jobs/{job}/build")
    page.locator("[data-anew=charge_cable]").get_by_role("checkbox").click()
    page.locator("h3", has_text="Charge cable").click()
    page.keyboard.press("p")
    lug = page.locator("[data-line='lug:25 mm2:M8']")
    expect(lug).to_contain_text("LG-25-M8")
    # One is there, two are needed, and they come in packs of five.
    cells = lug.locator("td.n")
    expect(cells.nth(1)).to_have_text("1")
    expect(cells.nth(2)).to_contain_text("5")
    page.locator("[data-test='received-lug:25 mm2:M8']").click()
    expect(cells.nth(1)).to_have_text("2")
    expect(cells.nth(2)).to_have_text("–")
    total = page.locator("[data-test=bill-total] b").inner_text()

    page.keyboard.press("x")
    # The next step may be longer than this one: what stands under it moves once, and is pressed where it comes to rest.
    expect(page.locator("[data-test=pane-steps]")).to_contain_text("1 of")
    page.locator("[data-test=keep-build]").click()
    expect(page.locator("[data-test=keep-build]")).to_have_text("Kept")
    expect(lug).to_contain_text("2 used")
    page.keyboard.press("c")
    expect(page.locator("[data-from=done]")).to_contain_text("Charge cable")
    page.keyboard.press("p")
    expect(page.locator("[data-test=bill-total] b")).to_have_text(total)

    page.locator("[data-test=make-quotation]").click()
    expect(page.locator("[data-test=offered]")).to_contain_text(f"No. 1: {total}")
    page.locator("[data-test=accepted-by]").get_by_role("textbox").fill("The owner")
    page.locator("[data-test=accept-quotation]").click()
    expect(page.locator("[data-test=offered]")).to_contain_text("Accepted by The owner")
    expect(page.locator("[data-test=offered]")).to_contain_text("taken down by Mara Quillfeather")
    with page.expect_download() as printed:
        page.locator("[data-test=quotation-pdf]").click()
    assert printed.value.path().read_bytes().startswith(b"%PDF")

    page.goto("/lists")
    page.locator("[data-test=list-stock]").click()
    page.locator("[data-test=find-part]").get_by_role("textbox").fill("LG-25-M8")
    expect(page.locator("[data-test=part-count]").get_by_role("textbox")).to_have_value("4")


def test_leads_that_were_measured_elsewhere_come_in_as_yaml(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "front_battery", "build")
    page.locator("[data-anew=charge_cable]").get_by_role("checkbox").click()
    drawn = page.locator("[data-test=cut]").inner_text()
    measured = (
        "format: mavrik-harness\nversion: 1\nleads:\n- {id: charge_cable, route_mm: 2000, slack: 0.0}\n- {id: battery_lead}\n"
    )
    page.locator("[data-test=read-harness] input").set_input_files(
        {"name": "bench.yaml", "mimeType": "application/yaml", "buffer": measured.encode()}
    )
    expect(page.locator("[data-test=harness-told]")).to_have_text("bench.yaml is read; it counts once it is kept.")
    expect(page.locator("[data-card=charge_cable]")).to_contain_text("2000 mm")
    expect(page.locator("[data-test=cut]")).not_to_have_text(drawn)
    expect(page.locator("[data-lead=battery_lead]")).to_be_visible()
    wrong = measured.replace("battery_lead", "tow_bar")
    page.locator("[data-test=read-harness] input").set_input_files(
        {"name": "other.yaml", "mimeType": "application/yaml", "buffer": wrong.encode()}
    )
    expect(page.get_by_text("The plan has no lead 'tow_bar'").first).to_be_visible()
    # What was there stays.
    expect(page.locator("[data-card=charge_cable]")).to_contain_text("2000 mm")


@pytest.mark.long
def test_a_photographed_label_opens_the_lead_that_it_is_of(open_page: Callable[..., Page], tmp_path: Path) -> None:
    page = open_page()
    job = job_with(page, "front_battery", "build")
    page.locator("[data-anew=charge_cable]").get_by_role("checkbox").click()
    expect(page.locator("[data-card=charge_cable]")).to_be_visible()
    # The list does not fold under the hand that is choosing from it.
    page.locator("[data-anew=battery_lead]").get_by_role("checkbox").click()
    expect(page.locator("[data-lead=battery_lead]")).to_be_visible()
    page.locator("[data-test=keep-build]").click()
    expect(page.locator("[data-test=keep-build]")).to_have_text("Kept")
    # The label as the browser draws it is the photo.
    page.set_viewport_size({"width": 900, "height": 600})
    page.goto(f"/api/jobs/{job}/leads/battery_lead/label.svg")
    photo = tmp_path / "label.png"
    page.screenshot(path=photo)
    page.goto("/")
    page.locator("[data-test=label-photo]").set_input_files(photo)
    page.wait_for_url("**/build?lead=battery_lead")
    expect(page.locator("[data-card=battery_lead]")).to_be_visible()
    # The code itself, followed by whoever is not signed in yet, goes there too.
    number = page.evaluate(f"fetch('/api/jobs/{job}').then(r => r.json()).then(j => j.number)")
    page.goto(f"/lead/{number}/charge_cable")
    expect(page.locator("[data-card=charge_cable]")).to_be_visible()
    page.goto("/lead/00-0000/charge_cable")
    expect(page.get_by_text("which is not here")).to_be_visible()
    nothing = tmp_path / "nothing.png"
    page.screenshot(path=nothing)
    page.goto("/")
    page.locator("[data-test=label-photo]").set_input_files(nothing)
    expect(page.get_by_text("No label of a lead is seen on it")).to_be_visible()


def test_a_stud_that_is_too_short_is_said_at_its_point_and_kept_with_the_book(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "front_battery", "build")
    expect(page.locator("[data-test=build-headline]")).to_be_visible()
    page.keyboard.press("t")
    block = page.locator("[data-point=block]")
    expect(block).to_contain_text("M10")
    # As it lies: what carries most at the foot, which is below.
    expect(block.locator(".lug").last).to_contain_text("Battery to block")
    drawing = page.get_by_role("img", name="Schematic")
    expect(drawing).to_be_visible()
    assert drawing.evaluate("e => e.decode().then(() => e.naturalWidth)") > 100
    page.locator("[data-test=thread-block]").get_by_role("textbox").fill("12")
    page.keyboard.press("Tab")
    expect(block).to_contain_text("mm too short")
    expect(page.locator("[data-test=points-wrong]")).to_contain_text("Engine block")
    with page.expect_response(lambda r: "/build?revision=" in r.url and r.request.method == "POST") as kept:
        page.locator("[data-test=keep-build]").click()
    assert kept.value.status == 201
    page.reload()
    page.locator("[data-test=pane-points]").click()
    expect(page.locator("[data-test=thread-block]").get_by_role("textbox")).to_have_value("12")
    expect(page.locator("[data-test=points-wrong]")).to_contain_text("Engine block")


@pytest.mark.long
def test_leads_share_a_way_that_says_how_long_they_are_and_what_holds_them(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "rear_battery", "build")
    expect(page.locator("[data-test=build-headline]")).to_be_visible()
    page.keyboard.press("y")
    page.locator("[data-test=new-way]").click()
    expect(page.locator("[data-test=way-says]")).to_contain_text("no lead is laid along it yet")
    page.locator("[data-laid=charge_cable]").get_by_role("checkbox").check()
    expect(page.locator("[data-test=way-says]")).to_contain_text("1000 mm, bundle")
    # No clamp is farther than 450 mm from the next: two between, and one at its end.
    expect(page.locator("[data-mark=clamp]")).to_have_count(3)
    page.locator("[data-test=stretch-0]").get_by_role("textbox").fill("1350")
    page.locator("[data-test=bend-0]").get_by_role("textbox").fill("15")
    page.keyboard.press("Tab")
    expect(page.get_by_role("alert").filter(has_text="tighter than")).to_be_visible()
    page.locator("[data-test=straight]").get_by_role("textbox").fill("2000")
    page.keyboard.press("Tab")
    expect(page.get_by_role("alert").filter(has_text="shorter than the straight line of 2000 mm")).to_be_visible()
    page.locator("[data-test=pane-lead]").click()
    page.locator("[data-anew=charge_cable]").get_by_role("checkbox").click()
    card = page.locator("[data-card=charge_cable]")
    # Three hundredths of slack on the way, and no string beside it.
    expect(card).to_contain_text("1391 mm")
    expect(page.locator("[data-test=route]")).to_have_count(0)
    page.locator("[data-test=to_tail_mm]").get_by_role("textbox").fill("150")
    page.keyboard.press("Tab")
    expect(card).to_contain_text("1545 mm")
    page.locator("[data-test=pane-parts]").click()
    expect(page.locator("[data-line^='clip:']")).to_be_visible()
    with page.expect_response(lambda r: "/build?revision=" in r.url and r.request.method == "POST") as kept:
        page.locator("[data-test=keep-build]").click()
    assert kept.value.status == 201
    page.reload()
    page.locator("[data-test=pane-ways]").click()
    expect(page.locator("[data-laid=charge_cable]").get_by_role("checkbox")).to_be_checked()


@pytest.mark.long
def test_a_stud_through_a_panel_has_two_sides_and_is_fitted_and_bought(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "rear_battery", "build")
    page.locator("[data-anew=long_feed]").get_by_role("checkbox").click()
    page.locator("[data-test=pane-points]").click()
    stud = page.locator("[data-point=bulkhead]")
    page.locator("[data-test=panel-bulkhead]").get_by_role("checkbox").check()
    expect(stud.locator("[data-test=far]")).to_contain_text("Firewall")
    # One lead on either side to begin with; what is moved leaves the other side bare, and that is said.
    expect(stud.locator(".pile")).to_have_count(2)
    stud.locator("[data-test=far] + .pile [data-move]").click()
    expect(stud.get_by_role("alert")).to_contain_text("on one side of Firewall")
    stud.locator("[data-move=long_feed]").click()
    expect(stud.get_by_role("alert")).to_have_count(0)
    expect(stud.locator("[data-test=far] + .pile")).to_contain_text("Feed to the rear")
    thread = page.locator("[data-test=far-thread-bulkhead] input")
    thread.fill("6")
    expect(stud.get_by_role("alert")).to_contain_text("Far side: the stud is")
    thread.fill("")
    expect(stud.get_by_role("alert")).to_have_count(0)
    thread.blur()
    page.keyboard.press("s")
    expect(page.locator("[data-step='stud:bulkhead']")).to_contain_text("drill for the insulator of the M8 bulkhead stud")
    page.keyboard.press("p")
    expect(page.locator("[data-line^='bulkhead_stud:']")).to_contain_text("BS-M8")
    with page.expect_response(lambda r: "/build?revision=" in r.url and r.request.method == "POST") as kept:
        page.locator("[data-test=keep-build]").click()
    assert kept.value.status == 201
    page.reload()
    page.locator("[data-test=pane-points]").click()
    page.locator("[data-test=there-bulkhead]").get_by_role("checkbox").check()
    page.locator("[data-test=pane-steps]").click()
    expect(page.locator("[data-step='fit:long_feed']")).to_be_visible()
    expect(page.locator("[data-step='stud:bulkhead']")).to_have_count(0)


def test_a_lug_is_made_of_tube_and_bought_again_from_the_list_of_parts(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/jobs/3/build")
    page.locator("[data-test=pane-parts]").click()
    page.locator("[data-test^='make-lug:']").first.click()
    tube = page.locator("[data-line^='tube:']")
    expect(tube.first).to_be_visible()
    page.locator("[data-test^='buy-tube:']").first.click()
    expect(tube).to_have_count(0)


def test_what_all_jobs_are_short_of_is_a_key_away_and_taken_in_when_it_comes(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/")
    page.wait_for_selector("[data-job]")
    page.keyboard.press("o")
    expect(page.locator("[data-test=outlay]")).to_contain_text("to buy")
    row = page.locator("[data-order]").first
    number = row.get_attribute("data-order")
    expect(row.locator("a").first).to_have_text(re.compile(r"\d\d-\d{4}"))
    with page.expect_download() as written:
        page.locator("[data-test=orders-csv]").click()
    assert written.value.path().read_bytes().startswith(b"number,label,buy,unit")
    page.locator(f"[data-test='received-{number}']").click()
    expect(page.locator(f"[data-order='{number}']")).to_have_count(0)
