"""What follows from readings, in the browser: fitted resistances, the maker's window, contacts, a capture seen nearer."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, Route, expect

from tests.browser.conftest import job_with
from tests.reference.test_waveform import cranked

SWEEPER = 2


def test_resistances_are_shown_with_their_intervals_and_put_into_the_circuit(open_page: Callable[..., Page]) -> None:
    """The demo's library bus has a bad ground beside two that nobody read: said as it is, put in, and the state says so."""
    page = open_page(at="/jobs/1/findings")
    expect(page.locator("[data-test=headline]")).to_contain_text("the readings do not tell")
    page.locator("[data-view=branches]").click()
    page.locator("tr[data-row=block_ground]").click()
    expect(page.locator("[data-test=picked]")).to_contain_text("of it 95 % lie in")
    page.locator("[data-test=take-over]").click()
    expect(page.locator("[data-test=in-circuit]")).to_contain_text("measured resistance")
    page.goto("/jobs/1/circuit")
    page.wait_for_selector("svg.loop")
    page.keyboard.press("t")
    expect(page.get_by_text("Resistance as measured, not as sound")).to_be_visible()


def test_a_part_whose_fault_is_not_settled_and_what_a_cause_takes_for_granted_are_said(open_page: Callable[..., Page]) -> None:
    part = {
        "element": "alternator",
        "label": "Alternator is bad inside",
        "probability": 0.97,
        "causes": [],
        "advice": "Out it comes.",
    }
    page = open_page()

    def answer(route: Route) -> None:
        body = route.fetch().json()
        body["findings"]["settled_part"] = part
        body["findings"]["causes"][0]["assumes"] = ["The link had closed before."]
        route.fulfill(json=body)

    page.route("**/api/jobs/1/findings", answer)
    page.goto("/jobs/1/findings")
    page.locator("[data-view=causes]").click()
    expect(page.locator("[data-test=settled-part]")).to_contain_text(
        "Alternator is bad inside: 97 %, whichever of these it has. Out it comes."
    )
    page.locator("[data-test=causes] .cause").first.click()
    expect(page.locator("[data-test=assumes]")).to_have_text("It takes for granted: The link had closed before.")


def test_what_the_readings_would_look_the_same_with_is_named_with_the_test_that_shows_it(open_page: Callable[..., Page]) -> None:
    """The demo's ice-cream van: nothing but its drops was read, and they say nothing of its battery, its drain or its belt."""
    page = open_page(at="/jobs/3/findings")
    expect(page.locator("[data-test=headline]")).to_contain_text("Not ruled out, what was read would look the same: ")
    ways = page.locator("[data-test=not-shown] li")
    expect(ways).to_have_count(3)
    expect(page.locator("[data-test=not-shown]")).to_contain_text("This test shows it: parasitic drain.")
    more = page.locator("[data-test=all-not-shown]")
    expect(more).to_have_attribute("aria-expanded", "false")
    more.click()
    expect(ways.nth(3)).to_be_visible()
    expect(more).to_have_text("Fewer")


@pytest.mark.long
def test_a_resistance_that_was_measured_is_typed_in_and_taken_out(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/jobs/2/circuit")
    page.locator("g[data-branch=charge_cable]").click()
    field = page.get_by_label("Resistance as measured, at 20 °C")
    field.fill("0,8")
    expect(page.locator("[data-test=save-circuit]")).to_be_enabled()
    page.locator("[data-test=save-circuit]").click()
    expect(page.get_by_text("saved, revision")).to_be_visible()
    page.reload()
    page.locator("g[data-branch=charge_cable]").click()
    expect(field).to_have_value("0.8")
    field.fill("-3")
    expect(page.get_by_text("More than 0 mΩ")).to_be_visible()


def enter_window(page: Page, name: str, least: str, most: str) -> None:
    """The maker's figures of one reading into the sweeper's details, and save."""
    page.goto(f"/jobs/{SWEEPER}/measure")
    page.get_by_role("button", name="Job details").click()
    page.locator("[data-test=maker-windows]").click()
    window = page.locator(f"[data-window={name}]")
    window.get_by_label("At least").fill(least)
    window.get_by_label("At most").fill(most)
    page.locator("[data-test=save-job]").click()


@pytest.mark.long
def test_the_makers_window_is_entered_and_wins(open_page: Callable[..., Page]) -> None:
    """The sweeper's regulated voltage fails by common practice already; the maker's own figures then stand in the verdict."""
    page = open_page()
    enter_window(page, "regulated", "14.2", "14.4")
    expect(page.locator("[data-test=maker-windows]")).to_have_count(0)
    page.keyboard.press("3")
    page.locator("[data-view=readings]").click()
    expect(page.locator("[data-test=readings]")).to_contain_text("by the maker; without it")
    # Other details saved after it leave it where it is.
    page.get_by_role("button", name="Job details").click()
    page.locator("textarea[name=complaint]").fill("Beacon dims at the kerb")
    page.locator("[data-test=save-job]").click()
    expect(page.locator(".head")).to_contain_text("Beacon dims at the kerb")
    expect(page.locator("[data-test=readings]")).to_contain_text("by the maker; without it")


def test_a_window_upside_down_is_refused_at_its_place(open_page: Callable[..., Page]) -> None:
    page = open_page()
    enter_window(page, "ripple", "0.5", "0.2")
    expect(page.locator("[data-window=ripple]")).to_contain_text("The least lies below the most")


@pytest.mark.long
def test_tests_by_their_own_rule_wait_behind_one_line(open_page: Callable[..., Page]) -> None:
    page = open_page(at=f"/jobs/{SWEEPER}/measure")
    plan = page.locator("[data-test=test-plan]")
    page.locator("[data-test=all-tests]").click()
    expect(plan.locator("[data-procedure=battery_load]")).to_be_visible()
    expect(plan.locator("[data-procedure=idle_soak]")).to_have_count(0)
    page.locator("[data-test=more-tests]").click()
    plan.locator("[data-procedure=net_battery]").click()
    page.locator("[data-test=run-clear]").click()
    page.locator("[data-point='net_a_idle:battery'] input").fill("-12")
    page.locator("[data-run]").get_by_label("Engine speed").fill("780")
    page.locator("[data-test=keep-run]").click()
    expect(plan.locator("[data-procedure=net_battery]")).to_contain_text("FAIL")
    # Keys are the test's own until it has closed.
    expect(page.locator("[data-run]")).to_have_count(0)
    # Once more: the conditions of the last time stand in it.
    page.keyboard.press("r")
    expect(page.locator("[data-run=net_battery]")).to_be_visible()
    expect(page.locator("[data-run]").get_by_label("Engine speed")).to_have_value("780")


@pytest.mark.long(but=1)
@pytest.mark.parametrize("layout, below", [("winch", True), ("boat_isolator", False)])
def test_beside_a_long_loop_the_next_step_is_whole_and_no_word_lies_on_the_frame(
    open_page: Callable[..., Page], layout: str, below: bool
) -> None:
    """A long and low loop takes the whole width: what is said and done has the low row below it. One that is high as well would be no
    larger so, and leaves all of the height beside it."""
    page = open_page(width=1280, height=800)
    job_with(page, layout, shows="findings")
    page.wait_for_selector("svg.loop")
    expect(page.locator("[data-test=next]")).to_contain_text("Regulated voltage")
    expect(page.locator(".frame.wide")).to_have_count(int(below))

    def edges(what: str) -> tuple[float, float]:
        of = "all => { const r = all.map(e => e.getBoundingClientRect()); return [Math.min(...r.map(e => e.top)), Math.max(...r.map(e => e.bottom))] }"
        top, bottom = page.eval_on_selector_all(what, of)
        return float(top), float(bottom)

    frame = edges(".frame")[1]
    assert frame <= 800 and edges("[data-test=next]")[1] <= frame
    assert edges(".loop-panel svg text")[1] < edges(".loop-panel")[1]
    assert edges("[role=tablist]")[0] < frame - 20
    assert below == (edges("[data-test=next]")[0] > edges(".loop-panel")[1])


def test_contacts_are_asked_with_the_fuses(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "competition_car")
    page.get_by_role("button", name="Fuses").click()
    contact = page.locator("[data-contact=cut_off]")
    expect(contact).to_contain_text("W of heat")
    expect(contact).to_contain_text("for good")


@pytest.mark.long
def test_a_cranking_capture_is_seen_nearer_and_whole_again(open_page: Callable[..., Page], tmp_path: Path) -> None:
    volts = cranked(2000.0) + np.random.default_rng(1).normal(0, 0.01, 12_000)
    path = tmp_path / "start.csv"
    path.write_text("t;u\n" + "".join(f"{k / 2000:.4f};{v:.3f}\n".replace(".", ",") for k, v in enumerate(volts)))
    page = open_page(at=f"/jobs/{SWEEPER}/measure")
    page.locator("[data-test=open-captures]").click()
    page.locator("[data-test=capture-file]").set_input_files(path)
    picture = page.locator("[data-test=capture-plot]").first
    expect(picture).to_have_attribute("aria-label", "Captured voltage from 0.000 to 6.000 seconds")
    page.get_by_role("button", name="Cranking", exact=True).last.click()
    expect(page.locator("[data-test=crank-least]")).to_contain_text("9.3")
    expect(page.locator("[data-test=captures]")).to_contain_text("Charging began 0.5 s later")
    box = picture.bounding_box()
    assert box
    page.mouse.move(box["x"] + box["width"] * 0.3, box["y"] + 60)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.5, box["y"] + 60)
    page.mouse.up()
    expect(picture).not_to_have_attribute("aria-label", "Captured voltage from 0.000 to 6.000 seconds")
    page.locator("[data-test=whole]").click()
    expect(picture).to_have_attribute("aria-label", "Captured voltage from 0.000 to 6.000 seconds")


def test_what_comes_next_is_the_same_everywhere_and_begins_where_it_says(open_page: Callable[..., Page]) -> None:
    """A bank behind an isolator reads low: the path, the findings and the first line of the tests ask for that reading once more."""
    page = open_page(width=1280, height=800)
    job = job_with(page, "boat_isolator", shows="measure")
    best = page.locator("[data-test=best-test]")
    expect(best).to_contain_text("Next: regulated voltage, 6 min")
    best.click()
    page.locator("[data-test=run-clear]").click()
    volts = {"idle": "14.38", "idle_loaded": "14.36", "fast": "14.41", "fast_loaded": "14.40"}
    others = {"regulated_stud_v": "15.22", "other_regulated_v:house": "12.94", "sense_v:alternator": "14.40"}
    for point, value in ({f"regulated_v:{state}": v for state, v in volts.items()} | others).items():
        page.locator(f"[data-point='{point}'] input").fill(value)
    page.locator("[data-test=keep-run]").click()
    expect(page.locator("[data-run]")).to_have_count(0)
    again = "another reading of house battery, 2000 /min, loads off"
    expect(best).to_contain_text(f"Next: {again}")
    expect(page.locator("[data-stage=measure]")).to_contain_text(again)
    page.goto(f"/jobs/{job}/findings")
    expect(page.locator("[data-test=next]")).to_contain_text(
        "Read it again with another meter: house battery, 2000 /min, loads off"
    )
    page.locator("[data-test=next]").get_by_role("button", name="Read on").click()
    # The cautions have the focus first, and the key waits for the findings.
    expect(best).to_contain_text(f"Next: {again}")
    best.click()
    page.locator("[data-test=run-clear]").click()
    expect(page.locator("[data-point='other_regulated_v:house'] input")).to_be_focused()


@pytest.mark.long
def test_a_drop_that_is_read_next_is_at_hand_before_the_cautions_were_seen_and_after(open_page: Callable[..., Page]) -> None:
    page = open_page(width=1280, height=800)
    job = job_with(page, "front_battery", shows="measure")
    page.locator("[data-test=cautions-seen]").click()
    for point, value in (("charge_a:alternator", "70"), ("feed_v", "500")):
        page.locator(f"[data-walk='{point}'] input").fill(value)
    page.keyboard.press("Control+s")
    page.wait_for_url("**/findings")
    expect(page.locator("[data-test=next]")).to_contain_text("Read charge fuse.")
    page.locator("[data-test=next]").get_by_role("button", name="Read on").click()
    page.locator("[data-test=best-test]").click()
    expect(page.locator("[data-walk='drop_v:charge_fuse'] input")).to_be_focused()
    # For somebody else the fields wait for the tap: the test opens with cautions of its own, at that reading.
    other = open_page("mara", at=f"/jobs/{job}/measure")
    expect(other.locator("[data-test=cautions-seen]")).to_be_visible()
    expect(other.locator("[data-test=best-test]")).to_contain_text("Next: charge fuse")
    other.locator("[data-test=best-test]").click()
    other.locator("[data-run=charging_drops] [data-test=run-clear]").click()
    expect(other.locator("[data-run] [data-point='drop_v:charge_fuse'] input")).to_be_focused()
