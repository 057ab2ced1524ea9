"""Rounds: sites, and reading there."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from typing import Any

from flask import Blueprint, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from brumel.core.place.station_pressure import KINDS
from brumel.core.place.surroundings import Surroundings
from brumel.core.place.water import BY_METERS, METHODS
from brumel.core.quantities.pressure import UNITS_HPA
from brumel.core.quantities.quantity import of_a_round, quantity
from brumel.core.sensing.oxygen.shared import SHOWN_AS
from brumel.core.typed import whole_written
from brumel.services.errors import InvalidInput
from brumel.services.house.rules import in_force
from brumel.services.live.channels import positions_of
from brumel.services.probes.run_words import coefficient_words, target_words
from brumel.services.probes.states import ProbeState
from brumel.services.probes.what_it_is import senses
from brumel.services.readings.correct import principle_of
from brumel.services.readings.draft import NewReading
from brumel.services.sites.sites import NewSite
from brumel.web.context import into_water, probe_states, services, signed_in
from brumel.web.figures.drawing import history_figure
from brumel.web.forms import PLACE, Typed, as_id, place_fields

_SALT = ("empty: fresh water", "of this salt water; its conductivity tells it, read within the hour")
_CARRIED = ("source", "signal", "temperature_c", "shown", "compensated", "meter_setting_c", "note", *PLACE)
"""What was typed and stays when another site or probe is chosen."""
blueprint = Blueprint("rounds", __name__, template_folder="templates", url_prefix="/rounds")


@blueprint.get("/")
def page() -> ResponseReturnValue:
    """Show all sites with their newest readings."""
    return render_template("rounds/page.html", sites=services().rounds.sites_with_latest())


@blueprint.route("/sites/new", methods=["GET", "POST"])
def new_site() -> ResponseReturnValue:
    """Enter a site."""
    return _site_form(None)


@blueprint.route("/sites/<uuid:site_id>", methods=["GET", "POST"])
def site(site_id: uuid.UUID) -> ResponseReturnValue:
    """Change a site, and what is expected of its water."""
    return _site_form(services().states.site(site_id))


def _site_form(known: Any) -> ResponseReturnValue:
    errors: dict[str, str] = {}
    if request.method == "POST":
        typed = Typed(request.form)
        new = NewSite(
            site_id=known.id if known else typed.new_record_id(),
            code=typed.text("code"),
            name=typed.text("name"),
            water_kind=typed.text("water_kind"),
            visit_every_days=typed.number("visit_every_days"),
            altitude_m=typed.number("altitude_m"),
            access=typed.text("access"),
            version=typed.version(),
            compensation=typed.compensation(),
            expected={p: (typed.number(f"low-{p}"), typed.number(f"high-{p}")) for p in (q.key for q in of_a_round())},
        )
        try:
            typed.must_be_read()
            services().sites.save(new, signed_in())
            return redirect(url_for("rounds.page"))
        except InvalidInput as wrong:
            errors = wrong.fields
    page = render_template(
        "rounds/site.html",
        known=known,
        errors=errors,
        values=request.form,
        quantities=of_a_round(),
        methods=METHODS,
        kinds=in_force().waters,
    )
    return page, 422 if errors else 200


@blueprint.route("/reading", methods=["GET", "POST"])
def reading() -> ResponseReturnValue:
    """Take a reading at a site."""
    if request.method == "GET":
        return _reading_page(request.args, {})
    return _record_reading()


def _typed_unit(probe_id: uuid.UUID | None) -> str:
    """Return the unit of what is typed as a probe's signal; empty where there is no such probe."""
    own = senses(services().states.probe(probe_id)) if probe_id else None
    return own.typed_unit if own else ""


def _record_reading() -> ResponseReturnValue:
    typed = Typed(request.form)
    source = typed.text("source")
    automatic = request.form.get("compensated", "automatic") == "automatic"
    new = NewReading(
        reading_id=typed.new_record_id(),
        site_id=typed.record_id("site"),
        probe_id=typed.record_id("probe"),
        source=source,
        visit_id=typed.record_id("visit"),
        after_seq=whole_written(typed.text("after")),
        until_seq=typed.seen(),
        signal=typed.measured("signal", _typed_unit(typed.record_id("probe"))) if source == "typed-signal" else None,
        temperature_c=typed.measured("temperature_c", "°C"),
        shown=typed.number("shown") if source == "typed-value" else None,
        meter_setting_c=typed.measured("meter_setting_c", "°C") if source == "typed-value" and not automatic else None,
        meter_did=typed.meter_did() if source != "device" else {},
        place=typed.place(),
        taken_at=typed.moment("taken_at", services().clock.timezone),
        unsettled_reason=typed.text("unsettled_reason"),
        despite=typed.text("despite"),
        note=typed.text("note"),
        amends_id=typed.record_id("amends"),
        amend_reason=typed.text("amend_reason"),
    )
    if source == "typed-value" and not automatic and not typed.text("meter_setting_c"):
        typed.errors["meter_setting_c"] = "Type the temperature that the meter was set to."
    try:
        typed.must_be_read()
        services().readings.record(new, signed_in())
    except InvalidInput as wrong:
        return _reading_page(request.form, wrong.fields), 422
    if new.visit_id is not None:
        return redirect(url_for("visits.visit", visit_id=new.visit_id))
    return redirect(url_for("ledger.reading", reading_id=new.reading_id))


@blueprint.post("/immerse")
def immerse() -> ResponseReturnValue:
    """The probe is in the water: the trace of the reading begins now."""
    typed = Typed(request.form)
    site_id, probe_id = typed.record_id("site"), typed.record_id("probe")
    if site_id is None or probe_id is None:
        return _reading_page(request.form, {"site": "Choose site and probe."}), 422
    try:
        after = into_water(probe_id, site_id)
        services().readings.check_place(site_id, probe_id, typed.place())
    except InvalidInput as wrong:
        return _reading_page(request.form, wrong.fields), 422
    kept: dict[str, Any] = {name: text for name in PLACE if (text := typed.text(name))}
    if visit_id := typed.record_id("visit"):
        kept["visit"] = visit_id
    kept |= {"site": site_id, "probe": probe_id, "source": "device", "after": after, "note": typed.text("note")}
    return redirect(url_for("rounds.reading", **kept) + "#live")


def _next_choices(values: Any, site: Any, states: Sequence[ProbeState]) -> list[tuple[str, str, str, str]]:
    """Return what is chosen next, sites first: title, level (empty for sites), why, address."""
    given: dict[str, Any] = {n: values[n] for n in ("site", "probe", "visit", "amends", *_CARRIED) if values.get(n)}
    if site is None:
        return [
            (s.name, "", s.water_kind, url_for("rounds.reading", **given | {"site": s.id}))
            for s in services().states.sites()
        ]
    return [
        (
            f"{s.probe.label} · {s.quantity.name}",
            s.level,
            s.why,
            url_for("rounds.reading", **given | {"probe": s.probe.id}),
        )
        for s in states
    ]


def _reading_page(values: Any, errors: dict[str, str]) -> str:
    known = services().states
    states = probe_states(on_bench=True)
    site_id, probe_id = as_id(values.get("site")), as_id(values.get("probe"))
    state = next((s for s in states if s.probe.id == probe_id), None)
    line = positions_of(state.probe) if state else None
    source = values.get("source") or ("device" if line else "typed-signal")
    key = state.kind.quantity if state else ""
    history = services().rounds.history(site_id, key) if site_id and key else None
    amends_id = as_id(values.get("amends"))
    amended = services().readings.view(amends_id).reading if amends_id else None
    place = Surroundings()
    if site_id and probe_id:
        place = Surroundings.of(amended.surroundings) if amended else services().readings.place(site_id, probe_id)
    site = known.site(site_id) if site_id else None
    asked = {name: values.get(name, "") for name in PLACE}
    typed_place = {name: values[name] for name in PLACE if values.get(name)}
    return render_template(
        "rounds/reading.html",
        values=values,
        errors=errors,
        carried=_CARRIED,
        site_choices=[(site.id, site.name) for site in known.sites()],
        choices=[] if site and state else _next_choices(values, site, states),
        probe_choices=[(s.probe.id, f"{s.probe.label} · {s.quantity.name} · {s.level}") for s in states],
        site=site,
        state=state,
        about=quantity(key) if key else None,
        line=line,
        by_meters=BY_METERS,
        own=principle_of(state.probe) if state else None,
        coefficients=coefficient_words,
        targets=target_words,
        source=source,
        after=whole_written(values.get("after") or ""),
        figure=history_figure(history, services().clock) if history else None,
        simulated=services().simulation.state(state.probe.device) if state else None,
        rule=in_force().settled(key, calibrating=False) if key else None,
        amended=amended,
        place=place_fields(place) | (asked if any(name in values for name in PLACE) else {}),
        place_typed=typed_place,
        known=place.pressure,
        salinity_hint=place.salinity_from or _SALT[bool(site and services().site_settings.of_site(site.id).water.salt)],
        conductivity_hint=place.conductivity_from or "at 25 °C",
        kinds=KINDS,
        units=UNITS_HPA,
        shown_as=SHOWN_AS,
    )
