"""Trying a state: the loop and the staircase follow the speed, the loads, the switches and a dead short."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import job_with


def test_the_speed_moves_the_alternator_from_its_limit_to_regulating(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "competition_car")
    page.locator("[data-test=try-state]").click()
    alternator = page.locator("[data-device=alternator]")
    expect(alternator).to_contain_text("regulating")
    page.locator("[data-test=state-engine_rpm] [role=slider]").press("Home")
    expect(alternator).to_contain_text("off")
    expect(page.locator("[data-device=battery]")).to_contain_text("discharging")
    expect(page.locator("g[data-branch=charge_fuse]")).to_contain_text("18.0 A")
    page.locator("[data-load=ignition]").click()
    expect(page.locator("[data-device=battery]")).not_to_contain_text("18.0")
    page.locator("[data-test=close-state]").click()
    expect(page.locator("g[data-branch=long_feed]")).not_to_contain_text("0.0 A")


def test_an_open_cut_off_leaves_the_car_alive_and_says_so(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "competition_car")
    page.keyboard.press("t")
    page.locator("[data-contact=cut_off]").click()
    expect(page.locator("g[data-branch=cut_off]")).to_contain_text("open")
    expect(page.locator("[data-device=alternator]")).to_contain_text("18.0")
    expect(page.locator("[data-device=ignition]")).to_contain_text("on")


def test_a_dead_short_shows_what_the_battery_feeds(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "front_battery")
    page.locator("[data-test=try-state]").click()
    page.locator("[data-test=state-fault]").click()
    page.get_by_role("option", name="Fuse stud").click()
    expect(page.locator("[data-device=fault]")).to_contain_text("−1")
    expect(page.locator("[data-test=state-volts] tbody tr").first).to_be_visible()


@pytest.mark.long(but=1)
@pytest.mark.parametrize("layout", ["house_bank_diagonal", "tow_and_trailer", "boat_isolator", "second_battery_converter"])
def test_every_branch_of_a_large_circuit_is_drawn_and_judged(open_page: Callable[..., Page], layout: str) -> None:
    page = open_page()
    job_with(page, layout)
    drawn = page.locator("g.branch").count()
    assert (
        drawn == {"house_bank_diagonal": 20, "tow_and_trailer": 16, "boat_isolator": 11, "second_battery_converter": 11}[layout]
    )
    expect(page.locator("[data-test=circuit-saved]")).to_contain_text("revision 1")
    assert page.evaluate("document.documentElement.scrollWidth - window.innerWidth") <= 0


@pytest.mark.long
@pytest.mark.parametrize(
    ("what", "drawn", "device"), [("battery_converter", "feed_cable", "converter"), ("load_on_a_lead", "load_feed", "load")]
)
def test_a_part_is_added_with_all_that_it_needs(open_page: Callable[..., Page], what: str, drawn: str, device: str) -> None:
    page = open_page()
    job_with(page, "front_battery")
    page.locator("[data-test=add-part]").click()
    page.locator(f"[data-add={what}]").click()
    expect(page.locator(f"g[data-branch={drawn}]")).to_be_visible()
    page.locator("[data-test=save-circuit]").click()
    expect(page.locator("[data-test=circuit-saved]")).to_contain_text("revision 1")
    page.locator("[data-test=try-state]").click()
    expect(page.locator(f"[data-device={device}]").first).to_be_visible()


WATCH = """() => {
  window.seen = new Set()
  const look = () => {
    const button = document.querySelector('[data-test=try-state]')
    window.seen.add(button ? Math.round(button.getBoundingClientRect().y) : 'gone')
    window.watching = requestAnimationFrame(look)
  }
  look()
}"""


def test_saving_does_not_draw_the_circuit_with_what_was_found_of_the_one_before(open_page: Callable[..., Page]) -> None:
    """The ring of the circuit with a converter takes the whole width: with the picture before it, all below would jump."""
    page = open_page()
    job = job_with(page, "front_battery")
    page.locator("[data-test=add-part]").click()
    page.locator("[data-add=battery_converter]").click()
    expect(page.locator("g[data-branch=feed_cable]")).to_be_visible()
    page.evaluate(WATCH)
    with page.expect_response(lambda answer: answer.url.endswith(f"/api/jobs/{job}/findings")) as answered:
        page.locator("[data-test=save-circuit]").click()
    answered.value.finished()
    expect(page.locator("[data-test=circuit-saved]")).to_contain_text("revision 1")
    expect(page.locator("[data-test=save-circuit]")).to_be_disabled()
    assert len(page.evaluate("[...window.seen]")) == 1


@pytest.mark.long
def test_a_job_that_cannot_be_asked_for_anew_stays_on_the_screen(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job = job_with(page, "front_battery")
    page.locator("[data-test=try-state]").click()
    expect(page.locator("[data-device=alternator]")).to_be_visible()
    page.locator("[data-test=add-part]").click()
    page.locator("[data-add=load_on_a_lead]").click()
    page.route(
        f"**/api/jobs/{job}", lambda route: route.fulfill(status=500, json={"title": "Broken", "status": 500, "detail": "No."})
    )
    page.locator("[data-test=save-circuit]").click()
    expect(page.get_by_text("Broken")).to_be_visible()
    expect(page.locator("[data-device=alternator]")).to_be_visible()
    expect(page.locator("g[data-branch=load_feed]")).to_be_visible()


@pytest.mark.long
def test_a_fault_is_told_from_first_moment_to_last(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "front_battery")
    page.keyboard.press("t")
    page.locator("[data-test=state-engine_rpm] [role=slider]").press("Home")
    page.locator("[data-test=state-fault]").click()
    page.get_by_role("option", name="Alternator stud").click()
    course = page.locator("[data-test=fault-course]")
    expect(course).to_contain_text("the fault is cleared")
    expect(course).to_contain_text("Charge fuse (125 A) sees")
    expect(page.locator("[data-test=state-gains]")).to_have_count(0)


@pytest.mark.long
def test_what_better_parts_would_gain_at_a_place(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "tow_and_trailer")
    page.keyboard.press("t")
    page.locator("[data-test=state-watch]").click()
    # The list draws only what is in sight; typing goes to the entry.
    page.get_by_role("option").first.wait_for()
    page.keyboard.type("charger in")
    page.keyboard.press("Enter")
    gains = page.locator("[data-test=state-gains]")
    expect(gains.locator("caption")).to_contain_text("Charger input")
    expect(gains.locator("tbody tr").first).to_contain_text("mm²")


def test_every_fuse_is_asked_and_a_wrong_one_comes_first(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job_with(page, "parallel_batteries")
    page.keyboard.press("f")
    panel = page.locator("[data-test=protection-panel]")
    expect(panel.locator("[data-protector]")).to_have_count(3)
    expect(panel).not_to_contain_text("WRONG")
    panel.locator("[data-protector=link_fuse] button").click()
    page.locator("[data-editor=link_fuse]").get_by_label("Family").locator("..").click()
    page.get_by_role("option", name="Blade, type E").click()
    expect(panel.locator("[data-protector]").first).to_contain_text("WRONG")
    expect(panel.locator("[data-protector]").first).to_contain_text("breaks up to 1000 A")
