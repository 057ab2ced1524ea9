"""What gunicorn calls: one factory for the demonstration, one for real work."""

from __future__ import annotations

import gc

from flask import Flask

from brumel.services.application import Services
from brumel.services.clock import Clock
from brumel.settings import read_settings
from brumel.store.database import Database
from brumel.web.app import WebSettings, create_app


def serve() -> Flask:
    """The application for real work."""
    return _make(demo=False)


def demo() -> Flask:
    """The application with the demonstration's one-click sign-in."""
    return _make(demo=True)


def _make(*, demo: bool) -> Flask:
    settings = read_settings()
    clock = Clock(settings.timezone, settings.now)
    services = Services.over(Database(settings.database_url), clock, settings.order, settings.data, settings.stays)
    app = create_app(services, WebSettings(settings.secret_key, demo, settings.proxy_hops, settings.hosts))
    # What is there now stays: the collector need not walk through it within a request.
    gc.freeze()
    return app
