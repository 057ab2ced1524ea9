"""``brumel judge``: a calibration from its open file, judged without a database."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator
from typing import TextIO

import click

from brumel.cli_calc import opened, refuse
from brumel.core.calibrating.run_file import WrongFile, judge_file


@click.command()
@click.argument("file", metavar="FILE|-")
def judge(file: str) -> None:
    """Judge a calibration of FILE (JSON, see docs/formats.md), or each line of JSON lines."""
    with opened(file) as source:
        for answer in _answers(source):
            sys.stdout.write(json.dumps(answer, ensure_ascii=False) + "\n")


def _answers(source: TextIO) -> Iterator[object]:
    text = source.read()
    try:
        yield judge_file(json.loads(text))
        return
    except json.JSONDecodeError as error:
        lines = [line for line in text.splitlines() if line.strip()]
        if len(lines) < 2 or not lines[0].rstrip().endswith("}"):
            refuse(f"brumel: the file is not JSON: {error}.")
    except WrongFile as wrong:
        refuse(f"brumel: {wrong}")
    for number, line in enumerate(lines, 1):
        try:
            yield judge_file(json.loads(line))
        except (json.JSONDecodeError, WrongFile) as wrong:
            sys.stdout.flush()
            refuse(f"brumel: line {number}: {wrong}")
