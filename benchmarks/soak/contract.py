"""Requests made up from our OpenAPI document, wrong and right ones, with the numbers of things that are there.

No answer may be a 5xx but a 503 that says when to come again, and each has to be as the document says.
"""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Any

import schemathesis
from hypothesis import HealthCheck, Phase, given, seed, settings
from hypothesis import strategies as st
from jsonschema import Draft202012Validator

LEFT_OUT = ("/events",)  # a stream that does not end
BROWSER = {"Host": "127.0.0.1", "Accept-Encoding": "identity"}


class Broken(AssertionError):
    """An answer that may not be."""


def fuzz(
    schema: Any,
    real: Mapping[str, Sequence[Any]],
    *,
    examples: int,
    number: int,
    until: float = float("inf"),
    **asking: Any,
) -> Counter[str]:
    """Call every operation with made-up requests; Broken at the first answer that may not be.

    Parameters
    ----------
    schema : schemathesis schema
        Of the application or of a server.
    real : mapping
        By the name of a path's parameter: values of things that are there. Others are tried, too.
    examples : int
        Requests an operation.
    number : int
        Seed.
    until : float
        Monotonic time after which no further operation is begun.
    asking
        How it is called: `timeout` of a server's answers.

    Returns
    -------
    Counter
        Answers by status.
    """
    told: Counter[str] = Counter()
    for found in schema.get_all_operations():
        operation = found.ok()
        if time.monotonic() > until or operation.path.endswith(LEFT_OUT):
            continue
        _try(operation, real, examples, number, told, asking)
    return told


def _try(operation: Any, real: Mapping[str, Sequence[Any]], examples: int, number: int, told: Counter[str], asking: Any) -> None:
    modes = [
        operation.as_strategy(generation_mode=mode)
        for mode in (schemathesis.GenerationMode.POSITIVE, schemathesis.GenerationMode.NEGATIVE)
    ]

    @seed(number)
    @settings(
        max_examples=examples, deadline=None, database=None, phases=[Phase.explicit, Phase.generate],
        suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    @given(case=st.one_of(modes), data=st.data())
    def call(case: Any, data: Any) -> None:
        for name in case.path_parameters or {}:
            if real.get(name) and data.draw(st.integers(0, 4)):
                case.path_parameters[name] = data.draw(st.sampled_from(list(real[name])))
        answer = case.call(headers={**(case.headers or {}), **BROWSER}, **asking)
        told[str(answer.status_code)] += 1
        if answer.status_code == 503 and "Retry-After" in {k.title() for k in answer.headers}:
            return
        if answer.status_code >= 500:
            raise Broken(
                f"{case.method} {case.formatted_path}: {answer.status_code} {answer.text[:300]}\n{case.as_curl_command()[:2000]}"
            )
        wrong = undocumented(operation, answer)
        if wrong:
            raise Broken(f"{case.method} {case.formatted_path}: {wrong}\n{case.as_curl_command()[:2000]}")

    call()


def undocumented(operation: Any, answer: Any) -> str:
    """What of an answer is not as the document says; empty when all is."""
    kind = answer.headers.get("content-type", [""])[0].partition(";")[0]
    told = operation.definition.raw["responses"]
    described = told.get(str(answer.status_code), told["default"] if answer.status_code >= 400 else None)
    if described is None:
        return f"the status {answer.status_code} is not in the document"
    if answer.status_code == 204 or not answer.content:
        return ""
    if kind not in described.get("content", {}):
        return f"{answer.status_code} as {kind} is not in the document"
    schema = described["content"][kind].get("schema", {})
    if not kind.endswith("json"):
        return ""
    whole = {**schema, "components": operation.schema.raw_schema["components"]}
    error = next(iter(Draft202012Validator(whole).iter_errors(answer.json())), None)
    return "" if error is None else f"{answer.status_code}: {error.message[:300]} at {'/'.join(map(str, error.absolute_path))}"
