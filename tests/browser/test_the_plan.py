"""The plan in a real browser: from nothing to a printed plan; ticked off; a failed inspection changes it."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect
from tests.browser.driving import PHONE, SCREEN, answer, dressed, no_violations, open_probe, plan


def test_tomorrows_round_from_nothing_to_a_printed_plan(technician: Page) -> None:
    page = technician
    page.goto("/kit/")
    page.get_by_role("link", name="Plan a round").click()
    page.get_by_role("button", name="Plan round").click()
    expect(page.locator("#error-sites")).to_contain_text("Choose the sites")
    plan(page, "2026-05-07T09:00", "Kit B", "Shrimp pond", "Seawater lido")
    steps = page.locator(".plan-steps > li")
    expect(page.locator(".standing")).to_contain_text("B-pH")
    before = steps.count()
    assert before >= 6
    expect(page.locator(".tracks.broad rect.hands")).to_have_count(before)
    expect(page.locator(".pack-list")).to_contain_text("pH buffer, alkaline")
    expect(page.locator(".pack-list")).to_contain_text("Conductivity standard 80")
    steps.first.get_by_role("button", name="Done").click()
    expect(steps).to_have_count(before - 1)
    page.get_by_text("Edit round").click()
    page.get_by_role("textbox", name="Departure").fill("2026-05-07T10:30")
    page.get_by_role("button", name="Save and plan again").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("leave Thu 7 May, 10:30")
    page.get_by_role("button", name="Depart 30 min later").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("leave Thu 7 May, 11:00")
    page.get_by_role("button", name="Depart 30 min earlier").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("leave Thu 7 May, 10:30")
    with page.expect_download() as download:
        page.get_by_role("link", name="Export calendar").click()
    assert download.value.suggested_filename == "brumel-plan.ics"
    page.emulate_media(media="print")
    expect(page.get_by_text("Edit round")).to_be_hidden()
    expect(page.get_by_role("button")).to_have_count(0)  # paper has none
    expect(page.locator(".tracks.broad")).to_be_visible()
    page.set_viewport_size(PHONE)
    expect(page.locator(".tracks.broad")).to_be_visible()
    expect(page.locator(".tracks.narrow")).to_be_hidden()
    page.emulate_media(media="screen")
    expect(page.locator(".tracks.narrow")).to_be_visible()
    page.set_viewport_size(SCREEN)
    page.emulate_media(media="print")
    expect(page.locator(".pack-list")).to_be_visible()
    page.emulate_media(media="screen")
    page.goto("/")
    expect(page.get_by_text("Get ready for the round at 10:30")).to_have_count(0)  # a day ahead yet
    page.goto("/kit/")
    page.get_by_role("link", name="Thu 7 May, 10:30").click()
    page.get_by_role("button", name="Cancel round").click()
    page.wait_for_url("**/plan/")


def test_a_failed_inspection_changes_the_plan(technician: Page) -> None:
    page = technician
    plan(page, "2026-05-06T20:00", "Kit A", "Greenhouse nutrient reservoir")
    address = page.url
    expect(page.locator(".standing")).to_contain_text("A-EC")
    open_probe(page, "A-EC")
    answer(page, "No")
    page.get_by_role("button", name="Save inspection").click()
    page.goto(address)
    expect(page.locator(".missing")).to_contain_text("A-EC can't be ready. Failed its inspection")
    page.get_by_role("button", name="Take B-EC").click()
    expect(page.locator(".missing")).to_have_count(0)
    expect(page.locator(".standing")).to_contain_text("B-EC")
    open_probe(page, "A-EC")
    answer(page, "Yes")
    page.get_by_role("button", name="Save inspection").click()
    page.goto(address)
    page.get_by_role("button", name="Cancel round").click()


def test_a_membrane_that_takes_too_long_and_the_ways_out(technician: Page) -> None:
    page = technician
    plan(page, "2026-05-06T10:20", "Kit A", "Upland spring intake")
    expect(page.locator(".missing").first).to_contain_text("after departure at the earliest")
    page.locator(".missing", has_text="A-DO").get_by_role("button", name="Leave when all are ready").click()
    expect(page.locator(".missing")).to_have_count(0)
    page.get_by_role("button", name="Cancel round").click()


@pytest.mark.parametrize("look", ["dusk"])
def test_no_accessibility_violation(technician: Page, look: str) -> None:
    page = technician
    dressed(page, look)
    page.goto("/plan/")
    no_violations(page)
    with page.expect_navigation():
        page.get_by_role("button", name="Plan round").click()
    no_violations(page)
    plan(page, "2026-05-06T11:00", "Kit A", "Upland spring intake", "Reed-bed outfall")
    expect(page.locator(".missing").first).to_be_visible()
    no_violations(page)
    page.get_by_text("Edit round").click()
    no_violations(page)
    page.get_by_role("button", name="Cancel round").click()


def test_two_rounds_at_once_are_a_conflict_on_both_and_the_way_is_timed(technician: Page) -> None:
    page = technician
    plan(page, "2026-05-08T09:00", "Kit B", "Shrimp pond", "Seawater lido")
    first = page.url
    page.get_by_text("Edit round").click()
    for name, order, way in (("Seawater lido", "1", "20"), ("Shrimp pond", "2", "10")):
        page.get_by_label(f"Order of {name}").fill(order)
        page.get_by_label(f"Way to {name}, min").fill(way)
    page.get_by_label("Stay at each site").fill("30")
    page.get_by_label("Way back").fill("25")
    page.get_by_role("button", name="Save and plan again").click()
    expect(page.locator("main .standing")).to_contain_text("Seawater lido 09:20, Shrimp pond 10:00, back 10:55.")
    expect(page.locator(".missing")).to_have_count(0)
    plan(page, "2026-05-08T10:30", "Kit B", "Oyster nursery")
    expect(page.locator(".missing")).to_contain_text(
        "Two rounds at once. The round with Kit B, Fri 8 May, 09:00, takes"
    )
    expect(page.locator(".missing")).to_contain_text("B-meter")
    no_violations(page)
    page.goto(first)
    expect(page.locator(".missing")).to_contain_text("The round with Kit B, Fri 8 May, 10:30, takes B-pH")
    page.get_by_role("button", name="Depart 30 min earlier").click()
    expect(page.locator(".missing")).to_have_count(0)  # it is back at 10:25
    page.get_by_role("button", name="Depart 30 min later").click()
    expect(page.locator(".missing")).to_have_count(1)
    dressed(page, "phone-dusk")
    no_violations(page)
