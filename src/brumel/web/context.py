"""What every view needs: the services and who is signed in."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, cast

from flask import current_app, g
from flask_login import current_user

from brumel.services.application import Services
from brumel.services.catalog import ProbeState

if TYPE_CHECKING:
    from brumel.web.auth.views import SignedIn


def services() -> Services:
    """The services of this application."""
    return cast(Services, current_app.extensions["brumel"])


def probe_states(parameter: str | None = None) -> list[ProbeState]:
    """All probes, or those of one parameter, with what they are worth now; read once for a page and its ribbon."""
    if "probe_states" not in g:
        g.probe_states = services().catalog.probe_states()
    return [s for s in g.probe_states if parameter in (None, s.parameter)]


def signed_in() -> Any:
    """The person who is signed in."""
    return cast("SignedIn", current_user).person
