"""Bad input, two people, a server or database that goes away, small screens: nothing typed is lost."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from playwright.sync_api import Page, Route, expect
from sqlalchemy import create_engine, make_url, text


def edit_length(page: Page, job: int, value: str) -> None:
    page.goto(f"/jobs/{job}/circuit")
    page.locator("g[data-branch=charge_cable]").click()
    page.locator(".number[data-field=length_m] input").fill(value)


@pytest.mark.long(but=1)
@pytest.mark.parametrize(
    ("typed", "words"),
    [
        ("-2", "More than 0 m"),
        ("99", "At most 50 m"),
        ("two", "is not a number"),
        ("1.2.3", "is not a number"),
        ("", "Needed here"),
    ],
)
def test_a_bad_length_is_said_at_its_field_and_cannot_be_saved(open_page: Callable[..., Page], typed: str, words: str) -> None:
    page = open_page()
    edit_length(page, 2, typed)
    expect(page.locator(".number[data-field=length_m]")).to_contain_text(words)
    expect(page.locator(".number[data-field=length_m] input")).to_have_value(typed)
    expect(page.locator("[data-test=save-circuit]")).to_be_disabled()


def test_a_branch_that_leads_nowhere_is_named_beside_the_drawing(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/jobs/2/circuit")
    page.locator("g[data-branch=body_ground]").click()
    page.locator("[data-editor=body_ground] .v-select").nth(2).click()
    page.get_by_role("option", name="Battery −").click()
    expect(page.locator(".wrongs >> text=Both ends are on the same node")).to_be_visible()
    expect(page.locator("[data-test=save-circuit]")).to_be_disabled()


def test_what_was_typed_comes_back_after_a_reload(open_page: Callable[..., Page]) -> None:
    page = open_page()
    edit_length(page, 2, "1,75")
    expect(page.locator("g[data-branch=charge_cable]")).to_contain_text("1.75 m")
    page.reload()
    expect(page.locator("[role=status]").first).to_contain_text("not saved is back")
    expect(page.locator("g[data-branch=charge_cable]")).to_contain_text("1.75 m")
    # That notice takes its room from what stands below it: the page itself does not scroll.
    drawn = "e => new Promise(f => requestAnimationFrame(() => requestAnimationFrame(() => f(e.getBoundingClientRect().bottom))))"
    assert page.viewport_size and page.locator(".frame").evaluate(drawn) <= page.viewport_size["height"]
    page.get_by_role("button", name="Undo edits").click()
    expect(page.locator("g[data-branch=charge_cable]")).to_contain_text("1.2 m")


def test_two_people_on_one_circuit_keep_both(open_page: Callable[..., Page]) -> None:
    first, second = open_page("tobin"), open_page("mara")
    edit_length(first, 7, "1.1")
    edit_length(second, 7, "1.3")
    for page in (first, second):
        expect(page.locator("[data-test=save-circuit]")).to_be_enabled()
    first.locator("[data-test=save-circuit]").click()
    expect(first.locator("[data-test=circuit-saved]")).to_contain_text("revision 2")
    second.locator("[data-test=save-circuit]").click()
    dialog = second.locator("[role=alertdialog]")
    expect(dialog).to_contain_text("Tobin Ashgrove saved this circuit")
    expect(second.locator(".number[data-field=length_m] input")).to_have_value("1.3")
    second.locator("[data-test=keep-both]").click()
    expect(second.locator("[data-test=circuit-saved]")).to_contain_text("revision 3")


@pytest.mark.long
def test_two_people_on_the_particulars(open_page: Callable[..., Page]) -> None:
    first, second = open_page("tobin"), open_page("mara")
    for page, words in ((first, "First words"), (second, "Second words")):
        page.goto("/jobs/6/circuit")
        page.get_by_role("button", name="Job details").click()
        # The dialog takes the focus as it opens; what is typed before that may land elsewhere.
        page.wait_for_selector(".v-overlay__content:focus, .v-overlay__content :focus")
        page.locator("textarea[name=complaint]").fill(words)
        expect(page.locator("textarea[name=complaint]")).to_have_value(words)
        expect(page.locator("input[name=customer]")).to_have_value("Clayfoot Potters")
    first.locator("[data-test=save-job]").click()
    expect(first.locator(".head")).to_contain_text("First words")
    second.locator("[data-test=save-job]").click()
    expect(second.locator("[role=alertdialog]")).to_contain_text("First words")
    second.locator("[data-test=keep-both]").click()
    expect(second.locator(".head")).to_contain_text("Second words")
    expect(second.locator(".head")).to_contain_text("also noted: First words")


def test_what_was_found_is_asked_for_once(open_page: Callable[..., Page]) -> None:
    """What is kept is shown as it is; nothing is judged anew, and nothing again and again, while nobody types."""
    page = open_page()
    requests: list[str] = []
    page.on("request", lambda r: requests.append(r.url) if "/findings" in r.url and "/api/" in r.url else None)
    page.goto("/jobs/1/findings")
    page.wait_for_selector("[data-test=headline]")
    page.locator("[data-view=branches]").click()
    page.wait_for_selector("tr[data-row=block_ground]")
    page.wait_for_load_state("networkidle")
    assert len(requests) == 1 and not requests[0].endswith("/draft")


def test_a_server_that_goes_away_takes_nothing_with_it(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/jobs/2/circuit")
    page.wait_for_selector("svg.loop")

    def cut(route: Route) -> None:
        route.abort()

    page.route("**/api/**", cut)
    page.locator("g[data-branch=charge_cable]").click()
    page.locator(".number[data-field=length_m] input").fill("1.9")
    expect(page.locator(".notice").first).to_contain_text("The server does not answer")
    expect(page.locator(".number[data-field=length_m] input")).to_have_value("1.9")
    page.unroute("**/api/**", cut)
    page.get_by_role("button", name="Try again").first.click()
    expect(page.locator("g[data-branch=charge_cable]")).to_contain_text("1.9 m")
    expect(page.locator(".notice")).to_have_count(0)


def test_a_database_that_goes_away_is_said_and_come_back_from(
    open_page: Callable[..., Page], admin_url: str, database_url: str
) -> None:
    page = open_page(at="/")
    page.wait_for_selector("[data-job]")
    name = make_url(database_url).database
    admin = create_engine(admin_url, isolation_level="AUTOCOMMIT")

    def allow(yes: bool) -> None:
        with admin.connect() as connection:
            connection.execute(text(f'ALTER DATABASE "{name}" ALLOW_CONNECTIONS {str(yes).lower()}'))
            if not yes:
                connection.execute(
                    text("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = :name"), {"name": name}
                )

    allow(False)
    try:
        page.reload()
        expect(page.locator(".notice").first).to_contain_text("The database does not answer")
    finally:
        allow(True)
    # It is tried again by itself.
    page.wait_for_selector("[data-job]")
    admin.dispose()


@pytest.mark.long(but=1)
@pytest.mark.parametrize(("width", "height"), [(1280, 800), (800, 1280), (390, 844)])
def test_every_view_fits_the_screen(open_page: Callable[..., Page], width: int, height: int) -> None:
    page = open_page(width=width, height=height)
    for path in (
        "/",
        "/jobs/1/circuit",
        "/jobs/1/measure",
        "/jobs/1/findings",
        "/jobs/3/plan",
        "/jobs/3/build",
        "/jobs/1/hand_over",
    ):
        page.goto(path)
        page.wait_for_selector("[data-job], svg.loop, iframe, [data-test=next-step]")
        over = page.evaluate("document.documentElement.scrollWidth - window.innerWidth")
        assert over <= 0, f"{path} is {over} px too wide at {width}"
        if path.endswith("measure"):
            small = page.evaluate(
                "[...document.querySelectorAll('.v-btn, .stage')].filter(b => b.getBoundingClientRect().height < 44 && b.offsetParent).length"
            )
            assert small == 0, f"{small} targets under 44 px on {path}"


def test_keys_are_listed_and_the_theme_flips(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/jobs/1/findings")
    page.wait_for_selector("svg.loop")
    page.keyboard.press("?")
    expect(page.locator("text=next branch along the loop")).to_be_visible()
    page.keyboard.press("Escape")
    before = page.evaluate("getComputedStyle(document.querySelector('.v-application')).backgroundColor")
    page.keyboard.press("d")
    expect(page.locator(".v-application")).not_to_have_css("background-color", before)


@pytest.mark.long
def test_a_reader_sees_all_and_saves_nothing(open_page: Callable[..., Page]) -> None:
    page = open_page("ines", at="/")
    page.wait_for_selector("[data-job]")
    expect(page.locator("[data-test=new-job]")).to_have_count(0)
    edit_length(page, 1, "3")
    expect(page.locator("g[data-branch=charge_cable]")).to_contain_text("3 m")
    expect(page.locator("[data-test=save-circuit]")).to_be_disabled()


def test_a_lead_adds_an_account(open_page: Callable[..., Page]) -> None:
    page = open_page("mara", at="/")
    page.get_by_role("link", name="People").click()
    page.get_by_label("Name", exact=True).fill("Wren Fallow")
    page.get_by_label("Login").fill("wren")
    page.get_by_label("Password").fill("short")
    page.get_by_role("button", name="Add").click()
    expect(page.locator("form")).to_contain_text("At least 10 characters")
    page.get_by_label("Password").fill("long enough now")
    page.get_by_role("button", name="Add").click()
    expect(page.locator("table")).to_contain_text("wren")


def test_an_address_that_leads_nowhere_says_so(open_page: Callable[..., Page]) -> None:
    page = open_page(at="/no/such/place")
    expect(page.locator("h1")).to_have_text("Nothing here")
    page.goto("/jobs/999999/findings")
    expect(page.locator(".notice")).to_contain_text("There is no such job")
