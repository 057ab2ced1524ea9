"""Requests that no page of ours sends, made from a seed, and what must hold of every answer and of what is stored."""

from __future__ import annotations

import io
import json
import random
import re
import uuid
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field
from urllib.parse import quote, urlencode

from flask import Flask
from flask.testing import FlaskClient
from psycopg import sql
from tests.web.screens import BASE, enter, token
from tests.web.walking import Field, walk

from brumel.core.typed import TEXT_MOST
from brumel.store.database import Database

NUMBERS = (
    "1e308", "-1e308", "5e-324", "-0", "1e999", "NaN", "inf", "1_000", "１２", "0x10", "²", "9" * 400, "1e-400",
    "12,880", "--1", "0", "-1", "1e15", "999999", "٣", "1e5", "3.5", " 7 ", "+7", "7e", "1e+2",
)  # fmt: skip
TIMES = (
    "1990-01-01T00:00", "0001-01-01T00:00", "9999-12-31T23:59:59.999999", "2026-05-06T08:00+14:00", "2026-W01-1",
    "20260506", "2026-13-45", "2099-12-31T23:59", "2026-05-06T24:00", "1990-01-01", "2100-12-31", "9999-12-31",
    "2026-05-06T08:00Z", "now", "2026-02-30", "0001-01-01",
)  # fmt: skip
TEXTS = (
    "\0a", "<script>alert(1)</script>", "\u202eabc", "x" * 5_000, "y" * 400_000, "\U0001f4a7" * 300, "a\r\nb: c",
    "'; DROP TABLE person;--", "{{7*7}}", "%s%n", "../../etc/passwd", "\x1b[31m", "=1+1", "//evil.example", "\ufeff",
    "", "https://evil.example/", "\\\\evil.example",
)  # fmt: skip
KEYS = ("00000000-0000-0000-0000-000000000000", "²", "9" * 30, "x", "urn:uuid:12345678123456781234567812345678", "-1")
METHODS = ("GET", "POST", "HEAD", "PUT", "DELETE", "OPTIONS", "PATCH")
QUERIES = ("page", "after", "days", "from", "to", "visit", "site", "run", "step", "probe", "q", "have", "want", "lot",
           "dip", "beaker", "status", "kit", "standard", "minutes", "care", "at", "next", "units", "kind")  # fmt: skip
PLAIN = {
    "number": "7.2",
    "date": "2026-05-05",
    "datetime-local": "2026-05-06T08:00",
    "textarea": "a note",
}
FILES = (b"", b"%PDF-1.4 nothing", b"\xff\xd8\xff\xe0 not a picture", b"GIF89a\xff\xff\xff\xff" + bytes(40),
         b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR\x7f\xff\xff\xff\x7f\xff\xff\xff\x08\x02\0\0\0" + bytes(40))  # fmt: skip
BODIES = ('{"rows": 1e999}', "[[[[", "{}", "[]", "null", '{"calc": []}', '{"rows": [{"t": NaN}]}', '"\\ud800"',
          "[" * 5_000)  # fmt: skip
_INSIDE = re.compile(r"\b(?:ck|uq|fk|pk|ix)_[a-z]+_|contradicts the rule|Traceback|psycopg|sqlalchemy", re.IGNORECASE)
SENTENCE = re.compile(r"[A-Za-z][a-z].{8,}")
USUAL = {
    "nominal": "1413", "content": "500", "certificate_u": "7", "open_life_days": "90", "factor": "0.5",
    "visit_every_days": "7", "battery_hours": "100", "memory_records": "500", "altitude_m": "12", "amount": "5",
    "temperature_c": "20", "signal": "10", "shown": "7", "at": "", "low": "6", "high": "8", "poured": "20",
    "pressure": "1010", "reference": "7.1", "before": "7", "after": "7", "received_on": "2026-05-01",
    "expires_on": "2027-05-01", "in_service_on": "2026-01-05", "departure": "2026-05-07T08:00", "spot_depth": "0.5",
}  # fmt: skip
"""What somebody would type into a field of this name."""


@dataclass(frozen=True)
class Shot:
    """One request."""

    method: str
    path: str
    fields: tuple[tuple[str, str], ...] = ()
    file: tuple[str, bytes] | None = None
    body: str | None = None
    host: str = "localhost"

    def __str__(self) -> str:
        """Short enough for a line."""
        odd = {n: v[:40] for n, v in self.fields if n != "csrf_token"}
        return f"{self.method} {self.path[:120]} {odd} {(self.body or '')[:40]} {self.host}"[:700]


@dataclass
class Hostile:
    """Makes requests from a seed, out of an application's own routes and forms."""

    app: Flask
    client: FlaskClient
    chance: random.Random
    forms: dict[tuple[str, str], list[Field]] = field(default_factory=dict)
    keys: list[str] = field(default_factory=list)
    statuses: Counter[int] = field(default_factory=Counter)
    token: str = ""

    @classmethod
    def over(cls, app: Flask, client: FlaskClient, seed: int) -> Hostile:
        """Walk through the application first, as who is signed in."""
        seen, forms = walk(client)
        words = " ".join([*seen, *(v for fields in forms.values() for _, _, v in fields)])
        keys = sorted(set(re.findall(r"[0-9a-f]{8}-[0-9a-f-]{27}", words)))
        token = next(v for fields in forms.values() for n, _, v in fields if n == "csrf_token")
        return cls(app, client, random.Random(seed), forms, keys, token=token)

    def shots(self, count: int) -> Iterator[Shot]:
        """So many requests."""
        for _ in range(count):
            yield self._form() if self.chance.random() < 0.7 else self._address()

    def _form(self) -> Shot:
        """A form of a page, filled in as somebody would, but for one, two or all fields."""
        (path, method), fields = self.chance.choice(list(self.forms.items()))
        odd = self.chance.choice((1, 1, 1, 2, 2, len(fields)))
        wrong = set(self.chance.sample(range(len(fields)), min(odd, len(fields))))
        file = next(((n, self.chance.choice(FILES)) for n, kind, _ in fields if kind == "file"), None)
        sent = []
        for number, (name, kind, value) in enumerate(fields):
            if kind == "file" or (kind in ("checkbox", "radio", "button") and self.chance.random() < 0.5):
                continue
            if name == "csrf_token":
                sent.append((name, self.token))
            elif number in wrong:
                sent.extend((name, self._odd(kind, name)) for _ in range(self.chance.choice((1, 1, 1, 2))))
            elif name == "id" or name.endswith("-id"):
                sent.append((name, str(uuid.UUID(int=self.chance.getrandbits(128)))))
            else:
                usual = USUAL.get(name, PLAIN.get(kind, f"word {self.chance.getrandbits(20)}"))
                sent.append((name, value or (usual if self.chance.random() < 0.7 else "")))
        if self.chance.random() < 0.1:
            path = re.sub(r"[0-9a-f]{8}-[0-9a-f-]{27}", lambda _: self._key(), path)
        return Shot(method.upper(), path, tuple(sent), file)

    def _odd(self, kind: str, name: str) -> str:
        likely = {
            "number": NUMBERS,
            "date": TIMES,
            "datetime-local": TIMES,
            "textarea": TEXTS,
        }.get(kind)
        if name == "id" or kind in ("hidden", "select"):
            likely = (self._key(), *KEYS)
        if likely is None or self.chance.random() < 0.3:
            likely = self.chance.choice((NUMBERS, TIMES, TEXTS, (self._key(),)))
        return self.chance.choice(likely)

    def _key(self) -> str:
        return self.chance.choice(self.keys) if self.chance.random() < 0.8 else self.chance.choice(KEYS)

    def _address(self) -> Shot:
        """A route with odd parts, by any method, with odd questions."""
        rule = self.chance.choice(list(self.app.url_map.iter_rules()))
        path = re.sub(r"<(?:any\(([^)]*)\):|[a-z]+:)?[a-z_]+>", lambda m: self._part(m[1]), rule.rule)
        query = [
            (name, self.chance.choice((*NUMBERS, *TIMES, *TEXTS[:4], self._key())))
            for name in self.chance.sample(QUERIES, self.chance.choice((0, 1, 2, 4, 12)))
        ]
        method = self.chance.choice(METHODS) if self.chance.random() < 0.4 else "GET"
        body = self.chance.choice(BODIES) if method != "GET" and self.chance.random() < 0.5 else None
        host = self.chance.choice(("localhost",) * 12 + ("evil.example", "localhost:99999", "[::1", ""))
        if query:
            path += "?" + urlencode(query)
        fields = () if body else (("csrf_token", self.token),)
        return Shot(method, path, fields, body=body, host=host)

    def _part(self, words: str | None) -> str:
        if words and self.chance.random() < 0.8:
            return self.chance.choice([w.strip() for w in words.split(",")])
        return quote(self._key() if self.chance.random() < 0.8 else self.chance.choice((*KEYS, "a b", "x" * 300)))

    def send(self, shot: Shot) -> str | None:
        """Send it; what is wrong with the answer, or None."""
        data: dict[str, list[object]] = {}
        for name, value in shot.fields:
            data.setdefault(name, []).append(value)
        if shot.file is not None:
            data[shot.file[0]] = [(io.BytesIO(shot.file[1]), "a.jpg")]
        path, given = shot.path, {"data": data}
        if shot.method == "GET":
            path, given = path + ("&" if "?" in path else "?") + urlencode(shot.fields), {}
        elif shot.body is not None:
            given = {"data": shot.body, "content_type": "application/json"}
        headers = {"Referer": BASE + "/", "Host": shot.host, "X-CSRFToken": self.token}
        answer = self.client.open(
            path,
            method=shot.method,
            base_url=BASE,
            headers=headers,
            buffered=False,
            **given,  # type: ignore[arg-type]
        )
        try:
            return self._wrong(shot, answer.status_code, answer.headers.get("Location", ""), answer)
        finally:
            answer.close()

    def _wrong(self, shot: Shot, status: int, to: str, answer: object) -> str | None:
        self.statuses[status] += 1
        if shot.path.startswith("/ready"):
            return None  # 503 is what it is for
        if status >= 500:
            return f"answers {status}"
        if to and not re.match(rf"(?:/(?!/)|{re.escape(BASE)}/)", to):
            return f"leads to {to[:80]}"
        if getattr(answer, "mimetype", "") == "text/event-stream" or shot.method == "HEAD":
            return None
        text = answer.get_data(as_text=True)  # type: ignore[attr-defined]
        if found := _INSIDE.search(text):
            return f"names {found[0]!r}"
        if status >= 400 and not SENTENCE.search(re.sub(r"<[^>]*>", "", text)):
            return f"answers {status} without a sentence: {text[:60]!r}"
        return None


def attack(
    app: Flask, database: Database, seed: int, count: int, role: str = "supervisor"
) -> tuple[Counter[int], list[str]]:
    """Send so many hostile requests; how many got which answer, and every answer and row that is wrong."""
    with app.test_client() as client:
        enter(client, role)
        hostile, wrong = Hostile.over(app, client, seed), list[str]()
        for shot in hostile.shots(count):
            if (why := hostile.send(shot)) is not None:
                wrong.append(f"{why}: {shot}")
            if "sign-out" in shot.path or "sign-in" in shot.path:
                enter(client, role)
                hostile.token = token(client)
    return hostile.statuses, wrong + unsound(database) + unsound_files(app, role)


def unsound_files(app: Flask, role: str) -> list[str]:
    """What is not finite in any file that goes out."""
    wrong = []
    with app.test_client() as client:
        enter(client, role)
        for name in ("calibrations.csv", "calibrations.json", "calibrations.jsonl", "readings.csv", "readings.json"):
            text = client.get(f"/ledger/{name}", base_url=BASE).text
            if name.endswith("json"):
                json.loads(text, parse_constant=lambda c, name=name: wrong.append(f"{name}: {c}"))
            elif found := re.search(r"(?<![\w.])[-+]?(?:nan|inf(?:inity)?)(?![\w.])", text, re.IGNORECASE):
                wrong.append(f"{name}: {text[max(found.start() - 60, 0) : found.end() + 20]!r}")
    return wrong


_FAR, _NEAR = 1e9, 1e-9
_LOOKS = {
    "double precision": "SELECT 'is ' || {c} FROM {t} WHERE abs({c}) > {far} OR (abs({c}) < {near} AND {c} <> 0)",
    "timestamp with time zone": "SELECT 'is ' || {c} FROM {t} WHERE extract(year FROM {c}) NOT BETWEEN 1990 AND 2100",
    "text": "SELECT 'has ' || char_length({c}) || ' characters' FROM {t} WHERE char_length({c}) > {most}",
}
"""What is wrong with a column of a type; not a number and infinity are beyond every number to PostgreSQL."""


def unsound(database: Database) -> list[str]:
    """Rows that no form of ours would have made: numbers far out, times of no trade, long texts, contradictions."""
    wrong = []
    with database.notifications() as connection:
        columns = connection.execute(
            "SELECT table_name, column_name, data_type FROM information_schema.columns WHERE table_schema = 'public'"
        ).fetchall()
        for table, column, kind in columns:
            name = sql.Identifier(column)
            if (looks := _LOOKS.get(kind)) is not None:
                found = sql.SQL(looks).format(c=name, t=sql.Identifier(table), far=_FAR, near=_NEAR, most=TEXT_MOST)
                wrong += [f"{table}.{column} {words}" for (words,) in connection.execute(found).fetchmany(3)]
            elif kind == "jsonb":
                found = sql.SQL("SELECT DISTINCT {c} FROM {t} WHERE {c} IS NOT NULL").format(
                    c=name, t=sql.Identifier(table)
                )
                for (value,) in connection.execute(found):
                    wrong += [f"{table}.{column} holds {far}" for far in _far(value)]
        for words, query in CONTRADICTIONS.items():
            wrong += [f"{words}: {row}" for row in connection.execute(query).fetchmany(3)]
    return wrong


def _far(value: object) -> Iterator[object]:
    """Numbers far out and texts too long in a value of JSON."""
    if isinstance(value, dict):
        for inner in value.values():
            yield from _far(inner)
    elif isinstance(value, list):
        for inner in value:
            yield from _far(inner)
    elif isinstance(value, int | float) and not abs(value) <= _FAR:  # PostgreSQL gives 1e300 as a whole number
        yield value
    elif isinstance(value, str) and len(value) > TEXT_MOST:
        yield f"{len(value)} characters"


CONTRADICTIONS = {
    "a lot opened twice": "SELECT lot_id FROM lot_record WHERE event = 'opened' GROUP BY lot_id HAVING count(*) > 1",
    "a lot discarded twice": "SELECT lot_id FROM lot_record WHERE event = 'discarded' GROUP BY lot_id "
    "HAVING count(*) > 1",
    "used after it was discarded": "SELECT u.id FROM lot_record u JOIN lot_record d USING (lot_id) "
    "WHERE u.event = 'used' AND d.event = 'discarded' AND u.at > d.at",
    "more used than there was": "SELECT lot.id FROM lot JOIN lot_record r ON r.lot_id = lot.id AND r.event = 'used' "
    "GROUP BY lot.id HAVING sum(r.amount) > lot.content",
    "a run that is signed and given up": "SELECT run_id FROM calibration_signature "
    "JOIN calibration_abandonment USING (run_id)",
    "a point after its signature": "SELECT p.id FROM calibration_point p JOIN calibration_signature s USING (run_id) "
    "WHERE p.taken_at > s.signed_at",
    "a reading amended twice": "SELECT amends_id FROM reading WHERE amends_id IS NOT NULL GROUP BY amends_id "
    "HAVING count(*) > 1",
}
"""What no sequence of requests, nor two at once, may leave behind."""
