"""Every page by axe once; the first page in all three looks, the walk through a run on a phone at dusk.

Every kind of page on a phone: none is wider than it, asks for what is refused, or has a script that fails.
"""

from __future__ import annotations

from collections import Counter, deque
from urllib.parse import urlsplit

import pytest
from playwright.sync_api import Page, expect
from tests.browser.driving import (
    LOOKS,
    begin,
    dressed,
    no_violations,
    sign_in,
    take,
    take_once_stable,
    take_points,
    too_wide,
)
from tests.web.walking import LEAVES, shape

LINKS = "main a[href^='/'], nav a[href^='/']"
FILES = (".csv", ".json", ".jsonl", ".ics", ".md", ".png", ".jpg")
EACH = {"/shelf/lots/KEY": 6, "/kit/probes/KEY": 3}
"""Of pages that differ much from one to the next, so many."""


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
    page.wait_for_selector("[data-settling=settling], [data-settling=stable]")  # whichever a busy machine shows
    no_violations(page)
    page.get_by_text("Type the reading by hand").click()
    page.get_by_label("Potential").fill("x")
    take(page, "Take the typed point")
    expect(page.locator("#error-signal")).to_be_visible()
    no_violations(page)
    take_once_stable(page)
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
    take_once_stable(page)
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


def test_every_kind_of_page_on_a_phone(technician: Page) -> None:
    page, wrong = technician, list[str]()
    dressed(page, "phone")
    page.on("response", lambda r: wrong.append(f"{r.status} {r.url}") if r.status >= 400 else None)
    page.on("console", lambda m: wrong.append(f"{page.url}: {m.text}") if m.type in ("error", "warning") else None)
    page.on("pageerror", lambda error: wrong.append(f"{page.url}: {error}"))
    left, seen = deque(["/"]), Counter[str]()
    while left:
        path = urlsplit(left.popleft()).path
        kind = shape(path)
        if seen[kind] >= EACH.get(kind, 1) or path.startswith(LEAVES) or path.endswith(FILES):
            continue
        seen[kind] += 1
        page.goto(path)
        if too_wide(page):
            wrong.append(f"{path} is too wide")
        left.extend(page.eval_on_selector_all(LINKS, "all => all.map(a => a.getAttribute('href'))"))
    assert len(seen) > 60, seen
    assert wrong == []
