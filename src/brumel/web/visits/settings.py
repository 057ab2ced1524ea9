"""Settings of a meter or a site that were wrong or have changed: what rests on them is looked at, then amended."""

from __future__ import annotations

import uuid

from flask import flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from brumel.core.place.water import BY_METERS, METHODS, Compensation
from brumel.core.wording import counted
from brumel.services.errors import InvalidInput
from brumel.services.readings.again import Anew
from brumel.services.readings.meter_settings import WrongSetting
from brumel.services.sites.site_settings import Changed, NewSetting
from brumel.web.context import services, signed_in
from brumel.web.forms import Typed
from brumel.web.visits.views import blueprint


@blueprint.route("/settings/<uuid:meter_id>", methods=["GET", "POST"])
def settings(meter_id: uuid.UUID) -> ResponseReturnValue:
    """Show what rests on a meter's wrong setting, before and after, to be amended."""
    meter = services().meters.view(meter_id).meter
    errors: dict[str, str] = {}
    changes: list[Anew] | None = None
    if request.method == "POST":
        typed = Typed(request.form)
        zone, now = services().clock.timezone, services().clock.now()
        since, until = typed.moment("since", zone), typed.moment("until", zone) or now
        key = typed.text("quantity")
        try:
            if since is None:
                typed.errors.setdefault("since", "Give from when on it was wrong.")
            typed.must_be_read()
            wrong_setting = WrongSetting(meter_id, key, since or now, until, typed.meter_does().get(key, {}))
            if request.form.get("apply"):
                count = services().resetting.apply(wrong_setting, typed.text("reason"), signed_in())
                flash(f"{counted(count, 'reading was', 'readings were')} amended; the originals stay on record.")
                return redirect(url_for("kit.meter", meter_id=meter_id))
            changes = services().resetting.preview(wrong_setting)
        except InvalidInput as wrong:
            errors = wrong.fields
    page = render_template(
        "visits/settings.html", meter=meter, values=request.form, errors=errors, changes=changes, by_meters=BY_METERS
    )
    return page, 422 if errors else 200


@blueprint.route("/sites/<uuid:site_id>/settings", methods=["GET", "POST"])
def site_settings(site_id: uuid.UUID) -> ResponseReturnValue:
    """Set altitude or compensation of a site from a moment on, once what rests on it was looked at."""
    known, now = services().site_settings.of_site(site_id), services().clock.now()
    errors: dict[str, str] = {}
    changes: list[Changed] | None = None
    if request.method == "POST":
        typed = Typed(request.form)
        new = NewSetting(
            typed.new_record_id(),
            site_id,
            typed.moment("since", services().clock.timezone) or now,
            typed.number("altitude_m"),
            typed.compensation(),
            typed.text("reason"),
        )
        try:
            typed.must_be_read()
            if request.form.get("apply"):
                count = services().site_settings.apply(new, signed_in())
                flash(f"Set. {counted(count, 'reading was', 'readings were')} amended; the originals stay on record.")
                return redirect(url_for("visits.site", site_id=site_id))
            changes = services().site_settings.preview(new)
        except InvalidInput as wrong:
            errors = wrong.fields
    page = render_template(
        "visits/site_settings.html", site=known.site, values=request.form, errors=errors, changes=changes,
        methods=METHODS, holds=known.holds, before=[(s, Compensation.of(s.compensation)) for s in known.settings],
    )  # fmt: skip
    return page, 422 if errors else 200
