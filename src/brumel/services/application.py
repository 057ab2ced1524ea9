"""All services over one database, wired once."""

from __future__ import annotations

from dataclasses import dataclass

from brumel.services.calibrations import Calibrations
from brumel.services.catalog import Catalog
from brumel.services.clock import Clock
from brumel.services.kit import Kit
from brumel.services.ledger import Ledger
from brumel.services.live import LiveHub
from brumel.services.meters import Meters
from brumel.services.outlook import Outlook
from brumel.services.people import People
from brumel.services.plan import Planning
from brumel.services.planned_rounds import PlannedRounds
from brumel.services.probes import Probes
from brumel.services.readings import Readings
from brumel.services.rounds import Rounds
from brumel.services.search import Search
from brumel.services.shelf import Shelf
from brumel.services.simulation import Simulation
from brumel.services.sites import Sites
from brumel.services.today import Today
from brumel.store.database import Database


@dataclass(frozen=True)
class Services:
    """What screens and commands call."""

    clock: Clock
    people: People
    catalog: Catalog
    kit: Kit
    probes: Probes
    meters: Meters
    shelf: Shelf
    planned: PlannedRounds
    outlook: Outlook
    search: Search
    calibrations: Calibrations
    readings: Readings
    rounds: Rounds
    sites: Sites
    today: Today
    ledger: Ledger
    live: LiveHub
    simulation: Simulation

    @classmethod
    def over(cls, database: Database, clock: Clock) -> Services:
        """Wire the services."""
        kit, meters, shelf = Kit(database, clock), Meters(database, clock), Shelf(database, clock)
        planned = PlannedRounds(database, clock, Planning(database, clock, shelf), kit, meters)
        return cls(
            clock=clock,
            people=People(database),
            catalog=Catalog(database, clock),
            kit=kit,
            probes=Probes(database, clock),
            meters=meters,
            shelf=shelf,
            planned=planned,
            outlook=Outlook(clock, shelf, planned),
            search=Search(database),
            calibrations=Calibrations(database, clock),
            readings=Readings(database, clock),
            rounds=Rounds(database),
            sites=Sites(database),
            today=Today(database, clock),
            ledger=Ledger(database, clock),
            live=LiveHub(database),
            simulation=Simulation(database),
        )
