"""Series in blocks: kept and read back, of exactly one thing, guarded, and as earlier versions kept their traces."""

from __future__ import annotations

import uuid
from datetime import UTC, datetime
from typing import Any

import numpy as np
import psycopg
import pytest
from psycopg.rows import dict_row
from sqlalchemy import select
from tests.conftest import CLOCK, Urls
from tests.store.refused import CHECK, state_of

from brumel.core.numbers.series import Series
from brumel.launch.cluster import APPLICATION
from brumel.store import schema
from brumel.store.add_fact import add_new
from brumel.store.database import Database
from brumel.store.models.reading import Reading
from brumel.store.models.series import SeriesBlock
from brumel.store.series_blocks import block_rows, former_rows, series_of
from brumel.store.validity import faults

LONG = Series.of(np.arange(2500) / 5, np.sin(np.arange(2500)), temperature_c=np.full(2500, 21.5))


@pytest.fixture(scope="module")
def template(demonstrated: str) -> str:
    return demonstrated


@pytest.fixture(scope="module")
def reading_id(database: Database, urls: Urls) -> uuid.UUID:
    """A reading with a long trace; only the owner can put one to a reading that stands."""
    owner = Database(urls.owner, pool_size=1)
    with owner.session() as session:
        reading = session.scalars(select(Reading).where(Reading.signal.is_not(None)).limit(1)).one()
        add_new(session, SeriesBlock, block_rows(LONG, reading.taken_at, reading.signal_unit, reading_id=reading.id))
        found = reading.id
    owner.close()
    return found


def blocks(urls: Urls) -> list[dict[str, Any]]:
    with psycopg.connect(urls.owner, row_factory=dict_row) as connection:
        return connection.execute("SELECT * FROM series_block ORDER BY id").fetchall()


def test_a_long_series_is_kept_in_blocks_and_read_back_whole(database: Database, reading_id: uuid.UUID) -> None:
    with database.session() as session:
        query = select(SeriesBlock).where(SeriesBlock.reading_id == reading_id).order_by(SeriesBlock.number)
        kept = session.scalars(query).all()
        assert [len(b.times_s) for b in kept] == [1000, 1000, 500]
        assert [(b.last_at - b.first_at).total_seconds() for b in kept] == pytest.approx([199.8, 199.8, 99.8])
        back = series_of(kept)
    assert back.times_s.tolist() == LONG.times_s.tolist()
    assert back.values.tolist() == LONG.values.tolist()
    assert back.temperature_c.tolist() == LONG.temperature_c.tolist()


NEW = (
    "INSERT INTO series_block (id, point_id, reading_id, number, first_at, last_at, unit, times_s, samples, "
    "temperature_c) SELECT gen_random_uuid(), {point}, {reading}, 9, now(), now(), 'mV', {times}, {samples}, NULL "
    "FROM calibration_point p, reading r LIMIT 1"
)
ONE = {"point": "p.id", "reading": "NULL", "times": "ARRAY[0.0::float8]", "samples": "ARRAY[1.0::float8]"}


@pytest.mark.parametrize(
    "wrong",
    [
        {"reading": "r.id"}, {"point": "NULL"}, {"samples": "ARRAY[1.0, 2.0]"}, {"samples": "ARRAY[]::float8[]"},
        {"times": "ARRAY[]::float8[]", "samples": "ARRAY[]::float8[]"},
        {"times": "array_fill(0.0::float8, ARRAY[1001])", "samples": "array_fill(0.0::float8, ARRAY[1001])"},
    ],
)  # fmt: skip
def test_a_block_is_of_exactly_one_thing_and_whole(urls: Urls, wrong: dict[str, str]) -> None:
    assert state_of(urls.owner, NEW.format(**ONE)) is None
    assert state_of(urls.owner, NEW.format(**ONE | wrong)) == CHECK


@pytest.mark.parametrize("of", [{}, {"point": "NULL", "reading": "r.id"}])
def test_nothing_is_added_to_a_point_or_reading_that_stands(urls: Urls, of: dict[str, str]) -> None:
    assert state_of(urls.application, NEW.format(**ONE | of)) == "BR001"


def test_the_model_of_the_record_says_what_is_wrong() -> None:
    (row,) = block_rows(LONG[:3], CLOCK.now(), "mV", point_id=uuid.uuid4())
    assert list(faults(SeriesBlock, row, whole_row=True)) == []
    assert "of one length" in " ".join(faults(SeriesBlock, row | {"samples": [1.0]}))
    assert "exactly one of point_id, reading_id" in " ".join(faults(SeriesBlock, row | {"reading_id": uuid.uuid4()}))


def test_an_installation_of_the_version_before_keeps_every_trace(urls: Urls, reading_id: uuid.UUID) -> None:
    before = blocks(urls)
    schema.downgrade(urls.owner, "0024")
    with psycopg.connect(urls.owner, row_factory=dict_row) as connection:
        (old,) = connection.execute("SELECT * FROM reading_trace WHERE reading_id = %s", [reading_id]).fetchall()
        guards = connection.execute("SELECT tgname FROM pg_trigger WHERE tgrelid = 'reading_trace'::regclass")
        assert {"reading_trace_kept", "reading_trace_hangs"} <= {g["tgname"] for g in guards}
    assert old["signal"] == LONG.values.tolist()
    schema.upgrade(urls.owner, APPLICATION)
    assert blocks(urls) == before
    assert len(before) > 100


@pytest.mark.parametrize(
    ("spoilt", "error"),
    [({"signal": [1.0]}, ValueError), ({"times_s": "x"}, ValueError), ({"temperature_c": None}, ValueError)],
)
def test_what_is_no_trace_of_an_earlier_version_is_refused(spoilt: dict[str, Any], error: type[Exception]) -> None:
    point = uuid.uuid4()
    trace = {"point_id": point, "times_s": [0.0, 1.0], "signal": [1.0, 2.0], "temperature_c": [20.0, 20.0]}
    of = {"taken_at": "2026-01-01T12:00:00+00:00", "signal_unit": "mV"}
    (row,) = former_rows("calibration_trace", trace, of)
    assert (row["point_id"], row["first_at"]) == (point, datetime(2026, 1, 1, 11, 59, 59, tzinfo=UTC))
    with pytest.raises(error):
        former_rows("calibration_trace", trace | spoilt, of)
