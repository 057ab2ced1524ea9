"""The demonstration's data behind the screens, anew for each module."""

from __future__ import annotations

import html
from collections.abc import Iterator

import pytest
from flask import Flask, Response, g, template_rendered
from flask.testing import FlaskClient
from tests.services.demonstrated import services, template

from brumel.services.application import Services
from brumel.web.app import WebSettings, create_app

__all__ = ["services", "template"]


@pytest.fixture(scope="module")
def app(services: Services) -> Flask:
    """One application for a file of tests: a new one reads every template again."""
    return create_app(services, WebSettings("test", demo=True))


@pytest.fixture
def client(app: Flask) -> Iterator[FlaskClient]:
    with app.test_client() as made:
        yield made


@pytest.fixture(autouse=True)
def every_refusal_is_shown(app: Flask) -> Iterator[None]:
    """A page that refuses says every sentence of it: what was typed under "something else" once vanished silently."""
    unsaid: list[str] = []

    def note(_sender: object, template: object, context: dict[str, object], **_: object) -> None:
        errors = context.get("errors")
        g.refused = [str(words) for words in errors.values()] if isinstance(errors, dict) else []
        del template

    def look(answer: Response) -> Response:
        if answer.status_code == 422 and answer.mimetype == "text/html" and getattr(g, "refused", None):
            page = html.unescape(answer.get_data(as_text=True))
            unsaid.extend(words for words in g.refused if words not in page)
        return answer

    app.after_request_funcs.setdefault(None, []).insert(0, look)  # the first of them is asked last
    with template_rendered.connected_to(note, app):
        yield
    app.after_request_funcs[None].remove(look)
    assert unsaid == []
