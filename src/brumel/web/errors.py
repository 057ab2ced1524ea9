"""One handler for what goes wrong: a page with a sentence, or JSON where JSON was asked for."""

from __future__ import annotations

import errno
from collections.abc import Sequence
from html import unescape
from typing import Any

from flask import Flask, Response, current_app, g, jsonify, render_template, request, template_rendered
from flask.typing import ResponseReturnValue
from flask_wtf.csrf import CSRFError
from markupsafe import escape
from werkzeug.exceptions import HTTPException

from brumel.core.errors import CoreError
from brumel.services.errors import Forbidden, InvalidInput, NotFound, ServiceError

_WORDS = {
    400: "The request could not be read.",
    403: "This is not allowed for your role.",
    404: "There is no such page.",
    405: "This can't be done here.",
    413: "What was sent is too large: a photo or a certificate may have 12 MB, a form far less. Nothing was recorded; "
    "go back, what you typed is still there.",
    500: "Something went wrong inside. Nothing was recorded; go back and try again.",
}

_OURS = 500
"""From here on the page leans on nothing that may be what failed."""
_LATER = {"Retry-After": "5"}
_FULL = (errno.ENOSPC, errno.EDQUOT)


_UNPROCESSABLE = 422
_PLACE = "<span data-unsaid hidden></span>"


def say_every_refusal(app: Flask) -> None:
    """Put refusals that no field of the page shows at its top: none is ever silent."""

    def note(_sender: Flask, template: object, context: dict[str, Any], **_more: object) -> None:
        del template
        errors = context.get("errors")
        g.refused = [str(words) for words in errors.values()] if isinstance(errors, dict) else []

    @app.after_request
    def say(response: Response) -> Response:
        refused = g.get("refused", [])
        if response.status_code == _UNPROCESSABLE and refused and response.mimetype == "text/html":
            page = response.get_data(as_text=True)
            shown = unescape(page)
            unsaid = [f'<p class="flash-error alert alert-danger" role="alert">{escape(words)}</p>'
                      for words in dict.fromkeys(refused) if words not in shown]  # fmt: skip
            if unsaid:
                response.set_data(page.replace(_PLACE, "".join(unsaid), 1))
        return response

    template_rendered.connect(note, app, weak=False)


def register(app: Flask) -> None:
    """Register the handlers."""

    @app.errorhandler(ServiceError)
    def service(error: ServiceError) -> ResponseReturnValue:
        code = {NotFound: 404, Forbidden: 403, InvalidInput: 422}.get(type(error), 409)
        return _answer(code, str(error))

    @app.errorhandler(CoreError)
    def core(error: CoreError) -> ResponseReturnValue:
        fields = getattr(error, "fields", None)
        return _answer(404 if fields and "calc" in fields else 422, str(error), fields)

    @app.errorhandler(CSRFError)
    def forged(error: CSRFError) -> ResponseReturnValue:
        del error
        return _answer(400, "This page was open too long or came from elsewhere: go back, reload it and send again.")

    @app.errorhandler(HTTPException)
    def http(error: HTTPException) -> ResponseReturnValue:
        code = error.code or 500
        return _answer(code, _WORDS.get(code, error.name))

    @app.errorhandler(Exception)
    def unexpected(error: Exception) -> ResponseReturnValue:
        # The store's own sentences are made for technicians; anything else shows no detail.
        words = getattr(error, "for_people", None)
        if isinstance(error, OSError) and error.errno in _FULL:
            return _away("The disk of this server is full: free some space. Nothing was recorded.")
        if words is None:
            app.logger.exception("unexpected error")
            return _answer(500, _WORDS[500])
        if getattr(error, "unreachable", False):
            return _away(words)
        return _answer(404 if getattr(error, "missing", False) else 409, words)


def _away(words: str) -> ResponseReturnValue:
    """Return a page that needs no database; what was typed is on it, to be sent again."""
    if _wants_json():
        return jsonify(error=words), 503, _LATER
    secret = request.endpoint in ("auth.sign_in", "auth.units")
    kept = [] if secret else list(request.form.items(multi=True))
    return _bare_page(503, words, kept), 503, _LATER


def _bare_page(code: int, words: str, kept: Sequence[tuple[str, str]] = ()) -> str:
    """Return a page without whoever is signed in: who that is, only a database could say."""
    template = current_app.jinja_env.get_template("away.html")
    return template.render(request=request, code=code, words=words, kept=kept)


def _wants_json() -> bool:
    best = request.accept_mimetypes.best_match(["text/html", "application/json"])
    return best == "application/json" or request.path.startswith("/api/")


def _answer(code: int, words: str, fields: dict[str, str] | None = None) -> ResponseReturnValue:
    if _wants_json():
        return jsonify(error=words, **({"fields": fields} if fields else {})), code
    if code >= _OURS:
        return _bare_page(code, words), code
    return render_template("error.html", code=code, words=words), code
