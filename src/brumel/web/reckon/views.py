"""Reckon: find a calculation, type what one has, read the answer with its working and its curve."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from urllib.parse import urlencode

from flask import Blueprint, Response, jsonify, render_template, request, url_for
from flask.typing import ResponseReturnValue
from flask_login import current_user
from werkzeug.datastructures import MultiDict

from brumel.core.reckoning.definition import Calculation, Moment, Number, Points, calculations, find
from brumel.services.reckon.desk import WorkedAnswer, work
from brumel.services.reckon.faces import formulas_markdown, people_value
from brumel.services.reckon.finder import in_hand, offers, what_one_may_want
from brumel.services.reckon.known import Given, Judged, onward, reading_form, takes_from, waters
from brumel.services.units import units_of
from brumel.web.context import probe_states, services
from brumel.web.figures.drawing import curve_figure
from brumel.web.forms import Typed, as_id

blueprint = Blueprint("reckon", __name__, template_folder="templates", url_prefix="/reckon")

_POINT_ROWS = 4


@blueprint.get("/")
def page() -> ResponseReturnValue:
    """Say which calculation: by what one has and what one wants."""
    have = [label for label in request.args.getlist("have") if label in in_hand()]
    want = request.args.get("want", "")
    return render_template(
        "reckon/page.html",
        have=have,
        want=want,
        haves=in_hand(),
        wants=what_one_may_want(),
        offers=offers(have, want),
    )


@blueprint.get("/formulas")
def formulas() -> ResponseReturnValue:
    """Show all formulas with their ranges and sources."""
    return render_template("reckon/formulas.html", calculations=calculations().values())


@blueprint.get("/formulas.md")
def formulas_file() -> ResponseReturnValue:
    """Show the same as a file."""
    return Response(formulas_markdown(calculations()), mimetype="text/markdown")


@blueprint.get("/<name>")
def calculation(name: str) -> ResponseReturnValue:
    """Show one calculation, with what is typed in its address."""
    chosen = find(name)
    known = _known(chosen)
    values = {name: given.text for name, given in known.items()} | {k: v for k, v in request.args.items() if v.strip()}
    worked = work(chosen, _typed(chosen, values))
    worked.errors.update(_asked_back(chosen, values))
    return render_template("reckon/calculation.html", known=known, **_choices(chosen), **_shown(chosen, worked, values))


@blueprint.get("/<name>/answer")
def answer(name: str) -> ResponseReturnValue:
    """Answer, working and errors for what is typed so far, as the page puts them in their places."""
    chosen = find(name)
    worked = work(chosen, _typed(chosen, request.args))
    worked.errors.update(_asked_back(chosen, request.args))
    shown = _shown(chosen, worked, request.args)
    return jsonify(
        answer=render_template("reckon/_answer.html", **shown),
        working=render_template("reckon/_working.html", **shown),
        errors=worked.errors,
    )


def _known(chosen: Calculation) -> dict[str, Given]:
    """Return what the site and the probe that were chosen say of the inputs."""
    if not current_user.is_authenticated:
        return {}
    return services().known.inputs(chosen, as_id(request.args.get("site")), as_id(request.args.get("probe")))


def _choices(chosen: Calculation) -> dict[str, Any]:
    """Say where inputs can be taken from, for who may see that."""
    of_site, of_probe = takes_from(chosen) if current_user.is_authenticated else (False, False)
    return {
        "from_sites": services().states.sites() if of_site else [],
        "from_probes": probe_states(on_bench=True) if of_probe else [],
    }


def _judged(worked: WorkedAnswer) -> list[Judged]:
    site = as_id(request.args.get("site")) if current_user.is_authenticated else None
    return services().known.limits(worked.answer, request.args.get("water", ""), site)


def _shown(chosen: Calculation, worked: WorkedAnswer, values: Mapping[str, str]) -> dict[str, Any]:
    return {
        "chosen": chosen,
        "worked": worked,
        "values": values,
        "waters": waters(),
        "judged": {judged.output: judged for judged in _judged(worked)},
        "onward": onward(worked.answer, chosen, values),
        "gives_u": any(k.endswith("_u") and v.strip() for k, v in values.items()),
        "labels": {o.name: o.label for o in chosen.outputs},
        "kind_of": lambda i: type(i).__name__.lower(),
        "units_of": units_of,
        "people_value": people_value,
        "point_rows": _POINT_ROWS,
        "figure": curve_figure(worked.picture) if worked.picture else None,
        "to_reading": _to_reading(chosen, worked),
    }


def _typed(chosen: Calculation, values: Mapping[str, str]) -> dict[str, Any]:
    """Return what is typed, with its unit behind it; empty fields are left out."""
    found: dict[str, Any] = {}
    for i in chosen.accepted:
        if isinstance(i, Points):
            rows = [_point(i, n, values) for n in range(_POINT_ROWS)]
            if any(rows):
                found[i.name] = [row for row in rows if row]
        elif isinstance(i, Moment):
            if text := values.get(i.name, "").strip():
                moment = Typed(MultiDict(values)).moment(i.name, services().clock.timezone)
                found[i.name] = moment.isoformat() if moment else text
        else:
            unit = values.get(f"{i.name}.unit", "") if isinstance(i, Number) else ""
            own = isinstance(i, Number) and unit == i.unit
            for name in (i.name, f"{i.name}_u") if isinstance(i, Number) else (i.name,):
                if text := values.get(name, "").strip():
                    found[name] = text if own else f"{text} {unit}".strip()
    return found


def _point(i: Points, number: int, values: Mapping[str, str]) -> dict[str, Any]:
    cells = {f.name: values.get(f"{i.name}.{number}.{f.name}", "").strip() for f in i.fields}
    return {name: text for name, text in cells.items() if text}


def _asked_back(chosen: Calculation, values: Mapping[str, str]) -> dict[str, str]:
    """Of each time that is none or two in a night when clocks change: which it can be."""
    typed = Typed(MultiDict(values))
    for i in chosen.accepted:
        if isinstance(i, Moment):
            typed.moment(i.name, services().clock.timezone)
    return typed.errors


def _to_reading(chosen: Calculation, worked: WorkedAnswer) -> str | None:
    """Say where the answer goes on as a site reading, or as the note of one."""
    found = worked.answer
    if found is None:
        return None
    first = chosen.outputs[0]
    note = f"{chosen.title}: {people_value(first, found.outputs[first.name])}"
    form = reading_form(chosen)
    own_unit = [i.name for i in chosen.inputs if request.args.get(f"{i.name}.unit") in (None, getattr(i, "unit", None))]
    filled = {there: request.args.get(name, "") for name, there in form.fields.items() if name in own_unit}
    return f"{url_for('rounds.reading')}?{urlencode({'source': form.source, 'note': note, **filled, **form.says})}"
