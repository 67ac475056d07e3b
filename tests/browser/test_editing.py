"""Editing a circuit, finding jobs, units and instruments of the measuring stage."""

from __future__ import annotations

import re
from collections.abc import Callable

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import choose, job_with


@pytest.mark.long
def test_a_branch_is_added_and_taken_out_again(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/jobs/2/circuit")
    page.locator("g[data-branch=charge_cable]").click()
    page.locator("[data-test=insert]").click()
    page.get_by_role("option", name="Connector").or_(page.get_by_text("Connector", exact=True)).first.click()
    expect(page.locator("g.branch")).to_have_count(8)
    expect(page.locator("[data-editor=connector]")).to_be_visible()
    expect(page.locator("g[data-branch=connector]")).to_contain_text("New connector")
    page.locator("[data-test=remove]").click()
    expect(page.locator("g.branch")).to_have_count(7)


@pytest.mark.long
def test_a_second_ground_beside_the_first_gets_a_lane(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/jobs/6/circuit")
    page.locator("g[data-branch=engine_strap]").click()
    page.get_by_role("button", name="Add beside this").click()
    expect(page.locator("g[data-branch=engine_strap_2]")).to_contain_text("Engine strap 2")
    # Two equal straps share the current: each loses half.
    expect(page.locator("[data-editor=engine_strap_2]")).to_be_visible()
    expect(page.locator("[data-test=save-circuit]")).to_be_enabled()


@pytest.mark.long
def test_a_fuse_of_another_family_takes_a_rating_it_is_made_in(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/jobs/2/circuit")
    page.locator("g[data-branch=charge_fuse]").click()
    editor = page.locator("[data-editor=charge_fuse]")
    editor.locator(".v-select").filter(has_text="Family").click()
    page.get_by_role("option", name="Marine ANL").click()
    expect(page.locator("g[data-branch=charge_fuse]")).to_contain_text("130 A")  # ANL is not made for 125 A
    expect(editor).to_contain_text("breaks 6000 A")


def test_an_open_switch_is_said_at_once_and_may_be_saved(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/jobs/8/circuit")
    page.locator("g[data-branch=charge_cable]").click()
    page.locator("[data-test=insert]").click()
    page.get_by_text("Switch", exact=True).last.click()
    expect(page.locator("[data-editor=switch]")).to_be_visible()
    page.locator("[data-editor=switch] input[type=checkbox]").click()
    expect(page.locator("[data-finding=cannot_charge]").first).to_contain_text("cannot charge")
    expect(page.locator("[data-test=save-circuit]")).to_be_enabled()
    page.locator("[data-editor=switch] input[type=checkbox]").click()
    expect(page.locator("[data-finding=cannot_charge]")).to_have_count(0)


@pytest.mark.long
def test_lengths_are_shown_and_taken_in_feet(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/jobs/2/circuit")
    page.evaluate("localStorage.setItem('mavrik-length', 'ft')")
    page.reload()
    page.locator("g[data-branch=charge_cable]").click()
    field = page.locator(".number[data-field=length_m] input")
    expect(field).to_have_value("3.937007874")  # 1.2 m
    field.fill("10")
    expect(page.locator("g[data-branch=charge_cable]")).to_contain_text("3.048 m")
    field.fill("200")
    expect(page.locator(".number[data-field=length_m]")).to_contain_text("At most")


def test_jobs_are_searched_and_filtered(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/")
    page.wait_for_selector("[data-job]")
    page.keyboard.press("/")
    page.wait_for_selector("input[name=search]:focus")
    page.keyboard.type("plough")
    # Other tests may have taken the job in once more: every row that is left is of the plough, and its own is there.
    expect(page.locator("[data-job]").filter(has_not_text=re.compile("plough", re.IGNORECASE))).to_have_count(0)
    expect(page.locator("[data-job='26-0007']")).to_contain_text("Borough of Tallowmere, winter service")
    page.locator("input[name=search]").fill("no such thing")
    expect(page.locator("text=No job matches")).to_be_visible()
    page.locator("input[name=search]").fill("")
    page.get_by_role("button", name="Done", exact=True).click()
    expect(page.locator("[data-job]").first).to_contain_text("Tallowmere Library Service")


@pytest.mark.long(but=1)
@pytest.mark.parametrize(
    ("typed", "words"), [("0,082v", ""), ("82", ""), ("82000", "cannot be on a 12 V system"), ("eighty", "is not a number")]
)
def test_a_drop_is_taken_in_millivolts_or_volts(open_page: Callable[..., Page], typed: str, words: str) -> None:
    page = open_page(at="/jobs/2/measure")
    page.locator("[data-test=cautions-seen]").click()
    page.locator(".number[data-walk='charge_a:alternator'] input").fill("70")
    field = page.locator(".number[data-walk='drop_v:charge_cable']")
    field.locator("input").fill(typed)
    if words:
        expect(field).to_contain_text(words)
    else:
        expect(page.locator("g[data-branch=charge_cable]")).to_contain_text("82 mV")


@pytest.mark.long
def test_readings_typed_and_not_saved_come_back(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/jobs/2/measure")
    page.locator("[data-test=cautions-seen]").click()
    page.locator(".number[data-walk='charge_a:alternator'] input").fill("70")
    page.locator(".number[data-walk='drop_v:mount'] input").fill("19")
    expect(page.locator("g[data-branch=mount]")).to_contain_text("19 mV")
    page.reload()
    expect(page.locator(".number[data-walk='drop_v:mount'] input")).to_have_value("19")
    expect(page.locator("[role=status]").first).to_contain_text("not saved is back")


@pytest.mark.long
def test_a_clamp_reading_settles_the_split(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/jobs/14/measure")
    page.locator("[data-test=reopen]").click()
    page.locator("[data-test=reopen-reason] input").fill("one lead was not clamped")
    page.locator("[data-test=reopen-now]").click()
    page.locator("[data-test=cautions-seen]").click()
    page.locator(".number[data-walk='branch_a:block_ground'] input").fill("20")
    page.locator("[data-test=save-test]").click()
    page.wait_for_url("**/findings")
    page.locator("[data-view=branches]").click()
    page.locator("tr[data-row=block_ground]").click()
    expect(page.locator("[data-test=picked]")).to_contain_text("20.0 A, from the clamp on this lead")


def test_a_hopeless_target_says_why(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/jobs/3/plan")
    page.wait_for_selector("[data-test=comparison]")
    page.locator(".number[data-test=target] input").fill("900")
    expect(page.locator(".notice")).to_contain_text("Nothing up to 2 x 120 mm2 will do for 900 A")
    expect(page.locator("[data-test=keep-plan]")).to_be_disabled()
    page.locator(".number[data-test=target] input").fill("-5")
    expect(page.locator(".number[data-test=target]")).to_contain_text("More than 0 A")


@pytest.mark.long
def test_a_unit_s_output_is_fitted_to_two_points_and_used(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job = job_with(page, "front_battery")
    page.locator("[data-test^=curve-]").first.click()
    curve = page.locator("[data-test=output-curve]")
    how = curve.locator("[data-test=output-how]")
    choose(how, page.get_by_role("option", name="fitted"), curve.locator("[data-test=add-point]"))
    curve.locator("[data-test=two-points]").click()

    def fill(name: str, value: str) -> None:
        page.locator(f"[data-test={name}] input, input[data-test={name}]").first.fill(value)

    rated = page.locator("[data-test=output-1] input, input[data-test=output-1]").first.input_value()
    low = f"{float(rated) * 0.42:.0f}"
    fill("output-0", low)
    expect(curve.locator("[data-test=output-says]")).to_contain_text("Begins at")
    fill("output-1", "20")
    expect(curve.locator("[data-finding=not_its_rating]")).to_be_visible()
    fill("output-1", rated)
    expect(curve.locator("[data-finding]")).to_have_count(0)
    curve.locator("[data-test=take-curve]").click()
    expect(curve.locator("[data-test=take-curve]")).to_be_disabled()
    # What is typed and not yet used comes back with the page; the circuit itself is a draft as ever.
    other = f"{float(low) + 2:.0f}"
    fill("output-0", other)
    page.reload()
    page.locator("[data-test^=curve-]").first.click()
    expect(page.locator("[data-test=output-0] input, input[data-test=output-0]").first).to_have_value(other)
    page.locator("[data-test=take-curve]").click()
    page.locator("[data-test=save-circuit]").click()
    expect(page.locator("[data-test=circuit-saved]")).to_be_visible()
    unit = page.context.request.get(f"/api/jobs/{job}").json()["circuits"][-1]["document"]["alternators"][0]
    assert unit["curve_basis"]["how"] == "fitted" and [k["output_a"] for k in unit["curve_basis"]["known"]] == [
        float(other),
        float(rated),
    ]
    assert len(unit["curve"]) > 5


@pytest.mark.long
def test_what_a_consumer_is_says_where_it_belongs(open_page: Callable[..., Page]) -> None:
    page = open_page()
    job = job_with(page, "front_battery")
    api = page.context.request
    headers = {"X-CSRFToken": api.get("/api/session").json()["csrf_token"]}
    record = api.get(f"/api/jobs/{job}").json()["circuits"][-1]
    posts = record["document"]["batteries"][0]
    load = {
        "id": "coils",
        "label": "Coils",
        "current_a": 6,
        "from_node": posts["positive_node"],
        "to_node": posts["negative_node"],
    }
    record["document"]["loads"] = [load]
    # Away from the block by two leads.
    record["document"]["loads"][0]["to_node"] = record["document"]["alternators"][0]["stud_node"]
    saved = api.put(f"/api/jobs/{job}/circuit", data={"document": record["document"], "lock": record["lock"]}, headers=headers)
    assert saved.ok, saved.text()
    page.goto(f"/jobs/{job}/circuit")
    expect(page.locator("[data-load-editor=coils]")).to_be_visible()
    expect(page.locator("[data-finding^=not_at_the_head]")).to_have_count(0)
    shown = page.locator("[data-finding^=not_at_the_head]")
    choose(page.locator("[data-test=role-coils]"), page.get_by_role("option", name="ignition coils"), shown)
    expect(shown).to_contain_text("belongs to the cylinder head")
