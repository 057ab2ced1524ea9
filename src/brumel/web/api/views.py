"""The calculations as JSON. They hold nothing and change nothing, so nobody need sign in."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, jsonify, request
from flask.typing import ResponseReturnValue

from brumel.core.outside_data import UnreadableText, read_json
from brumel.core.reckoning.answers import calculate
from brumel.core.reckoning.definition import InvalidInputs, calculations, find
from brumel.services.reckon.batch import answer_or_error
from brumel.services.reckon.faces import plain_answer, plain_calculation
from brumel.services.reckon.openapi import document
from brumel.services.units import typed_inputs

blueprint = Blueprint("api", __name__, url_prefix="/api/v1")


@blueprint.get("/openapi.json")
def openapi() -> ResponseReturnValue:
    """Show the OpenAPI document of this interface."""
    return jsonify(document())


@blueprint.get("/calculations")
def list_all() -> ResponseReturnValue:
    """Show all calculations with their inputs and outputs."""
    return jsonify(calculations=[plain_calculation(c) for c in calculations().values()])


@blueprint.post("/calculations")
def several() -> ResponseReturnValue:
    """Several calculations, each with its outputs or its error, in order."""
    asked = _body()
    jobs = asked if isinstance(asked, list) else [asked]
    results = [
        answer_or_error(job.get("calc"), job.get("inputs"))
        if isinstance(job, dict)
        else {"calc": None, "error": "Each entry must be an object with calc and inputs."}
        for job in jobs
    ]
    if isinstance(asked, list):
        return jsonify(results=results)
    return jsonify(results[0]), 422 if "error" in results[0] else 200


@blueprint.get("/calculations/<name>")
def describe(name: str) -> ResponseReturnValue:
    """Show one calculation's inputs, outputs, ranges and source."""
    return jsonify(plain_calculation(find(name)))


@blueprint.post("/calculations/<name>")
def work(name: str) -> ResponseReturnValue:
    """Calculate; numbers may be lists, text may carry a unit."""
    chosen = find(name)
    asked = _body()
    if not isinstance(asked, dict):
        raise InvalidInputs({"inputs": 'The body must be an object: {"inputs": {…}}.'})
    inputs = asked.get("inputs", {k: v for k, v in asked.items() if k != "strict"})
    if not isinstance(inputs, dict):
        raise InvalidInputs({"inputs": "inputs must be an object of names and values."})
    strict = asked.get("strict", True)
    if not isinstance(strict, bool):
        raise InvalidInputs({"strict": "strict must be true or false."})
    answer = calculate(name, typed_inputs(chosen, inputs), strict=strict)
    return jsonify(plain_answer(answer))


def _body() -> Any:
    try:
        return read_json(request.get_data(), "The body")
    except UnreadableText as error:
        raise InvalidInputs({"inputs": f'{error} Wanted is {{"inputs": {{…}}}}.'}) from None
