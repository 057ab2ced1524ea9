"""The typed model that reads the schools, limits and rinse regimes."""

from __future__ import annotations

import tomllib
from dataclasses import asdict, dataclass, replace
from enum import StrEnum
from functools import cache
from importlib.resources import files
from typing import Any

from brumel.core.errors import CoreError
from brumel.core.findings import Bounds


class Role(StrEnum):
    """Which buffer a step wants."""

    NEUTRAL = "neutral"
    ACID = "acid"
    ALKALINE = "alkaline"
    WATER_SIDE = "water-side"
    OPPOSITE_SIDE = "opposite-side"

    def resolved(self, *, water_is_alkaline: bool) -> Role:
        """The buffer meant, once the side of the day's water is known."""
        if self is Role.WATER_SIDE:
            return Role.ALKALINE if water_is_alkaline else Role.ACID
        if self is Role.OPPOSITE_SIDE:
            return Role.ACID if water_is_alkaline else Role.ALKALINE
        return self

    def admits(self, nominal_ph: float) -> bool:
        """Whether a buffer of this nominal value can serve the step."""
        if self is Role.NEUTRAL:
            return 6.0 <= nominal_ph <= 8.0
        return nominal_ph < 6.0 if self is Role.ACID else nominal_ph > 8.0


class Use(StrEnum):
    """Whether the line is adjusted to a point, or the point only tests it."""

    ADJUST = "adjust"
    CHECK = "check"


@dataclass(frozen=True)
class Step:
    """One step of a method."""

    key: str
    role: Role
    use: Use


CUP_ML = 30.0
"""Standard in a cup that covers bulb and junction, mL (common practice)."""


@dataclass(frozen=True)
class Rinse:
    """One regime of rinsing between solutions.

    ``standard_share`` is how much of a cup of the coming standard goes into the rinse.
    """

    key: str
    name: str
    words: str
    standard_share: float

    @property
    def ml_per_point(self) -> float:
        """Standard that one point takes, mL: a cup, and the rinse before it.

        Examples
        --------
        >>> [round(r.ml_per_point) for r in rinses().values()]
        [30, 30, 45, 38]
        """
        return ml_per_point(self.standard_share)


def ml_per_point(standard_share: float) -> float:
    """Standard that a point takes where so much of a cup goes into the rinse before it, mL."""
    return CUP_ML * (1.0 + standard_share)


@dataclass(frozen=True)
class PhLimits:
    """Limits by which a pH calibration is judged, frozen into every run.

    ``slope`` in % of Nernst, ``offset`` in mV at pH 7.00, ``residual`` in pH; the rest as named.
    """

    slope: Bounds
    offset: Bounds
    residual: Bounds
    temperature_spread_c: float
    same_buffer_share: float
    change_mv: float
    change_slope_percent: float
    holds_days: tuple[float, float]
    """How long a calibration holds soundly, and at most, days: as the probe's kind has it."""


@dataclass(frozen=True)
class Method:
    """A calibration school."""

    code: str
    version: int
    parameter: str
    name: str
    why: str
    used_for: str
    source: str
    steps: tuple[Step, ...]

    def steps_for(self, *, water_is_alkaline: bool) -> tuple[Step, ...]:
        """The steps, once the side of the day's water is known."""
        return tuple(replace(s, role=s.role.resolved(water_is_alkaline=water_is_alkaline)) for s in self.steps)

    def frozen(self, *, water_is_alkaline: bool, rinse: Rinse, holds_days: tuple[float, float]) -> dict[str, Any]:
        """The method as it is kept with a run: plain data, sides resolved, limits and rinse included whole."""
        data = asdict(self)
        steps = self.steps_for(water_is_alkaline=water_is_alkaline)
        data["steps"] = [{"key": s.key, "role": str(s.role), "use": str(s.use)} for s in steps]
        data["limits"] = _toml("limits_ph.toml") | {"holds_days": list(holds_days)}
        data["rinse"] = asdict(rinse)
        return data


@cache
def methods() -> dict[str, Method]:
    """The schools that ship with the application, by code, the default first."""
    return {m.code: m for m in (_method("ph_neutral_acid_alkaline.toml"), _method("ph_neutral_side_check.toml"))}


def method(code: str) -> Method:
    """The school of this code; refuses an unknown one with the known ones."""
    try:
        return methods()[code]
    except KeyError:
        raise CoreError(f"No method has the code {code!r}; known are {', '.join(methods())}.") from None


@cache
def rinses() -> dict[str, Rinse]:
    """The rinse regimes by key, the default first."""
    return {r["key"]: Rinse(**r) for r in _toml("rinses.toml")["rinses"]}


def limits_of(data: dict[str, Any]) -> PhLimits:
    """Limits from a method as it was frozen into a run."""
    limits = dict(data)
    return PhLimits(
        slope=Bounds(*limits.pop("slope_percent")),
        offset=Bounds.around_zero(*limits.pop("offset_mv")),
        residual=Bounds.around_zero(*limits.pop("residual_ph")),
        holds_days=tuple(limits.pop("holds_days")),
        **limits,
    )


def default_limits(holds_days: tuple[float, float]) -> PhLimits:
    """The limits that ship with the application, for a kind whose calibrations hold so long."""
    return limits_of(_toml("limits_ph.toml") | {"holds_days": list(holds_days)})


def rinse_of(data: dict[str, Any]) -> Rinse:
    """The rinse regime as it was frozen into a run with its method."""
    return Rinse(**data["rinse"])


def _toml(name: str) -> dict[str, Any]:
    return tomllib.loads(files("brumel.core.methods").joinpath(name).read_text(encoding="utf-8"))


def _method(name: str) -> Method:
    data = _toml(name)
    steps = tuple(Step(s["key"], Role(s["role"]), Use(s["use"])) for s in data.pop("steps"))
    return Method(steps=steps, **data)
