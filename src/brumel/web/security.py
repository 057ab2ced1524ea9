"""What every answer carries, and what no question may carry."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from flask import Flask, Request, Response
from werkzeug.datastructures import ImmutableMultiDict

_POLICY = "; ".join(
    (
        "default-src 'none'",
        "script-src 'self'",
        "style-src 'self'",
        "font-src 'self'",
        "img-src 'self' data:",
        "connect-src 'self'",
        "form-action 'self'",
        "frame-ancestors 'none'",
        "base-uri 'none'",
    )
)


class _Fields(ImmutableMultiDict[str, Any]):
    """Typed fields without NUL, which no text in the database can hold and no keyboard types."""

    def __init__(self, fields: Iterable[tuple[str, Any]] = ()) -> None:
        super().__init__([(k, v.replace("\0", "") if isinstance(v, str) else v) for k, v in fields])


class TypedRequest(Request):
    """A request as the views see it."""

    parameter_storage_class = _Fields


def add_headers(app: Flask) -> None:
    """Set a strict content security policy and its companions."""

    @app.after_request
    def headers(response: Response) -> Response:
        response.headers["Content-Security-Policy"] = _POLICY
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "same-origin"
        if response.mimetype == "text/html":
            response.headers["Cache-Control"] = "no-store"
        return response
