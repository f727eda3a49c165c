"""Drafting live papers: what the live version and the plan find, what checks make of it, and which fields wait for a person."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from dataclasses import field as kept

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from jugum.core.extraction.decided import PartKind
from jugum.core.extraction.found import EngineName, Finding, Found
from jugum.core.extraction.model import AnyDecision
from jugum.core.extraction.values.assignment import Choice, Decision
from jugum.core.formats.version_file import readable
from jugum.core.schema import (
    Context,
    FieldKind,
    FieldPlan,
    HoldReason,
    Judgement,
    Outcome,
    Plan,
    Problem,
    Severity,
    choose,
    derive,
    judge,
    sources_of,
    text_problem,
)
from jugum.core.structure import Structure
from jugum.core.thresholds import Drafted, Rule, hold_for
from jugum.core.values import DataType
from jugum.flow.gather.documents import pages_of
from jugum.flow.gather.explore import Explorer
from jugum.flow.in_force import LoadedVersions, current_policy, live_version, version_row
from jugum.flow.office.actor import record
from jugum.flow.plan.checks import lists_in
from jugum.flow.plan.fields import plan_in
from jugum.flow.plan.sample import findings, seen_paper
from jugum.store import Store
from jugum.store.models import Document, Field, Hold, LetStand, Policy, Reading, Result

TABLE_ROW = "row"  # stands for a row of a table where only its being there counts
NO_POLICY = "no policy says yet how sure is sure enough: set it in Weigh"


@dataclass(frozen=True)
class DraftedField:
    """What was found for a field: values (None for a table's empty cells), candidates next in line, confidence (None where
    nothing measured it) and likeness of the layout, why another value than the likeliest was taken, and the raw scores behind it."""

    values: tuple[Found | None, ...]
    others: tuple[Found, ...]
    confidence: float | None
    familiarity: float
    chosen_by: str = ""
    scores: Mapping[str, float] = kept(default_factory=dict)

    @property
    def texts(self) -> tuple[str | None, ...]:
        return tuple(value.text if value else None for value in self.values)


def draft(
    store: Store,
    document_id: int,
    versions: LoadedVersions,
    explorer: Explorer | None = None,
    *,
    version_id: int | None = None,
) -> None:
    """Draft a live paper with the live version (or another that is asked for) and route its fields by the policy. Repeatable: a paper that a
    person has begun, or that is done, is left alone."""
    with store.session() as session:
        document = session.get(Document, document_id, with_for_update=True)
        if document is None or document.purpose != "live" or document.state not in ("placed", "drafted", "held"):
            return
        version = (
            version_row(session, version_id)
            if version_id is not None
            else live_version(session, document.placed_type.id)
        )
        if version is None or version.file_key is None or version.type_id != document.type_id:
            return  # it waits as "placed"; publishing a version drafts it
        if session.scalar(
            select(func.count(Hold.id)).where(Hold.document_id == document_id, Hold.settled_at.is_not(None))
        ):
            return
        policy = current_policy(session, document.type_id)
        plan = plan_in(document.placed_type)
        drafted = drafted_fields(store, session, explorer or Explorer(), document, plan, versions, version.file_key)
        for table in (Hold, Result, Reading, LetStand):
            session.execute(delete(table).where(table.document_id == document_id))
        document.version_id, document.policy_id = version.id, policy.id if policy else None
        held = _route(session, document, plan, drafted, policy)
        document.state = "held" if held else "passed"
        document.revision += 1
        record(session, None, "draft", "document", document_id, version=version.number, held=held)


def failed(store: Store, document_id: int, message: str, version_id: int | None = None) -> None:
    """A paper that could not be drafted is set aside with the reason, unless a person has it already; it can be tried again."""
    with store.session() as session:
        document = session.get(Document, document_id, with_for_update=True)
        if document is None or document.state not in ("placed", "drafted", "held"):
            return
        reason = f"The values of “{document.name}” could not be read. {message}"
        document.state, document.reason, document.set_aside_by = "set aside", reason, None
        record(session, None, "set aside", "document", document_id, reason=reason)


def drafted_fields(
    store: Store,
    session: Session,
    explorer: Explorer,
    document: Document,
    plan: Plan,
    versions: LoadedVersions,
    file_key: str,
) -> dict[str, DraftedField]:
    """The version's decisions for the fields it reads, the plan's own engines for the rest, checks as evidence over both."""

    def layers() -> list[Structure | None]:
        return seen_paper(store, session, explorer, document, picture=True).layers

    known = {one.key: one for one in plan.fields}
    drafted: dict[str, DraftedField] = {}
    fits = readable(versions.loaded(store, file_key)[0].plan, plan)
    for decision, sure in versions.decide(store, file_key, pages_of(session, document.id), layers):
        if decision.field in fits:
            drafted |= _from_version(decision, sure, known)
    rest = tuple(
        _alone(one, plan, drafted)
        for one in plan.fields
        if one.key not in drafted
        and one.kind is not FieldKind.DERIVED
        and not (one.is_column and one.inside in drafted)
    )
    if rest:
        for key, finding in findings(store, session, explorer, document, Plan(rest)).items():
            drafted[key] = _from_plan(known[key], finding)
    context = context_of(session, document)
    texts = {key: one.texts for key, one in drafted.items() if known[key].kind is not FieldKind.TABLE}
    others = {
        key: [other.text for other in one.others]
        for key, one in drafted.items()
        if not known[key].many and not known[key].is_column and known[key].kind is not FieldKind.TABLE
    }
    taken = choose(plan, texts, others, context)
    if taken is not None:
        drafted[taken.field] = _swapped(drafted[taken.field], taken.other, taken.check.said)
    return drafted


def _from_version(decision: AnyDecision, sure: float | None, known: Mapping[str, FieldPlan]) -> dict[str, DraftedField]:
    """What a version decided about a field; a table as itself (its confidence, no values) and as its columns."""
    if isinstance(decision, Decision):
        return {decision.field: _from_model(decision, sure)}
    if decision.kind is not PartKind.TABLE:
        values = decision.values[decision.field]
        whole = (
            known[decision.field].data_type is DataType.ZONE
            and bool(values)
            and all(one is not None and one.score >= 1 for one in values)
        )
        return {
            decision.field: DraftedField(
                values, decision.others, 1.0 if whole else sure, decision.familiarity, scores=decision.why
            )
        }
    columns = {
        key: DraftedField(column, (), sure, decision.familiarity, scores=decision.why)
        for key, column in decision.values.items()
        if key in known
    }
    return {decision.field: DraftedField((), (), sure, decision.familiarity), **columns}


def _alone(one: FieldPlan, plan: Plan, drafted: Mapping[str, DraftedField]) -> FieldPlan:
    """A field apart from a clause it stands in, if the clause is not read with it."""
    return one if not one.inside or one.is_column or one.inside not in drafted else replace(one, inside="")


def _from_model(decision: Decision, sure: float | None) -> DraftedField:
    def found(choice: Choice) -> Found:
        one = choice.candidate
        return Found(
            one.text, one.normal, one.page, one.box, choice.logit, EngineName.MODEL, decision.why, one.confidence
        )

    return DraftedField(
        tuple(map(found, decision.chosen)),
        tuple(map(found, decision.others)),
        sure,
        decision.familiarity,
        scores=decision.scores,
    )


def _from_plan(field: FieldPlan, finding: Finding) -> DraftedField:
    """A whole zone is sure by its own check digits; nothing has measured the plan's other engines on this type."""
    first = finding.values[0] if finding.values else None
    whole = field.data_type is DataType.ZONE and first is not None and first.score >= 1
    return DraftedField(finding.values, finding.others, 1.0 if whole else None, 1.0)


def _swapped(before: DraftedField, other: int, said: str) -> DraftedField:
    chosen = before.others[other]
    first = tuple(value for value in before.values if value)
    rest = tuple(one for number, one in enumerate(before.others) if number != other)
    return DraftedField((chosen,), (*first, *rest), None, before.familiarity, said)


def context_of(session: Session, document: Document) -> Context:
    return Context(document.received_at.date(), lists_in(session, document.workspace_id))


# ---- Routing --------------------------------------------------------------------------------------------------------------------------


def _route(
    session: Session, document: Document, plan: Plan, drafted: dict[str, DraftedField], policy: Policy | None
) -> int:
    """Keep readings; hold fields or write their results; then derived fields and checks. Returns how many fields are held."""
    rows = {row.key: row for row in document.placed_type.fields}
    held: dict[str, Problem] = {}
    for field in plan.fields:
        if field.kind is FieldKind.DERIVED or field.is_column:
            continue
        is_table = field.kind is FieldKind.TABLE
        inner = plan.inside(field.key) if is_table else (field,)
        for one in inner:
            keep_readings(session, document, rows[one.key], drafted.get(one.key))
        problem = (
            _table_problem(field, inner, drafted, policy)
            if is_table
            else _problem(field, drafted.get(field.key), policy)
        )
        if problem is not None:
            held[field.key] = problem
    for field in plan.fields:
        if field.kind is not FieldKind.TABLE and _holder(plan, field.key) not in held and field.key in drafted:
            _write_results(session, document, rows[field.key], drafted[field.key])
    tables = {one.key for one in plan.fields if one.kind is FieldKind.TABLE}
    texts = {key: one.texts for key, one in drafted.items() if key not in tables}
    write_derived(session, document, plan, texts)
    failing = [one for one in judge(plan, texts, context_of(session, document)) if one.outcome is Outcome.FAILS]
    confidences = {key: one.confidence or 0.0 for key, one in drafted.items()}
    for key, problem in held.items():
        _hold(session, document, rows[key], problem)
    for judgement in failing:
        hold_for_check(session, document, plan, judgement, confidences)
    session.flush()
    return (
        session.scalar(select(func.count(Hold.id)).where(Hold.document_id == document.id, Hold.settled_at.is_(None)))
        or 0
    )


def _holder(plan: Plan, key: str) -> str:
    """The field a person settles for a key: a column's table, else itself."""
    return plan.field(key).inside if "." in key else key


def _problem(field: FieldPlan, one: DraftedField | None, policy: Policy | None) -> Problem | None:
    if one is None:
        return Problem(field.key, HoldReason.MISSING, "nothing has read this field yet")
    texts = tuple(text for text in one.texts if text is not None)
    if one.confidence is None:
        return _unmeasured(field, one, texts)
    drafted = Drafted(texts, one.confidence, one.familiarity)
    if field.data_type is DataType.ZONE and texts and one.confidence >= 1.0 and field.kind is FieldKind.VALUE:
        return hold_for(field, drafted, Rule(0.0, 0.0))  # its own check digits vouch for it
    if policy is None or field.key not in policy.thresholds:
        return hold_for(field, drafted, Rule(2.0, 0.0)) and Problem(field.key, HoldReason.LOW_CONFIDENCE, NO_POLICY)
    return hold_for(field, drafted, Rule(float(policy.thresholds[field.key]), policy.familiarity_least))


def _unmeasured(field: FieldPlan, one: DraftedField, texts: Sequence[str]) -> Problem | None:
    """Values that no figure speaks for yet wait for a person; an optional field that was not found does not."""
    if not texts:
        missing = Problem(field.key, HoldReason.MISSING, f"{field.name} is required and was not found")
        return missing if field.required else None
    wrong = next((found for text in texts if (found := text_problem(field, text))), None)
    if wrong or one.chosen_by:
        return wrong or Problem(
            field.key, HoldReason.LOW_CONFIDENCE, f"chosen because a check holds with it: {one.chosen_by}"
        )
    engine = next(value.engine for value in one.values if value)
    return Problem(
        field.key, HoldReason.LOW_CONFIDENCE, f"read by {engine}; no figure says yet how often that is right"
    )


def _table_problem(
    field: FieldPlan, columns: Sequence[FieldPlan], drafted: Mapping[str, DraftedField], policy: Policy | None
) -> Problem | None:
    rows = max((len(drafted[one.key].values) for one in columns if one.key in drafted), default=0)
    whole = drafted.get(field.key)
    if whole is not None and whole.confidence is not None:
        if policy is None or field.key not in policy.thresholds:
            return Problem(field.key, HoldReason.LOW_CONFIDENCE, NO_POLICY) if rows or field.required else None
        said = (TABLE_ROW,) * rows
        rule = Rule(float(policy.thresholds[field.key]), policy.familiarity_least)
        return hold_for(field, Drafted(said, whole.confidence, whole.familiarity), rule) or _cell_problem(
            field, columns, drafted
        )
    if not rows:
        missing = Problem(field.key, HoldReason.MISSING, f"{field.name} is required and was not found")
        return missing if field.required else None
    return Problem(
        field.key,
        HoldReason.LOW_CONFIDENCE,
        f"{rows} {'row' if rows == 1 else 'rows'} read by the columns' heads; no figure says yet how often that is right",
    )


def _cell_problem(
    field: FieldPlan, columns: Sequence[FieldPlan], drafted: Mapping[str, DraftedField]
) -> Problem | None:
    """The first cell that is none by its column's pattern, options or check digit; of a required column, one that is empty."""
    for one in columns:
        for number, text in enumerate(drafted[one.key].texts if one.key in drafted else (), 1):
            if text is not None and (wrong := text_problem(one, text)):
                return Problem(field.key, wrong.reason, f"row {number}: {wrong.detail}")
            if text is None and one.required:
                return Problem(field.key, HoldReason.MISSING, f"row {number} has no {one.name}")
    return None


def keep_readings(session: Session, document: Document, row: Field, one: DraftedField | None) -> None:
    if one is None:
        return
    others = [{"text": o.text, "normal": o.normal, "page": o.page, "box": _box(o)} for o in one.others]
    common = {
        "document_id": document.id, "field_id": row.id, "version_id": document.version_id,
        "confidence": one.confidence or 0.0, "familiarity": one.familiarity, "others": others,
        "scores": {name: round(float(score), 4) for name, score in one.scores.items()},
    }  # fmt: skip
    found = [(position, value) for position, value in enumerate(one.values) if value]
    if not found:
        session.add(
            Reading(
                absent=True,
                text="",
                normal="",
                engine=EngineName.MODEL.value if row.kind == "value" else "plan",
                **common,
            )
        )
    for position, value in found:
        session.add(
            Reading(
                position=position, text=value.text, normal=value.normal, page=value.page, box=_box(value),
                engine=value.engine.value, why=one.chosen_by or value.why, **common,
            )
        )  # fmt: skip


def _box(value: Found) -> list[float]:
    return [round(v, 5) for v in value.box]


def _write_results(session: Session, document: Document, row: Field, one: DraftedField) -> None:
    for position, value in enumerate(one.values):
        if value:
            session.add(
                Result(
                    document_id=document.id, field_id=row.id, position=position, text=value.text, normal=value.normal,
                    page=value.page, box=_box(value), confidence=one.confidence,
                    origin="model" if value.engine is EngineName.MODEL else "plan", version_id=document.version_id,
                    policy_id=document.policy_id,
                )
            )  # fmt: skip


def write_derived(session: Session, document: Document, plan: Plan, texts: Mapping[str, Sequence[str | None]]) -> None:
    """Work out derived fields from what stands now, and write their results."""
    _, derived = derive(plan, texts, context_of(session, document))
    rows = {row.key: row for row in document.placed_type.fields}
    for key, values in derived.items():
        session.execute(delete(Result).where(Result.document_id == document.id, Result.field_id == rows[key].id))
        for position, value in enumerate(values):
            session.add(
                Result(
                    document_id=document.id, field_id=rows[key].id, position=position, text=value, normal=value,
                    origin="plan", version_id=document.version_id, policy_id=document.policy_id,
                )
            )  # fmt: skip


def _hold(session: Session, document: Document, row: Field, problem: Problem, checks: Sequence[str] = ()) -> None:
    session.add(
        Hold(
            document_id=document.id,
            field_id=row.id,
            reason=problem.reason.value,
            detail=problem.detail,
            checks=list(checks),
        )
    )


def hold_for_check(
    session: Session, document: Document, plan: Plan, failing: Judgement, confidences: Mapping[str, float]
) -> None:
    """A failing check holds one of the fields it concerns: one that is held already, else the least sure one."""
    session.flush()
    keys = list(dict.fromkeys(_holder(plan, key) for key in sources_of(plan, failing.fields)))
    rows = {row.key: row for row in document.placed_type.fields if row.key in keys}
    if not rows:
        return
    open_holds = {
        hold.field_id: hold
        for hold in session.scalars(select(Hold).where(Hold.document_id == document.id, Hold.settled_at.is_(None)))
    }
    word = "must be mended" if failing.check.severity is Severity.BLOCKING else "may be let stand"
    detail = f"{failing.said} ({word})"
    for key in keys:
        if key in rows and rows[key].id in open_holds:
            mine = open_holds[rows[key].id]
            if failing.check.key not in mine.checks:
                mine.detail, mine.checks = f"{mine.detail}; {detail}", [*mine.checks, failing.check.key]
            return
    key = min((key for key in keys if key in rows), key=lambda key: confidences.get(key, 0.0))
    session.execute(
        delete(Result).where(
            Result.document_id == document.id, Result.field_id == rows[key].id, Result.origin != "person"
        )
    )
    _hold(session, document, rows[key], Problem(key, HoldReason.FAILS_A_CHECK, detail), [failing.check.key])


# ---- After a person has settled something ------------------------------------------------------------------------------------------------


def texts_now(session: Session, document: Document) -> dict[str, list[str | None]]:
    """What stands for each field now: results, or readings where a field is still held."""
    texts: dict[str, list[str | None]] = {}
    held = set(session.scalars(select(Hold.field_id).where(Hold.document_id == document.id, Hold.settled_at.is_(None))))
    by_key = {row.key: row for row in document.placed_type.fields}
    for row in document.placed_type.fields:
        holder = by_key[row.inside] if "." in row.key else row
        table = Reading if holder.id in held else Result
        query = select(table.position, table.text).where(table.document_id == document.id, table.field_id == row.id)
        if table is Reading:
            query = query.where(Reading.absent.is_(False))
        values: list[str | None] = []
        for position, text in session.execute(query.order_by(table.position)):
            values.extend([None] * (position - len(values)))
            values.append(text)
        texts[row.key] = values
    return texts


def recheck(session: Session, document: Document, person_id: int) -> None:
    """After a change by a person: derived fields anew; holds of checks that hold now are closed, and blocking checks that fail
    now hold a field again."""
    plan = plan_in(document.placed_type)
    texts = texts_now(session, document)
    write_derived(session, document, plan, texts)
    stand = set(session.scalars(select(LetStand.check_key).where(LetStand.document_id == document.id)))
    judged = judge(plan, texts, context_of(session, document))
    failing = [one for one in judged if one.outcome is Outcome.FAILS and one.check.key not in stand]
    keys = {one.check.key for one in failing}
    for hold in session.scalars(select(Hold).where(Hold.document_id == document.id, Hold.settled_at.is_(None))).all():
        if hold.reason == HoldReason.FAILS_A_CHECK.value and hold.checks and not set(hold.checks) & keys:
            _close(session, document, hold, person_id)
    for one in failing:
        hold_for_check(session, document, plan, one, {})
    session.flush()


def _close(session: Session, document: Document, hold: Hold, person_id: int) -> None:
    """A field that only a check held passes with what was read, once the check holds."""
    hold.settled_at, hold.settled_by, hold.outcome = func.now(), person_id, "check holds"
    written = session.scalar(
        select(func.count(Result.id)).where(Result.document_id == document.id, Result.field_id == hold.field_id)
    )
    if written:
        return
    readings = session.scalars(
        select(Reading).where(
            Reading.document_id == document.id, Reading.field_id == hold.field_id, Reading.absent.is_(False)
        )
    )
    for one in readings:
        session.add(
            Result(
                document_id=document.id, field_id=one.field_id, position=one.position, text=one.text, normal=one.normal,
                page=one.page, box=one.box, confidence=one.confidence, origin="model" if one.engine == "model" else "plan",
                version_id=document.version_id, policy_id=document.policy_id,
            )
        )  # fmt: skip


def let_stand(session: Session, document: Document, hold: Hold, person_id: int) -> None:
    """The advisory checks that a hold names and that still fail are let stand: by whom and when is kept."""
    plan = plan_in(document.placed_type)
    for one in judge(plan, texts_now(session, document), context_of(session, document)):
        advisory = one.check.severity is Severity.ADVISORY
        if advisory and one.outcome is Outcome.FAILS and one.check.key in hold.checks:
            known = select(LetStand.id).where(LetStand.document_id == document.id, LetStand.check_key == one.check.key)
            if session.scalar(known) is None:
                session.add(
                    LetStand(document_id=document.id, check_key=one.check.key, said=one.said, person_id=person_id)
                )
    session.flush()
