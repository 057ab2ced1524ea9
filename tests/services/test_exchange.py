"""Readings out as one file and in elsewhere: the same facts, to the digit, with all that stands behind them."""

from __future__ import annotations

import csv
import io
import json
import re
import uuid
from collections.abc import Iterator
from typing import Any

import pytest
from PIL import Image
from sqlalchemy import func, select

from brumel.launch.cluster import APPLICATION, OWNER, Cluster
from brumel.services.acts import acts_as
from brumel.services.application import Services
from brumel.services.errors import InvalidInput
from brumel.services.ledger.exchange import Exchange
from brumel.services.ledger.records import Filter
from brumel.store.database import Database
from brumel.store.models.reading import Reading
from brumel.store.models.reference import Instrument, Lot, Person, Probe, Site
from tests.acting import as_said, minted
from tests.conftest import CLOCK, copy_database


@pytest.fixture(scope="module")
def template(demonstrated: str) -> str:
    return demonstrated


@pytest.fixture(scope="module")
def elsewhere(cluster: Cluster, migrated: str, database: Database) -> Iterator[Database]:
    """A database that knows the same people, probes, lots and sites, under keys of its own."""
    name = f"t{uuid.uuid4().hex[:12]}"
    copy_database(cluster, migrated, name)
    made = as_said(Database(cluster.url(APPLICATION, name), pool_size=1), cluster.url(OWNER, name))
    with database.session() as here, made.session() as there:
        for model in (Person, Probe, Instrument, Lot, Site):
            for row in here.scalars(select(model)):
                columns = {c.key: getattr(row, c.key) for c in model.__table__.columns}
                of_here = {"meter_id", "device_id", "bottle_id"} & {*columns}
                there.add(model(**columns | {"id": uuid.uuid4()} | dict.fromkeys(of_here)))
    yield made
    made.close()


@pytest.fixture(scope="module")
def pond(database: Database) -> str:
    """The shrimp pond's readings of the last weeks, amended and worked out ones among them, and a photo."""
    services = Services.over(database, CLOCK)
    site = next(s for s in services.states.sites() if s.code == "SHRIMP")
    picture = io.BytesIO()
    Image.new("RGB", (8, 6), "teal").save(picture, "JPEG")
    with database.session() as session:
        person = session.query(Person).filter_by(role="technician").first()
    visit = services.visits.at_site(site.id)[0][0]
    services.visits.photograph(visit.id, uuid.uuid4(), picture.getvalue(), "the aerator", person)
    since = (CLOCK.now().date()).replace(day=1)
    return services.ledger.readings_json(Filter(site_id=site.id, since=since, with_amended=True))


def exported(database: Database) -> dict[str, Any]:
    found = Services.over(database, CLOCK).ledger.readings_json(Filter(with_amended=True))
    return dict(json.loads(found))


def test_there_and_back_nothing_is_lost(elsewhere: Database, pond: str) -> None:
    added = Exchange(elsewhere, CLOCK).take_in(pond)
    sent, back = json.loads(pond), exported(elsewhere)
    assert added["reading"] == len(sent["records"]["reading"]) > 20
    assert added["reading_basis"] > 0
    assert added["calibration_point"] > added["calibration_run"] > 0
    assert added["visit_photo"] == 1
    for name, rows in sent["records"].items():
        assert sorted(map(str, back["records"][name])) == sorted(map(str, rows)), name
    known = {r["reading_id"]: r for r in back["readings"]}
    assert all(known[r["reading_id"]] == r for r in sent["readings"])
    # Sent again, it adds nothing; taken in again where it came from, neither.
    count = len(known)
    Exchange(elsewhere, CLOCK).take_in(pond)
    assert len(exported(elsewhere)["readings"]) == count


def test_what_stands_is_not_changed(elsewhere: Database, pond: str) -> None:
    Exchange(elsewhere, CLOCK).take_in(pond)
    other = json.loads(pond)
    other["records"]["reading"][0]["value"] += 0.01
    with pytest.raises(InvalidInput, match="1 of reading say something else here: what stands is not changed"):
        Exchange(elsewhere, CLOCK).take_in(json.dumps(other))


def test_a_file_of_an_earlier_version_is_taken_in(elsewhere: Database, pond: str) -> None:
    """It says nothing of what was added since: no instrument stood beside a point, and there were no photos."""
    earlier = json.loads(pond)
    del earlier["records"]["visit_photo"], earlier["records"]["calibration_entry"]
    for point in earlier["records"]["calibration_point"]:
        del point["instrument_id"]
    assert Exchange(elsewhere, CLOCK).take_in(json.dumps(earlier))["calibration_point"] > 0


def test_a_file_of_a_version_without_keys_says_the_same_as_what_stands_with_them(
    elsewhere: Database, pond: str
) -> None:
    Exchange(elsewhere, CLOCK).take_in(pond)
    earlier = json.loads(pond)
    for name in ("reading_finding", "calibration_finding", "reading", "calibration_point"):
        for row in earlier["records"][name]:
            for key in ("said", "settling_said", "deviations_said", "working_said"):
                row.pop(key, None)
            for contribution in row.get("budget", ()):
                contribution.pop("key"), contribution.pop("of", None)
    blocks = earlier["records"].pop("series_block")
    earlier["records"]["calibration_trace"] = [
        {
            "point_id": b["point_id"],
            "times_s": b["times_s"],
            "signal": b["samples"],
            "temperature_c": b["temperature_c"],
        }
        for b in blocks
    ]
    count = len(exported(elsewhere)["readings"])
    assert Exchange(elsewhere, CLOCK).take_in(json.dumps(earlier))["series_block"] == len(blocks) > 0
    assert len(exported(elsewhere)["readings"]) == count
    earlier["records"]["reading_finding"][0]["sentence"] += " Or so."
    with pytest.raises(InvalidInput, match="say something else here"):
        Exchange(elsewhere, CLOCK).take_in(json.dumps(earlier))
    earlier["records"]["calibration_trace"][0]["signal"] = "none"
    with pytest.raises(InvalidInput, match="calibration_trace, row 1: it is no trace of a row of calibration_point"):
        Exchange(elsewhere, CLOCK).take_in(json.dumps(earlier))


def test_who_took_it_in_stands_beside_who_read_it(cluster: Cluster, elsewhere: Database, pond: str) -> None:
    """As a file of an earlier version says ``recorded_at``, too: when it was recorded here is known better."""
    earlier = json.loads(pond)
    for row in earlier["records"]["reading"]:
        row["id"], row["recorded_at"], row["amends_id"] = str(uuid.uuid4()), "2001-01-01T00:00:00+00:00", None
    for name in ("reading_basis", "reading_finding", "series_block", "acknowledgement"):
        earlier["records"][name] = []
    with elsewhere.session() as session:
        oskar = session.query(Person).filter_by(login="oskar").one()
    key = minted(cluster.url(OWNER, str(elsewhere.engine.url.database)), oskar.id)
    with acts_as(key, elsewhere=True):
        Exchange(elsewhere, CLOCK).take_in(json.dumps(earlier))
    view = Services.over(elsewhere, CLOCK).readings.view(uuid.UUID(earlier["records"]["reading"][0]["id"]))
    assert (view.reading.person.login, view.taken_in_by) == ("mira", "Oskar Weir")
    assert view.reading.recorded_at.year > 2001


def changed(pond: str, **new: Any) -> str:
    return json.dumps(json.loads(pond) | new)


def test_what_can_not_be_read_is_named_and_adds_nothing(database: Database, elsewhere: Database, pond: str) -> None:
    rows = json.loads(pond)["records"]
    fresh = rows["reading"][-1] | {"id": str(uuid.uuid4())}
    cases = {
        "The file is not JSON": "{",
        'The file is no "brumel-readings" of version 1: export readings as JSON.': changed(pond, version=2),
        "records must be an object of lists of rows; it may hold calibration_run": changed(pond, records=[1]),
        "it may hold": changed(pond, records={"person": []}),
        "Not known here: person nobody": changed(pond, records={"reading": [fresh | {"person_id": ["nobody"]}]}),
        # However long a name is, the refusal is a sentence.
        f"Not known here: person {'x' * 52}…. Enter them": changed(
            pond, records={"reading": [fresh | {"person_id": ["x" * 5_000]}]}
        ),
        "records.reading, row 1: value is missing.": changed(
            pond, records={"reading": [{k: v for k, v in fresh.items() if k != "value"}]}
        ),
        "records.reading, row 1: value must be a number; 'warm' is not.": changed(
            pond, records={"reading": [fresh | {"value": "warm"}]}
        ),
        "taken_at must be a time with its offset from UTC; ": changed(
            pond, records={"reading": [fresh | {"taken_at": "2026-05-04T09:00:00"}]}
        ),
    }
    with elsewhere.session() as session:
        before = session.scalar(select(func.count()).select_from(Reading))
    for words, text in cases.items():
        with pytest.raises(InvalidInput) as refused:
            Exchange(elsewhere, CLOCK).take_in(text)
        assert words in refused.value.fields["file"]
    with elsewhere.session() as session:
        assert session.scalar(select(func.count()).select_from(Reading)) == before


def test_what_would_not_be_taken_from_a_form_is_not_taken_from_a_file(elsewhere: Database, pond: str) -> None:
    fresh = json.loads(pond)["records"]["reading"][-1] | {"id": str(uuid.uuid4())}
    for wrong, words in (({"source": "dreamt"}, "source must be one of device"), ({"note": "x" * 5_000}, "up to 4000")):
        with pytest.raises(InvalidInput, match=f"^records.reading, row 1: .*{words}"):
            Exchange(elsewhere, CLOCK).take_in(changed(pond, records={"reading": [fresh | wrong]}))


@pytest.mark.parametrize(
    ("value", "words"),
    [
        (1e308, "records.reading[1].value is too large to be meant"),
        (1e15, "records.reading, row 1: value is too large to be meant"),
        (float("nan"), "NaN is no number."),
        (99.0, "records.reading, row 1: value: pH must be"),
        (-40, "records.reading, row 1: value: pH must be"),
    ],
)
def test_a_value_that_can_not_be_is_named_with_its_row(
    database: Database, elsewhere: Database, pond: str, value: float, words: str
) -> None:
    file = json.loads(pond)
    file["records"]["reading"] = [r for r in file["records"]["reading"] if r["quantity"] == "ph"][:1]
    file["records"]["reading"][0]["value"] = value
    with pytest.raises(InvalidInput, match=re.escape(words)):
        Exchange(elsewhere, CLOCK).take_in(json.dumps(file))


def test_a_number_far_out_is_found_wherever_it_stands(elsewhere: Database, pond: str) -> None:
    file = json.loads(pond)
    file["records"]["reading"][0]["budget"] = [{"name": "x", "u": 1e300}]
    with pytest.raises(InvalidInput, match=r"records.reading\[1\].budget\[1\].u is too large"):
        Exchange(elsewhere, CLOCK).take_in(json.dumps(file))
    file["records"]["reading"][0] |= {"budget": [], "quantity": "mood"}
    with pytest.raises(InvalidInput, match="row 1: quantity is no quantity that is known"):
        Exchange(elsewhere, CLOCK).take_in(json.dumps(file))


def test_values_are_exported_in_the_units_that_were_chosen(database: Database) -> None:
    ledger = Services.over(database, CLOCK).ledger
    kept, own = (
        {row["reading_id"]: row for row in csv.DictReader(io.StringIO("".join(ledger.readings_csv(*given))))}
        for given in ((Filter(),), (Filter(), {"µS/cm": "mS/cm", "°C": "°F"}))
    )
    for key, row in kept.items():
        there = own[key]
        factor = {"µS/cm": 0.001, "°C": 1.8}.get(row["unit"], 1.0)
        assert there["unit"] == {"µS/cm": "mS/cm", "°C": "°F"}.get(row["unit"], row["unit"])
        offset = 32.0 if row["unit"] == "°C" else 0.0
        assert float(there["value"]) == pytest.approx(float(row["value"]) * factor + offset, abs=2e-4)
        assert float(there["expanded_u"]) == pytest.approx(float(row["expanded_u"]) * factor, abs=2e-4)
        assert {k: v for k, v in there.items() if k not in ("value", "u", "expanded_u", "unit")} == {
            k: v for k, v in row.items() if k not in ("value", "u", "expanded_u", "unit")
        }


def test_what_only_the_database_can_tell_is_said_with_its_row(elsewhere: Database, pond: str) -> None:
    """It points to what stands nowhere; the rows before it, which could stand, are not kept either."""
    fresh = json.loads(pond)["records"]["reading"][-1] | {"amends_id": None, "amend_reason": None}
    rows = [fresh | {"id": str(uuid.uuid4())} for _ in range(3)]
    rows[1]["visit_id"] = str(uuid.uuid4())
    words = "records.reading, row 2: It can't stand here: It points to something that is not there"
    with pytest.raises(InvalidInput, match=words):
        Exchange(elsewhere, CLOCK).take_in(changed(pond, records={"reading": rows}))
    with elsewhere.session() as session:
        assert session.get(Reading, uuid.UUID(rows[0]["id"])) is None
