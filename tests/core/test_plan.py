"""The plan: whatever the day, what the solver gives holds; broken plans are found broken; small days by exhaustion."""

from __future__ import annotations

from itertools import pairwise, permutations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.jobs import job

from brumel.core.plan.check import changes, faults
from brumel.core.plan.problem import Job, Plan, Problem, Task
from brumel.core.plan.solve import best_plan, earliest_departure

A, B = job("A", (5, 30), (10, 0)), job("B", (5, 10), (8, 0), release=12)
DAY = Problem((A, B), 60)
GOOD = Plan({"A0": 0, "B0": 12, "A1": 35, "B1": 45}, ())


@pytest.mark.parametrize(
    ("starts", "left_out", "words"),
    [
        ({"A0": 0, "B0": 12, "A1": 34, "B1": 45}, (), "needs until 35"),
        ({"A0": 0, "B0": 3, "A1": 35, "B1": 45}, (), "the probe itself needs until 12"),
        ({"A0": 0, "B0": 12, "A1": 35, "B1": 53}, (), "after departure"),
        ({"A0": 0, "B0": 12, "A1": 40, "B1": 45}, (), "Two things at once"),
        ({"A0": 0, "B0": 12, "A1": 35}, (), "is not planned"),
        ({"A0": 0, "B0": 12, "A1": 35, "B1": 45}, ("B",), "left out, yet"),
        ({"A0": 0, "A1": 35}, ("B", "C"), "no probe of this day"),
        ({"A0": 0, "A1": 35, "C0": 1}, ("B",), "no task of this day"),
    ],
)
def test_a_broken_plan_is_found_broken(starts: dict[str, int], left_out: tuple[str, ...], words: str) -> None:
    assert any(words in f for f in faults(DAY, Plan(starts, left_out)))


def test_what_can_be_done_while_the_probe_waits_is_and_nothing_else() -> None:
    look = Task("look", "look", 3, while_waiting=True)
    day = Problem((Job("A", "oxygen", 1, (look, Task("cal", "calibrate", 6)), release=20),), 26)
    plan = best_plan(day)
    assert plan.left_out == ()
    assert plan.starts["cal"] == 20
    assert plan.starts["look"] <= 17
    assert faults(day, plan) == []
    assert any("the probe itself needs until 20" in f for f in faults(day, Plan({"look": 0, "cal": 19}, ())))
    assert earliest_departure(day) == 26


def test_a_good_plan_is_not() -> None:
    assert faults(DAY, GOOD) == []
    assert changes(DAY, GOOD) == 3


def test_ions_come_last_and_that_is_checked() -> None:
    day = Problem((job("ph", (10, 0), stage=0), job("ion", (10, 0), stage=1)), 60)
    assert any("begins before" in f for f in faults(day, Plan({"ion0": 0, "ph0": 20}, ())))
    assert any("begins before" in f for f in faults(day, Plan({"ion0": 5, "ph0": 0}, ())))
    assert faults(day, Plan({"ion0": 10, "ph0": 0}, ())) == []
    plan = best_plan(day)
    assert plan.starts["ph0"] < plan.starts["ion0"]


TASKS = st.lists(st.tuples(st.integers(1, 12), st.integers(0, 60)), min_size=1, max_size=3)
JOBS = st.lists(
    st.tuples(
        TASKS, st.integers(1, 5), st.integers(0, 90), st.sampled_from([None, 0, 1]), st.sampled_from([None, 0, 1])
    ),
    min_size=1,
    max_size=4,
)


@settings(max_examples=40)
@given(JOBS, st.integers(5, 240))
def test_every_plan_holds_and_leaves_out_only_what_it_must(
    jobs: list[tuple[list[tuple[int, int]], int, int, int | None, int | None]], departure: int
) -> None:
    made = tuple(
        job(f"P{n}", *tasks, weight=weight, release=release, stage=stage, meanwhile=meanwhile)
        for n, (tasks, weight, release, stage, meanwhile) in enumerate(jobs)
    )
    problem = Problem(made, departure)
    plan = best_plan(problem)
    assert faults(problem, plan) == []
    for key, begin in plan.starts.items():
        assert faults(problem, Plan({**plan.starts, key: begin + 1}, plan.left_out)), f"{key} could begin later"
    if plan.left_out:
        assert earliest_departure(problem) > departure
    else:
        assert earliest_departure(problem) <= departure


@settings(max_examples=25)
@given(st.lists(st.tuples(st.integers(1, 9), st.integers(0, 20)), min_size=1, max_size=4), st.integers(0, 30))
def test_the_beginning_is_the_latest_there_is(tasks: list[tuple[int, int]], slack: int) -> None:
    """One task a probe: try every order, packed against departure."""
    problem = Problem(tuple(job(f"P{n}", t) for n, t in enumerate(tasks)), sum(h + w for h, w in tasks) + slack)

    def begins(order: tuple[tuple[int, int], ...]) -> int:
        at = problem.departure
        for hands, wait in reversed(order):
            at = min(at, problem.departure - wait) - hands
        return at

    best = max(begins(order) for order in permutations(tasks))
    plan = best_plan(problem)
    assert plan.left_out == ()
    assert plan.begins == best


def by_exhaustion(problem: Problem) -> tuple[int, int]:
    """Latest beginning, and fewest changes with it: every order of hands, each packed against departure."""
    queues = [list(j.tasks) for j in problem.jobs]
    best: tuple[int, int] | None = None
    labels = [n for n, q in enumerate(queues) for _ in q]
    for order in set(permutations(labels)):
        done = [0] * len(queues)
        sequence = []
        for n in order:
            sequence.append((n, queues[n][done[n]]))
            done[n] += 1
        next_hands, ready_by = problem.departure, [problem.departure] * len(queues)
        begin = problem.departure
        for n, task in reversed(sequence):
            begin = min(next_hands - task.hands, ready_by[n] - task.wait - task.hands)
            next_hands = ready_by[n] = begin
        found = (-begin, sum(a != b for a, b in pairwise(order)))
        best = found if best is None else min(best, found)
    assert best is not None
    return -best[0], best[1]


@settings(max_examples=25)
@given(
    st.lists(st.lists(st.tuples(st.integers(1, 9), st.integers(0, 25)), min_size=1, max_size=2), min_size=2, max_size=3)
)
def test_beginning_and_changes_are_the_best_there_are(jobs: list[list[tuple[int, int]]]) -> None:
    made = tuple(job(f"P{n}", *tasks) for n, tasks in enumerate(jobs))
    problem = Problem(made, sum(h + w for tasks in jobs for h, w in tasks))
    plan = best_plan(problem)
    assert (plan.begins, changes(problem, plan)) == by_exhaustion(problem)


def test_what_matters_most_is_kept() -> None:
    day = Problem((job("oxygen", (30, 0), weight=5), job("ph", (25, 0), weight=4)), 40)
    assert best_plan(day).left_out == ("ph",)
    many = Problem((job("oxygen", (40, 0), weight=5), job("a", (20, 0), weight=3), job("b", (20, 0), weight=3)), 40)
    assert best_plan(many).left_out == ("oxygen",)


def test_the_same_day_gives_the_same_plan() -> None:
    assert best_plan(DAY) == best_plan(DAY)


def test_no_needless_changes() -> None:
    day = Problem((job("A", (5, 0), (5, 0)), job("B", (5, 0), (5, 0))), 20)
    assert changes(day, best_plan(day)) == 1


@pytest.mark.parametrize(("begins", "early"), [(10, False), (9, True), (3, True)])
def test_a_later_stage_waits_for_the_end_of_an_earlier_one(begins: int, early: bool) -> None:
    first, second = job("A", (10, 0), stage=1), job("B", (10, 0), stage=2)
    found = faults(Problem((first, second), 60), Plan({"A0": 0, "B0": begins}, ()))
    assert ("B task 0 begins before A task 0 has ended." in found) is early


def test_what_needs_no_waiting_begins_as_soon_as_hands_are_free() -> None:
    first, look = Task("first", "rinse", 5, wait=30), Task("look", "look", 3, while_waiting=True)
    day = Problem((Job("A", "ph", 1, (first, look)),), 60)
    assert earliest_departure(day) == 35
    assert earliest_departure(Problem((Job("A", "ph", 1, (Task("first", "rinse", 5), look)),), 60)) == 8
