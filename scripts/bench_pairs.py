"""One act of this version and of another in turn, many times: the median of the ratios with its interval.

This file, run with another version's folder, is one side: it makes that version's demonstration and does an act for
each line that it is sent. So both sides answer the same forms, on clusters of their own, in one run.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import time
import uuid
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

PAIRS = int(os.environ.get("AGAINST_PAIRS", "200"))
_DAYS = 60
_VALUES = {
    "temperature": "28.1", "oxygen": "5.4", "ph": "8.0", "specific-conductance": "29000", "ammonium-n": "0.4",
    "alkalinity": "110", "air-temperature": "31", "depth": "1.4", "turbidity": "12", "total-chlorine": "0.05",
}  # fmt: skip
ACTS = ("saving a visit", "signing in")


def visit_form(token: str, usual: Mapping[str, str]) -> dict[str, Any]:
    """Fill a visit's form in: ten typed quantities, each with what it is usually read with."""
    form: dict[str, Any] = {"csrf_token": token, "pressure": "1009", "id-pressure": uuid.uuid4(), "despite": "bench"}
    for name, value in _VALUES.items():
        form |= {name: value, f"id-{name}": uuid.uuid4(), f"with-{name}": usual.get(name, "")}
    return form


class _Side:
    """An application over a demonstration, and somebody who is signed in."""

    def __init__(self, worked: Any) -> None:
        from tests.web.screens import BASE, enter, token

        self.base, self.worked = BASE, worked
        self.client = worked.app.test_client()
        enter(self.client, "technician")
        self.token = token(self.client)
        states = worked.services.states
        self.site = next(s.id for s in states.sites() if s.code == "SHRIMP")
        self.acts: dict[str, Callable[[], float]] = dict(zip(ACTS, (self.save, self.sign_in), strict=True))

    def _sent(self, path: str, form: dict[str, Any], client: Any = None) -> float:
        begun = time.perf_counter()
        answer = (client or self.client).post(path, data=form, base_url=self.base, headers={"Referer": self.base})
        taken = time.perf_counter() - begun
        assert answer.status_code == 302, answer.text
        self.location = answer.headers["Location"]
        return taken

    def save(self) -> float:
        """Open a visit, and save ten typed quantities: how long the saving takes, s."""
        key = str(uuid.uuid4())
        self._sent("/visits/new", {"csrf_token": self.token, "id": key, "site": str(self.site)})
        visit = self.location.rstrip("/").rsplit("/", 1)[1]
        rows = self.worked.services.visits.view(uuid.UUID(visit)).rows
        return self._sent(f"/visits/{visit}", visit_form(self.token, {r.about.key: r.usual for r in rows}))

    def sign_in(self) -> float:
        """Sign in by name and password in a browser of its own."""
        from tests.web.screens import token

        with self.worked.app.test_client() as client:
            form = {"csrf_token": token(client), "login": "mira", "password": "hallow-reach"}
            return self._sent("/sign-in", form, client)


def side(tree: str) -> None:
    """Be one side: for each line on stdin do the act that it names, and say how long it took."""
    sys.path[:0] = [f"{tree}/scripts", f"{tree}/src", tree]
    from bench_worked import Worked
    from tests.conftest import own_cluster

    with own_cluster("pairs") as made:
        one = _Side(Worked(made, _DAYS))
        print("ready", flush=True)
        for line in sys.stdin:
            print(one.acts[line.strip()](), flush=True)
        one.worked.database.close()


def pairs(here: Path, other: Path, rev: str) -> None:
    """Print, for each act, the median ratio of this version to the other."""
    sides = [
        subprocess.Popen(
            [sys.executable, __file__, str(tree)], cwd=tree, env=os.environ | {"PYTHONPATH": f"{tree / 'src'}:{tree}"},
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
        )
        for tree in (here, other)
    ]  # fmt: skip
    try:
        for one in sides:
            _said(one)
        print(f"this version to {rev}, {PAIRS} pairs in turn: median of the ratios, its 95 % interval")
        for act in ACTS:
            ratios, times = [], []
            for number in range(PAIRS + 3):
                found = {}
                for which in (0, 1) if number % 2 == 0 else (1, 0):
                    print(act, file=sides[which].stdin, flush=True)
                    found[which] = float(_said(sides[which]))
                if number >= 3:  # the first ones warm up
                    ratios.append(found[0] / found[1])
                    times.append(found[0])
            low, high = _of_median(ratios)
            print(
                f"  {act}: {statistics.median(ratios):.3f} ({low:.3f} to {high:.3f}), "
                f"{1000 * statistics.median(times):.1f} ms", flush=True,
            )  # fmt: skip
    finally:
        for one in sides:
            one.stdin.close()  # type: ignore[union-attr]
            one.wait(60)


def _said(one: subprocess.Popen[str]) -> str:
    line = one.stdout.readline()  # type: ignore[union-attr]
    if not line:
        sys.exit("brumel: one side ended; its own words stand above")
    return line


def _of_median(values: list[float]) -> tuple[float, float]:
    """The ends of the median's 95 % interval, by order statistics (binomial, normal approximation)."""
    ordered, count = sorted(values), len(values)
    half = 0.98 * count**0.5
    return ordered[max(int(count / 2 - half), 0)], ordered[min(int(count / 2 + half), count - 1)]


if __name__ == "__main__":
    side(sys.argv[1])
