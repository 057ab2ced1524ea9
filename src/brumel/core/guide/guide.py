"""The guide as data: for the page in the application, and as Markdown."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from brumel.core.tables import read_once, table


@dataclass(frozen=True)
class GuideTask:
    """One task: where it begins, why, and what to do; ``picture`` and ``note`` may be empty."""

    key: str
    title: str
    place: str
    why: str
    steps: Sequence[str]
    picture: str = ""
    note: str = ""


@read_once
def tasks() -> list[GuideTask]:
    """Return all tasks, in the order of the day."""
    return [GuideTask(key, **entry) for key, entry in table("guide", "guide.toml").items()]


def as_markdown(found: Sequence[GuideTask], pictures: str) -> str:
    """Return the guide as a document; its pictures stand in the folder ``pictures``.

    Examples
    --------
    >>> task = GuideTask("read", "Read", "Rounds", "Why not.", ["Look.", "Type."])
    >>> as_markdown([task], "p").splitlines()[-4:]
    ['Why not. Begins at **Rounds**.', '', '1. Look.', '2. Type.']
    """
    return "\n".join(_lines(found, pictures)) + "\n"


def _lines(found: Sequence[GuideTask], pictures: str) -> Iterator[str]:
    yield "# A day with Brumel"
    yield ""
    yield "Task by task; the same guide stands in the application, under Guide. Made by `./brumel guide`."
    for task in found:
        yield from ("", f"## {task.title}", "", f"{task.why} Begins at **{task.place}**.", "")
        yield from (f"{n}. {step}" for n, step in enumerate(task.steps, 1))
        if task.note:
            yield from ("", task.note)
        if task.picture:
            yield from ("", f"![{task.title}]({pictures}/{task.picture}.png)")
