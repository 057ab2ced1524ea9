"""What hangs on another reading, on a method, on the end of what an instrument can see: said once, and alike."""

from __future__ import annotations

import uuid

import pytest

from brumel.core.place.station_pressure import Pressure
from brumel.core.words.catalogue import word
from brumel.services.application import Services
from brumel.services.errors import InvalidInput
from brumel.services.kit.instruments import NewInstrument, TypedMeasures
from brumel.services.visits.filling import TypedIn
from brumel.store.database import Database
from brumel.store.models.reference import Person
from tests.said import sentence
from tests.services.demonstrated import person, services, template
from tests.services.visited import opened, probe, read, save

_ = person, services, template


def said(services: Services, visit: uuid.UUID) -> tuple[str, str, str]:
    """How free chlorine stands to its limit, and that limit, on the visit and at its row."""
    view = services.visits.view(visit)
    (free,) = read(view, "free-chlorine")
    row = next(r for r in view.rows if r.about.key == "free-chlorine")
    assert row.limit is not None
    assert str(word(row.limit.said)) in free.limits[0]["sentence"]
    return free.keeps, str(word(row.limit.said)), services.readings.view(free.id).reading.keeps


def test_a_limit_that_hangs_on_stabiliser_is_one_limit(services: Services, person: Person, photometer: str) -> None:
    """It was "2.00 to 4.00" at the row and "within its limits" at the number, and Today was silent."""
    visit = opened(services, person, "POOL")
    save(services, person, visit, {"free-chlorine": ("1.50", photometer), "stabiliser": ("30", photometer)})
    assert said(services, visit) == ("beyond", "2.00 to 4.00 mg/L", "beyond")
    assert any("1.50" in step.title + step.why for step in services.today.day().steps)
    (stabiliser,) = read(services.visits.view(visit), "stabiliser")
    services.visits.amend(stabiliser.id, TypedIn(uuid.uuid4(), "stabiliser", "0", "", photometer), "none in it", person)
    assert said(services, visit) == ("within", "1.00 to 4.00 mg/L", "within")
    (stabiliser,) = read(services.visits.view(visit), "stabiliser")
    services.visits.amend(stabiliser.id, TypedIn(uuid.uuid4(), "stabiliser", "40", "", photometer), "again", person)
    assert said(services, visit)[0] == "beyond"
    (stabiliser,) = read(services.visits.view(visit), "stabiliser")
    services.visits.remove(stabiliser.id, uuid.uuid4(), "another pool's", person)
    assert said(services, visit)[0] == "within"


def test_stabiliser_that_is_read_later_judges_again_what_was_read_before(
    services: Services, person: Person, photometer: str
) -> None:
    visit = opened(services, person, "POOL")
    save(services, person, visit, {"free-chlorine": ("1.50", photometer), "total-chlorine": ("1.60", photometer)})
    assert said(services, visit)[0] == "within"
    view = save(services, person, visit, {"stabiliser": ("30", photometer)})
    assert said(services, visit)[0] == "beyond"
    (free,) = read(view, "free-chlorine")
    assert free.amend_reason == "what its limit hangs on was read or amended"
    # What rests on it rests on the reading that stands.
    (combined,) = read(view, "combined-chlorine")
    assert free.id in {b.id for b in services.readings.view(combined.id).bases}


def drops(services: Services, person: Person, gives: str, label: str) -> str:
    new = NewInstrument(
        uuid.uuid4(), label, "test kit", "Kit A",
        measures={"ammonium-n": TypedMeasures(0.02, 10.0, "±0.02, ±5 % of reading", gives)},
    )  # fmt: skip
    return f"instrument:{services.instruments.save(new, person)}"


# Molar masses (IUPAC 2021): NH3 17.031, NH4 18.039, N 14.007.
@pytest.mark.parametrize(
    ("gives", "quantity", "value"),
    [
        ("total-n", "total-ammonia-n", 0.45),
        ("total-nh3", "total-ammonia-n", 0.45 * 14.007 / 17.031),
        ("total-nh4", "total-ammonia-n", 0.45 * 14.007 / 18.039),
        ("ion-n", "ammonium-n", 0.45),
        ("ion-nh4", "ammonium-n", 0.45 * 14.007 / 18.039),
    ],
)
def test_what_a_method_gives_is_what_is_kept(
    services: Services, person: Person, gives: str, quantity: str, value: float
) -> None:
    """Total ammonia from a photometer was taken for ammonium: 0.45 became 0.51."""
    visit = opened(services, person, "SHRIMP")
    kit = drops(services, person, gives, f"D {gives}")
    values = {"temperature": ("28", ""), "ph": ("8.2", ""), "ammonium-n": ("0.45", kit)}
    view = save(services, person, visit, values)
    (given,) = read(view, quantity)
    assert given.value == pytest.approx(value, rel=1e-4)
    # ±0.02 and 5 % of it, as the leaflet has them, in the unit that is kept.
    assert given.u == pytest.approx((0.02 + 0.05 * 0.45) * value / 0.45 / 3**0.5, rel=1e-3)
    (total,) = read(view, "total-ammonia-n")
    assert (total.value == pytest.approx(value, rel=1e-4)) == (quantity == "total-ammonia-n")
    assert len(read(view, "unionized-ammonia-n")) == 1
    assert not any(q.key == "ammonium-n" for q in view.left)
    assert ("total ammonia" in given.typed_as) == (gives in ("total-n", "total-nh3", "total-nh4"))
    services.visits.amend(given.id, TypedIn(uuid.uuid4(), given.quantity, "0.90", "", kit), "misread", person)
    (amended,) = read(services.visits.view(visit), quantity)
    assert amended.value == pytest.approx(2 * value, rel=1e-4)


def test_what_a_method_gives_is_asked_and_never_guessed(services: Services, person: Person, database: Database) -> None:
    with pytest.raises(InvalidInput, match="Methods differ in what they give") as wrong:
        drops(services, person, "", "D unsaid")
    assert list(wrong.value.fields) == ["gives-ammonium-n"]
    kit = drops(services, person, "total-n", "D before")
    with database.session() as session:
        from brumel.store.models.reference import Instrument

        stands = session.get_one(Instrument, uuid.UUID(kit.partition(":")[2]))
        stands.measures = {"ammonium-n": {"low": 0.02, "high": 10.0, "accuracy": {}}}
    visit = opened(services, person, "SHRIMP")
    with pytest.raises(InvalidInput, match="Say first on the page of D before what its method gives: total ammonia or"):
        save(services, person, visit, {"ammonium-n": ("0.45", kit)})


def test_a_tip_sees_the_ion_only(services: Services, person: Person) -> None:
    visit = opened(services, person, "REED")
    values = {"temperature": ("18", ""), "ph": ("7.5", ""), "specific-conductance": ("640", "")}
    view = save(services, person, visit, values | {"ammonium-n": ("12.0", probe(services, "B-NH4"))})
    assert read(view, "ammonium-n")[0].value == 12.0
    assert read(view, "total-ammonia-n")[0].value > 12.0


def test_what_was_typed_keeps_its_digits(services: Services, person: Person) -> None:
    """ "<0.02" NTU was shown "<0.0"."""
    visit = opened(services, person, sample="A jar")
    view = save(services, person, visit, {"turbidity": ("<0.02", ""), "temperature": ("19.25", ""), "ph": ("7.4", "")})
    assert [r.words for r in view.readings if r.quantity != "depth"] == [
        "t 19.25 °C", "turbidity <0.02 NTU", "pH 7.40",
    ]  # fmt: skip
    assert "<0.02 NTU as typed" in str(read(view, "turbidity")[0].working)


@pytest.mark.parametrize(
    ("tan", "ph", "side"), [("<0.02", "8.2", "<"), (">10", "8.2", ">"), ("<0.02", "<7.0", "<"), ("<0.02", ">8.2", None)]
)
def test_what_follows_from_a_bound_is_a_bound(
    services: Services, person: Person, tan: str, ph: str, side: str | None
) -> None:
    """Un-ionised ammonia of "<0.02" vanished without a word."""
    visit = opened(services, person, "SHRIMP")
    values = {"temperature": ("28", ""), "ph": (ph, ""), "total-ammonia-n": (tan, "")}
    view = save(services, person, visit, values)
    found = read(view, "unionized-ammonia-n")
    assert [r.qualifier for r in found] == ([side] if side else [])
    why = [sentence(m) for m in view.missing if m.quantity == "unionized-ammonia-n"]
    assert bool(why) == (side is None)
    if side is None:
        assert why == [
            "Un-ionised ammonia as N: TAN <0.02 mg/L and pH >8.20 don't say on which side it lies; measure one of them "
            "in its range."
        ]
    if side == "<":
        assert found[0].keeps == "within"
        assert found[0].words.startswith("NH₃-N <0.00")


def test_combined_chlorine_of_bounds(services: Services, person: Person) -> None:
    """Total below what can be seen bounds it from above, free below what can be seen from below."""
    for free, total, side in (("1.0", "<1.2", "<"), ("<0.1", "1.2", ">"), ("<0.1", "<1.2", None)):
        visit = opened(services, person, "POOL")
        found = read(
            save(services, person, visit, {"free-chlorine": (free, ""), "total-chlorine": (total, "")}),
            "combined-chlorine",
        )
        assert [r.qualifier for r in found] == ([side] if side else [])


def test_oxygen_in_two_readings_that_contradict_each_other(services: Services, person: Person) -> None:
    """6.2 mg/L (78 %) and 96 % stood side by side: what follows from one hid what was read of the other."""
    visit = opened(services, person, "REED")
    oxygen = probe(services, "B-DO")
    values = {"temperature": ("25.0", ""), "oxygen": ("6.2", oxygen)}
    air = {"pressure": Pressure(1012.0), "pressure_id": uuid.uuid4()}
    view = save(services, person, visit, values, **air)
    assert not any(f.code == "together-oxygen" for f in view.findings)
    view = save(services, person, visit, {"oxygen-saturation": ("96", "")})
    (found,) = [f for f in view.findings if f.code == "together-oxygen"]
    assert "6.20 mg/L was given, and 96.0 % of saturation makes it" in sentence(found)


def test_what_was_corrected_of_a_shown_value_stands_beside_it(services: Services, person: Person) -> None:
    """Typed 6.20, shown 5.62, without a word. PSS: salinity 18 at 25 °C takes 10 % off (Benson & Krause)."""
    visit = opened(services, person, "SHRIMP")
    values = {"temperature": ("25.0", ""), "salinity": ("18", ""), "oxygen": ("6.20", probe(services, "B-DO"))}
    air = {"pressure": Pressure(1012.0), "pressure_id": uuid.uuid4()}
    view = save(services, person, visit, values, **air)
    (found,) = read(view, "oxygen")
    assert found.value == pytest.approx(6.2 * 0.902, rel=0.01)
    assert view.correction_of(found) == "as shown 6.20 mg/L; salinity 18 takes off 9.7 %"
    assert view.correction_of(read(view, "salinity")[0]) == ""
