"""pH and the electrodes that measure it."""

from __future__ import annotations

from collections.abc import Iterator
from types import SimpleNamespace
from typing import Any

import numpy as np

from brumel.core.calculations._inputs import temperature
from brumel.core.numbers.constants import ZERO_CELSIUS_K
from brumel.core.numbers.curves import curve_through
from brumel.core.place.conditions import Conditions
from brumel.core.quantities.ph import (
    MILLIVOLT_RANGE,
    TEMPERATURE_RANGE_C,
    nernst_slope_mv,
    ph_from_millivolts,
    ph_recompensated,
)
from brumel.core.reckoning.definition import Choice, Condition, Curve, Number, Output, Points, calculation
from brumel.core.said import Amount, Said, celsius, says
from brumel.core.sensing.fit import Point, fit
from brumel.core.sensing.glass.working import ph_working, recompensation_working
from brumel.core.sensing.principles import principle
from brumel.core.standards.buffers import FAMILIES, shipped_buffers

_ELECTRODE_SLOPE = (70.0, 110.0)
_MV = Number("mv", "Potential", "mV", *MILLIVOLT_RANGE)
_T = temperature(*TEMPERATURE_RANGE_C)
_NO_PH = "No water has such a pH: check slope, offset, sign and unit."
_U_PH, _U_MV = 0.01, 0.15
"""Standard uncertainties of a buffer and of a settled potential; they weigh all points the same."""
_CHARGE = Number("charge", "Charge of the ion", "", default=1.0, allowed=(-3.0, -2.0, -1.0, 1.0, 2.0, 3.0))


def _within_buffer(v: SimpleNamespace) -> Any:
    low, high = shipped_buffers()[v.buffer].range_c
    return (np.asarray(v.temperature_c) >= low) & (np.asarray(v.temperature_c) <= high)


def _buffer_words(v: SimpleNamespace) -> Iterator[Said]:
    chosen = shipped_buffers()[v.buffer]
    yield says("working.buffer", family=FAMILIES[chosen.family], nominal=Amount(chosen.nominal_ph))
    yield says("working.buffer-at", at=celsius(v.temperature_c), ph=Amount(float(v.ph), "", 3), source=chosen.source)


@calculation(
    name="ph-buffer",
    title="Value of a pH buffer at its temperature",
    formula="monotone cubic through the printed table of the buffer",
    inputs=(
        Choice("buffer", "Buffer", {n: f"{FAMILIES[b.family]} {b.nominal_ph:g}" for n, b in shipped_buffers().items()}),
        temperature(0.0, 50.0),
    ),
    outputs=(Output("ph", "Value of the buffer", "pH", 3),),
    source="Buck et al. 2002 (IUPAC) for the primary buffers, common practice for the technical; from memory, ±0.005",
    conditions=(
        Condition(
            "temperature_c",
            _within_buffer,
            "The table of {buffer} does not reach {temperature_c:g} °C: warm or cool the buffer.",
        ),
    ),
    words=_buffer_words,
    curve=Curve("temperature_c", "ph"),
)
def ph_buffer(buffer: str, temperature_c: Any) -> Any:
    return curve_through(shipped_buffers()[buffer].table)(temperature_c)


def _slope_words(v: SimpleNamespace) -> Iterator[Said]:
    yield says(
        "working.nernst", kelvin=Amount(v.temperature_c + ZERO_CELSIUS_K, "K", 2), charge=Amount(v.charge, "", 0),
        slope=Amount(v.slope_mv_per_decade, "mV", 2),
    )  # fmt: skip


@calculation(
    name="nernst-slope",
    title="Nernst slope of an electrode",
    formula="k = R·T·ln 10 / (z·F)",
    inputs=(_T, _CHARGE),
    outputs=(Output("slope_mv_per_decade", "Nernst slope", "mV per decade", 2),),
    source="Nernst equation with the SI constants of 2019",
    words=_slope_words,
    curve=Curve("temperature_c", "slope_mv_per_decade", low=0.0, high=50.0),
)
def nernst_slope(temperature_c: Any, charge: Any) -> Any:
    return nernst_slope_mv(temperature_c) / charge


def _fit_words(v: SimpleNamespace) -> Iterator[Said]:
    for n, (p, residual) in enumerate(zip(v.points, v.residuals, strict=True), 1):
        yield says(
            "working.point", n=Amount(n), mv=Amount(p["mv"], "mV", 1), ph=Amount(p["ph"], "", 3),
            at=celsius(p["temperature_c"]), residual=Amount(float(residual), "pH", 3),
        )  # fmt: skip
    yield says("working.line", offset=Amount(v.offset_mv, "mV", 1), slope=Amount(v.slope_percent, "%", 1))
    if len(v.points) == 1:
        yield says("working.one-point")


@calculation(
    name="electrode-fit",
    title="Slope and offset of a pH electrode",
    formula="E = E7 − (slope / 100) · k(T) · (pH − 7), least squares over the points",
    inputs=(Points("points", "Calibration points", (Number("ph", "pH", "", 0.0, 14.0), _MV, _T)),),
    outputs=(
        Output(
            "slope_percent",
            "Slope",
            "% of Nernst",
            1,
            plausible=_ELECTRODE_SLOPE,
            question="A pH electrode has a slope of 85 to 107 %: buffers swapped, one buffer twice, or a sign lost?",
        ),
        Output(
            "offset_mv",
            "Offset at pH 7.00",
            "mV",
            1,
            plausible=(-60.0, 60.0),
            question="A pH electrode has an offset within ±30 mV: is it the buffer that was typed, and a pH electrode?",
        ),
        Output("residuals", "Residuals", "pH", 3),
    ),
    source="Nernst equation, isopotential pH 7.00 (common practice); ordinary least squares",
    note="Residual: fitted minus buffer. One point, or points within 0.5 pH, give the offset only.",
    words=_fit_words,
)
def electrode_fit(points: list[dict[str, float]]) -> Any:
    line = fit(
        principle("glass"), [Point(p["ph"], p["mv"], Conditions(p["temperature_c"]), _U_PH, _U_MV) for p in points]
    )
    return line["slope"], line["offset"], np.array(line.residuals)


@calculation(
    name="ph-from-millivolts",
    title="pH from millivolts",
    formula="pH = 7 − (E − E7) / ((slope / 100) · k(T))",
    inputs=(
        _MV,
        _T,
        Number(
            "slope_percent",
            "Slope",
            "% of Nernst",
            0.0,
            200.0,
            above=True,
            usual=_ELECTRODE_SLOPE,
            question="A slope is given in percent of the Nernst slope, usually 85 to 107: was 0.98 meant as 98 %, "
            "or 58 as mV?",
        ),
        Number(
            "offset_mv",
            "Offset at pH 7.00",
            "mV",
            *MILLIVOLT_RANGE,
            usual=(-60.0, 60.0),
            question="An offset is usually within ±30 mV: is it the potential at pH 7.00?",
        ),
    ),
    outputs=(Output("ph", "pH", "", 2, plausible=(0.0, 14.0), question=_NO_PH),),
    source="Nernst equation, isopotential pH 7.00 (common practice)",
    words=lambda v: ph_working(v.mv, v.temperature_c, v.slope_percent, v.offset_mv, v.ph),
    curve=Curve("mv", "ph", low=-420.0, high=420.0),
)
def ph_of_millivolts(mv: Any, temperature_c: Any, slope_percent: Any, offset_mv: Any) -> Any:
    return ph_from_millivolts(mv, temperature_c, slope_percent, offset_mv)


@calculation(
    name="ph-recompensated",
    title="pH from a meter set to a fixed temperature",
    formula="pH = 7 + (shown − 7) · k(T set) / k(T)",
    inputs=(
        Number("shown_ph", "pH as shown", "", 0.0, 14.0),
        temperature(*TEMPERATURE_RANGE_C, "meter_setting_c", "Temperature the meter was set to"),
        _T,
    ),
    outputs=(Output("ph", "pH", "", 2, plausible=(0.0, 14.0), question=_NO_PH),),
    source="Nernst equation, isopotential pH 7.00 (common practice)",
    note="Corrects the electrode's slope; never the water's own change of pH with temperature.",
    words=lambda v: recompensation_working(v.shown_ph, v.meter_setting_c, v.temperature_c, v.ph),
)
def recompensated(shown_ph: Any, meter_setting_c: Any, temperature_c: Any) -> Any:
    return ph_recompensated(shown_ph, meter_setting_c, temperature_c)
