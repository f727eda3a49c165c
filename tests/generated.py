"""The whole API with requests that are generated from its own description: valid ones, and ones that break it."""

from __future__ import annotations

import contextlib
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any
from unittest import SkipTest

import requests
import schemathesis
from hypothesis import HealthCheck, Phase, given, seed, settings
from hypothesis import strategies as st
from hypothesis.errors import Unsatisfiable
from schemathesis.checks import content_type_conformance, not_a_server_error, response_schema_conformance
from schemathesis.checks import status_code_conformance as documented_status
from schemathesis.core.failures import FailureGroup
from schemathesis.generation import GenerationMode

ANSWER_SECONDS = 30.0
CHECKS = [not_a_server_error, documented_status, content_type_conformance, response_schema_conformance]


@dataclass
class Found:
    """What came of it: answers by status, and what was wrong by operation (each kind of fault once)."""

    answers: Counter[int] = field(default_factory=Counter)
    faults: dict[tuple[str, str], str] = field(default_factory=dict)
    slowest: tuple[float, str] = (0.0, "")


def ask_all(
    description: dict[str, Any],
    url: str,
    session: requests.Session,
    known: Mapping[str, Sequence[Any]],
    *,
    examples: int,
    start: int = 1,
    left_out: Sequence[str] = (),
) -> Found:
    """Send `examples` valid and as many broken requests to each operation of the application at a URL, as whom the
    session is. `known` are names of path parameters with what is there, used for most of them."""
    found = Found()
    without_keys = {**description, "security": []}  # else the key would be made up, too
    for result in schemathesis.openapi.from_dict(without_keys).get_all_operations():
        operation = result.ok()
        if operation.label in left_out:
            continue
        for mode in (GenerationMode.POSITIVE, GenerationMode.NEGATIVE):
            _ask(operation, mode, url, session, known, examples, start, found)
    return found


def _ask(
    operation: Any,
    mode: GenerationMode,
    url: str,
    session: requests.Session,
    known: Mapping[str, Sequence[Any]],
    examples: int,
    start: int,
    found: Found,
) -> None:
    @seed(start)
    @settings(
        max_examples=examples,
        database=None,
        deadline=None,
        phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )
    @given(st.data())
    def asked(data: Any) -> None:
        case = data.draw(operation.as_strategy(generation_mode=mode))
        for name in case.path_parameters or {}:
            if name in known and data.draw(st.integers(0, 9)) > 0:
                case.path_parameters[name] = data.draw(st.sampled_from(list(known[name])))
        _send(case, url, session, found)

    with contextlib.suppress(Unsatisfiable, SkipTest):  # nothing can break what takes nothing
        asked()


def _send(case: Any, url: str, session: requests.Session, found: Found) -> None:
    label = case.operation.label
    try:
        answer = case.call(base_url=url, session=session, timeout=ANSWER_SECONDS)
    except requests.RequestException as error:
        found.faults.setdefault((label, type(error).__name__), str(error)[:600])
        return
    found.answers[answer.status_code] += 1
    found.slowest = max(found.slowest, (answer.elapsed, label))
    try:
        case.validate_response(answer, checks=CHECKS)
    except FailureGroup as group:
        for error in group.exceptions:
            said = f"{answer.status_code} {answer.content[:300]!r}: {error} for {case.as_curl_command()}"
            found.faults.setdefault((label, type(error).__name__), said[:1500])
