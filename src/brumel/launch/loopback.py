"""Where everything is started, and what is said when it could not be."""

from __future__ import annotations

HOST = "127.0.0.1"


class LaunchError(Exception):
    """Something could not be started; one line that says what to do."""
