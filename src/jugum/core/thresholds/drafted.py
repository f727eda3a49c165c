"""What was drafted for a field of a paper, from whichever engine: a version's decision, or what the plan alone
finds."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from dataclasses import field as kept

from jugum.core.classification.layout_book import NEW_LAYOUT
from jugum.core.extraction.decided import PartDecision, PartKind
from jugum.core.extraction.found import EngineName, Finding, Found
from jugum.core.extraction.values.assignment import Choice, Decision
from jugum.core.schema import Context, FieldKind, FieldPlan, Plan, choose
from jugum.core.values import DataType


@dataclass(frozen=True)
class DraftedField:
    """What was drafted for a field: its values in order (None for a table's empty cells), the candidates next in
    line, the confidence (0–1; None where nothing has measured it), the likeness (0–1) of the paper's layout to the
    most alike labelled one (None where nothing has compared it), why another value than the likeliest was taken,
    the raw scores behind it, and the layout group that a version took the paper for."""

    values: tuple[Found | None, ...]
    others: tuple[Found, ...]
    confidence: float | None
    layout_similarity: float | None
    chosen_by: str = ""
    scores: Mapping[str, float] = kept(default_factory=dict)
    layout: int = NEW_LAYOUT

    @property
    def by_hand(self) -> bool:
        """Whether a pen wrote any of it."""
        return any(value.by_hand for value in self.values if value)

    @property
    def texts(self) -> tuple[str | None, ...]:
        """The values as they are printed."""
        return tuple(value.text if value else None for value in self.values)


def drafted_by_version(
    decision: Decision | PartDecision, confidence: float | None, plan: Mapping[str, FieldPlan]
) -> dict[str, DraftedField]:
    """What a version decided about a field of the plan (key → field), by key; a table as itself (its confidence, no
    values) and as its columns."""
    drafted = _of_decision(decision, confidence, plan)
    return {key: replace(one, layout=decision.layout) for key, one in drafted.items()}


def _of_decision(
    decision: Decision | PartDecision, confidence: float | None, plan: Mapping[str, FieldPlan]
) -> dict[str, DraftedField]:
    if isinstance(decision, Decision):
        return {decision.field: _of_value(decision, confidence)}
    if decision.kind is not PartKind.TABLE:
        return {decision.field: _of_part(decision, confidence, plan[decision.field])}
    columns = {
        key: DraftedField(column, (), confidence, decision.layout_similarity, scores=decision.why)
        for key, column in decision.values.items()
        if key in plan
    }
    # The table passes as a whole, so its confidence stands once, not in each column alone.
    return {decision.field: DraftedField((), (), confidence, decision.layout_similarity), **columns}


def _of_value(decision: Decision, confidence: float | None) -> DraftedField:
    def found(choice: Choice) -> Found:
        one = choice.candidate
        return Found(
            one.text,
            one.normal,
            one.page,
            one.box,
            choice.logit,
            EngineName.MODEL,
            decision.why,
            reading=one.confidence,
            by_hand=one.by_hand,
        )

    values, others = tuple(map(found, decision.chosen)), tuple(map(found, decision.others))
    return DraftedField(values, others, confidence, decision.layout_similarity, scores=decision.scores)


def _of_part(decision: PartDecision, confidence: float | None, field: FieldPlan) -> DraftedField:
    values = decision.values[decision.field]
    sure = 1.0 if _whole_zone(field, values) else confidence
    return DraftedField(values, decision.others, sure, decision.layout_similarity, scores=decision.why)


def _whole_zone(field: FieldPlan, values: tuple[Found | None, ...]) -> bool:
    """A machine-readable zone that is whole is sure by its own check digits."""
    return (
        field.data_type is DataType.ZONE
        and bool(values)
        and all(value is not None and value.score >= 1 for value in values)
    )


def drafted_by_plan(field: FieldPlan, finding: Finding) -> DraftedField:
    """What the plan alone finds; nothing has measured its engines on this type, but a whole zone vouches for itself."""
    sure = 1.0 if _whole_zone(field, finding.values[:1]) else None
    return DraftedField(finding.values, finding.others, sure, None)


def checks_as_evidence(plan: Plan, drafted: Mapping[str, DraftedField], context: Context) -> dict[str, DraftedField]:
    """The same, but where a check fails that may choose, with another candidate of one field that makes it hold; see
    `choose`."""
    kinds = {field.key: field for field in plan.fields}
    texts = {key: one.texts for key, one in drafted.items() if kinds[key].kind is not FieldKind.TABLE}
    others = {
        key: [other.text for other in one.others]
        for key, one in drafted.items()
        # of several values nobody could say which one to change
        if not kinds[key].many and not kinds[key].is_column and kinds[key].kind is not FieldKind.TABLE
    }
    chosen = choose(plan, texts, others, context)
    if chosen is None:
        return dict(drafted)
    return {**drafted, chosen.field: _taking(drafted[chosen.field], chosen.other, chosen.check.said)}


def _taking(before: DraftedField, other: int, why: str) -> DraftedField:
    """With the candidate next in line at a place as its value; its confidence is then measured by nothing."""
    first = tuple(value for value in before.values if value)
    rest = tuple(one for number, one in enumerate(before.others) if number != other)
    # What was likeliest stays the first of the others: a person sees it at one glance.
    return DraftedField((before.others[other],), (*first, *rest), None, before.layout_similarity, why)
