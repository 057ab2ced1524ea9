"""All services over one database, wired once."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path

from brumel.core.plan.order import HouseOrder
from brumel.services.calibrating.meter_runs import KeptRuns
from brumel.services.calibrating.runs import Calibrations
from brumel.services.clock import Clock
from brumel.services.health import Health
from brumel.services.house.chosen import House
from brumel.services.house.rules import in_force
from brumel.services.kit.instruments import Instruments
from brumel.services.kit.life import Kit
from brumel.services.kit.meters import Meters
from brumel.services.kit.probes import Probes
from brumel.services.ledger.records import Ledger
from brumel.services.ledger.search import Search
from brumel.services.live.hub import LiveHub
from brumel.services.live.mapping import ChannelMaps
from brumel.services.live.simulation import Simulation
from brumel.services.people import People
from brumel.services.planning.outlook import Outlook
from brumel.services.planning.plan import Planning
from brumel.services.planning.rounds import PlannedRounds
from brumel.services.probes.retiring import Retiring
from brumel.services.probes.states import States
from brumel.services.readings.meter_settings import Resetting
from brumel.services.readings.record import Readings
from brumel.services.reckon.known import KnownFacts
from brumel.services.shelf.lots import Shelf
from brumel.services.sites.night import Nights
from brumel.services.sites.site_history import Rounds
from brumel.services.sites.site_settings import SiteSettings
from brumel.services.sites.sites import Sites
from brumel.services.start.first_person import FirstPerson
from brumel.services.start.starting import Starting
from brumel.services.today.coming_back import ComingBack
from brumel.services.today.day import Today
from brumel.services.visits.at_once import AtOnce
from brumel.services.visits.tour import Touring
from brumel.services.visits.visits import Visits
from brumel.store.database import Database
from brumel.store.showable import keep_out_of_sight


@dataclass(frozen=True)
class Services:
    """What screens and commands call."""

    clock: Clock
    people: People
    first: FirstPerson
    starting: Starting
    states: States
    kit: Kit
    probes: Probes
    meters: Meters
    instruments: Instruments
    retiring: Retiring
    shelf: Shelf
    planned: PlannedRounds
    outlook: Outlook
    search: Search
    calibrations: Calibrations
    coming_back: ComingBack
    kept: KeptRuns
    readings: Readings
    visits: Visits
    nights: Nights
    resetting: Resetting
    site_settings: SiteSettings
    touring: Touring
    at_once: AtOnce
    rounds: Rounds
    sites: Sites
    today: Today
    known: KnownFacts
    ledger: Ledger
    live: LiveHub
    channels: ChannelMaps
    simulation: Simulation
    health: Health

    @classmethod
    def over(
        cls,
        database: Database,
        clock: Clock,
        order: HouseOrder | None = None,
        data: Path | None = None,
        stays: timedelta = timedelta(days=7),
        notes: Path | None = None,
    ) -> Services:
        """Wire the services.

        Parameters
        ----------
        order
            In which the house calibrates.
        data
            Where its data are.
        stays
            How long somebody stays signed in.
        notes
            Where it is noted that a part was started again.
        """
        order = order or in_force().default_order
        keep_out_of_sight(database.sessions)
        states, shelf = States(database, clock), Shelf(database, clock)
        kit, meters = Kit(database, clock, states), Meters(database, clock, states)
        probes, instruments, sites = Probes(database, clock), Instruments(database), Sites(database, clock)
        planned = PlannedRounds(database, clock, Planning(database, clock, shelf, states, order), kit, meters)
        coming_back = ComingBack(database, clock, states)
        outlook, nights = Outlook(clock, shelf, planned), Nights(database, clock)
        return cls(
            clock=clock,
            people=People(database, stays),
            first=FirstPerson(database),
            starting=Starting(sites, meters, probes, instruments, shelf, House(database)),
            states=states,
            kit=kit,
            probes=probes,
            meters=meters,
            instruments=instruments,
            retiring=Retiring(database, clock),
            shelf=shelf,
            planned=planned,
            outlook=outlook,
            search=Search(database),
            calibrations=Calibrations(database, clock, order),
            coming_back=coming_back,
            kept=KeptRuns(database, clock),
            readings=Readings(database, clock),
            visits=Visits(database, clock),
            nights=nights,
            resetting=Resetting(database, clock),
            site_settings=SiteSettings(database, clock),
            touring=Touring(database, clock, states),
            at_once=AtOnce(database, clock),
            rounds=Rounds(database, clock),
            sites=sites,
            known=KnownFacts(database, clock),
            today=Today(database, clock, outlook, states, nights, coming_back),
            ledger=Ledger(database, clock),
            live=LiveHub(database),
            channels=ChannelMaps(database),
            simulation=Simulation(database),
            health=Health(database, data, notes),
        )
