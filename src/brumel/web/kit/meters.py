"""Meters: what they take and do, what stands where on their lines, what was done to them."""

from __future__ import annotations

import uuid
from typing import Any

from flask import flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from brumel.core.kit.accuracy import EXAMPLE
from brumel.core.kit.care import MeterEvent
from brumel.core.place.water import BY_METERS as COMPENSATED_BY_METERS
from brumel.core.quantities.quantity import of_a_round
from brumel.core.standards.buffers import FAMILIES
from brumel.services.errors import InvalidInput
from brumel.services.house.rules import in_force
from brumel.services.kit.meters import COMPENSATIONS, NewMeter
from brumel.services.live.channels import Carries
from brumel.services.live.display import ITSELF
from brumel.services.live.mapping import Mapped, MappedDevice
from brumel.web.context import services, signed_in
from brumel.web.forms import Typed, as_id
from brumel.web.kit.views import accuracy_words, blueprint


@blueprint.get("/meters/<uuid:meter_id>")
def meter(meter_id: uuid.UUID) -> ResponseReturnValue:
    """Show one meter: what it can do, its probes, its log."""
    return _meter_page(meter_id, {}, {})


@blueprint.route("/meters/new", methods=["GET", "POST"])
def new_meter() -> ResponseReturnValue:
    """Take a meter into the kit."""
    return _meter_form(None)


@blueprint.route("/meters/<uuid:meter_id>/change", methods=["GET", "POST"])
def change_meter(meter_id: uuid.UUID) -> ResponseReturnValue:
    """Change what is known of a meter."""
    return _meter_form(meter_id)


@blueprint.post("/meters/<uuid:meter_id>/log")
def log_meter(meter_id: uuid.UUID) -> ResponseReturnValue:
    """Note what was done with a meter."""
    typed = Typed(request.form)
    record_id, at = typed.new_record_id(), typed.moment("at", services().clock.timezone)
    try:
        typed.must_be_read()
        services().meters.log(meter_id, record_id, typed.text("event"), at, typed.text("note"), signed_in())
    except InvalidInput as wrong:
        return _meter_page(meter_id, wrong.fields, request.form)
    return redirect(url_for("kit.meter", meter_id=meter_id))


def _meter_page(meter_id: uuid.UUID, errors: dict[str, str], values: Any) -> ResponseReturnValue:
    page = render_template(
        "kit/meter.html",
        view=services().meters.view(meter_id),
        devices=services().channels.of_meter(meter_id),
        cards={c.state.probe.id: c for c in services().kit.cards()},
        kinds=in_force().kinds,
        families=FAMILIES,
        events=list(MeterEvent),
        accuracy_words=accuracy_words,
        errors=errors,
        values=values,
    )
    return page, 422 if errors else 200


@blueprint.route("/meters/<uuid:meter_id>/devices/<uuid:device_id>", methods=["GET", "POST"])
def channels(meter_id: uuid.UUID, device_id: uuid.UUID) -> ResponseReturnValue:
    """Say which value of a device's answer is whose."""
    errors: dict[str, str] = {}
    known = services().channels.view(meter_id, device_id)
    if request.method == "POST":
        try:
            positions = _typed_positions(known.positions)
            services().channels.save(meter_id, device_id, positions, signed_in())
            flash(f"{known.device.label} is mapped.")
            return redirect(url_for("kit.meter", meter_id=meter_id))
        except InvalidInput as wrong:
            errors = wrong.fields
    page = render_template(
        "kit/channels.html",
        meter=services().meters.view(meter_id).meter,
        known=known,
        options=_position_options(known),
        errors=errors,
        values=request.form or {f"position-{n}": _position(c.carries, c.probe_id or _only(known, c.carries), c.unit)
                                for n, c in enumerate(known.channels, 1)},
    )  # fmt: skip
    return page, 422 if errors else 200


def _position(carries: Carries, probe_id: uuid.UUID | None, unit: str = "") -> str:
    in_unit = f":{unit}" if carries is Carries.INDICATED else ""
    return f"{carries}:{probe_id or ''}{in_unit}"


def _only(known: MappedDevice, carries: Carries) -> uuid.UUID | None:
    """Whose signal it is where nothing says so and one probe alone is read by the device."""
    there = [p.id for p in known.probes if p.device_id == known.device.id]
    return there[0] if carries is Carries.SIGNAL and len(there) == 1 else None


def _position_options(known: MappedDevice) -> list[tuple[str, str]]:
    temperatures = [
        (_position(Carries.TEMPERATURE, p.id), f"temperature of {p.label}'s water, °C") for p in known.probes
    ]
    signals = [(_position(Carries.SIGNAL, p.id), f"{p.label}: its signal") for p in known.probes]
    indicated = [
        (_position(Carries.INDICATED, p.id, unit), f"{p.label}: the {known.indicated_of(p).name} it indicates{in_unit}")
        for p in known.probes
        for unit in known.indicated_units(p)
        for in_unit in (f", {unit}" if unit else "",)
    ]
    for_all = (_position(Carries.TEMPERATURE, None), "temperature, for all its probes, °C")
    return [for_all, *signals, *temperatures, *indicated]


def _typed_positions(count: int) -> list[Mapped]:
    """Return the positions of the form.

    Raises
    ------
    InvalidInput
        For what the form does not offer.
    """
    found, wrong = [], {}
    for number in range(1, count + 1):
        carries, probe, unit = (*request.form.get(f"position-{number}", "").split(":", 2), "", "")[:3]
        if carries and (carries not in set(Carries) or (probe and as_id(probe) is None)):
            wrong[f"position-{number}"] = "Choose what this value is."
        else:
            found.append(Mapped(Carries(carries) if carries else Carries.OTHER, as_id(probe), unit))
    if wrong:
        raise InvalidInput(wrong)
    return found


def _meter_form(meter_id: uuid.UUID | None) -> ResponseReturnValue:
    errors: dict[str, str] = {}
    known = services().meters.view(meter_id).meter if meter_id else None
    if request.method == "POST":
        typed = Typed(request.form)
        new = NewMeter(
            meter_id=meter_id or typed.new_record_id(),
            label=typed.text("label"),
            serial=typed.text("serial"),
            kit=typed.text("kit"),
            in_service_on=typed.day("in_service_on"),
            takes=request.form.getlist("takes"),
            compensates=request.form.getlist("compensates"),
            buffer_families=request.form.getlist("buffer_families"),
            holds_calibration="holds_calibration" in request.form,
            polarises_off="polarises_off" in request.form,
            version=typed.version(),
            accuracy={p: typed.text(f"accuracy-{p}") for p in (q.key for q in of_a_round())},
            does=typed.meter_does(),
            memory_records=typed.number("memory_records"),
            batteries=typed.text("batteries"),
            battery_hours=typed.number("battery_hours"),
        )
        try:
            typed.must_be_read()
            return redirect(url_for("kit.meter", meter_id=services().meters.save(new, signed_in())))
        except InvalidInput as wrong:
            errors = wrong.fields
    page = render_template(
        "kit/meter_form.html",
        known=known,
        errors=errors,
        values=request.form,
        kinds=list(in_force().kinds.values()),
        compensations=COMPENSATIONS,
        does=_does_fields(known),
        by_meters=COMPENSATED_BY_METERS,
        families=FAMILIES,
        quantities=of_a_round(),
        accuracy_words=accuracy_words,
        accuracy_example=EXAMPLE,
    )
    return page, 422 if errors else 200


def _does_fields(known: Any) -> dict[str, str]:
    """Return what is known of a meter's own arithmetic, as its form's fields have it."""
    does = known.does if known else {}
    of_salts, of_oxygen = does.get("specific-conductance", {}), does.get("oxygen", {})
    given = {
        "meter_method": of_salts.get("method"), "meter_coefficient": of_salts.get("coefficient"),
        "meter_reference_c": of_salts.get("reference_c"), "meter_salinity": of_oxygen.get("salinity"),
        "meter_pressure_hpa": of_oxygen.get("pressure_hpa"), "meter_buffers": does.get("ph", {}).get("buffers"),
        "meter_auto_off_min": does.get(ITSELF, {}).get("auto_off_min"),
    }  # fmt: skip
    return {name: f"{v:g}" if isinstance(v, float | int) else v for name, v in given.items() if v is not None}
