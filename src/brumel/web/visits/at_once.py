"""All probes of a sonde in one water: seen live side by side, recorded as each is stable, depth after depth."""

from __future__ import annotations

import uuid
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from flask import flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from brumel.core.place.station_pressure import Pressure
from brumel.core.settling.rules import SettlingRule
from brumel.core.typed import whole_written
from brumel.services.errors import InvalidInput
from brumel.services.house.rules import in_force
from brumel.services.live.channels import positions_of
from brumel.services.probes.states import ProbeState
from brumel.services.readings.correct import principle_of
from brumel.services.visits.at_once import InWater, Together
from brumel.services.visits.visits import LAYERS, Sheet
from brumel.web.context import into_water, probe_states, services, signed_in
from brumel.web.forms import Typed, as_id, pressure_fields
from brumel.web.visits.fields import pressure_fields_of, spot_of
from brumel.web.visits.views import blueprint

MOST = 5
"""Browsers keep no more streams of one server open and still send a form."""
_GIVEN = frozenset(pressure_fields(Pressure()))
"""What can be typed before the probes are in."""


@blueprint.get("/<uuid:visit_id>/at-once")
def at_once(visit_id: uuid.UUID) -> ResponseReturnValue:
    """Choose the probes; once they are in the water, their values."""
    return _page(visit_id, _dipped(request.args.getlist("dip")), {}, request.args)


@blueprint.post("/<uuid:visit_id>/at-once/immerse")
def immerse(visit_id: uuid.UUID) -> ResponseReturnValue:
    """The probes are in the water: their traces begin now."""
    typed = Typed(request.form)
    chosen = _chosen(request.form)
    try:
        if not 0 < len(chosen) <= MOST:
            raise InvalidInput({"probe": f"Choose from one to {MOST} probes."})
        given = typed.pressure()
        key = typed.new_record_id("id-pressure") if given else None
        typed.must_be_read()
        if given:
            services().visits.save(visit_id, Sheet(pressure=given, pressure_id=key), signed_in())
        missing = services().at_once.missing(visit_id, chosen)
        if wanted := {name: words for one in missing.values() for name, words in one.items() if name in _GIVEN}:
            raise InvalidInput(wanted)
        return redirect(_place(visit_id, _begun(visit_id, chosen)))
    except InvalidInput as wrong:
        return _page(visit_id, {}, wrong.fields, request.form), 422


@blueprint.post("/<uuid:visit_id>/at-once/record")
def record(visit_id: uuid.UUID) -> ResponseReturnValue:
    """Record what is stable; what is not stays on the page."""
    typed, dipped = Typed(request.form), _dipped(request.form.getlist("dip"))
    entries = [
        InWater(p, after, typed.new_record_id(f"id-{p}"), typed.seen(f"seen-{p}")) for p, after in dipped.items()
    ]
    said = Together(spot_of(typed), typed.text("unsettled_reason"), typed.text("despite"))
    try:
        typed.must_be_read()
    except InvalidInput as wrong:
        return _page(visit_id, dipped, wrong.fields, request.form), 422
    refused = services().at_once.record(visit_id, entries, said, signed_in())
    if len(refused) < len(dipped):
        flash(f"{len(dipped) - len(refused)} of {len(dipped)} recorded.")
    if refused:
        left = {p: after for p, after in dipped.items() if p in refused}
        # What the line of a probe lacked is past once its trace is stable.
        errors = {
            f"line-{p}" if fields.keys() == {"device"} else str(p): " ".join(fields.values())
            for p, fields in refused.items()
        }
        if any("despite" in fields for fields in refused.values()):
            errors["despite"] = ""  # its words stand with the probe
        return _page(visit_id, left, errors, request.form), 422
    if request.form.get("then") == "deeper":
        return redirect(_place(visit_id, _begun(visit_id, _chosen(request.form) or list(dipped))))
    return redirect(url_for("visits.visit", visit_id=visit_id))


def _chosen(given: Any) -> list[uuid.UUID]:
    """Return the probes of the dip, those that are recorded already among them."""
    return [p for text in given.getlist("probe") if (p := as_id(text)) is not None]


def _begun(visit_id: uuid.UUID, chosen: Sequence[uuid.UUID]) -> dict[uuid.UUID, int]:
    """Return each probe put into the water of the visit, and the sample after which its trace begins."""
    site = services().visits.view(visit_id).visit.site
    return {p: into_water(p, site.id if site else None) for p in chosen}


@dataclass(frozen=True)
class _Tile:
    """A probe in the water: its value, or its signal where something is to be known first."""

    state: ProbeState
    after: int
    missing: Mapping[str, str]
    unit: str
    decimals: int
    rule: SettlingRule
    signal: Mapping[str, str]

    @classmethod
    def of(cls, state: ProbeState, after: int, missing: Mapping[str, str]) -> _Tile:
        about, own = state.quantity, principle_of(state.probe)
        if missing:
            rule = in_force().settled(own.quantity, calibrating=True)
            return cls(state, after, missing, own.signal_unit, own.signal_decimals, rule, {"signal": "1"})
        rule = in_force().settled(state.kind.quantity, calibrating=False)
        return cls(state, after, {}, about.stated_in, about.decimals, rule, {})


def _place(visit_id: uuid.UUID, dipped: Mapping[uuid.UUID, int]) -> str:
    known: Any = [f"{p}:{after}" for p, after in dipped.items()]
    return url_for("visits.at_once", visit_id=visit_id, dip=known) + "#live"


def _dipped(given: Sequence[str]) -> dict[uuid.UUID, int]:
    """Return probes in the water, each with the sample after which its trace begins."""
    found: dict[uuid.UUID, int] = {}
    for text in given[:MOST]:
        key, _, newest = text.partition(":")
        probe_id, after = as_id(key), whole_written(newest)
        if probe_id is not None and after is not None:
            found[probe_id] = after
    return found


def _page(visit_id: uuid.UUID, dipped: Mapping[uuid.UUID, int], errors: Mapping[str, str], values: Any) -> str:
    view = services().visits.view(visit_id)
    on_line = [s for s in probe_states(on_bench=True) if positions_of(s.probe) is not None]
    missing = services().at_once.missing(visit_id, dipped)
    asked = {q.key for q in view.left} or {row.about.key for row in view.rows}
    chosen = _chosen(values)
    return render_template(
        "visits/at_once.html",
        view=view,
        on_line=on_line,
        wanted=set(chosen) or _wanted(on_line, asked),
        dip=chosen or list(dipped),
        tiles=[_Tile.of(s, dipped[s.probe.id], missing.get(s.probe.id, {})) for s in on_line if s.probe.id in dipped],
        errors=errors,
        values=values,
        layers=LAYERS,
        **pressure_fields_of(view, values),
        most=MOST,
    )  # fmt: skip


def _wanted(on_line: Sequence[ProbeState], asked: set[str]) -> set[uuid.UUID]:
    """Return the probes of the kit that reads most of what is asked."""
    of_kit: dict[str, set[uuid.UUID]] = {}
    for s in on_line:
        if s.kind.quantity in asked or principle_of(s.probe).quantity in asked:
            of_kit.setdefault(s.probe.kit, set()).add(s.probe.id)
    return max(of_kit.values(), key=len, default=set())
