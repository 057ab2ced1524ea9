"""Headers that every answer carries."""

from __future__ import annotations

from flask import Flask, Response

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
