"""Today: what the probes are worth, and what to do next."""

from __future__ import annotations

from flask import Blueprint, render_template
from flask.typing import ResponseReturnValue

from brumel.services.calibrating.stored import coefficient_words
from brumel.web.context import probe_states, services

blueprint = Blueprint("today", __name__, template_folder="templates")


@blueprint.get("/")
def page() -> ResponseReturnValue:
    """The day."""
    return render_template(
        "today/page.html",
        day=services().today.day(probe_states()),
        coefficients=coefficient_words,
        restarts=services().health.restarts(),
    )
