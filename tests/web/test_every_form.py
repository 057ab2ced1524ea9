"""Every page that can be reached by links opens, and whatever is sent to every form on them breaks nothing."""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import dataclass

import pytest
from flask import Flask
from flask.testing import FlaskClient
from sqlalchemy import func, select
from tests.web.hostile import PLAIN, USUAL
from tests.web.screens import BASE, enter
from tests.web.walking import Field, walk

from brumel.services.application import Services
from brumel.store.models.base import Base
from brumel.store.models.tables import OF_THE_OWNER

NUL = "\0a"
JUNK = ("", "x", "-1", "1e999", "NaN", "9" * 400, "2026-13-45", "<b>\"'", "１２", "\U0001f4a7" * 300)


@dataclass(frozen=True)
class Walked:
    """Who has walked through every page, and what there was."""

    role: str
    client: FlaskClient
    seen: dict[str, int]
    forms: dict[tuple[str, str], list[Field]]


@pytest.fixture(scope="module", params=["supervisor", "reader"])
def walked(app: Flask, request: pytest.FixtureRequest) -> Iterator[Walked]:
    with app.test_client() as client:
        enter(client, request.param)
        yield Walked(request.param, client, *walk(client))


def counted(services: Services) -> dict[str, int]:
    """Count the rows of each table."""
    with services.ledger.database.session() as session:
        hidden = {model.__tablename__ for model in OF_THE_OWNER}
        seen = [table for table in Base.metadata.sorted_tables if table.name not in hidden]
        return {t.name: session.scalar(select(func.count()).select_from(t)) or 0 for t in seen}


def test_every_page_opens(walked: Walked) -> None:
    assert len(walked.seen) > 40
    assert {path: status for path, status in walked.seen.items() if status not in (200, 302, 308)} == {}


def test_head_only_looks_whatever_is_sent_with_it(walked: Walked, services: Services) -> None:
    """Every form of every page, filled in as somebody would and sent by HEAD, token and all, records nothing."""
    before = counted(services)
    for (path, _), fields in walked.forms.items():
        sent = {name: value or USUAL.get(name, PLAIN.get(kind, "x")) for name, kind, value in fields}
        answer = walked.client.head(path, data=sent, base_url=BASE, headers={"Referer": BASE})
        assert answer.status_code in (200, 302, 403, 404, 405, 422), path
        assert answer.data == b""
    assert counted(services) == before
    assert walked.client.head("/bench/", base_url=BASE).status_code == 200


def test_every_form_takes_anything(walked: Walked) -> None:
    chance = random.Random(20261125)
    broken = []
    for (path, method), fields in walked.forms.items():
        few = 2 if walked.role == "supervisor" else 0  # a reader is refused whatever it is
        for junk in (NUL, *chance.sample(JUNK, few)):
            sent = [
                (name, value if name == "csrf_token" or chance.random() < 0.4 else junk)
                for name, kind, value in fields
                if kind not in ("file", "checkbox", "radio", "button") or chance.random() < 0.5
            ]
            plain = {name: [v for n, v in sent if n == name] for name, _ in sent}
            if method == "post":
                answer = walked.client.post(path, data=plain, base_url=BASE, headers={"Referer": BASE + "/"})
            else:
                answer = walked.client.get(path, query_string=plain, base_url=BASE)
            if answer.status_code >= 500:
                broken.append((path, junk[:20], answer.status_code))
    assert broken == []
