"""A decision against the labels: right or wrong, and what it counts in precision and recall."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from jugum.core.extraction.candidates.samples import SampleLabel
from jugum.core.extraction.decided import PartDecision, PartKind
from jugum.core.extraction.parts import expected_of, judged, marked, part_right
from jugum.core.extraction.tables.cells import Cells, cells_of
from jugum.core.extraction.values.assignment import Decision
from jugum.core.schema import FieldPlan, Plan
from jugum.core.values import same_value


@dataclass(frozen=True)
class Counts:
    """Values found rightly, found at all, and there."""

    right: int = 0
    found: int = 0
    there: int = 0

    def __add__(self, other: Counts) -> Counts:
        return Counts(self.right + other.right, self.found + other.found, self.there + other.there)

    @property
    def precision(self) -> float:
        """Share of what was found that is right; 1 when nothing was found."""
        return self.right / self.found if self.found else 1.0

    @property
    def recall(self) -> float:
        """Share of what is there that was found rightly; 1 when nothing is there."""
        return self.right / self.there if self.there else 1.0

    @property
    def f1(self) -> float:
        """Harmonic mean of precision and recall: 8 right of 10 found and 16 there → 0.615. 1 when there is nothing
        to find and nothing was found."""
        return 2 * self.right / (self.found + self.there) if self.found + self.there else 1.0


@dataclass(frozen=True)
class Verdict:
    """A decision against the labels: whether it is right, what was found and what was labelled (each on one line),
    what it counts in precision and recall (its values; of a table the cells), and a table's cells and rows."""

    right: bool
    found: str
    expected: str
    counts: Counts
    cells: Cells | None = None


def rightly_found(decision: Decision, labels: Sequence[SampleLabel], field: FieldPlan) -> int:
    """How many of the values chosen are labelled ones in normal form, in any order."""
    left = [label.normal for label in labels]
    for choice in decision.chosen:
        match = next((value for value in left if same_value(value, choice.candidate.normal, field.data_type)), None)
        if match is not None:
            left.remove(match)  # each label once: the same value found twice is right once
    return len(labels) - len(left)


def is_right(decision: Decision, labels: Sequence[SampleLabel], field: FieldPlan) -> bool:
    """Whether the values chosen are exactly the labelled ones in normal form, in any order; none on both sides
    counts."""
    return rightly_found(decision, labels, field) == len(decision.chosen) == len(labels)


def verdict_on(
    plan: Plan, decision: Decision | PartDecision, labels: Mapping[str, Sequence[SampleLabel]]
) -> Verdict | None:
    """What becomes of a decision; None where nobody has decided on its field."""
    one = plan.field(decision.field)
    if not judged(plan, one, labels):
        return None
    expected, its = expected_of(plan, one, labels), labels.get(one.key, ())
    if isinstance(decision, Decision):
        found = "; ".join(choice.candidate.normal for choice in decision.chosen)
        counts = Counts(rightly_found(decision, its, one), len(decision.chosen), len(its))
        return Verdict(is_right(decision, its, one), found, expected, counts)
    right = part_right(plan, decision, labels)
    if decision.kind is PartKind.TABLE:
        cells = cells_of(plan, decision, labels)
        return Verdict(right, decision.found, expected, Counts(cells.right, cells.found, cells.there), cells)
    if decision.kind is PartKind.MARK:
        values, truth = marked(one, decision, labels)
        count, there = len(values), len(truth)
    else:
        count, there = sum(value is not None for value in decision.values[one.key]), len(its)
    # a clause or mark is right as a whole or not at all
    return Verdict(right, decision.found, expected, Counts(there if right else 0, count, there))
