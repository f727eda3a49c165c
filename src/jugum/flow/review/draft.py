"""Drafting live papers: what the live version and the plan find, and which fields wait for a person.

A paper is loaded in one short transaction, read with none open, and kept in another one, if it and all that was
asked of it are still the same; otherwise it is drafted again.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import delete, insert
from sqlalchemy.orm import Session

from jugum.core.classification.layout_book import NEW_LAYOUT
from jugum.core.extraction.found import EngineName, Found
from jugum.core.formats.version_file import readable
from jugum.core.schema import Context, FieldKind, FieldPlan, Plan
from jugum.core.states import DRAFTABLE, By, DocumentState, Purpose
from jugum.core.structure import Structure
from jugum.core.thresholds import DraftedField, Routed, Thresholds, route
from jugum.core.thresholds.drafted import checks_as_evidence, drafted_by_plan, drafted_by_version
from jugum.flow.gather.explore import Explorer, LoadedPaper, load_paper
from jugum.flow.in_force import LoadedVersions, current_policy, in_force_now, live_version, version_row
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import record
from jugum.flow.plan.fields import plan_of
from jugum.flow.plan.sample import findings
from jugum.flow.review.records import context_of
from jugum.flow.review.together import Together, keep
from jugum.flow.states import change_state, set_aside
from jugum.flow.weigh.drawing import draw_check
from jugum.flow.worked_on import is_worked_on
from jugum.store import Store
from jugum.store.models import CheckWaiver, Document, Field, Hold, LayoutGroup, ModelVersion, Policy, Reading, Result
from jugum.store.queue import Task, document_job, enqueue_all


@dataclass(frozen=True)
class DraftInput:
    """What a paper is drafted from, as it was when it was loaded."""

    paper: LoadedPaper
    plan: Plan
    context: Context
    version: ModelVersion
    file_key: str
    policy: Policy | None

    @property
    def thresholds(self) -> Thresholds | None:
        """The policy in force, as routing needs it."""
        return in_force_now(self.policy)

    def together(self, store: Store, versions: LoadedVersions) -> Together:
        """The way to the other papers of its layout, should that be new."""
        return Together(store, versions, self.file_key, self.paper)


def draft(
    store: Store,
    document_id: int,
    versions: LoadedVersions,
    explorer: Explorer | None = None,
    *,
    version_id: int | None = None,
) -> None:
    """Draft a live paper with the live version (or another that is asked for) and route its fields by the policy.
    Repeatable: a paper that a person has begun, or that is done, is left alone."""
    with store.session() as session:
        given = _load(session, document_id, version_id)
    if given is None:
        return
    together = given.together(store, versions)
    drafted = drafted_fields(store, explorer or Explorer(), given, versions, together)
    routed = route(given.plan, drafted, given.thresholds, given.context)
    with store.session() as session:
        if _save(session, given, drafted, routed, version_id):
            keep(session, session.get_one(Document, document_id), together)


def failed(store: Store, document_id: int, message: str, version_id: int | None = None) -> None:
    """A paper that could not be drafted is set aside with the reason, unless a person has it already; it can be
    tried again."""
    with store.session() as session:
        document = session.get(Document, document_id, with_for_update=True)
        if document is None or document.state not in DRAFTABLE:
            return
        reason = f"The values of “{document.name}” could not be read. {message}"
        set_aside(document, reason)
        record(session, None, Action.SET_ASIDE, "document", document_id, reason=reason)


# ---- Load ------------------------------------------------------------------------------------------------------------


def _load(session: Session, document_id: int, version_id: int | None) -> DraftInput | None:
    document = session.get(Document, document_id)
    if document is None or not _may_be_drafted(session, document):
        return None
    type_id = document.placed_type.id
    version = version_row(session, version_id) if version_id is not None else live_version(session, type_id)
    if version is None or version.file_key is None or version.type_id != type_id:
        return None  # it waits as "placed"; publishing a version drafts it
    plan = plan_of(document)
    return DraftInput(
        load_paper(session, document),
        plan,
        context_of(session, document, plan),
        version,
        version.file_key,
        current_policy(session, type_id),
    )


def _may_be_drafted(session: Session, document: Document) -> bool:
    """A live paper that waits, and on which no person has worked."""
    waits = document.purpose == Purpose.LIVE and document.state in DRAFTABLE
    return waits and not is_worked_on(session, document)


# ---- Read ------------------------------------------------------------------------------------------------------------


def drafted_fields(
    store: Store, explorer: Explorer, given: DraftInput, versions: LoadedVersions, together: Together
) -> dict[str, DraftedField]:
    """The version's decisions for the fields it reads, the plan's own engines for the rest, checks as evidence over
    both. A paper of a new layout is read `together` with others of it."""

    def layers() -> list[Structure]:
        return given.paper.layers(store, explorer)

    known = {field.key: field for field in given.plan.fields}
    drafted: dict[str, DraftedField] = {}
    fits = readable(versions.loaded(store, given.file_key)[0].plan, given.plan)
    for decision, confidence in versions.decide(store, given.file_key, given.paper.pages, layers, together):
        if decision.field in fits:
            drafted |= drafted_by_version(decision, confidence, known)
    rest = tuple(_alone(field, drafted) for field in given.plan.fields if _left(field, drafted))
    if rest:
        for key, finding in findings(store, explorer, given.paper, Plan(rest)).items():
            drafted[key] = drafted_by_plan(known[key], finding)
    return checks_as_evidence(given.plan, drafted, given.context)


def _left(one: FieldPlan, drafted: Mapping[str, DraftedField]) -> bool:
    """Whether the version has not read a field, so that the plan's engines do; columns come with their table."""
    return (
        one.key not in drafted and one.kind is not FieldKind.DERIVED and not (one.is_column and one.inside in drafted)
    )


def _alone(one: FieldPlan, drafted: Mapping[str, DraftedField]) -> FieldPlan:
    """A field apart from a clause it stands in, if the clause is not read with it."""
    return one if not one.inside or one.is_column or one.inside not in drafted else replace(one, inside="")


# ---- Save ------------------------------------------------------------------------------------------------------------


def _save(
    session: Session, given: DraftInput, drafted: Mapping[str, DraftedField], routed: Routed, version_id: int | None
) -> bool:
    """Keep a draft under a short lock of its paper; whether it was kept. What was changed meanwhile (its pages, the
    plan, the policy, the live version) is drafted again."""
    before = given.paper.document
    document = session.get(Document, before.id, with_for_update=True)
    if document is None or not _may_be_drafted(session, document):
        return False
    if _changed(session, given, document, version_id):
        again = {} if version_id is None else {"version_id": version_id}
        enqueue_all(session, [document_job(Task.DRAFT_DOCUMENT, document.id, 45, **again)])
        return False
    session.execute(delete(Reading).where(Reading.document_id == document.id))
    document.version_id = given.version.id
    document.drafted_layout_id = _layout(session, document, drafted)
    rows = {row.key: row for row in document.placed_type.fields}
    _add(
        session,
        Reading,
        [
            row
            for key, it in drafted.items()
            if it.values or key not in _tables(given.plan)
            for row in reading_rows(document, rows[key], it)
        ],
    )
    keep_routing(session, document, given.policy, drafted, routed)
    record(session, None, Action.DRAFT, "document", document.id, version=given.version.number, held=len(routed.holds))
    return True


def _layout(session: Session, document: Document, drafted: Mapping[str, DraftedField]) -> int | None:
    """The layout group that a version took a paper for, if it is still one of its type's."""
    number = max((field.layout for field in drafted.values()), default=NEW_LAYOUT)
    group = session.get(LayoutGroup, number) if number != NEW_LAYOUT else None
    return group.id if group is not None and group.type_id == document.type_id else None


def keep_routing(
    session: Session,
    document: Document,
    policy: Policy | None,
    drafted: Mapping[str, DraftedField],
    routed: Routed,
) -> None:
    """What passes becomes results, what does not waits; both in place of what was there. Some of what passes is drawn
    to be checked."""
    for table in (Hold, Result, CheckWaiver):
        session.execute(delete(table).where(table.document_id == document.id))
    document.policy_id = policy.id if policy else None
    rows = {row.key: row for row in document.placed_type.fields}
    results = [row for key in routed.passing for row in result_rows(document, rows[key], drafted[key])]
    results += [row for key, values in routed.derived.items() for row in derived_rows(document, rows[key], values)]
    _add(session, Result, results)
    _add(
        session,
        Hold,
        [
            {
                "document_id": document.id,
                "field_id": rows[key].id,
                "reason": hold.problem.reason.value,
                "detail": hold.problem.detail,
                "checks": list(hold.checks),
            }
            for key, hold in routed.holds.items()
        ],
    )
    change_state(document, DocumentState.HELD if routed.holds else DocumentState.PASSED, By.PROGRAM)
    draw_check(session, document, policy, drafted, routed.holds)
    document.revision += 1


def _changed(session: Session, given: DraftInput, document: Document, version_id: int | None) -> bool:
    before, type_row = given.paper.document, document.placed_type
    if (before.revision, before.type_id) != (document.revision, document.type_id):
        return True
    policy = current_policy(session, type_row.id)
    live = given.version.id if version_id is not None else (live_version(session, type_row.id) or given.version).id
    now = (type_row.plan_number, _force_of(policy), live)
    return now != (before.placed_type.plan_number, _force_of(given.policy), given.version.id)


def _force_of(policy: Policy | None) -> tuple[int, bool] | None:
    """A policy by its id, and whether it is suspended."""
    return (policy.id, policy.suspended) if policy else None


def _tables(plan: Plan) -> set[str]:
    return {field.key for field in plan.fields if field.kind is FieldKind.TABLE}


def _add(session: Session, table: type[Reading | Result | Hold], rows: list[dict[str, Any]]) -> None:
    """Many rows with one statement."""
    if rows:
        session.execute(insert(table), rows)


def reading_rows(document: Document, row: Field, one: DraftedField) -> list[dict[str, Any]]:
    """Readings of a field: one row per value, or one that says that there is none. All have the same columns, so
    that they are kept at once."""
    others = [{"text": o.text, "normal": o.normal, "page": o.page, "box": box_of(o)} for o in one.others]
    common = {
        "document_id": document.id,
        "field_id": row.id,
        "version_id": document.version_id,
        "confidence": one.confidence,
        "layout_similarity": one.layout_similarity,
        "others": others,
        "scores": {name: round(float(score), 4) for name, score in one.scores.items()},
    }
    found = [
        {
            **common,
            "position": position,
            "absent": False,
            "text": value.text,
            "normal": value.normal,
            "page": value.page,
            "box": box_of(value),
            "engine": value.engine.value,
            "why": one.chosen_by or value.why,
            "by_hand": value.by_hand,
        }
        for position, value in enumerate(one.values)
        if value
    ]
    if found:
        return found
    engine = EngineName.MODEL.value if row.kind == "value" else "plan"
    nothing = {"position": 0, "absent": True, "text": "", "normal": "", "page": None, "box": None, "engine": engine}
    return [{**common, **nothing, "why": "", "by_hand": False}]


def box_of(value: Found) -> list[float]:
    return [round(v, 5) for v in value.box]


def result_rows(document: Document, row: Field, one: DraftedField) -> list[dict[str, Any]]:
    """Results of a field that passes."""
    return [
        {
            **result_common(document, row),
            "position": position,
            "text": value.text,
            "normal": value.normal,
            "page": value.page,
            "box": box_of(value),
            "confidence": one.confidence,
            "origin": "model" if value.engine is EngineName.MODEL else "plan",
        }
        for position, value in enumerate(one.values)
        if value
    ]


def derived_rows(document: Document, row: Field, values: tuple[str, ...]) -> list[dict[str, Any]]:
    """Results of a field that is worked out from others."""
    return [
        {
            **result_common(document, row),
            "position": position,
            "text": value,
            "normal": value,
            "page": None,
            "box": None,
            "confidence": None,
            "origin": "plan",
        }
        for position, value in enumerate(values)
    ]


def result_common(document: Document, row: Field) -> dict[str, Any]:
    """What all results of a field on a paper have in common."""
    return {
        "document_id": document.id,
        "field_id": row.id,
        "version_id": document.version_id,
        "policy_id": document.policy_id,
        "person_id": None,
    }
