"""The database away, full or busy: a page of its own with what was typed, and a monitor that is told what is wrong."""

from __future__ import annotations

import errno
import json
import re
import socket
import uuid
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from pathlib import Path

import psycopg
import pytest
from flask.testing import FlaskClient
from sqlalchemy import text
from sqlalchemy.orm import Session
from tests.conftest import CLOCK, Urls

from brumel.services import health
from brumel.services.application import Services
from brumel.services.cached.shared import Shared
from brumel.store.database import Database, StoreError, Unreachable
from brumel.web.app import WebSettings, create_app

AWAY = "The database does not answer: is it running? Nothing was recorded."


class Switched(Database):
    """A database that is away while it is said to be."""

    away = False

    @contextmanager
    def session(self, *alone: uuid.UUID) -> Iterator[Session]:
        if self.away:
            raise Unreachable(AWAY)
        with super().session(*alone) as session:
            yield session

    @contextmanager
    def alone(self, within_s: int) -> Iterator[Session]:
        if self.away:
            raise Unreachable(AWAY)
        with super().alone(within_s) as session:
            yield session


@pytest.fixture(scope="module")
def switched(database: Database) -> Iterator[Switched]:
    made = Switched(database.url, pool_size=2)
    yield made
    made.close()


@pytest.fixture
def signed_in(switched: Switched) -> Iterator[FlaskClient]:
    services = Services.over(switched, CLOCK)
    app = create_app(services, WebSettings("test", demo=True))
    app.config["WTF_CSRF_ENABLED"] = False
    with app.test_client() as client:
        client.post("/sign-in/demo", data={"role": "technician"}, base_url="https://localhost")
        assert client.get("/", base_url="https://localhost").status_code == 200
        switched.away = True
        yield client
        switched.away = False


def get(client: FlaskClient, path: str, **more: object) -> tuple[int, str]:
    answer = client.get(path, base_url="https://localhost", **more)  # type: ignore[arg-type]
    return answer.status_code, answer.text


def post(client: FlaskClient, path: str, fields: dict[str, str]) -> tuple[int, str]:
    answer = client.post(path, data=fields, base_url="https://localhost")
    return answer.status_code, answer.text


@pytest.mark.parametrize("path", ["/", "/bench/", "/ledger/readings", "/kit/"])
def test_a_signed_in_person_gets_a_page_that_needs_no_database(signed_in: FlaskClient, path: str) -> None:
    status, page = get(signed_in, path)
    assert status == 503
    assert AWAY in page
    assert f'href="{path}"' in page
    assert "Internal Server Error" not in page


def test_what_was_typed_is_on_the_page_and_makes_one_record_when_it_is_sent_again(
    signed_in: FlaskClient, switched: Switched
) -> None:
    fields = {
        "id": "0b1c6f5e-3a5c-4a52-9d0e-0f6a3f1f2d11", "standard": "ph-buffer", "family": "ph-buffer/technical",
        "nominal": "7.00", "lot_number": "T7 <away> & back", "expires_on": "2026-12-01", "pack": "bottle",
    }  # fmt: skip
    status, page = post(signed_in, "/shelf/new", fields)
    assert status == 503
    assert "Send it again" in page
    kept = dict(re.findall(r'type="hidden" name="([^"]+)" value="([^"]*)"', page))
    assert kept == fields | {"lot_number": "T7 &lt;away&gt; &amp; back"}
    switched.away = False
    for _ in range(2):
        assert post(signed_in, "/shelf/new", fields)[0] == 302
    lots = [e.lot.lot_number for e in Services.over(switched, CLOCK).shelf.entries()]
    assert lots.count("T7 <away> & back") == 1


def test_a_password_is_never_written_back(signed_in: FlaskClient) -> None:
    assert "a secret word" not in post(signed_in, "/sign-in", {"login": "mira", "password": "a secret word"})[1]


def test_programs_are_told_so_in_json(signed_in: FlaskClient) -> None:
    status, told = get(signed_in, "/ledger/readings", headers={"Accept": "application/json"})
    assert (status, json.loads(told)) == (503, {"error": AWAY})


def test_a_process_is_healthy_and_not_ready(signed_in: FlaskClient) -> None:
    assert get(signed_in, "/healthy") == (200, "ok")
    status, told = get(signed_in, "/ready")
    assert status == 503
    assert json.loads(told)["ready"] is False
    assert json.loads(told)["checks"]["database"] == AWAY


def test_a_monitor_is_told_of_lines_that_nobody_reads_and_of_a_full_disk(
    database: Database, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def checks() -> dict[str, str]:
        return {c.name: c.wrong for c in health.Health(database, tmp_path).checks()}

    with database.session() as session:
        session.execute(text("UPDATE device SET url = 'socket://127.0.0.1:1'"))
    url = "socket://127.0.0.1:1"
    assert checks() == {"disk": "", "database": "", "schema": "", "links": "1 line without a link that reads."}
    with database.notifications() as link:
        link.execute("SELECT pg_advisory_lock(hashtextextended(%s, 1))", [url])
        assert checks()["links"] == ""
    monkeypatch.setattr(health, "_LEAST_FREE", 1e18)
    assert checks()["disk"].endswith("MB are free on the disk of the data.")


def test_where_one_user_owns_and_serves_that_is_said(database: Database, tmp_path: Path) -> None:
    looked = health.Health(database, tmp_path)
    assert looked.serves_apart
    (tmp_path / "serve" / "secrets").mkdir(parents=True)
    assert not looked.serves_apart, "who asks here could read them"


def test_a_server_that_takes_no_records_is_not_ready(database: Database, urls: Urls) -> None:
    with psycopg.connect(urls.owner, autocommit=True) as owner:
        owner.execute(f"ALTER DATABASE {urls.name} SET default_transaction_read_only = on")
        try:
            wrong = {c.name: c.wrong for c in health.Health(database).checks()}
            assert wrong["database"] == "The database takes no records now. Nothing was recorded."
        finally:
            owner.execute(f"ALTER DATABASE {urls.name} RESET default_transaction_read_only")
    with database.session() as session:
        assert session.execute(text("SELECT count(*) FROM house_choice WHERE value = 'tried'")).scalar_one() == 0


def test_a_server_that_is_stopped_is_asked_by_one_attempt_for_all_and_waited_for_no_longer_than_agreed() -> None:
    """It takes the connection and says nothing, as one does that was stopped."""
    with socket.create_server(("127.0.0.1", 0)) as server, ThreadPoolExecutor(6) as pool:
        server.settimeout(0.2)
        looked = health.Health(Database(f"postgresql://nobody@127.0.0.1:{server.getsockname()[1]}/none"))
        answers = list(pool.map(lambda _: looked.checks(), range(6)))
        taken = 0
        with suppress(TimeoutError):
            while True:
                server.accept()[0].close()
                taken += 1
    assert {c.wrong for checks in answers for c in checks if c.name == "database"} == {
        "The database does not answer within 2 s."
    }
    assert taken == 1


def test_an_answer_is_shared_while_it_stands_and_a_failure_is_told_to_who_asked() -> None:
    asked: list[int] = []

    def ask() -> int:
        asked.append(1)
        return len(asked)

    lasting, passing = Shared[int](60.0, 60.0), Shared[int](0.0, 60.0)
    assert [lasting.get(ask, -1) for _ in range(3)] == [1, 1, 1]
    assert [passing.get(ask, -1) for _ in range(2)] == [2, 3]
    with pytest.raises(ZeroDivisionError):
        Shared[int](0.0, 60.0).get(lambda: 1 // 0, -1)


@pytest.mark.parametrize(
    ("state", "words", "passes"),
    [
        ("53100", "The disk of the database is full: free some space. Nothing was recorded.", True),
        ("53300", "Too many ask the database at once. Nothing was recorded; try again.", True),
        ("57P01", AWAY, True),
        ("40P01", "Something else was being recorded at the same moment: send it again.", False),
        ("22003", "A value does not fit into its record: check what was typed.", False),
    ],
)
def test_an_error_is_called_what_it_is_by_its_sqlstate(
    database: Database, state: str, words: str, passes: bool
) -> None:  # fmt: skip
    raised = text(f"DO $$ BEGIN RAISE EXCEPTION 'raw words' USING ERRCODE = '{state}'; END $$")
    with pytest.raises(StoreError) as refused, database.session() as session:
        session.execute(raised)
    assert refused.value.for_people == words
    assert refused.value.unreachable is passes


def test_a_pool_that_is_used_up_says_so(database: Database) -> None:
    narrow = Database(database.url, pool_size=1)
    narrow.engine.pool._max_overflow, narrow.engine.pool._timeout = 0, 0.01  # type: ignore[attr-defined]
    with narrow.session() as held:
        held.execute(text("SELECT 1"))
        with pytest.raises(Unreachable, match="Too many ask the database at once"), narrow.session() as second:
            second.execute(text("SELECT 1"))
    narrow.close()


def test_a_full_disk_of_the_server_itself_is_said(switched: Switched, monkeypatch: pytest.MonkeyPatch) -> None:
    """Where a large body is put aside, before any database: what was typed comes back to be sent again."""
    app = create_app(Services.over(switched, CLOCK), WebSettings("full", demo=True))

    def full(*_: object) -> object:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setitem(app.view_functions, "healthy", full)
    answer = app.test_client().get("/healthy", base_url="https://localhost")
    assert answer.status_code == 503
    assert "The disk of this server is full: free some space." in answer.text
