"""A handheld's whole run typed on one page by keyboard: as it comes, wrong ones marked, nothing lost."""

from __future__ import annotations

import os
import signal

from playwright.sync_api import Page, Route, expect
from tests.browser.driving import begin, dressed, give_up, no_violations, sign

from brumel.launch.processes import Processes


def typed(page: Page, *texts: str) -> None:
    """Type into the field at hand, and go to the next by the tab key."""
    for text in texts:
        page.keyboard.type(text)
        page.keyboard.press("Tab")


def test_three_buffers_by_keyboard_alone(technician: Page) -> None:
    page = technician
    begin(page, "A-pH")
    page.get_by_role("link", name="Type the whole run on one page").press("Enter")
    page.locator("#neutral-signal").focus()
    typed(page, "2.9", "21.8", "")
    typed(page, "17x", "21.8", "")
    page.keyboard.press("Enter")  # on the field of the third
    expect(page.locator("#error-acid-signal")).to_contain_text("is not a number")
    expect(page.locator("#acid-signal")).to_have_value("17x")
    expect(page.locator("#acid-temperature_c")).to_have_value("21.8")
    expect(page.locator("#neutral-signal")).to_have_count(0)  # that one was taken
    expect(page.locator("main")).to_contain_text("+2.9 mV")
    no_violations(page)
    dressed(page, "phone-dusk")
    no_violations(page)
    page.locator("#acid-signal").fill("177.2")
    page.locator("#alkaline-signal").fill("-171.4")
    here = page.url
    page.goto("/kit/")  # the battery is empty, another page is opened: it is still there
    page.goto(here)
    expect(page.locator("#acid-signal")).to_have_value("177.2")
    expect(page.locator("#alkaline-signal")).to_have_value("-171.4")
    page.locator("#acid-temperature_c").fill("21.8")
    page.locator("#alkaline-temperature_c").fill("140")
    page.locator("#alkaline-temperature_c").press("Enter")
    expect(page.locator("#error-alkaline-temperature_c")).to_contain_text("must be −5 to 105 °C")
    page.locator("#alkaline-temperature_c").fill("21.8")
    page.locator("#alkaline-temperature_c").press("Enter")
    expect(page.locator("#verdict")).to_contain_text("sound")
    sign(page)
    expect(page.locator("main")).to_contain_text("typed, judged by eye")


FOUR = {
    "high": ("262.0", "22.0"), "low": ("207.0", "22.0"),
    "high-field": ("256.9", "12.0"), "low-field": ("203.8", "12.0"),
}  # fmt: skip
"""Gaps of 55.0 mV at 22 °C and 53.1 mV at 12 °C: 93.9 and 93.8 % of the Nernst slopes 58.56 and 56.58 mV, by hand."""


def kill(processes: Processes, name: str) -> None:
    """End a part at once, and start it again as whoever looks after it does."""
    child = next(c for c in processes.children if c.name == name)
    assert child.process is not None
    os.killpg(child.process.pid, signal.SIGKILL)
    child.process.wait(20)
    processes.look_after()
    processes.look_after()
    assert not child.ended


def test_servers_killed_in_the_middle_of_a_four_point_ion_run_lose_nothing(
    technician: Page, processes: Processes
) -> None:
    page = technician
    page.goto("/bench/")
    page.get_by_role("link", name="Calibrate B-NH4").click()
    page.locator("[name=despite]").fill("the spare tip stood in its standard for a day")
    page.get_by_text("Both pairs: at room temperature and at the waters'", exact=True).click()
    page.get_by_role("button", name="Begin").click()
    page.get_by_role("link", name="Type the whole run on one page").click()
    for number, (step, (mv, warm_c)) in enumerate(FOUR.items()):
        page.locator(f"#{step}-signal").fill(mv)
        page.locator(f"#{step}-temperature_c").fill(warm_c)
        page.locator(f"[name={step}-so]").check()
        if number in (1, 3):
            kill(processes, "web server 1" if number == 1 else "database")
        page.get_by_role("button", name="Take the points").click()
        taken = page.get_by_role("link", name="Type the whole run on one page").or_(page.locator("#verdict"))
        again = page.get_by_role("button", name="Send it again")
        expect(taken.or_(again).first).to_be_visible()
        while again.count():  # the database is not back yet: what was typed is on the page
            again.click()
            expect(taken.or_(again).first).to_be_visible()
        if number < 3:
            page.get_by_role("link", name="Type the whole run on one page").click()
    expect(page.locator("[data-code=slope]")).to_contain_text("Slope 93.9 % of Nernst")
    sign(page)
    expect(page.locator("main")).to_contain_text("262.0")
    expect(page.locator("main")).to_contain_text("203.8")


def test_a_stream_that_was_closed_says_so_and_asks_no_more(technician: Page) -> None:
    """Of too many pages the oldest is closed; asking again by itself would only close another."""
    page, asked = technician, []
    closed = 'event: closed\ndata: {"words": "Too many pages follow probes at once.", "of": 0}\n\n'

    def answer(route: Route) -> None:
        asked.append(route.request.url)
        route.fulfill(status=200, body=closed, content_type="text/event-stream")

    begin(page, "A-pH")
    page.add_init_script(
        "window.sources = []; window.EventSource = class extends EventSource {"
        "constructor(url) { super(url); window.sources.push(this); } };"
    )
    page.route("**/live/**", answer)
    page.get_by_role("button", name="Probe is in").click()
    expect(page.locator("[data-trouble]").first).to_contain_text("Too many pages follow probes at once.")
    assert page.evaluate("sources.map(s => s.readyState)") == [2], "it is closed for good (HTML standard: CLOSED)"
    assert len(asked) == 1
    page.unroute("**/live/**")
    give_up(page)
