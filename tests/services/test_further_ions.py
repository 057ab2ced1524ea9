"""A fluoride tip (−1) and a calcium tip (+2): data files alone, from begin to a reading by its charge."""

from __future__ import annotations

import math
import uuid
from collections.abc import Iterator
from pathlib import Path

import pytest

from brumel.core import tables
from brumel.core.place.surroundings import Surroundings
from brumel.launch.cluster import APPLICATION
from brumel.services.calibrating.rows import Begin
from brumel.services.calibrating.taking import TakePoint
from brumel.services.readings.draft import NewReading
from brumel.store import schema
from brumel.store.database import Database
from tests.conftest import Urls
from tests.services.world import World

IONS = {"fluoride": (-1, 18.998, 5.0), "calcium": (2, 40.078, 400.0)}
"""Charge; molar mass, g/mol (IUPAC); the higher standard, mg/L as the ion."""
FILES = {
    "ions.toml": """
        [{ion}]
        name = "{ion}"
        charge = {charge}
        molar_mass = {mass}
        element = "the element"
        element_mass = {mass}
        senses = "{ion}-activity"
        reads = "{ion}"
        interferes = []
        hydrated_s = 600.0
        hydration_h = 2
        """,
    "quantities.toml": """
        [{ion}]
        name = "{ion}"
        symbol = "{ion}"
        unit = "mg/L"
        decimals = 2
        plausible = [0.0, 1000.0]
        typed = [0.0, 10000.0]
        error = "relative"
        unknown_u = 1.0
        settling.reading = {{ unit = "mg/L", span = 0.02, span_percent = 4.0, window_s = 60.0 }}
        [{ion}-activity]
        name = "{ion} activity"
        symbol = "a({ion})"
        unit = "mg/L"
        decimals = 2
        plausible = [0.0, 1000.0]
        typed = [0.0, 10000.0]
        error = "relative"
        unknown_u = 1.0
        settling.calibrating = {{ unit = "mV", span = 0.5, window_s = 60.0 }}
        """,
    "kinds.toml": """
        [{ion}]
        name = "{ion} tip"
        same_as = "ammonium"
        principle = "{ion}-tip"
        quantity = "{ion}"
        suits = {{ specific-conductance = [0, 1500] }}
        standards = {{ how = "decade", of = "{ion}" }}
        leans_on = []
        checks = []
        """,
    "standards.toml": """
        [{ion}]
        name = "{ion} standard"
        worth_by = "steady"
        unit = "mg/L"
        decimals = 2
        open_life_days = 30
        """,
    "roles.toml": """
        [{ion}-low]
        standard = "{ion}"
        to = {middle}
        [{ion}-high]
        standard = "{ion}"
        from = {middle}
        """,
}


@pytest.fixture(scope="module")
def world(database: Database, urls: Urls, tmp_path_factory: pytest.TempPathFactory) -> Iterator[World]:
    folder: Path = tmp_path_factory.mktemp("ions")
    for name, text in FILES.items():
        entries = (text.format(ion=ion, charge=charge, mass=mass, middle=high / 3)
                   for ion, (charge, mass, high) in IONS.items())  # fmt: skip
        (folder / name).write_text("".join(entries), encoding="utf-8")
    with tables.added(folder):
        made = World(database)
        schema.upgrade(urls.owner, APPLICATION)  # as a start does: the schema learns what can be recorded
        for ion, (*_, high) in IONS.items():
            for name, value in (("high", high), ("low", high / 10)):
                made.shelved(f"{ion}-{name}", standard=ion, family="", nominal=value)
        yield made


def potential(activity: float, t: float, charge: int) -> float:
    """Nernst by hand, 97 % of it: R·T·ln 10 / (z·F), mV a decade."""
    decade = 1000 * 8.314462618 * (273.15 + t) * math.log(10) / (charge * 96485.33212)
    return 80.0 + 0.97 * decade * math.log10(activity)


@pytest.mark.parametrize("ion", IONS)
def test_a_tip_of_data_alone_is_calibrated_and_read_by_its_charge(world: World, ion: str) -> None:
    charge, _, high = IONS[ion]
    probe = world.at().states.probe(world.other_probe(ion, kit=f"Kit {ion}"))
    lots = {f"{ion}-{name}": world.lots[f"{ion}-{name}"].id for name in ("high", "low")}
    begin = Begin(uuid.uuid4(), probe.id, f"{ion}-two", "distilled-once", lots)
    run_id = world.at().calibrations.begin(begin, world.person)
    for step, value in (("high", high), ("low", high / 10)):
        point = TakePoint(uuid.uuid4(), step, potential(value, 22.0, charge), 22.0, device=False)
        world.at().calibrations.take(run_id, point, world.person)
    signed = world.sign(run_id)
    assert [f.code for f in signed.findings if f.level != "sound"] == []
    assert (signed.level, signed.response and round(signed.response["slope"], 1)) == ("sound", 97.0)

    salts = Surroundings(conductivity=900.0, u_conductivity=9.0, conductivity_from="typed")
    new = NewReading(uuid.uuid4(), world.site.id, probe.id, "typed-signal", temperature_c=18.0, place=salts,
                     signal=potential(high / 2, 18.0, charge))  # fmt: skip
    world.at().readings.record(new, world.person)
    reading = world.at().readings.view(new.reading_id).reading
    strength = 1.6e-5 * 900.0
    root = math.sqrt(strength)
    gamma = 10 ** (-0.509 * charge**2 * (root / (1 + root) - 0.3 * strength))  # Davies 1962
    assert reading.quantity == ion
    assert reading.value == pytest.approx(high / 2 / gamma, rel=1e-3)
