"""What a browser keeps, and what it opens: nothing once it was signed out of."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import psycopg
import pytest
from flask.testing import FlaskClient
from tests.conftest import Urls
from tests.web.screens import BASE, enter, post

from brumel import demo
from brumel.services.application import Services
from brumel.services.health import note_restart
from brumel.web.app import WebSettings, create_app

SECURE = ("Secure", "HttpOnly", "SameSite=Lax")


def kept(client: FlaskClient, name: str) -> str:
    cookie = client.get_cookie(name, "localhost")
    assert cookie
    return cookie.value


def test_a_copied_cookie_opens_nothing_after_signing_out(client: FlaskClient) -> None:
    enter(client, "technician")
    copied = kept(client, "brumel")
    assert client.get("/kit/", base_url=BASE).status_code == 200
    post(client, "/sign-out")
    client.set_cookie("brumel", copied, domain="localhost", secure=True)
    answer = client.get("/kit/", base_url=BASE)
    assert answer.status_code == 302
    assert answer.headers["Location"].startswith("/sign-in")


def test_a_browser_is_known_again_by_a_signed_cookie(client: FlaskClient) -> None:
    answer = post(client, "/sign-in", login="mira", password=demo.PASSWORD)
    given = [c for c in answer.headers.getlist("Set-Cookie") if c.startswith("browser=")]
    assert len(given) == 1
    assert all(word in given[0] for word in SECURE)
    first = kept(client, "browser")
    post(client, "/sign-out")
    for _ in range(5):
        post(client, "/sign-in", login="mira", password="wrong")
    assert "Too many" in post(client, "/sign-in", login="mira", password=demo.PASSWORD).text
    client.set_cookie("browser", "forged", domain="localhost", secure=True)
    assert post(client, "/sign-in", login="mira", password=demo.PASSWORD).status_code == 302
    assert kept(client, "browser") != first


def test_two_who_share_a_tablet_share_what_it_is_known_by(client: FlaskClient, urls: Urls) -> None:
    post(client, "/sign-in", login="mira", password=demo.PASSWORD)
    alone = kept(client, "browser")
    post(client, "/sign-out")
    post(client, "/sign-in/demo", role="supervisor")
    assert kept(client, "browser") == alone
    with psycopg.connect(urls.owner) as owner:
        row = owner.execute(
            "SELECT count(DISTINCT login) FROM login_attempt WHERE succeeded "
            "GROUP BY came_from ORDER BY max(id) DESC LIMIT 1"
        ).fetchone()
    assert row == (2,)


@pytest.mark.parametrize(("name", "begins"), [
    ("Permissions-Policy", "accelerometer=(), camera=()"),
    ("Cross-Origin-Opener-Policy", "same-origin"),
    ("X-Content-Type-Options", "nosniff"),
    ("Strict-Transport-Security", "max-age=31536000"),
    ("Content-Security-Policy", "default-src 'none'"),
])  # fmt: skip
def test_what_every_answer_carries(client: FlaskClient, name: str, begins: str) -> None:
    assert client.get("/sign-in", base_url=BASE).headers[name].startswith(begins)


def test_without_tls_nobody_is_bound_to_it(client: FlaskClient) -> None:
    assert "Strict-Transport-Security" not in client.get("/sign-in", base_url="http://localhost").headers


def test_today_says_what_was_started_again_and_why(services: Services, tmp_path: Path) -> None:
    notes = tmp_path / "demo" / "restarts.jsonl"
    told = replace(services, health=replace(services.health, notes=notes))
    with create_app(told, WebSettings("test", demo=True)).test_client() as client:
        enter(client, "technician")
        assert "Started again by itself" not in client.get("/", base_url=BASE).text
        for number in range(60):
            note_restart(notes, "link" if number % 2 else "simulated bench", "code 1")
        note_restart(notes, "link", "signal 9")
        page = client.get("/", base_url=BASE).text
    assert "Started again by itself" in page
    assert "The link ended (signal 9)" in page
    assert page.count(" ended (") == 2
    assert len(notes.read_text().splitlines()) == 50


def test_a_folder_that_takes_no_note_stops_nothing(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("")
    note_restart(tmp_path / "file" / "restarts.jsonl", "link", "signal 9")


def test_who_changes_what_another_changed_is_told_at_the_top(client: FlaskClient, services: Services) -> None:
    enter(client, "technician")
    planned = services.planned.ahead()[0]
    fields = {"kit": planned.kit, "rinse": planned.rinse, "site": str(planned.site_ids[0]), "version": planned.version}
    for day, status in (("06", 302), ("07", 422)):
        answer = post(client, f"/plan/{planned.id}", departure=f"2026-05-{day}T20:30", **fields)
        assert answer.status_code == status
    top = answer.text.split("<h1>")[0]
    assert "Somebody changed it meanwhile; what stands now: departure “Wed 6 May, 20:30”" in top
    assert 'value="2026-05-07T20:30"' in answer.text
