"""The first hour: from an empty installation to the first signed calibration and the first visit, unaided."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from contextlib import contextmanager

import pytest
from playwright.sync_api import Browser, Locator, Page, expect
from tests.browser.driving import LOOKS, PHONE, SCREEN, dressed, no_violations
from tests.cutoff import data_folder

from brumel.launch import start
from brumel.launch.cluster import Cluster
from brumel.settings import read_settings

MOST_ACTIONS = 60
MV = {"B7-1": 2.0, "B4-1": 177.0, "B10-1": -172.0}
"""What an electrode of about 98 % gives in the three buffers at 22 °C (Nernst)."""


@contextmanager
def empty() -> Iterator[tuple[str, str]]:
    """An empty installation that serves: its address, and the link that it printed."""
    folder, said = data_folder("first-hour"), list[str]()
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(start, "say", said.append)
        try:
            with start.service(read_settings({"BRUMEL_DATA": str(folder)}), "127.0.0.1", 0) as running:
                yield running.address, next(words.split()[-1] for words in said if "/first/" in words)
        finally:
            Cluster(folder / "serve").remove()
            shutil.rmtree(folder, ignore_errors=True)


class Hands:
    """Somebody at a page, whose every touch or field counts; with a keyboard, or a thumb."""

    def __init__(self, page: Page, *, keys: bool) -> None:
        self.page, self.keys, self.actions = page, keys, 0

    def type(self, field: Locator, text: str) -> None:
        self.actions += 1
        if self.keys:
            field.focus()
            self.page.keyboard.press("ControlOrMeta+a")
            if field.get_attribute("type") == "date":
                field.fill(text)  # the keys for a date are the country's
            else:
                self.page.keyboard.type(text)
        else:
            field.fill(text)

    def press(self, what: Locator) -> None:
        """Press a button, follow a link, tick a box."""
        self.actions += 1
        if not self.keys:
            what.click()
            return
        what.focus()
        ticks = what.evaluate("e => e.tagName === 'INPUT'")
        self.page.keyboard.press("Space" if ticks else "Enter")

    def go(self, what: Locator) -> None:
        """Press what leads to another page."""
        with self.page.expect_navigation():
            self.press(what)


def come_in(hands: Hands, link: str) -> None:
    page = hands.page
    page.goto(link)
    hands.type(page.get_by_label("Your name"), "Ada Fenn")
    hands.type(page.get_by_label("Sign-in name"), "ada")
    hands.type(page.get_by_label("Password"), "long enough")
    hands.go(page.get_by_role("button", name="Begin"))
    expect(page.get_by_role("heading", name="What do you work with?")).to_be_visible()


def set_up(hands: Hands) -> None:
    page = hands.page
    for choice in ("Ponds", "Handheld meter"):
        hands.press(page.get_by_role("checkbox", name=choice))
    hands.go(page.get_by_role("button", name="Propose"))
    for field, number in zip(page.get_by_label("Serial number").all(), ("M-77", "P-1"), strict=False):
        hands.type(field, number)
    for field, day, lot in zip(
        page.get_by_label("Lot number").all(), page.get_by_label("Expires").all(), MV, strict=False
    ):
        hands.type(field, lot)
        hands.type(day, "2099-11-30")
    hands.go(page.get_by_role("button", name="Keep these"))
    expect(page.get_by_role("status")).to_contain_text("Kept: Pond 1, Pond 2, Handheld, H-pH, B7-1, B4-1, B10-1.")
    expect(page.get_by_role("status")).to_contain_text("Left aside, for nothing was typed: H-DO")


def calibrate(hands: Hands) -> None:
    page = hands.page
    hands.go(page.locator("[data-key=n]"))
    hands.go(page.get_by_role("button", name="Begin"))
    for mv in MV.values():
        hands.type(page.locator("#signal"), f"{mv:g}")
        hands.type(page.locator("#temperature_c"), "22.0")
        hands.go(page.get_by_role("button", name="Take the typed point"))
    hands.go(page.get_by_role("button", name="Sign as Ada Fenn"))
    expect(page.get_by_text("of Nernst").first).to_be_visible()


def visit(hands: Hands) -> None:
    page = hands.page
    hands.go(page.get_by_role("link", name="Today"))
    hands.go(page.get_by_role("link", name="Pond 1").first)
    hands.go(page.get_by_role("button", name="Begin visit"))
    for key, value in (("temperature", "24.1"), ("ph", "7.62"), ("oxygen", "6.4")):
        hands.type(page.locator(f"[name={key}]"), value)
    hands.go(page.get_by_role("button", name="Save"))
    expect(page.get_by_text("7.62").first).to_be_visible()
    hands.go(page.get_by_role("button", name="Finish"))


def work(hands: Hands, link: str, look: str) -> None:
    """From what one works with to the first visit; the link is used up."""
    for part in (set_up, calibrate, visit):
        part(hands)
    assert hands.actions <= MOST_ACTIONS, hands.actions
    print(f"first hour, {look}: {hands.actions} actions")  # noqa: T201
    hands.page.goto(link)
    expect(hands.page.get_by_text("This link is used or older than an hour")).to_be_visible()


def test_from_empty_to_the_first_visit_in_sixty_actions_by_keyboard(browser: Browser) -> None:
    with empty() as (address, link):
        page = browser.new_page(base_url=address, viewport=SCREEN)
        page.goto("/")
        expect(page.get_by_text("Nobody can sign in yet")).to_be_visible()
        hands = Hands(page, keys=True)
        come_in(hands, link)
        work(hands, link, "screen")
        page.close()


def test_every_step_can_be_left_axe_objects_to_none_and_a_thumb_needs_no_more_actions(browser: Browser) -> None:
    with empty() as (address, link):
        page = browser.new_page(base_url=address, viewport=SCREEN)
        page.goto("/")
        no_violations(page)
        page.goto(link)
        no_violations(page)
        hands = Hands(page, keys=False)
        page.set_viewport_size(PHONE)
        come_in(hands, link)
        begun = page.url
        page.set_viewport_size(SCREEN)
        for leaves, where in (
            ("Skip for now", "/start/"),
            ("Leave without keeping", "/start/proposal?work=pools&gear=sonde"),
        ):
            for look in LOOKS:
                page.goto(where)
                dressed(page, look)
                no_violations(page)
                page.set_viewport_size(SCREEN)
                if look == "dusk":
                    page.get_by_role("button", name="Daylight").click()
            page.get_by_role("link", name=leaves).click()
            expect(page.get_by_role("heading", name="Nothing is set up yet")).to_be_visible()
            no_violations(page)
        for place in (
            "kit/", "shelf/", "bench/", "rounds/", "plan/", "ledger/readings", "ledger/calibrations", "ledger/care",
        ):  # fmt: skip
            page.goto(f"/{place}")
            expect(page.locator("main").get_by_role("link", name="Set up", exact=True)).to_be_visible()
            no_violations(page)
        page.set_viewport_size(PHONE)
        page.goto(begun)
        work(hands, link, "phone")
        page.close()
