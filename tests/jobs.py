"""Jobs of a day, in short."""

from __future__ import annotations

from brumel.core.plan.problem import Job, Task


def job(
    probe: str,
    *tasks: tuple[int, int],
    weight: int = 1,
    release: int = 0,
    stage: int | None = None,
    meanwhile: int | None = None,
) -> Job:
    made = tuple(
        Task(f"{probe}{n}", f"task {n}", hands, wait, stage if n == len(tasks) - 1 else None, n == meanwhile)
        for n, (hands, wait) in enumerate(tasks)
    )
    return Job(probe, "ph", weight, made, release)
