"""What a bottle's standard is here and now, with its standard uncertainty; values by hand from the labels."""

from __future__ import annotations

import math

import pytest

from brumel.core.errors import CoreError
from brumel.core.place.conditions import Conditions
from brumel.core.standards.buffers import buffer_of_label
from brumel.core.standards.targets import Bottle, check_bottle, target

OWN = ((15.0, 7.05), (25.0, 7.0), (35.0, 6.98))
HERE, WARM, COLD = Conditions(25.0), Conditions(27.0), Conditions(20.0)


def grown(u: float, moved: float) -> float:
    """Of a label, by what temperature can do to it at most."""
    return math.hypot(u, moved / math.sqrt(3.0))


@pytest.mark.parametrize(
    ("bottle", "at", "value", "u", "known"),
    [
        # A buffer: the certificate's u, else 0.005 for a primary, 0.01 for a technical one or a lot's own table, 0.02
        # for a label alone (rules of this product).
        (Bottle("ph-buffer", "primary", 6.865), HERE, 6.865, 0.005, True),
        (Bottle("ph-buffer", "technical", 7.0), HERE, 7.0, 0.01, True),
        (Bottle("ph-buffer", "technical", 7.0004), HERE, 7.0, 0.01, True),
        (Bottle("ph-buffer", "technical", 7.0, u=0.003), HERE, 7.0, 0.003, True),
        (Bottle("ph-buffer", "technical", 7.0, OWN), Conditions(15.0), 7.05, 0.01, True),
        (Bottle("ph-buffer", "technical", 7.0, OWN, 0.004), Conditions(35.0), 6.98, 0.004, True),
        # Not known so warm or cold: what temperature does to such a standard at most, from 25 °C, rectangular.
        (Bottle("ph-buffer", "technical", 7.0, OWN), Conditions(35.1), 7.0, grown(0.01, 0.012 * 10.1), False),
        (Bottle("ph-buffer", "technical-7.01", 7.01), WARM, 7.01, 0.02, True),
        (Bottle("ph-buffer", "technical-7.01", 7.01), Conditions(27.1), 7.01, grown(0.02, 0.012 * 2.1), False),
        (Bottle("ph-buffer", "technical-7.01", 7.01), Conditions(23.0), 7.01, 0.02, True),
        # Any other: 1 % of its label near 25 °C, or its own table.
        (Bottle("conductivity", "", 1413.0), WARM, 1413.0, 14.13, True),
        (
            Bottle("conductivity", "", 1413.0),
            COLD,
            1413.0,
            grown(14.13, 0.022 * 1413 * (25 - COLD.temperature_c)),
            False,
        ),
        (
            Bottle("conductivity", "", 1413.0, ((15.0, 1147.0), (25.0, 1413.0))),
            Conditions(14.9),
            1413.0,
            grown(14.13, 0.022 * 1413 * 10.1),
            False,
        ),
        # The couple: the label where neither family nor reference tell its value.
        (Bottle("orp", "other", 470.0), HERE, 470.0, 4.7, True),
        (Bottle("orp", "zobell", 220.0), COLD, 220.0, grown(2.2, 3 * (25 - COLD.temperature_c)), False),
        (Bottle("orp", "zobell", 220.0), Conditions(7.9, "ag-agcl-sat"), 220.0, grown(2.2, 3 * 17.1), False),
        (
            Bottle("orp", "zobell", 220.0, ((20.0, 231.0), (25.0, 228.0))),
            Conditions(20.0, "ag-agcl-3m"),
            231.0,
            2.2,
            True,
        ),
    ],
)
def test_its_value_and_uncertainty(bottle: Bottle, at: Conditions, value: float, u: float, known: bool) -> None:
    found = target(bottle, at)
    assert (found.value, found.u, found.known) == (pytest.approx(value, abs=1e-9), pytest.approx(u, abs=1e-9), known)


@pytest.mark.parametrize(
    ("bottle", "at", "value", "u", "known"),
    [
        # By hand at 15 °C: (1413 − 1147) / 10 °C = 26.6 µS/cm per °C, of a thermometer of 0.2 / √3 °C: 3.07; the
        # certificate, 5 of 1413, is 4.06.
        (
            Bottle("conductivity", "", 1413.0, ((15.0, 1147.0), (25.0, 1413.0)), 5.0),
            Conditions(15.0),
            1147.0,
            5.09,
            True,
        ),
        # Sea water of salinity 35 (PSS-78: 42.92 mS/cm at 15 °C, 47.92 at 20); potassium chloride by its table and,
        # near 25 °C, by 1.91 %/°C; a solution of another kind by its label alone.
        (Bottle("conductivity", "sea-water", 53_065.0), Conditions(15.0), 42_913.0, 443.9, True),
        (
            Bottle("conductivity", "sea-water", 53_065.0),
            Conditions(36.0),
            53_065.0,
            grown(530.65, 0.022 * 53_065 * 11),
            False,
        ),
        (Bottle("conductivity", "kcl", 1413.0), Conditions(10.0), 1020.0, 10.6, True),
        (Bottle("conductivity", "kcl", 12_880.0), Conditions(20.0), 11_670.0, 119.9, True),
        (Bottle("conductivity", "kcl", 12_880.0), Conditions(32.0), 12_880.0, grown(128.8, 0.022 * 12_880 * 7), False),
        (Bottle("conductivity", "kcl", 84.0), Conditions(24.0), 82.40, 0.844, True),
        (Bottle("conductivity", "kcl", 84.0), Conditions(20.0), 84.0, grown(0.84, 0.022 * 84 * 5), False),
        (Bottle("conductivity", "other", 84.0), Conditions(26.0), 84.0, 0.84, True),
    ],
)
def test_a_conductivity_standard_at_its_temperature(
    bottle: Bottle, at: Conditions, value: float, u: float, known: bool
) -> None:
    """Common laboratory tables of potassium chloride and PSS-78; 1 % of the label, and the thermometer's share."""
    found = target(bottle, at)
    assert (found.value, found.u, found.known) == (pytest.approx(value, rel=1e-4), pytest.approx(u, rel=0.01), known)


def test_the_couples_uncertainty_is_its_own_and_the_half_cells() -> None:
    """ZoBell's potential is good to ±5 mV, rectangular (common practice); a certificate replaces that part alone."""
    at = Conditions(20.0, "ag-agcl-3m")
    plain, certified = (target(Bottle("orp", "zobell", 220.0, u=u), at).u for u in (None, 1.0))
    assert plain**2 - certified**2 == pytest.approx(25.0 / 3.0 - 1.0, abs=1e-9)
    assert certified > 1.0


@pytest.mark.parametrize(
    ("bottle", "words"),
    [
        (Bottle("ph-buffer", "home-made", 7.0), "No family is named 'home-made'"),
        (Bottle("ph-buffer", "technical", 7.0, ((25.0, 7.0),)), "at least two temperatures"),
        (Bottle("ph-buffer", "technical", 7.0, ((25.0, 7.0), (25.0, 7.1))), "rising from line to line"),
        (Bottle("orp", "own", 220.0), "No family is named 'own'"),
        (Bottle("conductivity", "kcl", 1413.0, ((25.0, 1413.0), (25.0, 1400.0))), "rise from line to line"),
        (Bottle("ph-buffer", "technical", None), "no value on its label"),
    ],
)
def test_a_label_that_cannot_be_is_refused(bottle: Bottle, words: str) -> None:
    with pytest.raises(CoreError, match=words):
        check_bottle(bottle)


def test_a_buffer_says_where_its_value_comes_from() -> None:
    assert buffer_of_label("technical", 7.0, table=OWN).source == "the lot's own table"
    assert buffer_of_label("technical", 8.0).source == "the label, at 25 °C only"
    assert buffer_of_label("technical", 8.0).range_c == (23.0, 27.0)
    with pytest.raises(CoreError, match="No buffer family is named"):
        buffer_of_label("home-made", 7.0)


@pytest.mark.parametrize(("nominal", "shipped"), [(4.01, True), (4.0096, True), (4.009, False), (4.0, False)])
def test_a_label_is_a_shipped_buffers_to_its_last_digit(nominal: float, shipped: bool) -> None:
    assert bool(buffer_of_label("technical", nominal).table) is shipped


@pytest.mark.parametrize(("t", "known"), [(7.9, False), (8.0, True), (40.0, True), (40.1, False)])
def test_the_couple_is_known_from_8_degrees_to_where_its_electrodes_table_ends(t: float, known: bool) -> None:
    assert target(Bottle("orp", "zobell", 220.0), Conditions(t, "ag-agcl-3m")).known is known
