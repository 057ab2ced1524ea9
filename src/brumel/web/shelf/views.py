"""Shelf: what stands there, what is left, what to order; labels to print."""

from __future__ import annotations

import uuid
from itertools import groupby
from typing import Any

import segno
from flask import Blueprint, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from markupsafe import Markup

from brumel.core.kit.shelf import Pack, standards
from brumel.core.standards.targets import families_of
from brumel.services.errors import InvalidInput
from brumel.services.shelf.bottles import label_of
from brumel.services.shelf.lots import withdrawal_of
from brumel.services.shelf.typed_lot import COVERAGES, LABEL_UNITS, Correction, NewLot
from brumel.web.context import services, signed_in
from brumel.web.files import kept_file
from brumel.web.forms import Typed, as_id

blueprint = Blueprint("shelf", __name__, template_folder="templates", url_prefix="/shelf")


@blueprint.get("/")
def page() -> ResponseReturnValue:
    """Show all lots by what they are, and the shopping list."""
    entries = services().shelf.entries(discarded="discarded" in request.args)
    groups = [(key.name, list(group)) for key, group in groupby(entries, key=lambda e: e.standard)]
    return render_template("shelf/page.html", groups=groups, shopping=services().outlook.shopping(), label_of=label_of)


@blueprint.route("/new", methods=["GET", "POST"])
def new() -> ResponseReturnValue:
    """Add a lot."""
    errors: dict[str, str] = {}
    if request.method == "POST":
        typed = Typed(request.form)
        lot = NewLot(
            lot_id=typed.new_record_id(),
            standard=typed.text("standard"),
            lot_number=typed.text("lot_number"),
            family=_typed_family(typed),
            nominal=typed.number("nominal"),
            label_unit=typed.text("label_unit"),
            factor=typed.number("factor"),
            received_on=typed.day("received_on"),
            expires_on=typed.day("expires_on"),
            open_life_days=typed.number("open_life_days"),
            pack=typed.text("pack"),
            content=typed.number("content"),
            certificate_u=typed.number("certificate_u"),
            certificate_k=typed.number("certificate_k"),
            table=typed.text("table"),
            also_us_cm=typed.number("also_us_cm"),
            also_table=typed.text("also_table"),
            also_u=typed.number("also_u"),
        )
        try:
            typed.must_be_read()
            services().shelf.receive(lot, signed_in())
            return redirect(url_for("shelf.lot", lot_id=lot.lot_id))
        except InvalidInput as wrong:
            errors = wrong.fields
    page = render_template(
        "shelf/new.html",
        errors=errors,
        values=request.form,
        standards=[(s.key, s.name) for s in standards().values()],
        families=[
            (s.name, [(f"{s.key}/{key}", name) for key, name in families_of(s.key).items()])
            for s in standards().values()
            if families_of(s.key)
        ],
        label_units=LABEL_UNITS.items(),
        coverages=[(f"{k:g}", words) for k, words in COVERAGES.items()],
        packs=[(str(p), p.capitalize()) for p in Pack],
    )
    return page, 422 if errors else 200


def _typed_family(typed: Typed) -> str:
    """Return the family chosen, where it is one of the standard's; else as it was typed, to be refused."""
    standard, _, family = typed.text("family").rpartition("/")
    return family if standard in ("", typed.text("standard")) else f"{standard}/{family}"


@blueprint.get("/lots/<uuid:lot_id>")
def lot(lot_id: uuid.UUID) -> ResponseReturnValue:
    """Show one lot: what is left, its log, where it served."""
    return _lot_page(lot_id, {}, {})


@blueprint.post("/lots/<uuid:lot_id>/<any(open, use, discard, pour):action>")
def act(lot_id: uuid.UUID, action: str) -> ResponseReturnValue:
    """Open, use or discard a lot, or pour some of it off."""
    typed, shelf = Typed(request.form), services().shelf
    record_id = typed.new_record_id()
    amount = typed.number("amount")
    try:
        typed.must_be_read()
        if action == "open":
            shelf.open(lot_id, record_id, signed_in())
        elif action == "use":
            shelf.use(lot_id, record_id, amount, typed.text("note"), signed_in())
        elif action == "pour":
            poured = shelf.pour_off(lot_id, record_id, typed.number("poured"), typed.text("lot_number"), signed_in())
            return redirect(url_for("shelf.lot", lot_id=poured))
        else:
            shelf.discard(lot_id, record_id, typed.text("reason"), signed_in())
    except InvalidInput as wrong:
        return _lot_page(lot_id, wrong.fields, request.form)
    return redirect(url_for("shelf.lot", lot_id=lot_id))


@blueprint.post("/lots/<uuid:lot_id>/correct")
def correct(lot_id: uuid.UUID) -> ResponseReturnValue:
    """Mend what was typed wrongly of a lot."""
    typed = Typed(request.form)
    new = Correction(
        record_id=typed.new_record_id(),
        lot_number=typed.text("lot_number"),
        received_on=typed.day("received_on"),
        expires_on=typed.day("expires_on"),
        opened_on=typed.day("opened_on"),
        open_life_days=typed.number("open_life_days"),
        content=typed.number("content"),
        reason=typed.text("correction"),
        version=typed.version(),
    )
    try:
        typed.must_be_read()
        services().shelf.correct(lot_id, new, signed_in())
    except InvalidInput as wrong:
        return _lot_page(lot_id, wrong.fields, request.form)
    return redirect(url_for("shelf.lot", lot_id=lot_id))


@blueprint.post("/lots/<uuid:lot_id>/withdraw/<uuid:record_id>")
def withdraw(lot_id: uuid.UUID, record_id: uuid.UUID) -> ResponseReturnValue:
    """Take back an entry of use that was wrong."""
    try:
        services().shelf.withdraw(record_id, request.form.get("reason", ""), signed_in())
    except InvalidInput as wrong:
        return _lot_page(lot_id, wrong.fields, request.form)
    return redirect(url_for("shelf.lot", lot_id=lot_id))


@blueprint.post("/lots/<uuid:lot_id>/certificate")
def attach(lot_id: uuid.UUID) -> ResponseReturnValue:
    """Keep the certificate that came with a lot."""
    given = request.files.get("certificate")
    try:
        services().shelf.attach(lot_id, given.read() if given else b"", signed_in())
    except InvalidInput as wrong:
        return _lot_page(lot_id, wrong.fields, request.form)
    return redirect(url_for("shelf.lot", lot_id=lot_id))


@blueprint.get("/lots/<uuid:lot_id>/certificate")
def certificate(lot_id: uuid.UUID) -> ResponseReturnValue:
    """Show the certificate of a lot."""
    found = services().shelf.certificate(lot_id)
    return kept_file(found.content, f"certificate-{lot_id}")


@blueprint.get("/labels")
def labels() -> ResponseReturnValue:
    """Labels to print: every lot on the shelf, or those asked for; the code opens the lot."""
    asked = {as_id(text) for text in request.args.getlist("lot")}
    entries = [e for e in services().shelf.entries() if not asked or e.lot.id in asked]
    return render_template("shelf/labels.html", entries=entries, label_of=label_of, code_of=_code_of)


def _code_of(lot_id: uuid.UUID) -> Markup:
    """Return a QR code as SVG that leads to the lot's page."""
    code = segno.make(url_for("shelf.lot", lot_id=lot_id, _external=True), error="m", micro=False)
    # Drawn by a library from our own address: nothing in it was typed.
    return Markup(code.svg_inline(scale=3, border=2, omitsize=True, svgclass="qr", lineclass=None))


def _lot_page(lot_id: uuid.UUID, errors: dict[str, str], values: Any) -> ResponseReturnValue:
    page = render_template(
        "shelf/lot.html",
        view=services().shelf.view(lot_id),
        errors=errors,
        values=values,
        label_of=label_of,
        withdrawal_of=withdrawal_of,
    )
    return page, 422 if errors else 200
