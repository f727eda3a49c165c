"""What is known of a live paper's values, read at once: readings, results, holds, checks that were accepted as they
are, and what is drawn to be checked of what passed."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from dataclasses import field as kept
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from jugum.core.schema import Context, HoldReason, Plan
from jugum.core.states import CHECKED_STATES, REVIEW_STATES, Origin, Purpose
from jugum.core.values import normal_form
from jugum.errors import Conflict
from jugum.flow.gather.read import unchanged_row
from jugum.flow.label.desk_parts import must_see_personal
from jugum.flow.office.actor import Actor
from jugum.flow.plan.checks import lists_in
from jugum.flow.plan.fields import value_type_of
from jugum.store.models import CheckedValue, CheckWaiver, Document, Field, Hold, Reading, Result, SpotCheck

LOOK = "it passed by itself. Is it right?"
BLIND = "say what stands on the paper; what passed is shown afterwards"
NOTHING = "nothing"
CHECK_HOLDS = "check holds"  # outcome of a hold that ended because its check holds, without a person's answer


@dataclass(frozen=True)
class HeldField:
    """Why a field waits: the reason and its detail, the keys of the failing checks it waits for, those of them that
    must hold, and whether it waits for nothing but checks that may be accepted as they are."""

    reason: str
    detail: str
    blocking: list[str]
    advisory: bool
    checks: list[str]


@dataclass
class PaperRecords:
    """Rows of one paper by field id, in order of position; a few queries whatever the number of fields. `holds` are
    the open ones; `checked` is what a spot check asks of the paper."""

    document: Document
    readings: dict[int, list[Reading]]
    results: dict[int, list[Result]]
    holds: dict[int, Hold] = kept(default_factory=dict)
    settled: dict[int, Hold] = kept(default_factory=dict)
    waivers: dict[str, CheckWaiver] = kept(default_factory=dict)
    check: SpotCheck | None = None
    checked: dict[int, CheckedValue] = kept(default_factory=dict)

    @property
    def is_blind(self) -> bool:
        """Whether values that are checked are to be said before what passed is seen."""
        return self.check is not None and self.check.blind

    @property
    def is_corrected(self) -> bool:
        """Whether a spot check found a wrong value on the paper."""
        return any(value.is_right is False for value in self.checked.values())

    def waits_for_check(self, row: Field) -> bool:
        """Whether a field that passed is still to be checked. What is held is asked for by its hold, and what was said
        after all is no longer what passed."""
        checked = self.checked.get(row.id)
        return checked is not None and checked.is_right is None and row.id not in self.holds

    def is_unseen(self, row: Field) -> bool:
        """Whether what passed of a field must not be shown yet."""
        return self.is_blind and self.waits_for_check(row) and self.checked[row.id].answered_at is None

    def said(self, row: Field, *, drafted: bool = False) -> list[str]:
        """What a field says now: its results, or else what was `drafted`; of a table cell by cell, by rows."""
        columns = self.columns(row)
        has_results = not drafted and any(self.results.get(column.id) for column in columns)
        known = self.results if has_results else self.readings
        cells = [
            (value.position, place, value.text)
            for place, column in enumerate(columns)
            for value in known.get(column.id, [])
            if not getattr(value, "absent", False)
        ]
        return [text for _, _, text in sorted(cells)]

    @property
    def fields(self) -> list[Field]:
        return self.document.placed_type.fields

    def field(self, key: str) -> Field | None:
        return next((row for row in self.fields if row.key == key), None)

    def columns(self, row: Field) -> list[Field]:
        """The columns of a table; a field that is none has itself."""
        return (
            [field for field in self.fields if field.inside == row.key and "." in field.key]
            if row.kind == "table"
            else [row]
        )

    def holder(self, row: Field) -> Field:
        """The field a person settles for a field: a column's table, else itself."""
        return next(field for field in self.fields if field.key == row.inside) if "." in row.key else row

    def is_said(self, row: Field) -> bool:
        """Whether a person has said what a field is (of a column: its table)."""
        holder = self.holder(row)
        settled = self.settled.get(holder.id)
        return (settled is not None and settled.outcome != CHECK_HOLDS) or any(
            result.origin == Origin.PERSON
            for column in self.columns(holder)
            for result in self.results.get(column.id, [])
        )

    def is_readable(self, row: Field) -> bool:
        """Whether all that a person said of a field can be read as its data type (of a table: every cell)."""
        return all(
            normal_form(result.text, value_type_of(column, self.document)) is not None
            for column in self.columns(row)
            for result in self.results.get(column.id, [])
        )

    def held(self, row: Field) -> HeldField | None:
        """Why a field waits; None when it does not."""
        hold = self.holds.get(row.id)
        if hold is None:
            return self._held_for_check(row)
        advisory = {check["key"] for check in self.document.placed_type.checks if check.get("severity")}
        blocking = [key for key in hold.checks if key not in advisory]
        only_advice = hold.reason == HoldReason.FAILS_A_CHECK and bool(hold.checks) and not blocking
        return HeldField(hold.reason, hold.detail, blocking, only_advice, list(hold.checks))

    def _held_for_check(self, row: Field) -> HeldField | None:
        if not self.waits_for_check(row):
            return None
        checked, detail = self.checked[row.id], BLIND if self.is_blind else LOOK
        if checked.answered_at is not None:
            passed, said = checked.found or NOTHING, checked.said or NOTHING
            detail = f"“{passed}” had passed, you say “{said}”. {_choice(checked, row)}"
        return HeldField(HoldReason.SPOT_CHECK, detail, [], False, [])

    def standing(self, row: Field) -> list[Reading] | list[Result]:
        """What stands for a field now: what a person said, even while a check holds it again; else its readings while
        it is held, and its results when it is not."""
        if self.holder(row).id in self.holds and not self.is_said(row):
            return [reading for reading in self.readings.get(row.id, []) if not reading.absent]
        return self.results.get(row.id, [])

    def texts(self) -> dict[str, list[str | None]]:
        """The texts that stand for each field now, by key; rows of a table keep their places."""
        found: dict[str, list[str | None]] = {}
        for row in self.fields:
            values: list[str | None] = []
            for value in self.standing(row):
                values.extend([None] * (value.position - len(values)))
                values.append(value.text)
            found[row.key] = values
        return found

    def confidences(self) -> dict[str, float | None]:
        """How sure each field is that a person settles: what a person said is sure; of what was read the least
        confidence, None where nothing measured it."""
        found: dict[str, float | None] = {}
        for row in self.fields:
            if "." in row.key or row.kind == "derived":
                continue
            rows = [result for column in self.columns(row) for result in self.results.get(column.id, [])]
            if row.id in self.settled or any(entry.origin == Origin.PERSON for entry in rows):
                found[row.key] = 1.0
                continue
            measured = [
                reading.confidence for column in self.columns(row) for reading in self.readings.get(column.id, [])
            ]
            known = [confidence for confidence in measured if confidence is not None]
            found[row.key] = min(known) if known and len(known) == len(measured) else None
        return found


def _choice(checked: CheckedValue, row: Field) -> str:
    """How a person says which of two answers stands: what had passed, or what they said without seeing it."""
    if row.kind == "table":
        return "Its rows as they passed are shown: accept them, or edit them"
    return "Accept keeps yours, 1 takes what passed" if checked.found else "Accept keeps yours, . says it is not there"


def load_records(session: Session, document: Document) -> PaperRecords:
    """What is known of a paper."""
    return records_of(session, [document])[document.id]


def records_of(
    session: Session, documents: Sequence[Document], field_ids: Collection[int] | None = None
) -> dict[int, PaperRecords]:
    """What is known of some papers, by their ids: of all their fields or of some. A few queries whatever the number of
    papers and fields."""
    found = {document.id: PaperRecords(document, defaultdict(list), defaultdict(list)) for document in documents}

    def of(table: Any, order: Any) -> Sequence[Any]:
        query = select(table).where(table.document_id.in_(found)).order_by(order)
        return session.scalars(query if field_ids is None else query.where(table.field_id.in_(field_ids))).all()

    for reading in of(Reading, Reading.position):
        found[reading.document_id].readings[reading.field_id].append(reading)
    for result in of(Result, Result.position):
        found[result.document_id].results[result.field_id].append(result)
    # Of what a person answered the first answer decides what is to be undone, whatever checks held and let go after it.
    for hold in of(Hold, Hold.id):
        records = found[hold.document_id]
        if hold.settled_at is None:
            records.holds[hold.field_id] = hold
        elif hold.field_id not in records.settled or records.settled[hold.field_id].outcome == CHECK_HOLDS:
            records.settled[hold.field_id] = hold
    for waiver in session.scalars(select(CheckWaiver).where(CheckWaiver.document_id.in_(found))):
        found[waiver.document_id].waivers[waiver.check_key] = waiver
    for value in of(CheckedValue, CheckedValue.id):
        found[value.document_id].checked[value.field_id] = value
    drawn = [number for number, records in found.items() if records.checked]
    for check in session.scalars(select(SpotCheck).where(SpotCheck.document_id.in_(drawn))) if drawn else ():
        found[check.document_id].check = check
    return found


def context_of(session: Session, document: Document, plan: Plan) -> Context:
    """What expressions of a plan may ask for besides the paper's values; lists are read only for a plan that looks
    in some."""
    lists = lists_in(session, document.workspace_id) if plan.uses_lists else {}
    return Context(document.received_at.date(), lists)


def open_records(session: Session, actor: Actor, document_id: int, revision: int | None) -> PaperRecords:
    """What is known of a live paper whose fields may be changed in review, its row locked. Conflict when it was changed
    since that revision, or is in a state in which nothing may be changed: one that is delivered only where a spot check
    asks."""
    document = unchanged_row(session, document_id, revision)
    if document.purpose != Purpose.LIVE or document.state not in CHECKED_STATES:
        raise _closed(document)
    must_see_personal(session, actor, document)
    records = load_records(session, document)
    if document.state not in REVIEW_STATES and records.check is None:
        raise _closed(document)
    return records


def _closed(document: Document) -> Conflict:
    return Conflict(f"“{document.name}” is {document.state}; its fields can't be changed here.")
