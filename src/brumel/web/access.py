"""Who may come through which door: every endpoint and method stands here, and nothing else is let in."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from flask import Flask, abort, redirect, request, url_for
from flask_login import current_user
from werkzeug.wrappers.response import Response

from brumel.core.record.shapes import MOST_BYTES
from brumel.services.people import Person, may_record, may_set_limits
from brumel.web.context import signed_in


@dataclass(frozen=True)
class Door:
    """A kind of door: whether one must be signed in, and what else is asked of who is."""

    name: str
    signed_in: bool = True
    asks: Callable[[Person], None] | None = None
    """Raises ``Forbidden`` for who may not."""


EVERYBODY = Door("everybody", signed_in=False)
SIGNED_IN = Door("signed in")
RECORDS = Door("technicians and supervisors", asks=may_record)
SUPERVISES = Door("supervisors", asks=may_set_limits)

_LOOK = {
    EVERYBODY: "static healthy ready auth.sign_in auth.first api.describe api.list_all api.openapi",
    SIGNED_IN: (
        "today.page find.page guide.page start.page start.proposal auth.units "
        "live.stream reckon.page reckon.calculation reckon.answer reckon.formulas "
        "reckon.formulas_file bench.page bench.new bench.kept bench.run bench.sheet kit.page kit.probe kit.photo "
        "kit.meter kit.new kit.new_meter kit.change_meter kit.channels kit.instrument kit.new_instrument shelf.page "
        "shelf.lot shelf.new shelf.labels shelf.certificate plan.index plan.page plan.calendar rounds.page "
        "rounds.reading rounds.site rounds.new_site visits.new visits.visit visits.sheet visits.site visits.at_once "
        "visits.night visits.photo visits.amend visits.settings visits.site_settings ledger.page ledger.readings "
        "ledger.care ledger.reading ledger.calibrations ledger.calibration ledger.calibration_file ledger.export "
        "bench.back"
    ),
}
_SEND = {
    EVERYBODY: "auth.sign_in auth.first auth.demo auth.sign_out auth.theme api.work api.several",
    SIGNED_IN: "auth.units",
    RECORDS: (
        "bench.new bench.kept bench.sheet bench.immerse bench.take bench.drop bench.put_right bench.take_over "
        "bench.sign bench.abandon bench.fault kit.new kit.change kit.care kit.withdraw kit.inspection kit.new_meter "
        "kit.change_meter kit.log_meter kit.retire kit.channels kit.instrument kit.new_instrument shelf.new "
        "shelf.act shelf.correct shelf.withdraw shelf.attach plan.index start.file start.keep plan.change plan.act "
        "rounds.immerse rounds.reading rounds.site rounds.new_site visits.new visits.save "
        "visits.immerse visits.record visits.amend visits.finish visits.photograph visits.seen visits.settings "
        "visits.aerated visits.site_settings ledger.calibration"
    ),
    SUPERVISES: "visits.limit",
}
DOORS = {
    (endpoint, method): door
    for method, doors in (("GET", _LOOK), ("POST", _SEND))
    for door, endpoints in doors.items()
    for endpoint in endpoints.split()
}
"""Of each endpoint and method the door that it is behind. Withdrawing a calibration is asked of more in its service."""


_ROOM = 100_000
"""What a form has beside its file, bytes."""
LARGEST = dict.fromkeys(("kit.inspection", "shelf.attach", "visits.photograph"), MOST_BYTES + _ROOM)
"""How much may come through a door that takes a file, bytes; through all others what the application allows."""


def bound(app: Flask) -> None:
    """Set how much may come through each door, before anybody reads it."""

    @app.before_request
    def at_most() -> None:
        if request.endpoint in LARGEST:
            request.max_content_length = LARGEST[request.endpoint]


def guard(app: Flask) -> None:
    """Ask at every door, before anything else is done."""

    @app.before_request
    def ask() -> Response | None:
        # What has no address of ours is told so, but not to strangers.
        door = DOORS.get((request.endpoint, request.method)) if request.endpoint else SIGNED_IN
        if door is None:
            abort(403)
        if not door.signed_in:
            return None
        if not current_user.is_authenticated:
            return redirect(url_for("auth.sign_in", next=request.full_path.rstrip("?")))
        if door.asks is not None:
            door.asks(signed_in())
        return None
