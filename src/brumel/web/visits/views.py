"""Visits: open one, fill it in any order, finish it; a site opens on its history."""

from __future__ import annotations

import uuid
from datetime import timedelta
from typing import Any

from flask import Blueprint, Response, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from markupsafe import Markup

from brumel.core.place.station_pressure import KINDS
from brumel.core.quantities.pressure import UNITS_HPA
from brumel.core.quantities.quantity import quantities, quantity
from brumel.services.errors import InvalidInput
from brumel.services.planning.calendar import calendar_of, of_night
from brumel.services.readings.row import typed_pressure
from brumel.services.readings.typed_value import units_for
from brumel.services.sites.sites import NewLimit
from brumel.services.visits.filling import TypedIn, unreadable
from brumel.services.visits.visit_view import VisitView
from brumel.services.visits.visits import LAYERS, REPLICATES, NewVisit, Remark, Sheet
from brumel.web.context import services, signed_in
from brumel.web.figures.drawing import history_figure
from brumel.web.files import kept_file
from brumel.web.forms import Typed, as_id, pressure_fields
from brumel.web.visits.fields import pressure_fields_of, spot_of

blueprint = Blueprint("visits", __name__, template_folder="templates", url_prefix="/visits")
SPANS = (14, 90, 365)
"""Days that a site's pictures show."""


@blueprint.route("/new", methods=["GET", "POST"])
def new() -> ResponseReturnValue:
    """Open a visit to a site, or to a sample without a place."""
    errors: dict[str, str] = {}
    if request.method == "POST":
        typed = Typed(request.form)
        wanted = NewVisit(
            visit_id=typed.new_record_id(),
            site_id=typed.record_id("site"),
            sample=typed.text("sample"),
            round_id=typed.record_id("round"),
            begun_at=typed.moment("begun_at", services().clock.timezone),
        )
        try:
            typed.must_be_read()
            return redirect(url_for("visits.visit", visit_id=services().visits.open(wanted, signed_in())))
        except InvalidInput as wrong:
            errors = wrong.fields
    site_id = as_id(request.values.get("site"))
    page = render_template(
        "visits/new.html",
        errors=errors,
        values=request.values,
        sites=[(s.id, s.name) for s in services().states.sites()],
        site=services().states.site(site_id) if site_id and request.method == "GET" else None,
        going_on=services().visits.unfinished_at(site_id) if site_id else None,
    )
    return page, 422 if errors else 200


@blueprint.get("/site/<uuid:site_id>")
def site(site_id: uuid.UUID) -> ResponseReturnValue:
    """Show a site: how to get in, its last visits, what it has shown."""
    return _site_page(site_id, {}, {})


def _site_page(site_id: uuid.UUID, errors: dict[str, str], values: Any) -> str:
    known = services().states.site(site_id)
    typed, zone, now = Typed(request.args), services().clock.timezone, services().clock.now()
    days = next((n for n in SPANS if str(n) == request.args.get("days")), SPANS[1])
    since, until = typed.moment("since", zone), typed.moment("until", zone)
    chosen = since is not None and (until or now) - since >= timedelta(hours=1)
    soon = services().clock.soon()
    span = (since, until or soon) if since is not None and chosen else (soon - timedelta(days=days), soon)

    def draw() -> str:
        histories = services().rounds.histories(services().states.site(site_id), *span)
        if not histories:
            return ""
        figures = [(h, history_figure(h, services().clock, span)) for h in histories]
        return render_template("visits/_figures.html", figures=figures, site=known)

    return render_template(
        "visits/site.html",
        site=known,
        errors=errors,
        values=values,
        quantities=[
            (q.key, f"{q.name}, {q.unit}" if q.unit else q.name) for q in quantities().values() if not q.condition
        ],
        visits=services().visits.at_site(site_id),
        going_on=services().visits.unfinished_at(site_id),
        limits=services().visits.limits(known),
        figures=Markup(services().today.drawn((site_id, *span), draw)),
        days=None if chosen else days,
        span=span,
        span_errors=typed.errors,
        spans=SPANS,
    )


@blueprint.post("/site/<uuid:site_id>/limits")
def limit(site_id: uuid.UUID) -> ResponseReturnValue:
    """Set a limit for a site."""
    typed = Typed(request.form)
    wanted = NewLimit(
        typed.new_record_id(), site_id, typed.text("quantity"), typed.number("low"), typed.number("high"),
        typed.text("reason"),
    )  # fmt: skip
    try:
        typed.must_be_read()
        services().sites.limit(wanted, signed_in())
    except InvalidInput as wrong:
        return _site_page(site_id, wrong.fields, request.form), 422
    return redirect(url_for("visits.site", site_id=site_id))


@blueprint.get("/<uuid:visit_id>")
def visit(visit_id: uuid.UUID) -> ResponseReturnValue:
    """Show a visit: its rows, what follows, what is left."""
    return _page(visit_id, {}, {})


@blueprint.get("/<uuid:visit_id>/sheet")
def sheet(visit_id: uuid.UUID) -> ResponseReturnValue:
    """Show a visit on one page, to print."""
    return render_template("visits/sheet.html", view=services().visits.view(visit_id))


@blueprint.post("/<uuid:visit_id>")
def save(visit_id: uuid.UUID) -> ResponseReturnValue:
    """Record all that was typed."""
    typed = Typed(request.form)
    keys = [key for key in quantities() if typed.text(key)]
    entries = [
        TypedIn(
            typed.new_record_id(f"id-{key}"),
            key,
            *(typed.text(name) for name in (key, f"unit-{key}", f"with-{key}", "despite")),
        )
        for key in keys
    ]
    entries += _one_more(typed)
    said = [
        Remark(typed.new_record_id(f"id-{kind}"), kind, typed.text(kind))
        for kind in ("weather", "note")
        if kind in request.form
    ]
    said += [
        Remark(typed.new_record_id(f"id-skip-{key}"), "skipped", typed.text(f"skip-{key}"), key)
        for key in quantities()
        if typed.text(f"skip-{key}")
    ]
    given = typed.pressure()
    wanted = Sheet(
        entries,
        spot_of(typed),
        given,
        typed.new_record_id("id-pressure") if given else None,
        said,
    )
    try:
        if typed.errors:
            raise InvalidInput(typed.errors | unreadable(entries))
        services().visits.save(visit_id, wanted, signed_in())
    except InvalidInput as wrong:
        more = typed.text("more_quantity")
        fields = {("more_value" if name == more and more not in keys else name): w for name, w in wrong.fields.items()}
        return _page(visit_id, fields, request.form), 422
    return redirect(url_for("visits.visit", visit_id=visit_id, saved=1))


def _one_more(typed: Typed) -> list[TypedIn]:
    """Return a quantity that the water does not ask for."""
    if not typed.text("more_value"):
        return []
    key = typed.text("more_quantity")
    if key not in quantities():
        typed.errors["more_quantity"] = "Choose the quantity."
        return []
    return [TypedIn(typed.new_record_id("id-more"), key, typed.text("more_value"), "", "")]


@blueprint.post("/<uuid:visit_id>/photos")
def photograph(visit_id: uuid.UUID) -> ResponseReturnValue:
    """Keep a photo of a visit."""
    typed, given = Typed(request.form), request.files.get("photo")
    try:
        key, data = typed.new_record_id("id-photo"), given.read() if given else b""
        typed.must_be_read()
        services().visits.photograph(visit_id, key, data, typed.text("photo_words"), signed_in())
    except InvalidInput as wrong:
        return _page(visit_id, wrong.fields, request.form), 422
    return redirect(url_for("visits.visit", visit_id=visit_id) + "#photos")


@blueprint.get("/photos/<uuid:photo_id>.jpg")
def photo(photo_id: uuid.UUID) -> ResponseReturnValue:
    """Show a photo of a visit."""
    return kept_file(services().visits.photo(photo_id))


@blueprint.post("/<uuid:visit_id>/finish")
def finish(visit_id: uuid.UUID) -> ResponseReturnValue:
    """Finish a visit."""
    typed = Typed(request.form)
    try:
        services().visits.finish(visit_id, typed.new_record_id(), typed.text("words"), signed_in())
    except InvalidInput as wrong:
        return _page(visit_id, wrong.fields, request.form), 422
    return redirect(url_for("visits.visit", visit_id=visit_id))


@blueprint.route("/readings/<uuid:reading_id>/amend", methods=["GET", "POST"])
def amend(reading_id: uuid.UUID) -> ResponseReturnValue:
    """Put another value in place of one."""
    old = services().readings.view(reading_id).reading
    errors: dict[str, str] = {}
    if request.method == "POST":
        typed = Typed(request.form)
        pressure = typed.pressure()
        entry = TypedIn(
            typed.new_record_id(), old.quantity, typed.text("value"), typed.text("unit"),
            f"probe:{old.probe_id}" if old.probe_id else f"instrument:{old.instrument_id}" if old.instrument_id else "",
            typed.text("amend_reason"),
        )  # fmt: skip
        try:
            typed.must_be_read()
            if request.form.get("remove"):
                services().visits.remove(old.id, entry.reading_id, typed.text("amend_reason"), signed_in())
            else:
                services().visits.amend(old.id, entry, typed.text("amend_reason"), signed_in(), pressure)
            return redirect(url_for("visits.visit", visit_id=old.visit_id))
        except InvalidInput as wrong:
            errors = {("value" if name == old.quantity else name): words for name, words in wrong.fields.items()}
    about, pressure = quantity(old.quantity), typed_pressure(old)
    page = render_template(
        "visits/amend.html", old=old, about=about, units=units_for(about), values=request.form, errors=errors,
        pressure=pressure, kinds=KINDS, pressure_units=UNITS_HPA,
        pressure_values=request.form or (pressure_fields(pressure) if pressure else {}),
    )  # fmt: skip
    return page, 422 if errors else 200


@blueprint.post("/readings/<uuid:reading_id>/seen")
def seen(reading_id: uuid.UUID) -> ResponseReturnValue:
    """Say what was done about a reading beyond its limit."""
    typed = Typed(request.form)
    try:
        typed.must_be_read()
        services().visits.acknowledge(reading_id, typed.text("words"), signed_in())
    except InvalidInput:
        return redirect(url_for("ledger.reading", reading_id=reading_id, unsaid=1) + "#seen")
    return redirect(url_for("today.page"))


@blueprint.get("/<uuid:visit_id>/night.ics")
def night(visit_id: uuid.UUID) -> ResponseReturnValue:
    """Show what the night of a pond asks for, as a calendar file."""
    view = services().visits.view(visit_id)
    found = services().nights.of_visit(view.visit)
    entries = of_night(visit_id, view.visit.name, found) if found else []
    answer = Response(calendar_of(entries, services().clock.now()), mimetype="text/calendar")
    answer.headers["Content-Disposition"] = "attachment; filename=brumel-night.ics"
    return answer


@blueprint.post("/<uuid:visit_id>/aerated")
def aerated(visit_id: uuid.UUID) -> ResponseReturnValue:
    """Say that an aerator was switched on: the evening's line says nothing more."""
    typed = Typed(request.form)
    said = Remark(typed.new_record_id(), "aerated", "an aerator was switched on")
    try:
        typed.must_be_read()
        services().visits.save(visit_id, Sheet(said=[said]), signed_in())
    except InvalidInput as wrong:
        return _page(visit_id, wrong.fields, request.form), 422
    return redirect(url_for("visits.visit", visit_id=visit_id) + "#night")


def _page(visit_id: uuid.UUID, errors: dict[str, str], values: Any) -> str:
    view = services().visits.view(visit_id)
    return render_template(
        "visits/visit.html",
        view=view,
        tour=services().touring.tour_at(view.visit.site_id, view.visit.begun_at),
        at_once=view.visit.site is not None and len(view.on_line) > 1,
        night=services().nights.of_visit(view.visit),
        hour=services().clock.hour,
        errors=errors,
        skip_refused=any(name.startswith("skip-") for name in errors),
        values=values,
        layers=LAYERS,
        replicates=REPLICATES,
        units={row.about.key: units_for(row.about) for row in view.rows},
        more=[(q.key, q.name) for q in quantities().values() if q.unknown_u and q.key not in _shown(view)],
        **pressure_fields_of(view, values),
    )


def _shown(view: VisitView) -> set[str]:
    return {row.about.key for row in view.rows} | {"station-pressure"}
