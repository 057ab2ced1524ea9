"""Today: what now, before leaving, on the round, and what to think of tonight."""

from __future__ import annotations

from flask import Blueprint, render_template, url_for
from flask.typing import ResponseReturnValue

from brumel.services.today.steps import Action, NextStep, Section
from brumel.web.context import services

blueprint = Blueprint("today", __name__, template_folder="templates")

_LEADS: dict[Action, tuple[str, str, str, dict[str, str]]] = {
    Action.BEYOND: ("See to it", "ledger.reading", "reading_id", {"_anchor": "seen"}),
    Action.NIGHT: ("Open the visit", "visits.visit", "visit_id", {"_anchor": "night"}),
    Action.RESUME: ("Continue", "bench.run", "run_id", {}),
    Action.PAUSED: ("Check it", "bench.new", "probe", {}),
    Action.HAND_BACK: ("Hand back", "kit.probe", "probe_id", {"care": "handed-back", "_anchor": "log"}),
    Action.GO_ON: ("Continue", "visits.visit", "visit_id", {}),
    Action.CALIBRATE: ("", "bench.new", "probe", {}),
    Action.REPORT: ("", "bench.kept", "probe_id", {}),
    Action.LEAVE: ("Open the plan", "plan.page", "round_id", {}),
    Action.BEGIN: ("Open the plan", "plan.page", "round_id", {}),
    Action.VISIT: ("Take readings", "visits.new", "site", {}),
    Action.PREPARE: ("See to it", "kit.probe", "probe_id", {}),
    Action.ORDER: ("Open the shelf", "shelf.page", "", {}),
    Action.CHECK_BACK: ("Check back", "bench.back", "", {}),
}
"""For each action: what its button says, where it leads, what its target is there, and what else the address has."""


def _lead(step: NextStep) -> tuple[str, str]:
    """Return what a step's button says, and its address."""
    words, endpoint, name, more = _LEADS[step.action]
    return step.verb or words, url_for(endpoint, **({name: str(step.target)} if name else {}), **more)  # type: ignore[arg-type]


@blueprint.get("/")
def page() -> ResponseReturnValue:
    """Show the day."""
    return render_template(
        "today/page.html",
        day=services().today.day(),
        lead=_lead,
        section=Section,
        restarts=services().health.restarts(),
    )
