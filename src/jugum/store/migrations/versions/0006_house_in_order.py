"""States that are stated: one value means one thing. Failures of background work that no paper or version can tell.
What is not measured is null."""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

JSON = postgresql.JSONB(astext_type=sa.Text())
# As they were when this was written: a migration must not change with the code.
SAMPLES = ("received", "unpacked", "to cut", "unplaced", "to label", "in progress", "labelled", "set aside")
LIVES = (
    "received",
    "unpacked",
    "to cut",
    "unplaced",
    "placed",
    "drafted",
    "held",
    "passed",
    "settled",
    "delivered",
    "set aside",
)
VERSIONS = ("queued", "training", "on trial", "published", "retired", "failed")
ACTIONS = {
    "take back API key": "revoke API key",
    "take back": "return",
    "stop": "pause batch",
    "go on": "resume batch",
    "remove": "delete batch",
    "set names that mean the same": "set synonyms",
    "labelling": "set labelling",
    "labelled apart": "labelled blind",
    "rename look": "rename layout",
    "merge looks": "merge layouts",
    "split look": "split layout",
    "bring in": "import version",
}


TABLES = {
    "look": "layout_group",
    "plant": "control_suggestion",
    "let_stand": "check_waiver",
    "opinion": "blind_label",
    "sorter": "classifier_version",
}
COLUMNS = {
    "reading": {"familiarity": "layout_similarity"},
    "policy": {"familiarity_least": "layout_similarity_min"},
    "document": {"look_id": "layout_group_id", "likely": "type_candidates", "gauge": "model_confidence"},
    "page": {"how": "reading_options"},
    "label": {"how": "method", "more": "more_places", "read": "ocr_text", "at": "created_at"},
    "opinion": {"how": "method", "said": "value", "at": "created_at"},
    "plant": {"at": "created_at"},
    "let_stand": {"said": "message", "at": "created_at"},
    "keyed_value": {"at": "created_at"},
    "kept_label": {"at": "created_at"},
    "result": {"at": "created_at"},
    "plan_version": {"said": "summary"},
    "audit": {"at": "created_at"},
}


def _one_of(values: tuple[str, ...]) -> str:
    return f"state IN ({', '.join(repr(value) for value in values)})"


DOCUMENT_STATES = f"(purpose = 'sample' AND {_one_of(SAMPLES)}) OR (purpose = 'live' AND {_one_of(LIVES)})"
TASKS = {"learn_sorter": "learn_types", "gauge_sample": "judge_sample"}


def upgrade() -> None:
    op.create_table(
        "task_failure",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("task", sa.String(40), nullable=False),
        sa.Column("arguments", JSON, nullable=False),
        sa.Column("message", sa.String(), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False, server_default="1"),
        sa.Column("failed_at", sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now()),
        sa.PrimaryKeyConstraint("id", name="pk_task_failure"),
        sa.UniqueConstraint("task", "arguments", name="uq_task_failure_task_arguments"),
    )
    _rename_tasks(TASKS)
    # "Not measured" was stored as confidence 0; what the plan alone reads is compared with no layout either.
    for column in ("confidence", "familiarity"):
        op.alter_column("reading", column, existing_type=sa.Float(), nullable=True)
    op.execute("UPDATE reading SET confidence = NULL, familiarity = NULL WHERE engine <> 'model' AND confidence = 0")
    op.execute("UPDATE result SET confidence = NULL WHERE confidence = 0")
    _states()
    _names()
    _reports()


def _states() -> None:
    _drop_check("document", "known_state")
    _drop_check("model_version", "known_state")
    _drop_check("keyed_value", "known_state")
    op.drop_index("uq_model_version_one_live_per_type", table_name="model_version")
    op.execute("UPDATE document SET state = 'in progress' WHERE state = 'in hand'")
    op.execute("UPDATE model_version SET state = 'published' WHERE state = 'live'")
    op.execute("UPDATE keyed_value SET state = 'found' WHERE state = 'placed'")
    for old, new in ACTIONS.items():
        op.execute(sa.text("UPDATE audit SET action = :new WHERE action = :old").bindparams(old=old, new=new))
    _check("document", "known_state", DOCUMENT_STATES)
    _check("model_version", "known_state", _one_of(VERSIONS))
    _check("keyed_value", "known_state", _one_of(("found", "ambiguous", "not found", "chosen")))
    op.create_index(
        "uq_model_version_one_published_per_type",
        "model_version",
        ["type_id"],
        unique=True,
        postgresql_where=sa.text("state = 'published'"),
    )
    op.add_column("batch", sa.Column("state", sa.String(10), nullable=False, server_default="running"))
    op.execute("UPDATE batch SET state = 'paused' WHERE stopped")
    op.drop_column("batch", "stopped")
    _check("batch", "known_state", _one_of(("running", "paused")))
    op.add_column("delivery", sa.Column("state", sa.String(10), nullable=False, server_default="sent"))
    _check("delivery", "known_state", _one_of(("sent",)))
    for table in ("batch", "delivery"):
        op.alter_column(table, "state", server_default=None)


def downgrade() -> None:
    # Reports and evidence are not turned back: their versions are trained anew.
    op.execute(
        "UPDATE model_version SET state = 'failed', error = 'Trained by a later release of the program. Train a new version.' "
        "WHERE state IN ('published', 'on trial', 'retired')"
    )
    _names_as_before()
    _states_as_before()
    op.execute("UPDATE reading SET confidence = coalesce(confidence, 0), familiarity = coalesce(familiarity, 1)")
    for column in ("confidence", "familiarity"):
        op.alter_column("reading", column, existing_type=sa.Float(), nullable=False)
    _rename_tasks({new: old for old, new in TASKS.items()})
    op.drop_table("task_failure")


def _states_as_before() -> None:
    op.drop_column("delivery", "state")
    op.add_column("batch", sa.Column("stopped", sa.Boolean(), nullable=False, server_default="false"))
    op.execute("UPDATE batch SET stopped = true WHERE state = 'paused'")
    op.alter_column("batch", "stopped", server_default=None)
    op.drop_column("batch", "state")
    op.drop_index("uq_model_version_one_published_per_type", table_name="model_version")
    for table in ("document", "model_version", "keyed_value"):
        _drop_check(table, "known_state")
    op.execute("UPDATE document SET state = 'in hand' WHERE state = 'in progress'")
    op.execute("UPDATE model_version SET state = 'live' WHERE state = 'published'")
    op.execute("UPDATE keyed_value SET state = 'placed' WHERE state = 'found'")
    for old, new in ACTIONS.items():
        op.execute(sa.text("UPDATE audit SET action = :old WHERE action = :new").bindparams(old=old, new=new))
    before = ("in hand" if state == "in progress" else state for state in (*SAMPLES, *LIVES[4:]))
    _check("document", "known_state", _one_of(tuple(dict.fromkeys(before))))
    _check(
        "model_version", "known_state", _one_of(tuple("live" if state == "published" else state for state in VERSIONS))
    )
    _check("keyed_value", "known_state", _one_of(("placed", "ambiguous", "not found", "chosen")))
    op.create_index(
        "uq_model_version_one_live_per_type",
        "model_version",
        ["type_id"],
        unique=True,
        postgresql_where=sa.text("state = 'live'"),
    )


def _names() -> None:
    for table, its in COLUMNS.items():
        for old, new in its.items():
            op.alter_column(table, old, new_column_name=new)
    op.execute(
        "ALTER TABLE policy RENAME CONSTRAINT ck_policy_familiarity_is_a_share TO ck_policy_layout_similarity_min_is_a_share"
    )
    for old, new in TABLES.items():
        op.rename_table(old, new)
        _rename_parts(old, new)
    _rename_in("document", "look_id", "layout_group_id")


def _names_as_before() -> None:
    _rename_in("document", "layout_group_id", "look_id")
    for old, new in TABLES.items():
        op.rename_table(new, old)
        _rename_parts(new, old)
    op.execute(
        "ALTER TABLE policy RENAME CONSTRAINT ck_policy_layout_similarity_min_is_a_share TO ck_policy_familiarity_is_a_share"
    )
    for table, its in COLUMNS.items():
        for old, new in its.items():
            op.alter_column(table, new, new_column_name=old)


def _rename_parts(old: str, new: str) -> None:
    """Constraints, indexes and the sequence of a table that has a new name already."""
    op.execute(f"ALTER SEQUENCE {old}_id_seq RENAME TO {new}_id_seq")
    _rename_in(new, f"_{old}", f"_{new}")


def _rename_in(table: str, old: str, new: str) -> None:
    """Exchange a part of the names of a table's constraints and indexes."""
    op.execute(
        f"""DO $$ DECLARE one text; BEGIN
        FOR one IN SELECT conname FROM pg_constraint WHERE conrelid = '{table}'::regclass AND conname LIKE '%{old}%' LOOP
            EXECUTE format('ALTER TABLE {table} RENAME CONSTRAINT %I TO %I', one, replace(one, '{old}', '{new}'));
        END LOOP;
        FOR one IN SELECT indexname FROM pg_indexes WHERE tablename = '{table}' AND indexname LIKE '%{old}%' LOOP
            EXECUTE format('ALTER INDEX %I RENAME TO %I', one, replace(one, '{old}', '{new}'));
        END LOOP; END $$"""
    )


def _reports() -> None:
    """Evidence gets the new name of layout similarity, reports the format that has a number."""
    op.execute(
        "UPDATE model_version SET evidence = (SELECT coalesce(jsonb_agg((one - 'familiarity') || "
        "jsonb_build_object('layout_similarity', one -> 'familiarity')), '[]') FROM jsonb_array_elements(evidence) AS one)"
    )
    connection = op.get_bind()
    for number, report in connection.execute(sa.text("SELECT id, report FROM model_version WHERE report <> '{}'")):
        renamed = json.dumps(report_of_format_1(report))
        connection.execute(
            sa.text("UPDATE model_version SET report = CAST(:report AS jsonb) WHERE id = :number"),
            {"report": renamed, "number": number},
        )


def report_of_format_1(report: dict[str, Any]) -> dict[str, Any]:
    """A report as it was kept before formats were numbered, in format 1."""

    def filled(one: dict[str, Any]) -> dict[str, Any] | None:
        return one or None

    test = dict(report["test"]) if report.get("test") else None
    if test is not None:
        test["known_layouts"], test["new_layouts"] = test.pop("familiar"), test.pop("strange")
    errors = [
        {("layout_similarity" if key == "familiarity" else key): value for key, value in row.items()}
        for row in report.get("errors", [])
    ]
    return {
        "format": 1,
        "papers": report["papers"],
        "groups": report["groups"],
        "layout_similarity_min": report["gate"],
        "fields": report["fields"],
        "seen_right": report["seen_right"],
        "seen_total": report["seen_total"],
        "unseen_right": report["unseen_right"],
        "unseen_total": report["unseen_total"],
        "calibration_error": report["calibration_error"],
        "seen": filled(report.get("seen", {})),
        "unseen": filled(report.get("unseen", {})),
        "test": test,
        "layouts": report.get("looks", []),
        "errors": errors,
        "hardest": report.get("hardest", []),
        "left_out": [],
        "curve": report.get("curve", {}),
        "curve_problem": "",
    }


def _drop_check(table: str, name: str) -> None:
    op.drop_constraint(op.f(f"ck_{table}_{name}"), table)


def _check(table: str, name: str, condition: str) -> None:
    op.create_check_constraint(op.f(f"ck_{table}_{name}"), table, condition)


def _rename_tasks(names: dict[str, str]) -> None:
    """Jobs that wait keep waiting under the new name. A database that is made now has no queue yet."""
    for old, new in names.items():
        op.execute(
            "DO $$ BEGIN IF to_regclass('procrastinate_jobs') IS NOT NULL THEN "
            f"UPDATE procrastinate_jobs SET task_name = '{new}' WHERE task_name = '{old}'; END IF; END $$"
        )
