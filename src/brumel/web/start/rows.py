"""The rows of the guided start's form: as proposed, as sent back, and what each asks to be kept."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field

from werkzeug.datastructures import MultiDict

from brumel.core.errors import CoreError
from brumel.core.kit.accuracy import read_accuracy
from brumel.core.kit.shelf import standards
from brumel.core.quantities.quantity import of_a_round, quantities, quantity
from brumel.core.reading.limits import limits_of
from brumel.core.start.proposal import FIELDS, MOST_ROWS, Proposal, Row
from brumel.services.errors import InvalidInput
from brumel.services.house.rules import in_force
from brumel.services.kit.instruments import NewInstrument, TypedMeasures
from brumel.services.kit.meters import NewMeter
from brumel.services.kit.probes import NewProbe
from brumel.services.shelf.typed_lot import NewLot
from brumel.services.sites.sites import NewSite, Reach
from brumel.services.start.starting import New, NewThing
from brumel.web.context import services
from brumel.web.forms import Typed, as_id

_ONLY_THERE = {"meters": ("serial",), "probes": ("serial",), "lots": ("lot_number", "expires_on")}
"""What nobody can propose; a row where none of it is typed is left aside."""


SUCH_ACCURACY = "ph ±0.02; oxygen ±2 % of reading; specific-conductance ±1 % of reading"
_SEES, _SUCH = 3, "ph 4 9; free-chlorine 0.02 6"


@dataclass(frozen=True)
class FormRow:
    """A row of the form: its own id, where it belongs, and what stands in it by name of its field."""

    key: uuid.UUID
    section: str
    values: Mapping[str, str]
    taken: bool = True
    errors: Mapping[str, str] = field(default_factory=dict)

    @property
    def limits(self) -> list[str]:
        """Of a site the quantities whose limits are shown."""
        named = (name.removeprefix("low-") for name in self.values if name.startswith("low-"))
        return [key for key in named if key in quantities()]

    @property
    def blank(self) -> bool:
        """Whether nothing of what nobody can propose was typed."""
        asked = _ONLY_THERE.get(self.section, ())
        return bool(asked) and not any(self.values.get(name) for name in asked)

    @property
    def title(self) -> str:
        """What it is called in a sentence."""
        given = self.values.get("label") or self.values.get("name") or self.values.get("lot_number")
        about = standards().get(self.values.get("solution", "").split("/")[0])
        return given or (f"{about.name} {self.values.get('nominal', '')}".strip() if about else "a row")


def rows_of(found: Proposal) -> list[FormRow]:
    """Return the rows of a proposal as the form has them."""
    return [
        FormRow(uuid.uuid4(), section, dict(_shown(section, row))) for section in FIELDS for row in found.rows[section]
    ]


def _shown(section: str, row: Row) -> Iterator[tuple[str, str]]:
    yield from row.items()
    if section == "lots":
        standard, family = row.get("standard", ""), row.get("family", "")
        yield "solution", f"{standard}/{family}" if family else standard
    if section == "sites":
        for key, limit in limits_of(in_force(), row.get("water_kind", "")).items():
            yield f"low-{key}", "" if limit.low is None else quantity(key).number(limit.low)
            yield f"high-{key}", "" if limit.high is None else quantity(key).number(limit.high)


def sent(form: MultiDict[str, str]) -> Iterator[FormRow]:
    """Yield the rows that came back."""
    for text in form.getlist("row")[: MOST_ROWS * len(FIELDS)]:
        key, section = as_id(text), form.get(f"{text}-section", "")
        if key is None or section not in FIELDS:
            continue
        begins = f"{text}-"
        values = {name.removeprefix(begins): v for name, v in form.items() if name.startswith(begins)}
        yield FormRow(key, section, values, "take" in values)


def thing_of(row: FormRow, taken: Sequence[FormRow], meters: Mapping[str, uuid.UUID]) -> NewThing:
    """Return what a row asks to be kept."""
    typed = Typed(MultiDict(row.values))
    limits = {key: (typed.number(f"low-{key}"), typed.number(f"high-{key}")) for key in row.limits}
    new: Mapping[str, Callable[[], New]] = {
        "sites": lambda: _site(row, typed, limits),
        "meters": lambda: _meter(row, typed, taken),
        "probes": lambda: _probe(row, typed, meters),
        "instruments": lambda: _instrument(row, typed),
        "lots": lambda: _lot(row, typed),
    }
    what = new[row.section]()
    typed.must_be_read()
    return NewThing(row.key, what, limits)


def _site(row: FormRow, typed: Typed, limits: Mapping[str, Reach]) -> NewSite:
    known = {q.key for q in of_a_round()}
    expected = {key: reach for key, reach in limits.items() if key in known and None not in reach}
    code, name, kind = (typed.text(n) for n in ("code", "name", "water_kind"))
    return NewSite(row.key, code, name, kind, typed.number("visit_every_days"), expected=expected)


def _meter(row: FormRow, typed: Typed, taken: Sequence[FormRow]) -> NewMeter:
    """Return a meter, which takes all kinds of what its probes read."""
    kinds = {
        r.values.get("kind", "")
        for r in taken
        if r.section == "probes" and r.values.get("meter") == typed.text("label")
    }
    read = {in_force().kinds[k].quantity for k in kinds if k in in_force().kinds}
    takes = [k.key for k in in_force().kinds.values() if k.quantity in read] or list(in_force().kinds)
    label, serial, kit = (typed.text(n) for n in ("label", "serial", "kit"))
    since = typed.day("in_service_on") or services().clock.today()
    return NewMeter(row.key, label, serial, kit, since, takes=takes, accuracy=_accuracy(typed.text("accuracy")))


def _accuracy(text: str) -> dict[str, str]:
    """Say how exact a meter is, by quantity: a quantity's key and what its leaflet states, parted by semicolons.

    Raises
    ------
    InvalidInput
        Where a part names no quantity, or states nothing that can be read.
    """
    found = {}
    for part in filter(None, map(str.strip, text.split(";"))):
        key, _, stated = part.partition(" ")
        try:
            if key not in quantities() or not stated.strip():
                raise CoreError(f"{key} is no quantity here, or nothing is stated of it.")
            read_accuracy(stated)
        except CoreError as error:
            raise InvalidInput({"accuracy": f"{error} Write it like {SUCH_ACCURACY}."}) from None
        found[key] = stated
    return found


def _probe(row: FormRow, typed: Typed, meters: Mapping[str, uuid.UUID]) -> NewProbe:
    label, serial, kind, kit, meter = (typed.text(n) for n in ("label", "serial", "kind", "kit", "meter"))
    if meter and meter not in meters:
        raise InvalidInput(
            {"meter": f"{meter} is not kept: tick that meter and type its serial number, or choose none."}
        )
    own = kind in in_force().kinds and in_force().kinds[kind].own_reference
    return NewProbe(
        row.key, label, serial, kind, kit, typed.day("in_service_on") or services().clock.today(),
        meter_id=meters.get(meter), reference=typed.text("reference") if own else "",
    )  # fmt: skip


def _instrument(row: FormRow, typed: Typed) -> NewInstrument:
    measures = {}
    for part in filter(None, (p.split() for p in typed.text("sees").split(";"))):
        ends = Typed(MultiDict(zip(("low", "high"), part[1:], strict=False)))
        measures[part[0]] = TypedMeasures(ends.number("low"), ends.number("high"), gives=" ".join(part[_SEES:]))
        if len(part) < _SEES or ends.errors or part[0] not in quantities():
            raise InvalidInput({"sees": f"Write quantity, from and to, parted by semicolons, such as {_SUCH}."})
    return NewInstrument(row.key, typed.text("label"), typed.text("kind"), typed.text("kit"), measures=measures)


def _lot(row: FormRow, typed: Typed) -> NewLot:
    standard, _, family = typed.text("solution").partition("/")
    return NewLot(
        row.key, standard, typed.text("lot_number"), family, typed.number("nominal"), expires_on=typed.day("expires_on")
    )
