"""What there is at Hallow Reach, all of it invented: waters, probes, meters, lots."""

from __future__ import annotations

import uuid
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from brumel.core.kit.accuracy import read_accuracy
from brumel.core.place.water import Compensation
from brumel.core.standards.targets import families_of
from brumel.store.models.reference import Device, Lot, Meter, Probe

_NATURAL, _SEA = Compensation(), Compensation("sea-salt")


@dataclass(frozen=True)
class Water:
    """A site, and what its water is really like."""

    code: str
    name: str
    kind: str
    every_days: int
    probe: str
    ph: float
    swing: float
    mean_c: float
    season_c: float
    expected: dict[str, tuple[float, float]]
    orp: float | None = None
    """ORP as shown against Ag/AgCl, where it is read."""
    salts: float | None = None
    """Specific conductance, µS/cm, where it is read."""
    compensation: Compensation = _NATURAL
    """How that is compensated."""
    oxygen: float | None = None
    """mg/L, where it is read."""
    altitude_m: float = 3.0
    ammonium: float | None = None
    """mg/L as N, where a tip reads it."""

    @property
    def cell(self) -> str:
        """The cell that reads it."""
        return "A-EC" if self.probe == "A-pH" else "B-EC"

    @property
    def oxygen_probe(self) -> str:
        """The probe that reads its oxygen."""
        return "A-DO" if self.probe == "A-pH" else "B-DO"

    @property
    def reach(self) -> tuple[float, float]:
        """What it is expected to show of pH."""
        return self.expected["ph"]


WATERS = (
    Water("SPRING", "Upland spring intake", "soft upland water", 7, "A-pH", 6.5, 0.15, 8.5, 2.0,
           {"ph": (5.8, 7.2), "specific-conductance": (30, 70), "oxygen": (9.0, 13.0)}, salts=48.0,
          oxygen=10.7, altitude_m=630.0),
    Water("REED", "Reed-bed outfall", "reed-bed outfall", 2, "A-pH", 7.1, 0.2, 13.0, 6.0,
           {"ph": (6.5, 8.0), "ammonium-n": (5.0, 25.0), "oxygen": (2.0, 9.0)}, oxygen=5.1, altitude_m=12.0,
           ammonium=13.0),
    Water("TANK", "Greenhouse nutrient reservoir", "nutrient reservoir", 1, "A-pH", 5.9, 0.2, 20.0, 2.0,
           {"ph": (5.3, 6.7), "specific-conductance": (1200, 2600)}, salts=1_850.0,
          compensation=Compensation("linear", 2.0, solids_factor=0.5)),
    Water("POOL", "Training pool", "chlorinated pool", 1, "A-pH", 7.4, 0.12, 27.0, 0.5,
           {"ph": (7.0, 7.8), "orp": (650, 780), "total-chlorine": (1.0, 4.0)}, 712.0),
    Water("SHRIMP", "Shrimp pond", "shrimp pond", 1, "B-pH", 8.0, 0.25, 27.5, 2.5,
           {"ph": (7.4, 8.6), "oxygen": (4.0, 9.0), "specific-conductance": (18_000, 40_000)},
          salts=29_500.0, compensation=_SEA, oxygen=5.9),
    Water("OYSTER", "Oyster nursery", "sea water", 2, "B-pH", 8.1, 0.08, 14.0, 5.0,
           {"ph": (7.7, 8.4), "oxygen": (6.0, 11.0), "specific-conductance": (44_000, 54_000)},
          salts=49_200.0, compensation=_SEA, oxygen=8.1),
    Water("LIDO", "Seawater lido", "sea water pool", 2, "B-pH", 7.7, 0.15, 19.0, 4.0,
           {"ph": (7.0, 8.2), "orp": (600, 780), "specific-conductance": (44_000, 54_000)}, 690.0, 48_300.0, _SEA),
)  # fmt: skip


_OTHER_LOTS: tuple[tuple[str, float | None, str, int | None, int, str, float], ...] = (
    ("conductivity", 84.0, "C84-0611", None, 60, "bottle", 500.0),
    ("conductivity", 1413.0, "C14-0902", 20, 60, "bottle", 2500.0),
    ("conductivity", 12880.0, "C128-0417", None, 60, "sachets", 20.0),
    ("conductivity", 80000.0, "C80-0209", 9, 60, "bottle", 250.0),
    ("conductivity", 53_065.0, "S35-0114", 11, 60, "bottle", 2500.0),
    ("orp", 220.0, "R220-118", 75, 60, "bottle", 250.0),
    ("orp", 220.0, "R220-131", 12, 60, "bottle", 250.0),
    ("oxygen-zero", None, "Z-2207", None, 1, "sachets", 90.0),
    ("ammonium", 46.2, "N46-03", 12, 30, "bottle", 250.0),
    ("ammonium", 4.62, "N5-03", 12, 30, "bottle", 250.0),
    ("chlorine-reagent", None, "CL-7781", None, 365, "tablets", 46.0),
    ("storage", None, "S-881", 40, 180, "bottle", 1000.0),
    ("cleaning", None, "K-114", 200, 365, "bottle", 500.0),
)
"""Standard, value, lot number, days since opened, days it keeps open, what it comes in, how much."""
_COMBINED = uuid.UUID("6f2c4f0e-7c1d-4c57-9a56-3a1f2d0c9b11")
_FAMILY = {"S35-0114": "sea-water"}
"""Where it is not the first of its standard's."""


def probes(served: date, devices: Sequence[Device]) -> list[Probe]:
    """Two kits, spares in the store, two probes that steer dosings; keys and meters come later."""
    return [
        Probe(label="A-pH", serial="HR-A-1041", kind="ph-combination", kit="Kit A",
              in_service_on=served - timedelta(days=410), device_id=devices[0].id),
        Probe(label="B-pH", serial="HR-B-0877", kind="ph-refillable", kit="Kit B",
              in_service_on=served - timedelta(days=760), device_id=devices[1].id),
        Probe(label="C-pH", serial="HR-C-1203", kind="ph-combination", kit="Store",
              in_service_on=served - timedelta(days=24)),
        Probe(label="A-DO", serial="HR-A-2207", kind="oxygen-polarographic", kit="Kit A",
              in_service_on=served - timedelta(days=400), device_id=devices[4].id),
        Probe(label="A-EC", serial="HR-A-3115", kind="conductivity-1", kit="Kit A",
              in_service_on=served - timedelta(days=500), device_id=devices[3].id),
        Probe(label="B-DO", serial="HR-B-2318", kind="oxygen-optical", kit="Kit B",
              in_service_on=served - timedelta(days=380), device_id=devices[5].id),
        Probe(label="B-EC", serial="HR-B-3220", kind="conductivity-10", kit="Kit B",
              in_service_on=served - timedelta(days=340)),
        Probe(label="B-ORP", serial="HR-B-4410", kind="orp", kit="Kit B",
              in_service_on=served - timedelta(days=420), device_id=devices[2].id, reference="ag-agcl-3m"),
        Probe(label="B-NH4", serial="HR-B-5093", kind="ammonium", kit="Kit B",
              in_service_on=served - timedelta(days=400), device_id=devices[9].id),
        Probe(label="A-T", serial="HR-A-6002", kind="temperature", kit="Kit A",
              in_service_on=served - timedelta(days=400), device_id=devices[6].id),
        Probe(label="C-EC", serial="HR-C-3018", kind="conductivity-0.1", kit="Store",
              in_service_on=served - timedelta(days=60), device_id=devices[7].id),
        Probe(label="C-DO", serial="HR-C-2115", kind="oxygen-galvanic", kit="Store",
              in_service_on=served - timedelta(days=60), device_id=devices[8].id),
        Probe(label="B-Cl", serial="HR-B-6077", kind="chlorine", kit="Kit B",
              in_service_on=served - timedelta(days=390), device_id=devices[10].id),
        Probe(label="G-pH", serial="HR-G-1102", kind="ph-combination", kit="Greenhouse",
              in_service_on=served - timedelta(days=395), device_id=devices[11].id,
              steers="the acid dosing of the nutrient reservoir"),
        Probe(label="G-EC", serial="HR-G-3307", kind="conductivity-1", kit="Greenhouse",
              in_service_on=served - timedelta(days=395), steers="the nutrient dosing of the nutrient reservoir"),
    ]  # fmt: skip


def _stated(words: dict[str, str]) -> dict[str, dict[str, float]]:
    return {key: read_accuracy(text).plain for key, text in words.items()}


def meters(served: date, new_id: Callable[[], uuid.UUID]) -> Iterator[Meter]:
    """Yield a meter for each kit: one keeps its probes polarised, the other does not."""
    yield Meter(
        id=new_id(), label="A-meter", serial="HR-M-0107", kit="Kit A", in_service_on=served - timedelta(days=500),
        takes=["ph-combination", "conductivity-1", "oxygen-polarographic", "temperature"],
        compensates=["temperature", "salinity", "pressure"], buffer_families=["technical", "primary"],
        holds_calibration=True, polarises_off=True,
        accuracy=_stated({
            "ph": "±0.02, steps of 0.01", "specific-conductance": "±1 % of full scale 20000, steps of 1",
            "oxygen": "±1.5 % of full scale 20, steps of 0.01", "temperature": "±0.3, steps of 0.1",
        }),
        does={"specific-conductance": {"method": "linear", "coefficient": 1.91, "reference_c": 25.0}, "oxygen": {},
              "ph": {"buffers": "technical"}, "itself": {"auto_off_min": 20.0}},
        memory_records=400, batteries="4 × AA", battery_hours=100.0,
    )  # fmt: skip
    yield Meter(
        id=new_id(), label="B-meter", serial="HR-M-0211", kit="Kit B", in_service_on=served - timedelta(days=760),
        takes=["ph-refillable", "conductivity-10", "oxygen-optical", "orp", "ammonium", "temperature"],
        compensates=["temperature"], buffer_families=["technical"], holds_calibration=True, polarises_off=False,
        accuracy=_stated({
            "ph": "±0.02, steps of 0.01", "orp": "±2, steps of 1",
            "specific-conductance": "±1 % of reading, steps of 10", "ammonium-n": "±10 % of reading",
            "temperature": "±0.2, steps of 0.1",
        }),
        does={"specific-conductance": {"method": "natural-water", "reference_c": 25.0}, "oxygen": {},
              "itself": {"auto_off_min": 8.0}},
        memory_records=2400, batteries="3 × C", battery_hours=160.0,
    )  # fmt: skip


def combined(today: date) -> list[Lot]:
    """Return a bottle of one solution for pH and conductivity, opened nine days ago."""
    row = {"received_on": today - timedelta(days=30), "expires_on": today + timedelta(days=330), "family": "combined",
           "opened_on": today - timedelta(days=9), "open_life_days": 60, "content": 500.0}  # fmt: skip
    ph = Lot(
        id=uuid.uuid5(_COMBINED, "ph"), lot_number="PC-0418", standard="ph-buffer", nominal=4.0,
        value_table=[[15.0, 3.99], [20.0, 4.0], [25.0, 4.0], [30.0, 4.01]], certificate_u=0.01, **row,
    )  # fmt: skip
    salts = Lot(
        id=uuid.uuid5(_COMBINED, "conductivity"), lot_number="PC-0418 (conductivity)", standard="conductivity",
        nominal=2530.0, value_table=[[15.0, 2030.0], [20.0, 2280.0], [25.0, 2530.0], [30.0, 2790.0]],
        certificate_u=13.0, bottle_id=ph.id, **row,
    )  # fmt: skip
    return [ph, salts]


def lots(today: date, days: int, new_id: Callable[[], uuid.UUID]) -> Iterator[Lot]:
    """A fresh set of technical buffers and of ammonium every 60 days, a primary set, two bottles past their time."""
    for number, received in enumerate(range(days + 30, 0, -60)):
        for nominal in (4.01, 7.00, 10.01):
            yield Lot(
                id=new_id(), lot_number=f"T{nominal:.0f}-{2600 + number:04d}", family="technical",
                nominal=nominal, received_on=today - timedelta(days=received),
                expires_on=today - timedelta(days=received - 540),
                opened_on=today - timedelta(days=received - 5),
                open_life_days=60 if nominal > 8 else 90, content=5000.0,
                discarded_on=today - timedelta(days=received - 95) if received > 95 else None,
            )  # fmt: skip
        for nominal in (46.2, 4.62) if received > 60 else ():
            yield Lot(
                id=new_id(), lot_number=f"N{nominal:.0f}-{10 + number:02d}", standard="ammonium", family="ammonium",
                nominal=nominal, received_on=today - timedelta(days=received),
                expires_on=today - timedelta(days=received - 365), opened_on=today - timedelta(days=received - 5),
                open_life_days=90, content=250.0, discarded_on=today - timedelta(days=received - 84),
            )  # fmt: skip
    for nominal in (4.005, 6.865, 9.180):
        yield Lot(
            id=new_id(), lot_number=f"P{nominal:.0f}-0311", family="primary", nominal=nominal,
            received_on=today - timedelta(days=90), expires_on=today + timedelta(days=270),
            open_life_days=30, certificate_u=0.005, content=250.0,
        )  # fmt: skip
    yield Lot(
        id=new_id(), lot_number="T4-2480", family="technical", nominal=4.01,
        received_on=today - timedelta(days=700), expires_on=today - timedelta(days=19),
        opened_on=today - timedelta(days=60), open_life_days=90,
    )  # fmt: skip
    for standard, value, lot_number, opened, life, pack, content in _OTHER_LOTS:
        yield Lot(
            id=new_id(), lot_number=lot_number, standard=standard,
            family=_FAMILY.get(lot_number) or next(iter(families_of(standard)), standard),
            nominal=value,
            received_on=today - timedelta(days=210), expires_on=today + timedelta(days=155),
            opened_on=None if opened is None else today - timedelta(days=opened), open_life_days=life,
            pack=pack, content=content,
        )  # fmt: skip
