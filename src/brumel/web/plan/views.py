"""Plan: a round's sites, kit and departure; what to do when, ticked off; what to pack; to print, as a calendar."""

from __future__ import annotations

import math
import uuid
from datetime import timedelta
from typing import Any

from flask import Blueprint, Response, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from brumel.core.plan.hours import TRAVEL_MIN
from brumel.services.errors import InvalidInput
from brumel.services.house.rules import in_force
from brumel.services.planning.calendar import calendar_of, of_plan
from brumel.services.planning.plan import DayPlan
from brumel.services.planning.rounds import NewRound
from brumel.services.shelf.bottles import label_of
from brumel.web.context import probe_states, services, signed_in
from brumel.web.figures.drawing import plan_figures
from brumel.web.forms import Typed, as_id

blueprint = Blueprint("plan", __name__, template_folder="templates", url_prefix="/plan")

_MOVES = (("Depart 30 min earlier", timedelta(minutes=-30)), ("Depart 30 min later", timedelta(minutes=30)))


@blueprint.route("/", methods=["GET", "POST"])
def index() -> ResponseReturnValue:
    """Show the rounds that are planned, and a form for the next."""
    errors: dict[str, str] = {}
    if request.method == "POST":
        typed = Typed(request.form)
        try:
            round_id = _save(typed, typed.new_record_id())
            return redirect(url_for("plan.page", round_id=round_id))
        except InvalidInput as wrong:
            errors = wrong.fields
    tomorrow = services().clock.local(services().clock.now() + timedelta(days=1))
    values = request.form if errors else {"departure": tomorrow.strftime("%Y-%m-%dT08:00")}
    page = render_template(
        "plan/index.html", rounds=services().planned.ahead(), errors=errors, values=values,
        chosen_sites=request.values.getlist("site"), **_choices(),
    )  # fmt: skip
    return page, 422 if errors else 200


@blueprint.get("/<uuid:round_id>")
def page(round_id: uuid.UUID) -> ResponseReturnValue:
    """Show a round's plan as things stand now."""
    return _page(round_id, {}, {})


@blueprint.post("/<uuid:round_id>")
def change(round_id: uuid.UUID) -> ResponseReturnValue:
    """Another departure, other sites, another kit: planned at once."""
    typed = Typed(request.form)
    try:
        _save(typed, round_id)
    except InvalidInput as wrong:
        return _page(round_id, wrong.fields, request.form)
    return redirect(url_for("plan.page", round_id=round_id))


@blueprint.post("/<uuid:round_id>/<any(tick, untick, way, drop):action>")
def act(round_id: uuid.UUID, action: str) -> ResponseReturnValue:
    """Tick a step off, take the ticks back, take a way out, or drop the round."""
    planned, typed = services().planned, Typed(request.form)
    try:
        if action == "tick":
            planned.tick(round_id, typed.text("key"), signed_in())
        elif action == "untick":
            planned.untick(round_id, signed_in())
        elif action == "way":
            planned.take_way(round_id, typed.text("field"), typed.text("value"), signed_in())
        else:
            planned.drop(round_id, signed_in())
            return redirect(url_for("plan.index"))
    except InvalidInput as wrong:
        return _page(round_id, wrong.fields, {})
    return redirect(url_for("plan.page", round_id=round_id))


@blueprint.get("/<uuid:round_id>/plan.ics")
def calendar(round_id: uuid.UUID) -> ResponseReturnValue:
    """Show the steps as a calendar file, each with an alarm."""
    found = services().planned.plan(round_id)
    answer = Response(calendar_of(of_plan(round_id, found.steps), services().clock.now()), mimetype="text/calendar")
    answer.headers["Content-Disposition"] = "attachment; filename=brumel-plan.ics"
    return answer


def _page(round_id: uuid.UUID, errors: dict[str, str], values: Any) -> ResponseReturnValue:
    found = services().planned.plan(round_id)
    page = render_template(
        "plan/page.html",
        plan=found,
        tour=services().touring.tour(round_id),
        figures=plan_figures(found, services().clock),
        moves=[(words, (found.round.departure + by).isoformat()) for words, by in _MOVES],
        errors=errors,
        values=values or _typed_before(found),
        chosen_sites=request.form.getlist("site") if values else [str(s) for s in found.round.site_ids],
        states=probe_states(),
        **_choices(),
    )  # fmt: skip
    return page, 422 if errors else 200


def _typed_before(plan: DayPlan) -> dict[str, str]:
    """Return a round's form as it was typed."""
    wanted = plan.round
    ways = [f"{minutes:g}" for minutes in wanted.travel] or [""] * (len(wanted.site_ids) + 1)
    found = {
        "departure": services().clock.local(wanted.departure).strftime("%Y-%m-%dT%H:%M"),
        "kit": wanted.kit,
        "rinse": wanted.rinse,
        "stay": "" if wanted.stay_min is None else f"{wanted.stay_min:g}",
        "back": ways[-1],
    }
    for number, (key, way) in enumerate(zip(wanted.site_ids, ways, strict=False), 1):
        found |= {f"order-{key}": str(number), f"travel-{key}": way}
    return found


def _choices() -> dict[str, Any]:
    return {
        "sites": services().states.sites(),
        "kits": services().planned.kits(),
        "rinses": [(r.key, r.name) for r in in_force().rinses.values()],
        "label_of": label_of,
    }


def _save(typed: Typed, round_id: uuid.UUID) -> uuid.UUID:
    def ids(name: str) -> list[uuid.UUID]:
        return [found for text in request.form.getlist(name) if (found := as_id(text))]

    chosen = ids("site")
    order = {key: typed.number(f"order-{key}") for key in chosen}
    ways = {key: typed.number(f"travel-{key}") for key in chosen}
    back = typed.number("back")
    in_order = sorted(chosen, key=lambda key: math.inf if order[key] is None else order[key] or 0)
    travel = [TRAVEL_MIN if m is None else m for m in (*(ways[key] for key in in_order), back)]
    new = NewRound(
        round_id=round_id,
        departure=typed.moment("departure", services().clock.timezone),
        kit=typed.text("kit"),
        rinse=typed.text("rinse"),
        site_ids=in_order,
        probe_ids=ids("probe"),
        without=request.form.getlist("without"),
        travel=travel,
        stay_min=typed.number("stay"),
        version=typed.version(),
    )
    typed.must_be_read()
    return services().planned.save(new, signed_in())
