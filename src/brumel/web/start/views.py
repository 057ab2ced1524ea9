"""The guided start: what one works with, a proposal to look over, or a file of one's own."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from itertools import chain

from flask import Blueprint, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from brumel.core.errors import CoreError
from brumel.core.kit.instruments import InstrumentKind
from brumel.core.kit.shelf import standards
from brumel.core.outside_data import text_of
from brumel.core.quantities.quantity import quantity
from brumel.core.quantities.redox import REFERENCES
from brumel.core.sensing.principles import principles
from brumel.core.standards.targets import families_of
from brumel.core.start.proposal import FIELDS, gears, propose, read_file, works
from brumel.services.errors import InvalidInput
from brumel.services.house.rules import in_force
from brumel.services.start.starting import NewThing
from brumel.web.context import services, signed_in
from brumel.web.start.rows import FormRow, rows_of, sent, thing_of

blueprint = Blueprint("start", __name__, template_folder="templates", url_prefix="/start")

_TITLES = {
    "sites": "Sites and their limits",
    "meters": "Meters",
    "probes": "Probes",
    "instruments": "Instruments without a probe",
    "lots": "Standards on the shelf",
}


@blueprint.get("/")
def page() -> ResponseReturnValue:
    """Show what one works with, or a file."""
    return _page({})


@blueprint.get("/proposal")
def proposal() -> ResponseReturnValue:
    """Show what is proposed for it."""
    found = propose(request.args.getlist("work"), request.args.getlist("gear"), in_force())
    return _form(rows_of(found), found.rinse, found.methods, {})


@blueprint.post("/file")
def file() -> ResponseReturnValue:
    """The rows of a file, to look over before they are kept."""
    given = request.files.get("file")
    try:
        found = read_file(text_of(given.read()), in_force()) if given else None
        if found is None:
            raise CoreError("Choose a file.")
    except CoreError as error:
        return _page({"file": str(error)}), 422
    return _form(rows_of(found), found.rinse, found.methods, {})


@blueprint.post("/proposal")
def keep() -> ResponseReturnValue:
    """Keep the rows that are ticked."""
    rows, rinse = list(sent(request.form)), request.form.get("rinse", "")
    methods = {p.key: code for p in principles() if (code := request.form.get(f"method-{p.key}"))}
    taken = [r for r in rows if r.taken and not r.blank]
    things, wrong = list[NewThing](), dict[uuid.UUID, dict[str, str]]()
    meters = {v.meter.label: v.meter.id for v in services().meters.all()}
    meters |= {r.values["label"]: r.key for r in taken if r.section == "meters"}
    for row in taken:
        try:
            things.append(thing_of(row, taken, meters))
        except InvalidInput as refused:
            wrong[row.key] = dict(refused.fields)
    try:
        done = services().starting.keep(things, rinse, methods, signed_in())
    except InvalidInput as refused:
        return _form(rows, rinse, methods, refused.fields), 422
    wrong |= {key: dict(fields) for key, fields in done.wrong.items()}
    said = {
        "Kept": [r for r in rows if r.key in done.kept],
        "Left aside, for nothing was typed": [r for r in rows if r.taken and r.blank],
    }
    flash(" ".join(f"{words}: {', '.join(r.title for r in some)}." for words, some in said.items() if some))
    if not wrong:
        return redirect(url_for("today.page"))
    left = [FormRow(r.key, r.section, r.values, r.taken, wrong.get(r.key, {})) for r in rows if r.key not in done.kept]
    return _form(left, rinse, methods, {}), 422


def _page(errors: Mapping[str, str]) -> str:
    return render_template(
        "start/page.html", works=works(in_force()), gears=gears(in_force()), fields=FIELDS, errors=errors
    )


def _form(rows: Sequence[FormRow], rinse: str, chosen: Mapping[str, str], errors: Mapping[str, str]) -> str:
    values = {f"{r.key}-{name}": text for r in rows for name, text in r.values.items()}
    values |= {"rinse": rinse, **{f"method-{p}": code for p, code in chosen.items()}}
    solutions = [
        (f"{s.key}/{f}" if f else s.key, f"{s.name}, {words}" if f else s.name)
        for s in standards().values()
        for f, words in (families_of(s.key) or {"": ""}).items()
    ]
    labels = [r.values.get("label", "") for r in rows if r.section == "meters"]
    labels += [v.meter.label for v in services().meters.all()]
    return render_template(
        "start/proposal.html",
        sections=[(key, title, [r for r in rows if r.section == key]) for key, title in _TITLES.items()],
        values=values,
        errors={f"{r.key}-{name}": words for r in rows for name, words in r.errors.items()} | dict(errors),
        waters=[(name, name) for name in in_force().waters],
        kinds=[(k.key, k.name) for k in in_force().kinds.values()],
        instruments=[(str(k), str(k)) for k in InstrumentKind],
        references=list(REFERENCES.items()),
        meters=[(label, label) for label in dict.fromkeys(labels)],
        solutions=solutions,
        rinses=[(r.key, r.name) for r in in_force().rinses.values()],
        methods=[(p, [(m.code, m.name) for m in in_force().procedures_of(p)]) for p in chosen],
        in_place={"solution", *chain(*FIELDS.values())},
        reads={k.principle: quantity(k.quantity).name for k in in_force().kinds.values()},
    )
