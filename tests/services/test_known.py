"""What the Reckon screen knows already: inputs of a site and a probe, limits beside the answer, where it goes on."""

from __future__ import annotations

import uuid

import pytest

from brumel.core.reckoning.answers import calculate
from brumel.core.reckoning.definition import Number, calculations, find
from brumel.core.tables import table
from brumel.core.words.catalogue import word
from brumel.services.reckon.known import onward, takes_from, waters
from tests.services.world import World

KNOWN = table("reckoning", "known.toml")


def names(kind: str) -> dict[str, set[str]]:
    """Of all calculations, inputs or outputs by name, with their units."""
    found: dict[str, set[str]] = {}
    for c in calculations().values():
        for x in c.all_inputs if kind == "inputs" else c.outputs:
            if kind == "outputs" or isinstance(x, Number):
                found.setdefault(x.name, set()).add(x.unit)
    return found


@pytest.mark.parametrize("group", ["inputs", "outputs", "sites", "coefficients"])
def test_the_table_speaks_of_what_there_is(group: str) -> None:
    assert KNOWN[group].keys() <= names("outputs" if group == "outputs" else "inputs").keys()


def test_inputs_come_from_the_newest_readings_of_a_site_and_from_a_probe(world: World) -> None:
    probe = world.probe()
    world.calibrated(probe, slope=97.0, offset=5.0)
    read = world.read(probe).reading
    known = world.at().known
    found = known.inputs(find("ph-from-millivolts"), world.site.id, probe.id)
    assert float(found["slope_percent"].text) == pytest.approx(97.0, abs=0.2)
    assert float(found["offset_mv"].text) == pytest.approx(5.0, abs=0.2)
    assert found["slope_percent"].whence == f"{probe.label}, Wed 6 May, 09:30"
    ammonia = known.inputs(find("unionized-ammonia"), world.site.id, None)
    assert float(ammonia["ph"].text) == pytest.approx(read.value, abs=0.006)
    assert ammonia["ph"].whence == "Pond, Wed 6 May, 09:30"
    assert known.inputs(find("unionized-ammonia"), uuid.uuid4(), None) == {}
    assert known.inputs(find("unionized-ammonia"), None, None) == {}


def test_limits_of_the_water_stand_beside_the_answer(world: World) -> None:
    answer = calculate("unionized-ammonia", {"tan_mg_l": 2.0, "ph": 8.6, "temperature_c": 28.0})
    (judged,) = [j for j in world.at().known.limits(answer, "shrimp pond", None) if j.output == "unionized_mg_l"]
    assert judged.kept.keeps == "beyond"
    assert str(word(judged.limit.said)) == "at most 0.0500 mg/L"
    assert world.at().known.limits(answer, "", None) == []
    assert world.at().known.limits(None, "shrimp pond", None) == []
    assert "shrimp pond" in waters()


def test_an_answer_goes_on_into_what_takes_it_with_what_was_typed() -> None:
    chosen = find("salinity")
    answer = calculate("salinity", {"conductivity_ms_cm": 42.914, "temperature_c": 15.0})
    found = onward(answer, chosen, {"temperature_c": "15", "temperature_c.unit": "°C", "other": "1"})
    assert found
    for way in found:
        assert way.calculation.name != "salinity"
        assert float(way.given["salinity"]) == pytest.approx(35.0, abs=0.01)
        assert "other" not in way.given
    assert any(way.given.get("temperature_c") == "15" for way in found)
    assert onward(None, chosen, {}) == []


def test_what_can_be_taken_from_where() -> None:
    assert takes_from(find("ph-from-millivolts")) == (True, True)
    assert takes_from(find("unionized-ammonia")) == (True, False)
