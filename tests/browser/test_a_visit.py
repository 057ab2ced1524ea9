"""A visit from arrival to verdict: on the phone, by keyboard alone, through a lost connection."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import BrowserContext, Page, Route, expect
from tests.browser.driving import PHONE, dressed, no_violations, sign_in, take_once_stable, too_wide

POND = {
    "Temperature": "28.1", "Dissolved oxygen": "2.4", "pH": "8.0", "Specific conductance": "27000",
    "Ammonium as N": "0.4", "Alkalinity as CaCO₃": "110", "Air temperature": "31", "Depth": "1.4", "Pressure": "1009",
}  # fmt: skip


@pytest.fixture(scope="module")
def speed() -> float:
    """Several probes are looked at and taken at one moment: slower than the other files, so that all stay stable."""
    return 20.0


class Hands:
    """Counts what is done beyond typing numbers."""

    def __init__(self, page: Page) -> None:
        self.page, self.actions = page, 0

    def press(self, name: str, role: str = "button") -> None:
        self.actions += 1
        self.page.get_by_role(role, name=name).click()  # type: ignore[arg-type]

    def type(self, name: str, value: str) -> None:
        self.page.get_by_label(name, exact=True).fill(value)


def begin(page: Page, site: str) -> Hands:
    page.goto("/rounds/")
    hands = Hands(page)
    hands.press(f"Visit {site}", "link")
    hands.actions += 1
    with page.expect_navigation():
        page.get_by_role("button", name=re.compile("^Begin")).click()
    return hands


def test_a_shrimp_pond_on_the_phone(page: Page) -> None:
    """Ten quantities in at most twelve actions beyond the numbers; what is beyond a limit waits on Today."""
    page.set_viewport_size(PHONE)
    sign_in(page)
    hands = begin(page, "Shrimp pond")
    hands.actions += 1
    page.get_by_text("Bottom", exact=True).click()
    for name, value in POND.items():
        hands.type(name, value)
    hands.press("Save")
    expect(page.get_by_text("All is read.")).to_be_visible()
    expect(page.locator("aside")).to_contain_text("Act now")
    expect(page.locator(".follows li", has_text="Un-ionised ammonia")).to_contain_text("mg/L")
    hands.press("Finish the visit")
    expect(page.get_by_text("Finished:")).to_be_visible()
    assert hands.actions <= 12
    assert not too_wide(page)
    page.goto("/")
    page.get_by_role("link", name=re.compile("See to it.*Dissolved oxygen beyond its limit at Shrimp pond")).click()
    page.get_by_role("button", name="Mark as seen to").click()
    expect(page.get_by_text("Say it in a word.")).to_be_visible()
    page.get_by_label("What was done about it").fill("aerators on")
    page.get_by_role("button", name="Mark as seen to").click()
    expect(page.get_by_role("link", name=re.compile("Dissolved oxygen beyond its limit at Shrimp pond"))).to_have_count(
        0
    )


def test_a_pool_by_keyboard_alone(page: Page) -> None:
    sign_in(page)
    page.goto("/rounds/")
    page.get_by_role("link", name="Visit Training pool").focus()
    page.keyboard.press("Enter")
    page.wait_for_url("**/visits/new**")
    page.keyboard.press("b")
    page.wait_for_url(re.compile(r"/visits/[0-9a-f-]{36}"))
    values = {"temperature": "27.5", "ph": "7.4", "free-chlorine": "1.5", "total-chlorine": "1.7", "stabiliser": "<5"}
    for _ in range(60):
        name = page.evaluate("document.activeElement.name || ''")
        if name in values:
            page.keyboard.type(values.pop(name))
        if not values:
            break
        page.keyboard.press("Tab")
    assert not values
    page.keyboard.press("Enter")
    page.wait_for_url("**saved=1")
    expect(page.locator(".follows li", has_text="Combined chlorine")).to_contain_text("0.20 mg/L")
    expect(page.get_by_role("list", name="What is read")).to_contain_text("<5")


def lose_the_answer(route: Route) -> None:
    """The server records what is sent; its answer never comes."""
    if route.request.method == "POST":
        route.fetch(max_redirects=0)
        route.abort()
    else:
        route.continue_()


def test_a_lost_connection_loses_and_doubles_nothing(page: Page, context: BrowserContext) -> None:
    sign_in(page)
    hands = begin(page, "Greenhouse nutrient reservoir")
    url = page.url
    hands.type("Temperature", "20.5")
    hands.type("pH", "5.9")
    context.set_offline(True)
    page.wait_for_function("!navigator.onLine")  # the page learns of it a moment later
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_text("There is no connection.")).to_be_visible()
    context.set_offline(False)
    page.goto("/rounds/")
    page.goto(url)
    expect(page.get_by_text("What was typed before is still here.")).to_be_visible()
    expect(page.get_by_label("pH", exact=True)).to_have_value("5.9")
    # The answer gets lost, the record does not: sent again with the same keys it is there once.
    page.route("**/visits/*", lose_the_answer)
    page.get_by_role("button", name="Save").click()
    page.wait_for_url("chrome-error://**")
    page.unroute("**/visits/*")
    page.goto(url)
    page.get_by_role("button", name="Save").click()
    page.wait_for_url("**saved=1")
    expect(page.get_by_role("list", name="What is read").locator(".taken")).to_have_count(2)


def test_what_can_not_be_is_told_in_its_field_and_nothing_typed_is_lost(page: Page) -> None:
    sign_in(page)
    hands = begin(page, "Oyster nursery")
    hands.type("Temperature", "warm")
    hands.type("pH", "8.1")
    page.get_by_text("Something else was read").click()
    page.get_by_label("Value").fill("3")
    hands.press("Save")
    expect(page.locator("#error-temperature")).to_contain_text("'warm' is not a number")
    expect(page.get_by_text("Choose the quantity.")).to_be_visible()
    expect(page.get_by_label("pH", exact=True)).to_have_value("8.1")
    page.get_by_label("Quantity").select_option(label="turbidity")
    hands.type("Temperature", "57.2 F")
    hands.press("Save")
    expect(page.get_by_role("list", name="What is read")).to_contain_text("14.0 °C")
    expect(page.get_by_role("list", name="What is read")).to_contain_text("3.0 NTU")


def test_a_sample_without_a_place_and_an_amendment_in_two_clicks(page: Page) -> None:
    sign_in(page)
    page.goto("/visits/new")
    page.get_by_label("Or a sample without a site").fill("drum of tap water")
    page.get_by_role("button", name="Begin visit").click()
    page.get_by_label("Temperature", exact=True).fill("18")
    page.get_by_role("button", name="Save").click()
    page.get_by_role("link", name="amend temperature").click()
    page.get_by_label("It should be").fill("19.5")
    page.get_by_role("button", name="Amend reading").click()
    expect(page.get_by_text("An amendment needs its reason in words.")).to_be_visible()
    page.get_by_label("Because").fill("misread")
    page.get_by_role("button", name="Amend reading").click()
    expect(page.get_by_role("list", name="What is read").locator(".taken")).to_have_count(1)
    expect(page.get_by_role("list", name="What is read")).to_contain_text("19.5 °C")
    page.get_by_role("link", name="Sheet to print").click()
    expect(page.get_by_role("heading", name=re.compile("Drum of tap water, Wed 6 May"))).to_be_visible()


def test_a_live_reading_comes_back_to_its_visit(page: Page) -> None:
    sign_in(page)
    begin(page, "Training pool")
    page.get_by_role("link", name="From A-pH, live").click()
    page.get_by_role("button", name="Probe is in").click()
    take_once_stable(page)
    page.wait_for_url("**/visits/**")
    expect(page.get_by_role("list", name="What is read").locator(".taken")).to_contain_text("A-pH")


def test_a_well_from_arrival_to_verdict(page: Page) -> None:
    """A place that nobody knows yet: entered, visited, read, beyond what drinking water keeps."""
    page.set_viewport_size(PHONE)
    sign_in(page)
    page.goto("/rounds/sites/new")
    for field, value in {"code": "WELL", "name": "Orchard well", "visit_every_days": "90"}.items():
        page.locator(f"#{field}").fill(value)
    kind = page.locator("[name=water_kind]")
    kind.select_option("drinking water") if kind.evaluate("e => e.tagName") == "SELECT" else kind.fill("drinking water")
    page.get_by_role("button", name="Enter it").click()
    page.wait_for_url("**/rounds/")
    hands = begin(page, "Orchard well")
    for name, value in {"Temperature": "11.4", "pH": "6.1", "Specific conductance": "640"}.items():
        hands.type(name, value)
    hands.press("Save")
    expect(page.locator(".heading")).to_contain_text("beyond")
    expect(page.locator("aside")).to_contain_text("pH 6.10")
    page.get_by_label("Why the rest is not read").fill("it is not chlorinated")
    hands.press("Finish the visit")
    expect(page.get_by_text("Finished:")).to_be_visible()
    assert not too_wide(page)


def test_a_sondes_profile_on_the_phone(page: Page) -> None:
    """All probes at once at two depths, each settling for itself; a screen tells where the next thing is."""
    page.set_viewport_size(PHONE)
    sign_in(page)
    begin(page, "Greenhouse nutrient reservoir")
    page.get_by_role("link", name="Read all on the line at once").click()
    for box in page.locator("[name=probe]").all():
        box.uncheck()
    for label in ("A-pH", "A-EC"):
        page.locator("label", has_text=label).get_by_role("checkbox").check()
    page.get_by_role("button", name="All are in").click()
    for depth, last in (("0,5", False), ("2", True)):
        expect(page.locator(".live[data-settling=stable]").first).to_be_visible()
        no_violations(page)
        page.get_by_label("Depth").fill(depth)
        take_once_stable(page, "[data-key=r]" if last else "[data-key=d]", traces=2)
        expect(page.get_by_text("2 of 2 recorded.")).to_be_visible()
    row = page.locator(".visit-rows li", has_text="pH").first
    expect(row).to_contain_text("0.5 m")
    expect(row).to_contain_text("2.0 m")
    expect(page.locator(".visit-rows li", has_text="Temperature").first).to_contain_text("2.0 m")


@pytest.mark.parametrize("look", ["day", "phone at dusk"])
def test_no_accessibility_violation(page: Page, look: str) -> None:
    sign_in(page)
    dressed(page, look)
    begin(page, "Upland spring intake")
    no_violations(page)
    page.get_by_label("Temperature", exact=True).fill("warm")
    page.get_by_role("button", name="Save").click()
    expect(page.locator("[aria-invalid=true]")).to_be_visible()
    no_violations(page)
    page.get_by_label("Temperature", exact=True).fill("8.5")
    with page.expect_navigation():
        page.get_by_role("button", name="Save").click()
    for path in ("/visits/new", "/kit/instruments/new"):
        page.goto(path)
        no_violations(page)
    page.goto("/rounds/")
    with page.expect_navigation():
        page.get_by_role("link", name="Shrimp pond", exact=True).click()
    no_violations(page)
