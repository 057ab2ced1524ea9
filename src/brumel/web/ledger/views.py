"""Ledger: records, one record in full, amendments, exports."""

from __future__ import annotations

import uuid
from collections.abc import Iterator
from typing import Any

from flask import Blueprint, Response, abort, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from brumel.core.calibrating.procedure import rinse_from
from brumel.core.findings import Acceptance
from brumel.core.place.surroundings import Surroundings
from brumel.core.quantities.quantity import quantities
from brumel.core.quantities.redox import REFERENCES
from brumel.services.errors import InvalidInput
from brumel.services.ledger.calibration_rows import status_of
from brumel.services.ledger.records import Filter
from brumel.services.live.display import meter_words
from brumel.services.probes.run_facts import tolerances_of
from brumel.services.probes.run_words import coefficient_words, target_words
from brumel.services.readings.row import shown_words
from brumel.web.context import page_number, services, signed_in
from brumel.web.figures.drawing import trace_figure
from brumel.web.figures.pictures import picture_of
from brumel.web.figures.response import response_figure
from brumel.web.forms import Typed

blueprint = Blueprint("ledger", __name__, template_folder="templates", url_prefix="/ledger")

_FILTERS = ("probe", "site", "quantity", "since", "until", "level", "amended")
"""What a list can be filtered by, as its address has it."""
_LEVELS = ("sound", "doubtful", "unfit")


def _filter() -> tuple[Filter, dict[str, str]]:
    """Return the filter of the query, and sentences for what can't be read."""
    typed = Typed(request.args)
    wanted = Filter(
        probe_id=typed.record_id("probe"),
        site_id=typed.record_id("site"),
        quantity=typed.text("quantity") or None,
        since=typed.day("since"),
        until=typed.day("until"),
        level=typed.text("level") or None,
        with_amended="amended" in request.args,
    )
    for name, found in (("probe", wanted.probe_id), ("site", wanted.site_id)):
        if typed.text(name) and found is None:
            typed.errors[name] = "This is none of the list: choose again."
    if wanted.quantity is not None and wanted.quantity not in quantities():
        typed.errors["quantity"] = "This is none of the list: choose again."
    if wanted.level not in (None, *_LEVELS, "open"):
        typed.errors["level"] = "This is no verdict: choose again."
    if wanted.since and wanted.until and wanted.since > wanted.until:
        typed.errors["until"] = "It ends before it begins: check both days."
    return wanted, typed.errors


@blueprint.get("/")
def page() -> ResponseReturnValue:
    """Show the readings; the ledger opens there."""
    return redirect(url_for("ledger.readings"))


@blueprint.get("/calibrations")
def calibrations() -> ResponseReturnValue:
    """Show calibrations that fit the filter."""
    wanted, errors = _filter()
    found = None if errors else services().ledger.calibrations(wanted, page_number())
    return _list_page("ledger/calibrations.html", found, errors)


@blueprint.get("/readings")
def readings() -> ResponseReturnValue:
    """Show readings that fit the filter."""
    wanted, errors = _filter()
    found = None if errors else services().ledger.readings(wanted, page_number())
    return _list_page("ledger/readings.html", found, errors)


@blueprint.get("/care")
def care() -> ResponseReturnValue:
    """Care and inspections that fit the filter."""
    wanted, errors = _filter()
    found = None if errors else services().ledger.care(wanted, page_number())
    return _list_page("ledger/care.html", found, errors)


def _list_page(template: str, found: Any, errors: dict[str, str]) -> ResponseReturnValue:
    states = services().states
    query = {name: value for name in _FILTERS if (value := request.args.get(name))}
    page = render_template(
        template,
        page=found,
        errors=errors,
        values=request.args,
        query=query,
        probes=states.probes(),
        sites=states.sites(retired=True),
        quantities=quantities(),
        all_quantities=list(quantities().values()),
        coefficients=coefficient_words,
        levels=_LEVELS,
        status_of=status_of,
        why_not_shown=services().ledger.why_not_shown,
    )
    return page, 422 if errors else 200


@blueprint.get("/calibrations/<uuid:run_id>.json")
def calibration_file(run_id: uuid.UUID) -> ResponseReturnValue:
    """Show one calibration as an open file, to be judged again elsewhere."""
    answer = Response(services().ledger.calibration_file(run_id), mimetype="application/json")
    answer.headers["Content-Disposition"] = f"attachment; filename=brumel-calibration-{run_id}.json"
    return answer


@blueprint.get("/<any(calibrations, readings, care):kind>.<any(csv, json, jsonl):form>")
def export(kind: str, form: str) -> ResponseReturnValue:
    """Show all that fits the filter, as CSV or JSON."""
    wanted, errors = _filter()
    if errors:
        raise InvalidInput(errors)
    if form == "jsonl" and kind != "calibrations":
        abort(404)
    if (kind, form) == ("readings", "csv"):
        own = signed_in().units if request.args.get("units") == "own" else None
        text: Iterator[str] | str = services().ledger.readings_csv(wanted, own)
    else:
        text = getattr(services().ledger, f"{kind}_{form}")(wanted)
    mimetype = {"csv": "text/csv", "json": "application/json", "jsonl": "application/jsonl"}[form]
    day = services().clock.today().isoformat()
    answer = Response(text, mimetype=mimetype)
    answer.headers["Content-Disposition"] = f"attachment; filename=brumel-{kind}-{day}.{form}"
    return answer


@blueprint.route("/calibrations/<uuid:run_id>", methods=["GET", "POST"])
def calibration(run_id: uuid.UUID) -> ResponseReturnValue:
    """Show one calibration in full; a note or a withdrawal is added here."""
    errors: dict[str, str] = {}
    if request.method == "POST":
        typed = Typed(request.form)
        try:
            services().calibrations.amend(
                run_id,
                typed.new_record_id(),
                signed_in(),
                typed.text("reason"),
                withdraw=typed.text("kind") == "withdrawal",
            )
            return redirect(url_for("ledger.calibration", run_id=run_id))
        except InvalidInput as wrong:
            errors = wrong.fields
    view = services().calibrations.view(run_id, traces=True)
    if view.kept_by_meter:
        checks = {c["key"]: c for c in view.run.method["checks"]}
        page = render_template(
            "ledger/kept.html", view=view, checks=checks, quantities=quantities(), coefficients=coefficient_words,
            references=REFERENCES, errors=errors, values=request.form,
        )  # fmt: skip
        return page, 422 if errors else 200
    page = render_template(
        "ledger/calibration.html",
        view=view,
        figure=response_figure(view),
        picture=picture_of(view),
        traces={s.key: trace_figure(s.trace) for s in view.steps},
        rinse=rinse_from(view.run.method["rinse"]),
        standard=tolerances_of(view.run).standard,
        accepted=lambda key: Acceptance(key).words,
        status=status_of(view.run),
        same_pour=services().calibrations.same_pour(run_id) if view.combined else [],
        references=REFERENCES,
        errors=errors,
        values=request.form,
    )
    return page, 422 if errors else 200


@blueprint.get("/readings/<uuid:reading_id>")
def reading(reading_id: uuid.UUID) -> ResponseReturnValue:
    """Show one reading in full."""
    view = services().readings.view(reading_id)
    return render_template(
        "ledger/reading.html",
        view=view,
        place=Surroundings.of(view.reading.surroundings),
        meter_words=meter_words,
        shown_words=shown_words,
        quantities=quantities(),
        references=REFERENCES,
        coefficients=coefficient_words,
        targets=target_words,
    )
