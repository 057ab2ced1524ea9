"""Kit: what there is, whether it is ready, what was done to it."""

from __future__ import annotations

import uuid
from typing import Any

from flask import Blueprint, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from brumel.core.kit.accuracy import EXAMPLE, Accuracy
from brumel.core.kit.care import part_changes
from brumel.core.kit.instruments import InstrumentKind
from brumel.core.quantities.quantity import quantities
from brumel.core.quantities.redox import REFERENCES
from brumel.core.words.catalogue import word
from brumel.services.errors import InvalidInput
from brumel.services.house.rules import in_force
from brumel.services.kit.instruments import NewInstrument, TypedMeasures
from brumel.services.kit.probes import NewProbe
from brumel.services.probes.care_log import NewCare
from brumel.services.probes.what_it_is import settings_of
from brumel.web.context import page_number, services, signed_in
from brumel.web.figures.drawing import course_figure
from brumel.web.files import kept_file
from brumel.web.forms import Typed

blueprint = Blueprint("kit", __name__, template_folder="templates", url_prefix="/kit")


@blueprint.get("/")
def page() -> ResponseReturnValue:
    """Show all probes and meters by kit, with their readiness."""
    cards, meters = services().kit.cards(), services().meters.all()
    names = sorted({c.state.probe.kit for c in cards} | {v.meter.kit for v in meters})
    kits = [
        (name, [c for c in cards if c.state.probe.kit == name], [v for v in meters if v.meter.kit == name])
        for name in names
    ]
    return render_template(
        "kit/page.html", kits=kits, instruments=services().instruments.all(), rounds=services().planned.ahead()
    )


@blueprint.route("/new", methods=["GET", "POST"])
def new() -> ResponseReturnValue:
    """Take a probe into the kit."""
    errors: dict[str, str] = {}
    if request.method == "POST":
        typed = Typed(request.form)
        probe = _typed_probe(typed, typed.new_record_id())
        try:
            typed.must_be_read()
            return redirect(url_for("kit.probe", probe_id=services().probes.add(probe, signed_in())))
        except InvalidInput as wrong:
            errors = wrong.fields
    kinds = [(k.key, k.name) for k in in_force().kinds.values()]
    references = list(REFERENCES.items())
    page = render_template(
        "kit/new.html",
        errors=errors,
        values=request.form,
        kinds=kinds,
        references=references,
        meters=services().meters.all(),
    )
    return page, 422 if errors else 200


def _typed_probe(typed: Typed, probe_id: uuid.UUID) -> NewProbe:
    return NewProbe(
        probe_id=probe_id,
        label=typed.text("label"),
        serial=typed.text("serial"),
        kind=typed.text("kind"),
        kit=typed.text("kit"),
        in_service_on=typed.day("in_service_on"),
        meter_id=typed.record_id("meter"),
        own_waits={n.removeprefix("wait-"): typed.number(n) for n in request.form if n.startswith("wait-")},
        reference=typed.text("reference"),
        steers=typed.text("steers"),
        settings={n.removeprefix("set-"): typed.number(n) for n in request.form if n.startswith("set-")},
        version=typed.version(),
    )


@blueprint.get("/probes/<uuid:probe_id>")
def probe(probe_id: uuid.UUID) -> ResponseReturnValue:
    """Show one probe: readiness, inspection, care, its life."""
    return _probe_page(probe_id, {}, {})


@blueprint.post("/retire/<any(probe, meter, instrument, site):what>/<uuid:key>")
def retire(what: str, key: uuid.UUID) -> ResponseReturnValue:
    """Use something no more, or bring it back; its records stay."""
    act = services().retiring.bring_back if "back" in request.form else services().retiring.retire
    try:
        act(what, key, signed_in())
    except InvalidInput as wrong:
        flash(wrong.fields["retire"], "unfit")
    endpoint = "visits.site" if what == "site" else f"kit.{what}"
    return redirect(url_for(endpoint, **{f"{what}_id": str(key)}))  # type: ignore[arg-type]


@blueprint.post("/probes/<uuid:probe_id>/change")
def change(probe_id: uuid.UUID) -> ResponseReturnValue:
    """Change a probe's label, kit, meter or waits."""
    typed = Typed(request.form)
    try:
        probe = _typed_probe(typed, probe_id)
        typed.must_be_read()
        services().probes.change(probe, signed_in())
    except InvalidInput as wrong:
        return _probe_page(probe_id, wrong.fields, request.form)
    return redirect(url_for("kit.probe", probe_id=probe_id))


@blueprint.post("/probes/<uuid:probe_id>/care")
def care(probe_id: uuid.UUID) -> ResponseReturnValue:
    """Add to the care log."""
    typed = Typed(request.form)
    new_care = NewCare(
        care_id=typed.new_record_id(),
        care=typed.text("care"),
        at=typed.moment("at", services().clock.timezone),
        detail=typed.text("detail") if typed.text("care") == "stored" else typed.text("with"),
        minutes=typed.number("minutes"),
        note=typed.text("note"),
        good_until=typed.day("good_until"),
    )
    try:
        typed.must_be_read()
        findings = services().kit.log(probe_id, new_care, signed_in())
    except InvalidInput as wrong:
        return _probe_page(probe_id, wrong.fields, request.form)
    for finding in findings:
        flash(f"{word(finding.says)} {word(finding.remedy)}".strip(), finding.level)
    return redirect(url_for("kit.probe", probe_id=probe_id))


@blueprint.post("/probes/<uuid:probe_id>/inspection")
def inspection(probe_id: uuid.UUID) -> ResponseReturnValue:
    """Record an inspection before use."""
    typed = Typed(request.form)
    given = request.files.get("photo")
    answers = {k.removeprefix("q-"): v == "yes" for k, v in request.form.items() if k.startswith("q-")}
    try:
        photo = given.read() if given else b""
        services().kit.inspect(probe_id, typed.new_record_id(), answers, typed.text("note"), signed_in(), photo)
    except InvalidInput as wrong:
        return _probe_page(probe_id, wrong.fields, request.form)
    return redirect(url_for("kit.probe", probe_id=probe_id))


@blueprint.route("/instruments/new", methods=["GET", "POST"])
def new_instrument() -> ResponseReturnValue:
    """Take a test kit, a photometer or a laboratory into the kit."""
    return _instrument_form(None)


@blueprint.route("/instruments/<uuid:instrument_id>", methods=["GET", "POST"])
def instrument(instrument_id: uuid.UUID) -> ResponseReturnValue:
    """Show what is known of an instrument, to look at and to change."""
    return _instrument_form(instrument_id)


def accuracy_words(known: dict[str, float]) -> str:
    """Return an accuracy as its field has it."""
    return Accuracy.of(known).words


def _instrument_form(instrument_id: uuid.UUID | None) -> ResponseReturnValue:
    errors: dict[str, str] = {}
    known = services().instruments.one(instrument_id) if instrument_id else None
    own = known.measures if known else {}
    shown = [q for q in quantities().values() if q.unknown_u and q.key not in ("depth", "oxygen-saturation-standard")]
    shown.sort(key=lambda q: q.key not in own)
    if request.method == "POST":
        typed = Typed(request.form)
        wanted = NewInstrument(
            instrument_id=instrument_id or typed.new_record_id(),
            label=typed.text("label"),
            kind=typed.text("kind"),
            kit=typed.text("kit"),
            serial=typed.text("serial"),
            version=typed.version(),
            measures={
                q.key: TypedMeasures(
                    typed.number(f"low-{q.key}"),
                    typed.number(f"high-{q.key}"),
                    typed.text(f"accuracy-{q.key}"),
                    typed.text(f"gives-{q.key}"),
                )
                for q in shown
            },
        )
        try:
            typed.must_be_read()
            services().instruments.save(wanted, signed_in())
            return redirect(url_for("kit.page"))
        except InvalidInput as wrong:
            errors = wrong.fields
    page = render_template(
        "kit/instrument.html",
        known=known,
        errors=errors,
        values=request.form,
        kinds=[(str(k), str(k).capitalize()) for k in InstrumentKind],
        quantities=shown,
        accuracy_words=accuracy_words,
        accuracy_example=EXAMPLE,
    )
    return page, 422 if errors else 200


@blueprint.get("/photos/<uuid:inspection_id>.jpg")
def photo(inspection_id: uuid.UUID) -> ResponseReturnValue:
    """Show the photo of an inspection."""
    return kept_file(services().kit.photo(inspection_id))


@blueprint.post("/probes/<uuid:probe_id>/care/<uuid:care_id>/withdraw")
def withdraw(probe_id: uuid.UUID, care_id: uuid.UUID) -> ResponseReturnValue:
    """Say that an entry of the log was a mistake."""
    try:
        services().kit.withdraw(care_id, request.form.get("reason", ""), signed_in())
    except InvalidInput as wrong:
        return _probe_page(probe_id, {f"reason-{care_id}": wrong.fields["reason"]}, request.form)
    return redirect(url_for("kit.probe", probe_id=probe_id))


def _probe_page(probe_id: uuid.UUID, errors: dict[str, str], values: Any) -> ResponseReturnValue:
    life = services().kit.life(probe_id, page_number())
    page = render_template(
        "kit/probe.html",
        life=life,
        card=life.card,
        happened=life.happened,
        errors=errors,
        values=values or request.args,
        figures=[(c, course_figure(c, services().clock)) for c in life.courses],
        meters=services().meters.all(),
        references=REFERENCES,
        settings=settings_of(life.card.state.probe),
        may_put_in=[str(c) for c in life.card.kind.care if c in part_changes(in_force().care).values()],
    )
    return page, 422 if errors else 200
