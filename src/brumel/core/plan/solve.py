"""The best plan, by a constraint solver.

Objective, in this order: every probe ready, else the fewest and least important left out; then the latest
beginning; then the fewest changes from one probe to another. Each is fixed before the next is sought.
"""

from __future__ import annotations

from typing import Any

from brumel.core.plan.problem import Plan, Problem

_EFFORT, _EFFORT_FOR_CHANGES = 4.0, 0.6
"""Deterministic time for the steps of the search, so that every machine gives the same answer. Presence and beginning
are proven best within it; the changes between probes are then few, not always proven fewest.
"""
_FARTHEST = 14 * 24 * 60


def best_plan(problem: Problem) -> Plan:
    """The best plan for a problem.

    Examples
    --------
    >>> from brumel.core.plan.problem import Job, Task
    >>> soak = Job("A", "pH", 1, (Task("soak", "soak", 2, 120), Task("cal", "calibrate", 12)))
    >>> best_plan(Problem((soak,), 180)).starts
    {'soak': 46, 'cal': 168}
    """
    return _Search(problem, problem.departure).run()


def earliest_departure(problem: Problem) -> int:
    """The earliest departure by which every probe can be ready, minutes from now."""
    search = _Search(problem, _FARTHEST, all_present=True)
    return search.shortest()


class _Search:
    def __init__(self, problem: Problem, departure: int, *, all_present: bool = False) -> None:
        from ortools.sat.python import cp_model  # imported late: it costs half a second

        self.cp = cp_model
        self.model = cp_model.CpModel()
        self.problem = problem
        self.departure = departure
        self.present = {j.probe: self.model.new_bool_var(f"present {j.probe}") for j in problem.jobs}
        self.start: dict[str, Any] = {}
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
        solver = self._solve(solver, _EFFORT_FOR_CHANGES)
        gone = tuple(p for p, x in self.present.items() if not solver.value(x))
        starts = {
            t.key: solver.value(self.start[t.key]) for j in self.problem.jobs if j.probe not in gone for t in j.tasks
        }
        return Plan(dict(sorted(starts.items(), key=lambda item: item[1])), gone)

    def shortest(self) -> int:
        """The least time within which all can be done."""
        end = self.model.new_int_var(0, self.departure, "end")
        for job in self.problem.jobs:
            self.model.add(end >= job.release)
            for t in job.tasks:
                self.model.add(end >= self.start[t.key] + t.hands + t.wait)
        self.model.minimize(end)
        least: float = self._solve().objective_value
        return round(least)

    def _tasks(self) -> None:
        hands = []
        for job in self.problem.jobs:
            here = self.present[job.probe]
            if job.release > self.departure:
                self.model.add(here == 0)
            for n, task in enumerate(job.tasks):
                begin = self.start[task.key] = self.model.new_int_var(0, self.departure, task.key)
                hands.append(self.model.new_optional_fixed_size_interval_var(begin, task.hands, here, task.key))
                for earlier in job.tasks[:n]:
                    wait = 0 if task.while_waiting else earlier.wait
                    self.model.add(begin >= self.start[earlier.key] + earlier.hands + wait).only_enforce_if(here)
                if not task.while_waiting:
                    self.model.add(begin >= job.release).only_enforce_if(here)
                self.model.add(begin + task.hands + task.wait <= self.departure).only_enforce_if(here)
        self.model.add_no_overlap(hands)

    def _stages(self) -> None:
        staged = [(j, t) for j in self.problem.jobs for t in j.tasks if t.stage is not None]
        for job, task in staged:
            for other, later in staged:
                if task.stage is not None and later.stage is not None and later.stage > task.stage:
                    both = [self.present[job.probe], self.present[other.probe]]
                    self.model.add(self.start[later.key] >= self.start[task.key] + task.hands).only_enforce_if(both)

    def _changes(self) -> Any:
        """How often the technician changes from one probe to another: a tour through the tasks in their order."""
        keys = list(self.problem.tasks)
        arcs: list[tuple[int, int, Any]] = []
        changes = []
        none = self.model.new_bool_var("nothing to do")
        arcs.append((0, 0, none))
        for n, key in enumerate(keys, 1):
            job, task = self.problem.tasks[key]
            arcs += [(0, n, self.model.new_bool_var("")), (n, 0, self.model.new_bool_var(""))]
            arcs.append((n, n, self.present[job.probe].negated()))
            for m, other_key in enumerate(keys, 1):
                other = self.problem.tasks[other_key][0]
                if m == n or (other is job and m != n + 1):
                    continue  # within a probe only the next task can follow at once
                follows = self.model.new_bool_var("")
                arcs.append((n, m, follows))
                self.model.add(self.start[other_key] >= self.start[key] + task.hands).only_enforce_if(follows)
                if other is not job:
                    changes.append(follows)
        self.model.add_circuit(arcs)
        busy = [x for p, x in self.present.items() if any(j.probe == p and j.tasks for j in self.problem.jobs)]
        total = self.model.new_int_var(0, len(keys), "changes")
        self.model.add(total == sum(changes))
        self.model.add(total >= sum(busy) - 1)
        return total

    def _solve(self, before: Any = None, effort: float = _EFFORT) -> Any:
        solver = self.cp.CpSolver()
        solver.parameters.num_workers = 1
        solver.parameters.random_seed = 1
        solver.parameters.max_deterministic_time = effort
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
