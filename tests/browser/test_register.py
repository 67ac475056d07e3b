"""The register of instruments, accounts and one's own password in the browser."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from playwright.sync_api import Page, expect

from mavrik.jobs.demo import DEMO_PASSWORD
from tests.browser.conftest import choose, sign_in


def fill_meter(page: Page, label: str, percent: str, digits: str, resolution: str) -> None:
    page.locator("input[name=label]").fill(label)
    for field, value in (("percent", percent), ("digits", digits), ("resolution", resolution)):
        page.locator(f".number[data-field={field}] input").fill(value)


def test_a_new_meter_is_registered_and_chosen_for_a_test(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/")
    page.get_by_role("link", name="Instruments").click()
    expect(page.locator("[data-instrument=dmm_2]")).to_contain_text("overdue since")
    page.locator("[data-test=new-instrument]").click()
    page.locator("[data-test=save-instrument]").click()
    expect(page.locator("[data-test=instrument-form]")).to_contain_text("Needed here")
    fill_meter(page, "Lab meter", "0,05", "2", "0.0001")
    page.locator("[data-test=save-instrument]").click()
    # 0.05 % of 100 mV and 0.2 mV are 0.25 mV; times 2 over root 3 makes 0.29 mV.
    expect(page.locator("[data-instrument=lab_meter]")).to_contain_text("100 mV ± 0.29 mV")
    page.goto("/jobs/7/measure")
    page.locator("[data-test=cautions-seen]").click()
    page.locator("[data-test=conditions-more]").click()
    page.locator(".v-select").filter(has_text="Voltmeter").click()
    page.get_by_role("option", name="Van multimeter").click()
    expect(page.locator(".due")).to_contain_text("Calibration overdue: Van multimeter")
    page.locator(".v-select").filter(has_text="Voltmeter").click()
    page.get_by_role("option", name="Lab meter").click()
    expect(page.locator(".due")).to_have_count(0)


def test_a_meter_half_entered_comes_back_after_a_reload(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/instruments")
    page.locator("[data-test=new-instrument]").click()
    fill_meter(page, "Half a meter", "1", "ten", "0.01")
    expect(page.locator(".number[data-field=digits]")).to_contain_text("is not a number")
    page.reload()
    expect(page.locator("input[name=label]")).to_have_value("Half a meter")
    expect(page.locator(".number[data-field=percent] input")).to_have_value("1")


def test_two_people_on_one_meter_keep_both(open_page: Callable[..., Page]) -> None:
    first, second = open_page("tobin"), open_page("mara")
    for page, percent in ((first, "2.5"), (second, "3")):
        page.goto("/instruments")
        page.locator("[data-instrument=clamp_1]").click()
        page.locator(".number[data-field=percent] input").fill(percent)
    first.locator("[data-test=save-instrument]").click()
    expect(first.locator("[data-instrument=clamp_1]")).to_contain_text("2.5 %")
    second.locator("[data-test=save-instrument]").click()
    expect(second.locator("[role=alertdialog]")).to_contain_text("Somebody else saved this instrument")
    second.locator("[data-test=keep-both]").click()
    expect(second.locator("[data-instrument=dc_clamp_400_a_mine]")).to_contain_text("3 %")
    expect(second.locator("[data-instrument=clamp_1]")).to_contain_text("2.5 %")
    second.locator("[data-instrument=dc_clamp_400_a_mine]").click()
    second.locator("[data-test=remove-instrument]").click()
    expect(second.locator("[data-instrument=dc_clamp_400_a_mine]")).to_have_count(0)


def test_an_account_is_closed_and_its_sessions_end(open_page: Callable[..., Page]) -> None:
    lead = open_page("mara", at="/people")
    lead.locator("input[name=person-name]").fill("Sorrel Dunmoor")
    lead.locator("input[name=person-login]").fill("sorrel")
    lead.locator("input[name=person-password]").fill(DEMO_PASSWORD)
    lead.locator("[data-test=save-person]").click()
    expect(lead.locator("[data-person=sorrel]")).to_contain_text("technician")
    hand = open_page("sorrel", at="/")
    hand.wait_for_selector("[data-job]")
    lead.locator("[data-test=change-sorrel]").click()
    lead.locator("[data-test=person-active] input").click()
    lead.locator("[data-test=save-person]").click()
    expect(lead.locator("[data-person=sorrel]")).to_contain_text("closed")
    hand.goto("/jobs/1/findings")
    hand.wait_for_url("**/sign-in**")
    lead.locator("[data-test=change-mara]").click()
    lead.locator("[data-test=person-active] input").click()
    lead.locator("[data-test=save-person]").click()
    expect(lead.locator("[data-test=person-form]")).to_contain_text("This is the only lead")


@pytest.mark.long
def test_ones_own_password_is_changed_and_changed_back(open_page: Callable[..., Page]) -> None:
    page = open_page("ines", at="/")

    def change(old: str, new: str, again: str | None = None) -> None:
        form = page.locator("[data-test=password-form]")
        choose(page.locator("[data-test=account]"), page.locator("[data-test=change-password]"), form)
        for name, value in (
            ("old-password", old),
            ("new-password", new),
            ("new-password-again", new if again is None else again),
        ):
            page.locator(f"input[name={name}]").fill(value)
        page.locator("[data-test=save-password]").click()

    change(DEMO_PASSWORD, "another-password", "another-pasword")
    form = page.locator("[data-test=password-form]")
    expect(form).to_contain_text("The two differ")
    page.locator("input[name=old-password]").fill("not my password")
    page.locator("input[name=new-password-again]").fill("another-password")
    page.locator("[data-test=save-password]").click()
    expect(form).to_contain_text("Current password is incorrect")
    page.locator("input[name=old-password]").fill(DEMO_PASSWORD)
    page.locator("[data-test=save-password]").click()
    expect(form).to_have_count(0)
    change("another-password", DEMO_PASSWORD)
    expect(form).to_have_count(0)
    page.reload()
    expect(page.locator("[data-job]").first).to_be_visible()


@pytest.mark.long
def test_a_tablet_left_behind_is_signed_out_from_here(open_page: Callable[..., Page]) -> None:
    here = open_page("ines", at="/")
    tablet = open_page(None, apart=True)
    sign_in(tablet, "ines")
    listed = here.locator("[data-test=sign-in-list] li")
    this_one = listed.filter(has_text="this one")
    choose(here.locator("[data-test=account]"), here.locator("[data-test=sign-ins]"), this_one)
    expect(this_one).to_have_count(1)
    before = listed.count()
    assert before >= 2
    # The newest stands first.
    listed.first.locator("[data-test=end-sign-in]").click()
    expect(listed).to_have_count(before - 1)
    tablet.goto("/jobs/1/findings")
    tablet.wait_for_url("**/sign-in**")
    here.reload()
    expect(here.locator("[data-job]").first).to_be_visible()
