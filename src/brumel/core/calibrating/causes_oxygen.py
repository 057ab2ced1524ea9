"""What a probe of oxygen shows: a wrong pressure, dry air, spent sulfite, a bad membrane, no warm-up, no flow."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from brumel.core.calibrating.run import JudgedPoint, Run
from brumel.core.findings import Acceptance, Finding, Level
from brumel.core.quantities.oxygen import saturation_mg_l, vapour_pressure_hpa
from brumel.core.reading.pressure import pressure_findings
from brumel.core.sensing.oxygen import WITHOUT_PERCENT
from brumel.core.sensing.response import Response
from brumel.core.wording import signed, upper_first

_ZERO_SOUND_MG_L, _ZERO_DOUBTFUL_MG_L = 0.1, 0.3
_NEWS = 0.015
"""A gain that changed by less is what air, barometer and membrane do from day to day (common practice)."""
_DRYEST = 1.35
"""Dry air, and a thermometer beside it, make no more than this share of what the missing moisture is."""
_RECENT_DAYS = 8.0
_HIGH, _LOW = 0.12, 0.12


@dataclass(frozen=True)
class _Sensor:
    """What is sensed with, in the words of its kind."""

    skin: str
    leaks: str
    worn: str
    worn_remedy: str
    worn_minutes: int
    polarises: bool


_SENSORS = {
    "membrane": _Sensor(
        "membrane",
        "the sulfite is spent, or the membrane leaks",
        "an old, wrinkled or covered membrane, or spent electrolyte",
        "Fit a new membrane with fresh electrolyte, wait until it has polarised, repeat.",
        100,
        polarises=True,
    ),
    "luminescence": _Sensor(
        "cap",
        "the sulfite is spent, or the cap is damaged or not the one whose values are entered",
        "a bleached, scratched or dried cap",
        "Rehydrate the cap for an hour and repeat; still low: fit a new cap and enter its values.",
        70,
        polarises=False,
    ),
}


def oxygen_causes(run: Run) -> Iterator[Finding]:
    """The pressure first, for every point leans on it; then what each point shows."""
    sensor, known = _SENSORS[run.response.principle.key], _known(run)
    yield from pressure_findings(run.place.pressure, run.tolerances.redo_minutes)
    leaking = None
    for p in (p for p in run.points if p.point.value < WITHOUT_PERCENT):
        leaking = _zero(run, p, sensor) or leaking
    full = [p for p in run.points if p.point.value >= WITHOUT_PERCENT]
    ratios = [(p, _ratio(known, p)) for p in full] if known else []
    if leaking is not None:
        worst = max(ratios, key=lambda found: abs(found[1] - 1.0), default=None)
        yield _with_gain(leaking, worst[1] if worst else 1.0, sensor)
        return
    for p, ratio in ratios:
        found = _dry(run, p, ratio) or _too_high(run, p, ratio, sensor) or _too_low(p, ratio, sensor)
        if found is not None:
            yield found


def oxygen_remarks(run: Run) -> Iterator[Finding]:
    """Air and water far apart in temperature."""
    for p in (p for p in run.points if p.in_air):
        if words := run.place.apart(p.temperature_c):
            yield Finding(
                "air-and-water-apart",
                Level.DOUBTFUL,
                f"{words}, and what corrects the probe for temperature is not that good.",
                "Let probe, bottle and air come nearer to the water: hang the bottle in it for half an hour, repeat.",
                30,
            )
            return


def _known(run: Run) -> Response | None:
    """The last full run, unless something was done since that changes the gain."""
    return run.previous.response if run.previous is not None and not run.previous.tended else None


def _ratio(by: Response, p: JudgedPoint) -> float:
    """How many times its target a point shows by what is known."""
    return float(by.value(p.point.signal, p.point.at)) / p.point.value


def _zero(run: Run, p: JudgedPoint, sensor: _Sensor) -> Finding | None:
    """What a probe shows without oxygen, by the gain of this run and the zero of a new one."""
    own = run.response.principle
    new = Response.usual(own)
    gain = run.response.signal_per_value(100.0, p.point.at)
    shown = (p.point.signal - float(new.signal(0.0, p.point.at))) / float(gain)
    mg_l = shown / 100.0 * float(saturation_mg_l(p.temperature_c, p.point.at.pressure_hpa))
    if abs(mg_l) <= _ZERO_SOUND_MG_L:
        return None
    level = Level.UNFIT if abs(mg_l) > _ZERO_DOUBTFUL_MG_L else Level.DOUBTFUL
    return Finding(
        "zero-not-reached",
        level,
        f"{upper_first(p.label)} reads {signed(mg_l, 2)} mg/L above a new probe's zero; sound within "
        f"±{_ZERO_SOUND_MG_L:g} mg/L: {sensor.leaks}.",
        f"Fresh sodium sulfite, wait, repeat; still not at zero: look at the {sensor.skin} and renew it.",
        10,
    )


def _with_gain(zero: Finding, ratio: float, sensor: _Sensor) -> Finding:
    """A high zero with a changed gain says which of the two it is."""
    if not sensor.polarises or abs(ratio - 1.0) <= _HIGH:
        return zero
    if ratio > 1:
        code, what = "membrane-torn", "a torn membrane"
    else:
        code, what = "electrolyte-spent", "spent electrolyte"
    return Finding(
        code,
        Level.UNFIT,
        f"{zero.sentence.split(':')[0]}, and its gain changed by {signed((ratio - 1) * 100, 0, plus=True)} %: {what}.",
        sensor.worn_remedy,
        sensor.worn_minutes,
    )


def _dry(run: Run, p: JudgedPoint, ratio: float) -> Finding | None:
    """Air without moisture has more oxygen than saturated air."""
    if not p.in_air or run.previous is None or run.previous.age_days > _RECENT_DAYS:
        return None
    vapour = float(vapour_pressure_hpa(p.temperature_c))
    missing = vapour / (float(p.point.at.pressure_hpa) - vapour)
    if not max(_NEWS, 0.6 * missing) <= ratio - 1.0 <= _DRYEST * missing:
        return None
    return Finding(
        "air-not-saturated",
        Level.DOUBTFUL,
        f"{upper_first(p.label)} reads {signed((ratio - 1) * 100, 1, plus=True)} % more than by the last run: as air "
        f"that is not saturated does ({signed(missing * 100, 1, plus=True)} % at {signed(p.temperature_c)} °C).",
        "Put a wet sponge or some water into the bottle, close it, wait ten minutes in the shade, repeat.",
        10,
    )


def _too_high(run: Run, p: JudgedPoint, ratio: float, sensor: _Sensor) -> Finding | None:
    if ratio - 1.0 <= _HIGH or not sensor.polarises:
        return None
    sure = bool(run.despite.why_not) or p.acceptance is Acceptance.UNSETTLED
    return Finding(
        "not-warmed-up",
        Level.UNFIT if sure else Level.DOUBTFUL,
        f"{upper_first(p.label)} reads {signed((ratio - 1) * 100, 0, plus=True)} % more than by the last run: a probe "
        "that has not warmed up or polarised starts high and comes down.",
        "Leave it powered with its cap on: 10 minutes after switching on, 90 after a new membrane or a long time off.",
        90,
    )


def _too_low(p: JudgedPoint, ratio: float, sensor: _Sensor) -> Finding | None:
    if 1.0 - ratio <= _LOW:
        return None
    off = f"{upper_first(p.label)} reads {signed((ratio - 1) * 100, 0, plus=True)} % against the last run"
    if sensor.polarises and not p.in_air:
        return Finding(
            "no-movement",
            Level.DOUBTFUL,
            f"{off}: without movement a membrane uses up the oxygen before it.",
            "Stir or jig the probe all the time, keep bubbles off its membrane, take the point again.",
            3,
        )
    return Finding("sensor-worn", Level.DOUBTFUL, f"{off}: {sensor.worn}.", sensor.worn_remedy, sensor.worn_minutes)
