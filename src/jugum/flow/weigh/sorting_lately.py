"""What became of what was sorted lately, and what other thresholds would have done with it: what the program proposed
for each paper and bundle is kept, so that nothing is judged again."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

from sqlalchemy import ColumnElement, and_, cast, func, select
from sqlalchemy.dialects.postgresql import JSONPATH
from sqlalchemy.orm import Session, undefer

from jugum.core.states import DocumentState, PlacedBy, Purpose, SortingSubject
from jugum.core.thresholds.outcome import NEVER
from jugum.core.thresholds.sorting import BUNDLES
from jugum.flow.gather.classifiers import split_threshold_in, type_thresholds
from jugum.flow.weigh.life import WEEKS
from jugum.flow.weigh.sorting import TOP, sorting_effort
from jugum.flow.weigh.trial import CHANGES_MOST, PAPERS, TrialChange, TrialView
from jugum.store import Store
from jugum.store.models import Document, DocumentType


@dataclass(frozen=True)
class SortedLately:
    """What became of what came in over the last weeks: done by the program, and of these changed by a person since;
    done by a person, and of these as the program had proposed; and still waiting."""

    weeks: int
    by_program: int
    changed: int
    by_person: int
    as_proposed: int
    waiting: int


def sorted_lately(
    store: Store, workspace_id: int, subject: SortingSubject, now: datetime | None = None
) -> SortedLately:
    """Over the last four weeks."""
    since = (now or datetime.now(UTC)) - timedelta(weeks=WEEKS)
    accepted = Document.proposal["accepted"].as_boolean()
    waits, same = _waits(subject), _as_proposed(subject)

    def count(condition: ColumnElement[bool]) -> Any:
        return func.count().filter(condition)

    with store.session() as session:
        row = session.execute(
            select(
                count(accepted),
                count(and_(accepted, ~same)),
                count(and_(~accepted, ~waits)),
                count(and_(~accepted, ~waits, same)),
                count(and_(~accepted, waits)),
            ).where(*_live(workspace_id, subject), Document.received_at >= since)
        ).one()
    return SortedLately(WEEKS, *row)


def _live(workspace_id: int, subject: SortingSubject) -> tuple[ColumnElement[bool], ...]:
    """Live papers of a workspace for which the program proposed something of a subject."""
    key = "pieces" if subject is SortingSubject.BUNDLES else "type"
    return (
        Document.workspace_id == workspace_id,
        Document.purpose == Purpose.LIVE,
        Document.proposal.has_key(key),
    )


def _waits(subject: SortingSubject) -> ColumnElement[bool]:
    if subject is SortingSubject.BUNDLES:
        return Document.state == DocumentState.TO_CUT
    return and_(Document.state == DocumentState.UNPLACED, Document.placed_by != PlacedBy.NONE_OF_THESE)


def _as_proposed(subject: SortingSubject) -> ColumnElement[bool]:
    """Whether a paper is of the type, a bundle in the pieces, that the program proposed."""
    if subject is SortingSubject.TYPES:
        return func.coalesce(Document.type_id == Document.proposal["type"].as_integer(), False)
    # pieces that are no papers are no part of what is proposed
    papers = func.jsonb_path_query_array(Document.pieces, cast("$[*] ? (@.aside == false).pages", JSONPATH))
    return and_(Document.state == DocumentState.UNPACKED, papers == Document.proposal["pieces"])


def sorting_trial(
    store: Store,
    workspace_id: int,
    subject: SortingSubject,
    thresholds: Mapping[str, float],
    always_held: Collection[str] = (),
    papers: int = PAPERS,
) -> TrialView:
    """What thresholds would have done with the last live papers, or bundles, of a workspace, beside those in force."""
    then = {key: NEVER if key in always_held else value for key, value in thresholds.items()}
    with store.session() as session:
        documents = session.scalars(
            select(Document)
            .where(*_live(workspace_id, subject))
            .order_by(Document.received_at.desc(), Document.id.desc())
            .limit(papers)
            .options(undefer(Document.proposal), undefer(Document.pieces))
        ).all()
        names = dict(
            session.execute(
                select(DocumentType.id, DocumentType.name).where(DocumentType.workspace_id == workspace_id)
            ).all()
        )
        now = _in_force(session, workspace_id, subject)
        minutes = sorting_effort(session, workspace_id, subject).field_seconds / 60
    judged = [_Judged.of(document, subject, names) for document in documents]
    sides = [
        (paper.confidence >= now.get(paper.key, paper.usual), paper.confidence >= then.get(paper.key, paper.usual))
        for paper in judged
    ]
    changes = [
        paper.change(then.get(paper.key, paper.usual), would_pass=after)
        for paper, (before, after) in zip(judged, sides, strict=True)
        if before != after
    ]
    changes.sort(key=lambda change: (not (change.would_pass and change.corrected), not change.would_pass))
    passing = [sum(side[place] for side in sides) for place in (0, 1)]
    looked_at = [change for change in changes if change.would_pass and change.corrected is not None]
    return TrialView(
        papers=len(judged),
        fields=len(judged),
        passing_now=passing[0],
        passing_then=passing[1],
        whole_now=passing[0],
        whole_then=passing[1],
        minutes_now=(len(judged) - passing[0]) * minutes,
        minutes_then=(len(judged) - passing[1]) * minutes,
        checked=len(looked_at),
        wrong=sum(bool(change.corrected) for change in looked_at),
        would_pass=sum(change.would_pass for change in changes),
        would_wait=sum(not change.would_pass for change in changes),
        changes=changes[:CHANGES_MOST],
    )


def _in_force(session: Session, workspace_id: int, subject: SortingSubject) -> dict[str, float]:
    if subject is SortingSubject.BUNDLES:
        return {BUNDLES: split_threshold_in(session, workspace_id)}
    return {str(type_id): threshold for type_id, threshold in type_thresholds(session, workspace_id).items()}


@dataclass(frozen=True)
class _Judged:
    """A paper with what the program proposed for it, and what a person said (None where nobody did). `usual` is the
    threshold where none is given: at it things went as they did."""

    document: Document
    key: str
    name: str
    value: str
    confidence: float
    usual: float
    said: str | None

    @staticmethod
    def of(document: Document, subject: SortingSubject, names: Mapping[int, str]) -> _Judged:
        proposal = document.proposal or {}
        confidence, accepted = float(proposal["confidence"]), bool(proposal["accepted"])
        usual = 0.0 if accepted else NEVER
        if subject is SortingSubject.BUNDLES:
            by_person = document.state == DocumentState.UNPACKED and not accepted
            cut = [piece["pages"] for piece in document.pieces or [] if not piece.get("aside")]
            said = _papers(cut) if by_person or (accepted and cut != proposal["pieces"]) else None
            return _Judged(document, BUNDLES, "Bundle", _papers(proposal["pieces"]), confidence, usual, said)
        type_id = int(proposal["type"])
        given = document.type_id is not None and document.placed_by == PlacedBy.PERSON
        by_person = given or document.placed_by == PlacedBy.NONE_OF_THESE
        said = names.get(document.type_id or 0, "no type") if by_person else None
        name = names.get(type_id, "another type")
        return _Judged(document, str(type_id), "Type", name, confidence, usual, said)

    def change(self, threshold: float, *, would_pass: bool) -> TrialChange:
        corrected = None if self.said is None else self.said != self.value
        return TrialChange(
            self.document.id,
            self.document.name,
            self.key,
            self.name,
            self.value,
            self.confidence,
            min(1.0, threshold),
            would_pass,
            corrected,
            (self.said or "") if corrected else "",
            (1, list(TOP)),
        )


def _papers(pieces: Sequence[Sequence[int]]) -> str:
    """Pieces in words: "3 papers: pages 1–2, 3, 4–5"."""
    pages = [f"{piece[0]}–{piece[-1]}" if len(piece) > 1 else str(piece[0]) for piece in pieces]
    return f"{len(pages)} {'paper' if len(pages) == 1 else 'papers'}: pages {', '.join(pages)}"


__all__ = ["SortedLately", "sorted_lately", "sorting_trial"]
