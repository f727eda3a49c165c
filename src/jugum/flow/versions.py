"""Versions as things: taken out as one file and brought in again, run on any paper, told apart by what they would change; training by itself."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime

from sqlalchemy import select
from sqlalchemy.orm import Session, undefer

from jugum.core.evaluation.tables import ReportTable, report_html, report_tables
from jugum.core.extraction.found import Found
from jugum.core.formats import unpack_version
from jugum.core.formats.version_file import misfit
from jugum.core.schema import FieldKind
from jugum.core.thresholds.through import Through, straight_through
from jugum.core.values import same_value
from jugum.errors import Conflict, InputError
from jugum.flow.actor import PLAN, TRAIN, Actor, record
from jugum.flow.deliver import MASKED
from jugum.flow.draft import DraftedField, drafted_fields
from jugum.flow.explore import Explorer
from jugum.flow.models import LoadedVersions
from jugum.flow.plan import plan_in, value_type_of
from jugum.flow.read import DRAFT_TASK, document_row
from jugum.flow.train import next_number, start_in, unlearned, version_row
from jugum.flow.types import type_row
from jugum.flow.weigh import current_policy
from jugum.store import Store
from jugum.store.models import Document, DocumentType, Hold, Look, ModelVersion, Reading
from jugum.store.queue import enqueue

FILE_BYTES_MAX = 100_000_000
AGAIN_MAX = 500  # papers read again at once
WHEN_RANGE = (1, 10_000)


# ---- One file ---------------------------------------------------------------------------------------------------------------------------


def exported(store: Store, version_id: int) -> tuple[str, bytes]:
    """A trained version as one file, its report and evidence in it: name and bytes."""
    with store.session() as session:
        version = session.get(ModelVersion, version_id, options=[undefer(ModelVersion.evidence)]) or version_row(
            session, version_id
        )
        if version.file_key is None:
            raise Conflict(f"Version {version.number} is {version.state}; there is nothing to take out yet.")
        kind = type_row(session, version.type_id)
        name = f"{kind.key}-version-{version.number}.jugum-version"
        packed, report, evidence = store.files.get(version.file_key), version.report, version.evidence
    buffer = io.BytesIO(packed)
    with zipfile.ZipFile(buffer, "a", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(zipfile.ZipInfo("report.json"), json.dumps(report), zipfile.ZIP_DEFLATED)
        archive.writestr(zipfile.ZipInfo("evidence.json"), json.dumps(evidence), zipfile.ZIP_DEFLATED)
    return name, buffer.getvalue()


def brought_in(store: Store, actor: Actor, type_id: int, name: str, data: bytes) -> int:
    """A version from a file, on trial for a type; returns its id. InputError when the file is none, is damaged, or reads another plan."""
    actor.must(TRAIN)
    if len(data) > FILE_BYTES_MAX:
        raise InputError(f"“{name}” has {len(data):,} bytes; a version file has at most {FILE_BYTES_MAX:,}.")
    reader, _, manifest = unpack_version(data)
    report, evidence = _judged(data)
    with store.session() as session:
        row = type_row(session, type_id)
        why = misfit(reader.plan, plan_in(row))
        if why:
            raise InputError(
                f"“{name}” does not fit the plan of “{row.name}”: {why}. Bring in a version of this plan, or change the plan."
            )
        session.get_one(DocumentType, type_id, with_for_update=True)
        version = ModelVersion(
            type_id=type_id, number=next_number(session, type_id), created_by=actor.id, state="on trial", stage="brought in", progress=1.0,
            report=report, evidence=evidence, file_key=store.files.put(data), trained_at=datetime.now(UTC), papers=int(report.get("papers", 0)),
            origin=f"from the file “{name[:120]}”", snapshot={"labels_sha256": manifest.get("labels_sha256", "")},
        )  # fmt: skip
        session.add(version)
        session.flush()
        record(session, actor, "bring in", "model_version", version.id, file=name)
        return version.id


def _judged(data: bytes) -> tuple[dict[str, object], list[dict[str, object]]]:
    """Report and evidence of a version file. Its papers are of another office: they get numbers below nought, which no paper here has."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        names = set(archive.namelist())
        if not {"report.json", "evidence.json"} <= names:
            raise InputError(
                "This version file has no report and no evidence, so no threshold could be set for it. Take it out again in Train."
            )
        try:
            report, evidence = json.loads(archive.read("report.json")), json.loads(archive.read("evidence.json"))
        except ValueError as error:
            raise InputError("This version file is damaged: its report can't be read.") from error
    numbers: dict[str, str] = {}
    for one in [*evidence, *report.get("errors", [])]:
        one["sample"], one["detail"] = numbers.setdefault(one["sample"], str(-1 - len(numbers))), {}
    return {**report, "hardest": []}, evidence


# ---- What a version would change --------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Change:
    """A value that another version reads otherwise: what was read, what would be, with its confidence; "" stands for nothing."""

    field: str
    name: str
    before: str
    after: str
    confidence: float | None


@dataclass(frozen=True)
class Changes:
    """A paper under another version. `begun` papers are in a person's hands or done, so they are not read again."""

    document: int
    name: str
    state: str
    begun: bool
    values: int
    changed: list[Change]


def papers_to_try(store: Store, type_id: int, count: int = 20) -> list[int]:
    """The newest live papers of a type that a version has read."""
    with store.session() as session:
        found = session.scalars(
            select(Document.id)
            .where(Document.type_id == type_id, Document.purpose == "live", Document.version_id.is_not(None))
            .order_by(Document.id.desc())
            .limit(count)
        )
        return list(found)


def changes(store: Store, versions: LoadedVersions, explorer: Explorer, version_id: int, document_id: int) -> Changes:
    """What a version reads otherwise on a live paper than what was read of it; nothing is saved."""
    with store.session() as session:
        version = version_row(session, version_id)
        document = document_row(session, document_id)
        if version.file_key is None or document.type_id != version.type_id:
            raise InputError(
                f"Version {version.number} can't read “{document.name}”: it is of another type, or the version is not trained."
            )
        plan = plan_in(document.type)
        now = drafted_fields(store, session, explorer, document, plan, versions, version.file_key)
        before: dict[int, list[Reading]] = {}
        for reading in session.scalars(
            select(Reading)
            .where(Reading.document_id == document_id, Reading.version_id == document.version_id)
            .order_by(Reading.position)
        ):
            before.setdefault(reading.field_id, []).append(reading)
        found, judged = [], 0
        for field in document.type.fields:
            if field.kind in (FieldKind.TABLE.value, FieldKind.DERIVED.value) or (
                field.id not in before and field.key not in now
            ):
                continue
            judged += 1
            old = [one.normal for one in before.get(field.id, []) if not one.absent]
            new = [one for one in _values(now.get(field.key)) if one]
            kind = value_type_of(field)
            if len(old) != len(new) or any(not same_value(a, b.normal, kind) for a, b in zip(old, new, strict=True)):
                sure = now[field.key].confidence if field.key in now else None
                found.append(
                    Change(
                        field.key, field.name, "; ".join(old)[:200], "; ".join(one.normal for one in new)[:200], sure
                    )
                )
        return Changes(document_id, document.name, document.state, _begun(session, document), judged, found)


def masked(store: Store, found: Changes) -> Changes:
    """The same without personal values, for who may not see them."""
    with store.session() as session:
        fields = {field.key: field for field in plan_in(document_row(session, found.document).type).fields}
    hidden = [
        replace(one, before=one.before and MASKED, after=one.after and MASKED) if fields[one.field].personal else one
        for one in found.changed
    ]
    return replace(found, changed=hidden)


def _values(one: DraftedField | None) -> Sequence[Found | None]:
    return one.values if one else ()


def _begun(session: Session, document: Document) -> bool:
    settled = select(Hold.id).where(Hold.document_id == document.id, Hold.settled_at.is_not(None))
    return document.state not in ("placed", "drafted", "held", "passed") or session.scalar(settled.limit(1)) is not None


def read_again(store: Store, actor: Actor, version_id: int, documents: Sequence[int]) -> int:
    """Queue reading of live papers with a version, whichever is live; returns how many. Papers that a person has begun are left alone."""
    actor.must(PLAN)
    if len(documents) > AGAIN_MAX:
        raise InputError(f"{len(documents)} papers can't be read again at once; at most {AGAIN_MAX} can.")
    with store.session() as session:
        version = version_row(session, version_id)
        if version.file_key is None:
            raise Conflict(f"Version {version.number} is {version.state}; it can't read papers.")
        count = 0
        for number in dict.fromkeys(documents):
            document = document_row(session, number)
            if document.type_id != version.type_id or document.purpose != "live":
                raise InputError(f"“{document.name}” is no live paper of this type.")
            if not _begun(session, document):
                if document.state == "passed":
                    document.state = "drafted"
                enqueue(
                    session,
                    DRAFT_TASK,
                    priority=15,
                    lock=f"document-{number}",
                    document_id=number,
                    version_id=version_id,
                )
                count += 1
        record(session, actor, "read again", "model_version", version_id, papers=count)
        return count


# ---- Training by itself -----------------------------------------------------------------------------------------------------------------


def set_training(store: Store, actor: Actor, type_id: int, when: int | None) -> None:
    """Train by itself when so many papers were labelled since the last training (1 to 10,000); None: only when told."""
    actor.must(TRAIN)
    if when is not None and not WHEN_RANGE[0] <= when <= WHEN_RANGE[1]:
        raise InputError(f"Training after {when} papers can't be; it is {WHEN_RANGE[0]} to {WHEN_RANGE[1]:,}, or off.")
    with store.session() as session:
        row = type_row(session, type_id)
        before = row.training.get("when")
        row.training = {**row.training, "when": when}
        record(session, actor, "set training", "document_type", type_id, before=before, after=when)


def train_if_due(session: Session, actor: Actor, type_id: int | None) -> int | None:
    """Queue a training when as many papers were labelled since the last one as the type asks for; returns the version's id."""
    if type_id is None:
        return None
    row = session.get_one(DocumentType, type_id)
    wanted = row.training.get("when")
    if not wanted or not row.fields:
        return None
    busy = session.scalar(
        select(ModelVersion.id)
        .where(ModelVersion.type_id == type_id, ModelVersion.state.in_(("queued", "training")))
        .limit(1)
    )
    if busy is not None or len(unlearned(session, type_id)) < int(wanted):
        return None
    return start_in(session, actor, type_id)


def through(store: Store, version_id: int) -> tuple[int, Through, Through] | None:
    """What of a version's held-out papers would pass whole under the policy in force: its number, on layouts seen and not seen. None without
    policy or evidence."""
    with store.session() as session:
        version = session.get(ModelVersion, version_id, options=[undefer(ModelVersion.evidence)]) or version_row(
            session, version_id
        )
        policy = current_policy(session, version.type_id)
        if policy is None or not version.evidence:
            return None
        limits = {key: float(value) for key, value in policy.thresholds.items()}
        seen, unseen = (
            straight_through(
                [row for row in version.evidence if row["unseen"] is strange], limits, policy.familiarity_least
            )
            for strange in (False, True)
        )
        return policy.number, seen, unseen


# ---- The report to take away ------------------------------------------------------------------------------------------------------------


def report_csv(store: Store, version_id: int, table: str, more: Sequence[ReportTable] = ()) -> tuple[str, str]:
    """One table of a version's report, or of `more` beside it, as CSV: file name and text. InputError names the tables there are."""
    _, tables, number = _tables(store, version_id, more)
    if table not in tables:
        raise InputError(f"The report has no table “{table}”; it has {', '.join(tables)}.")
    return f"version-{number}-{table}.csv", tables[table].csv


def report_file(store: Store, version_id: int, more: Sequence[ReportTable] = ()) -> tuple[str, str]:
    """A version's report, and `more` tables after it, as one HTML page that opens offline: file name and text."""
    title, tables, number = _tables(store, version_id, more)
    return f"version-{number}-report.html", report_html(title, list(tables.values()))


def _tables(store: Store, version_id: int, more: Sequence[ReportTable]) -> tuple[str, dict[str, ReportTable], int]:
    with store.session() as session:
        version = version_row(session, version_id)
        kind = type_row(session, version.type_id)
        if not version.report:
            raise Conflict(f"Version {version.number} is {version.state}; it has no report yet.")
        names = {field.key: field.name for field in kind.fields}
        looks = {
            number: name for number, name in session.execute(select(Look.id, Look.name).where(Look.type_id == kind.id))
        }
        title = f"{kind.name}, version {version.number}"
        every = [*report_tables(version.report, names, looks), *more]
        return title, {one.key: one for one in every}, version.number


__all__ = [
    "Change", "Changes", "brought_in", "changes", "exported", "papers_to_try", "read_again", "report_csv", "report_file", "set_training",
    "through", "train_if_due",
]  # fmt: skip
