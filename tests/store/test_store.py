"""Files by content, the queue inside the transaction, migrations that match the models, invariants in the database."""

from __future__ import annotations

import hashlib
from pathlib import Path

import pytest
from alembic import command
from sqlalchemy import text
from sqlalchemy.exc import IntegrityError
from tests.office import Office

from jugum.errors import ExternalError
from jugum.store import FileStore, Store
from jugum.store.migrate import config, migrate
from jugum.store.models import ModelVersion, Policy
from jugum.store.queue import Task, enqueue, waiting_jobs


def test_the_same_bytes_are_kept_once_under_their_sum(tmp_path: Path) -> None:
    files = FileStore(str(tmp_path))
    key = files.put(b"paper")
    assert key == files.put(b"paper") == hashlib.sha256(b"paper").hexdigest()
    assert files.get(key) == b"paper"
    assert len([path for path in tmp_path.rglob("*") if path.is_file()]) == 1


def test_half_a_file_left_by_a_crash_is_replaced(tmp_path: Path) -> None:
    files = FileStore(str(tmp_path))
    key = FileStore.key_of(b"a whole paper")
    (tmp_path / key[:2]).mkdir()
    (tmp_path / key[:2] / key).write_bytes(b"a who")
    files.put(b"a whole paper")
    assert files.get(key) == b"a whole paper"


def test_a_missing_file_is_told(tmp_path: Path) -> None:
    with pytest.raises(ExternalError, match="does not have"):
        FileStore(str(tmp_path)).get("0" * 64)


def test_files_may_lie_in_memory_or_anywhere_fsspec_reaches() -> None:
    files = FileStore("memory://jugum-test")
    assert files.get(files.put(b"x")) == b"x"


def test_a_task_is_queued_only_when_its_transaction_is_kept(store: Store) -> None:
    def thinks_better() -> None:
        with store.session() as session:
            enqueue(session, Task.OPEN_DOCUMENT, document_id=1)
            raise RuntimeError("thought better")

    with pytest.raises(RuntimeError, match="thought better"):
        thinks_better()
    with store.session() as session:
        assert waiting_jobs(session) == 0
        enqueue(session, Task.OPEN_DOCUMENT, document_id=1)
    with store.session() as session:
        assert waiting_jobs(session) == 1


def test_migrations_make_what_the_models_say_and_can_be_repeated(store: Store) -> None:
    migrate(store.settings.database_url)
    command.check(config(store.settings.database_url))


def version(office: Office, number: int, state: str) -> ModelVersion:
    return ModelVersion(type_id=office.type_id, number=number, state=state, created_by=office.analyst.id)


def test_the_database_itself_allows_one_live_version_a_type(office: Office) -> None:
    with pytest.raises(IntegrityError, match="one_published_per_type"), office.store.session() as session:
        session.add_all([version(office, 1, "published"), version(office, 2, "published")])


def test_the_database_refuses_states_and_shares_that_are_none(office: Office) -> None:
    with pytest.raises(IntegrityError, match="known_state"), office.store.session() as session:
        session.add(version(office, 1, "maybe"))
    with office.store.session() as session:
        kept = version(office, 3, "retired")
        session.add(kept)
        session.flush()
        kept_id = kept.id
    with pytest.raises(IntegrityError, match="layout_similarity_min_is_a_share"), office.store.session() as session:
        session.add(
            Policy(
                type_id=office.type_id,
                number=1,
                version_id=kept_id,
                thresholds={},
                layout_similarity_min=2,
                created_by=office.analyst.id,
            )
        )


def test_every_foreign_key_that_is_listed_by_has_an_index(store: Store) -> None:
    query = text(
        "SELECT c.conrelid::regclass || '.' || a.attname FROM pg_constraint c "
        "JOIN pg_attribute a ON a.attrelid = c.conrelid AND a.attnum = c.conkey[1] "
        "WHERE c.contype = 'f' AND a.attname IN ('document_id', 'type_id', 'field_id') AND NOT EXISTS ("
        "SELECT 1 FROM pg_index i WHERE i.indrelid = c.conrelid AND i.indkey[0] = a.attnum)"
    )
    with store.session() as session:
        assert session.scalars(query).all() == []
