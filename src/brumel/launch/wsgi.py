"""The web server: one process of several that share a claimed port, for the demonstration or for real work."""

from __future__ import annotations

import gc
import logging
import signal
import socket
from types import FrameType

import waitress
from flask import Flask

from brumel.core.record.shapes import MOST_BYTES
from brumel.services.application import Services
from brumel.services.clock import Clock
from brumel.settings import notes_of, read_settings
from brumel.store.database import Database
from brumel.web.app import WebSettings, create_app

_THREADS = 40
"""More than the live streams and pages of a team: each stream holds one."""
_MOST_CONNECTIONS = 500
_IDLE_S = 20
"""A connection that says nothing for so long is closed."""
_ENDS_WITHIN_S = 2.0


def serve_web(listening: socket.socket, *, demo: bool) -> None:
    """Answer on a port until a signal to stop.

    A request gets a thread once it is whole, head and body: whoever sends half of one holds a connection and no more.
    """
    # What is told of busy threads helps nobody: pages wait for a moment, and come.
    logging.getLogger("waitress.queue").setLevel(logging.ERROR)
    server = waitress.create_server(
        application(demo=demo), sockets=[listening], threads=_THREADS, ident=None, asyncore_use_poll=True,
        connection_limit=_MOST_CONNECTIONS, channel_timeout=_IDLE_S, cleanup_interval=5, channel_request_lookahead=1,
        max_request_header_size=32_768, max_request_body_size=MOST_BYTES + 1_000_000,
        clear_untrusted_proxy_headers=False,  # Flask reads them where a proxy is told, and nowhere else
    )  # fmt: skip

    def stop(number: int, frame: FrameType | None) -> None:
        del number, frame
        raise SystemExit

    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, stop)
    try:
        server.asyncore.loop(timeout=1, map=server._map, use_poll=True)
    except SystemExit:
        server.task_dispatcher.shutdown(timeout=_ENDS_WITHIN_S)


def application(*, demo: bool) -> Flask:
    """The application over the database that the settings name; with the one-click sign-in for a demonstration."""
    settings = read_settings()
    clock = Clock(settings.timezone, settings.now)
    services = Services.over(
        Database(settings.database_url), clock, settings.order, settings.data, settings.stays,
        notes_of(settings, demo=demo),
    )  # fmt: skip
    app = create_app(services, WebSettings(settings.secret_key, demo, settings.proxy_hops, settings.hosts))
    # What is there now stays: the collector need not walk through it within a request.
    gc.freeze()
    return app
