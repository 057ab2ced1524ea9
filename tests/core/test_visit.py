"""A visit's readings beside each other and beside their limits: every sentence, both ends of every bound."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from tests.said import remedy, sentence
from tests.taken import NATURAL, SEA, seen

from brumel.core.errors import CoreError
from brumel.core.kit.accuracy import Accuracy
from brumel.core.kit.instruments import Measures
from brumel.core.quantities.quantity import quantities, quantity
from brumel.core.reading.agreement import agreement
from brumel.core.reading.contrary import judge_together
from brumel.core.reading.given_value import PlainValue, judge_plain, plain_budget
from brumel.core.reading.jump import jump
from brumel.core.reading.limits import Keeps, Limit, keeps, limits_of, worst
from brumel.core.reading.together import Follows, Taken, missing, worked_out
from brumel.core.shipped_rules import shipped
from brumel.core.words.catalogue import word

PH = Limit("ph", 7.2, 7.8)
OXYGEN = Limit("oxygen", 5.0, act_low=3.0)


class TestLimits:
    @pytest.mark.parametrize(
        ("value", "u", "how"),
        [
            (7.25, 0.05, "within"), (7.24, 0.05, "near"), (7.75, 0.05, "within"), (7.76, 0.05, "near"),
            (7.16, 0.05, "near"), (7.149, 0.05, "beyond"), (7.851, 0.05, "beyond"), (7.2, 0.0, "within"),
            (7.19, 0.0, "beyond"),
        ],
    )  # fmt: skip
    def test_near_is_within_u_of_either_end(self, value: float, u: float, how: str) -> None:
        assert keeps(PH, value, u).keeps == how

    def test_what_has_to_be_acted_on_is_beyond_however_uncertain(self) -> None:
        kept = keeps(OXYGEN, 2.9, 4.0)
        assert (kept.keeps, kept.act) == (Keeps.BEYOND, True)
        assert sentence(kept) == "O₂ 2.90 mg/L (U ±4.00, k = 2) is beyond the limit, at least 5.00 mg/L. Act now."
        assert keeps(OXYGEN, 3.0, 0.1).act is False
        assert keeps(Limit("ph", high=9.0, act_high=9.5), 9.6, 0.1).act is True

    @pytest.mark.parametrize(
        ("limit", "value", "side", "how"),
        [
            (Limit("total-chlorine", high=0.01), 0.02, "<", "near"),
            (Limit("total-chlorine", high=0.05), 0.02, "<", "within"),
            (Limit("free-chlorine", low=1.0), 0.02, "<", "beyond"),
            (Limit("free-chlorine", low=1.0, high=4.0), 6.0, ">", "beyond"),
            (Limit("free-chlorine", low=1.0), 6.0, ">", "within"),
            (Limit("free-chlorine", low=1.0, high=9.0), 6.0, ">", "near"),
        ],
    )
    def test_what_can_not_be_seen_is_never_safe(self, limit: Limit, value: float, side: str, how: str) -> None:
        kept = keeps(limit, value, 0.0, side)
        assert kept.keeps == how
        assert ('That is not "safe".' in sentence(kept)) == (how == "near")

    def test_stabiliser_asks_for_more_free_chlorine_and_a_site_has_its_own(self) -> None:
        """Common practice: free chlorine at least 1 mg/L, with stabiliser 2."""
        assert limits_of(shipped(), "chlorinated pool")["free-chlorine"].low == 1.0
        assert limits_of(shipped(), "chlorinated pool", stabilised=True)["free-chlorine"].low == 2.0
        assert limits_of(shipped(), "tea") == {}
        assert limits_of(shipped(), "tea", [PH]) == {"ph": PH}

    def test_the_worst_of_several(self) -> None:
        assert worst([Keeps.WITHIN, Keeps.BEYOND, Keeps.NEAR]) == "beyond"
        assert worst([Keeps.WITHIN, Keeps.NEAR]) == "near"
        assert worst([]) is None

    def test_every_kind_of_water_reads_and_limits_known_quantities(self) -> None:
        kinds = shipped().waters
        assert {"shrimp pond", "chlorinated pool", "well", "drinking water", "marine aquarium"} <= kinds.keys()
        for kind in kinds.values():
            assert set(kind.reads) <= quantities().keys()
            for limit in kind.limits:
                assert limit.quantity in quantities()
                assert limit.low is not None or limit.high is not None
                assert limit.source
        shrimp = limits_of(shipped(), "shrimp pond")
        assert (shrimp["temperature"].low, shrimp["temperature"].high) == (26.0, 32.0)
        assert (shrimp["salinity"].low, shrimp["salinity"].high) == (10.0, 25.0)


class TestWhatFollows:
    def test_un_ionised_ammonia_from_the_ion_as_the_handbooks_have_it(self) -> None:
        """TAN 1 mg/L at pH 8.0, 25 °C, fresh: 5.38 % of it (Emerson et al. 1975, pKa 9.2465)."""
        found = worked_out(seen(total_ammonia_n=1.0, ph=8.0, temperature=25.0))
        assert [w.quantity for w in found] == ["unionized-ammonia-n"]
        assert found[0].value == pytest.approx(1 / (1 + 10 ** (0.09018 + 2729.92 / 298.15 - 8.0)), rel=1e-6)
        assert found[0].basis == ("total-ammonia-n", "ph", "temperature")

    def test_its_uncertainty_is_the_phs(self) -> None:
        """±0.1 pH is ±24 % of it (common practice)."""
        found = worked_out(seen(total_ammonia_n=(1.0, 0.0), ph=(7.5, 0.05), temperature=(25.0, 0.0)))[0]
        assert 2 * found.budget.u / found.value == pytest.approx(0.23, abs=0.02)
        assert found.budget.contributions[0].key == "reading.ph"

    def test_a_tip_sees_the_ion_and_its_reading_is_the_basis_of_both(self) -> None:
        given = seen(ammonium_n=1.0, ph=8.0, temperature=25.0)
        total, free = worked_out(given)
        assert (total.quantity, free.quantity) == ("total-ammonia-n", "unionized-ammonia-n")
        assert total.value - free.value == pytest.approx(1.0)
        assert free.basis == ("ammonium-n", "ph", "temperature")
        assert worked_out(seen(ammonium_n=1.0, ph=8.0)) == []
        assert [w.quantity for w in worked_out({**given, **seen(total_ammonia_n=2.0)})] == ["unionized-ammonia-n"]

    def test_an_entry_that_names_what_is_not_known_stops_with_its_name(self) -> None:
        """It would follow from nothing, for ever."""
        wrongs: tuple[dict[str, Any], ...] = (
            {"inputs": {"ph": "no-such"}, "calculation": "saturation-index"},
            {"inputs": {"ph": "ph"}},
            {"inputs": {"ph": "ph"}, "calculation": "saturation-index", "senseless": "at-full-moon"},
        )
        for wrong in wrongs:
            with pytest.raises(CoreError, match="density"):
                Follows("density", **wrong)

    def test_what_follows_from_a_bound_is_a_bound_to_the_side_that_it_moves_to(self) -> None:
        below = Taken("total-chlorine", 0.02, 0.01, "<", "r")
        assert [w.qualifier for w in worked_out(seen(free_chlorine=0.02, total_chlorine=below))] == ["<"]
        found = worked_out(seen(total_ammonia_n=below, ph=8.0, temperature=25.0))
        assert [(w.quantity, w.qualifier) for w in found] == [("unionized-ammonia-n", "<")]
        # Less acid, more of it un-ionised.
        found = worked_out(seen(total_ammonia_n=1.0, ph=Taken("ph", 8.0, 0.1, ">"), temperature=25.0))
        assert [(w.quantity, w.qualifier) for w in found] == [("unionized-ammonia-n", ">")]

    def test_a_share_of_hypochlorous_acid_only_without_stabiliser_and_sea_salt(self) -> None:
        """pKa at 25 °C 7.53 (Morris 1966): half of it at pH 7.53."""
        fresh = seen(ph=7.53, temperature=25.0, stabiliser=Taken("stabiliser", 0.0, 1.0, record="s"))
        assert worked_out(fresh)[0].value == pytest.approx(50.0, abs=1.0)
        for spoiled in (seen(stabiliser=30.0), seen(salinity=30.0)):
            assert [w.quantity for w in worked_out({**fresh, **spoiled})] in ([], ["density"])
            words = missing({**fresh, **spoiled}, ["hypochlorous-share"])
            assert [m.applies for m in words] == [False]

    def test_what_is_missing_is_named_with_the_shortest_way(self) -> None:
        found = missing(seen(ph=7.4), ["saturation-index", "unionized-ammonia-n", "density"])
        assert [sentence(m) for m in found] == [
            "Un-ionised ammonia as N: read total ammonia as N; type the temperature of the water.",
            "Saturation index: type the temperature of the water; read hardness as CaCO₃; read alkalinity as CaCO₃; "
            "read the conductivity, with a factor of dissolved solids on the site's page, or type it.",
            "Density: read the conductivity, with sea salt as the site's compensation; type the temperature of the "
            "water.",
        ]
        assert missing(seen(ammonium_n=1.0, ph=7.4, temperature=20.0), ["unionized-ammonia-n"]) == []
        assert missing(seen(ph=7.4), []) == []


class TestTogether:
    @pytest.mark.parametrize(
        ("given", "code"),
        [
            ({"oxygen_saturation": 50.1, "orp": -101.0}, "together-oxygen-and-orp"),
            ({"oxygen_saturation": 151.0, "temperature": 3.9}, "together-warm-and-supersaturated"),
            ({"free_chlorine": 0.51, "orp": 399.0}, "together-chlorine-and-orp"),
        ],
    )
    def test_what_can_not_be_together(self, given: dict[str, float], code: str) -> None:
        assert [f.code for f in judge_together(seen(**given), NATURAL, shipped())] == [code]

    @pytest.mark.parametrize(
        "given",
        [
            {"oxygen_saturation": 50.0, "orp": -101.0}, {"oxygen_saturation": 90.0, "orp": -100.0}, {"orp": -300.0},
            {"oxygen_saturation": 150.0, "temperature": 3.0}, {"free_chlorine": 0.5, "orp": 399.0},
            {"free_chlorine": 2.0, "orp": 400.0},
        ],
    )  # fmt: skip
    def test_what_can_be(self, given: dict[str, float]) -> None:
        assert judge_together(seen(**given), NATURAL, shipped()) == []

    def test_each_pair_has_its_source(self) -> None:
        assert all(p.source and p.remedy and len(p.bounds) == 2 for p in shipped().contrary)

    @pytest.mark.parametrize(
        ("mg_l", "pressure", "salinity", "words"),
        # Benson & Krause 1984 at 25 °C, from its table: 8.263 mg/L fresh, 6.949 at S = 30 and 1013.25 hPa. At 850 hPa
        # by (850 − 31.7) / (1013.25 − 31.7), the vapour pressure from handbook tables: 0.8337.
        [
            (6.949, 1013.25, 30.0, None), (8.263, 1013.25, 30.0, "the salinity was not corrected for in mg/L"),
            (6.949**2 / 8.263, 1013.25, 30.0, "the salinity was corrected for twice"),
            (8.263, 850.0, 0.0, "the percent count from 1013.25 hPa"),
            (8.263 * 0.8337**2, 850.0, 0.0, "the pressure was corrected for twice"),
            (8.263 * 0.8337, 850.0, 0.0, None), (4.0, 1013.25, 30.0, "salinity 30.0."),
        ],
    )  # fmt: skip
    def test_oxygen_in_two_units_shows_a_correction_left_out_or_made_twice(
        self, mg_l: float, pressure: float, salinity: float, words: str | None
    ) -> None:
        given = seen(oxygen=(mg_l, 0.03), temperature=(25.0, 0.05), salinity=(salinity, 0.1),
                     station_pressure=(pressure, 0.5)) | {
            "oxygen-saturation": Taken("oxygen-saturation", 100.0, 0.5, record="another")}  # fmt: skip
        found = judge_together(given, SEA, shipped())
        assert [f.code for f in found] == ([] if words is None else ["together-oxygen"])
        assert not found or words in sentence(found[0])
        same = {key: replace(taken, record="one") for key, taken in given.items()}
        assert judge_together(same, SEA, shipped()) == []

    def test_a_salinity_against_the_conductivity_of_the_visit(self) -> None:
        """Standard sea water: 42.914 mS/cm at 15 °C is S 35 (PSS-78)."""
        given = seen(conductivity=(42_914.0, 100.0), temperature=(15.0, 0.05), salinity=(35.0, 0.05))
        assert judge_together(given, SEA, shipped()) == []
        off = given | seen(salinity=(31.0, 0.05))
        assert [f.code for f in judge_together(off, SEA, shipped())] == ["together-salinity"]
        assert "makes it 35.0" in sentence(judge_together(off, SEA, shipped())[0])
        assert judge_together(off, NATURAL, shipped()) == []

    def test_combined_chlorine_below_nought_by_more_than_u(self) -> None:
        assert judge_together(seen(combined_chlorine=(-0.1, 0.051)), NATURAL, shipped()) == []
        found = judge_together(seen(combined_chlorine=(-0.1, 0.049)), NATURAL, shipped())
        assert [(f.code, str(f.level)) for f in found] == [("combined-negative", "unfit")]

    def test_stabiliser_is_asked_for_where_hypochlorous_acid_is(self) -> None:
        assert [f.code for f in judge_together(seen(free_chlorine=1.0), NATURAL, shipped(), asks_hocl=True)] == [
            "stabiliser-missing"
        ]
        assert judge_together(seen(free_chlorine=1.0, stabiliser=0.0), NATURAL, shipped(), asks_hocl=True) == []
        assert judge_together(seen(free_chlorine=1.0), NATURAL, shipped()) == []
        sea = seen(free_chlorine=1.0, salinity=31.0)
        assert judge_together(sea, SEA, shipped(), asks_hocl=True) == []

    def test_working_says_its_inputs_as_they_are_said_elsewhere(self) -> None:
        given = seen(
            ph=(7.41744, 0.02), temperature=(26.604, 0.1), alkalinity=112.0, hardness=249.0, stabiliser=24.0,
            dissolved_solids=1163.2,
        )  # fmt: skip
        (index,) = [w for w in worked_out(given) if w.quantity == "saturation-index"]
        assert str(word(index.working[-1])).startswith("7.42 − 7.5")


class TestAgreement:
    def test_e_n_of_one_is_still_agreement(self) -> None:
        """|a − b| / √(Ua² + Ub²) (ISO 13528): 0.05 apart, U 0.03 and 0.04."""
        first, second = Taken("ph", 7.40, 0.015), Taken("ph", 7.45, 0.02)
        assert agreement(first, second).en == pytest.approx(1.0)
        assert agreement(Taken("ph", 5.0, 0.3), Taken("ph", 6.0, 0.4)).words == "They agree: E_n 1.00."
        assert agreement(Taken("ph", 7.40, 0.015), Taken("ph", 7.46, 0.02)).words.startswith("They disagree: E_n 1.20")

    def test_it_can_not_be_told_without_u(self) -> None:
        assert "nothing is known" in agreement(Taken("ph", 7.4, 0.0), Taken("ph", 7.5, 0.0)).words

    @pytest.mark.parametrize(
        ("first", "second", "words"),
        [
            (("<", 0.02), ("", 0.5), "They disagree: one is only known to be below 0.02 mg/L, and the other is 0.50"),
            (("", 0.15), ("<", 0.02), "They may agree: one is only known to be below 0.02 mg/L."),
            ((">", 6.0), ("", 5.0), "They disagree: one is only known to be above 6.00 mg/L, and the other is 5.00"),
            (("<", 0.02), ("<", 0.05), "They may agree: one is only known to be below 0.02 mg/L."),
            (("<", 0.02), (">", 6.0), "They can't be compared: one is only known to be below 0.02 mg/L, and the other"),
        ],
    )  # fmt: skip
    def test_a_bound_is_held_against_the_other(
        self, first: tuple[str, float], second: tuple[str, float], words: str
    ) -> None:
        one, other = (Taken("free-chlorine", value, 0.08, side) for side, value in (first, second))
        found = agreement(one, other)
        assert found.en is None
        assert found.words.startswith(words)

    def test_two_on_one_standard_are_correlated(self) -> None:
        first, second = (Taken("ph", 7.4, 0.02, shares=("lot 7", *own)) for own in (("a",), ("b",)))
        assert "Both rest on lot 7: they are correlated" in agreement(first, second).words


class TestPlain:
    def test_u_is_the_leaflets_else_wide(self) -> None:
        measures = Measures(accuracy=Accuracy(absolute=0.05, percent_of_reading=5.0, step=0.01))
        u = plain_budget(PlainValue(quantity("free-chlorine"), 2.0, measures=measures)).u
        assert u == pytest.approx(math.hypot(0.15 / 3**0.5, 0.01 / 12**0.5))
        assert plain_budget(PlainValue(quantity("free-chlorine"), 2.0)).expanded == 0.5
        assert plain_budget(PlainValue(quantity("hardness"), 250.0)).expanded == pytest.approx(50.0)

    def test_its_findings(self) -> None:
        measures = Measures(0.02, 6.0, Accuracy(absolute=0.05))

        def codes(value: float, qualifier: str = "", **given: object) -> list[str]:
            asked = PlainValue(quantity("free-chlorine"), value, qualifier, "P-1", measures, **given)
            return [f.code for f in judge_plain(asked)]

        assert codes(1.5) == codes(0.02) == codes(6.0) == codes(0.02, "<") == []
        assert codes(0.01) == codes(6.1) == ["beyond-instrument"]
        assert codes(1.5, expected=(2.0, 4.0)) == ["site-range"]
        assert codes(0.02, "<", expected=(2.0, 4.0)) == []
        assert [f.code for f in judge_plain(PlainValue(quantity("free-chlorine"), 30.0))] == [
            "implausible", "instrument-unknown",
        ]  # fmt: skip
        assert judge_plain(PlainValue(quantity("depth"), 1.5)) == []

    def test_above_the_range_dilution_is_offered_below_it_is_not(self) -> None:
        measures = Measures(0.02, 6.0, Accuracy(absolute=0.05))
        above, below = (
            remedy(judge_plain(PlainValue(quantity("free-chlorine"), v, "", "P-1", measures))[0]) for v in (7.0, 0.01)
        )
        assert above == "Amend it to >6.00, or dilute the sample, measure again and multiply."
        assert below == "Amend it to <0.02."


class TestJump:
    USUAL = np.array([7.40, 7.50, 7.45, 7.38, 7.42, 7.47])

    def test_it_needs_six_earlier_readings(self) -> None:
        assert jump(quantity("ph"), 3.0, 0.01, self.USUAL[:5]) == []
        assert [f.code for f in jump(quantity("ph"), 3.0, 0.01, self.USUAL)] == ["jump"]

    def test_the_spread_is_the_places_own_and_u_counts(self) -> None:
        """Median 7.435, median absolute deviation 0.035: five times 1.4826 × 0.035 is 0.26."""
        assert jump(quantity("ph"), 7.69, 0.0, self.USUAL) == []
        assert jump(quantity("ph"), 7.70, 0.0, self.USUAL) != []
        assert jump(quantity("ph"), 7.70, 0.05, self.USUAL) == []
        assert jump(quantity("ph"), 7.17, 0.0, self.USUAL) != []
        assert jump(quantity("ph"), 7.04, 0.0, np.full(6, 7.0)) == []

    def test_it_says_what_is_usual(self) -> None:
        assert sentence(jump(quantity("ph"), 3.0, 0.01, self.USUAL)[0]) == (
            "pH 3.00 is far from what this place has shown: usually 7.44, from 7.38 to 7.50 in the last 6 readings."
        )
