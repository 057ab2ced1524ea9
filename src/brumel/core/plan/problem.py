"""What is to be planned, and a plan; times are whole minutes from now."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Task:
    """Something that a probe needs: hands first, then a wait in which the technician is free.

    Attributes
    ----------
    key
        Unique in the problem.
    name
        What is done, for people.
    hands
        Minutes that the technician is at it, at least 1.
    wait
        Minutes that the probe then needs by itself.
    stage
        Where tasks of several probes have an order: no task of a later stage begins before all of the earlier
        stages have ended (pH, ORP and conductivity are calibrated before ions); None where it does not matter.
    while_waiting
        Whether it can be done while its probe still waits, for its release or after an earlier task: one looks at a
        probe while it polarises.
    """

    key: str
    name: str
    hands: int
    wait: int = 0
    stage: int | None = None
    while_waiting: bool = False


@dataclass(frozen=True)
class Job:
    """One probe's tasks in their order; ``weight`` says how much it matters to have it.

    Before ``release`` it waits already: only tasks that can be done meanwhile begin earlier.
    """

    probe: str
    quantity: str
    weight: int
    tasks: tuple[Task, ...]
    release: int = 0


@dataclass(frozen=True)
class Problem:
    """Probes to have ready at departure, minutes from now; nobody's hands are at work in the nights."""

    jobs: tuple[Job, ...]
    departure: int
    nights: tuple[tuple[int, int], ...] = ()
    """When each begins and ends; a probe waits through them by itself."""

    @property
    def tasks(self) -> dict[str, tuple[Job, Task]]:
        """All tasks by key, with their job."""
        return {t.key: (j, t) for j in self.jobs for t in j.tasks}


@dataclass(frozen=True)
class Plan:
    """When each task begins, minutes from now; the probes that can't be ready are left out."""

    starts: dict[str, int]
    left_out: tuple[str, ...]

    @property
    def begins(self) -> int | None:
        """When the technician begins; None where there is nothing to do."""
        return min(self.starts.values(), default=None)
