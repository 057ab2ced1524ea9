"""pH against published values and independent laws."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import constants
from tests.glass import fitted, point

from brumel.core.quantities.ph import millivolts_from_ph, nernst_slope_mv
from brumel.core.standards.buffers import buffer
from brumel.devices.sdi12 import crc


@pytest.mark.parametrize(
    ("temperature_c", "slope"),
    # Nernst slope as printed in electrode handbooks and textbooks; from memory.
    [(0.0, 54.20), (20.0, 58.17), (25.0, 59.16)],
)
def test_nernst_slope_is_the_published_one(temperature_c: float, slope: float) -> None:
    assert nernst_slope_mv(temperature_c) == pytest.approx(slope, abs=0.005)


def test_nernst_slope_follows_the_constants_of_codata() -> None:
    # CODATA values as SciPy ships them, independent of the constants in the core.
    t = np.linspace(-5, 105, 23)
    expected = 1000 * constants.R * (t + constants.zero_Celsius) * np.log(10) / constants.value("Faraday constant")
    assert np.allclose(nernst_slope_mv(t), expected, rtol=1e-9)
    assert nernst_slope_mv(25.0, charge=-1) == pytest.approx(-nernst_slope_mv(25.0))


@pytest.mark.parametrize(
    ("name", "coefficients", "within"),
    # Bates, Determination of pH (1973): pH(S) = A/T + B + C·T + D·T², T in K; from memory. An equation
    # independent of the printed table. The phthalate of 1973 lies above that of 2002: 0.008 at 40 °C.
    [
        ("phthalate-4.005", (1678.30, -9.8357, 0.034946, -2.4804e-5), 0.008),
        ("phosphate-6.865", (3459.39, -21.0574, 0.073301, -6.2266e-5), 0.001),
        ("borax-9.180", (5259.02, -33.1064, 0.114826, -10.7860e-5), 0.001),
        ("carbonate-10.012", (2557.1, -4.2846, 0.019185, 0.0), 0.001),
    ],
)
def test_primary_buffers_follow_the_published_equation(
    name: str, coefficients: tuple[float, ...], within: float
) -> None:
    a, b, c, d = coefficients
    kelvin = np.arange(0.0, 40.1, 2.5) + 273.15
    published = a / kelvin + b + c * kelvin + d * kelvin**2
    assert np.max(np.abs(buffer(name).ph_at(kelvin - 273.15) - published)) <= within


def test_primary_buffers_taken_for_technical_ones_give_the_known_wrong_line() -> None:
    # Worked example, common practice: 4.005/6.865 entered as 4.01/7.00 gives 95.7 % and +8 mV.
    fit = fitted(
        [
            point(7.00, millivolts_from_ph(6.865, 25.0), 25.0),
            point(4.01, millivolts_from_ph(4.005, 25.0), 25.0),
        ]
    )
    assert fit["slope"] == pytest.approx(95.7, abs=0.1)
    assert fit["offset"] == pytest.approx(8.0, abs=0.1)


def test_an_aged_alkaline_buffer_lowers_the_slope_as_known() -> None:
    # Worked example, common practice: 9.85 instead of 10.01 gives 94.7 %.
    fit = fitted(
        [
            point(7.00, millivolts_from_ph(7.00, 25.0), 25.0),
            point(10.01, millivolts_from_ph(9.85, 25.0), 25.0),
        ]
    )
    assert fit["slope"] == pytest.approx(94.7, abs=0.1)


@pytest.mark.parametrize(("text", "check"), [("0+3.14", "OqZ"), ("0+3.14+2.718+1.414", "Ipz")])
def test_sdi12_check_is_the_one_in_the_specification(text: str, check: str) -> None:
    # Examples of the SDI-12 specification 1.3, section 4.4.12; from memory.
    assert crc(text) == check
