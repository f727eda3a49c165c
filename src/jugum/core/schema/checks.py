"""Checking a document's values against its plan, and the reasons why a person must look."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from jugum.core.schema.plan import Plan
from jugum.core.values import normal_form


class HoldReason(StrEnum):
    LOW_CONFIDENCE = "low confidence"
    MISSING = "missing"
    FAILS_A_CHECK = "fails a check"


@dataclass(frozen=True)
class Problem:
    """What is wrong with a field's values, in words for the person who settles it."""

    field_key: str
    reason: HoldReason
    detail: str


def problems_of(plan: Plan, values: Mapping[str, Sequence[str]]) -> list[Problem]:
    """Required fields without a value, values that their data type can't read, and several values of a field that
    has one. `values` maps field keys to texts as they stand on the paper."""
    problems = []
    for field in plan.fields:
        texts = values.get(field.key, ())
        if not texts and field.required:
            problems.append(Problem(field.key, HoldReason.MISSING, f"{field.name} is required and was not found"))
        for text in texts:
            if normal_form(text, field.data_type) is None:
                problems.append(
                    Problem(
                        field.key, HoldReason.FAILS_A_CHECK, f"“{text}” can't be read as {_an(field.data_type.value)}"
                    )
                )
        if len(texts) > 1 and not field.many:
            problems.append(
                Problem(field.key, HoldReason.FAILS_A_CHECK, f"{field.name} has {len(texts)} values, one is meant")
            )
    return problems


def _an(noun: str) -> str:
    return f"{'an' if noun[0] in 'aeiou' else 'a'} {noun}"
