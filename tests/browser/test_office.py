"""The list page by page, jobs done and put away, the log, customers: the shop's office in the browser."""

from __future__ import annotations

import io
import re
import uuid
import zipfile
from collections.abc import Callable
from typing import Any

import pytest
from playwright.sync_api import Page, Route, expect

from tests.browser.conftest import choose, job_with

WRITTEN_MS = 180_000
"""The queue writes it, behind whatever else waits there."""


def make_jobs(page: Page, count: int, mark: str, **details: Any) -> list[dict[str, Any]]:
    """Jobs as the page would make them."""
    api = page.context.request
    headers = {"X-CSRFToken": api.get("/api/session").json()["csrf_token"]}
    made = []
    for k in range(count):
        body = {
            "customer": {"name": f"Office of {mark}"},
            "vehicle": {"description": f"Cart {k}", "kind": "van", "system_voltage_v": 12},
            "complaint": f"{mark} {k}",
            **details,
        }
        answer = api.post("/api/jobs", data=body, headers=headers)
        assert answer.ok, answer.text()
        made.append(answer.json())
    return made


@pytest.mark.long
def test_a_long_list_comes_page_by_page_and_is_narrowed_and_left_as_it_was(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/")
    mark = f"m{uuid.uuid4().hex[:7]}"
    make_jobs(page, 52, mark)
    make_jobs(page, 1, mark, purposes=["isolate"])
    page.locator("input[name=search]").fill(mark)
    expect(page.locator("[data-test=count]")).to_have_text("50 of 53 jobs")
    expect(page.locator(".jobs li")).to_have_count(50)
    page.locator("[data-test=more]").click()
    expect(page.locator("[data-test=count]")).to_have_text("53 of 53 jobs")
    expect(page.locator("[data-test=more]")).to_have_count(0)
    numbers = page.locator(".jobs .number").all_inner_texts()
    assert len(set(numbers)) == 53
    page.locator("[data-test=narrow]").click()
    page.locator("[data-test=by-purpose]").click()
    page.get_by_role("option", name="Isolate").click()
    expect(page.locator("[data-test=count]")).to_have_text("1 of 1 jobs")
    page.locator(".jobs li a").click()
    page.wait_for_url("**/jobs/**")
    page.go_back()
    # The list is as it was left: the address holds it.
    expect(page.locator("[data-test=count]")).to_have_text("1 of 1 jobs")
    expect(page.locator("[data-test=by-purpose]")).to_contain_text("Isolate")
    page.locator("[data-test=clear-filters]").click()
    expect(page.locator("[data-test=count]")).to_have_text("53 of 53 jobs")


@pytest.mark.long
def test_a_job_whose_answer_was_lost_is_made_once(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/")
    mark = f"lost{uuid.uuid4().hex[:7]}"
    lost: list[int] = []

    def lose(route: Route) -> None:
        if route.request.method == "POST" and not lost:
            lost.append(route.fetch().status)
            route.abort()
        else:
            route.continue_()

    page.route("**/api/jobs", lose)
    page.locator("[data-test=new-job]").click()
    page.locator("input[name=customer]").fill(mark)
    page.locator("input[name=vehicle]").fill("Cart")
    page.locator("textarea[name=complaint]").fill(mark)
    page.locator("[data-test=save-job]").click()
    expect(page.get_by_text("The server does not answer")).to_be_visible()
    assert lost == [201]
    page.locator("[data-test=save-job]").click()
    page.wait_for_url("**/jobs/**")
    assert page.context.request.get(f"/api/jobs?search={mark}").json()["total"] == 1


def test_a_job_that_is_done_is_reopened_with_a_reason(open_page: Callable[..., Page]) -> None:
    page = open_page()
    mark = f"done{uuid.uuid4().hex[:7]}"
    (job,) = make_jobs(page, 1, mark)
    headers = {"X-CSRFToken": page.context.request.get("/api/session").json()["csrf_token"]}
    body = {
        "customer": {"name": mark}, "vehicle": {"description": "Cart", "kind": "van", "system_voltage_v": 12}, "complaint": mark,
        "state": "done", "lock": job["lock"],
    }  # fmt: skip
    assert page.context.request.put(f"/api/jobs/{job['id']}", data=body, headers=headers).ok
    page.goto(f"/jobs/{job['id']}/circuit")
    expect(page.locator("[data-test=closed]")).to_contain_text("It is done.")
    expect(page.locator("[data-test=details]")).to_have_count(0)
    page.locator("[data-test=reopen]").click()
    expect(page.locator("[data-test=reopen-now]")).to_be_disabled()
    page.locator("[data-test=reopen-reason] input").fill("The lamp is back")
    page.locator("[data-test=reopen-now]").click()
    expect(page.locator("[data-test=closed]")).to_have_count(0)
    expect(page.locator("[data-test=details]")).to_be_visible()


@pytest.mark.long
def test_a_lead_puts_a_job_into_the_basket_and_takes_it_back(open_page: Callable[..., Page]) -> None:
    page = open_page("mara")
    mark = f"bin{uuid.uuid4().hex[:7]}"
    make_jobs(page, 1, mark)
    page.goto(f"/?search={mark}")
    page.locator(".jobs li a").click()
    sure = page.locator("[data-test=basket-now]")
    choose(page.locator("[data-test=shelve]"), page.locator("[data-test=basket]"), sure)
    sure.click()
    expect(page.locator("[data-test=closed]")).to_contain_text("waste basket")
    page.goto(f"/?search={mark}")
    expect(page.get_by_text("No job matches")).to_be_visible()
    page.locator("[data-test=narrow]").click()
    page.locator("[data-test=by-shelf]").click()
    page.get_by_role("option", name="Waste basket").click()
    page.locator(".jobs li a").click()
    page.locator("[data-test=take-back]").click()
    expect(page.locator("[data-test=closed]")).to_have_count(0)
    tobin = open_page("tobin", at=f"/?search={mark}")
    tobin.locator(".jobs li a").click()
    expect(tobin.locator("[data-test=details]")).to_be_visible()
    expect(tobin.locator("[data-test=shelve]")).to_have_count(0)


def test_the_log_says_who_changed_what_and_is_written_out(open_page: Callable[..., Page]) -> None:
    page = open_page("mara")
    job_with(page, "front_battery")
    page.locator("[data-test=add-part]").click()
    page.locator("[data-add=load_on_a_lead]").click()
    page.locator("[data-test=save-circuit]").click()
    expect(page.locator("[data-test=circuit-saved]")).to_contain_text("revision 1")
    page.locator("[data-test=account]").click()
    page.locator("[data-test=to-log]").click()
    first = page.locator("[data-test=log] li").first
    expect(first).to_contain_text("changed circuit as found, revision 1")
    expect(first).to_contain_text("Load fuse stud")
    page.locator("input[name=log-search]").fill("added instrument")
    expect(page.locator("[data-test=log] li").first).to_contain_text("added instrument")
    with page.expect_download() as written:
        page.locator("[data-test=log-csv]").click()
    assert written.value.suggested_filename == "changes.csv"
    assert open_page("tobin", at="/").locator("[data-test=to-log]").count() == 0


@pytest.mark.long
def test_the_sheets_of_a_narrowed_list_are_fetched_where_long_work_is(open_page: Callable[..., Page]) -> None:
    page = open_page("tobin")
    mark = f"z{uuid.uuid4().hex[:7]}"
    ids = make_jobs(page, 3, mark)
    page.goto(f"/?search={mark}")
    expect(page.locator("[data-test=count]")).to_have_text("3 of 3 jobs")
    page.locator("[data-test=write-list]").click()
    page.locator("[data-file=bundle]").click()
    row = page.locator("[data-task=write_files]", has_text="of 3 jobs").first
    row.locator("[data-test=fetch]").wait_for(timeout=WRITTEN_MS)
    with page.expect_download() as written:
        row.locator("[data-test=fetch]").click()
    with zipfile.ZipFile(written.value.path()) as packed:
        bundles = {name: packed.read(name) for name in packed.namelist()}
    assert len(bundles) == len(ids) == 3
    # The same archive goes in again, beside something that is no bundle.
    again = io.BytesIO()
    with zipfile.ZipFile(again, "w") as packed:
        for name, data in {**bundles, "menu.json": b"{}"}.items():
            packed.writestr(name, data)
    page.goto("/")
    page.locator("[data-test=bundle-file]").set_input_files(
        {"name": f"{mark}.zip", "mimeType": "application/zip", "buffer": again.getvalue()}
    )
    came = page.locator("[data-task=import_archive]", has_text=mark)
    expect(came).to_contain_text("Taken in: ")
    expect(came).to_contain_text("menu.json: This is not a Mavrik job bundle")
    came.get_by_role("link").first.click()
    expect(page).to_have_url(re.compile(r"/jobs/\d+"))
    assert page.context.request.get(f"/api/jobs?search={mark}").json()["total"] == 6


def test_what_fails_says_why_and_what_waits_is_cancelled(open_page: Callable[..., Page]) -> None:
    page = open_page("mara")
    mark = f"y{uuid.uuid4().hex[:7]}"
    make_jobs(page, 1, mark)
    page.goto(f"/?search={mark}")
    page.locator("[data-test=write-list]").click()
    page.locator("[data-file='sheet.pdf']").click()
    row = page.locator("[data-task=write_files]", has_text="Sheet as PDF of 1 job").first
    expect(row).to_contain_text("There is nothing to write")
    # What the server does is slow to come: its page shows what it says, and asks it to stop.
    waiting = {
        **page.context.request.get("/api/tasks").json()["tasks"][0],
        "state": "running",
        "step": "3 of 9",
        "progress": 0.33,
    }
    requests: list[str] = []
    page.route("**/api/tasks", lambda route: route.fulfill(json={"tasks": [waiting]}))
    page.route("**/api/tasks/*/cancel", lambda route: (requests.append(route.request.method), route.fulfill(json=waiting)))
    page.reload()
    expect(page.locator("[data-test=working]")).to_have_text("1 running")
    expect(page.get_by_text("33 % · 3 of 9")).to_be_visible()
    page.locator("[data-test=cancel-task]").click()
    expect(page.locator("[data-test=cancel-task]")).to_be_enabled()
    assert requests == ["POST"]


def test_a_customer_is_written_out_and_erased(open_page: Callable[..., Page]) -> None:
    page = open_page("mara")
    mark = f"c{uuid.uuid4().hex[:7]}"
    make_jobs(page, 2, mark)
    page.goto("/customers")
    page.locator("input[name=customer-search]").fill(mark)
    row = page.locator(f"[data-customer='Office of {mark}']")
    expect(row).to_contain_text("2 jobs")
    # The list before the search has the row too, and moves once the narrowed one arrives.
    expect(page.locator("[data-customer]")).to_have_count(1)
    row.locator("[data-test=write-out]").click()
    fetch = page.locator("[data-task=write_files]", has_text="All that is kept of customer").first.locator("[data-test=fetch]")
    fetch.wait_for(timeout=WRITTEN_MS)
    with page.expect_download() as written:
        fetch.click()
    assert written.value.suggested_filename.startswith("customer-")
    page.go_back()
    page.locator("input[name=customer-search]").fill(mark)
    row.locator("[data-test=erase]").click()
    expect(page.locator("[data-test=erase-now]")).to_be_disabled()
    page.locator("[data-test=erase-name] input").fill(f"Office of {mark}")
    page.locator("[data-test=erase-now]").click()
    expect(page.get_by_text("No customer matches")).to_be_visible()
    assert page.context.request.get(f"/api/jobs?search={mark}").json()["total"] == 0
