"""Finding probes, meters, lots and sites by what is typed or scanned."""

from __future__ import annotations

import re
import uuid
from dataclasses import dataclass

from brumel.services.shelf.bottles import label_of
from brumel.store.database import Database
from brumel.store.queries import care as care_queries
from brumel.store.queries import reference as queries
from brumel.store.queries import shelf as shelf_queries

_ID = re.compile(r"[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}", re.IGNORECASE)


@dataclass(frozen=True)
class Hit:
    """Something that fits."""

    kind: str
    record_id: uuid.UUID
    title: str
    words: str


@dataclass(frozen=True)
class Search:
    """The use case behind the search field."""

    database: Database

    def hits(self, typed: str) -> list[Hit]:
        """What fits a text: an address with an id in it, or a part of a label, number or name; exact fits first."""
        with self.database.session() as session:
            hits = [
                *(Hit("probe", p.id, p.label, f"{p.kind}, {p.serial}") for p in queries.probes(session, retired=True)),
                *(
                    Hit("meter", m.id, m.label, f"meter, {m.serial}")
                    for m in care_queries.meters(session, retired=True)
                ),
                *(Hit("lot", x.id, x.lot_number, label_of(x)) for x in shelf_queries.lots(session)),
                *(Hit("site", s.id, s.name, f"{s.code}, {s.water_kind}") for s in queries.sites(session, retired=True)),
            ]
        if match := _ID.search(typed):
            return [h for h in hits if h.record_id == uuid.UUID(match[0])]
        wanted = typed.strip().lower()
        exact = [h for h in hits if wanted in {h.title.lower(), *h.words.lower().split(", ")}]
        return exact or [h for h in hits if wanted in f"{h.title} {h.words}".lower()]
