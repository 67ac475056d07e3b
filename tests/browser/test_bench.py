"""The bench tests in the browser: by keyboard alone from zeroing to verdict, the clock that orders the load off, the causes."""

from __future__ import annotations

import contextlib
import re
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from playwright.sync_api import APIResponse, Error, Page, Route, expect

from mavrik.standin.bench import MeterServer
from tests.reference.test_waveform import CASES, RATE
from tests.standin import meters_on

SWEEPER = 2
"""The demo's street sweeper, with three tests made and a belt that slips."""


JUDGED_S = 60
"""A reading is judged by then on a machine that is busy, too."""


def sweeper(page: Page, stage: str) -> None:
    page.goto(f"/jobs/{SWEEPER}/{stage}")
    page.wait_for_selector("svg.loop")
    if stage == "measure":
        unfold(page)


def unfold(page: Page) -> None:
    """The whole list of tests: folded, it says only what tells most now."""
    button = page.locator("[data-test=all-tests]")
    if button.get_attribute("aria-expanded") == "false":
        button.click()


def open_test(page: Page, name: str) -> None:
    page.locator(f"[data-procedure={name}]").click()
    clear = page.locator("[data-test=run-clear]")
    expect(clear).to_be_focused()
    page.keyboard.press("Enter")


@pytest.mark.long
def test_the_loaded_output_test_by_keyboard_alone(open_page: Callable[..., Page]) -> None:
    page = open_page()
    sweeper(page, "measure")
    row = page.locator("[data-procedure=full_output]")
    row.wait_for()
    made = int(page.locator("[data-test=test-plan]").inner_text().split(" of ")[0].split()[-1])
    row.focus()
    page.keyboard.press("Enter")
    expect(page.locator("[data-test=run-clear]")).to_be_focused()
    page.keyboard.press("Enter")
    field = page.locator("[data-point='output_a:alternator'] input")
    expect(field).to_be_focused()
    page.keyboard.type("36,5")
    page.keyboard.press("Enter")
    expect(page.locator("[data-run]")).to_have_count(0)
    expect(row).to_contain_text("FAIL")
    expect(page.locator("[data-test=test-plan]")).to_contain_text(f"{made + 1} of")
    page.keyboard.press("3")
    expect(page.locator("[data-test=headline]")).to_contain_text("Alternator")
    causes = page.locator("[data-test=causes]")
    causes.locator("[data-cause] button").first.click()
    expect(causes.locator("table")).to_contain_text("output at 2000 /min")


def test_the_clock_orders_the_load_off(open_page: Callable[..., Page]) -> None:
    page = open_page(apart=True)
    sweeper(page, "measure")
    open_test(page, "full_output")
    page.clock.install()
    page.locator("[data-clock='2']").click()
    expect(page.locator("[data-test=clock]")).to_contain_text("s")
    page.clock.run_for(15_500)
    expect(page.locator("[data-test=clock]")).to_contain_text("LOAD OFF")
    page.get_by_role("button", name="Load is off").click()
    expect(page.locator("[data-test=clock]")).to_have_count(0)


def test_what_is_typed_in_a_test_comes_back_and_an_impossible_value_is_said_at_its_place(open_page: Callable[..., Page]) -> None:
    page = open_page()
    sweeper(page, "measure")
    open_test(page, "cranking")
    page.keyboard.type("99")
    page.locator("[data-test=close-run]").click()
    page.reload()
    page.wait_for_selector("svg.loop")
    unfold(page)
    page.locator("[data-procedure=cranking]").click()
    page.locator("[data-test=run-clear]").click()
    field = page.locator("[data-point=crank_v] input")
    expect(field).to_have_value("99")
    keep = page.locator("[data-test=keep-run]")
    keep.click()
    expect(page.locator("[data-point=crank_v]")).to_contain_text("cannot be on a 12 V system")
    field.fill("9.8")
    # What is said of it comes in its own time, and does not move what is about to be pressed.
    before = keep.bounding_box()
    page.wait_for_selector("[data-said=crank_v]")
    assert keep.bounding_box() == before
    keep.click()
    expect(page.locator("[data-run]")).to_have_count(0)
    expect(page.locator("[data-procedure=cranking]")).to_contain_text("pass")


def test_the_joints_of_a_feed_stand_in_the_test_once_its_stud_is_dead(open_page: Callable[..., Page]) -> None:
    page = open_page()
    sweeper(page, "measure")
    open_test(page, "key_on")
    joints = page.locator("[data-point^='key_way_v:']")
    page.locator("[data-point=key_battery_v] input").fill("12.6")
    stud = page.locator("[data-point='key_stud_v:alternator'] input")
    stud.fill("12.55")
    expect(page.locator("[data-said='key_stud_v:alternator']")).to_contain_text("whole")
    expect(joints).to_have_count(0)
    expect(page.locator("[data-test=keep-run]")).to_have_text("Keep 2 of 3")
    stud.fill("0.1")
    expect(joints).to_have_count(2)
    expect(page.locator("[data-test=keep-run]")).to_have_text("Keep 2 of 5")
    # What was read stays, whatever becomes of the stud.
    joints.first.locator("input").fill("0.2")
    stud.fill("12.55")
    expect(joints).to_have_count(1)


@pytest.mark.long
def test_probes_are_shown_on_the_loop_and_a_test_is_skipped_with_a_reason(open_page: Callable[..., Page]) -> None:
    page = open_page()
    sweeper(page, "measure")
    open_test(page, "charging_drops")
    page.locator("[data-point='drop_v:charge_cable'] input").focus()
    expect(page.locator("[data-run] .probes")).to_contain_text("Alternator stud")
    expect(page.locator("[data-run] svg.loop .probe")).to_have_count(2)
    # Where they go in words that can be read, and no other words of the circuit.
    expect(page.locator("[data-run] svg.loop .probe-place")).to_have_text(["Alternator stud", "Fuse stud"])
    expect(page.locator("[data-run] svg.loop .label")).to_have_count(0)
    # Down a long list they stay in view, and so does what was just typed.
    page.locator("[data-point='drop_v:mount'] input").focus()
    expect(page.locator("[data-run] .probes")).to_contain_text("Engine block")
    expect(page.locator("[data-run] .probes")).to_be_in_viewport()
    expect(page.locator("[data-point='drop_v:mount'] input")).to_be_in_viewport()
    page.locator("[data-test=skip-run]").click()
    page.locator("[data-test=skip-reason] input").fill("customer waiting")
    page.get_by_role("button", name="Skip", exact=True).click()
    expect(page.locator("[data-procedure=charging_drops]")).to_contain_text("skipped")


def sideways(page: Page) -> int:
    """How far the running test reaches beyond the right edge [px]; it is a sheet over the page, which does not grow with it."""
    return int(page.locator("[data-run]").evaluate("sheet => Math.max(sheet.scrollWidth, sheet.clientWidth) - window.innerWidth"))


@pytest.mark.long
def test_a_phone_takes_the_whole_test(open_page: Callable[..., Page]) -> None:
    page = open_page(width=390, height=844)
    sweeper(page, "measure")
    page.locator("[data-procedure=visual]").click()
    page.locator("[data-test=run-clear]").click()
    keep = page.locator("[data-test=keep-run]")
    before = keep.bounding_box()
    page.get_by_role("button", name="no", exact=True).click()
    page.wait_for_selector("[data-run] [data-said]")
    assert sideways(page) <= 0 and (keep.bounding_box() or {})["y"] == (before or {})["y"]
    page.locator("[data-test=keep-run]").click()
    expect(page.locator("[data-procedure=visual]")).to_contain_text("FAIL")


@pytest.fixture
def meters() -> Iterator[dict[str, MeterServer]]:
    with meters_on("belt_slips:alternator") as servers:
        yield servers


def connect(page: Page, instrument: str, address: str) -> None:
    page.goto("/instruments")
    page.locator(f"[data-instrument={instrument}]").click()
    page.locator("input[name=address]").fill(address)
    page.locator("[data-test=save-address]").click()
    expect(page.locator(f"[data-instrument={instrument}]")).to_contain_text(address)


def test_a_connected_clamp_is_read_taken_and_lost(open_page: Callable[..., Page], meters: dict[str, MeterServer]) -> None:
    connect(open_page("mara"), "clamp_1", meters["clamp"].address)
    page = open_page()
    sweeper(page, "measure")
    open_test(page, "full_output")
    live = page.locator("[data-test=live]")
    expect(live).to_contain_text("at rest")
    shown = float(live.locator("b").inner_text().split()[0])
    page.keyboard.press("Control+Enter")
    field = page.locator("[data-point='output_a:alternator'] input")
    expect(field).not_to_have_value("")
    assert abs(float(field.input_value()) - shown) < 0.5
    meters["clamp"].unplugged.set()
    expect(live).to_contain_text("is lost")
    # Typed entry goes on, and what was measured is still there.
    assert abs(float(field.input_value()) - shown) < 0.5
    before = judged_a(page)
    page.locator("[data-test=keep-run]").click()
    expect(page.locator("[data-run]")).to_have_count(0)
    # What is judged is what the clamp showed, whatever was read here before.
    until = time.monotonic() + JUDGED_S
    while (judged := judged_a(page)) in ([], before):
        assert time.monotonic() < until, "it is not judged"
        page.wait_for_timeout(200)
    assert judged == [pytest.approx(shown, abs=0.5)]


def judged_a(page: Page) -> list[float]:
    """What the loaded output of the sweeper was judged by, as far as it was."""
    answer = page.context.request.get(f"/api/jobs/{SWEEPER}/findings").json()
    tests = (answer.get("findings") or {"tests": []})["tests"]
    return [j["value"] for t in tests if t["procedure"] == "full_output" for j in t["judgements"]]


def test_a_serial_port_of_the_machine_is_chosen_not_typed(open_page: Callable[..., Page]) -> None:
    page = open_page("mara")
    ports = {"ports": [{"device": "/dev/ttyUSB7", "words": "Bench meter"}]}
    page.route("**/api/instruments/ports", lambda route: route.fulfill(json=ports))
    page.goto("/instruments")
    page.locator("[data-instrument=dmm_1]").click()
    page.locator("[data-test=serial-port]").click()
    expect(page.locator("input[name=address]")).to_have_value("serial:/dev/ttyUSB7@9600")
    page.locator("[data-test=save-address]").click()
    expect(page.get_by_text("/dev/ttyUSB7 is no serial port of this machine").first).to_be_visible()


def test_only_a_lead_is_offered_an_address(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/instruments")
    page.locator("[data-instrument=dmm_1]").click()
    expect(page.locator("[data-test=save-instrument]")).to_be_visible()
    expect(page.locator("input[name=address]")).to_have_count(0)


def test_ripple_is_taken_from_a_capture(open_page: Callable[..., Page], tmp_path: Path) -> None:
    """A file from the oscilloscope: seen, asked, measured as the reading; the note says where it comes from."""
    volts = 14.1 + 0.12 * (CASES["lower diode open"][0] - 1.65)
    path = tmp_path / "stud.csv"
    path.write_text("Time (s),Stud (V)\n" + "".join(f"{k / RATE:.6f},{v:.4f}\n" for k, v in enumerate(volts)))
    page = open_page()
    sweeper(page, "measure")
    open_test(page, "ripple")
    page.locator("[data-test=capture-ripple]").click()
    page.locator("[data-test=capture-file]").set_input_files(path)
    expect(page.locator("[data-test=pulses]")).to_contain_text("a diode is open or shorted")
    expect(page.locator("[data-test=capture-plot]").first).to_be_visible()
    seen = page.locator("[data-test=ripple-vpp]").inner_text().split()[0]
    page.locator("[data-test=take-capture]").click()
    field = page.locator("[data-point='ripple_vpp:alternator'] input")
    expect(field).not_to_have_value("")
    # The field has the digits that the dialog rounds.
    assert float(field.input_value()) == pytest.approx(float(seen), abs=0.0006)
    expect(page.locator("[data-run]").get_by_label("Note")).to_have_value(re.compile("stud.csv"))


@pytest.mark.long
def test_ripple_is_captured_by_a_connected_oscilloscope(open_page: Callable[..., Page], meters: dict[str, MeterServer]) -> None:
    """From the reading's own button to the value in its field, without a file."""
    connect(open_page("mara"), "scope", meters["oscilloscope"].address)
    page = open_page()
    sweeper(page, "measure")
    open_test(page, "ripple")
    page.locator("[data-test=capture-ripple]").click()
    expect(page.locator("[data-test=fetch-cranking]")).to_have_count(0)
    page.locator("[data-test=fetch-ripple]").click()
    expect(page.locator("[data-test=pulses]")).to_contain_text("even pulses")
    seen = page.locator("[data-test=ripple-vpp]").inner_text().split()[0]
    page.locator("[data-test=take-capture]").click()
    field = page.locator("[data-point='ripple_vpp:alternator'] input")
    expect(field).not_to_have_value("")
    # The field has the digits that the dialog rounds.
    assert float(field.input_value()) == pytest.approx(float(seen), abs=0.0006)
    expect(page.locator("[data-run]").get_by_label("Note")).to_have_value(re.compile("from the capture"))


@pytest.mark.long
def test_an_idle_soak_is_logged_by_itself(open_page: Callable[..., Page], meters: dict[str, MeterServer]) -> None:
    """Half an hour in a few seconds: each field fills when it is due, and what was typed stays."""
    connect(open_page("mara"), "dmm_1", meters["multimeter"].address)
    page = open_page(apart=True)
    page.clock.install()
    sweeper(page, "measure")
    if not page.locator("[data-procedure=idle_soak]").count():
        page.locator("[data-test=more-tests]").click()
    open_test(page, "idle_soak")
    field = "[data-point='soak_v:{}'] input".format
    expect(page.locator("[data-test=live]")).to_contain_text("V")
    page.locator(field(5)).fill("13.11")
    page.locator("[data-clock]").click()
    page.locator(field(0)).focus()
    expect(page.locator("[data-test=logging]")).to_be_visible()
    expect(page.locator(field(0))).not_to_have_value("")
    for minutes in (5, 10):
        page.clock.fast_forward(5 * 60 * 1000)
        expect(page.locator(field(minutes))).not_to_have_value("", timeout=15_000)
    expect(page.locator(field(5))).to_have_value("13.11")
    expect(page.locator(field(15))).to_have_value("")


@pytest.mark.long
def test_a_meter_on_hold_is_said_to_be(open_page: Callable[..., Page], meters: dict[str, MeterServer]) -> None:
    connect(open_page("mara"), "clamp_1", meters["clamp"].address)
    meters["clamp"].hold.set()
    page = open_page()
    sweeper(page, "measure")
    open_test(page, "full_output")
    expect(page.locator("[data-test=held]")).to_contain_text("on hold", timeout=20_000)
    # The value large enough for the bonnet fits a phone as well.
    page.set_viewport_size({"width": 390, "height": 844})
    expect(page.locator("[data-test=live]")).to_be_visible()
    assert sideways(page) <= 0


def test_a_file_that_is_no_capture_is_said_to_be_none(open_page: Callable[..., Page], tmp_path: Path) -> None:
    path = tmp_path / "holiday.jpg"
    path.write_bytes(b"\xff\xd8\xff\xe0" + bytes(range(256)) * 40)
    page = open_page()
    sweeper(page, "measure")
    # The list of what is there leaves the server before the file arrives, and is slower than that.
    late: list[tuple[Route, APIResponse]] = []

    def hold(route: Route) -> None:
        if route.request.method == "GET" and not late:
            late.append((route, route.fetch()))
        else:
            route.continue_()

    page.route("**/captures", hold)
    page.locator("[data-test=open-captures]").click()
    with page.expect_response(lambda r: r.request.method == "POST" and "/captures" in r.url):
        page.locator("[data-test=capture-file]").set_input_files(path)
    for route, answer in late:
        with contextlib.suppress(Error):  # nobody waits for it any more
            route.fulfill(response=answer)
    expect(page.locator("[data-test=capture-problem]")).to_contain_text("not read")
