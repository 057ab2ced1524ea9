"""What a house chose for its runs to begin with, where a probe has no run of its own yet."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from brumel.services.acts import act
from brumel.services.errors import InvalidInput
from brumel.services.house.rules import in_force
from brumel.services.people import Person, may_record
from brumel.store.database import Database
from brumel.store.models.reference import HouseChoice

_RINSE, _METHOD = "rinse", "method of "


@dataclass(frozen=True)
class House:
    """Use cases around what a house chose."""

    database: Database

    @act()
    def choose(self, rinse: str, methods: Mapping[str, str], person: Person) -> None:
        """Keep the rinse, and by principle the procedure, that runs begin with.

        Raises
        ------
        InvalidInput
            For what there is not: ``rinse``, ``method-PRINCIPLE``.
        """
        may_record(person)
        wrong = {} if rinse in in_force().rinses else {"rinse": "Choose how you rinse between solutions."}
        for principle, code in methods.items():
            if code not in {m.code for m in in_force().procedures_of(principle)}:
                wrong[f"method-{principle}"] = "Choose a procedure for these probes."
        if wrong:
            raise InvalidInput(wrong)
        chosen = {_RINSE: rinse, **{_METHOD + p: code for p, code in methods.items()}}
        with self.database.session() as session:
            for key, value in chosen.items():
                session.merge(HouseChoice(key=key, value=value))


def begins_with(session: Session, principle: str) -> dict[str, str]:
    """Return the house's choices for a run of a principle, by field of its form."""
    kept = {row.key: row.value for row in session.scalars(select(HouseChoice))}
    found = {"rinse": kept.get(_RINSE, ""), "method": kept.get(_METHOD + principle, "")}
    return {name: value for name, value in found.items() if value}
