"""Every page by axe once; the first page in all three looks, the walk through a run on a phone at dusk."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect
from tests.browser.driving import LOOKS, begin, dressed, no_violations, sign_in, take, take_points


@pytest.mark.parametrize(
    ("path", "look"),
    [
        *(("/", look) for look in LOOKS),
        ("/bench/", "dusk"),
        ("/bench/new", "day"),
        ("/rounds/", "phone"),
        ("/ledger/readings", "dusk"),
        ("/ledger/calibrations", "phone"),
    ],
)
def test_no_accessibility_violation(technician: Page, path: str, look: str) -> None:
    dressed(technician, look)
    technician.goto(path)
    no_violations(technician)


def test_dusk_falls_where_one_stands_and_what_is_typed_stays(technician: Page) -> None:
    page = technician
    page.goto("/kit/new")
    page.get_by_label("Name").fill("D-pH")
    page.get_by_role("button", name="Save").click()
    expect(page.locator("[id^=error-]").first).to_be_visible()  # a page that answers a refused form
    page.get_by_label("Serial number").fill("HR-D-1")
    dressed(page, "dusk")
    expect(page.get_by_label("Name")).to_have_value("D-pH")
    expect(page.get_by_label("Serial number")).to_have_value("HR-D-1")
    page.goto("/")
    expect(page.get_by_role("button", name="Daylight")).to_be_visible()


def test_no_accessibility_violation_along_the_job(technician: Page) -> None:
    page = technician
    dressed(page, "phone at dusk")
    begin(page, "B-pH")
    no_violations(page)
    page.get_by_role("button", name="Probe is in").click()
    page.wait_for_selector("[data-settling=settling]")
    no_violations(page)
    page.get_by_text("Type the reading by hand").click()
    page.get_by_label("Potential").fill("x")
    take(page, "Take the typed point")
    expect(page.locator("#error-signal")).to_be_visible()
    no_violations(page)
    page.wait_for_selector("[data-settling=stable]")
    take(page)
    page.get_by_text("Finish early and sign").click()
    no_violations(page)
    take_points(page, 2)
    no_violations(page)
    page.get_by_role("button", name="Sign as").click()
    page.wait_for_url("**/ledger/calibrations/**")
    no_violations(page)
    page.get_by_role("link", name="Take reading").click()
    page.get_by_label("Site", exact=True).select_option(label="Oyster nursery")
    page.get_by_role("button", name="Probe is in").click()
    page.wait_for_selector("[data-settling=stable]")
    no_violations(page)
    page.get_by_role("button", name="Record").first.click()
    page.wait_for_url("**/ledger/readings/**")
    no_violations(page)
    with page.expect_navigation():
        page.get_by_role("link", name="Amend").click()
    no_violations(page)


@pytest.mark.parametrize("look", ["day", "phone"])
def test_no_accessibility_violation_for_strangers_and_errors(page: Page, look: str) -> None:
    sign_in(page)
    dressed(page, look)
    page.goto("/nowhere")
    no_violations(page)
    page.goto("/ledger/readings?since=yesterday")
    no_violations(page)
    with page.expect_navigation():
        page.get_by_role("button", name="Sign out").click()
    no_violations(page)
    page.get_by_label("Name").fill("nobody")
    page.get_by_label("Password").fill("nothing at all")
    page.get_by_role("button", name="Sign in", exact=True).click()
    expect(page.locator("#error-login")).to_be_visible()
    no_violations(page)
