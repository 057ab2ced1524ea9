"""The OpenAPI document of the calculations, made from the registry."""

from __future__ import annotations

from typing import Any

import numpy as np

from brumel.core.reckoning.definition import REQUIRED, Calculation, Choice, Input, Number, Points, calculations

_NUMBERS = {"type": "array", "items": {"type": ["number", "null"]}}
_WITH_UNIT = {"type": "string", "pattern": "[0-9]", "description": "a number with its unit"}
_ERROR = {
    "type": "object",
    "properties": {
        "error": {"type": "string"},
        "fields": {
            "type": "object",
            "additionalProperties": {"type": "string"},
            "description": "for each input that can't be taken, a sentence with its range",
        },
    },
    "required": ["error"],
}


def document() -> dict[str, Any]:
    """Return the whole document, OpenAPI 3.1."""
    return {
        "openapi": "3.1.0",
        "info": {
            "title": "Brumel calculations",
            "version": "1",
            "description": "Calculations of the water-quality trade. Units are in the names. NAME_u is the standard "
            'uncertainty (k = 1) of NAME. Numbers may be lists; text may carry a unit ("66 °F").',
        },
        "paths": {
            "/api/v1/calculations": {
                "get": {"summary": "All calculations", "responses": {"200": {"description": "their description"}}},
                "post": {
                    "summary": "Several calculations in one call",
                    "requestBody": _json(
                        {
                            "type": "array",
                            "items": {
                                "type": "object",
                                "properties": {"calc": {"type": "string"}, "inputs": {"type": "object"}},
                                "required": ["calc", "inputs"],
                            },
                        }
                    ),
                    "responses": {
                        "200": {"description": "results, in order, each with outputs or error"},
                        "422": _refused(),
                    },
                },
            },
            **{f"/api/v1/calculations/{c.name}": _path(c) for c in calculations().values()},
        },
        "components": {"schemas": {"Error": _ERROR}},
    }


def _path(chosen: Calculation) -> dict[str, Any]:
    inputs: dict[str, Any] = {}
    for i in chosen.accepted:
        inputs[i.name] = _schema(i)
        if isinstance(i, Number) and not i.allowed:
            inputs[f"{i.name}_u"] = {"type": "number", "minimum": 0, "description": f"standard uncertainty of {i.name}"}
    outputs = {o.name: {"description": f"{o.label}{f', {o.unit}' if o.unit else ''}"} for o in chosen.outputs}
    body = {
        "type": "object",
        "properties": {
            "inputs": {
                "type": "object",
                "properties": inputs,
                "required": [i.name for i in chosen.inputs if i.default is REQUIRED],
                "additionalProperties": False,
            },
            "strict": {
                "type": "boolean",
                "default": True,
                "description": "false: an element out of range becomes null instead of refusing the call",
            },
        },
        "required": ["inputs"],
    }
    answer = {
        "type": "object",
        "properties": {
            "calc": {"const": chosen.name},
            "outputs": {"type": "object", "properties": outputs},
            "units": {"type": "object"},
            "warnings": {
                "type": "array",
                "items": {"type": "string"},
                "description": "implausible values, likely wrong units, defaults that matter",
            },
            "working": {"type": "array", "items": {"type": "string"}},
            "working_said": {"type": "array", "items": {}},
            "source": {"type": "string"},
            "budgets": {"type": "object"},
        },
    }
    return {
        "get": {
            "summary": f"What {chosen.name} takes and gives",
            "responses": {"200": {"description": "its description"}},
        },
        "post": {
            "summary": chosen.title,
            "description": f"{chosen.formula}. Source: {chosen.source}",
            "requestBody": _json(body),
            "responses": {"200": {"description": "the answer", "content": _content(answer)}, "422": _refused()},
        },
    }


def _schema(i: Input) -> dict[str, Any]:
    words = f"{i.label}: {i.range_words}"
    if isinstance(i, Number):
        one: dict[str, Any] = {"type": "number"}
        if i.allowed:
            one = {"enum": list(i.allowed)}
        else:
            if np.isfinite(i.low):
                one["exclusiveMinimum" if i.above else "minimum"] = i.low
            if np.isfinite(i.high):
                one["maximum"] = i.high
        return {"description": words, "anyOf": [one, _WITH_UNIT] + ([] if i.scalar else [_NUMBERS])}
    if isinstance(i, Choice):
        return {"description": words, "enum": list(i.options)}
    if isinstance(i, Points):
        fields = {f.name: _schema(f)["anyOf"][0] for f in i.fields}
        return {
            "description": words,
            "type": "array",
            "items": {"type": "object", "properties": fields, "required": [f.name for f in i.fields]},
        }
    return {"description": words, "type": "string", "format": "date-time"}


def _refused() -> dict[str, Any]:
    return {"description": "an input can't be taken", "content": _content({"$ref": "#/components/schemas/Error"})}


def _json(schema: dict[str, Any]) -> dict[str, Any]:
    return {"required": True, "content": _content(schema)}


def _content(schema: dict[str, Any]) -> dict[str, Any]:
    return {"application/json": {"schema": schema}}
