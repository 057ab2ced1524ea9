"""A TOML file of what there is: entered whole, or refused with every entry that can't be taken."""

from __future__ import annotations

import pytest

from brumel.services.errors import InvalidInput
from brumel.services.start.loading import Loading
from brumel.store.database import Database
from tests.conftest import CLOCK
from tests.services.world import World

GOOD = """
[[meters]]
label = "M1"
serial = "S-M1"
kit = "Kit"
in_service_on = 2026-01-01
takes = ["orp", "oxygen-optical"]
polarises_off = true

[[probes]]
label = "R1"
serial = "S-R1"
kind = "orp"
reference = "ag-agcl-3m"
kit = "Kit"
in_service_on = 2026-01-01
meter = "M1"
own_waits = { cleaned = 60 }

[[lots]]
lot_number = "C1"
standard = "conductivity"
family = "kcl"
nominal = 1413
received_on = 2026-01-01
expires_on = 2027-01-01
open_life_days = 60
pack = "sachets"
content = 20

[[sites]]
code = "MERE"
name = "The mere"
water_kind = "lake"
visit_every_days = 7
expected = { ph = [6.5, 9], orp = [200, 400] }
"""


def test_all_kinds_are_entered(world: World, database: Database) -> None:
    assert Loading(database, CLOCK).load(GOOD) == {"devices": 0, "meters": 1, "probes": 1, "lots": 1, "sites": 1}
    state = next(s for s in world.at().states.probe_states() if s.probe.label == "R1")
    assert state.probe.meter is not None
    assert state.probe.meter.takes == ["orp", "oxygen-optical"]
    assert state.probe.kind == "orp"
    lot = next(e for e in world.at().shelf.entries() if e.lot.lot_number == "C1")
    assert (lot.facts.left, lot.facts.unit, lot.lot.family) == (20.0, "sachets", "kcl")
    site = next(s for s in world.at().states.sites() if s.code == "MERE")
    assert site.expected("orp") == (200, 400)


@pytest.mark.parametrize(
    ("good", "bad", "words"),
    [
        ('kind = "orp"', 'kind = "crystal ball"', "No kind of probe is named 'crystal ball'"),
        ('takes = ["orp", "oxygen-optical"]', 'takes = ["hand"]', "No kind of probe is named 'hand'"),
        ("cleaned = 60", "polished = 60", "probes 1, wait-polished: No care has this name."),
        ('meter = "M1"', 'meter = "M9"', "probes 1, meter 'M9': No meter has this label"),
        ('standard = "conductivity"', 'standard = "gold"', "lots 1, standard 'gold': Choose what it is."),
        ('pack = "sachets"', 'pack = "barrel"', "lots 1, pack 'barrel': Choose what it comes in."),
        ("nominal = 1413\n", "", "lots 1, nominal: Give its value at 25 °C"),
        ("ph = [6.5, 9]", "ph = [9, 6.5]", "sites 1, ph: The lower end must be below the upper."),
        ("ph = [6.5, 9]", "ph = [6.5, 900]", "sites 1, ph: pH must be −2 to 16; 900 was typed"),
        ("ph = [6.5, 9]", "ph = [6.5, 1e300]", "sites[1].expected.ph[2] is too large to be meant"),
        ("ph = [6.5, 9]", "ph = [6.5, nan]", "sites[1].expected.ph[2] is too large to be meant"),
        ("orp = [200, 400]", "mood = [1, 2]", "sites 1, mood: Known quantities are"),
        ("visit_every_days = 7", "", "visit_every_days is missing"),
        ("[[sites]]", "[[places]]", "'places' is none of"),
        ("[[sites]]", "[[sites", "The file is not TOML"),
    ],
)
def test_what_cannot_be_taken_is_said_and_nothing_is_entered(
    world: World, database: Database, good: str, bad: str, words: str
) -> None:
    text = GOOD.replace(good, bad)
    for name in ("S-M1", "S-R1", '"R1"', '"C1"', '"MERE"'):
        text = text.replace(name, name.replace("1", "2").replace("MERE", "MERE2"))
    before = len(world.at().states.probe_states()), len(world.at().states.sites())
    with pytest.raises(InvalidInput, match=None) as wrong:
        Loading(database, CLOCK).load(
            text.replace('label = "M1"', 'label = "M2"').replace('meter = "M1"', 'meter = "M2"')
        )
    assert any(words in sentence for sentence in wrong.value.fields.values()), wrong.value.fields
    assert (len(world.at().states.probe_states()), len(world.at().states.sites())) == before
