"""What every answer carries, and what no question may carry."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from flask import Flask, Request, Response, request
from werkzeug.datastructures import ImmutableMultiDict
from werkzeug.exceptions import SecurityError

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


_NOTHING_OF_THE_DEVICE = ", ".join(
    f"{name}=()"
    for name in ("accelerometer", "camera", "display-capture", "geolocation", "gyroscope", "hid",
                 "magnetometer", "microphone", "midi", "payment", "serial", "usb", "xr-spatial-tracking")
)  # fmt: skip
"""A photo comes through a file field, for which no page needs the camera itself."""
A_YEAR_S = 365 * 86_400


class _Fields(ImmutableMultiDict[str, Any]):
    """Typed fields without NUL, which no text in the database can hold and no keyboard types."""

    def __init__(self, fields: Iterable[tuple[str, Any]] = ()) -> None:
        super().__init__([(k, v.replace("\0", "") if isinstance(v, str) else v) for k, v in fields])


class TypedRequest(Request):
    """A request as the views see it: who asks for the head of a page only looks, whatever else is sent with it."""

    parameter_storage_class = _Fields

    def __init__(self, environ: dict[str, Any], *args: Any, **kwargs: Any) -> None:
        super().__init__(environ, *args, **kwargs)
        if self.method == "HEAD":  # what is answered has no body all the same: that is told by the environ
            self.method = "GET"
        if self.method == "GET":  # a form's body is for who sends a form
            self.form, self.files = ImmutableMultiDict[str, str](), ImmutableMultiDict[str, Any]()


def guard(app: Flask) -> None:
    """Answer only under our own names; set a strict content security policy and its companions."""

    @app.before_request
    def under_our_name() -> Response | None:
        # No page can be made for it: all addresses on a page would be under that name.
        if not isinstance(request.routing_exception, SecurityError):
            return None
        words = "This server is not reached under that name: ask who runs it which one to use (BRUMEL_HOSTS).\n"
        return Response(words, 400, mimetype="text/plain")

    @app.after_request
    def headers(response: Response) -> Response:
        response.headers["Content-Security-Policy"] = _POLICY
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "same-origin"
        response.headers["Permissions-Policy"] = _NOTHING_OF_THE_DEVICE
        response.headers["Cross-Origin-Opener-Policy"] = "same-origin"
        if request.is_secure:
            response.headers["Strict-Transport-Security"] = f"max-age={A_YEAR_S}"
        if request.endpoint != "static":  # what is shown is of who is signed in
            response.headers["Cache-Control"] = "no-store"
        return response
