"""A database with data goes from the first form to the last, step by step, and keeps what it holds."""

from __future__ import annotations

import json
from collections.abc import Iterator

import psycopg
import pytest
from alembic import command
from sqlalchemy import create_engine, text
from sqlalchemy.engine import Connection
from tests.conftest import Grounds

from jugum.core.evaluation.report_model import Report
from jugum.core.states import DocumentState, Method, VersionState
from jugum.settings import Settings
from jugum.store import Store
from jugum.store.database import driver_url
from jugum.store.migrate import config, migrate
from jugum.store.models import (
    Base,
    BlindLabel,
    CheckWaiver,
    ControlSuggestion,
    Document,
    Label,
    LayoutGroup,
    ModelVersion,
    PastRecord,
    Reading,
    RemovedField,
)

# What each form of the database can hold, put in right after it was reached: one statement each.
DATA: dict[str, list[str]] = {
    "0001": [
        "INSERT INTO person (login, name, role, password_hash, active) VALUES ('ann', 'Ann', 'analyst', 'x', true)",
        "INSERT INTO workspace (name) VALUES ('Harbour')",
        "INSERT INTO document_type (workspace_id, key, name) VALUES (1, 'slip', 'Slip')",
        "INSERT INTO field (type_id, key, name, data_type, printed_names, required, many, position) "
        "VALUES (1, 'amount', 'Amount', 'money', '[\"Total\"]', true, false, 0)",
        "INSERT INTO source_file (workspace_id, sha256, name, bytes) VALUES (1, repeat('a', 64), 'a.pdf', 10)",
        "INSERT INTO document (workspace_id, type_id, source_file_id, name, purpose, state, page_count, pages_read, "
        "revision) VALUES (1, 1, 1, 'sample.pdf', 'sample', 'in hand', 1, 1, 0), "
        "(1, 1, 1, 'live.pdf', 'live', 'held', 1, 1, 0)",
        "INSERT INTO label (document_id, field_id, position, absent, text, normal, how, person_id) "
        "VALUES (1, 1, 0, false, '12,00', '12.00', 'typed', 1)",
        "INSERT INTO audit (person_id, action, object_kind, object_id, detail) "
        "VALUES (1, 'take back', 'document', 1, '{}')",
    ],
    "0003": [
        "INSERT INTO let_stand (document_id, check_key, said, person_id) VALUES (2, 'odd', 'Odd', 1)",
    ],
    "0004": [
        "INSERT INTO look (type_id, name) VALUES (1, 'look 1')",
        "UPDATE document SET look_id = 1 WHERE id = 1",
        "INSERT INTO plant (document_id, field_id, person_id, text, outcome) VALUES (1, 1, 1, '13.00', 'caught')",
    ],
    "0005": [
        "INSERT INTO model_version (type_id, number, state, stage, progress, papers, snapshot, report, evidence, "
        "created_by, trained_at, published_at, note, origin) VALUES (1, 1, 'live', 'done', 1, 8, '{}', "
        "CAST('{report}' AS jsonb), CAST('{evidence}' AS jsonb), 1, now(), now(), '', '')",
        "INSERT INTO reading (document_id, field_id, version_id, position, absent, text, normal, confidence, "
        "familiarity, engine, why, others, scores) VALUES (2, 1, 1, 0, false, '9,00', '9.00', 0, 1, 'mark', '', "
        "'[]', '{}')",
        "INSERT INTO policy (type_id, number, version_id, thresholds, familiarity_least, note, outcome, created_by) "
        "VALUES (1, 1, 1, '{\"amount\": 0.9}', 0.4, '', '{}', 1)",
    ],
    "0006": [
        "INSERT INTO label (document_id, field_id, position, absent, text, normal, method, person_id, more_places, "
        "ocr_text, corrected) VALUES (2, 1, 0, false, '9,00', '9.00', 'keyed', 1, '[]', '', false)",
        "INSERT INTO keyed_value (document_id, field_id, position, text, state, match, places, person_id) "
        "VALUES (2, 1, 0, '9,00', 'found', 'exact', '[]', 1)",
        "INSERT INTO blind_label (document_id, field_id, person_id, absent, method, value) "
        """VALUES (1, 1, 1, false, 'typed', CAST('[{"text": "12,00", "more": [[2, [0, 0, 1, 1]]], "read": "12.00"}]' """
        "AS jsonb)), (2, 1, 1, true, 'keyed', '[]')",
        "INSERT INTO plan_version (type_id, number, summary, plan, created_by) VALUES (1, 1, 'was', CAST('"
        + json.dumps({"fields": [{"key": "member", "personal": True}, {"key": "amount", "personal": True}]})
        + "' AS jsonb), 1)",
    ],
}
COUNTED = {"right": 3, "total": 4, "interval": [0.3, 0.95]}
PRECISION = {"precision": 0.8, "recall": 0.7, "f1": 0.75}
SURE = {"calibration_error": 0.02, "brier": 0.1, "risk_coverage": 0.05, "reliability": [], "decisions": 4}
ROW = {
    "sample": "1",
    "field": "amount",
    "confidence": 0.7,
    "familiarity": 0.9,
    "right": False,
    "unseen": False,
    "found": "12.00",
    "expected": "13.00",
    "detail": {},
}
REPORT = {
    "papers": 8,
    "groups": 2,
    "fields": [
        {
            "field": "amount",
            "kind": "value",
            "labels": 8,
            "absent": 0,
            "seen_right": 3,
            "seen_total": 4,
            "seen_interval": [0.3, 0.95],
            "unseen_right": 3,
            "unseen_total": 4,
            "unseen_interval": [0.3, 0.95],
            "seen": PRECISION,
            "unseen": PRECISION,
            "printed": None,
            "cells": {},
        }
    ],
    "seen_right": 3,
    "seen_total": 4,
    "unseen_right": 3,
    "unseen_total": 4,
    "calibration_error": 0.02,
    "gate": 0.35,
    "errors": [ROW],
    "test": {
        "papers": 2,
        **COUNTED,
        "familiar": COUNTED,
        "strange": COUNTED,
        **SURE,
        "fields": {"amount": COUNTED},
    },
    "seen": {
        **PRECISION,
        **SURE,
        "f1_interval": [0.5, 0.9],
        "macro_f1": 0.75,
        "exact": 0.75,
        "exact_interval": [0.3, 0.9],
        "whole_papers": 3,
        "papers": 4,
        "whole_interval": [0.3, 0.9],
    },
    "unseen": {},
    "looks": [{"group": 1, "papers": 8, "seen": COUNTED, "unseen": COUNTED}],
    "hardest": [{"sample": "1", "wrong": 1, "total": 3, "confidence": 0.8}],
    "curve": {
        "": {
            "points": [{"papers": 3, "right": 2, "total": 4}],
            "forecast": [{"papers": 12, "share": 0.9, "low": 0.8, "high": 0.95}],
            "wanted": None,
        }
    },
}


@pytest.fixture
def empty(grounds: Grounds) -> Iterator[str]:
    """The address of an empty database."""
    name = "upgrade"
    with psycopg.connect(grounds.url, autocommit=True) as connection:
        connection.execute(f"CREATE DATABASE {name}")
    yield grounds.url.rsplit("/", 1)[0] + f"/{name}"
    with psycopg.connect(grounds.url, autocommit=True) as connection:
        connection.execute(f"DROP DATABASE {name} WITH (FORCE)")


def fill(connection: Connection, statements: list[str]) -> None:
    for statement in statements:
        filled = statement.replace("{report}", json.dumps(REPORT)).replace("{evidence}", json.dumps([ROW]))
        connection.exec_driver_sql(filled)


def test_a_database_with_data_is_upgraded_from_the_first_form_to_the_last(empty: str) -> None:
    engine = create_engine(driver_url(empty))
    for revision in ("0001", "0002", "0003", "0004", "0005", "0006"):
        command.upgrade(config(empty), revision)
        with engine.begin() as connection:
            fill(connection, DATA.get(revision, []))
    engine.dispose()
    migrate(empty)
    store = Store(Settings(database_url=empty, secret="x"))
    with store.session() as session:
        states = [document.state for document in session.query(Document).order_by(Document.id)]
        assert states == [DocumentState.IN_PROGRESS, DocumentState.HELD]
        labels = session.query(Label.text, Label.method).order_by(Label.document_id).all()
        assert labels == [("12,00", "typed"), ("9,00", Method.PAST_RECORD)]
        assert session.query(PastRecord.text).scalar() == "9,00"
        typed, recorded = session.query(BlindLabel).order_by(BlindLabel.document_id)
        assert typed.value == [{"text": "12,00", "more_places": [[2, [0, 0, 1, 1]]], "ocr_text": "12.00"}]
        assert (recorded.method, recorded.value) == (Method.PAST_RECORD, [])
        assert session.query(CheckWaiver.message, CheckWaiver.reason).one() == ("Odd", "")
        assert session.query(ControlSuggestion.outcome).scalar() == "caught"
        (group,) = session.query(LayoutGroup).all()
        assert session.get_one(Document, 1).layout_group_id == group.id
        (reading,) = session.query(Reading).all()
        assert (reading.confidence, reading.layout_similarity) == (None, None)
        version = session.query(ModelVersion).one()
        assert version.state is VersionState.PUBLISHED
        assert version.evidence[0]["layout_similarity"] == 0.9
        report = Report.from_data(version.report)
        assert report is not None
        assert report.layout_similarity_min == 0.35
        assert report.errors[0].layout_similarity == 0.9
        assert report.test is not None
        assert report.test.known_layouts.right == 3
        assert session.execute(text("SELECT action FROM audit")).scalar() == "return"
        # A personal field that the plan once had stays hidden; of one that is there, the plan of now tells.
        assert [(gone.key, gone.personal, gone.data) for gone in session.query(RemovedField)] == [("member", True, {})]
    store.close()


def test_the_constraints_of_the_database_are_those_of_the_models(empty: str, grounds: Grounds) -> None:
    """Made by the migrations, and made from the models: the checks are the same to the letter."""
    query = text(
        "SELECT conrelid::regclass || ' ' || conname || ': ' || pg_get_constraintdef(oid) FROM pg_constraint "
        "WHERE contype = 'c' AND connamespace = 'public'::regnamespace ORDER BY 1"
    )
    found = []
    for migrated in (True, False):
        engine = create_engine(driver_url(empty))
        with engine.begin() as connection:
            connection.exec_driver_sql("DROP SCHEMA public CASCADE")
            connection.exec_driver_sql("CREATE SCHEMA public")
        if migrated:
            migrate(empty)
        else:
            Base.metadata.create_all(engine)
        with engine.connect() as connection:
            found.append([scalar for scalar in connection.scalars(query) if "procrastinate" not in scalar])
        engine.dispose()
    assert found[0] == found[1]
