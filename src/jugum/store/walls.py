"""Row-level security: which table is walled by what, and bringing a database to it.

Run after each migration, and can be repeated. The program works as the role `jugum_program`, which owns nothing and is
no superuser, so that the policies hold for it; whoever migrates does not become it.
"""

from __future__ import annotations

import structlog
from sqlalchemy import Connection, text
from sqlalchemy.exc import ProgrammingError

PROGRAM = "jugum_program"
ALL = "(SELECT jugum_sees_all())"
MINE = "{column} = ANY((SELECT jugum_workspaces())::int[])"
MY_TYPE = "(workspace_id <> ALL((SELECT jugum_limited())::int[]) OR {column} = ANY((SELECT jugum_types())::int[]))"


def _by_workspace(column: str = "workspace_id") -> str:
    return f"({ALL} OR {MINE.format(column=column)})"


def _with_types(column: str) -> str:
    return f"{_by_workspace()} AND {MY_TYPE.format(column=column)}"


def _through(table: str, column: str) -> str:
    # Without a limit of types and with all workspaces nothing needs to be looked up.
    return f"({ALL} OR EXISTS (SELECT 1 FROM {table} AS parent WHERE parent.id = {column}))"


WALLED: dict[str, str] = {
    "workspace": _by_workspace("id"),
    **dict.fromkeys(
        ("source_file", "source", "batch", "classifier_version", "sorting_policy", "named_list"), _by_workspace()
    ),
    "document_type": _with_types("id"),
    "document": _with_types("type_id"),
    **dict.fromkeys(
        ("field", "removed_field", "plan_version", "layout_group", "model_version", "policy", "delivery", "breach"),
        _through("document_type", "type_id"),
    ),
    **dict.fromkeys(
        (
            *("page", "label", "blind_label", "assignment", "control_suggestion", "past_record", "kept_label"),
            *("reading", "hold", "result", "check_waiver", "delivered_document", "removed_row"),
            *("spot_check", "checked_value"),
        ),
        _through("document", "document_id"),
    ),
    "audit": _by_workspace(),
}
# Whose rows belong to a person or to the whole installation; what they show is asked for by functions of `flow.office`.
OPEN = ("person", "membership", "api_key", "person_session", "sign_in_attempt", "task_failure", "alembic_version")

_FUNCTIONS = """
CREATE OR REPLACE FUNCTION jugum_listed(setting text) RETURNS int[] LANGUAGE sql STABLE AS $$
  SELECT CASE WHEN current_setting(setting, true) ~ '^[0-9,]+$'
    THEN string_to_array(current_setting(setting, true), ',')::int[] ELSE '{}'::int[] END $$;
CREATE OR REPLACE FUNCTION jugum_workspaces() RETURNS int[] LANGUAGE sql STABLE AS
  $$ SELECT jugum_listed('jugum.workspaces') $$;
CREATE OR REPLACE FUNCTION jugum_limited() RETURNS int[] LANGUAGE sql STABLE AS
  $$ SELECT jugum_listed('jugum.limited') $$;
CREATE OR REPLACE FUNCTION jugum_types() RETURNS int[] LANGUAGE sql STABLE AS $$ SELECT jugum_listed('jugum.types') $$;
CREATE OR REPLACE FUNCTION jugum_sees_all() RETURNS boolean LANGUAGE sql STABLE AS
  $$ SELECT coalesce(current_setting('jugum.workspaces', true), '') = '*' $$;
"""
log = structlog.get_logger()


def raise_walls(connection: Connection) -> None:
    """Functions, policies, the program's role and what it may do. Where the database's owner may not make roles, the
    program goes on as that owner, for whom policies do not hold, and the log says so."""
    connection.execute(text(_FUNCTIONS))
    for table, condition in WALLED.items():
        connection.execute(text(f"ALTER TABLE {table} ENABLE ROW LEVEL SECURITY"))
        connection.execute(text(f"DROP POLICY IF EXISTS wall ON {table}"))
        # A trace may be left of anything; it is read by those who see its workspace.
        check = " WITH CHECK (true)" if table == "audit" else ""
        connection.execute(text(f"CREATE POLICY wall ON {table} USING ({condition}){check}"))
    connection.commit()
    try:
        _make_role(connection)
        connection.commit()
    except ProgrammingError:
        connection.rollback()
        log.warning("the database's owner may not make roles: workspaces are walled by the program alone")


def _make_role(connection: Connection) -> None:
    there = connection.execute(text("SELECT 1 FROM pg_roles WHERE rolname = :name"), {"name": PROGRAM}).scalar()
    if there is None:
        connection.execute(text(f"CREATE ROLE {PROGRAM} NOLOGIN NOSUPERUSER NOCREATEDB NOCREATEROLE"))
    for right in (
        f"GRANT {PROGRAM} TO current_user",
        f"GRANT USAGE ON SCHEMA public TO {PROGRAM}",
        f"GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA public TO {PROGRAM}",
        f"GRANT USAGE, SELECT ON ALL SEQUENCES IN SCHEMA public TO {PROGRAM}",
        f"REVOKE UPDATE, DELETE ON audit FROM {PROGRAM}",  # what is written there stays
        f"REVOKE INSERT, UPDATE, DELETE ON alembic_version FROM {PROGRAM}",
    ):
        connection.execute(text(right))
