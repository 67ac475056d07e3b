"""Planning at the bench: a pulley that is thought of, by keyboard, with its numbers."""

from __future__ import annotations

import re
from collections.abc import Callable

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import choose, job_with
from tests.build import picture


def test_a_pulley_is_thought_of_judged_and_kept(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job = job_with(page, "front_battery", "plan")
    page.locator("[data-test=part-drive]").click()
    keys = page.keyboard
    # The first field has the focus; Tab goes on. 150 mm on 60 mm are 2.5 times the engine's speed, on 50 mm 3 times.
    page.wait_for_selector("[data-test=crank] input:focus")
    for value in ("150", "60", "50", "", "16000"):
        keys.type(value)
        keys.press("Tab")
    big = page.locator("[data-test=hot-idle]")
    expect(big).to_contain_text("shaft 2.50 → 3.00 times")
    idle, redline = (page.locator(f"[data-test=speeds] tr[data-row={n}]") for n in ("idle", "redline"))
    expect(idle).to_contain_text(re.compile(r"800\s*2000\s*2400"))
    expect(redline).to_contain_text(re.compile(r"5000\s*12500\s*15000"))
    # The shape of a usual curve: 42 % of the rating at 1,800 /min and 62 % at 2,500; hot, 85 % of that.
    rated = float(
        page.evaluate(f"fetch('/api/jobs/{job}').then(r => r.json()).then(j => j.circuits[0].document.alternators[0].rated_a)")
    )
    expect(big).to_contain_text(f"{0.85 * rated * (0.42 + 0.2 * 600 / 700):.0f}")
    expect(page.locator("[data-finding=near_limit]")).to_contain_text("94% of the limit speed")
    # Beyond the limit it is said, in words and in the table.
    page.locator("[data-test=redline] input, input[data-test=redline]").first.fill("6000")
    expect(redline).to_contain_text("too fast")
    expect(page.locator("[data-finding=overspeed]")).to_contain_text("18000 /min at redline")
    # Out of order: at its field, and nothing can be kept.
    page.locator("[data-test=redline] input, input[data-test=redline]").first.fill("1500")
    expect(page.locator("[data-test=redline]").first).to_contain_text("The redline lies above cruising speed.")
    expect(page.locator("[data-test=keep-drive]")).to_be_disabled()
    page.locator("[data-test=redline] input, input[data-test=redline]").first.fill("4500")
    expect(redline).to_contain_text("13500")
    # What was typed and not kept comes back.
    page.reload()
    page.locator("[data-test=part-drive]").click()
    expect(redline).to_contain_text("13500")
    page.locator("[data-test=keep-drive]").click()
    expect(page.locator("[data-test=keep-drive]")).to_have_text("Kept")
    page.reload()
    page.locator("[data-test=part-drive]").click()
    expect(page.locator("[data-test=keep-drive]")).to_have_text("Kept")


def test_a_pulley_is_tried_by_dragging_it(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "front_battery", "plan")
    page.locator("[data-test=part-drive]").click()
    for name, value in (("crank", "150"), ("now", "60"), ("limit", "16000")):
        page.locator(f"[data-test={name}] input, input[data-test={name}]").first.fill(value)
    big, slider = page.locator("[data-test=hot-idle]"), page.locator("[data-test=try-pulley]")
    expect(big).to_contain_text("shaft 2.50 times")
    # Half a millimetre a key: from 60 mm down to 58.
    slider.focus()
    for _ in range(4):
        page.keyboard.press("ArrowLeft")
    expect(page.locator("[data-test=new] input, input[data-test=new]").first).to_have_value("58")
    expect(big).to_contain_text("shaft 2.50 → 2.59 times")
    # Taken to its least, 150 mm x 5000 / 16000 less 15 %, it lies beyond the limit speed, and that is said.
    page.keyboard.press("Home")
    expect(page.locator("[data-finding=overspeed]")).to_be_visible()
    # With the mouse, to the middle of what is worth trying.
    box = slider.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 22, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2, steps=5)
    page.mouse.up()
    expect(page.locator("[data-finding=overspeed]")).to_have_count(0)


def test_two_readings_make_a_gain_with_its_uncertainty(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "front_battery", "plan")
    page.locator("[data-test=part-drive]").click()
    page.get_by_text("Output as read, before and after").click()

    def fill(name: str, value: str) -> None:
        page.locator(f"[data-test={name}] input, input[data-test={name}]").first.fill(value)

    for name, value in (
        ("read-Before", "70"),
        ("u-Before", "3"),
        ("rpm-Before", "800"),
        ("read-After", "125"),
        ("u-After", "4"),
        ("rpm-After", "805"),
    ):
        fill(name, value)
    expect(page.locator("[data-test=gain]")).to_contain_text("55 A ± 5 A")
    fill("rpm-After", "950")
    expect(page.locator("[data-finding=not_one_speed]")).to_be_visible()
    expect(page.locator("[data-test=gain]")).to_have_count(0)


@pytest.mark.long
def test_a_whole_drive_is_drawn_and_its_tensioner_takes_up_the_belt(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "front_battery", "plan")
    page.locator("[data-test=part-drive]").click()

    def fill(name: str, value: str) -> None:
        page.locator(f"[data-test={name}] input, input[data-test={name}]").first.fill(value)

    for name, value in (("crank", "150"), ("now", "60"), ("new", "52")):
        fill(name, value)
    page.locator("[data-test=whole-drive]").click()
    fill("x-1", "260")
    fill("y-1", "150")
    page.locator("[data-test=add-pulley]").click()
    for name, value in (("mm-2", "70"), ("x-2", "60"), ("y-2", "190")):
        fill(name, value)
    # On its ribs the belt would pass above it: said where the pulleys are.
    page.locator("[data-test=add-pulley]").click()
    for name, value in (("mm-3", "120"), ("x-3", "-120"), ("y-3", "260")):
        fill(name, value)
    expect(page.locator("[data-test=belt-error]")).to_contain_text("does not lie on Pulley 3 with its ribs")
    page.locator("[data-test=back-2] input, input[data-test=back-2]").first.check()
    expect(page.locator("[data-finding=belt_length]")).to_contain_text("shorter")
    arm = page.locator("[data-test=add-arm]")
    choose(page.locator("[data-pulley='2'] .v-select"), page.get_by_role("option", name="tensioner"), arm)
    arm.click()
    fill("arm-x_mm", "0")
    fill("arm-y_mm", "250")
    expect(page.locator("[data-finding=taken_up]")).to_contain_text("The belt stays.")
    expect(page.locator("[data-test=belt-length]")).to_contain_text("50 %")
    # Of belts to hand those are marked that the tensioner takes; what is no length is said.
    fill("ribs", "6")
    fill("stock", "6PK1345; 1500; 7PK1345")
    fits = page.locator("[data-test=stock-fit] li")
    expect(fits.nth(0)).to_contain_text("6PK1345, 1345 mm ✓")
    expect(fits.nth(1)).to_contain_text("1500 ✕")
    expect(fits.nth(2)).to_contain_text("more ribs")
    fill("stock", "1345; long")
    expect(page.locator("[data-test=stock]").first).to_contain_text("'long' is no belt")
    fill("stock", "1345; 1500")
    page.locator("[data-test=keep-drive]").click()
    expect(page.locator("[data-test=keep-drive]")).to_have_text("Kept")
    page.reload()
    page.locator("[data-test=part-drive]").click()
    expect(page.locator("[data-finding=taken_up]")).to_be_visible()
    expect(page.locator("[data-test=keep-drive]")).to_have_text("Kept")


@pytest.mark.long
def test_a_pulley_is_dragged_to_its_place(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "front_battery", "plan")
    page.locator("[data-test=part-drive]").click()
    for name, value in (("crank", "150"), ("now", "60")):
        page.locator(f"[data-test={name}] input, input[data-test={name}]").first.fill(value)
    page.locator("[data-test=whole-drive]").click()
    x, y = (page.locator(f"[data-test={n}-1] input, input[data-test={n}-1]").first for n in "xy")
    expect(x).to_have_value("300")
    circle = page.locator("[data-circle=Alternator]")
    circle.hover()
    box = circle.bounding_box()
    assert box is not None
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2 - 40, box["y"] + box["height"] / 2 - 25, steps=4)
    # To the left and up: where it is let go it stays, and its place stands in its row.
    expect(x).not_to_have_value("300")
    page.mouse.up()
    assert 0 < float(x.input_value()) < 300 and float(y.input_value()) > 0
    at = x.input_value()
    page.mouse.move(5, 5)
    expect(x).to_have_value(at)
    expect(page.locator("[data-test=belt-length]")).to_contain_text("mm")


def test_whether_it_keeps_up_is_asked_answered_and_kept(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job = job_with(page, "front_battery")
    rated = float(
        page.evaluate(f"fetch('/api/jobs/{job}').then(r => r.json()).then(j => j.circuits[0].document.alternators[0].rated_a)")
    )
    page.goto(f"/jobs/{job}/plan")
    page.locator("[data-test=part-use]").click()
    surplus, table = page.locator("[data-test=surplus]"), page.locator("[data-test=scenes]")
    expect(surplus).to_contain_text("to spare at a hot idle")
    # One that nobody knows begins with an ampere; 70 A are typed, and everything that stands on it follows.
    adding = page.locator("[data-test=add-consumer] input")
    adding.fill("Brine pump")
    adding.press("Enter")
    row = table.locator("tr[data-consumer='Brine pump']")
    row.locator("[data-test=amps-0] input, input[data-test=amps-0]").fill("70")
    cell = row.get_by_role("switch", name="Brine pump, Idle at night in rain")
    expect(cell).to_have_attribute("aria-checked", "false")
    cell.focus()
    cell.press("Enter")
    expect(cell).to_have_attribute("aria-checked", "true")
    # 2080 /min of the shaft: 0.5 of the rating cold, 0.85 of that hot.
    short = 70 - 0.85 * 0.5 * rated
    expect(surplus).to_contain_text(f"−{short:.0f}")
    expect(page.locator("[data-finding='short:Idle at night in rain']")).to_contain_text(f"short by {short:.0f} A")
    # A day of more than 24 hours is said where it was typed, and nothing can be kept.
    page.locator("[data-test=hours-0] input, input[data-test=hours-0]").first.fill("9")
    expect(page.get_by_text("a day has 24").first).to_be_visible()
    expect(page.locator("[data-test=keep-use]")).to_be_disabled()
    page.locator("[data-test=hours-0] input, input[data-test=hours-0]").first.fill("0.3")
    # Hours by speed from a file of the engine's computer.
    page.get_by_text("Hours by engine speed").first.click()
    page.locator("[data-test=csv] textarea, textarea[data-test=csv]").first.fill("rpm;h\n800;60\n1500;oops")
    page.locator("[data-test=read-csv]").click()
    expect(page.get_by_text("Line 3").first).to_be_visible()
    page.locator("[data-test=csv] textarea, textarea[data-test=csv]").first.fill("rpm;h\n800;60\n1500;40")
    page.locator("[data-test=read-csv]").click()
    bars = page.locator("[data-test=hours-bars] [role=slider]")
    expect(bars).to_have_count(2)
    bars.first.press("ArrowUp")
    expect(bars.first).not_to_have_attribute("aria-valuetext", "60 h")
    # What was typed and not kept comes back.
    page.reload()
    page.locator("[data-test=part-use]").click()
    expect(surplus).to_contain_text(f"−{short:.0f}")
    page.locator("[data-test=keep-use]").click()
    expect(page.locator("[data-test=keep-use]")).to_have_text("Kept")
    page.reload()
    page.locator("[data-test=part-use]").click()
    expect(page.locator("[data-test=keep-use]")).to_have_text("Kept")
    expect(surplus).to_contain_text(f"−{short:.0f}")


@pytest.mark.long
def test_days_are_let_go_by_and_shown_as_curves(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "front_battery", "plan")
    page.locator("[data-test=part-weeks]").click()
    run = page.locator("[data-test=run-simulation]")
    expect(run).to_have_text("Keep this use first")
    expect(run).to_be_disabled()
    page.locator("[data-test=part-use]").click()
    page.locator("[data-test=keep-use]").click()
    expect(page.locator("[data-test=keep-use]")).to_have_text("Kept")
    page.locator("[data-test=part-weeks]").click()
    page.locator("[data-test=sim-days] input, input[data-test=sim-days]").first.fill("2")
    page.locator("[data-test=sim-runs] input, input[data-test=sim-runs]").first.fill("2")
    run.click()
    shown = page.locator("[data-test=sim-headline]")
    expect(shown).to_contain_text("Starts for 2 days", timeout=60_000)
    expect(page.get_by_role("img", name="Battery: charge over the days")).to_be_visible()
    # It was kept: another look finds it again.
    page.reload()
    page.locator("[data-test=part-weeks]").click()
    expect(shown).to_contain_text("Starts for 2 days")


def test_a_guided_change_is_answered_looked_at_and_kept(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "front_battery", "plan")
    page.locator("[data-test=part-guided]").click()
    parts = page.locator("[data-test=guided-parts]")
    # The usual answers first; 5 m along its way are typed, and the lead follows.
    expect(parts.locator("tr[data-row=battery_lead]")).to_contain_text("4.5 m")
    length = page.locator("[data-question=feed_m] input, input[data-question=feed_m]").first
    length.fill("5")
    expect(parts.locator("tr[data-row=battery_lead]")).to_contain_text("5 m")
    expect(parts.locator("tr[data-row=block_ground]")).to_contain_text("removed")
    expect(page.locator("[data-test=to-do] li")).to_have_count(4)
    # Out of bounds: said at its question, nothing is kept.
    length.fill("50")
    expect(page.get_by_text("1 to 12 m").first).to_be_visible()
    expect(page.locator("[data-test=keep-guided]")).to_be_disabled()
    length.fill("5")
    # A guide that has no place says why; another one, and back: what was typed is still there.
    expect(page.get_by_text("It has one battery: add a second one first.")).to_be_visible()
    page.get_by_label("Fit a winch").check()
    expect(parts.locator("tr[data-row=winch_feed]")).to_be_visible()
    page.get_by_label("Move the battery to the rear").check()
    expect(length).to_have_value("5")
    page.locator("[data-test=keep-guided]").click()
    expect(page.locator("[data-test=keep-guided]")).to_have_text("Kept")
    page.locator("[data-test=part-cables]").click()
    expect(page.locator("[data-test=guided-kept]")).to_contain_text("Move the battery to the rear")
    expect(page.locator("[data-test=keep-plan]")).to_have_text("Kept")


@pytest.mark.long
def test_chargers_that_no_engine_turns_are_fed_in_their_scenes(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job = job_with(page, "front_battery")
    api = page.context.request
    headers = {"X-CSRFToken": api.get("/api/session").json()["csrf_token"]}
    record = api.get(f"/api/jobs/{job}").json()["circuits"][-1]
    battery = record["document"]["batteries"][0]
    ends = {"positive_node": battery["positive_node"], "negative_node": battery["negative_node"], "limit_a": 15}
    record["document"]["chargers"] = [
        {"id": "shore", "label": "Shore charger", **ends},
        {"id": "panel", "label": "Panel", "fed_by": "sun", "float_v": 13.6, **ends},
    ]
    saved = api.put(f"/api/jobs/{job}/circuit", data={"document": record["document"], "lock": record["lock"]}, headers=headers)
    assert saved.ok, saved.text()
    page.goto(f"/jobs/{job}/plan")
    page.locator("[data-test=part-use]").click()
    sun = page.locator("[data-test=sun-h] input, input[data-test=sun-h]").first
    sun.fill("0")
    parked = page.locator("[data-test=plugged] button").last
    expect(parked).to_have_attribute("aria-checked", "false")
    parked.click()
    expect(parked).to_have_attribute("aria-checked", "true")
    page.locator("[data-test=keep-use]").click()
    expect(page.locator("[data-test=keep-use]")).to_have_text("Kept")
    kept = api.get(f"/api/jobs/{job}/use").json()["document"]
    assert kept["sun_h"] == 0 and [s["plugged_in"] for s in kept["scenes"]] == [False] * (len(kept["scenes"]) - 1) + [True]
    # The circuit's own page says of each what feeds it.
    page.goto(f"/jobs/{job}/circuit")
    expect(page.get_by_label("Solar controller")).to_have_value("Panel")
    expect(page.get_by_label("Mains charger")).to_have_value("Shore charger")


@pytest.mark.long
def test_ground_schools_are_set_side_by_side_and_one_is_taken(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "front_battery", "plan")
    page.locator("[data-test=part-guided]").click()
    page.get_by_label("Ground leads by a school").check()
    chain = page.locator("[data-beside=chain]")
    expect(chain).to_contain_text("nothing charges")
    expect(page.locator("[data-beside=direct] button")).to_have_attribute("aria-pressed", "true")
    expect(page.locator("[data-test=guided-parts]")).to_contain_text("Battery to engine")
    chain.locator("button").click()
    expect(chain.locator("button")).to_have_attribute("aria-pressed", "true")
    expect(page.locator("[data-test=guided-parts]")).not_to_contain_text("Battery to engine")
    # The rows stay: they are of all answers, whichever is taken.
    expect(page.locator("[data-beside=direct_case]")).to_contain_text(" V,")


BESIDE_MS = 180_000


@pytest.mark.long
def test_a_disconnect_is_seen_to_fail_and_one_that_does_it_is_kept(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "competition_car", "plan")
    page.locator("[data-test=part-guided]").click()
    page.get_by_label("Fit a disconnect").check()
    choose(
        page.locator("[data-question=purpose]"),
        page.get_by_role("option", name="Emergency stop in competition"),
        page.locator(".v-select__selection-text", has_text="Emergency stop in competition"),
    )
    # The way everybody thinks of first does not do it, and it is said why.
    positive, relay = page.locator("[data-beside=positive]"), page.locator("[data-beside=two_controls]")
    # Nine ways are built, switched and sized one after the other.
    expect(positive).to_contain_text("Not fit. With Isolator off it runs on at idle", timeout=BESIDE_MS)
    expect(relay).to_contain_text("Fit. Fit for: emergency stop in competition", timeout=BESIDE_MS)
    relay.locator("button").click()
    to_do = page.locator("[data-test=to-do]")
    expect(to_do).to_contain_text("Driver's switch stops a running engine.", timeout=BESIDE_MS)
    expect(to_do).to_contain_text("Never pull a battery's lead off a running engine as a test.")
    page.locator("[data-test=keep-guided]").click()
    expect(page.locator("[data-test=keep-guided]")).to_have_text("Kept", timeout=BESIDE_MS)
    page.locator("[data-test=part-cables]").click()
    expect(page.locator("[data-test=guided-kept]")).to_contain_text("Fit a disconnect")


@pytest.mark.long
def test_a_list_of_what_has_to_fit_is_gone_down_and_kept(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job = job_with(page, "front_battery")
    unit = next(u for u in page.context.request.get("/api/units").json()["document"]["units"] if u["foot_mm"])
    page.goto(f"/jobs/{job}/plan")
    page.locator("[data-test=part-fit]").click()
    foot = page.locator("[data-point=foot]")
    choose(
        page.locator("[data-test=fit-unit]"),
        page.get_by_role("option", name=unit["name"], exact=True),
        foot.get_by_text("The unit:"),
    )
    figure = page.locator("[data-test=fit-figure-foot] input, input[data-test=fit-figure-foot]").first
    figure.fill(str(unit["foot_mm"] - 3))
    expect(foot.locator("[data-test=fit-says]")).to_contain_text("3 mm too wide")
    expect(page.locator("[data-test=fit-headline]")).to_contain_text("Does not fit")
    foot.locator("[data-tick=fits]").click()
    expect(foot).to_contain_text("look again")
    figure.fill(str(unit["foot_mm"] + 2))
    expect(foot.locator("[data-test=fit-says]")).to_contain_text("2 mm of spacers")
    foot.locator("[data-tick=adapter]").click()
    expect(page.locator("[data-test=fit-headline]")).to_contain_text("1 of")
    # A photo shows it: what is none is refused at its place, one that is stands in the row and opens large.
    picker = foot.locator("input[type=file]")
    picker.set_input_files({"name": "note.txt", "mimeType": "image/jpeg", "buffer": b"no picture"})
    expect(foot).to_contain_text("no photo")
    picker.set_input_files({"name": "foot.jpg", "mimeType": "image/jpeg", "buffer": picture(1600, 1200)})
    shot = foot.locator(".shot img")
    expect(shot).to_be_visible()
    page.wait_for_function("() => document.querySelector('[data-point=foot] .shot img').naturalWidth === 1280")
    foot.locator(".shot").click()
    expect(page.locator("img.whole")).to_be_visible()
    page.get_by_role("button", name="Close").click()
    page.locator("[data-test=keep-fit]").click()
    expect(page.locator("[data-test=keep-fit]")).to_have_text("Kept")
    page.reload()
    page.locator("[data-test=part-fit]").click()
    expect(page.locator("[data-point=foot] [data-tick=adapter]")).to_have_attribute("aria-pressed", "true")
    expect(page.locator("[data-point=foot] .shot img")).to_be_visible()
    expect(page.locator("[data-test=keep-fit]")).to_have_text("Kept")
