"""The validated model of a calibration's file: what each field must be, for its kind of probe and its method.

``docs/formats.md`` describes the file for people, ``calibration.schema.json`` beside this module for programs. What
hangs on the kind and the method (its steps, its signal's range, its coefficients) is asked once those are known.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING, Any

from brumel.core.calibrating.judging import principle_of, read_method
from brumel.core.calibrating.meter_run import checks_of, reports_of
from brumel.core.calibrating.procedure import Step, steps_of
from brumel.core.findings import Acceptance
from brumel.core.kit.kinds import Check, ProbeKind, Reported
from brumel.core.kit.shelf import standards
from brumel.core.outside_data import shown
from brumel.core.place.station_pressure import STATION_HPA
from brumel.core.place.surroundings import read_place
from brumel.core.quantities.ph import TEMPERATURE_RANGE_C
from brumel.core.quantities.redox import REFERENCES
from brumel.core.record.shapes import (
    UNREADABLE,
    Shape,
    anything,
    both,
    each,
    fields,
    flag,
    named,
    nothing_or,
    number,
    one_of,
    pair,
    read_by,
    text,
    whole,
)
from brumel.core.said import as_value
from brumel.core.sensing.principle import Principle
from brumel.core.sensing.response import Origin
from brumel.core.sensing.run import Use
from brumel.core.standards.targets import Bottle, bottle_of, check_bottle
from brumel.core.words.catalogue import word

if TYPE_CHECKING:
    from brumel.core.rules import Rules

FORMAT, VERSION = "brumel-calibration", 1
BY_BRUMEL, BY_METER = "brumel", "meter"
_TAKEN_WHOLE = ("principle", "steps", "tolerances", "weights")
_DAYS = whole(0, 1_000_000)
_NUMBERS = each(number())
_TARGET = fields({"value": number(), "u": number(0.0)}, {"unit": text(), "known": flag}, anything)
_BESIDE = fields({}, {"number": text(), "label": text()}, anything)


def faults(data: object, rules: Rules) -> Iterator[str]:
    """Yield what is wrong with a file, each with its place: a sentence's end."""
    if not isinstance(data, Mapping):
        yield from (f"The file {words}" for words in fields({})(data))
    else:
        needed, more = (_by_meter if data.get("kept_by") == BY_METER else _by_brumel)(data, rules)
        yield from fields(_HEAD | needed, _AROUND | more, anything)(data)


def frozen_of(data: Mapping[str, Any], rules: Rules) -> Mapping[str, Any]:
    """Return a file's method whole: as a run froze it, or as the one of its code ships."""
    given, kind = data["method"], data["probe"]["kind"]
    if isinstance(given, Mapping):
        return given
    holds = rules.kind(kind).holds_days or (0.0, 0.0)
    rinse = rules.rinses[data.get("rinse") or next(iter(rules.rinses))]
    return rules.procedure(given).frozen(
        rules, waters=waters_of(data), rinse=rinse, kind=kind, holds_days=holds, conditions=data.get("conditions") or {}
    )


def kept_by_meter(data: Mapping[str, Any], rules: Rules) -> tuple[Mapping[str, Check], Mapping[str, Reported]]:
    """Return what a meter is looked at in and what it may report, by key: as a run froze it, or as its kind ships."""
    if isinstance(given := data.get("method"), Mapping):
        return checks_of(given), reports_of(given)
    kind = rules.kind(data["probe"]["kind"])
    return {c.key: c for c in kind.checks}, {r.key: r for r in kind.reported}


def bottle_in(lot: Mapping[str, Any]) -> Bottle:
    """Return the bottle that a point's lot is."""
    return bottle_of(
        lot["standard"], lot.get("family", ""), lot.get("nominal"), lot.get("table"), lot.get("certificate_u")
    )


def waters_of(data: Mapping[str, Any]) -> tuple[float, float] | None:
    """Return from and to of the waters planned; None where the file says nothing of them."""
    given = data.get("waters")
    return (float(given[0]), float(given[1])) if given else None


def _by_brumel(data: Mapping[str, Any], rules: Rules) -> tuple[dict[str, Shape], dict[str, Shape]]:
    """Make the shapes of the fields that a file must have, and may have, where Brumel fits."""
    kind, told = _kind(data, rules), data.get("method")
    senses = kind.principle if kind else ""
    fitting = [code for code, m in rules.procedures.items() if not senses or m.principle == senses]
    own, steps = _method(data, rules)
    needed: dict[str, Shape] = {
        "probe": _probe([key for key, one in rules.kinds.items() if one.principle]),
        "method": _METHOD if isinstance(told, Mapping) else one_of(fitting),
        "points": each(_point(own, steps) if own else fields({"step": text()}, {}, anything), least=1),
    }
    return needed, {
        "rinse": one_of([*rules.rinses]),
        "waters": nothing_or(pair),
        "conditions": read_by(read_place),
        "not_ready": text(),
        "despite": text(),
        "previous": nothing_or(_previous(own) if own else anything),
    }


def _by_meter(data: Mapping[str, Any], rules: Rules) -> tuple[dict[str, Shape], dict[str, Shape]]:
    """Make the shapes of the fields that a file must have, and may have, where a meter adjusts itself."""
    needed: dict[str, Shape] = {"probe": _probe([*rules.kinds])}
    more: dict[str, Shape] = {"method": _METHOD_OF_METER if isinstance(data.get("method"), Mapping) else anything}
    try:
        checks, reports = kept_by_meter(data, rules)
    except UNREADABLE:
        return needed, more
    point = fields({"check": one_of([*checks]), "target": _TARGET}, _KEPT, anything)
    reported = fields({}, dict.fromkeys(reports, number()), anything)
    return needed, more | {"points": nothing_or(each(point)), "reported": nothing_or(reported)}


def _probe(kinds: list[str]) -> Shape:
    return fields({"kind": one_of(kinds)}, {"reference": one_of(["", *REFERENCES])}, anything)


def _kind(data: Mapping[str, Any], rules: Rules) -> ProbeKind | None:
    probe = data.get("probe")
    key = probe.get("kind") if isinstance(probe, Mapping) else None
    return rules.kinds.get(key) if isinstance(key, str) else None


def _method(data: Mapping[str, Any], rules: Rules) -> tuple[Principle | None, Mapping[str, Step]]:
    """Return the principle and the steps that a file's points are held against; none where its method can't be read."""
    try:
        frozen = frozen_of(data, rules)
        return principle_of(frozen), {step.key: step for step in steps_of(frozen)}
    except UNREADABLE:
        return None, {}


def _point(own: Principle, steps: Mapping[str, Step]) -> Shape:
    """Make the shape of a point: which of its fields it must have hangs on its step."""
    needed: dict[str, Shape] = {
        "step": one_of([*steps]), "signal": number(*own.signal_range), "temperature_c": number(*TEMPERATURE_RANGE_C),
    }  # fmt: skip
    if own.needs_pressure:
        needed["pressure_hpa"] = number(*STATION_HPA)
    told = fields(needed | {"target": _TARGET}, _OF_A_POINT | {"lot": nothing_or(_LOT)}, anything)
    looked_up = fields(needed, _OF_A_POINT | {"lot": nothing_or(_lot), "target": anything}, anything)

    def look(value: object) -> Iterator[str]:
        given = value if isinstance(value, Mapping) else {}
        yield from (looked_up if given.get("target") is None else told)(value)
        step = steps.get(given["step"]) if isinstance(given.get("step"), str) else None
        if step is not None and step.target is None and given.get("target") is None and given.get("lot") is None:
            yield "lot is missing: give the point a lot or a target"

    return look


def _lot(value: object) -> Iterator[str]:
    """Look at a lot that a target is looked up by."""
    wrong = [*_LOT(value)]
    yield from wrong
    if wrong or not isinstance(value, Mapping):
        return
    if wrong := [*fields({"standard": one_of([*standards()])}, {}, anything)(value)]:
        yield from wrong
    elif standards()[value["standard"]].needs_value and value.get("nominal") is None:
        yield "nominal must be a number: this standard has the value of its label"
    else:
        yield from _BOTTLE(value)


def _previous(own: Principle) -> Shape:
    """Return the probe's last full run, for the coefficients of its principle."""
    coefficients = {c.key: both(number(), _not_nought) if c.inverse else number() for c in own.coefficients}
    keys = [*coefficients]

    def sized(value: Mapping[str, Any]) -> Iterator[str]:
        given, rows = [key for key in value["coefficients"] if key in keys], value.get("covariance")
        # A run of an older version may know fewer, the first of them.
        sizes = {len(keys), len(given)} if given == keys[: len(given)] else {len(keys)}
        if rows is not None and (len(rows) not in sizes or any(len(row) != len(rows) for row in rows)):
            yield f"covariance must be {len(keys)} rows of {len(keys)} numbers"

    shape = fields(
        {"age_days": number(0.0, 1e5), "coefficients": fields({}, coefficients, anything)},
        {"tended": text(), "temperature_c": nothing_or(number()), "covariance": nothing_or(each(_NUMBERS)),
         "origins": named(one_of([*Origin])), "bottles": each(text(120))}, anything,
    )  # fmt: skip
    return both(shape, sized)


def _version(value: object) -> Iterator[str]:
    if value != VERSION or isinstance(value, bool):
        yield f"must be {VERSION}; {shown(value)} is not"


def _not_nought(value: object) -> Iterator[str]:
    if value == 0:
        yield "must be a number other than 0"


_HEAD: dict[str, Shape] = {"format": one_of([FORMAT]), "version": _version}
_AROUND: dict[str, Shape] = {"kept_by": one_of([BY_BRUMEL, BY_METER])}
_KEPT: dict[str, Shape] = {
    "label": text(), "before": nothing_or(number()), "after": nothing_or(number()),
    "temperature_c": nothing_or(number()), "expired_days": nothing_or(_DAYS), "over_open_days": nothing_or(_DAYS),
}  # fmt: skip
_LOT = fields(
    {},
    {"standard": text(), "number": text(), "label": text(), "family": text(), "nominal": nothing_or(number()),
     "table": nothing_or(each(each(number(), least=2, most=2))), "certificate_u": nothing_or(number())}, anything,
)  # fmt: skip
_BOTTLE = read_by(lambda lot: check_bottle(bottle_in(lot)))
_METHOD = both(fields(dict.fromkeys(_TAKEN_WHOLE, anything), {}, anything), read_by(read_method))
_METHOD_OF_METER = read_by(lambda frozen: (checks_of(frozen), reports_of(frozen)))


def keyed_or_text(value: object) -> Iterator[str]:
    """Look at something said: a word or sentence by its key, or words of an earlier version or of a house's own."""
    if not isinstance(value, str):
        yield from read_by(lambda plain: word(as_value(plain)))(value)


_OF_A_POINT: dict[str, Shape] = {
    "beside": nothing_or(_BESIDE),
    "use": one_of([*Use]),
    "acceptance": one_of([*Acceptance]),
    "settling_words": text(),
    "expired_days": nothing_or(_DAYS),
    "over_open_days": nothing_or(_DAYS),
    "deviations": each(text()),
    "deviations_said": each(keyed_or_text),
    "settling_s": nothing_or(number()),
    "first_signal": nothing_or(number()),
    "left_over": nothing_or(number(0.0, 1e9)),
}
