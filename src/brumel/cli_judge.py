"""``brumel judge``: a calibration from its open file, judged without a database."""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator
from typing import TextIO

import click

from brumel.cli_calc import opened, refuse
from brumel.core.calibrating.run_file import WrongFile, judge_file
from brumel.core.outside_data import UnreadableText, read_json
from brumel.core.shipped_rules import shipped


@click.command()
@click.argument("file", metavar="FILE|-")
def judge(file: str) -> None:
    """Judge a calibration of FILE (JSON, see docs/formats.md), or each line of JSON lines."""
    with opened(file) as source:
        for answer in _answers(source):
            sys.stdout.write(json.dumps(answer, ensure_ascii=False) + "\n")


def _answers(source: TextIO) -> Iterator[object]:
    text = source.read()
    lines = [line for line in text.splitlines() if line.strip()]
    try:
        yield judge_file(read_json(text), shipped())
        return
    except UnreadableText as unread:
        # A file that is written over several lines has no line that is an object by itself.
        if len(lines) == 1 or not any(line.startswith("{") and line.rstrip().endswith("}") for line in lines):
            refuse(f"brumel: {unread}")
    except WrongFile as wrong:
        refuse(f"brumel: {wrong}")
    refused = 0
    for number, line in enumerate(lines, 1):
        try:
            yield judge_file(read_json(line, "The line"), shipped())
        except (UnreadableText, WrongFile) as wrong:
            refused += 1
            yield {"line": number, "error": str(wrong)}
    if refused:
        sys.stdout.flush()
        refuse(f"brumel: {refused} of {len(lines)} lines could not be judged and say why")
