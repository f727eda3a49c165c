"""Which decisions pass by themselves and which are held for a person."""

from __future__ import annotations

from dataclasses import dataclass

from jugum.core.schema import FieldPlan, HoldReason, Problem, text_problem


@dataclass(frozen=True)
class Rule:
    """A policy's rule for one field: the least confidence, and the least familiarity of the layout, both 0–1."""

    threshold: float
    familiarity_least: float


@dataclass(frozen=True)
class Drafted:
    """What a model drafted for a field: texts as they stand on the paper, confidence and familiarity (0–1)."""

    texts: tuple[str, ...]
    confidence: float
    familiarity: float


def hold_for(field: FieldPlan, drafted: Drafted, rule: Rule) -> Problem | None:
    """Why a person must look at this field, or None when it passes.

    In this order: a required field without value, a value its data type can't read or with a wrong check digit, a strange layout, a confidence
    below the threshold. The last two hold "it is not there" too.
    """
    if not drafted.texts and field.required:
        return Problem(field.key, HoldReason.MISSING, f"{field.name} is required and was not found")
    for text in drafted.texts:
        if unreadable := text_problem(field, text):
            return unreadable
    if drafted.familiarity < rule.familiarity_least:
        return Problem(
            field.key,
            HoldReason.LOW_CONFIDENCE,
            f"its layout is {100 * drafted.familiarity:.0f} % like a labelled paper, {100 * rule.familiarity_least:.0f} % is asked",
        )
    if drafted.confidence < rule.threshold:
        return Problem(
            field.key,
            HoldReason.LOW_CONFIDENCE,
            f"{100 * drafted.confidence:.0f} % sure, {100 * rule.threshold:.0f} % is asked",
        )
    return None
