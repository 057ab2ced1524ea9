"""Bench: calibrating a probe."""

from __future__ import annotations

import uuid
from typing import Any

from flask import Blueprint, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from werkzeug.datastructures import MultiDict

from brumel.core.calibrating.procedure import rinse_from
from brumel.core.place.station_pressure import KINDS, Pressure
from brumel.core.place.water import BY_METERS
from brumel.core.quantities.pressure import UNITS_HPA
from brumel.core.quantities.quantity import quantities, quantity
from brumel.services.calibrating.beginning import Choices, PutRight
from brumel.services.calibrating.meter_runs import NewKept, TypedPoint
from brumel.services.calibrating.rows import Begin
from brumel.services.calibrating.shown import RunView, StepView
from brumel.services.calibrating.taking import TakePoint
from brumel.services.errors import InvalidInput
from brumel.services.house.rules import in_force
from brumel.services.probes.run_facts import tolerances_of
from brumel.services.probes.run_words import points_words
from brumel.services.probes.what_it_is import kind_of, senses
from brumel.services.shelf.lot_words import lot_label
from brumel.web.context import probe_states, services, signed_in
from brumel.web.figures.pictures import picture_of
from brumel.web.figures.response import response_figure
from brumel.web.forms import Typed, as_id, pressure_fields

blueprint = Blueprint("bench", __name__, template_folder="templates", url_prefix="/bench")


@blueprint.get("/")
def page() -> ResponseReturnValue:
    """Say which probe to calibrate."""
    return render_template(
        "bench/page.html",
        states=sorted(
            (s for s in probe_states() if s.keeps_calibration), key=lambda s: (not s.on_bench, s.probe.label)
        ),
        open_runs=services().calibrations.open_runs(),
        points_words=points_words,
    )


@blueprint.get("/back")
def back() -> ResponseReturnValue:
    """Lead through the probes that were out today, each as it came and cleaned."""
    probes = services().coming_back.probes()
    runs = {p.run_id: services().calibrations.view(p.run_id) for p in probes if p.run_id is not None}
    return render_template("bench/back.html", probes=probes, runs=runs)


@blueprint.route("/new", methods=["GET", "POST"])
def new() -> ResponseReturnValue:
    """Choose procedure, lots, rinse and waters; begin."""
    if request.method == "GET":
        return _new_form(request.args, {})
    return _begin()


def _begin() -> ResponseReturnValue:
    typed = Typed(request.form)
    begin = Begin(
        run_id=typed.new_record_id(),
        probe_id=typed.record_id("probe"),
        method_code=typed.text("method"),
        rinse=typed.text("rinse"),
        lots={role: typed.record_id(f"lot_{role}") for role in in_force().roles},
        site_ids=[found for text in request.form.getlist("sites") if (found := as_id(text))],
        new_sensor="new_sensor" in request.form,
        despite=typed.text("despite"),
        place=typed.place(),
    )
    try:
        typed.must_be_read()
        run_id = services().calibrations.begin(begin, signed_in())
    except InvalidInput as wrong:
        return _new_form(request.form, wrong.fields), 422
    return redirect(url_for("bench.run", run_id=run_id))


def _new_form(values: Any, errors: dict[str, str]) -> str:
    states = probe_states(on_bench=True)
    probe_id = as_id(values.get("probe"))
    state = next((s for s in probe_states() if s.probe.id == probe_id), states[0] if len(states) == 1 else None)
    chosen = set(values.getlist("sites"))
    sites = tuple(sorted(found for text in chosen if (found := as_id(text))))
    choices, hints = services().calibrations.before(state.probe.id, sites) if state else (None, None)
    if request.method == "GET" and not chosen and choices:
        chosen = {str(site_id) for site_id in choices.usual}
    return render_template(
        "bench/new.html",
        values=values,
        errors=errors,
        states=states,
        state=state,
        choices=choices,
        kept=values
        if request.method == "POST" or choices is None
        else dict(choices.proposed.fields) | _wanted(choices),
        own=senses(state.probe) if state else None,
        place=values if request.method == "POST" else _typed_pressure(hints.pressure if hints else None),
        kinds=KINDS,
        units=UNITS_HPA,
        known=hints.pressure if hints else None,
        hints=hints,
        rinses=in_force().rinses.values(),
        sites=choices.sites if choices else [],
        chosen_sites=chosen,
    )


def _wanted(choices: Choices) -> dict[str, str]:
    """Return the procedure that an address asks for, where it is one of those."""
    asked = request.args.get("method")
    return {"method": asked} if asked in [m.code for m in choices.methods] else {}


def _typed_pressure(known: Pressure | None) -> dict[str, str]:
    """Return a pressure as its fields have it."""
    return {} if known is None else pressure_fields(known)


@blueprint.route("/kept/<uuid:probe_id>", methods=["GET", "POST"])
def kept(probe_id: uuid.UUID) -> ResponseReturnValue:
    """Enter a calibration that the probe's meter keeps."""
    errors: dict[str, str] = {}
    form = services().kept.form(probe_id)
    if request.method == "POST":
        typed = Typed(request.form)
        new = NewKept(
            run_id=typed.new_record_id(),
            probe_id=probe_id,
            at=typed.moment("at", services().clock.timezone),
            points={
                c.key: TypedPoint(
                    typed.record_id(f"{c.key}-lot"),
                    typed.number(f"{c.key}-reference"),
                    typed.measured(f"{c.key}-temperature_c", "°C"),
                    *(typed.measured(f"{c.key}-{name}", quantity(c.quantity).unit) for name in ("before", "after")),
                )
                for c in form.kind.checks
            },
            reported={r.key: typed.number(r.key) for r in form.kind.reported},
            note=typed.text("note"),
        )
        try:
            typed.must_be_read()
            services().kept.record(new, signed_in())
            return redirect(url_for("ledger.calibration", run_id=new.run_id))
        except InvalidInput as wrong:
            errors = wrong.fields
    page = render_template(
        "bench/kept.html", form=form, values=request.form, errors=errors, quantities=quantities(), label=lot_label
    )
    return page, 422 if errors else 200


@blueprint.get("/runs/<uuid:run_id>")
def run(run_id: uuid.UUID) -> ResponseReturnValue:
    """Show the run: its steps, the live trace, the verdict."""
    return _run_page(run_id, {}, MultiDict())


@blueprint.route("/runs/<uuid:run_id>/sheet", methods=["GET", "POST"])
def sheet(run_id: uuid.UUID) -> ResponseReturnValue:
    """Show the whole run on one page, typed from a handheld: all at once, or as it comes."""
    view, errors = services().calibrations.view(run_id), dict[str, str]()
    if not view.open:
        return redirect(url_for("ledger.calibration", run_id=run_id))
    if request.method == "POST":
        typed = Typed(request.form)
        takes = [_typed_point(typed, view, s) for s in view.steps if request.form.get(f"{s.key}-signal", "").strip()]
        readable = [t for t in takes if not any(field.startswith(f"{t.step}-") for field in typed.errors)]
        errors = typed.errors | services().calibrations.take_typed(run_id, readable, signed_in())
        if not errors:
            return redirect(url_for("bench.run", run_id=run_id))
        view = services().calibrations.view(run_id)
    page = render_template(
        "bench/sheet.html",
        view=view,
        errors=errors,
        values=request.form,
        by_meters=BY_METERS,
        standard=tolerances_of(view.run).standard,
        rinse=(rinse := rinse_from(view.run.method["rinse"])),
        otherwise=in_force().deviations_under(rinse),
        choices=services().calibrations.choices(view.run.probe_id),
        beside=[i for i in services().instruments.all() if view.quantity.key in i.measures] if view.compares else [],
        kind=kind_of(view.run.probe),
    )
    return page, 422 if errors else 200


def _typed_point(typed: Typed, view: RunView, step: StepView) -> TakePoint:
    """Return a point of the sheet: each field by the name of its step."""
    asks = step.step.asks(view.principle)
    return TakePoint(
        point_id=typed.record_id(f"{step.key}-id") or uuid.uuid4(),
        step=step.key,
        typed_signal=typed.measured(f"{step.key}-signal", view.principle.typed_unit),
        typed_temperature_c=typed.measured(f"{step.key}-temperature_c", "°C"),
        device=False,
        meter_did=typed.meter_did(),
        unsettled_reason=typed.text(f"{step.key}-unsettled_reason"),
        so=[a.key for a in asks] if f"{step.key}-so" in typed.form else [] if asks else None,
        lot_id=typed.record_id(f"{step.key}-lot"),
        reference=typed.number(f"{step.key}-reference"),
        instrument_id=typed.record_id(f"{step.key}-instrument"),
    )


@blueprint.post("/runs/<uuid:run_id>/immerse")
def immerse(run_id: uuid.UUID) -> ResponseReturnValue:
    """The probe is in the standard of a step, or a step without a point is done."""
    typed = Typed(request.form)
    try:
        key, step, note = typed.new_record_id(), typed.text("step"), typed.text("note")
        typed.must_be_read()
        services().simulation.into_lot(run_id, signed_in(), typed.record_id("beaker"), step)
        services().calibrations.begin_step(run_id, key, step, signed_in(), note)
    except InvalidInput as wrong:
        return _run_page(run_id, wrong.fields, request.form)
    return redirect(url_for("bench.run", run_id=run_id, step=typed.text("step")) + "#step")


def _typed_unit(run_id: uuid.UUID) -> str:
    """Return the unit of what is typed as a signal of this run's probe."""
    return services().calibrations.view(run_id).principle.typed_unit


@blueprint.post("/runs/<uuid:run_id>/points")
def take(run_id: uuid.UUID) -> ResponseReturnValue:
    """Take the point of a step, from the device or typed."""
    typed = Typed(request.form)
    device = typed.text("source") != "typed"
    point = TakePoint(
        point_id=typed.new_record_id(),
        step=typed.text("step"),
        typed_signal=None if device else typed.measured("signal", _typed_unit(run_id)),
        typed_temperature_c=typed.measured("temperature_c", "°C"),
        device=device,
        meter_did={} if device else typed.meter_did(),
        unsettled_reason=typed.text("unsettled_reason"),
        deviations=request.form.getlist("deviations"),
        deviation_reason=typed.text("deviation_reason"),
        so=request.form.getlist("so") if "asked" in request.form else None,
        lot_id=typed.record_id("lot"),
        reference=typed.number("reference"),
        instrument_id=typed.record_id("instrument"),
        until_seq=typed.seen(),
    )
    try:
        typed.must_be_read()
        services().calibrations.take(run_id, point, signed_in())
    except InvalidInput as wrong:
        return _run_page(run_id, wrong.fields, request.form)
    return redirect(url_for("bench.run", run_id=run_id) + "#step")


@blueprint.post("/runs/<uuid:run_id>/drop")
def drop(run_id: uuid.UUID) -> ResponseReturnValue:
    """Drop the point of a step."""
    typed = Typed(request.form)
    try:
        key, step, why = typed.new_record_id(), typed.text("step"), typed.text("drop")
        typed.must_be_read()
        services().calibrations.drop(run_id, key, step, signed_in(), why)
    except InvalidInput as wrong:
        return _run_page(run_id, wrong.fields, request.form)
    return redirect(url_for("bench.run", run_id=run_id) + "#step")


@blueprint.post("/runs/<uuid:run_id>/put-right")
def put_right(run_id: uuid.UUID) -> ResponseReturnValue:
    """Put a condition of the run right."""
    typed = Typed(request.form)
    sites = [found for text in request.form.getlist("sites") if (found := as_id(text))]
    right = PutRight(typed.new_record_id(), typed.place(), typed.text("put_right"), sites)
    try:
        typed.must_be_read()
        services().calibrations.put_right(run_id, right, signed_in())
    except InvalidInput as wrong:
        return _run_page(run_id, wrong.fields, request.form)
    return redirect(url_for("bench.run", run_id=run_id) + "#step")


@blueprint.post("/runs/<uuid:run_id>/take-over")
def take_over(run_id: uuid.UUID) -> ResponseReturnValue:
    """Go on with a run that somebody else is at."""
    typed = Typed(request.form)
    try:
        key, note = typed.new_record_id(), typed.text("take_over")
        typed.must_be_read()
        services().calibrations.take_over(run_id, key, signed_in(), note)
    except InvalidInput as wrong:
        return _run_page(run_id, wrong.fields, request.form)
    return redirect(url_for("bench.run", run_id=run_id) + "#step")


@blueprint.post("/runs/<uuid:run_id>/sign")
def sign(run_id: uuid.UUID) -> ResponseReturnValue:
    """Sign the run."""
    try:
        services().calibrations.sign(run_id, signed_in(), _text("note"))
    except InvalidInput as wrong:
        return _run_page(run_id, wrong.fields, request.form)
    return redirect(url_for("ledger.calibration", run_id=run_id))


@blueprint.post("/runs/<uuid:run_id>/abandon")
def abandon(run_id: uuid.UUID) -> ResponseReturnValue:
    """Give the run up."""
    try:
        services().calibrations.abandon(run_id, signed_in(), _text("reason"))
    except InvalidInput as wrong:
        return _run_page(run_id, wrong.fields, request.form)
    return redirect(url_for("bench.page"))


@blueprint.post("/probes/<uuid:probe_id>/fault")
def fault(probe_id: uuid.UUID) -> ResponseReturnValue:
    """Give a simulated probe a fault, or mend it."""
    services().simulation.fault(services().states.probe(probe_id).device, request.form.get("fault", ""), signed_in())
    run_id = as_id(request.form.get("run"))
    if run_id:
        return redirect(url_for("bench.run", run_id=run_id, step=request.form.get("step") or None))
    return redirect(url_for("bench.page"))


def _text(name: str) -> str:
    """Return a field of text, refused in its place where it is too long."""
    typed = Typed(request.form)
    found = typed.text(name)
    typed.must_be_read()
    return found


def _run_page(run_id: uuid.UUID, errors: dict[str, str], values: Any) -> ResponseReturnValue:
    view = services().calibrations.view(run_id)
    if not view.open:
        return redirect(url_for("ledger.calibration", run_id=run_id))
    step = _shown_step(view)
    page = render_template(
        "bench/run.html",
        view=view,
        by_meters=BY_METERS,
        step=step,
        errors=errors,
        values=values,
        figure=response_figure(view),
        picture=picture_of(view),
        rinse=(rinse := rinse_from(view.run.method["rinse"])),
        otherwise=in_force().deviations_under(rinse),
        rule=in_force().settled(view.quantity.key, calibrating=True),
        standard=tolerances_of(view.run).standard,
        kind=kind_of(view.run.probe),
        choices=services().calibrations.choices(view.run.probe_id),
        beside=[i for i in services().instruments.all() if view.quantity.key in i.measures] if view.compares else [],
        simulated=services().simulation.state(view.run.probe.device),
        place=values if "put_right" in values else _typed_place(view),
        kinds=KINDS,
        units=UNITS_HPA,
    )
    return page, 422 if errors else 200


def _typed_place(view: RunView) -> dict[str, str]:
    """Return the conditions of a run as the fields of a form have them."""
    water_c = view.place.water_c
    return _typed_pressure(view.pressure) | ({} if water_c is None else {"water_c": f"{water_c:g}"})


def _shown_step(view: RunView) -> Any:
    """Return the step asked for, to take its point again, or the first that is not done."""
    asked = next((s for s in view.steps if s.key == request.values.get("step")), None)
    return asked if asked and (asked.step.kind.has_point or not asked.done) else view.current
