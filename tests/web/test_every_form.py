"""Every page that can be reached by links opens, and whatever is sent to every form on them breaks nothing."""

from __future__ import annotations

import random

import pytest
from flask.testing import FlaskClient
from tests.web.screens import BASE, enter
from tests.web.walking import walk

NUL = "\0a"
JUNK = ("", "x", "-1", "1e999", "NaN", "9" * 400, "2026-13-45", "<b>\"'", "１２", "\U0001f4a7" * 300)


@pytest.mark.parametrize("role", ["supervisor", "reader"])
def test_every_page_opens_and_every_form_takes_anything(client: FlaskClient, role: str) -> None:
    enter(client, role)
    seen, forms = walk(client)
    assert len(seen) > 40
    assert {path: status for path, status in seen.items() if status not in (200, 302, 308)} == {}
    chance = random.Random(20261125)
    broken = []
    for (path, method), fields in forms.items():
        for junk in (NUL, *chance.sample(JUNK, 2 if role == "supervisor" else 0)):  # a reader is refused whatever it is
            sent = [
                (name, value if name == "csrf_token" or chance.random() < 0.4 else junk)
                for name, kind, value in fields
                if kind not in ("file", "checkbox", "radio", "button") or chance.random() < 0.5
            ]
            plain = {name: [v for n, v in sent if n == name] for name, _ in sent}
            if method == "post":
                answer = client.post(path, data=plain, base_url=BASE, headers={"Referer": BASE + "/"})
            else:
                answer = client.get(path, query_string=plain, base_url=BASE)
            if answer.status_code >= 500:
                broken.append((path, junk[:20], answer.status_code))
    assert broken == []
