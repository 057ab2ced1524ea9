"""Tables that only the owner reads and writes: secrets, stays, invitations, attempts to sign in."""

from __future__ import annotations

import uuid
from datetime import datetime

from sqlalchemy import BigInteger, ForeignKey, Identity, Index, func, text
from sqlalchemy.orm import Mapped, mapped_column

from brumel.store.models.base import Base


class PersonSecret(Base):
    """A person is known by it when they sign in. Only the owner reads and writes it.

    The web hashes what was typed with salt and costs (argon2id); the owner's function compares its SHA-256.
    """

    __tablename__ = "person_secret"

    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"), primary_key=True)
    salt: Mapped[bytes]
    time_cost: Mapped[int]
    memory_cost: Mapped[int]
    parallelism: Mapped[int]
    hash: Mapped[bytes]


class HouseSecret(Base):
    """From what the salts of names that nobody has are made, so that they stay the same. Only the owner reads it."""

    __tablename__ = "house_secret"

    secret: Mapped[bytes] = mapped_column(primary_key=True)


class Invitation(Base):
    """By what the first person comes in: the hash of a key that was shown once. Only the owner reads and writes it."""

    __tablename__ = "invitation"

    key_hash: Mapped[str] = mapped_column(primary_key=True)
    expires_at: Mapped[datetime]


class LoginAttempt(Base):
    """An attempt to sign in, by which sign-in is throttled."""

    __tablename__ = "login_attempt"
    __table_args__ = (
        Index("ix_login_attempt_login_at", "login", "at"),
        Index("ix_login_attempt_address_at", "address", "at"),
    )

    id: Mapped[int] = mapped_column(BigInteger, Identity(), primary_key=True)
    login: Mapped[str]
    address: Mapped[str]
    at: Mapped[datetime] = mapped_column(server_default=func.now())
    succeeded: Mapped[bool]
    browser: Mapped[str] = mapped_column(server_default=text("''"))
    """The browser that it came from, where somebody signed in by this name from it before."""
    came_from: Mapped[str] = mapped_column(server_default=text("''"))
    """The browser that a success came from, by which it is known from then on."""


class SignIn(Base):
    """A stay: somebody is signed in, until they sign out or its time is over. Only the owner reads and writes it.

    Its key is known to whoever holds it alone: here stands its hash.
    """

    __tablename__ = "signed_in"
    __table_args__ = (Index("ix_signed_in_person_id", "person_id"),)

    key_hash: Mapped[str] = mapped_column(primary_key=True)
    person_id: Mapped[uuid.UUID] = mapped_column(ForeignKey("person.id"))
    begun_at: Mapped[datetime] = mapped_column(server_default=func.now())
    ends_at: Mapped[datetime]
    task: Mapped[str] = mapped_column(server_default=text("''"))
    """What it is good for, where it was given for a command."""
