"""Whether a plan can be done as it stands; written without the solver, to check what it gives."""

from __future__ import annotations

from itertools import pairwise

from brumel.core.plan.problem import Plan, Problem


def faults(problem: Problem, plan: Plan) -> list[str]:
    """Return what is wrong with a plan, in words; empty where nothing is.

    Examples
    --------
    >>> from brumel.core.plan.problem import Job, Task
    >>> job = Job("A", "ph", 1, (Task("a", "clean", 5, 30), Task("b", "calibrate", 10)))
    >>> faults(Problem((job,), 60), Plan({"a": 0, "b": 20}, ()))
    ['A: calibrate begins at 20, but clean needs until 35.']
    """
    found = []
    names = {j.probe for j in problem.jobs}
    found += [f"{p} is no probe of this day." for p in plan.left_out if p not in names]
    known = {t.key for j in problem.jobs for t in j.tasks}
    found += [f"{key} is no task of this day." for key in plan.starts if key not in known]
    for job in problem.jobs:
        planned = [t for t in job.tasks if t.key in plan.starts]
        if job.probe in plan.left_out:
            found += [f"{job.probe} is left out, yet {t.name} is planned." for t in planned]
            continue
        found += [f"{job.probe}: {t.name} is not planned." for t in job.tasks if t.key not in plan.starts]
        free, hands = 0, "now"
        ready, before = job.release, "the probe itself"
        for t in planned:
            begin = plan.starts[t.key]
            until, what = (free, hands) if t.while_waiting else max((free, hands), (ready, before), key=lambda x: x[0])
            if begin < until:
                found.append(f"{job.probe}: {t.name} begins at {begin}, but {what} needs until {until}.")
            free, hands = begin + t.hands, t.name
            if free + t.wait > ready:
                ready, before = free + t.wait, t.name
        if ready > problem.departure:
            found.append(f"{job.probe} is ready at {ready}, after departure at {problem.departure}.")
    return found + _double_handed(problem, plan) + _out_of_order(problem, plan) + _at_night(problem, plan)


def _at_night(problem: Problem, plan: Plan) -> list[str]:
    return [
        f"{j.probe} {t.name} begins at {plan.starts[t.key]}, in the night from {begin} to {end}."
        for j in problem.jobs
        for t in j.tasks
        if t.key in plan.starts
        for begin, end in problem.nights
        if plan.starts[t.key] < end and plan.starts[t.key] + t.hands > begin
    ]


def _double_handed(problem: Problem, plan: Plan) -> list[str]:
    tasks = [
        (plan.starts[t.key], t.hands, f"{j.probe} {t.name}")
        for j in problem.jobs
        for t in j.tasks
        if t.key in plan.starts
    ]
    tasks.sort()
    return [
        f"Two things at once at {b[0]}: {a[2]} and {b[2]}."
        for n, a in enumerate(tasks)
        for b in tasks[n + 1 :]
        if b[0] < a[0] + a[1]
    ]


def _out_of_order(problem: Problem, plan: Plan) -> list[str]:
    staged = [
        (t.stage, plan.starts[t.key], plan.starts[t.key] + t.hands, f"{j.probe} {t.name}")
        for j in problem.jobs
        for t in j.tasks
        if t.stage is not None and t.key in plan.starts
    ]
    return [
        f"{late[3]} begins before {early[3]} has ended."
        for early in staged
        for late in staged
        if late[0] > early[0] and late[1] < early[2]
    ]


def changes(problem: Problem, plan: Plan) -> int:
    """Say how often the technician changes from one probe to another."""
    probe_of = {t.key: j.probe for j in problem.jobs for t in j.tasks}
    order = [probe_of[key] for key, _ in sorted(plan.starts.items(), key=lambda item: item[1])]
    return sum(a != b for a, b in pairwise(order))
