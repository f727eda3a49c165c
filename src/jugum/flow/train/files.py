"""Versions as things: exported as one file and imported again, run on any paper, told apart by what they would
change; training by itself."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, replace
from datetime import UTC, datetime

from sqlalchemy import select
from sqlalchemy.orm import undefer

from jugum.core.evaluation.report_model import Report
from jugum.core.evaluation.tables import ReportTable, report_html, report_tables
from jugum.core.formats.version_file import misfit, with_judged_parts
from jugum.core.states import VersionState
from jugum.core.training.confidence import EvidenceRow
from jugum.errors import Conflict, InputError
from jugum.flow.in_force import report_in, version_row
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import TRAIN, Actor, record
from jugum.flow.office.personal import must_see_all
from jugum.flow.office.types import type_row
from jugum.flow.plan.fields import plan_in
from jugum.flow.train.training import next_number
from jugum.flow.train.trying import TriedVersion, try_version
from jugum.store import Store
from jugum.store.models import DocumentType, LayoutGroup, ModelVersion

FILE_BYTES_MAX = 100_000_000


# ---- One file --------------------------------------------------------------------------------------------------------


def exported(store: Store, version_id: int) -> tuple[str, bytes]:
    """A trained version as one file, its report and evidence in it: name and bytes."""
    with store.session() as session:
        version = session.get(ModelVersion, version_id, options=[undefer(ModelVersion.evidence)]) or version_row(
            session, version_id
        )
        if version.file_key is None:
            raise Conflict(f"Version {version.number} is {version.state}; there is nothing to export yet.")
        kind = type_row(session, version.type_id)
        must_see_all(kind, "The version file")
        name = f"{kind.key}-version-{version.number}.jugum-version"
        packed, report, evidence = store.files.get(version.file_key), version.report, version.evidence
    return name, with_judged_parts(packed, report, evidence)


def import_version(store: Store, actor: Actor, type_id: int, name: str, data: bytes) -> int:
    """A version from a file, on trial for a type; returns its id. InputError when the file is none, is damaged, or
    reads another plan."""
    actor.require(TRAIN)
    if len(data) > FILE_BYTES_MAX:
        raise InputError(f"“{name}” has {len(data):,} bytes; a version file has at most {FILE_BYTES_MAX:,}.")
    tried = try_version(store, type_id, name, data, judged=True)
    report, evidence = _elsewhere(tried)
    with store.session() as session:
        row = type_row(session, type_id)
        why = misfit(tried.plan, plan_in(row))
        if why:
            raise InputError(
                f"“{name}” does not fit the plan of “{row.name}”: {why}. Import a version of this plan, or change "
                "the plan."
            )
        session.get_one(DocumentType, type_id, with_for_update=True)
        version = ModelVersion(
            type_id=type_id,
            number=next_number(session, type_id),
            created_by=actor.id,
            state=VersionState.ON_TRIAL,
            stage="imported",
            progress=1.0,
            report=report.to_data(),
            evidence=[asdict(entry) for entry in evidence],
            file_key=store.files.put(data),
            trained_at=datetime.now(UTC),
            papers=report.papers,
            origin=f"from the file “{name[:120]}”",
            snapshot={"labels_sha256": tried.labels_sha256},
        )
        session.add(version)
        session.flush()
        record(session, actor, Action.IMPORT_VERSION, "model_version", version.id, file=name)
        return version.id


def _elsewhere(tried: TriedVersion) -> tuple[Report, list[EvidenceRow]]:
    """Report and evidence of a version file. Its papers are of another office: they get numbers below nought, which
    no paper here has."""
    report, evidence = tried.report, tried.evidence
    assert report is not None
    numbers: dict[str, str] = {}

    def elsewhere(sample: str) -> str:
        return numbers.setdefault(sample, str(-1 - len(numbers)))

    def imported(rows: Sequence[EvidenceRow]) -> list[EvidenceRow]:
        return [replace(row, sample=elsewhere(row.sample), detail={}) for row in rows]

    evidence = imported(evidence)  # first: its papers get the lowest numbers
    return report.model_copy(update={"errors": imported(report.errors), "hardest": []}), evidence


# ---- The report to take away -----------------------------------------------------------------------------------------


def report_csv(store: Store, version_id: int, table: str, more: Sequence[ReportTable] = ()) -> tuple[str, str]:
    """One table of a version's report, or of `more` beside it, as CSV: file name and text. InputError names the
    tables there are."""
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
        report = report_in(version)
        names = {field.key: field.name for field in kind.fields}
        layouts = {
            number: name
            for number, name in session.execute(
                select(LayoutGroup.id, LayoutGroup.name).where(LayoutGroup.type_id == kind.id)
            )
        }
        title = f"{kind.name}, version {version.number}"
        every = [*report_tables(report, names, layouts), *more]
        return title, {field.key: field for field in every}, version.number


__all__ = ["exported", "import_version", "report_csv", "report_file"]
