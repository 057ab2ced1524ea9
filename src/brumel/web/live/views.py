"""Live samples as server-sent events."""

from __future__ import annotations

import uuid

from flask import Blueprint, Response, abort, request
from flask.typing import ResponseReturnValue

from brumel.core.settling.rules import CALIBRATION_PH, READING_PH
from brumel.services.live import WatchKey
from brumel.services.readings import IDEAL, reading_transform
from brumel.services.signal import Lens
from brumel.web.context import services
from brumel.web.forms import as_id

blueprint = Blueprint("live", __name__, url_prefix="/live")


@blueprint.get("/<uuid:probe_id>/<any(calibrating, reading):purpose>")
def stream(probe_id: uuid.UUID, purpose: str) -> ResponseReturnValue:
    """The probe's samples after ``after``, judged for a calibration point or a reading."""
    after = request.args.get("after", "0")
    device = services().catalog.probe(probe_id).device
    if device is None or not after.isdigit():
        abort(404)
    run_id, step = as_id(request.args.get("run")), request.args.get("step", "")
    if purpose == "calibrating" and run_id is not None:
        key = WatchKey(device.id, int(after), CALIBRATION_PH, f"{run_id}/{step}")
        lens = services().calibrations.lens(run_id, step)
    elif purpose == "calibrating":
        key, lens = WatchKey(device.id, int(after), CALIBRATION_PH), Lens()
    else:
        run, basis = services().readings.basis(probe_id)
        key = WatchKey(device.id, int(after), READING_PH, str(run.id) if run else "ideal")
        lens = Lens(reading_transform(basis.fit if basis else IDEAL))
    answer = Response(services().live.stream(key, lens), mimetype="text/event-stream")
    answer.headers["Cache-Control"] = "no-store"
    answer.headers["X-Accel-Buffering"] = "no"
    return answer
