"""What every view needs: the services and who is signed in."""

from __future__ import annotations

import uuid
from typing import TYPE_CHECKING, Any, cast

from flask import abort, current_app, g, request
from flask_login import current_user

from brumel.core.typed import whole_written
from brumel.services.application import Services
from brumel.services.probes.states import ProbeState

if TYPE_CHECKING:
    from brumel.web.signed_in import SignedIn


def services() -> Services:
    """Return the services of this application."""
    return cast(Services, current_app.extensions["brumel"])


def probe_states(*, on_bench: bool = False) -> list[ProbeState]:
    """Return all probes, or those that are calibrated and read here; read once for a page and its ribbon."""
    if "probe_states" not in g:
        g.probe_states = services().states.probe_states()
    return [s for s in g.probe_states if s.on_bench or not on_bench]


def into_water(probe_id: uuid.UUID, site_id: uuid.UUID | None) -> int:
    """Put a probe into the water of a site; the number of the sample after which its trace begins."""
    device = services().states.probe(probe_id).device
    after = services().live.newest_sample(device.id) if device else 0
    if site_id is not None:
        services().simulation.into_site(device, site_id, signed_in())
    return after


def signed_in() -> Any:
    """Return the person who is signed in."""
    return cast("SignedIn", current_user).person


def own_unit(kept: str) -> str:
    """Return the unit that the person who is signed in reads in the place of one that is kept."""
    return str((signed_in().units or {}).get(kept, kept))


def page_number() -> int:
    """Say which page of a list is asked for, from 1; 404 where that is no number."""
    number = whole_written(request.args.get("page", "1"), 5)
    if not number:
        abort(404)
    return number
