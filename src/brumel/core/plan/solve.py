"""The best plan, by a constraint solver.

Objective, in this order: every probe ready, else the fewest and least important left out; then the latest
beginning; then the fewest changes from one probe to another. Each is proven best, and fixed before the next is sought.
In the order found, every task then moves as late as it can: what is calibrated last drifts least.
"""

from __future__ import annotations

from itertools import pairwise
from typing import Any

from brumel.core.plan.problem import Job, Plan, Problem

_EFFORT = 4.0
"""Most deterministic time for a step of the search, so that every machine gives the same answer. A day of nine probes
takes a tenth of it; beyond it a plan is good, not proven best.
"""
_FARTHEST = 14 * 24 * 60


def best_plan(problem: Problem) -> Plan:
    """Return the best plan for a problem.

    Examples
    --------
    >>> from brumel.core.plan.problem import Job, Task
    >>> soak = Job("A", "ph", 1, (Task("soak", "soak", 2, 120), Task("cal", "calibrate", 12)))
    >>> best_plan(Problem((soak,), 180)).starts
    {'soak': 46, 'cal': 168}
    """
    return _Search(problem, problem.departure).run()


def earliest_departure(problem: Problem) -> int:
    """Return the earliest departure by which every probe can be ready, minutes from now."""
    search = _Search(problem, _FARTHEST, all_present=True)
    return search.shortest()


def latest_alone(job: Job, departure: int, nights: tuple[tuple[int, int], ...] = ()) -> dict[str, int]:
    """Say when each task of a probe has to begin at the latest, were it the only one; in the past where it is too late.

    Examples
    --------
    >>> from brumel.core.plan.problem import Job, Task
    >>> latest_alone(Job("A", "ph", 1, (Task("soak", "soak", 2, 120), Task("cal", "calibrate", 12))), 180)
    {'soak': 46, 'cal': 168}
    """
    return _late_as_can_be(Problem((job,), departure, nights), {t.key: n for n, t in enumerate(job.tasks)})


def _late_as_can_be(problem: Problem, starts: dict[str, int]) -> dict[str, int]:
    """Return the same order, each task as late as those after it allow."""
    late: dict[str, int] = {}
    tasks, free_until = problem.tasks, problem.departure
    for key in sorted(starts, key=lambda k: starts[k], reverse=True):
        job, task = tasks[key]
        latest = [free_until, problem.departure - task.wait]
        following = job.tasks[job.tasks.index(task) + 1 :]
        latest += [late[later.key] - (0 if later.while_waiting else task.wait) for later in following]
        begin = min(latest) - task.hands
        for night, morning in sorted(problem.nights, reverse=True):
            if begin < morning and begin + task.hands > night:
                begin = night - task.hands
        late[key] = free_until = begin
    return dict(reversed(late.items()))


class _Search:
    def __init__(self, problem: Problem, departure: int, *, all_present: bool = False) -> None:
        from ortools.sat.python import cp_model  # imported late: it costs half a second

        self.cp = cp_model
        self.model = cp_model.CpModel()
        self.problem = problem
        self.departure = departure
        self.present = {j.probe: self.model.new_bool_var(f"present {j.probe}") for j in problem.jobs}
        self.start: dict[str, Any] = {}
        self.hands: list[Any] = []
        if all_present:
            self.model.add_bool_and(list(self.present.values()))
        self._tasks()
        self._stages()

    def run(self) -> Plan:
        """Search in the order of the objectives."""
        if not self.start:
            return Plan({}, tuple(j.probe for j in self.problem.jobs if not j.tasks and j.release > self.departure))
        weights = {j.probe: 1000 * j.weight + 1 for j in self.problem.jobs}
        value = sum(weights[p] * x for p, x in self.present.items())
        self.model.maximize(value)
        solver = self._solve()
        self.model.add(value >= round(solver.objective_value))
        first = self.model.new_int_var(0, self.departure, "begins")
        for job in self.problem.jobs:
            for task in job.tasks[:1]:
                self.model.add(first <= self.start[task.key]).only_enforce_if(self.present[job.probe])
        self.model.maximize(first)
        solver = self._solve(solver)
        self.model.add(first >= round(solver.objective_value))
        self.model.minimize(self._changes())
        solver = self._solve(solver)
        gone = tuple(p for p, x in self.present.items() if not solver.value(x))
        starts = {
            t.key: solver.value(self.start[t.key]) for j in self.problem.jobs if j.probe not in gone for t in j.tasks
        }
        return Plan(_late_as_can_be(self.problem, starts), gone)

    def shortest(self) -> int:
        """Return the least time within which all can be done."""
        end = self.model.new_int_var(0, self.departure, "end")
        for job in self.problem.jobs:
            self.model.add(end >= job.release)
            for t in job.tasks:
                self.model.add(end >= self.start[t.key] + t.hands + t.wait)
        self.model.minimize(end)
        least: float = self._solve().objective_value
        return round(least)

    def _tasks(self) -> None:
        for job in self.problem.jobs:
            here = self.present[job.probe]
            if job.release > self.departure:
                self.model.add(here == 0)
            for n, task in enumerate(job.tasks):
                begin = self.start[task.key] = self.model.new_int_var(0, self.departure, task.key)
                self.hands.append(self.model.new_optional_fixed_size_interval_var(begin, task.hands, here, task.key))
                for earlier in job.tasks[:n]:
                    wait = 0 if task.while_waiting else earlier.wait
                    self.model.add(begin >= self.start[earlier.key] + earlier.hands + wait).only_enforce_if(here)
                if not task.while_waiting:
                    self.model.add(begin >= job.release).only_enforce_if(here)
                self.model.add(begin + task.hands + task.wait <= self.departure).only_enforce_if(here)
        for night, morning in self.problem.nights:
            self.hands.append(self.model.new_fixed_size_interval_var(night, morning - night, "night"))
        self.model.add_no_overlap(self.hands)

    def _stages(self) -> None:
        staged = [(j, t) for j in self.problem.jobs for t in j.tasks if t.stage is not None]
        for job, task in staged:
            for other, later in staged:
                if task.stage is not None and later.stage is not None and later.stage > task.stage:
                    both = [self.present[job.probe], self.present[other.probe]]
                    self.model.add(self.start[later.key] >= self.start[task.key] + task.hands).only_enforce_if(both)

    def _changes(self) -> Any:
        """Say how often the technician changes from one probe to another.

        Two tasks of a probe follow each other without a change where no other task lies in the gap between them: the
        gap is then an interval of its own that overlaps nobody's hands.
        """
        kept, gaps = [], []
        for job in self.problem.jobs:
            for task, following in pairwise(job.tasks):
                together = self.model.new_bool_var(f"{task.key} then {following.key}")
                self.model.add_implication(together, self.present[job.probe])
                begin, end = self.start[task.key] + task.hands, self.start[following.key]
                length = self.model.new_int_var(0, self.departure, "")
                gaps.append(self.model.new_optional_interval_var(begin, length, end, together, ""))
                kept.append(together)
        self.model.add_no_overlap(self.hands + gaps)
        done = sum(len(j.tasks) * self.present[j.probe] for j in self.problem.jobs)
        return done - 1 - sum(kept)

    def _solve(self, before: Any = None) -> Any:
        solver = self.cp.CpSolver()
        solver.parameters.num_workers = 1
        solver.parameters.random_seed = 1
        solver.parameters.max_deterministic_time = _EFFORT
        if before is not None:
            self.model.clear_hints()  # type: ignore[no-untyped-call]
            for key, begin in self.start.items():
                self.model.add_hint(begin, before.value(self.start[key]))
            for x in self.present.values():
                self.model.add_hint(x, before.value(x))
        status = solver.solve(self.model)
        if status not in (self.cp.OPTIMAL, self.cp.FEASIBLE):
            raise RuntimeError(f"no plan: {solver.status_name(status)}")
        return solver
