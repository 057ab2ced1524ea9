"""How many hidden faults are named first, and how many healthy calibrations are called other than sound."""

from __future__ import annotations

import os
from collections import Counter

from tests.faulty_files import KINDS, files

from brumel.core.calibrating.run_file import WrongFile, judge_file
from brumel.core.shipped_rules import shipped

_FAULTY, _HEALTHY = 500, 2_000


def _first(kind: str, fault: str, seed: int, count: int) -> Counter[str]:
    """The codes that stand first, and how often; of healthy files those that are other than sound."""
    found: Counter[str] = Counter()
    for file in files(kind, fault, seed, count):
        try:
            judged = judge_file(file, shipped())
        except WrongFile:
            found["refused"] += 1
            continue
        if fault or judged["level"] != "sound":
            found[next((f["code"] for f in judged["findings"]), "nothing")] += 1
    return found


def causes() -> None:
    """Print both for each kind; the seed is CAUSES_SEED."""
    seed = int(os.environ.get("CAUSES_SEED", "7"))
    print(f"Hidden faults, {_FAULTY} files each, and {_HEALTHY} healthy ones a kind, seed {seed}")
    for kind, (_, faults) in KINDS.items():
        ill = _first(kind, "", seed, _HEALTHY)
        print(f"{kind}: healthy and not sound {sum(ill.values()) / _HEALTHY:6.2%} (wanted: at most 1 %) {dict(ill)}")
        for fault, codes in faults.items():
            found = _first(kind, fault, seed, _FAULTY)
            named = sum(found[code] for code in codes) / _FAULTY
            others = {code: count for code, count in found.most_common(3) if code not in codes}
            print(f"  {fault:20s} named first {named:6.1%} {others or ''}", flush=True)
