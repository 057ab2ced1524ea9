"""Live samples as server-sent events."""

from __future__ import annotations

import uuid

from flask import Blueprint, Response, abort, request
from flask.typing import ResponseReturnValue

from brumel.core.quantities.quantity import rule_of
from brumel.core.typed import whole_written
from brumel.services.kit.upkeep import kind_of
from brumel.services.live.hub import WatchKey
from brumel.services.visiting.correcting import principle_of
from brumel.web.context import services
from brumel.web.forms import Typed, as_id

blueprint = Blueprint("live", __name__, url_prefix="/live")


@blueprint.get("/<uuid:probe_id>/<any(calibrating, reading):purpose>")
def stream(probe_id: uuid.UUID, purpose: str) -> ResponseReturnValue:
    """The probe's samples after ``after``, judged for a calibration point or a reading."""
    after = whole_written(request.args.get("after", "0"))
    probe = services().states.probe(probe_id)
    run_id, step = as_id(request.args.get("run")), request.args.get("step", "")
    if probe.device is None or after is None or (purpose == "calibrating" and run_id is None):
        abort(404)
    if run_id is not None:
        lens, name = services().calibrations.lens(run_id, step), f"{run_id}/{step}"
        rule = rule_of(principle_of(probe).quantity, calibrating=True)
    elif request.args.get("signal"):
        lens, name = services().readings.signal(probe_id)
        rule = rule_of(principle_of(probe).quantity, calibrating=True)
    else:
        site_id = as_id(request.args.get("site"))
        lens, name = services().readings.lens(
            probe_id, site_id, Typed(request.args).place(), as_id(request.args.get("visit"))
        )
        rule = rule_of(kind_of(probe).quantity, calibrating=False)
    key = WatchKey(probe.device.id, after, rule, f"{probe_id}/{name}")
    answer = Response(services().live.stream(key, lens), mimetype="text/event-stream")
    answer.headers["Cache-Control"] = "no-store"
    answer.headers["X-Accel-Buffering"] = "no"
    return answer
