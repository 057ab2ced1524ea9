"""A calculation and its answer as plain data and as text: one shape for command line, files and JSON."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from brumel.core.reckoning.answers import Answer
from brumel.core.reckoning.definition import (
    REQUIRED,
    Calculation,
    Choice,
    Input,
    Moment,
    Number,
    Output,
    Points,
)
from brumel.core.wording import plain_number, signed
from brumel.core.words.kept_findings import working_plain


def plain_outputs(answer: Answer) -> dict[str, Any]:
    """Outputs fit for JSON: lists for arrays, None for what is not a number."""
    return {name: _plain(value) for name, value in answer.outputs.items()}


def plain_answer(answer: Answer) -> dict[str, Any]:
    """Return an answer with all that stands beside it, fit for JSON."""
    chosen = answer.calculation
    return {
        "calc": chosen.name,
        "outputs": plain_outputs(answer),
        "units": {o.name: o.unit for o in chosen.outputs if o.name in answer.outputs},
        "warnings": answer.warnings,
        **working_plain(answer.working),
        "source": chosen.source,
        "budgets": {
            name: [
                {"input": c.key, "u": c.u, "unit": c.unit, "sensitivity": c.sensitivity, "share": c.share}
                for c in budget.contributions
            ]
            for name, budget in answer.budgets.items()
        },
    }


def plain_calculation(chosen: Calculation) -> dict[str, Any]:
    """Return what a calculation takes and gives, fit for JSON."""
    return {
        "name": chosen.name,
        "title": chosen.title,
        "inputs": [_plain_input(i) for i in chosen.accepted],
        "outputs": [{"name": o.name, "label": o.label, "unit": o.unit} for o in chosen.outputs],
        "source": chosen.source,
        "note": chosen.note,
    }


_ROUNDING_NOISE = 1e-9
"""Below this a number is what floating point leaves of nought."""


def people_value(output: Output, value: Any) -> str:
    """Return an output as people read it: rounded, with its unit."""
    if value is None:
        return "never"
    if isinstance(value, str):
        return value
    unit = f" {output.unit}" if output.unit else ""
    if np.ndim(value):
        return ", ".join(signed(float(v), output.digits) for v in np.ravel(value)) + unit
    return f"{rounded(float(value), output.digits)}{unit}"


def rounded(value: float, digits: int) -> str:
    """Return a number to so many digits, to fewer where it is large, to more where little would be left of it.

    Examples
    --------
    >>> rounded(9.0924, 2), rounded(0.0004321, 2), rounded(1234567.0, 1), rounded(1.4e-14, 1)
    ('9.09', '0.000432', '1 234 567', '0.0')
    """
    if _ROUNDING_NOISE < abs(value) < 10.0**-digits * 5:
        text = f"{value:.3g}"
    elif abs(value) >= 10_000:
        text = f"{value:,.0f}".replace(",", "\u202f")
    else:
        text = f"{value:.{digits}f}"
    if not float(text.replace("\u202f", "")):  # zero has no sign
        text = text.removeprefix("-")
    return text.replace("-", "−").replace("\u202f", " ")


def answer_text(answer: Answer) -> str:
    """Return an answer as the command line prints it."""
    lines = []
    for o in answer.calculation.outputs:
        if o.name not in answer.outputs:
            continue
        u = answer.outputs.get(f"{o.name}_u")
        spread = "" if u is None else f"  (u = {float(u):.2g}, U = {2 * float(u):.2g} with k = 2)"
        lines.append(f"{o.label}: {people_value(o, answer.outputs[o.name])}{spread}")
    lines += [f"  Check: {sentence}" for sentence in answer.warnings]
    lines += [f"  {line}" for line in answer.in_words]
    for name, budget in answer.budgets.items():
        shares = ", ".join(f"{c.key} {c.share:.2g}" for c in budget.contributions)
        lines.append(f"  {name}_u from {shares}")
    lines.append(f"  Source: {answer.calculation.source}")
    if answer.calculation.note:
        lines.append(f"  {answer.calculation.note}")
    return "\n".join(lines)


def help_text(chosen: Calculation) -> str:
    """Return all that a calculation takes and gives, for the command line."""
    lines = [f"{chosen.name}: {chosen.title}", "", "Inputs"]
    lines += [f"  {i.name:34} {_help(i)}" for i in chosen.accepted]
    lines += ["  NAME_u".ljust(37) + "standard uncertainty (k = 1) of the number NAME, in its unit", "", "Outputs"]
    lines += [f"  {o.name:34} {o.label}{f', {o.unit}' if o.unit else ''}" for o in chosen.outputs]
    lines += ["", f"Source: {chosen.source}"]
    if chosen.note:
        lines.append(chosen.note)
    lines += ["", f"  ./brumel calc {chosen.name} {_example(chosen)}"]
    return "\n".join(lines)


def list_text(all_of_them: Mapping[str, Calculation]) -> str:
    """Return all calculations, one line each."""
    return "\n".join(f"{c.name:28} {c.title}" for c in all_of_them.values())


def _example(chosen: Calculation) -> str:
    parts = []
    for i in chosen.inputs:
        if i.default is not REQUIRED:
            continue
        if isinstance(i, Number):
            low, high = max(i.low, 0.0), i.high
            middle = i.allowed[-1] if i.allowed else low + min((high - low) / 2, 20.0) if np.isfinite(high) else 1.0
            parts.append(f"{i.name}={middle:g}")
        elif isinstance(i, Choice):
            parts.append(f"{i.name}={next(iter(i.options))}")
        elif isinstance(i, Moment):
            parts.append(f"{i.name}=2026-05-06T19:30:00+02:00")
        else:
            parts.append(f"""{i.name}='[{{{", ".join(f'"{f.name}": …' for f in i.fields)}}}, …]'""")
    return " ".join(parts)


def _help(i: Input) -> str:
    default = (
        "" if i.default is REQUIRED else "; may be left out" if i.default is None else f"; {i.default} if left out"
    )
    if isinstance(i, Number) and not isinstance(i.default, str) and i.default not in (REQUIRED, None):
        default = f"; {plain_number(i.default)} if left out{f', {i.assumed}' if i.assumed else ''}"
    hint = f" ({i.hint})" if i.hint else ""
    return f"{i.label}, {i.range_words}{default}{hint}"


def _plain_input(i: Input) -> dict[str, Any]:
    found: dict[str, Any] = {
        "name": i.name,
        "label": i.label,
        "required": i.default is REQUIRED,
        "range": i.range_words,
    }
    if i.default is not REQUIRED:
        found["default"] = i.default
    if isinstance(i, Number):
        found["unit"] = i.unit
    if isinstance(i, Choice):
        found["options"] = dict(i.options)
    if isinstance(i, Points):
        found["fields"] = [_plain_input(f) for f in i.fields]
    return found


def _plain(value: Any) -> Any:
    if isinstance(value, np.ndarray):
        return _plain(value.tolist())
    if isinstance(value, list):
        return [_plain(v) for v in value]
    if isinstance(value, float) and not np.isfinite(value):
        return None
    return value


def formulas_markdown(all_of_them: Mapping[str, Calculation]) -> str:
    """Return the formula page: every calculation with its formula, inputs, ranges and source."""
    lines = ["# Formulas", "", "Made from the registry by `./brumel calc --formulas`; T in kelvin, t in °C.", ""]
    for c in all_of_them.values():
        lines += [f"## {c.title}", "", f"`{c.name}`", "", f"    {c.formula}", ""]
        lines += [f"- in: `{i.name}`, {_help(i)}" for i in c.accepted]
        lines += [f"- out: `{o.name}`, {o.label}{f', {o.unit}' if o.unit else ''}" for o in c.outputs]
        lines += ["", f"Source: {c.source}.", ""]
        if c.note:
            lines += [c.note, ""]
    return "\n".join(lines).rstrip() + "\n"
