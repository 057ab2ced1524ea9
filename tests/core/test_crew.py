"""Which probes go along: made for their waters, and no more of them than needed. Ranges: common practice."""

from __future__ import annotations

from itertools import combinations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brumel.core.plan.crew import Candidate, crew_for, misfit
from brumel.core.plan.waters import Expected
from brumel.core.quantities.quantity import of_a_round
from brumel.core.shipped_rules import shipped

CELLS = {k: Candidate(f"K {k}", shipped().kind(f"conductivity-{k}")) for k in ("0.1", "1", "10")}
WATERS = {
    "spring": (30, 70), "tank": (1200, 2600), "shrimp": (18e3, 40e3), "sea": (44e3, 54e3), "estuary": (200, 3e4),
}  # fmt: skip


def conductivity(*names: str) -> list[Expected]:
    return [Expected(n, "specific-conductance", *WATERS[n]) for n in names]


@pytest.mark.parametrize(
    ("sites", "kit", "going"),
    [
        (("spring", "tank"), ("1", "10"), {"K 1": ("spring", "tank")}),
        (("spring", "sea"), ("1", "10"), {"K 1": ("spring",), "K 10": ("sea",)}),
        (("spring", "sea", "tank"), ("0.1", "10"), {"K 0.1": ("spring",), "K 10": ("sea", "tank")}),
        (("shrimp", "sea", "tank"), ("1", "10"), {"K 10": ("shrimp", "sea", "tank")}),
        (("tank",), ("10", "1"), {"K 10": ("tank",)}),
    ],
)
def test_the_fewest_cells_that_suit_go(sites: tuple[str, ...], kit: tuple[str, ...], going: dict[str, object]) -> None:
    found, unsuited = crew_for("specific-conductance", conductivity(*sites), [], [CELLS[k] for k in kit])
    assert {g.label: g.sites for g in found} == going
    assert unsuited == []


def test_a_water_that_none_is_made_for_is_said_and_takes_no_probe() -> None:
    found, unsuited = crew_for("specific-conductance", conductivity("sea"), [], [CELLS["1"]])
    assert found == []
    assert [(u.site, u.measured) for u in unsuited] == [("sea", False)]
    assert "made for specific conductance of 10 to 20\u202f000 µS/cm; sea is expected at 44\u202f000" in unsuited[0].why


def test_what_is_chosen_by_hand_goes_and_measures_what_nobody_is_made_for() -> None:
    waters = conductivity("spring", "sea", "estuary")
    found, unsuited = crew_for("specific-conductance", waters, [CELLS["10"]], [CELLS["1"]])
    assert {g.label: g.sites for g in found} == {"K 10": ("sea", "estuary"), "K 1": ("spring",)}
    assert [(u.site, u.measured) for u in unsuited] == [("estuary", True)]


def test_ion_tips_mind_the_salt_and_the_ph() -> None:
    tip = shipped().kind("ammonium")
    own, fresh = Expected("Reed", "ammonium-n", 5.0, 25.0), Expected("Reed", "specific-conductance", 300, 1500)
    assert misfit(tip, "Reed", [own]) == ""
    assert misfit(tip, "Reed", [own, Expected("Reed", "ph", 6.5, 8.0), fresh]) == ""
    assert "pH of 4 to 8.5;" in misfit(tip, "Reed", [own, Expected("Reed", "ph", 6.5, 9.0)])
    assert "specific conductance of 0 to 1500" in misfit(
        tip, "Reed", [own, Expected("Reed", "specific-conductance", 300, 1501)]
    )
    assert misfit(tip, "Reed", [own, Expected("Lido", "specific-conductance", 44e3, 54e3)]) == ""


def test_every_kind_says_what_it_suits_in_quantities_that_exist() -> None:
    for kind in shipped().kinds.values():
        assert set(kind.suits) <= {q.key for q in of_a_round()}
        assert all(low < high for low, high in kind.suits.values())


ranges = st.tuples(st.floats(1, 2e5), st.floats(1, 2e5)).map(lambda pair: (min(pair), max(pair)))


@given(st.lists(ranges, min_size=1, max_size=5), st.lists(st.sampled_from(list(CELLS.values())), max_size=4))
def test_nobody_could_cover_more_or_do_with_fewer(spans: list[tuple[float, float]], kit: list[Candidate]) -> None:
    kit = [Candidate(f"{n}", c.kind) for n, c in enumerate(kit)]
    waters = [Expected(f"S{n}", "specific-conductance", *span) for n, span in enumerate(spans)]
    found, unsuited = crew_for("specific-conductance", waters, [], kit)

    def covered(some: tuple[Candidate, ...]) -> int:
        return sum(any(not misfit(c.kind, w.site, waters) for c in some) for w in waters)

    reached = sum(len(g.sites) for g in found)
    assert reached == covered(tuple(kit))
    assert all(covered(some) < reached for some in combinations(kit, max(len(found) - 1, 0)) if found)
    assert len(unsuited) == (len(waters) - reached if kit else 0)
