"""What a browser keeps, and what it opens: nothing once it was signed out of."""

from __future__ import annotations

import pytest
from flask.testing import FlaskClient
from tests.web.screens import BASE, enter, post

from brumel import demo

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


def test_two_who_share_a_tablet_are_both_known(client: FlaskClient) -> None:
    post(client, "/sign-in", login="mira", password=demo.PASSWORD)
    alone = kept(client, "browser")
    post(client, "/sign-out")
    post(client, "/sign-in/demo", role="supervisor")
    assert len(kept(client, "browser")) > len(alone)


@pytest.mark.parametrize(("name", "begins"), [
    ("Permissions-Policy", "accelerometer=(), bluetooth=(), camera=()"),
    ("Cross-Origin-Opener-Policy", "same-origin"),
    ("X-Content-Type-Options", "nosniff"),
    ("Strict-Transport-Security", "max-age=31536000"),
    ("Content-Security-Policy", "default-src 'none'"),
])  # fmt: skip
def test_what_every_answer_carries(client: FlaskClient, name: str, begins: str) -> None:
    assert client.get("/sign-in", base_url=BASE).headers[name].startswith(begins)


def test_without_tls_nobody_is_bound_to_it(client: FlaskClient) -> None:
    assert "Strict-Transport-Security" not in client.get("/sign-in", base_url="http://localhost").headers
