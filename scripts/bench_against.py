"""One bench of this version and of another, in turn, and the ratio of each figure with its interval.

``./brumel bench against REV NAME`` runs NAME of either version on clusters of its own, ``AGAINST_ROUNDS`` (5) times,
this one first in every second round; a ratio above 1 says that this version takes longer. "No slower" is said by this.
``against REV pairs`` saves a visit and signs in by either in turn, ``AGAINST_PAIRS`` (200) times.
"""

from __future__ import annotations

import math
import os
import re
import shutil
import statistics
import subprocess
import sys
import time
import uuid
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

from bench_pairs import pairs
from scipy.stats import t as student

from brumel.settings import default_data_folder

ROOT = Path(__file__).parents[1]
ROUNDS = int(os.environ.get("AGAINST_ROUNDS", "5"))
_COLUMNS = 3
_LINE = re.compile(r"(\S(?:.*?\S)?)\s{2,}([\d.,]+(?: ?(?:ms|s|µs))?(?:\s.*)?)")
_NUMBER = re.compile(r"(?<![\w.,])\d[\d,]*(?:\.\d+)?")
Figures = dict[tuple[str, int], float]


def figures(printed: str) -> Figures:
    """The first numbers of each line of a table, by the line's name and their place in it."""
    found: Figures = {}
    for line in printed.splitlines():
        if (match := _LINE.fullmatch(line.rstrip())) is None:
            continue
        for place, number in enumerate(_NUMBER.findall(match[2])[:_COLUMNS], 1):
            found[re.sub(r"\s*\(aim.*", "", match[1]), place] = float(number.replace(",", ""))
    return found


def interval(ratios: list[float]) -> tuple[float, float, float]:
    """The geometric mean of paired ratios, and the ends of its 95 % interval (Student's t on their logarithms)."""
    logs = [math.log(r) for r in ratios]
    mean = statistics.fmean(logs)
    half = float(student.ppf(0.975, len(logs) - 1)) * statistics.stdev(logs) / math.sqrt(len(logs))
    return math.exp(mean), math.exp(mean - half), math.exp(mean + half)


@contextmanager
def other_version(rev: str) -> Iterator[Path]:
    """That version's files, where who serves can read them."""
    folder = default_data_folder() / f"against-{uuid.uuid4().hex[:8]}"
    folder.mkdir(parents=True)
    try:
        packed = subprocess.run(["git", "-C", ROOT, "archive", rev], capture_output=True, check=False)
        if packed.returncode:
            sys.exit(f"brumel: {rev} is no version of this folder's history: {packed.stderr.decode().strip()}")
        subprocess.run(["tar", "-x", "-C", folder], input=packed.stdout, check=True)
        yield folder
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def run(tree: Path, name: str) -> Figures:
    """One run of a bench, with the packages that run this."""
    environment = os.environ | {"PYTHONPATH": f"{tree / 'src'}:{tree}"}
    done = subprocess.run(
        [sys.executable, tree / "scripts/bench.py", name], env=environment, cwd=tree, capture_output=True, text=True,
        check=False,
    )  # fmt: skip
    if done.returncode:
        sys.exit(f"brumel: the bench {name} of {tree} ended with {done.returncode}: {done.stderr.strip()[-600:]}")
    return figures(done.stdout)


def against(rev: str, name: str) -> None:
    """Print the ratios of this version's figures to another's."""
    with other_version(rev) as other:
        if (ROOT / "requirements/test.txt").read_text() != (other / "requirements/test.txt").read_text():
            print(f"{rev} names other packages: it runs with those of this version")
        found: dict[str, list[Figures]] = {"this": [], "other": []}
        if name == "pairs":
            pairs(ROOT, other, rev)
            return
        trees: Mapping[str, Path] = {"this": ROOT, "other": other}
        for number in range(ROUNDS):
            begun = time.monotonic()
            for which in ("this", "other") if number % 2 == 0 else ("other", "this"):
                found[which].append(run(trees[which], name))
            print(f"round {number + 1} of {ROUNDS}: {time.monotonic() - begun:.0f} s", flush=True)
    print(f"\n{f'{name}: this version to {rev}':44}{'ratio':>8}   95 % interval of {ROUNDS} pairs in turn")
    for key in found["this"][0]:
        both = [(a.get(key, 0.0), b.get(key, 0.0)) for a, b in zip(found["this"], found["other"], strict=True)]
        if all(a > 0 and b > 0 for a, b in both):
            ratio, low, high = interval([a / b for a, b in both])
            said = "slower" if low > 1.0 else "faster" if high < 1.0 else "the same within its noise"
            print(f"{f'{key[0][:38]}, {key[1]}':44}{ratio:8.2f}   {low:.2f} to {high:.2f}   {said}")
