"""A walk through every page that links lead to, and the forms on them."""

from __future__ import annotations

import re
from collections import Counter, deque
from html.parser import HTMLParser
from urllib.parse import urljoin, urlsplit

from flask.testing import FlaskClient
from tests.web.screens import BASE

LEAVES = ("/sign-out", "/sign-in", "/theme")
EACH = 2
"""Of pages that differ only in a key, so many are looked at."""

Field = tuple[str, str, str]
"""Name, type (``number`` where numbers are typed), and the value that it stands at."""


def kind_of(tag: str, have: dict[str, str]) -> str:
    """What a field takes: numbers stand in fields of their own look."""
    return "number" if "number" in have.get("class", "").split() else have.get("type", tag)


class Page(HTMLParser):
    """Links of a page, and its forms with their fields."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.links: list[str] = []
        self.forms: list[tuple[str, str, list[Field]]] = []
        self._fields: list[Field] | None = None
        self.feed(text)

    def handle_starttag(self, tag: str, given: list[tuple[str, str | None]]) -> None:
        have = {k: v or "" for k, v in given}
        if tag == "a" and "href" in have:
            self.links.append(have["href"])
        elif tag == "form":
            self._fields = []
            self.forms.append((have.get("action", ""), have.get("method", "get"), self._fields))
        elif self._fields is not None and have.get("name") and tag in ("input", "select", "textarea", "button"):
            self._fields.append((have["name"], kind_of(tag, have), have.get("value", "")))
        elif tag == "option" and self._fields and have.get("value") and not self._fields[-1][2]:
            name, kind, _ = self._fields[-1]
            self._fields[-1] = (name, kind, have["value"])

    def handle_endtag(self, tag: str) -> None:
        if tag == "form":
            self._fields = None


def shape(path: str) -> str:
    return re.sub(r"[0-9a-f]{8}-[0-9a-f-]{27}", "KEY", path)


def walk(client: FlaskClient) -> tuple[dict[str, int], dict[tuple[str, str], list[Field]]]:
    """Every page by its address with its status, and every form by where and how it is sent."""
    seen: dict[str, int] = {}
    forms: dict[tuple[str, str], tuple[str, list[Field]]] = {}
    looked: Counter[str] = Counter()
    ahead = deque(["/"])
    while ahead:
        path = ahead.popleft()
        if path in seen or looked[shape(urlsplit(path).path)] >= EACH:
            continue
        looked[shape(urlsplit(path).path)] += 1
        answer = client.get(path, base_url=BASE)
        seen[path] = answer.status_code
        if answer.is_json or not answer.mimetype.startswith("text/html"):
            continue
        page = Page(answer.text)
        for link in page.links:
            to = urlsplit(urljoin(BASE + path, link))
            if to.netloc == urlsplit(BASE).netloc and not to.path.startswith(LEAVES):
                ahead.append(to.path + (f"?{to.query}" if to.query else ""))
        for action, method, fields in page.forms:
            to_path = urlsplit(urljoin(BASE + path, action or path)).path
            if not to_path.startswith(LEAVES):
                forms.setdefault((shape(to_path), method), (to_path, fields))
    return seen, {(path, method): fields for (_, method), (path, fields) in forms.items()}
