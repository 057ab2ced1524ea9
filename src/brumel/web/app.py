"""The one place where the web application is wired."""

from __future__ import annotations

import logging
import uuid
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from flask import Flask, jsonify, request
from flask.typing import ResponseReturnValue
from flask_login import LoginManager, current_user
from flask_wtf.csrf import CSRFProtect
from werkzeug.middleware.proxy_fix import ProxyFix

from brumel.core.record.shapes import MOST_BYTES
from brumel.services.acts import acts_as
from brumel.services.application import Services
from brumel.services.cached.remembered import one_look
from brumel.web import (
    access,
    api,
    auth,
    bench,
    errors,
    files,
    find,
    guide,
    kit,
    ledger,
    live,
    plan,
    reckon,
    rounds,
    security,
    shelf,
    start,
    today,
    visits,
)
from brumel.web.figures import ribbon
from brumel.web.formatting import register_filters
from brumel.web.signed_in import SignedIn


@dataclass(frozen=True)
class WebSettings:
    """What the web application has to know."""

    secret_key: str
    demo: bool = False
    proxy_hops: int = 0
    trusted_hosts: tuple[str, ...] = ("127.0.0.1", "localhost")


def create_app(services: Services, settings: WebSettings) -> Flask:
    """Make the application over the given services."""
    app = Flask(__name__, static_url_path=f"/static/{files.content_hash(Path(__file__).parent / 'static')}")
    app.request_class = security.TypedRequest
    app.config.update(
        SECRET_KEY=settings.secret_key,
        SESSION_COOKIE_NAME="brumel",
        SESSION_COOKIE_SECURE=True,
        SESSION_COOKIE_HTTPONLY=True,
        SESSION_COOKIE_SAMESITE="Lax",
        MAX_CONTENT_LENGTH=1_000_000,
        WTF_CSRF_TIME_LIMIT=None,
        WTF_CSRF_SSL_STRICT=False,
        SEND_FILE_MAX_AGE_DEFAULT=security.A_YEAR_S,
        TRUSTED_HOSTS=list(settings.trusted_hosts) or None,
        DEMO=settings.demo,
        PROVIDE_AUTOMATIC_OPTIONS=False,
    )
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True
    app.extensions["brumel"] = services
    if settings.proxy_hops:
        app.wsgi_app = ProxyFix(  # type: ignore[method-assign]
            app.wsgi_app, x_for=settings.proxy_hops, x_proto=settings.proxy_hops, x_host=settings.proxy_hops
        )
    security.guard(app)
    access.bound(app)
    CSRFProtect(app).exempt(api.blueprint)  # it takes no cookie into account and changes nothing
    _sign_in(app, services)
    access.guard(app)
    errors.register(app)
    errors.say_every_refusal(app)
    register_filters(app, services.clock)
    for place in (auth, start, today, kit, shelf, plan, bench, rounds, visits, reckon, ledger, find, guide, live, api):
        app.register_blueprint(place.blueprint)

    dispatch = app.dispatch_request

    def look_once() -> ResponseReturnValue:
        """Read once how much has been recorded where one only looks; let who is signed in act where not."""
        if request.method == "GET":
            with one_look():
                return dispatch()
        with acts_as(current_user.key if current_user.is_authenticated else ""):
            return dispatch()

    app.dispatch_request = look_once  # type: ignore[method-assign]

    @app.context_processor
    def shared() -> dict[str, Any]:
        return {
            "ribbon": lambda of, unfolds: ribbon.drawn(services, of or None, unfolds=bool(unfolds)),
            "demo": settings.demo,
            "zone": str(services.clock.timezone).replace("_", " "),
            "theme": request.cookies.get("theme", "day"),
            "new_id": uuid.uuid4,
            "most_bytes": MOST_BYTES,
            "now": services.clock.now(),
        }

    @app.get("/healthy")
    def healthy() -> str:
        """Say that this process answers."""
        return "ok"

    @app.get("/ready")
    def ready() -> ResponseReturnValue:
        """Say whether all that it leans on is there; as JSON, for a monitor."""
        checks = services.health.checks()
        well = not any(c.wrong for c in checks)
        checked = {c.name: c.wrong or "ok" for c in checks}
        return jsonify(ready=well, checks=checked, serves_apart=services.health.serves_apart), 200 if well else 503

    logging.getLogger("werkzeug").setLevel(logging.WARNING)
    return app


def _sign_in(app: Flask, services: Services) -> None:
    manager = LoginManager(app)

    @manager.user_loader
    def load(key: str) -> SignedIn | None:
        person = services.people.signed_in(key)
        return SignedIn(person, key) if person else None
