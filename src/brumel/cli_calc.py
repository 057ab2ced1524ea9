"""``brumel calc``: calculations from the command line; no database, and imports kept few for a quick start."""

from __future__ import annotations

import json
import sys
from io import TextIOWrapper
from pathlib import Path
from typing import NoReturn, TextIO

import click

from brumel.core.reckoning.definition import InvalidInputs, calculations, find

_AS_THEY_ARE = "surrogateescape"


@click.command(add_help_option=False)
@click.argument("words", nargs=-1, metavar="NAME [KEY=VALUE]…")
@click.option("--json", "as_json", is_flag=True, help="print one JSON object")
@click.option("--list", "list_all", is_flag=True, help="list all calculations")
@click.option("--formulas", is_flag=True, help="print the formula page")
@click.option("--batch", "batch_file", metavar="FILE|-", help="JSON lines in, JSON lines out, in order")
@click.option("--csv", "csv_file", metavar="FILE|-", help="append the outputs to each row of a CSV file")
@click.option("--out", metavar="FILE", help="with --csv: where to write; otherwise standard output")
@click.option("-h", "--help", "wants_help", is_flag=True, help="say more, also of one calculation: calc NAME --help")
@click.pass_context
def calc(
    context: click.Context, words: tuple[str, ...], as_json: bool, list_all: bool, formulas: bool,
    batch_file: str | None, csv_file: str | None, out: str | None, wants_help: bool,
) -> None:  # fmt: skip
    """Calculate: ./brumel calc oxygen-saturation temperature_c=20 pressure=29.9inHg

    A value may carry a unit; NAME_u=… is the standard uncertainty of NAME. With --csv, KEY=@COLUMN takes a
    column, KEY=@COLUMN[unit] in another unit.
    """
    from brumel.services.reckon import faces

    try:
        if list_all:
            click.echo(faces.list_text(calculations()))
        elif formulas:
            click.echo(faces.formulas_markdown(calculations()), nl=False)
        elif batch_file is not None:
            _batch(batch_file)
        elif wants_help and words:
            click.echo(faces.help_text(find(words[0])))
        elif wants_help or not words:
            click.echo(context.get_help())
        elif csv_file is not None:
            _csv(words[0], _pairs(words[1:]), csv_file, out)
        else:
            _one(words[0], _pairs(words[1:]), as_json=as_json)
    except InvalidInputs as wrong:
        if as_json:
            click.echo(json.dumps({"calc": words[0] if words else None, "error": str(wrong), "fields": wrong.fields},
                                  ensure_ascii=False))  # fmt: skip
            sys.exit(2)
        refuse("\n".join(f"brumel: {sentence}" for sentence in wrong.fields.values()))
    except BrokenPipeError:  # whoever read our output has enough
        sys.stderr.close()
        sys.exit(0)


@click.command()
@click.argument("file", metavar="FILE|-")
@click.option("--rule", "rule_name", default="calibration-ph", show_default=True, help="which rule judges it")
@click.option("--json", "as_json", is_flag=True, help="print one JSON object")
def settle(file: str, rule_name: str, as_json: bool) -> None:
    """Judge a recorded trace, CSV with time_s, value and, if known, temperature_c: is it stable, and if not, when?"""
    from brumel.services.errors import InvalidInput
    from brumel.services.reckon.settle import rule_named, settle, settled_text

    try:
        with opened(file) as source:
            found = settle(source, rule_named(rule_name))
    except InvalidInput as wrong:
        refuse(f"brumel: {wrong}")
    click.echo(json.dumps(found.plain, ensure_ascii=False) if as_json else settled_text(found))


def _one(name: str, given: dict[str, str], *, as_json: bool) -> None:
    from brumel.core.reckoning.answers import calculate
    from brumel.services.reckon import faces
    from brumel.services.units import typed_inputs

    answer = calculate(name, typed_inputs(find(name), given))
    if as_json:
        click.echo(json.dumps(faces.plain_answer(answer), ensure_ascii=False))
    else:
        click.echo(faces.answer_text(answer))


def _pairs(words: tuple[str, ...]) -> dict[str, str]:
    wrong = {w: f"{w!r} is no KEY=VALUE." for w in words if "=" not in w}
    pairs = [w.split("=", 1) for w in words if "=" in w]
    keys = [key for key, _ in pairs]
    wrong |= {key: f"{key} is given twice: give it once." for key in keys if keys.count(key) > 1}
    if wrong:
        raise InvalidInputs(wrong)
    return dict(pairs)


def _batch(file: str) -> None:
    from brumel.services.reckon.batch import batch

    with opened(file) as source:
        write = sys.stdout.write
        for line in batch(source):
            write(line + "\n")
    sys.stdout.flush()


def _csv(name: str, given: dict[str, str], file: str, out: str | None) -> None:
    from brumel.services.reckon.columns import append_columns

    find(name)
    with opened(file) as source:
        if out is None:
            rows, refused = append_columns(name, given, source, sys.stdout, _progress)
        else:
            spare(file, Path(out))
            with open(out, "w", encoding="utf-8", errors=_AS_THEY_ARE, newline="") as target:
                rows, refused = append_columns(name, given, source, target, _progress)
    click.echo(f"\rbrumel: {rows} rows; {refused} could not be calculated and say why", err=True)


def _progress(rows: int) -> None:
    if sys.stderr.isatty():
        click.echo(f"\rbrumel: {rows} rows", nl=False, err=True)


def opened(file: str) -> TextIO:
    """Open a file, or the standard input for ``-``; refuse one that can't be read.

    Bytes that are no UTF-8 come out of a table as they went in, and are refused where they would have to be understood.
    """
    for stream in (sys.stdin, sys.stdout):
        if isinstance(stream, TextIOWrapper):
            stream.reconfigure(errors=_AS_THEY_ARE)
    if file == "-":
        return sys.stdin
    try:
        return open(file, encoding="utf-8-sig", errors=_AS_THEY_ARE, newline="")
    except OSError as error:
        refuse(f"brumel: {file} can't be read: {error.strerror}.")


def spare(file: str, out: Path) -> None:
    """Refuse to write over the file that is read."""
    if file != "-" and out.exists() and out.samefile(file):
        refuse("brumel: --out is the file that is read: give another, the original is never overwritten.")


def refuse(words: str) -> NoReturn:
    """End with a sentence and the code of a wrong call."""
    click.echo(words, err=True)
    sys.exit(2)
