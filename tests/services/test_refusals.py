"""What the services refuse, each sentence once: the rule, what was found, the remedy; and nothing is written."""

from __future__ import annotations

import io
import re
import uuid
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from typing import Any

import pytest
from PIL import Image
from sqlalchemy import func, select

from brumel.core.place.station_pressure import Pressure
from brumel.core.place.surroundings import Surroundings
from brumel.services.calibrating.meter_runs import NewKept, TypedPoint
from brumel.services.calibrating.rows import Begin
from brumel.services.calibrating.taking import TakePoint
from brumel.services.errors import InvalidInput, NotFound
from brumel.services.kit.instruments import NewInstrument, TypedMeasures
from brumel.services.kit.meters import NewMeter
from brumel.services.kit.probes import NewProbe
from brumel.services.people import SignInRefused
from brumel.services.planning.rounds import NewRound
from brumel.services.probes.care_log import NewCare
from brumel.services.readings.draft import NewReading
from brumel.services.readings.meter_settings import WrongSetting
from brumel.services.shelf.typed_lot import NewLot
from brumel.services.sites.sites import NewLimit, NewSite
from brumel.services.start.loading import Loading
from brumel.services.visits.filling import TypedIn
from brumel.services.visits.visits import NewVisit, Remark, Sheet
from brumel.store.database import Database
from brumel.store.models.tables import FACTS
from tests.conftest import CLOCK, NOW
from tests.services.world import SIDE, THREE, World

HOUR = timedelta(hours=1)
SOON = NOW + 20 * HOUR


@pytest.fixture(scope="module")
def world(database: Database) -> World:
    made = World(database)
    made.calibrated(made.probe())
    made.other_probe("conductivity-1", "Kit")
    return made


def begin(w: World, **given: Any) -> None:
    lots = {role: w.lots[name].id for role, name in (("neutral", "7.00"), ("acid", "4.01"), ("alkaline", "10.01"))}
    base = Begin(uuid.uuid4(), w.probe().id, THREE, "distilled-once", lots)
    w.at().calibrations.begin(replace(base, **given), w.person)


def open_run(w: World) -> uuid.UUID:
    return w.begin(w.probe())


def take(w: World, **given: Any) -> None:
    w.at().calibrations.take(open_run(w), TakePoint(uuid.uuid4(), "neutral", device=False, **given), w.person)


def amend(w: World, reason: str, run_id: uuid.UUID | None = None) -> None:
    w.at().calibrations.amend(run_id or open_run(w), uuid.uuid4(), w.person, reason, withdraw=False)


def record(w: World, **given: Any) -> None:
    base = NewReading(uuid.uuid4(), w.site.id, w.probe().id, "typed-signal", signal=-20.0, temperature_c=20.0)
    w.at().readings.record(replace(base, **given), w.person)


def kept(w: World, kind: str = "ph-combination", **given: Any) -> None:
    w.at().kept.record(NewKept(uuid.uuid4(), w.other_probe(kind), **given), w.person)


def care(w: World, kind: str = "ph-combination", **given: Any) -> None:
    new = replace(NewCare(uuid.uuid4(), "cleaned", NOW - HOUR), **given)
    w.at().kit.log(w.other_probe(kind), new, w.person)


def meter(w: World, **given: Any) -> None:
    base = NewMeter(uuid.uuid4(), f"M {uuid.uuid4()}", str(uuid.uuid4()), "Kit", date(2026, 1, 1), ["orp"])
    w.at().meters.save(replace(base, **given), w.person)


def probe(w: World, **given: Any) -> None:
    base = NewProbe(uuid.uuid4(), f"P {uuid.uuid4()}", str(uuid.uuid4()), "orp", "Kit", date(2026, 1, 1))
    w.at().probes.add(replace(base, **given), w.person)


def lot(w: World, **given: Any) -> None:
    base = NewLot(uuid.uuid4(), "ph-buffer", str(uuid.uuid4()), "technical", 7.0, expires_on=date(2027, 1, 1))
    w.at().shelf.receive(replace(base, **given), w.person)


def site(w: World, **given: Any) -> None:
    base = NewSite(uuid.uuid4(), str(uuid.uuid4())[:8], "Ditch", "stream", 7)
    w.at().sites.save(replace(base, **given), w.person)


def plan(w: World, **given: Any) -> None:
    base = NewRound(uuid.uuid4(), SOON, "Kit", "distilled-once", [w.site.id])
    w.at().planned.save(replace(base, **given), w.person)


def way(w: World, field: str, value: str) -> None:
    round_id = uuid.uuid4()
    w.at().planned.save(NewRound(round_id, SOON, "Kit", "distilled-once", [w.site.id]), w.person)
    w.at().planned.take_way(round_id, field, value, w.person)


def load(w: World, text: str) -> None:
    Loading(w.database, CLOCK).load(text)


def add(w: World, **given: str) -> None:
    words = {"login": "ada", "name": "Ada", "role": "technician", "password": "long enough"} | given
    w.at().people.add(**words)


def sign_in(w: World, password: str, times: int = 1) -> None:
    login = f"t{uuid.uuid4().hex[:8]}"
    add(w, login=login, password="a long password")
    for _ in range(times):
        with pytest.raises(SignInRefused):
            w.at().people.sign_in(login, "not this one", "10.0.0.1")
    w.at().people.sign_in(login, password, "10.0.0.1")


def limit(w: World, **given: Any) -> None:
    base = NewLimit(uuid.uuid4(), w.site.id, "ph", 6.5, 8.5, "the permit")
    w.at().sites.limit(
        replace(base, **given), w.at().people.add(f"s{uuid.uuid4().hex[:8]}", "Su", "supervisor", "long enough")
    )


def instrument(w: World, **given: Any) -> None:
    base = NewInstrument(uuid.uuid4(), str(uuid.uuid4())[:8], "test kit", "Kit", measures={"ph": TypedMeasures(4, 9)})
    w.at().instruments.save(replace(base, **given), w.person)


def visit(w: World, **given: Any) -> uuid.UUID:
    base = NewVisit(uuid.uuid4(), sample="jar")
    return w.at().visits.open(replace(base, **given), w.person)


def say(w: World, read_with: str = "", quantity: str = "ph", text: str = "7", skip: bool = False) -> None:
    said = [Remark(uuid.uuid4(), "skipped", " ", "ph")] if skip else []
    w.at().visits.save(visit(w), Sheet([TypedIn(uuid.uuid4(), quantity, text, "", read_with)], said=said), w.person)


def reset(w: World, reason: str, since: datetime = NOW - HOUR, **really: Any) -> None:
    does = {"method": "none", "reference_c": 25.0} | really
    wrong = WrongSetting(w.meter(), "specific-conductance", since, NOW, does)
    w.at().resetting.apply(wrong, reason, w.person)


def pour(w: World, amount: float | None = 100.0, number: str = "A-1", lot: str = "7.00") -> None:
    w.at().shelf.pour_off(w.lots[lot].id, uuid.uuid4(), amount, number, w.person)


def wide(pixels: int) -> bytes:
    """A picture of so many pixels on a side, in few bytes."""
    found = io.BytesIO()
    Image.new("1", (pixels, pixels)).save(found, "PNG")
    return found.getvalue()


def oxygen(w: World, **pressure: Any) -> None:
    place, cap = Surroundings(Pressure(1010.0, **pressure)), w.other_probe("oxygen-optical")
    begin(w, probe_id=cap, method_code="luminescence-air", lots={}, place=place, despite="a test")


A_LOT = uuid.uuid4()
METER_ORP = {"takes": ["orp"]}

REFUSALS: dict[str, Callable[[World], object]] = {
    # Bench
    "Choose the probe to calibrate.": lambda w: begin(w, probe_id=None),
    "Choose how you rinse between solutions.": lambda w: begin(w, rinse="spit"),
    "This procedure calibrates on the water's side: choose the sites of the day.": lambda w: begin(w, method_code=SIDE),
    "A new electrode's first run needs three adjusted points: choose that procedure.": lambda w: begin(
        w, method_code=SIDE, site_ids=(w.site.id,), new_sensor=True
    ),
    "Choose the lot of the acid buffer.": lambda w: begin(w, lots={"neutral": w.lots["7.00"].id}),
    "A buffer of pH 7.00 can't be the acid one: choose another lot.": lambda w: begin(
        w, lots=dict.fromkeys(("neutral", "acid", "alkaline"), w.lots["7.00"].id)
    ),
    "This kind of probe is not calibrated: choose another.": lambda w: begin(w, probe_id=w.other_probe("silver")),
    "Put the probe into its standard first, then take the point.": lambda w: w.at().calibrations.take(
        open_run(w), TakePoint(uuid.uuid4(), "neutral"), w.person
    ),
    "Potential is missing: type it in mV. Temperature is missing: type it in °C.": lambda w: take(w),
    "Potential must be −2000 to 2000 mV; 2001 was typed.": lambda w: take(
        w, typed_signal=2001.0, typed_temperature_c=20.0
    ),
    "-inf": lambda w: take(w, typed_signal=float("-inf"), typed_temperature_c=20.0),
    "Temperature must be −5 to 105 °C; 105.5 was typed.": lambda w: take(
        w, typed_signal=1.0, typed_temperature_c=105.5
    ),
    "Take at least one point that the line is adjusted to, then sign.": lambda w: w.at().calibrations.sign(
        open_run(w), w.person
    ),
    "Say in a few words why the run is given up; the points stay on record.": lambda w: w.at().calibrations.abandon(
        open_run(w), w.person, "  "
    ),
    "Only a signed calibration is amended; this one is still open.": lambda w: amend(w, "because"),
    "An amendment needs its reason in words.": lambda w: amend(w, " "),
    # Readings
    "Choose the site.": lambda w: record(w, site_id=None),
    "Choose the probe.": lambda w: record(w, probe_id=None),
    "Choose how the reading comes in.": lambda w: record(w, source="a dream"),
    "is in service since Thu 1 Jan: check date and time.": lambda w: record(w, taken_at=NOW - 200 * 24 * HOUR),
    "pH must be −2 to 16; 17 was typed.": lambda w: record(w, source="typed-value", shown=17.0),
    "Put the probe into the water first, then record.": lambda w: record(w, source="device"),
    # Kit
    "a ORP platinum probe knows cleaned, soaked, stored": lambda w: care(w, "orp", care="membrane-changed"),
    "Choose what it stands in: storage solution": lambda w: care(w, care="stored", detail="beer"),
    "Minutes must be above 0 and at most 100 000.": lambda w: care(w, minutes=0.0),
    "The part was past its date on the day it was put in": lambda w: care(
        w, care="electrode-changed", good_until=date(2026, 5, 5)
    ),
    # Calibrations that a meter keeps
    "Type at least one value that the meter shows or reports.": lambda w: kept(w),
    "Choose the lot that it was in.": lambda w: kept(w, points={"neutral": TypedPoint(before=7.0, temperature_c=20.0)}),
    "This lot can't serve here: choose another.": lambda w: kept(
        w, points={"neutral": TypedPoint(uuid.uuid4(), before=7.0, temperature_c=20.0)}
    ),
    "Temperature is missing: type it in °C.": lambda w: kept(
        w, points={"neutral": TypedPoint(w.lots["7.00"].id, before=7.0)}
    ),
    "pH must be −2 to 16; 18 was typed.": lambda w: kept(
        w, points={"neutral": TypedPoint(w.lots["7.00"].id, before=18.0, temperature_c=20.0)}
    ),
    "Slope must be −1000 to 1000 %; 1001 was typed.": lambda w: kept(w, reported={"slope": 1001.0}),
    "is missing: type it in °C": lambda w: kept(
        w, "temperature", points={"thermometer": TypedPoint(before=20.1, temperature_c=20.0)}
    ),
    "Say in a few words why the entry was wrong; it stays on record.": lambda w: w.at().kit.withdraw(
        A_LOT, "", w.person
    ),
    "Answer yes or no.": lambda w: w.at().kit.inspect(w.probe().id, uuid.uuid4(), {"bulb": True}, "", w.person),
    "Give it the label that stands on it.": lambda w: probe(w, label=" "),
    "Give its serial number.": lambda w: probe(w, serial=""),
    "Say which kit it travels in.": lambda w: probe(w, kit=""),
    "Give the day since when it is in service.": lambda w: probe(w, in_service_on=None),
    "A probe can't be in service from a day to come.": lambda w: probe(w, in_service_on=NOW.date() + timedelta(days=1)),
    "is another probe's label: choose one that differs.": lambda w: probe(w, label=w.probe().label.lower()),
    "has this serial number.": lambda w: probe(w, serial=w.probe().serial),
    "Choose what kind of probe it is.": lambda w: probe(w, kind="a stick"),
    "takes no ORP platinum probe; it takes pH glass, combination.": lambda w: probe(w, meter_id=w.meter()),
    "This meter is not known: choose another, or none.": lambda w: probe(w, meter_id=uuid.uuid4()),
    "No care has this name.": lambda w: probe(w, own_waits={"sung-to": 3.0}),
    "Minutes must be from 0 to 2 880 (two days).": lambda w: probe(w, own_waits={"cleaned": 2881.0}),
    "Choose the kinds of probes that it takes.": lambda w: meter(w, takes=[]),
    "Not known: gravity.": lambda w: meter(w, compensates=["gravity"]),
    "'about right' can't be read: write it like ±0.02": lambda w: meter(w, accuracy={"ph": "about right"}),
    "'±1 %': say of what, “% of reading” or “% of full scale 20”": lambda w: meter(w, accuracy={"ph": "±1 %"}),
    "Digits need the display's step: write it like": lambda w: meter(w, accuracy={"ph": "2 digits"}),
    "'1,000' can be read in two ways": lambda w: meter(w, accuracy={"ph": "±1,000"}),
    "Records must be a whole number above 0 and at most 10 million.": lambda w: meter(w, memory_records=0.0),
    "Hours must be above 0 and at most 100 000.": lambda w: meter(w, battery_hours=0.0),
    "Choose what was done.": lambda w: w.at().meters.log(w.meter(), uuid.uuid4(), "kicked", None, "", w.person),
    # Shelf
    "Give the lot number that stands on the bottle.": lambda w: lot(w, lot_number=" "),
    "Choose what it is.": lambda w: lot(w, standard="soup"),
    "Give its value at 25 °C": lambda w: lot(w, standard="conductivity", nominal=None),
    "The value of a standard must be above 0": lambda w: lot(w, standard="conductivity", nominal=0.0),
    "Give the day that it expires.": lambda w: lot(w, expires_on=None),
    "A lot can't expire before it was received: check both dates.": lambda w: lot(w, expires_on=date(2026, 5, 5)),
    "A lot can't be received on a day to come.": lambda w: lot(w, received_on=NOW.date() + timedelta(days=1)),
    "Choose what it comes in.": lambda w: lot(w, pack="barrel"),
    "How many mL there are must be from 0.1 to 20\u202f000.": lambda w: lot(w, content=20_001.0),
    "The value of a standard must be above 0 and up to 1\u202f000\u202f000.": lambda w: lot(
        w, standard="conductivity", nominal=1_000_001.0
    ),
    "Specific conductance must be 0 to 1\u202f000\u202f000 µS/cm; 1\u202f234\u202f567 was typed.": lambda w: limit(
        w, quantity="specific-conductance", low=0.0, high=1_234_567.0
    ),
    "Give a whole number of sachets.": lambda w: lot(w, pack="sachets", content=1.5),
    "Days must be from 1 to 3 650.": lambda w: lot(w, open_life_days=3651.0),
    "An uncertainty must be from 0.000001 to 1\u202f000\u202f000, in the unit of the label.": lambda w: lot(
        w, certificate_u=0.0
    ),
    "Choose the buffer's family.": lambda w: lot(w, family="royal"),
    "The value of a buffer lies between pH 0 and 14.": lambda w: lot(w, nominal=14.0),
    "stands on the shelf already: open that one.": lambda w: lot(w, lot_number="7.00"),
    "Give how many mL were taken, from 0.1 to 20\u202f000.": lambda w: w.at().shelf.use(
        w.lots["7.00"].id, uuid.uuid4(), 0.0, "", w.person
    ),
    "Say in a few words why it goes; its record stays.": lambda w: w.at().shelf.discard(
        w.lots["7.00"].id, uuid.uuid4(), "", w.person
    ),
    "This is neither a PDF nor a picture: choose another file.": lambda w: w.at().shelf.attach(
        w.lots["7.00"].id, b"MZ", w.person
    ),
    "A certificate may have up to": lambda w: w.at().shelf.attach(w.lots["7.00"].id, b"%PDF-" * 4_000_000, w.person),
    "A photo may have up to": lambda w: w.at().kit.inspect(
        w.probe().id, uuid.uuid4(), {}, "", w.person, b"x" * 20_000_000
    ),
    "This is no picture: choose a JPEG, PNG or WebP file.": lambda w: w.at().kit.inspect(
        w.probe().id, uuid.uuid4(), {}, "", w.person, b"MZ"
    ),
    # Rounds
    "Give date and time of departure.": lambda w: plan(w, departure=None),
    "The departure has passed: choose a later one.": lambda w: plan(w, departure=NOW),
    "A plan reaches two weeks ahead: choose an earlier departure.": lambda w: plan(
        w, departure=NOW + timedelta(days=14, minutes=1)
    ),
    "Choose the sites of the round.": lambda w: plan(w, site_ids=[]),
    "One of the sites is not known: choose again.": lambda w: plan(w, site_ids=[uuid.uuid4()]),
    "Choose the kit that goes along.": lambda w: plan(w, kit="No such kit"),
    "This way out is no longer there: look at the plan again.": lambda w: way(w, "probe", "nobody,"),
    "Give it a short code.": lambda w: site(w, code=""),
    "Give its name.": lambda w: site(w, name=""),
    "Say what kind of water it is.": lambda w: site(w, water_kind=""),
    "Give the days between visits, a whole number from 1 to 3 650.": lambda w: site(w, visit_every_days=0.5),
    "Another site has this code: choose one that differs.": lambda w: site(w, code="pond"),
    "Known quantities are ph, oxygen": lambda w: site(w, expected={"mud": (1.0, 2.0)}),
    "Give both ends, or leave both empty.": lambda w: site(w, expected={"ph": (6.5, None)}),
    "The lower end must be below the upper.": lambda w: site(w, expected={"ph": (8.5, 8.5)}),
    # People
    "A sign-in name has 2 to 32 small letters, digits, dots or dashes.": lambda w: add(w, login="A"),
    "A name is needed: it stands beside every record.": lambda w: add(w, name=" "),
    "A role is one of technician, supervisor, reader.": lambda w: add(w, role="king"),
    "A password has at least 10 characters.": lambda w: add(w, password="123456789"),
    "Name and password don't fit together: check both and try again.": lambda w: sign_in(w, "wrong"),
    "Too many attempts have failed: wait 1 s, then try again.": lambda w: sign_in(w, "a long password", 5),
    # Limits, instruments, visits, a setting that was wrong
    "Choose the quantity.": lambda w: limit(w, quantity="mud"),
    "Give at least one end.": lambda w: limit(w, low=None, high=None),
    "It must lie above the lower end.": lambda w: limit(w, low=8.0, high=8.0),
    "Say where this limit comes from.": lambda w: limit(w, reason=" "),
    "Choose what kind of instrument it is.": lambda w: instrument(w, kind="spoon"),
    "Say in which kit it travels, or where it stands.": lambda w: instrument(w, kit=""),
    "What it can see must end above where it begins.": lambda w: instrument(w, measures={"ph": TypedMeasures(7, 7)}),
    "Say of at least one quantity what it can see, or how exact it is.": lambda w: instrument(w, measures={}),
    "Not known: tea.": lambda w: instrument(w, measures={"tea": TypedMeasures(1.0)}),
    "Choose the site, or give the sample a name.": lambda w: visit(w, sample=""),
    "There is no such site: choose another.": lambda w: visit(w, sample="", site_id=uuid.uuid4()),
    "Say why it is not read.": lambda w: say(w, skip=True),
    "This quantity is not known.": lambda w: say(w, quantity="tea"),
    "Choose what it was read with.": lambda w: say(w, "probe:tea"),
    "This instrument does not measure it: choose another.": lambda w: say(w, f"instrument:{uuid.uuid4()}"),
    "A probe shows a number: leave < and > to kits and laboratories.": lambda w: say(
        w, f"probe:{w.probe().id}", text="<7"
    ),
    "Say why it is removed; the reading itself stays on record.": lambda w: w.at().visits.remove(
        uuid.uuid4(), uuid.uuid4(), " ", w.person
    ),
    "Say in a word what was done about it, or who was told.": lambda w: w.at().visits.acknowledge(
        uuid.uuid4(), "", w.person
    ),
    "Say how it was found that the setting was wrong.": lambda w: reset(w, " "),
    "It must end after it began.": lambda w: reset(w, "seen", since=NOW),
    "Choose one of: nothing: it was off, ": lambda w: reset(w, "seen", method="tea"),
    "Give the coefficient in percent per °C, above 0 to 10; 1.9 to 2.1 is usual.": lambda w: reset(
        w, "seen", method="linear", coefficient=0.0
    ),
    "The reference is 25 or 20 °C.": lambda w: reset(w, "seen", method="natural-water", reference_c=18.0),
    # Pouring off, pictures
    "Give how many mL were poured off, from 0.1 to": lambda w: pour(w, 0.0),
    "Give the new bottle a number of its own.": lambda w: pour(w, number=" "),
    "stands on the shelf already: choose another.": lambda w: pour(w, number=w.lots["4.01"].lot_number),
    "Give its value at 25 °C, pH.": lambda w: lot(w, nominal=None),
    "It has more than 50 million pixels: take a smaller one.": lambda w: w.at().kit.inspect(
        w.probe().id, uuid.uuid4(), {}, "", w.person, wide(9_000)
    ),
    "Line 2 can't be read: write temperature and value, like 20 1278.": lambda w: lot(w, table="25 7.00\n20 x"),
    "At 25 °C the table has 4.01, the label 7: one is not this lot's.": lambda w: lot(w, table="20 4.00\n25 4.01"),
    # Where it is
    "Choose one of: hPa, ": lambda w: oxygen(w, unit="ell"),
    "Choose what kind of pressure it is.": lambda w: oxygen(w, kind="guessed"),
    "Give the altitude of the place: without it this pressure says nothing of it.": lambda w: oxygen(
        w, kind="sea-level"
    ),
    "Choose its reference electrode: what it shows means nothing without.": lambda w: probe(w, reference=""),
    "Choose one of the list.": lambda w: probe(w, reference="lead"),
    "Choose what was done; a ": lambda w: care(w, care="sung to"),
    # Files
    "The file is not TOML": lambda w: load(w, "[["),
    "'boats' is none of devices": lambda w: load(w, "[[boats]]"),
    "sites 1: code is missing": lambda w: load(w, "[[sites]]\nname = 'x'"),
    "visit_every_days must be a number; 'often' is not.": lambda w: load(
        w, "[[sites]]\ncode='X'\nname='x'\nwater_kind='w'\nvisit_every_days='often'"
    ),
    "sites 1, ph: The lower end must be below the upper.": lambda w: load(
        w, "[[sites]]\ncode='X'\nname='x'\nwater_kind='w'\nvisit_every_days=1\nexpected={ph=[8,7]}"
    ),
    "probes 1, meter 'M': No meter has this label: list it in meters.": lambda w: load(
        w,
        "[[probes]]\nlabel='L'\nserial='S'\nkind='orp'\nreference='ag-agcl-3m'\nkit='K'\nin_service_on=2026-01-01\nmeter='M'",
    ),
}


def count_facts(world: World) -> int:
    with world.database.session() as session:
        return sum(session.scalar(select(func.count()).select_from(model)) or 0 for model in FACTS)


@pytest.mark.parametrize("words", REFUSALS)
def test_is_refused_in_words(world: World, uncalibrated: str, words: str) -> None:
    with pytest.raises(InvalidInput) as refused:
        REFUSALS[words](world)
    assert words.replace("-inf", "−inf was typed") in str(refused.value)
    assert all(sentence for sentence in refused.value.fields.values())
    # A power of ten is no trade's way to write, and a comma before three digits can be read in two ways.
    assert not re.search(r"\de[+-]\d|\d,\d{3}", re.sub(r"'.*?'", "what was typed", str(refused.value)))


def test_what_is_refused_leaves_no_fact(world: World) -> None:
    run_id, before = open_run(world), count_facts(world)
    for reading in ({"signal": None}, {"taken_at": NOW + HOUR}, {"source": "typed-value"}):
        with pytest.raises(InvalidInput):
            record(world, **reading)
    with pytest.raises(InvalidInput):
        world.at().calibrations.sign(run_id, world.person)
    assert count_facts(world) == before


NOWHERE: dict[str, Callable[[World], object]] = {
    "There is no such calibration.": lambda w: w.at().calibrations.view(uuid.uuid4()),
    "This run has no step 'tea'.": lambda w: w.at().calibrations.begin_step(open_run(w), uuid.uuid4(), "tea", w.person),
    "There is no such reading.": lambda w: w.at().readings.view(uuid.uuid4()),
    "There is no such reading to amend.": lambda w: record(
        w, source="device", amends_id=uuid.uuid4(), amend_reason="typo"
    ),
    "There is no such probe.": lambda w: w.at().kit.life(uuid.uuid4()),
    "There is no such entry.": lambda w: w.at().kit.withdraw(uuid.uuid4(), "wrong", w.person),
    "There is no such photo.": lambda w: w.at().kit.photo(uuid.uuid4()),
    "There is no such meter.": lambda w: w.at().meters.view(uuid.uuid4()),
    "There is no such lot.": lambda w: w.at().shelf.view(uuid.uuid4()),
    "There is no such certificate.": lambda w: w.at().shelf.certificate(uuid.uuid4()),
    "There is no such round.": lambda w: w.at().planned.plan(uuid.uuid4()),
    "There is no such site.": lambda w: w.at().states.site(uuid.uuid4()),
    "There is no such visit.": lambda w: w.at().visits.view(uuid.uuid4()),
    "There is no such instrument.": lambda w: w.at().instruments.one(uuid.uuid4()),
    "There is no such reading to remove here.": lambda w: w.at().visits.remove(
        uuid.uuid4(), uuid.uuid4(), "slip", w.person
    ),
    "This probe is not read by a device.": lambda w: w.at().readings.lens(w.probe().id),
    "This meter has no such device.": lambda w: w.at().channels.view(w.meter(), uuid.uuid4()),
}


@pytest.mark.parametrize("words", NOWHERE)
def test_what_is_not_there_is_said(world: World, words: str) -> None:
    with pytest.raises(NotFound) as refused:
        NOWHERE[words](world)
    assert str(refused.value) == words


def test_a_certificate_is_kept_once(world: World) -> None:
    pdf = b"%PDF-1.4 %%EOF"
    world.at().shelf.attach(world.lots["4.01"].id, pdf, world.person)
    with pytest.raises(InvalidInput, match="Its certificate is kept already"):
        world.at().shelf.attach(world.lots["4.01"].id, pdf + b" ", world.person)
    world.at().shelf.attach(world.lots["4.01"].id, pdf, world.person)  # sent again it is kept once


DONE_AT: dict[str, Callable[[World, datetime], object]] = {
    "reading": lambda w, at: record(w, taken_at=at),
    "care": lambda w, at: care(w, at=at),
    "kept": lambda w, at: kept(w, at=at),
    "meter": lambda w, at: w.at().meters.log(w.meter(), uuid.uuid4(), "switched-on", at, "", w.person),
    "visit": lambda w, at: visit(w, begun_at=at),
}


@pytest.mark.parametrize("what", DONE_AT)
@pytest.mark.parametrize(
    ("at", "words"),
    [
        (NOW + 0.1 * HOUR, "This lies in the future: check date and time."),
        (datetime(1990, 1, 1, tzinfo=UTC), "This lies more than ten years back: check date and time."),
    ],
)
def test_nothing_was_done_then(world: World, what: str, at: datetime, words: str) -> None:
    with pytest.raises(InvalidInput, match=re.escape(words)):
        DONE_AT[what](world, at)


@pytest.mark.parametrize("what", DONE_AT)
def test_a_moment_without_an_offset_is_a_mistake_of_ours(world: World, what: str) -> None:
    with pytest.raises(ValueError, match="needs an offset from UTC"):
        DONE_AT[what](world, NOW.replace(tzinfo=None))
