"""All services over one database, wired once."""

from __future__ import annotations

from dataclasses import dataclass

from brumel.services.calibrations import Calibrations
from brumel.services.catalog import Catalog
from brumel.services.clock import Clock
from brumel.services.ledger import Ledger
from brumel.services.live import LiveHub
from brumel.services.people import People
from brumel.services.readings import Readings
from brumel.services.rounds import Rounds
from brumel.services.simulation import Simulation
from brumel.services.today import Today
from brumel.store.database import Database


@dataclass(frozen=True)
class Services:
    """What screens and commands call."""

    clock: Clock
    people: People
    catalog: Catalog
    calibrations: Calibrations
    readings: Readings
    rounds: Rounds
    today: Today
    ledger: Ledger
    live: LiveHub
    simulation: Simulation

    @classmethod
    def over(cls, database: Database, clock: Clock) -> Services:
        """Wire the services."""
        return cls(
            clock=clock,
            people=People(database),
            catalog=Catalog(database, clock),
            calibrations=Calibrations(database, clock),
            readings=Readings(database, clock),
            rounds=Rounds(database),
            today=Today(database, clock),
            ledger=Ledger(database, clock),
            live=LiveHub(database),
            simulation=Simulation(database),
        )
