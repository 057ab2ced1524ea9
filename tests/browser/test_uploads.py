"""A telephone's photo and a scanned certificate go through; what can't is said where it was chosen, nothing is lost."""

from __future__ import annotations

import io
import re
from collections.abc import Callable
from pathlib import Path

import pytest
from PIL import Image
from playwright.sync_api import Page, Route, expect
from tests.browser.driving import sign_in

_UPRIGHT = 6
"""The value of EXIF's orientation by which a telephone says: turn it a quarter to the right (TIFF 6.0, tag 274)."""


@pytest.fixture(scope="module")
def photo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Twelve million pixels as a telephone keeps them: lying, with the word that they stand; blue is at their left."""
    picture = Image.effect_noise((4000, 3000), 90).convert("RGB")
    picture.paste((0, 0, 255), (0, 0, 400, 3000))
    exif = Image.Exif()
    exif[274] = _UPRIGHT
    path = tmp_path_factory.mktemp("photo") / "IMG_0001.jpg"
    picture.save(path, "JPEG", quality=90, exif=exif)
    assert 4_000_000 < path.stat().st_size < 12_000_000
    return path


@pytest.fixture
def visit(page: Page) -> Page:
    sign_in(page)
    page.goto("/rounds/")
    page.get_by_role("link", name="Visit Shrimp pond").click()
    page.get_by_role("button", name=re.compile("^Begin")).click()
    page.get_by_text("Add a photo").click()
    return page


def kept(page: Page) -> Image.Image:
    """The photo as it is handed out."""
    image = page.locator("img.shot").last
    answer = page.request.get(image.get_attribute("src") or "")
    assert (answer.headers["content-type"], answer.headers["cache-control"]) == ("image/jpeg", "no-store")
    return Image.open(io.BytesIO(answer.body()))


def stands(picture: Image.Image) -> None:
    """It stands, with the blue at its top, and carries nothing of the camera."""
    assert picture.size == (1200, 1600)
    red, green, blue = picture.convert("RGB").getpixel((600, 40))  # type: ignore[misc]
    assert blue > 200 > red + green
    assert not picture.getexif()


def test_a_photo_is_made_smaller_and_turned_before_it_is_sent(visit: Page, photo: Path) -> None:
    with visit.expect_request(lambda r: r.method == "POST" and r.url.endswith("/photos")) as sent:
        visit.locator("#photo").set_input_files(photo)
        expect(visit.locator("#photo-told")).to_contain_text("sent as")
        visit.locator("#photo_words").fill("the aerator")
        visit.get_by_role("button", name="Save photo").click()
    assert int(sent.value.header_value("content-length") or 0) < photo.stat().st_size / 2
    expect(visit.locator("figcaption")).to_contain_text("the aerator")
    stands(kept(visit))


def test_a_browser_that_can_not_make_it_smaller_sends_it_whole(visit: Page, photo: Path) -> None:
    visit.evaluate("() => { window.createImageBitmap = () => Promise.reject(new Error('not here')); }")
    with visit.expect_request(lambda r: r.method == "POST" and r.url.endswith("/photos")) as sent:
        visit.locator("#photo").set_input_files(photo)
        visit.locator("#photo_words").fill("whole")
        visit.get_by_role("button", name="Save photo").click()
    assert int(sent.value.header_value("content-length") or 0) > photo.stat().st_size
    expect(visit.locator("figcaption")).to_contain_text("whole")
    stands(kept(visit))


def instead(status: int, body: str) -> Callable[[Route], None]:
    """Answer so in the server's place."""
    return lambda route: route.fulfill(status=status, body=body, content_type="text/html")


def test_what_is_too_large_or_lost_on_the_way_is_said_and_stays(visit: Page, photo: Path, tmp_path: Path) -> None:
    told = visit.locator("#photo-told")
    large = tmp_path / "large.jpg"
    large.write_bytes(b"\xff\xd8\xff" + bytes(12_500_000))
    visit.locator("#photo_words").fill("the weir")
    visit.locator("#photo").set_input_files(large)
    expect(told).to_contain_text("This file has 12.5 MB; up to 12.0 MB can be kept.")
    visit.get_by_role("button", name="Save photo").click()
    expect(told).to_contain_text("Choose a smaller one")
    visit.locator("#photo").set_input_files(photo)
    expect(told).to_contain_text("sent as")
    for answer, words in (
        (None, "The connection to Brumel is lost."),
        ((503, "<h1 class='error-words'>The disk of this server is full: free some space.</h1>"), "The disk of this"),
        ((413, "too large"), "It was not taken (413)."),
    ):
        visit.route("**/photos", instead(*answer) if answer else lambda route: route.abort())
        visit.get_by_role("button", name="Save photo").click()
        expect(told).to_contain_text(words)
        visit.unroute("**/photos")
    expect(visit.locator("#photo_words")).to_have_value("the weir")
    visit.get_by_role("button", name="Save photo").click()
    expect(visit.locator("figcaption")).to_contain_text("the weir")
    assert visit.locator("img.shot").count() == 1, "sent again after all that, it is one"


def test_a_certificate_of_ten_megabytes_goes_through(page: Page, tmp_path: Path) -> None:
    scan = tmp_path / "certificate.pdf"
    scan.write_bytes(b"%PDF-1.4\n" + bytes(10_000_000) + b"\n%%EOF\n")
    sign_in(page)
    page.goto("/shelf/")
    page.locator("a[href^='/shelf/lots/']").first.click()
    page.get_by_text("Add its certificate").click()
    page.locator("#certificate").set_input_files(tmp_path / "certificate.pdf")
    page.get_by_role("button", name="Save certificate").click()
    link = page.get_by_role("link", name="Its certificate")
    expect(link).to_be_visible()
    answer = page.request.get(link.get_attribute("href") or "")
    assert (answer.headers["content-type"], len(answer.body())) == ("application/pdf", scan.stat().st_size)
    assert answer.headers["content-disposition"].startswith("attachment; filename=certificate-")
