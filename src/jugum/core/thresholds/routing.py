"""Which fields of a drafted paper pass by themselves and which are held for a person, and why.

Everything here is a rule over plain values: what was drafted, the plan, the policy. Reading the policy and writing
the holds is flow's.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace

from jugum.core.schema import (
    CheckOutcome,
    Context,
    FieldKind,
    FieldPlan,
    HoldReason,
    Judgement,
    Plan,
    Problem,
    Severity,
    derive,
    judge,
    sources_of,
    text_problem,
)
from jugum.core.thresholds.drafted import DraftedField
from jugum.core.thresholds.opening import Opening

CERTAIN = 1.0  # confidence of what vouches for itself, as a zone's check digits do; what is measured stays below
TABLE_ROW = "row"  # stands for a row of a table where only its being there counts
ALWAYS_HELD = "the policy sends this field to a person whatever its confidence"
SUSPENDED = "the policy is suspended: too much of what passed by it was wrong"
NO_POLICY = "no policy sets a threshold for it yet: set one in Weigh"


@dataclass(frozen=True)
class Gate:
    """What a policy asks of one field: the least confidence and the least likeness of the layout, both 0–1; of one that
    is `always_held` no confidence is enough, for the reason that is said."""

    threshold: float
    layout_similarity_min: float
    always_held: bool = False
    held_because: str = ALWAYS_HELD

    def passes(self, confidence: float | None, layout_similarity: float | None) -> bool:
        """Whether a decision passes: one that vouches for itself always does, one that nothing measured never."""
        if self.always_held or confidence is None:
            return False
        return confidence >= CERTAIN or (confidence >= self.threshold and self.knows(layout_similarity))

    def knows(self, layout_similarity: float | None) -> bool:
        """Whether a layout is similar enough to labelled ones; where nothing compared it, nothing speaks against."""
        return layout_similarity is None or layout_similarity >= self.layout_similarity_min


@dataclass(frozen=True)
class Thresholds:
    """A policy as routing needs it: the threshold of each field by its key, and the least likeness of the layout,
    all 0–1; the keys of fields that always go to a person, which all do while it is `suspended`; and when a paper is
    worth opening (None: whenever a field is held)."""

    by_field: Mapping[str, float]
    layout_similarity_min: float
    always_held: frozenset[str] = frozenset()
    suspended: bool = False
    opening: Opening | None = None

    def gate(self, key: str) -> Gate | None:
        """What is asked of a field; None where the policy has no threshold for it."""
        if self.suspended:
            return Gate(1.0, self.layout_similarity_min, always_held=True, held_because=SUSPENDED)
        if key in self.always_held:
            return Gate(1.0, self.layout_similarity_min, always_held=True)
        return Gate(self.by_field[key], self.layout_similarity_min) if key in self.by_field else None

    def opens(self, held: Mapping[str, tuple[float | None, float | None]]) -> bool:
        """Whether a paper is opened on which some fields are held, for nothing but their confidence or their layout
        (key → confidence, likeness of the layout)."""
        if self.opening is None:
            return True
        unsure = []
        for key, (confidence, similarity) in held.items():
            gate = self.gate(key)
            if gate is None or gate.always_held or confidence is None or not gate.knows(similarity):
                return True
            unsure.append((key, confidence))
        return self.opening.is_worth(unsure)


def problems_of_draft(
    plan: Plan, drafted: Mapping[str, DraftedField], thresholds: Thresholds | None
) -> dict[str, Problem]:
    """Field key → why a person must look at it, for the fields that don't pass. Columns are judged with their table;
    derived fields never wait. Without a policy everything that has a value waits."""
    found: dict[str, Problem] = {}
    for field in plan.fields:
        # A derived field is as good as its sources, which are judged; a column has no confidence of its own.
        if field.kind is FieldKind.DERIVED or field.is_column:
            continue
        gate = thresholds.gate(field.key) if thresholds else None
        problem = (
            table_problem(field, plan.inside(field.key), drafted, gate)
            if field.kind is FieldKind.TABLE
            else value_problem(field, drafted.get(field.key), gate)
        )
        if problem is not None:
            found[field.key] = problem
    return found


def hold_for(
    field: FieldPlan, texts: Sequence[str], confidence: float, layout_similarity: float | None, gate: Gate
) -> Problem | None:
    """Why a measured field must wait, or None when it passes.

    In this order: a required field without value, a value its data type can't read or with a wrong check digit, a
    field that is always held, a new layout, a confidence below the threshold. The last three hold "it is not there"
    too.
    """
    if not texts and field.required:
        return _missing(field)
    for text in texts:
        # No confidence helps a value that can't be what its type says.
        if text != TABLE_ROW and (unreadable := text_problem(field, text)):
            return unreadable
    if gate.passes(confidence, layout_similarity):
        return None
    if gate.always_held:
        return Problem(field.key, HoldReason.LOW_CONFIDENCE, gate.held_because)
    # A gate of its own, before the confidence: how sure a reading of a strange layout is says little (decision 0003).
    if layout_similarity is not None and not gate.knows(layout_similarity):
        least = 100 * gate.layout_similarity_min
        detail = f"new layout: similarity {100 * layout_similarity:.0f} %, minimum {least:.0f} %"
    else:
        detail = f"confidence {100 * confidence:.0f} %, threshold {100 * gate.threshold:.0f} %"
    return Problem(field.key, HoldReason.LOW_CONFIDENCE, detail)


def value_problem(field: FieldPlan, drafted: DraftedField | None, gate: Gate | None) -> Problem | None:
    """Why a value, clause or mark must wait; None when it passes. `gate` is None where no policy has a threshold for
    it."""
    if drafted is None:
        return Problem(field.key, HoldReason.MISSING, "nothing has read this field yet")
    problem = _value_problem(field, drafted, gate)
    if problem and problem.reason is HoldReason.LOW_CONFIDENCE and drafted.by_hand:
        return replace(problem, detail=f"{problem.detail}; written by hand")
    return problem


def _value_problem(field: FieldPlan, drafted: DraftedField, gate: Gate | None) -> Problem | None:
    texts = [text for text in drafted.texts if text is not None]
    if drafted.confidence is None:
        return _unmeasured(field, drafted, texts)
    waits = hold_for(field, texts, drafted.confidence, drafted.layout_similarity, gate or Gate(0.0, 0.0))
    if gate is None and waits is None and drafted.confidence < CERTAIN:
        return Problem(field.key, HoldReason.LOW_CONFIDENCE, NO_POLICY)
    return waits


def _unmeasured(field: FieldPlan, drafted: DraftedField, texts: Sequence[str]) -> Problem | None:
    """Values that no figure speaks for yet wait for a person; an optional field that was not found does not."""
    if not texts:
        return _missing(field) if field.required else None
    wrong = next((found for text in texts if (found := text_problem(field, text))), None)
    if wrong is not None:
        return wrong
    if drafted.chosen_by:  # A check picked it, so the same check can't vouch for it.
        return Problem(
            field.key, HoldReason.LOW_CONFIDENCE, f"chosen because a check holds with it: {drafted.chosen_by}"
        )
    engine = next(value.engine for value in drafted.values if value)
    return Problem(
        field.key, HoldReason.LOW_CONFIDENCE, f"read by {engine}; how often that is right is not measured yet"
    )


def table_problem(
    table: FieldPlan, columns: Sequence[FieldPlan], drafted: Mapping[str, DraftedField], gate: Gate | None
) -> Problem | None:
    """Why a table must wait, as a whole: its own confidence, then its cells."""
    rows = max((len(drafted[column.key].values) for column in columns if column.key in drafted), default=0)
    whole = drafted.get(table.key)
    if whole is not None and whole.confidence is not None:
        if gate is None:
            return Problem(table.key, HoldReason.LOW_CONFIDENCE, NO_POLICY) if rows or table.required else None
        found = hold_for(table, (TABLE_ROW,) * rows, whole.confidence, whole.layout_similarity, gate)
        # A sure table may still hold a cell that can't be right.
        return found or _cell_problem(table, columns, drafted)
    if not rows:
        return _missing(table) if table.required else None
    counted = f"{rows} {'row' if rows == 1 else 'rows'}"
    detail = f"{counted} read by the heads of the columns; how often that is right is not measured yet"
    return Problem(table.key, HoldReason.LOW_CONFIDENCE, detail)


def _cell_problem(
    table: FieldPlan, columns: Sequence[FieldPlan], drafted: Mapping[str, DraftedField]
) -> Problem | None:
    """The first cell that is none by its column's pattern, options or check digit; of a required column, one that is
    empty."""
    for column in columns:
        for number, text in enumerate(drafted[column.key].texts if column.key in drafted else (), 1):
            if text is not None and (wrong := text_problem(column, text)):
                return Problem(table.key, wrong.reason, f"row {number}: {wrong.detail}")
            if text is None and column.required:
                return Problem(table.key, HoldReason.MISSING, f"row {number} has no {column.name}")
    return None


def _missing(field: FieldPlan) -> Problem:
    return Problem(field.key, HoldReason.MISSING, f"{field.name} is required and was not found")


# ---- Checks ----------------------------------------------------------------------------------------------------------


def holder_of(plan: Plan, key: str) -> str:
    """The field a person settles for a key: a column's table, else itself."""
    return plan.field(key).inside if "." in key else key


def holds_of_check(
    plan: Plan, failing: Judgement, held: Collection[str], confidences: Mapping[str, float | None]
) -> str | None:
    """Which of the fields a failing check concerns is held for it: one that is held already, else the least sure
    (what was not measured is less sure than anything measured; of equals the first that the check names). None when
    the check concerns no field of the plan."""
    known = {field.key for field in plan.fields}
    keys = list(dict.fromkeys(holder_of(plan, key) for key in sources_of(plan, failing.fields) if key in known))
    if not keys:
        return None
    already = next((key for key in keys if key in held), None)  # one look at one field settles both
    return already or min(keys, key=lambda key: _sureness(confidences.get(key)))


def _sureness(confidence: float | None) -> float:
    return -1.0 if confidence is None else confidence  # below 0, the least confidence that is measured


def words_of_failing(failing: Judgement) -> str:
    """What a hold says of a failing check, and what can be done about it."""
    blocks = failing.check.severity is Severity.BLOCKING
    word = "correct it, or say that it stands so on the paper" if blocks else "may be accepted as it is"
    return f"{failing.said} ({word})"


# ---- The whole paper -------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class FieldHold:
    """A field that waits for a person, and the keys of the checks it waits for."""

    problem: Problem
    checks: tuple[str, ...] = ()

    def and_for(self, failing: Judgement) -> FieldHold:
        """The same, waiting for one more check."""
        if failing.check.key in self.checks:
            return self
        detail = f"{self.problem.detail}; {words_of_failing(failing)}"
        return FieldHold(replace(self.problem, detail=detail), (*self.checks, failing.check.key))

    @staticmethod
    def of(key: str, reason: HoldReason, detail: str, checks: Sequence[str]) -> FieldHold:
        """A hold for a decision that does not pass, with its reason in words."""
        return FieldHold(Problem(key, reason, detail), tuple(checks))

    @staticmethod
    def for_check(key: str, failing: Judgement) -> FieldHold:
        """A hold for a check that fails."""
        return FieldHold(Problem(key, HoldReason.FAILS_A_CHECK, words_of_failing(failing)), (failing.check.key,))


@dataclass(frozen=True)
class Routed:
    """What becomes of a drafted paper: the fields that are held, by key; the keys of those whose drafted values pass
    (columns by their own keys); derived fields with their values."""

    holds: Mapping[str, FieldHold]
    passing: tuple[str, ...]
    derived: Mapping[str, tuple[str, ...]]


def route(plan: Plan, drafted: Mapping[str, DraftedField], thresholds: Thresholds | None, context: Context) -> Routed:
    """Hold what does not pass by itself, then what failing checks speak against; the rest passes. A check that fails
    holds one field. Where nothing waits but values that are not worth opening the paper for, all of it passes."""
    holds = {key: FieldHold(problem) for key, problem in problems_of_draft(plan, drafted, thresholds).items()}
    tables = {field.key for field in plan.fields if field.kind is FieldKind.TABLE}
    texts = {key: one.texts for key, one in drafted.items() if key not in tables}
    confidences = {key: one.confidence for key, one in drafted.items()}
    for judgement in judge(plan, texts, context):
        if judgement.outcome is CheckOutcome.FAILS:
            hold_for_check(plan, judgement, holds, confidences)
    if holds and thresholds is not None and not _is_opened(holds, drafted, thresholds):
        holds = {}
    passing = tuple(key for key in drafted if key not in tables and holder_of(plan, key) not in holds)
    _, derived = derive(plan, texts, context)
    return Routed(holds, passing, derived)


def _is_opened(holds: Mapping[str, FieldHold], drafted: Mapping[str, DraftedField], thresholds: Thresholds) -> bool:
    """Whether the holds of a paper are worth opening it; what waits for another reason than its confidence, was written
    by hand, or was not measured (a table that the plan alone reads), always is."""
    unsure: dict[str, tuple[float | None, float | None]] = {}
    for key, hold in holds.items():
        field = drafted.get(key)
        if hold.checks or hold.problem.reason is not HoldReason.LOW_CONFIDENCE or field is None or field.by_hand:
            return True
        unsure[key] = (field.confidence, field.layout_similarity)
    return thresholds.opens(unsure)


def hold_for_check(
    plan: Plan, failing: Judgement, holds: dict[str, FieldHold], confidences: Mapping[str, float | None]
) -> str | None:
    """Add a failing check to the hold of one of its fields (see `holds_of_check`), or hold that field; returns its
    key."""
    key = holds_of_check(plan, failing, holds, confidences)
    if key is not None:
        holds[key] = holds[key].and_for(failing) if key in holds else FieldHold.for_check(key, failing)
    return key
