"""Every role at every endpoint by every method: one table, and nothing open that does not stand in it."""

from __future__ import annotations

import re
import uuid
from collections.abc import Iterator

import pytest
from flask import Flask
from flask.testing import FlaskClient
from tests.web.screens import BASE, enter, token
from werkzeug.exceptions import MethodNotAllowed, NotFound

from brumel.services.application import Services
from brumel.web.access import DOORS, EVERYBODY, RECORDS, SUPERVISES, Door
from brumel.web.app import WebSettings, create_app

METHODS = ("GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS", "TRACE")
MAY = {
    "stranger": {EVERYBODY.name},
    "reader": {EVERYBODY.name, "signed in"},
    "technician": {EVERYBODY.name, "signed in", RECORDS.name},
    "supervisor": {EVERYBODY.name, "signed in", RECORDS.name, SUPERVISES.name},
}
LEAVES = ("auth.sign_out", "auth.sign_in", "auth.demo", "live.stream")
"""Asked last or elsewhere: they end the session, or never end."""


@pytest.fixture(scope="module")
def app(services: Services) -> Flask:
    return create_app(services, WebSettings("doors", demo=True))


@pytest.fixture(params=MAY)
def who(app: Flask, request: pytest.FixtureRequest) -> Iterator[tuple[str, FlaskClient]]:
    with app.test_client() as client:
        if request.param != "stranger":
            enter(client, request.param)
        yield request.param, client


def address(rule: str) -> str:
    """Some address under a rule, about something that is not there."""
    found = re.sub(r"<any\(([a-z]+)[^>]*>", r"\1", rule)
    return re.sub(r"<(?:uuid|path)?:?[a-z_]+>", str(uuid.UUID(int=7)), found)


def door_at(app: Flask, path: str, method: str) -> Door | None:
    """The door that a path leads to by a method, whichever of several endpoints under it takes that one."""
    try:
        endpoint, _ = app.url_map.bind("localhost").match(path, method=method)
    except (MethodNotAllowed, NotFound):
        return None
    return DOORS.get((endpoint, method))


def test_the_table_names_every_endpoint_and_no_other(app: Flask) -> None:
    there = {
        (rule.endpoint, method)
        for rule in app.url_map.iter_rules()
        for method in (rule.methods or set()) - {"HEAD"}
    }  # fmt: skip
    assert there - {("static", "OPTIONS")} == set(DOORS)  # Flask makes that one; it is kept out below


def test_who_comes_in_where(app: Flask, who: tuple[str, FlaskClient]) -> None:
    role, client = who
    key = token(client)
    odd = []
    for rule in app.url_map.iter_rules():
        if rule.endpoint in LEAVES:
            continue
        # What no door is for is the same for everybody; the strongest role tries it.
        for method in METHODS if role == "supervisor" else ("GET", "POST"):
            headers = {"Referer": BASE, "X-CSRFToken": key}
            path = address(rule.rule)
            answer = client.open(path, method=method, base_url=BASE, headers=headers)
            door = door_at(app, path, "GET" if method == "HEAD" else method)
            kept_out = answer.status_code == 403 or (
                answer.status_code == 302 and answer.headers["Location"].startswith("/sign-in?next=")
            )
            if door is None:
                if answer.status_code not in (302, 403, 404, 405):
                    odd.append((rule.endpoint, method, answer.status_code))
            elif kept_out == (door.name in MAY[role]):
                odd.append((rule.endpoint, method, answer.status_code))
    assert odd == []


def test_an_endpoint_that_is_forgotten_lets_nobody_in(services: Services) -> None:
    forgetful = create_app(services, WebSettings("doors", demo=True))
    forgetful.add_url_rule("/forgotten", "forgotten", lambda: "open")
    with forgetful.test_client() as client:
        enter(client, "supervisor")
        assert client.get("/forgotten", base_url=BASE).status_code == 403


def test_head_signs_nobody_in(app: Flask, services: Services) -> None:
    services.people.add("hedda", "Hedda", "technician", "long enough")
    with app.test_client() as client:
        for path, form in (
            ("/sign-in", {"login": "hedda", "password": "long enough"}),
            ("/sign-in/demo", {"role": "supervisor"}),
        ):
            client.head(path, data=form, base_url=BASE, headers={"Referer": BASE})
        assert client.get("/", base_url=BASE).status_code == 302
