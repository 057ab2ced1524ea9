"""What a probe needs before it leaves, and which standards bracket the waters. Rules: common practice."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brumel.core.kit.care import Care
from brumel.core.kit.readiness import CareEvent, Inspected, Readiness, State, readiness
from brumel.core.plan.needs import Need, Offer, needs_of
from brumel.core.plan.tasks import ProbeDay, can_be_planned, tasks_of
from brumel.core.plan.waters import Expected, Going
from brumel.core.shipped_rules import shipped

NOON = datetime(2026, 5, 6, 12, tzinfo=UTC)
DAY = timedelta(days=1)
PLAIN, QUARTER = shipped().rinses["distilled-once"], shipped().rinses["shake-and-discard"]


def offers(*items: tuple[str, str, float | None, float | None]) -> list[Offer]:
    return [Offer(f"{s} {v} {n}", s, f, v, left) for n, (s, f, v, left) in enumerate(items)]


BUFFERS = offers(
    ("ph-buffer", "technical", 4.01, 500), ("ph-buffer", "technical", 7.0, 500), ("ph-buffer", "technical", 10.01, 20),
    ("ph-buffer", "primary", 6.865, 900),
)  # fmt: skip


def goes(label: str, kind: str, *sites: str) -> Going:
    return Going(label, shipped().kind(kind).quantity, sites, shipped().kind(kind).standards)


def needs(kind: str, low: float, high: float, shelf: list[Offer], probes: int = 1) -> list[Need]:
    going = [goes(f"P{n}", kind, "Water") for n in range(probes)]
    return needs_of([Expected("Water", shipped().kind(kind).quantity, low, high)], going, shelf, PLAIN, shipped())


@pytest.mark.parametrize(
    ("low", "high", "roles"),
    [
        (7.4, 8.6, ["neutral", "alkaline"]),
        (5.3, 6.7, ["neutral", "acid"]),
        (6.5, 8.5, ["neutral", "acid", "alkaline"]),
        (7.0, 7.0, ["neutral"]),
    ],
)
def test_buffers_stand_on_the_waters_side(low: float, high: float, roles: list[str]) -> None:
    found = needs("ph-combination", low, high, BUFFERS)
    assert [n.what for n in found] == [f"pH buffer, {r}" for r in roles]
    assert all("technical" in n.lots[0] or "ph-buffer" in n.lots[0] for n in found)
    assert all(n.lots[0] != BUFFERS[3].key for n in found)  # one family


def test_a_water_beyond_its_buffers_and_too_little_of_one_are_said() -> None:
    neutral, alkaline = needs("ph-combination", 8.0, 10.4, BUFFERS)
    assert neutral.caution == ""
    assert "up to pH 10.4, above this buffer" in alkaline.caution
    assert "Only 20 mL left" in needs("ph-combination", 8.0, 9.0, BUFFERS)[1].caution
    just_enough = [replace(o, left=PLAIN.ml_per_point) for o in BUFFERS]
    assert [n.caution for n in needs("ph-combination", 8.0, 9.0, just_enough)] == ["", ""]
    assert "No lot on the shelf" in needs("ph-combination", 8.0, 9.0, [])[0].caution


@pytest.mark.parametrize(
    ("high", "standard"),
    [(50, 84), (84, 84), (120, 147), (900, 1413), (2600, 12_880), (40_000, 80_000), (90_000, 111_800)],
)
def test_conductivity_is_bracketed_from_above(high: float, standard: float) -> None:
    shelf = offers(*(("conductivity", "kcl", s, 500.0) for s in shipped().kind("conductivity-1").standards.sold))
    (need,) = needs("conductivity-1", high / 3, high, shelf)
    assert need.lots[0].split()[1] == str(standard) + ".0" or need.lots[0].split()[1] == str(standard)
    assert need.caution == ""


def test_each_cell_takes_the_standards_of_its_own_waters() -> None:
    waters = [Expected("Spring", "specific-conductance", 30, 70), Expected("Sea", "specific-conductance", 44e3, 54e3)]
    going = [goes(f"K 10 {n}", "conductivity-10", "Sea") for n in range(2)]
    going.append(goes("K 1", "conductivity-1", "Spring"))
    both = needs_of(waters, going, [], PLAIN, shipped())
    assert [(n.what.split(" ")[2], n.points) for n in both] == [("84", 1), ("80\u202f000", 2)]
    assert [n.what for n in needs_of(waters, going[2:], [], PLAIN, shipped())] == ["conductivity standard 84 µS/cm"]


def test_a_far_standard_or_none_is_said() -> None:
    shelf = offers(("conductivity", "kcl", 12_880.0, 500.0))
    assert "far above this water" in needs("conductivity-1", 30, 70, shelf)[0].caution
    assert needs("conductivity-1", 30_000, 40_000, shelf)[0].lots == ()


def test_ions_take_two_standards_a_decade_apart_around_the_water() -> None:
    shelf = offers(("ammonium", "a", 46.2, 250.0), ("ammonium", "a", 4.62, 250.0), ("ammonium", "a", 10.0, 250.0))
    low, high = needs("ammonium", 5.0, 25.0, shelf)
    assert (low.lots, high.lots) == ((shelf[1].key,), (shelf[0].key,))
    assert low.caution == high.caution == ""
    low, high = needs("ammonium", 1.0, 80.0, shelf)
    assert "below this standard" in low.caution
    assert "reaches 80 mg/L" in high.caution
    assert [n.lots for n in needs("ammonium", 1.0, 80.0, [])] == [(), ()]


def test_tablets_are_one_a_site_and_sachets_one_a_point() -> None:
    waters = [Expected(f"Pool {n}", "total-chlorine", 1, 4) for n in range(3)]
    shelf = [
        Offer("box", "chlorine-reagent", "c", None, 40.0, "tablets"),
        Offer("z", "oxygen-zero", "z", None, 9, "sachets"),
    ]
    pools = tuple(w.site for w in waters)
    going = [
        goes("C", "chlorine", *pools),
        goes("A-DO", "oxygen-galvanic", *pools),
        goes("B-DO", "oxygen-galvanic", *pools),
    ]
    zero, tablets = needs_of(waters, going, shelf, QUARTER, shipped())
    assert (tablets.amount, tablets.unit, zero.amount, zero.unit) == (3, "tablets", 2, "sachets")


@given(st.integers(1, 6), st.sampled_from(list(shipped().rinses.values())))
def test_volume_follows_probes_and_rinse(probes: int, rinse: object) -> None:
    going = [goes(f"P{n}", "ph-combination", "W") for n in range(probes)]
    found = needs_of([Expected("W", "ph", 7.5, 8.5)], going, BUFFERS, rinse, shipped())  # type: ignore[arg-type]
    assert all(n.amount == pytest.approx(probes * rinse.ml_per_point) for n in found)  # type: ignore[attr-defined]


def test_the_fuller_rinse_takes_more() -> None:
    assert QUARTER.ml_per_point == pytest.approx(1.25 * PLAIN.ml_per_point)


def day(
    kind: str, *events: CareEvent, inspections: tuple[Inspected, ...] = (), **given_: object
) -> list[tuple[str, int]]:
    found = readiness(shipped().kind(kind), events, inspections, NOON)
    usual = {"inspected": True, "cleaned": True, "sound": True} | given_
    assert can_be_planned(found)
    return [(t.name, t.wait) for t in tasks_of(ProbeDay("P", shipped().kind(kind), found, **usual))]  # type: ignore[arg-type]


def ago(care: Care, minutes: float, detail: str = "") -> CareEvent:
    return CareEvent(care, NOON - timedelta(minutes=minutes), detail)


@pytest.mark.parametrize(
    ("kind", "events", "given_", "tasks"),
    [
        ("ph-combination", [], {}, [("pack", 0)]),
        ("ph-combination", [], {"sound": False, "inspected": False}, [("inspect", 0), ("calibrate", 0), ("pack", 0)]),
        (
            "ph-combination", [], {"cleaned": False},
            [("clean", 15), ("rinse, into storage solution", 120), ("calibrate", 0), ("pack", 0)],
        ),
        (
            "ph-combination", [ago(Care.STORED, 600, "deionised or distilled water")], {},
            [("soak", 120), ("calibrate", 0), ("pack", 0)],
        ),
        ("oxygen-polarographic", [], {}, [("switch on, warm up", 10), ("pack", 0)]),
        ("oxygen-polarographic", [], {"kept_alive": False}, [("switch on, let it polarise", 90), ("pack", 0)]),
        ("oxygen-polarographic", [], {"is_on": True}, [("pack", 0)]),
        (
            "oxygen-polarographic", [ago(Care.UNPLUGGED, 200)], {},
            [("give it power, let it polarise", 90), ("pack", 0)],
        ),
        (
            "oxygen-polarographic", [ago(Care.UNPLUGGED, 20)], {},
            [("give it power, let it polarise", 15), ("pack", 0)],
        ),
        (
            "oxygen-optical", [CareEvent(Care("cap-changed"), NOON - 400 * DAY, good_until=(NOON - 2 * DAY).date())],
            {}, [("fit a new cap", 0), ("calibrate", 0), ("pack", 0)],
        ),
        ("orp", [ago(Care.DROPPED, 5)], {"inspected": False}, [("inspect", 0), ("check", 0), ("pack", 0)]),
        ("chlorine", [], {"sound": False}, [("check", 0), ("pack", 0)]),
    ],
)  # fmt: skip
def test_tasks(kind: str, events: list[CareEvent], given_: dict[str, bool], tasks: list[tuple[str, int]]) -> None:
    assert day(kind, *events, **given_) == tasks


def test_what_failed_its_inspection_cannot_be_planned() -> None:
    failed = Inspected(NOON - timedelta(hours=1), ("bulb",))
    assert not can_be_planned(readiness(shipped().kind("ph-combination"), [], [failed], NOON))


def test_how_long_hands_are_needed() -> None:
    """Common practice; cleaning and soaking wait, the rest is hands alone."""
    ready = Readiness(State.READY, None, "", "", (), None)
    found = tasks_of(ProbeDay("P", shipped().kind("ph-combination"), ready, cleaned=False))
    assert [(t.name, t.hands, t.wait) for t in found] == [
        ("inspect", 3, 0), ("clean", 5, 15), ("rinse, into storage solution", 2, 120), ("calibrate", 12, 0),
        ("pack", 2, 0),
    ]  # fmt: skip


@pytest.mark.parametrize(("high", "far"), [(420.0, True), (440.0, False)])
def test_a_standard_thirty_times_the_water_is_far_above_it(high: float, far: bool) -> None:
    """12 880 is 30.7 and 29.3 times the water (rule of this product)."""
    (need,) = needs("conductivity-1", 200.0, high, offers(("conductivity", "kcl", 12_880.0, 500.0)))
    assert ("far above this water" in need.caution) is far


@pytest.mark.parametrize(("high", "cautious"), [(36.9, False), (37.1, False), (46.3, True)])
def test_a_decade_reaches_as_high_as_its_high_standard(high: float, cautious: bool) -> None:
    shelf = offers(("ammonium", "a", 46.2, 250.0), ("ammonium", "a", 4.62, 250.0))
    assert bool(needs("ammonium", 5.0, high, shelf)[1].caution) is cautious


@pytest.mark.parametrize(("upper", "reaches"), [(37.0, True), (36.9, False)])
def test_eight_times_counts_as_a_decade(upper: float, reaches: bool) -> None:
    """4.62 · 8 = 36.96 (rule of this product)."""
    shelf = offers(("ammonium", "a", upper, 250.0), ("ammonium", "a", 4.62, 250.0))
    assert (needs("ammonium", 5.0, 20.0, shelf)[1].caution == "") is reaches


def test_where_nothing_is_known_of_the_waters_the_shelf_says_which_decade() -> None:
    shelf = offers(("ammonium", "a", 46.2, 250.0), ("ammonium", "a", 10.0, 250.0), ("ammonium", "a", 4.62, 250.0))
    low, high = needs_of([], [goes("B-NH4", "ammonium")], shelf, PLAIN, shipped())
    assert (low.lots, high.lots) == ((shelf[2].key,), (shelf[0].key,))
    assert low.caution == high.caution == ""
