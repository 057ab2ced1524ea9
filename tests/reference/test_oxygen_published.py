"""Oxygen at saturation against other laws, and both ways of sensing it against values worked by hand."""

from __future__ import annotations

import gsw
import numpy as np
import pytest

from brumel.core.place.conditions import Conditions
from brumel.core.quantities.oxygen import saturation_mg_l, vapour_pressure_hpa
from brumel.core.quantities.pressure import at_altitude_hpa
from brumel.core.sensing.principles import principle
from brumel.core.sensing.response import Origin, Response, diagonal

TABLE = {0: 14.621, 5: 12.771, 10: 11.288, 15: 10.084, 20: 9.092, 25: 8.263, 30: 7.559, 35: 6.949, 40: 6.412}
"""mg/L in fresh water under water-saturated air at 1 atm: Benson & Krause 1980, as tabled in Standard Methods 4500-O;
from memory."""


def response(key: str, *values: float) -> Response:
    return Response(principle(key), values, diagonal([0.1] * len(values)), (Origin.FITTED,) * len(values))


class TestSaturation:
    @pytest.mark.parametrize(("t", "mg_l"), TABLE.items())
    def test_the_printed_table(self, t: float, mg_l: float) -> None:
        assert float(saturation_mg_l(t)) == pytest.approx(mg_l, abs=0.002)

    @pytest.mark.parametrize("salinity", [0.0, 10.0, 20.0, 35.0, 40.0])
    @pytest.mark.parametrize("t", [2.0, 12.0, 22.0, 32.0])
    def test_salinity_to_40(self, t: float, salinity: float) -> None:
        """Garcia & Gordon 1992 fitted the same measurements by another law; µmol/kg by the Gibbs SeaWater library."""
        absolute = gsw.SA_from_SP(salinity, 0.0, 0.0, 0.0)
        conservative = gsw.CT_from_t(absolute, t, 0.0)
        umol_kg = gsw.O2sol(absolute, conservative, 0.0, 0.0, 0.0)
        mg_l = umol_kg * 31.998e-3 * gsw.rho(absolute, conservative, 0.0) / 1000.0
        assert float(saturation_mg_l(t, 1013.25, salinity)) == pytest.approx(mg_l, rel=0.004)

    @pytest.mark.parametrize(("altitude_m", "hpa"), [(0.0, 1013.25), (630.0, 939.8), (3_000.0, 701.1)])
    def test_pressure(self, altitude_m: float, hpa: float) -> None:
        """The standard atmosphere of ISO 2533, then Dalton and Henry: the dry part of the air counts, and no other."""
        assert float(at_altitude_hpa(altitude_m)) == pytest.approx(hpa, abs=0.1)
        for t in (0.0, 10.0, 25.0, 38.0):
            buck = 6.1121 * np.exp((18.678 - t / 234.5) * t / (257.14 + t))  # over water, hPa: Buck 1981, from memory
            dalton = float(saturation_mg_l(t)) * (hpa - buck) / (1013.25 - buck)
            assert float(saturation_mg_l(t, hpa)) == pytest.approx(dalton, rel=6e-4)

    @pytest.mark.parametrize("t", [0.0, 10.0, 20.0, 30.0, 40.0])
    def test_vapour_pressure(self, t: float) -> None:
        buck = 6.1121 * np.exp((18.678 - t / 234.5) * t / (257.14 + t))
        assert float(vapour_pressure_hpa(t)) == pytest.approx(buck, rel=0.004)


class TestSensing:
    def test_a_membrane_by_hand(self) -> None:
        """Saturated air at 15 °C and 940 hPa: dry 940 − 17.06 = 922.94 of 981.57 hPa at 25 °C and 1 atm, permeability
        exp(−0.3) = 0.74082; 100 nA · 0.94027 · 0.74082 + 0.5 nA = 70.157 nA."""
        found = response("membrane", 0.5, 100.0).signal(100.0, Conditions(15.0, pressure_hpa=940.0))
        assert found == pytest.approx(70.157, abs=0.02)

    def test_stern_and_volmer_by_hand(self) -> None:
        """1/τ0 = 18 /ms at 25 °C; saturated air adds 40 /ms: τ0/τ = 1 + 40/18 = 3.222; half of it 1 + 20/18 = 2.111."""
        line, at = response("luminescence", 18.0, 40.0), Conditions(25.0)
        unquenched = line.signal(0.0, at)
        assert line.signal(100.0, at) / unquenched == pytest.approx(3.2222, abs=1e-4)
        assert line.signal(50.0, at) / unquenched == pytest.approx(2.1111, abs=1e-4)

    def test_both_rates_move_with_temperature(self) -> None:
        """10 °C colder: 18 · (1 − 0.03) = 17.46; 40 · (1 − 0.10) · (1013.25 − 17.06) / 981.57 = 36.536; sum 53.996."""
        found = response("luminescence", 18.0, 40.0).signal(100.0, Conditions(15.0))
        assert found == pytest.approx(53.996, abs=0.01)

    @pytest.mark.parametrize("key", ["membrane", "luminescence"])
    def test_a_tenth_less_pressure_is_as_much_less_oxygen(self, key: str) -> None:
        line = response(key, 0.0 if key == "membrane" else 18.0, 60.0)
        signal = line.signal(100.0, Conditions(20.0))
        dry, less = 1013.25 - 23.38, 913.25 - 23.38
        assert line.value(signal, Conditions(20.0, pressure_hpa=913.25)) == pytest.approx(100.0 * dry / less, abs=0.02)
