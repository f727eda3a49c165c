"""Trying thresholds before they count: which fields and papers among the last live ones would change sides. All
readings are kept, so nothing is read again."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from sqlalchemy import select
from sqlalchemy.orm import Session

from jugum.core.schema import HoldReason
from jugum.core.states import DONE_STATES, DocumentState, Origin, Purpose
from jugum.core.thresholds import FieldRules, Thresholds
from jugum.core.thresholds.effort import Effort
from jugum.core.thresholds.opening import Opening
from jugum.flow.in_force import current_policy, thresholds_of
from jugum.flow.office.personal import is_hidden, shown
from jugum.flow.office.types import type_row
from jugum.flow.weigh.dial import DialSettings
from jugum.flow.weigh.evidence import weighable_version, weighed_fields
from jugum.flow.weigh.life import effort_in
from jugum.store import Store
from jugum.store.models import Document, Field, Hold, Reading, Result

PAPERS = 200  # the last live ones
CHANGES_MOST = 300  # that are listed


@dataclass(frozen=True)
class TrialChange:
    """A field of a live paper that would change sides. `corrected`: a person gave another value than was read, namely
    `corrected_to`; None where nobody has looked. `place` is [page, box] of what was read."""

    document_id: int
    paper: str
    key: str
    name: str
    value: str
    confidence: float
    threshold: float
    would_pass: bool
    corrected: bool | None
    corrected_to: str
    place: tuple[int, list[float]] | None


@dataclass(frozen=True)
class TrialView:
    """What thresholds would have done with the last live papers: fields and whole papers that pass now and then,
    minutes of review now and then (by measured effort), and the changes, first those that would pass though a person
    corrected them. Fields that wait for another reason than their confidence wait in both cases. `checked` counts the
    fields that would newly pass and that a person has looked at, `wrong` those of them that were corrected;
    `would_pass` and `would_wait` all that change sides, of which the first `CHANGES_MOST` are listed."""

    papers: int
    fields: int
    passing_now: int
    passing_then: int
    whole_now: int
    whole_then: int
    minutes_now: float
    minutes_then: float
    checked: int
    wrong: int
    would_pass: int
    would_wait: int
    changes: list[TrialChange]


@dataclass
class _Rows:
    """What is kept of some papers: readings by paper and the field that holds them, holds, and what persons said."""

    readings: dict[int, dict[str, list[Reading]]] = field(
        default_factory=lambda: defaultdict(lambda: defaultdict(list))
    )
    other_holds: set[tuple[int, int]] = field(default_factory=set)
    settled: set[tuple[int, int]] = field(default_factory=set)
    said: dict[tuple[int, int], list[Result]] = field(default_factory=lambda: defaultdict(list))


def trial(
    store: Store,
    type_id: int,
    thresholds: Mapping[str, float],
    layout_similarity_min: float,
    always_held: Collection[str] = (),
    papers: int = PAPERS,
    settings: DialSettings | None = None,
) -> TrialView:
    """What thresholds would have done with the last live papers of a type, beside the policy in force; papers are
    opened as some settings of the dial say."""
    with store.session() as session:
        rules = settings.rules_for(effort_in(session, type_id)) if settings else FieldRules()
        opening = Opening(rules.opening, rules.weights, frozenset(rules.pinned)) if rules.opening else None
        then = Thresholds(thresholds, layout_similarity_min, frozenset(always_held), opening=opening)
        row = type_row(session, type_id)
        fields = {field.key: field for field in weighed_fields(row, weighable_version(session, type_id))}
        policy = current_policy(session, type_id)
        now = thresholds_of(policy) if policy else Thresholds({}, 0.0)
        documents = session.scalars(
            select(Document)
            .where(
                Document.type_id == type_id,
                Document.purpose == Purpose.LIVE,
                Document.state.in_((DocumentState.HELD, *DONE_STATES)),
            )
            .order_by(Document.received_at.desc(), Document.id.desc())
            .limit(papers)
        ).all()
        rows = _rows(session, [document.id for document in documents], row.fields)
        return _view(documents, fields, rows, (now, then), effort_in(session, type_id))


def _rows(session: Session, documents: Collection[int], fields: Iterable[Field]) -> _Rows:
    found = _Rows()
    # a column is weighed with its table
    holder = {row.id: row.inside if "." in row.key else row.key for row in fields}
    for reading in session.scalars(
        select(Reading).where(Reading.document_id.in_(documents)).order_by(Reading.field_id, Reading.position)
    ):
        if reading.field_id in holder:
            found.readings[reading.document_id][holder[reading.field_id]].append(reading)
    for hold in session.scalars(select(Hold).where(Hold.document_id.in_(documents))):
        if hold.reason != HoldReason.LOW_CONFIDENCE:
            found.other_holds.add((hold.document_id, hold.field_id))
        if hold.settled_at is not None:
            found.settled.add((hold.document_id, hold.field_id))
    for result in session.scalars(
        select(Result).where(Result.document_id.in_(documents), Result.origin == Origin.PERSON)
    ):
        found.said[result.document_id, result.field_id].append(result)
    return found


def _view(
    documents: Sequence[Document],
    fields: Mapping[str, Field],
    rows: _Rows,
    limits: tuple[Thresholds, Thresholds],
    effort: Effort,
) -> TrialView:
    held: list[list[int]] = [[], []]  # fields that wait on each paper: now, then
    passing = [0, 0]
    changes: list[TrialChange] = []
    weighed = 0
    for document in documents:
        its = {key: readings for key, readings in rows.readings[document.id].items() if key in fields}
        others = {key for key in its if (document.id, fields[key].id) in rows.other_holds}
        firsts = {key: readings[0] for key, readings in its.items() if key not in others}  # all of a field are alike
        waits = [_waiting(limit, firsts, opened=bool(others)) for limit in limits]
        weighed += len(firsts)
        for which, keys in enumerate(waits):
            passing[which] += len(firsts) - len(keys)
            held[which].append(len(keys) + len(others))
        for key in firsts:
            if (key in waits[0]) != (key in waits[1]):
                gate = limits[1].gate(key)
                threshold = gate.threshold if gate else 1.0
                change = _change(document, fields[key], its[key], rows, threshold, would_pass=key not in waits[1])
                changes.append(change)

    def minutes(waits: Sequence[int]) -> float:
        return effort.minutes(papers=sum(count > 0 for count in waits), fields=sum(waits))

    changes.sort(key=_order)
    looked_at = [change for change in changes if change.would_pass and change.corrected is not None]
    return TrialView(
        papers=len(documents),
        fields=weighed,
        passing_now=passing[0],
        passing_then=passing[1],
        whole_now=held[0].count(0),
        whole_then=held[1].count(0),
        minutes_now=minutes(held[0]),
        minutes_then=minutes(held[1]),
        checked=len(looked_at),
        wrong=sum(bool(change.corrected) for change in looked_at),
        would_pass=sum(change.would_pass for change in changes),
        would_wait=sum(not change.would_pass for change in changes),
        changes=changes[:CHANGES_MOST],
    )


def _waiting(thresholds: Thresholds, firsts: Mapping[str, Reading], *, opened: bool) -> set[str]:
    """The fields of a paper that wait by some thresholds; none where they are not worth opening it, unless it is for
    others that wait whatever their confidence."""
    held = {}
    for key, reading in firsts.items():
        gate = thresholds.gate(key)
        if gate is None or not gate.passes(reading.confidence, reading.layout_similarity):
            held[key] = (reading.confidence, reading.layout_similarity)
    return set(held) if opened or thresholds.opens(held) else set()


def _order(change: TrialChange) -> tuple[bool, bool, float]:
    """First what would pass though a person corrected it, then what would pass, the least sure first."""
    return not (change.would_pass and change.corrected), not change.would_pass, change.confidence


def _change(
    document: Document, row: Field, readings: Sequence[Reading], rows: _Rows, threshold: float, *, would_pass: bool
) -> TrialChange:
    found = [reading for reading in readings if not reading.absent]
    columns = {reading.field_id for reading in readings}
    said = [result for column in columns for result in rows.said[document.id, column]]
    looked_at = bool(said) or (document.id, row.id) in rows.settled
    corrected = _values(said) != _values(found) if looked_at else None
    first = next((reading for reading in found if reading.page and reading.box), None)
    return TrialChange(
        document.id,
        document.name,
        row.key,
        row.name,
        shown(_text(found), row.key),
        readings[0].confidence or 0.0,
        threshold,
        would_pass,
        corrected,
        shown(_text(said) or "not on the paper", row.key) if corrected else "",
        (first.page, list(first.box)) if first and first.page and first.box and not is_hidden(row.key) else None,
    )


def _values(rows: Iterable[Reading | Result]) -> list[tuple[int, int, str]]:
    return sorted((row.field_id, row.position, row.normal) for row in rows)


def _text(rows: Iterable[Reading | Result]) -> str:
    return "; ".join(row.text for row in rows)


__all__ = ["PAPERS", "TrialChange", "TrialView", "trial"]
