"""The guide: what a technician does in a day."""

from __future__ import annotations

from flask import Blueprint, render_template

from brumel.core.guide.guide import tasks

blueprint = Blueprint("guide", __name__, template_folder="templates", url_prefix="/guide")

PLACES = {
    "Set up": "start.page", "Today": "today.page", "Kit": "kit.page", "Shelf": "shelf.page", "Bench": "bench.page",
    "Rounds": "rounds.page", "Reckon": "reckon.page", "Ledger": "ledger.page",
}  # fmt: skip
"""By name where a task begins."""


@blueprint.get("/")
def page() -> str:
    """Show all tasks on one page."""
    return render_template("guide/page.html", tasks=tasks(), places=PLACES)
