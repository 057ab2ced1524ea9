"""The quantities against libraries, published values and independent laws."""

from __future__ import annotations

import fluids
import gsw
import numpy as np
import PyCO2SYS
import pytest
import seawater
from scipy.interpolate import PchipInterpolator

from brumel.core.numbers.arrays import Array
from brumel.core.numbers.curves import MonotoneCurve
from brumel.core.quantities import ammonia, conductivity, density, oxygen, pool, pressure, redox, salinity
from brumel.core.reckoning.answers import calculate


def out(name: str, **inputs: object) -> float:
    """The first output of a calculation."""
    answer = calculate(name, inputs)
    return float(answer.outputs[answer.calculation.outputs[0].name])


def grid(*axes: Array) -> list[Array]:
    return list(np.meshgrid(*axes))


def test_the_curve_is_scipys() -> None:
    # SciPy's PchipInterpolator, on random tables of 2 to 11 places.
    random = np.random.default_rng(7)
    for _ in range(300):
        n = random.integers(2, 12)
        x, y = np.cumsum(random.uniform(0.1, 3, n)), random.normal(size=n)
        at = np.linspace(x[0], x[-1], 50)
        assert np.allclose(MonotoneCurve.through(x, y)(at), PchipInterpolator(x, y)(at), atol=1e-12)
    assert np.isnan(MonotoneCurve.through([0, 1], [0, 1])([-0.1, 1.1, np.nan])).all()


class TestSalinity:
    def test_is_gsws(self) -> None:
        # gsw (TEOS-10 toolbox) SP_from_C, low salinities with its extension, down to 10 000 dbar.
        c, t, p = grid(
            np.concatenate([np.linspace(0.01, 5, 60), np.linspace(5, 70, 60)]),
            np.linspace(-2, 35, 38),
            np.array([0.0, 100.0, 5000.0, 10000.0]),
        )
        expected = gsw.SP_from_C(c, t, p)
        within = expected <= 42
        assert np.max(np.abs(salinity.practical_salinity(c, t, p) - expected)[within]) < 1e-10

    def test_inverse_is_gsws(self) -> None:
        s, t, p = grid(
            np.concatenate([[0.0, 1e-3], np.linspace(0.01, 2.5, 50), np.linspace(2, 42, 80)]),
            np.linspace(-2, 35, 38),
            np.array([0.0, 1000.0, 10000.0]),
        )
        assert np.max(np.abs(salinity.conductivity_from_salinity(s, t, p) - gsw.C_from_SP(s, t, p))) < 1e-10

    @pytest.mark.parametrize(
        ("ratio", "t68", "p", "expected"),
        # UNESCO Technical Papers in Marine Science 44 (1983), check values of the algorithm for salinity.
        [(1.0, 15.0, 0.0, 35.000000), (1.2, 20.0, 2000.0, 37.245628), (0.65, 5.0, 1500.0, 27.995347)],
    )
    def test_unesco_check_values(self, ratio: float, t68: float, p: float, expected: float) -> None:
        found = salinity.practical_salinity(ratio * salinity.STANDARD_MS_CM, t68 / salinity.IPTS68_FROM_ITS90, p)
        assert float(found) == pytest.approx(expected, abs=2e-6)

    @pytest.mark.parametrize(("ms_cm", "t"), [(42.92, 15.0), (47.92, 20.0), (53.07, 25.0)])
    def test_standard_sea_water(self, ms_cm: float, t: float) -> None:
        # Conductivity of sea water of S 35, common tables after PSS-78.
        assert out("salinity", conductivity_ms_cm=ms_cm, temperature_c=t) == pytest.approx(35.0, abs=0.006)

    def test_a_dissolved_solids_standard_is_no_salinity(self) -> None:
        # Worked example, common practice: 12.88 mS/cm ("6.44 ppt" by the factor 0.5) is salinity 7.39.
        assert out("salinity", conductivity_ms_cm=12.88, temperature_c=25.0) == pytest.approx(7.39, abs=0.01)


class TestDensity:
    def test_is_eos80(self) -> None:
        # The seawater package (EOS-80, the CSIRO routines).
        s, t = grid(np.linspace(0, 42, 43), np.linspace(-2, 40, 43))
        assert np.allclose(density.sea_water_density_kg_m3(s, t), seawater.dens0(s, t), rtol=0, atol=1e-9)

    def test_is_near_teos10(self) -> None:
        # gsw.rho; TEOS-10 differs from EOS-80 by up to 0.0083 kg/m³ at the surface.
        s, t = grid(np.linspace(2, 40, 20), np.linspace(0, 30, 16))
        absolute = gsw.SA_from_SP(s, 0.0, 0.0, 45.0)
        other = gsw.rho(absolute, gsw.CT_from_t(absolute, t, 0.0), 0.0)
        assert np.max(np.abs(density.sea_water_density_kg_m3(s, t) - other)) < 0.03

    @pytest.mark.parametrize(("s", "t68", "expected"), [(0, 5, 999.96675), (35, 5, 1027.67547), (35, 25, 1023.34306)])
    def test_unesco_check_values(self, s: float, t68: float, expected: float) -> None:
        # UNESCO Technical Papers in Marine Science 36 (1981), check values at atmospheric pressure.
        assert float(density.sea_water_density_kg_m3(s, t68 / 1.00024)) == pytest.approx(expected, abs=1e-5)

    def test_both_specific_gravities_of_an_aquarium(self) -> None:
        # Common practice: S 35 at 25 °C is 1.0264 at 25/25 and 1.0234 at 25/4.
        found = calculate("seawater-density", {"salinity": 35, "temperature_c": 25}).outputs
        assert found["specific_gravity"] == pytest.approx(1.0264, abs=5e-5)
        assert found["specific_gravity_at_4_c"] == pytest.approx(1.0234, abs=5e-5)


class TestOxygen:
    @pytest.mark.parametrize(
        ("t", "mg_l"),
        # Standard Methods 4500-O, table of oxygen in water-saturated air at 1 atm; from memory.
        [(0, 14.621), (5, 12.771), (10, 11.288), (15, 10.084), (20, 9.092), (25, 8.263), (30, 7.559)],
    )
    def test_printed_table(self, t: float, mg_l: float) -> None:
        assert out("oxygen-saturation", temperature_c=t) == pytest.approx(mg_l, abs=0.002)

    def test_is_near_gsws_solubility(self) -> None:
        # gsw.O2sol_SP_pt: Garcia & Gordon 1992 on Benson & Krause's data, µmol/kg; by density into mg/L.
        s, t = grid(np.linspace(0, 40, 21), np.linspace(0, 36, 19))
        mg_l = gsw.O2sol_SP_pt(s, t) * 31.9988e-3 * seawater.dens0(s, t) / 1000.0
        assert np.max(np.abs(oxygen.saturation_mg_l(t, 1013.25, s) / mg_l - 1)) < 0.004

    def test_salt_forgotten(self) -> None:
        # Common practice: forgetting salinity over-reads mg/L by 12 % at S 20 and 22 % at S 35 (25 °C).
        fresh, brackish, sea = (out("oxygen-saturation", temperature_c=25, salinity=s) for s in (0, 20, 35))
        assert fresh / brackish == pytest.approx(1.12, abs=0.006)
        assert fresh / sea == pytest.approx(1.22, abs=0.006)

    def test_a_meters_wrong_salinity_is_undone(self) -> None:
        wrong = {"oxygen_mg_l": 8.263, "temperature_c": 25.0, "salinity": 35.0, "meter_salinity": 0.0}
        assert out("oxygen-percent", **wrong) == pytest.approx(100.0, abs=0.01)

    def test_the_night_of_a_pond(self) -> None:
        times = {
            "evening_at": "2026-05-06T19:00:00+00:00",
            "later_at": "2026-05-06T22:00:00+00:00",
            "dawn_at": "2026-05-07T05:00:00+00:00",
        }
        found = calculate("night-oxygen", {"evening_mg_l": 10, "later_mg_l": 8.5, "limit_mg_l": 6.0, **times}).outputs
        assert found["dawn_mg_l"] == pytest.approx(5.0)
        assert found["crosses_at"] == "2026-05-07T03:00:00+00:00"
        level = calculate("night-oxygen", {"evening_mg_l": 8, "later_mg_l": 8, "limit_mg_l": 6.0, **times}).outputs
        assert level["crosses_at"] is None


def viscosity(t: Array) -> Array:
    """Viscosity of water relative to 20 °C. Source: Kestin, Sokolov & Wakeham 1978."""
    d = 20.0 - t
    return 10.0 ** (d / (t + 96.0) * (1.2364 - 1.37e-3 * d + 5.7e-6 * d**2))


class TestConductivity:
    def test_natural_waters_follow_the_viscosity_of_water(self) -> None:
        # An independent law: the factor is the viscosity to the power 0.93, within 0.25 %.
        t = np.arange(0.0, 35.1, 1.0)
        law = (viscosity(t) / viscosity(np.array(25.0))) ** 0.93
        assert np.max(np.abs(conductivity.natural_water_factor(t) / law - 1)) < 0.0025

    @pytest.mark.parametrize(("standard", "most"), [("1413", 0.012), ("12880", 0.025)])
    def test_potassium_chloride_follows_its_ions(self, standard: str, most: float) -> None:
        # Limiting conductances of K+ and Cl- (Robinson & Stokes 1959, from memory): an independent law for the
        # temperature of dilute standards.
        limiting = {0: 40.7 + 41.0, 5: 46.7 + 47.5, 15: 59.7 + 61.4, 25: 73.5 + 76.35}
        curve = conductivity.kcl_curves()[standard]
        for t, value in limiting.items():
            assert float(curve(t) / curve(25.0)) == pytest.approx(value / limiting[25], rel=most)

    @pytest.mark.parametrize(("molarity", "us_cm"), [(0.001, 147.0), (0.01, 1413.0), (0.1, 12_880.0), (1.0, 111_800.0)])
    def test_potassium_chloride_by_its_molarity_at_25_degrees(self, molarity: float, us_cm: float) -> None:
        # Common practice: what the labels of these four solutions say.
        assert out("kcl-conductivity", molarity=molarity, temperature_c=25) == pytest.approx(us_cm)

    def test_natural_factor_on_a_standard_is_wrong_as_known(self) -> None:
        # Common practice: on a potassium chloride standard the natural-water factor is 3.1 % off at 10 °C.
        shown = out("kcl-conductivity", molarity=0.01, temperature_c=10)
        wrong = out("conductivity-at-reference", conductivity_us_cm=shown, temperature_c=10, method="natural-water")
        assert wrong / 1413 == pytest.approx(1.031, abs=0.001)

    def test_dissolved_solids_of_the_worked_example(self) -> None:
        # Common practice: 0.57 mS/cm on the 500 scale is 285 ppm.
        assert out("total-dissolved-solids", conductivity_us_cm=570, factor=0.5) == pytest.approx(285)


class TestRedox:
    @pytest.mark.parametrize(
        ("reference", "shown"),
        # What ZoBell's solution shows at 10, 15, 20, 25 and 30 °C: USGS National Field Manual A6.5; from memory.
        [("ag-agcl-3m", (247, 239, 230, 221, 213)), ("ag-agcl-sat", (253, 246, 239, 231, 224))],
    )
    def test_zobell_on_silver_chloride(self, reference: str, shown: tuple[float, ...]) -> None:
        for t, mv in zip((10, 15, 20, 25, 30), shown, strict=True):
            found = calculate("zobell-eh", {"temperature_c": t, "reference": reference}).outputs["shown_mv"]
            assert found == pytest.approx(mv, abs=1.0)

    def test_calomel_is_near_its_published_equation(self) -> None:
        # Saturated calomel, E = 241.2 − 0.661 (t − 25) mV (Bates 1973, from memory); a junction adds some mV.
        t = np.array([10.0, 20.0, 25.0, 30.0, 40.0])
        assert np.max(np.abs(redox.half_cell("calomel-sat")(t) - (241.2 - 0.661 * (t - 25.0)))) < 4.5

    def test_half_cells_fall_with_temperature_and_with_salt(self) -> None:
        t = np.linspace(10, 30, 21)
        cells = [redox.half_cell(r)(t) for r in ("ag-agcl-3m", "ag-agcl-3.5m", "ag-agcl-4m")]
        assert all((np.diff(c) < 0).all() for c in cells)
        assert (cells[0] > cells[1]).all()
        assert (cells[1] > cells[2]).all()


class TestAmmonia:
    @pytest.mark.parametrize(
        ("ph", "t", "percent"),
        # Emerson et al. 1975, table of percent un-ionised ammonia; from memory.
        [(7.0, 25, 0.566), (8.0, 25, 5.38), (9.0, 25, 36.3), (8.0, 20, 3.82), (8.0, 15, 2.67), (8.0, 10, 1.83)],
    )
    def test_emersons_percentages(self, ph: float, t: float, percent: float) -> None:
        assert out("unionized-ammonia", tan_mg_l=1, ph=ph, temperature_c=t) == pytest.approx(percent, rel=0.01)

    def test_saline_pka_is_near_pyco2sys(self) -> None:
        # PyCO2SYS: Clegg & Whitfield 1995, total scale.
        for s, t in ((20.0, 10.0), (35.0, 10.0), (35.0, 20.0), (35.0, 25.0)):
            other = PyCO2SYS.sys(salinity=s, temperature=t, total_ammonia=10.0)["k_ammonia"]
            assert float(ammonia.ammonium_pka_total_scale(t, s)) == pytest.approx(-np.log10(other), abs=0.1)

    def test_on_buffers_the_share_is_the_agencys(self) -> None:
        # EPA 440/5-88-004, salt water: pKa = 9.245 + 0.116 I + 0.0324 (298 − T), from memory; 4.53 % at S 35, 25 °C,
        # pH 8.0. Emerson's temperature term differs from it by up to 4 % of the share from 10 to 30 °C.
        for s, t in ((10.0, 10.0), (20.0, 20.0), (35.0, 25.0), (35.0, 30.0)):
            ionic_strength = 19.9273 * s / (1000.0 - 1.005109 * s)
            pka = 9.245 + 0.116 * ionic_strength + 0.0324 * (298.0 - (t + 273.15))
            theirs = 100.0 / (1.0 + 10.0 ** (pka - 8.0))
            ours = out("unionized-ammonia", tan_mg_l=1, ph=8.0, temperature_c=t, salinity=s)
            assert ours == pytest.approx(theirs, rel=0.04)
        assert out("unionized-ammonia", tan_mg_l=1, ph=8, temperature_c=25, salinity=35) == pytest.approx(
            4.53, rel=0.02
        )

    def test_the_total_scale_gives_more_for_the_same_number(self) -> None:
        # The same pH number on the total scale is about 0.14 higher on an electrode's: +35 to 40 % of the share.
        sea = {"tan_mg_l": 1.0, "ph": 8.0, "temperature_c": 20.0, "salinity": 35.0}
        assert out("unionized-ammonia", **sea, ph_scale="total") / out("unionized-ammonia", **sea) == pytest.approx(
            1.17, abs=0.05
        )

    def test_nothing_jumps_between_fresh_and_salt(self) -> None:
        s = np.linspace(0, 10, 2001)
        assert np.max(np.abs(np.diff(ammonia.ammonium_pka(20.0, s)))) < 0.001

    def test_sensitivity_of_the_worked_example(self) -> None:
        # Common practice: ±0.1 pH is ±24 %, +1 °C is +7 %.
        base = {"tan_mg_l": 1.0, "ph": 7.5, "temperature_c": 20.0}
        assert out("unionized-ammonia", **base | {"ph": 7.6}) / out("unionized-ammonia", **base) == pytest.approx(
            1.25, abs=0.015
        )
        warm = out("unionized-ammonia", **base | {"temperature_c": 21.0}) / out("unionized-ammonia", **base)
        assert warm == pytest.approx(1.07, abs=0.01)

    def test_hypochlorous_acid_is_half_at_its_pka(self) -> None:
        # Morris 1966: pKa 7.54 at 25 °C, 7.58 at 20 °C, in water-treatment handbooks; from memory.
        assert float(ammonia.hypochlorous_pka(25.0)) == pytest.approx(7.54, abs=0.005)
        assert float(ammonia.hypochlorous_pka(20.0)) == pytest.approx(7.58, abs=0.01)


class TestPool:
    def test_kohlrauschs_law_in_dilute_salt(self) -> None:
        # Onsager's limiting slope for sodium chloride at 25 °C: Λ = 126.45 − 89.14 √c, true below 0.001 mol/L.
        for c in (0.0002, 0.0005, 0.001):
            us_cm = 1000.0 * c * (126.45 - 89.14 * c**0.5)
            assert float(pool.sodium_chloride_mg_l(us_cm, 25.0)) == pytest.approx(c * 58443.0, rel=0.003)

    def test_half_a_percent_of_salt(self) -> None:
        # CRC Handbook, conductivity of aqueous solutions at 20 °C: 0.5 % sodium chloride 8.2 mS/cm; from memory.
        assert float(pool.sodium_chloride_mg_l(8200.0, 20.0)) == pytest.approx(5018.0, rel=0.02)

    def test_a_practical_salinity_as_sodium_chloride(self) -> None:
        # Common practice: 5.39 mS/cm at 25 °C is practical salinity 2.9 and about 2 840 mg/L as NaCl.
        assert out("pool-salt", conductivity_us_cm=5390, temperature_c=25) == pytest.approx(2840, rel=0.01)
        assert out("salinity", conductivity_ms_cm=5.39, temperature_c=25) == pytest.approx(2.9, abs=0.01)

    def test_saturation_index_of_a_balanced_pool(self) -> None:
        # Langelier's index by the simplified equation, worked by hand: pHs = 9.3 + 0.2 + 2.085 − 1.901 − 2 = 7.684.
        found = out(
            "saturation-index",
            ph=7.5,
            temperature_c=25,
            calcium_mg_l_caco3=200,
            alkalinity_mg_l_caco3=100,
            tds_mg_l=1000,
        )
        assert found == pytest.approx(7.5 - 7.684, abs=0.002)

    @pytest.mark.parametrize(("ph", "share"), [(7.0, 0.22), (7.4, 0.30), (7.8, 0.35)])
    def test_stabiliser_is_alkalinity_by_its_dissociation(self, ph: float, share: float) -> None:
        """By its dissociation, pKa 6.88 at 25 °C (from memory): what it takes off, and the index that is left."""
        assert float(pool.cyanurate_alkalinity(1.0, ph)) == pytest.approx(share, abs=0.005)
        water = {"ph": ph, "temperature_c": 25, "calcium_mg_l_caco3": 200, "tds_mg_l": 1000}
        with_it = out("saturation-index", alkalinity_mg_l_caco3=100, cyanuric_acid_mg_l=80, **water)
        carbonate = out("saturation-index", alkalinity_mg_l_caco3=100 - 80 * share, **water)
        assert with_it == pytest.approx(carbonate, abs=0.003)


def test_pressure_is_the_standard_atmospheres() -> None:
    # fluids.ATMOSPHERE_1976, the U.S. Standard Atmosphere; ISO 2533 takes altitude as geopotential.
    h = np.array([0.0, 300.0, 630.0, 1000.0, 2000.0, 3000.0])
    other = [fluids.ATMOSPHERE_1976(float(z)).P / 100.0 for z in h]
    assert np.allclose(pressure.at_altitude_hpa(h), other, rtol=4e-4)


def test_two_meters_that_disagree() -> None:
    # Common practice: pH 7.27 against 7.10 with U 0.1 each is beyond what both can resolve.
    assert out("en-score", first=7.27, second=7.10, first_expanded_u=0.1, second_expanded_u=0.1) == pytest.approx(
        1.20, abs=0.01
    )
    assert out("relative-percent-difference", first=3.23, second=3.47) == pytest.approx(7.16, abs=0.01)
