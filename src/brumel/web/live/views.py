"""Live samples as server-sent events."""

from __future__ import annotations

import uuid
from urllib.parse import parse_qsl

from flask import Blueprint, Response, abort, current_app, request
from flask.typing import ResponseReturnValue
from flask_login import current_user
from werkzeug.datastructures import MultiDict
from werkzeug.exceptions import HTTPException

from brumel.core.typed import whole_written
from brumel.services.application import Services
from brumel.services.errors import NotFound
from brumel.services.house.rules import in_force
from brumel.services.live.watch import Watched
from brumel.services.probes.what_it_is import kind_of
from brumel.services.readings.correct import principle_of
from brumel.web.context import services, signed_in
from brumel.web.forms import Typed, as_id

blueprint = Blueprint("live", __name__, url_prefix="/live")


_MOST_ALSO = 7
"""A page shows no more traces beside its first."""


@blueprint.get("/<uuid:probe_id>/<any(calibrating, reading):purpose>")
def stream(probe_id: uuid.UUID, purpose: str) -> ResponseReturnValue:
    """Show the probe's samples after ``after``, judged for a calibration point or a reading.

    One page has one stream, for a browser keeps few connections to a server: what else it shows is named by ``also``,
    an address of this kind each.
    """
    shown = [(probe_id, purpose, request.args)]
    for address in request.args.getlist("also")[:_MOST_ALSO]:
        path, _, query = address.partition("?")
        try:
            endpoint, given = current_app.url_map.bind("").match(path)
        except HTTPException:
            abort(404)
        if endpoint != request.endpoint:
            abort(404)
        shown.append((given["probe_id"], given["purpose"], MultiDict(parse_qsl(query))))
    person, key, all_services = signed_in(), current_user.key, services()

    def watched() -> list[Watched]:
        return [_watched(all_services, *one) for one in shown]

    events = all_services.live.stream(watched, person.id, lambda: all_services.people.signed_in(key) is not None)
    answer = Response(events, mimetype="text/event-stream")
    answer.headers["X-Accel-Buffering"] = "no"
    return answer


def _watched(services: Services, probe_id: uuid.UUID, purpose: str, args: MultiDict[str, str]) -> Watched:
    """Return what is followed, and how it is seen now."""
    after = whole_written(args.get("after", "0"))
    probe, run_id = services.states.probe(probe_id), as_id(args.get("run"))
    if probe.device is None or after is None or (purpose == "calibrating" and run_id is None):
        raise NotFound("This probe is not read by a device.")
    calibrating = in_force().settled(principle_of(probe).quantity, calibrating=True)
    if run_id is not None:
        return Watched(probe.device.id, after, calibrating, services.calibrations.lens(run_id, args.get("step", "")))
    if args.get("signal"):
        return Watched(probe.device.id, after, calibrating, services.readings.signal(probe_id))
    site_id, visit_id = as_id(args.get("site")), as_id(args.get("visit"))
    lens = services.readings.lens(probe_id, site_id, Typed(args).place(), visit_id)
    return Watched(probe.device.id, after, in_force().settled(kind_of(probe).quantity, calibrating=False), lens)
