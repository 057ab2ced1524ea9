"""Today in a real browser: one next action, and everything else in its place, said once."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect
from tests.browser.driving import dressed, no_violations, plan, too_wide


def test_a_full_day_from_the_next_action_to_tomorrow(technician: Page) -> None:
    page = technician
    expect(page.locator(".now").get_by_role("heading", level=1)).to_contain_text(re.compile("."))
    title = page.locator(".now h1").inner_text()
    expect(page.locator("main").get_by_text(title, exact=True)).to_have_count(1)
    for kit in ("Kit A", "Kit B"):
        expect(page.locator(".kits section", has_text=kit)).to_contain_text(re.compile(r"\d of \d ready"))
    expect(page.locator(".kits section", has_text="Kit A")).to_contain_text(re.compile(r"Ready Wed 6 May, \d\d:\d\d"))
    expect(page.get_by_role("heading", name="This evening and tomorrow")).to_be_visible()
    page.locator(".ribbon summary").click()
    expect(page.locator(".ribbon details .broad rect.wait")).not_to_have_count(0)
    no_violations(page)
    plan(page, "2026-05-07T06:30", "Kit B", "Seawater lido")
    page.goto("/")
    tonight = page.locator("aside")
    expect(tonight).to_contain_text("Round, Thu 7 May, 06:30")
    expect(tonight).to_contain_text(re.compile("B-ORP: .*By Wed 6 May, .* at the latest"))
    dressed(page, "phone-dusk")
    no_violations(page)
    page.locator(".now a.btn").click()
    expect(page).not_to_have_url(re.compile("/$"))


def test_sites_that_are_due_are_planned_with_one_press(technician: Page) -> None:
    page = technician
    page.goto("/")
    due = page.locator(".due a:not(.btn)").all_inner_texts()
    page.get_by_role("link", name="Plan a round").click()
    expect(page.locator("input[name=site]:checked")).to_have_count(len(due))


def test_the_ledger_loses_no_column_on_paper(technician: Page) -> None:
    page = technician
    page.goto("/ledger/readings")
    page.set_viewport_size({"width": 794, "height": 1123})
    page.emulate_media(media="print")
    for column in page.locator("thead th").all():
        expect(column).to_be_visible()
    assert not too_wide(page)
    expect(page.locator("td time").first).to_be_visible()
