"""The shelf on the real database: received, opened, used, run out, discarded, ordered; and found from anywhere."""

from __future__ import annotations

import uuid
from dataclasses import replace
from datetime import date, timedelta
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brumel.core.findings import Level, verdict
from brumel.core.kit.shelf import LotFacts, judge_lot, lasts_until, standards
from brumel.core.place.conditions import Conditions
from brumel.core.standards.targets import target
from brumel.services.calibrating.rows import Begin
from brumel.services.errors import InvalidInput, NotFound
from brumel.services.kit.meters import NewMeter
from brumel.services.planning.rounds import NewRound
from brumel.services.shelf import lot_words
from brumel.services.shelf.typed_lot import Correction, NewLot
from tests.conftest import NOW
from tests.said import sentence
from tests.services.world import THREE, World

TODAY = NOW.date()


def new(number: str, **given_: object) -> NewLot:
    usual = {
        "standard": "conductivity",
        "family": "kcl",
        "nominal": 1413.0,
        "expires_on": TODAY + timedelta(days=200),
        "content": 500.0,
    }
    return NewLot(uuid.uuid4(), lot_number=number, **usual | given_)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("facts", "codes"),
    [
        (LotFacts(TODAY, None, 90, None), ["expires-soon"]),
        (LotFacts(TODAY - timedelta(days=1), None, 90, None), ["lot-expired"]),
        (LotFacts(date(2027, 1, 1), TODAY - timedelta(days=90), 90, 100.0), []),
        (LotFacts(date(2027, 1, 1), TODAY - timedelta(days=91), 90, 100.0), ["lot-open-too-long"]),
        (LotFacts(date(2027, 1, 1), None, 90, 30.0 - 1), ["empty"]),
        (LotFacts(date(2027, 1, 1), None, 90, 30.0, TODAY), ["discarded"]),
    ],
)
def test_what_speaks_against_a_lot(facts: LotFacts, codes: list[str]) -> None:
    assert [f.code for f in judge_lot(facts, TODAY)] == codes


@given(st.integers(-400, 400), st.integers(0, 400), st.integers(1, 400))
def test_a_lot_serves_exactly_until_it_says(expires: int, opened: int, life: int) -> None:
    facts = LotFacts(TODAY + timedelta(days=expires), TODAY - timedelta(days=opened), life, None)
    for shift in (-1, 0, 1):
        day = facts.good_until + timedelta(days=shift)
        if facts.opened_on is not None and day >= facts.opened_on:
            assert (verdict(judge_lot(facts, day)) is Level.UNFIT) == (shift > 0)


@pytest.mark.parametrize(("left", "words"), [(-40.0, "0 mL left"), (0.0, "0 mL left"), (12.4, "12 mL left")])
def test_what_was_logged_beyond_a_bottle_s_content_leaves_none(left: float, words: str) -> None:
    facts = LotFacts(TODAY + timedelta(days=200), TODAY, 90, left)
    assert [sentence(f) for f in judge_lot(facts, TODAY)] == [f"{words}: too little for one point."]


def test_a_lots_life(world: World) -> None:
    shelf, lot = world.at().shelf, new("C-1")
    assert shelf.receive(lot, world.person) == shelf.receive(lot, world.person)
    record = uuid.uuid4()
    for _ in range(2):
        shelf.open(lot.lot_id, uuid.uuid4(), world.person)
        shelf.use(lot.lot_id, record, 480.0, "a spill", world.person)
    view = shelf.view(lot.lot_id)
    assert [r.event for r in view.records] == ["received", "opened", "used"]
    assert view.entry.facts.left == 20.0
    assert view.entry.level is Level.UNFIT
    assert any("conductivity standard 1413" in w.what for w in world.at().outlook.shopping())
    with pytest.raises(InvalidInput, match="its record stays"):
        shelf.discard(lot.lot_id, uuid.uuid4(), "", world.person)
    shelf.discard(lot.lot_id, uuid.uuid4(), "empty", world.person)
    assert lot.lot_id not in {e.lot.id for e in shelf.entries()}
    assert lot.lot_id in {e.lot.id for e in shelf.entries(discarded=True)}


def test_calibration_points_count_what_they_take_and_a_discarded_buffer_is_not_offered(world: World) -> None:
    shelf = world.at().shelf
    lot = new("T7-NEW", standard="ph-buffer", family="technical", nominal=7.0)
    shelf.receive(lot, world.person)
    world.lots["fresh"] = shelf.view(lot.lot_id).entry.lot
    run_id = world.begin(world.probe(), {"neutral": "fresh"})
    world.take(run_id, "neutral")
    view = shelf.view(lot.lot_id)
    assert view.entry.facts.left == 500.0 - 30.0
    assert [r.id for r in view.runs] == [run_id]
    offered = world.at().calibrations.choices(world.probe().id).lots
    assert lot.lot_id in {c.lot.id for choices in offered.values() for c in choices}
    shelf.discard(lot.lot_id, uuid.uuid4(), "contaminated", world.person)
    offered = world.at().calibrations.choices(world.probe().id).lots
    assert lot.lot_id not in {c.lot.id for choices in offered.values() for c in choices}
    assert world.at().calibrations.view(run_id).step("neutral").lot.id == lot.lot_id


@pytest.mark.parametrize(
    ("wrong", "field"),
    [
        ({"lot_number": " "}, "lot_number"),
        ({"lot_number": "7.00"}, "lot_number"),
        ({"standard": "gold"}, "standard"),
        ({"nominal": None}, "nominal"),
        ({"expires_on": None}, "expires_on"),
        ({"expires_on": TODAY - timedelta(days=2), "received_on": TODAY - timedelta(days=1)}, "expires_on"),
        ({"received_on": TODAY + timedelta(days=1)}, "received_on"),
        ({"content": -5.0}, "content"),
        ({"open_life_days": 0.0}, "open_life_days"),
        ({"certificate_u": 0.0}, "certificate_u"),
        ({"standard": "ph-buffer", "nominal": 7.0}, "family"),
        ({"standard": "ph-buffer", "nominal": 17.0, "family": "technical"}, "nominal"),
    ],
)
def test_what_cannot_be_received_is_said_in_its_field(world: World, wrong: dict[str, object], field: str) -> None:
    lot = new(str(wrong.pop("lot_number", "X-1")), **wrong)
    with pytest.raises(InvalidInput) as refused:
        world.at().shelf.receive(lot, world.person)
    assert field in refused.value.fields


def test_a_negative_amount_is_refused(world: World) -> None:
    with pytest.raises(InvalidInput, match="how many mL"):
        world.at().shelf.use(world.lots["7.00"].id, uuid.uuid4(), -3.0, "", world.person)


def test_what_is_left_can_be_taken_to_the_last_tenth(world: World) -> None:
    """100.3 less 100.2 is a little below 0.1 as the machine has it."""
    shelf, lot = world.at().shelf, new("C-3", content=100.3)
    shelf.receive(lot, world.person)
    shelf.use(lot.lot_id, uuid.uuid4(), 100.2, "", world.person)
    with pytest.raises(InvalidInput, match=r"Only 0\.1 mL are left"):
        shelf.use(lot.lot_id, uuid.uuid4(), 0.2, "", world.person)
    shelf.use(lot.lot_id, uuid.uuid4(), 0.1, "", world.person)
    assert shelf.view(lot.lot_id).entry.facts.left == 0.0


def test_everything_is_found_by_its_label_or_by_a_code(world: World) -> None:
    probe, search = world.probe(), world.at().search
    assert [h.record_id for h in search.hits(probe.label.lower())] == [probe.id]
    assert [h.record_id for h in search.hits(probe.serial)] == [probe.id]
    meter = NewMeter(uuid.uuid4(), "M-77", "S-77", "Kit", TODAY, takes=["orp"])
    world.at().meters.save(meter, world.person)
    assert [h.record_id for h in search.hits("s-77")] == [meter.meter_id]
    lot = world.lots["10.01"]
    assert [h.record_id for h in search.hits(f"https://somewhere/shelf/lots/{lot.id}")] == [lot.id]
    assert [h.title for h in search.hits("pon")] == ["Pond"]
    assert search.hits("no such thing") == []


def test_every_standard_has_an_open_life() -> None:
    assert all(s.open_life_days > 0 for s in standards().values())


@settings(max_examples=60)
@given(
    st.lists(st.tuples(st.integers(0, 400), st.integers(1, 90), st.integers(0, 900)), min_size=1, max_size=4),
    st.floats(0.1, 60.0),
)
def test_more_use_never_makes_the_shelf_last_longer(lots: list[tuple[int, int, int]], daily: float) -> None:
    facts = [LotFacts(TODAY + timedelta(days=e), TODAY, life, float(left)) for e, life, left in lots]
    end = lasts_until(facts, daily, TODAY)
    assert TODAY <= end <= max(max(f.good_until for f in facts), TODAY)
    assert lasts_until(facts, 2 * daily, TODAY) <= end
    assert (end - TODAY).days * daily <= sum(f.left or 0.0 for f in facts) + daily


def test_sachets_are_counted_one_by_one_and_need_no_opening(world: World) -> None:
    shelf = world.at().shelf
    lot = new("S4-01", standard="ph-buffer", family="technical", nominal=4.01, pack="sachets", content=20.0)
    shelf.receive(lot, world.person)
    world.lots["sachet"] = shelf.view(lot.lot_id).entry.lot
    run_id = world.begin(world.probe(), {"acid": "sachet"})
    world.take(run_id, "acid")
    world.take(run_id, "acid")  # the repeat took another one
    entry = shelf.view(lot.lot_id).entry
    assert (entry.facts.left, entry.facts.unit) == (18.0, "sachets")
    with pytest.raises(InvalidInput, match="whole number"):
        shelf.use(lot.lot_id, uuid.uuid4(), 0.5, "", world.person)
    with pytest.raises(InvalidInput, match="whole number"):
        shelf.receive(new("S4-02", pack="sachets", content=2.5), world.person)


def test_a_rinse_with_the_buffer_takes_more_of_it(world: World) -> None:
    services = world.at()
    lot = new("T7-RINSE", standard="ph-buffer", family="technical", nominal=7.0)
    services.shelf.receive(lot, world.person)
    by_role = {"neutral": lot.lot_id, "acid": world.lots["4.01"].id, "alkaline": world.lots["10.01"].id}
    begin = Begin(uuid.uuid4(), world.probe().id, THREE, "deionised-and-buffer", by_role)
    world.take(services.calibrations.begin(begin, world.person), "neutral")
    assert services.shelf.view(lot.lot_id).entry.facts.left == 500.0 - 1.5 * 30.0


def test_a_certificate_is_kept_once_and_is_a_pdf_or_a_picture(world: World) -> None:
    shelf, lot_id = world.at().shelf, world.lots["10.01"].id
    for data in (b"", b"MZ\x90 no document", b"%PDF-1.7 cut off"):
        with pytest.raises(InvalidInput, match="neither a PDF nor a picture"):
            shelf.attach(lot_id, data, world.person)
    assert not shelf.view(lot_id).certified
    shelf.attach(lot_id, b"%PDF-1.7\n...\n%%EOF\n", world.person)
    assert shelf.view(lot_id).certified
    assert shelf.certificate(lot_id).media_type == "application/pdf"
    with pytest.raises(InvalidInput, match="kept already"):
        shelf.attach(lot_id, b"%PDF-1.7\n another \n%%EOF\n", world.person)


def test_what_the_rounds_planned_lack_is_on_the_shopping_list(world: World) -> None:
    services = world.at()
    site = world.water("Brine", specific_conductance=(60_000, 75_000))
    world.other_probe("conductivity-10", kit="Brine kit")
    wanted = NewRound(uuid.uuid4(), NOW + timedelta(days=1), "Brine kit", "distilled-once", [site])
    services.planned.save(wanted, world.person)
    line = next(w for w in services.outlook.shopping() if "80" in w.what)
    assert "take 30 mL; there is none" in line.why
    lot = new("C80", nominal=80_000.0, content=40.0)
    services.shelf.receive(lot, world.person)
    assert not any("there is none" in w.why for w in services.outlook.shopping())
    services.shelf.use(lot.lot_id, uuid.uuid4(), 9.0, "", world.person)
    again = NewRound(uuid.uuid4(), NOW + timedelta(days=2), "Brine kit", "distilled-once", [site])
    services.planned.save(again, world.person)
    assert any("take 60 mL; 31 mL are left" in w.why for w in services.outlook.shopping())
    services.planned.drop(again.round_id, world.person)
    assert not any("take 60 mL" in w.why for w in services.outlook.shopping())


def test_a_lot_has_its_own_table_and_it_comes_first(world: World) -> None:
    """As printed on the bottle, with a decimal comma here and a tab there."""
    table = "15\t7,05\n\n20; 7.03\n25 7.01\n"
    key = uuid.uuid4()
    made = NewLot(key, "ph-buffer", "OWN-1", "technical", 7.0, expires_on=date(2027, 1, 1), table=table)
    world.at().shelf.receive(made, world.person)
    lot = world.at().shelf.view(key).entry.lot
    assert lot.value_table == [[15.0, 7.05], [20.0, 7.03], [25.0, 7.01]]
    assert target(lot_words.bottle(lot), Conditions(20.0)).value == pytest.approx(7.03)
    with pytest.raises(InvalidInput, match="at least two temperatures, rising") as refused:
        world.at().shelf.receive(replace(made, lot_id=uuid.uuid4(), lot_number="OWN-2", table="25 7.01"), world.person)
    assert set(refused.value.fields) == {"table"}


def test_the_family_of_a_buffer_has_its_values_or_the_bottle_its_own_table(world: World) -> None:
    shelf = world.at().shelf
    with pytest.raises(InvalidInput) as refused:
        shelf.receive(new("P7-1", standard="ph-buffer", family="primary", nominal=7.0), world.person)
    assert refused.value.fields["nominal"].startswith("This family has 4.005, 6.865, 9.18, 10.012: choose another")
    own = new("P7-2", standard="ph-buffer", family="primary", nominal=7.0, table="20 7.02\n25 7.00")
    shelf.receive(own, world.person)
    near = new("P4-1", standard="ph-buffer", family="technical", nominal=4.01)
    shelf.receive(near, world.person)


@pytest.mark.parametrize(("k", "u"), [(2.0, 5.0), (1.0, 10.0)])
def test_a_certificate_says_which_uncertainty_it_states(world: World, k: float, u: float) -> None:
    shelf = world.at().shelf
    lot = new(f"K-{k:g}", certificate_u=10.0, certificate_k=k)
    shelf.receive(lot, world.person)
    assert shelf.view(lot.lot_id).entry.lot.certificate_u == u


def test_an_uncertainty_of_unknown_coverage_is_asked_about(world: World) -> None:
    for k in (None, 3.0):
        with pytest.raises(InvalidInput) as refused:
            world.at().shelf.receive(new("K-0", certificate_u=10.0, certificate_k=k), world.person)
        assert "most print U (k = 2)" in refused.value.fields["certificate_k"]
    world.at().shelf.receive(new("K-none", certificate_k=None), world.person)  # nothing to ask about


def mended(world: World, lot_id: uuid.UUID, **given: Any) -> Correction:
    lot = world.at().shelf.view(lot_id).entry.lot
    stands = Correction(
        uuid.uuid4(), lot.lot_number, lot.received_on, lot.expires_on, lot.opened_on, lot.open_life_days, lot.content,
        "typed wrongly", lot.version,
    )  # fmt: skip
    return replace(stands, **given)


def test_what_was_typed_wrongly_of_a_lot_is_corrected_and_the_log_says_what(world: World) -> None:
    shelf = world.at().shelf
    lot = new("WRONG-1", expires_on=TODAY + timedelta(days=40))
    shelf.receive(lot, world.person)
    right = mended(world, lot.lot_id, expires_on=TODAY + timedelta(days=400), lot_number="RIGHT-1")
    shelf.correct(lot.lot_id, right, world.person)
    shelf.correct(lot.lot_id, right, world.person)  # sent twice
    view = shelf.view(lot.lot_id)
    assert (view.entry.lot.lot_number, view.entry.lot.expires_on) == ("RIGHT-1", TODAY + timedelta(days=400))
    (entry,) = [r for r in view.records if r.event == "corrected"]
    assert entry.note.startswith("lot number: WRONG-1 → RIGHT-1; expires: ")
    assert entry.note.endswith(". typed wrongly")


@pytest.mark.parametrize(
    ("given", "field", "words"),
    [
        ({"lot_number": " "}, "lot_number", "Give the lot number"),
        ({"lot_number": "7.00"}, "lot_number", "give another number"),
        ({"lot_number": "SAME-1"}, "lot_number", "Nothing was changed"),
        ({"received_on": None}, "received_on", "not one to come"),
        ({"expires_on": TODAY - timedelta(days=3000)}, "expires_on", "not before it was received"),
        ({"opened_on": TODAY + timedelta(days=1)}, "opened_on", "on a day to come"),
        ({"open_life_days": 0.0}, "open_life_days", "1 to 3 650"),
        ({"content": 0.0}, "content", "from 0.1 to"),
        ({"reason": " ", "content": 7.0}, "correction", "what was wrong"),
        ({"content": 7.0, "version": 99}, "version", "Somebody changed it meanwhile"),
    ],
)
def test_a_correction_that_cant_be(world: World, given: dict[str, Any], field: str, words: str) -> None:
    shelf = world.at().shelf
    known = next((e.lot.id for e in shelf.entries() if e.lot.lot_number == "SAME-1"), None)
    if known is None:
        known = shelf.receive(new("SAME-1"), world.person)
    with pytest.raises(InvalidInput) as refused:
        shelf.correct(known, mended(world, known, **given), world.person)
    assert words in refused.value.fields[field]


def test_an_entry_of_use_that_was_wrong_is_withdrawn_and_is_there_again(world: World) -> None:
    shelf = world.at().shelf
    lot_id = shelf.receive(new("USED-1", content=500.0), world.person)
    record = uuid.uuid4()
    shelf.use(lot_id, record, 200.0, "", world.person)
    with pytest.raises(InvalidInput, match="why the entry was wrong"):
        shelf.withdraw(record, " ", world.person)
    for _ in range(2):
        shelf.withdraw(record, "the other bottle", world.person)
    view = shelf.view(lot_id)
    assert view.entry.facts.left == 500.0
    assert [(r.event, r.amount) for r in view.records] == [("received", None), ("used", 200.0), ("withdrawn", -200.0)]
    with pytest.raises(NotFound):
        shelf.withdraw(view.records[0].id, "not of use", world.person)
