"""A principle is a folder of three parts; one that lacks a part is refused by name; traces are read as values are."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brumel.core.errors import CoreError
from brumel.core.place.conditions import Conditions
from brumel.core.place.water import Compensation
from brumel.core.reckoning.answers import calculate
from brumel.core.sensing.ion_tip.ions import ions
from brumel.core.sensing.principles import as_read, derived_from, principle, principles, sensing, sensing_in
from brumel.core.uncertainty import Budget, Contribution

PARTS = {
    "terms": "def principles():\n    return ()\n",
    "signs": "from brumel.core.sensing.shows import Signs, nothing\nSIGNS = Signs(nothing)\n",
    "read_as": "def read_as(own):\n    return None\n",
}


@pytest.fixture
def folder(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    made = tmp_path / "halfway"
    made.mkdir()
    for name, text in {"__init__": "", **PARTS}.items():
        (made / f"{name}.py").write_text(text, encoding="utf-8")
    monkeypatch.syspath_prepend(tmp_path)
    yield made
    for name in [name for name in sys.modules if name.split(".")[0] == "halfway"]:
        del sys.modules[name]


@pytest.mark.parametrize("part", PARTS)
def test_a_principle_that_lacks_a_part_stops_whoever_asks_with_its_name(folder: Path, part: str) -> None:
    (folder / f"{part}.py").unlink()
    with pytest.raises(CoreError, match=f"The sensing principle 'halfway' lacks '\\w+' in its part '{part}'"):
        sensing_in("halfway")


def test_a_whole_one_is_taken(folder: Path) -> None:
    assert sensing_in(folder.name) == ()


def test_each_that_ships_has_all_parts_and_one_that_is_not_there_is_refused() -> None:
    assert all(sensing(own.key).principle is own for own in principles())
    with pytest.raises(CoreError, match="There is no sensing principle 'nose'; known are glass, metal, conductivity"):
        principle("nose")


WATERS = st.sampled_from([
    Compensation(), Compensation(reference_c=20.0), Compensation("linear", 2.1), Compensation("sea-salt"),
    Compensation("none"),
])  # fmt: skip


@settings(max_examples=200)
@given(us_cm=st.integers(-5, 120_000), t=st.integers(-60, 600), water=WATERS)
def test_a_trace_of_conductivity_is_read_as_the_calculation_reads_it(
    us_cm: float, t: float, water: Compensation
) -> None:
    """A look at a live trace works bare formulas, the record the registry: both say the same, to where it ends."""
    warm = t / 10.0
    found = float(
        as_read(principle("conductivity"), "specific-conductance", np.array([float(us_cm)]), Conditions(warm), water)[0]
    )
    if water.method == "none":
        assert found == us_cm
        return
    given = {"conductivity_us_cm": us_cm, "temperature_c": warm} | water.inputs
    expected = float(calculate("conductivity-at-reference", given, strict=False).outputs["conductivity_us_cm"])
    assert found == pytest.approx(expected, rel=1e-12, nan_ok=True)


@pytest.mark.parametrize("key", ions())
def test_an_ion_settles_on_the_value_that_is_recorded(key: str) -> None:
    """The charge is the ion's everywhere: what a look at its trace shows is what its reading says."""
    own, at = principle(f"{key}-tip"), Conditions(17.0, conductivity_us_cm=1200.0)
    behind = Budget.of([Contribution("line", 0.1, "mg/L", 1.0)])
    (recorded,) = derived_from(own, 7.3, behind, at, Compensation())
    assert as_read(own, ions()[key].reads, np.array([7.3]), at, Compensation()) == pytest.approx([recorded.value])
