"""Find: a label, a serial or lot number, or what a scanner reads from a code."""

from __future__ import annotations

from flask import Blueprint, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from brumel.services.ledger.search import Hit
from brumel.web.context import services

blueprint = Blueprint("find", __name__, template_folder="templates", url_prefix="/find")


@blueprint.get("/")
def page() -> ResponseReturnValue:
    """Show what fits; where only one thing does, straight to it."""
    typed = request.args.get("q", "").strip()
    hits = services().search.hits(typed) if typed else []
    if len(hits) == 1:
        return redirect(address_of(hits[0]))
    return render_template("find/page.html", typed=typed, hits=hits, address_of=address_of)


def address_of(hit: Hit) -> str:
    """Return the page of what was found."""
    if hit.kind == "probe":
        return url_for("kit.probe", probe_id=hit.record_id)
    if hit.kind == "meter":
        return url_for("kit.meter", meter_id=hit.record_id)
    if hit.kind == "lot":
        return url_for("shelf.lot", lot_id=hit.record_id)
    return url_for("rounds.reading", site=hit.record_id)
