"""Who is signed in, as the session knows them."""

from __future__ import annotations

from flask_login import UserMixin

from brumel.services.people import Person, can_record, supervises


class SignedIn(UserMixin):
    """A person as the session knows them, by the key of their signing in."""

    def __init__(self, person: Person, key: str) -> None:
        self.person, self.key = person, key

    @property
    def can_record(self) -> bool:
        """True where they record and do not only see."""
        return can_record(self.person)

    @property
    def supervises(self) -> bool:
        """True where they set limits, withdraw and change people."""
        return supervises(self.person)

    def get_id(self) -> str:
        """Return what the session keeps."""
        return self.key
