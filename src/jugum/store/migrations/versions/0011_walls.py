"""Members of workspaces, keys with a workspace and an end, sessions as rows, traces that know their workspace."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None

# The workspace of what a trace is about; where that is gone, the only one its writer sees.
FINDS = """
CREATE OR REPLACE FUNCTION jugum_workspace_of(kind text, its_id bigint) RETURNS int LANGUAGE sql STABLE AS $$
  SELECT CASE kind
    WHEN 'workspace' THEN (SELECT id FROM workspace WHERE id = its_id)
    WHEN 'document' THEN (SELECT workspace_id FROM document WHERE id = its_id)
    WHEN 'document_type' THEN (SELECT workspace_id FROM document_type WHERE id = its_id)
    WHEN 'batch' THEN (SELECT workspace_id FROM batch WHERE id = its_id)
    WHEN 'source' THEN (SELECT workspace_id FROM source WHERE id = its_id)
    WHEN 'named_list' THEN (SELECT workspace_id FROM named_list WHERE id = its_id)
    WHEN 'field' THEN
      (SELECT t.workspace_id FROM field x JOIN document_type t ON t.id = x.type_id WHERE x.id = its_id)
    WHEN 'layout_group' THEN
      (SELECT t.workspace_id FROM layout_group x JOIN document_type t ON t.id = x.type_id WHERE x.id = its_id)
    WHEN 'model_version' THEN
      (SELECT t.workspace_id FROM model_version x JOIN document_type t ON t.id = x.type_id WHERE x.id = its_id)
    WHEN 'policy' THEN
      (SELECT t.workspace_id FROM policy x JOIN document_type t ON t.id = x.type_id WHERE x.id = its_id)
    WHEN 'delivery' THEN
      (SELECT t.workspace_id FROM delivery x JOIN document_type t ON t.id = x.type_id WHERE x.id = its_id)
  END $$;
"""
TRIGGER = """
CREATE OR REPLACE FUNCTION jugum_trace_workspace() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  NEW.workspace_id := coalesce(NEW.workspace_id, jugum_workspace_of(NEW.object_kind, NEW.object_id));
  IF NEW.workspace_id IS NULL AND current_setting('jugum.workspaces', true) ~ '^[0-9]+$' THEN
    NEW.workspace_id := current_setting('jugum.workspaces', true)::int;
  END IF;
  RETURN NEW;
END $$;
CREATE TRIGGER trace_workspace BEFORE INSERT ON audit FOR EACH ROW EXECUTE FUNCTION jugum_trace_workspace();
"""


def upgrade() -> None:
    op.create_table(
        "membership",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), sa.ForeignKey("person.id", name=op.f("fk_membership_person_id"))),
        sa.Column("workspace_id", sa.Integer(), sa.ForeignKey("workspace.id", name=op.f("fk_membership_workspace_id"))),
        sa.Column("role", sa.String(20), nullable=False),
        sa.Column("type_ids", postgresql.JSONB(), nullable=True),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.CheckConstraint("role IN ('analyst', 'reviewer')", name=op.f("ck_membership_known_role")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_membership")),
        sa.UniqueConstraint("person_id", "workspace_id", name=op.f("uq_membership_person_id_workspace_id")),
    )
    for column in ("person_id", "workspace_id"):
        op.alter_column("membership", column, nullable=False)
        op.create_index(op.f(f"ix_membership_{column}"), "membership", [column])
    # Until now everybody was let in everywhere.
    op.execute(
        "INSERT INTO membership (person_id, workspace_id, role) SELECT p.id, w.id, p.role FROM person p, workspace w "
        "WHERE p.role IN ('analyst', 'reviewer')"
    )
    op.add_column(
        "api_key",
        sa.Column(
            "workspace_id",
            sa.Integer(),
            sa.ForeignKey("workspace.id", name=op.f("fk_api_key_workspace_id")),
            nullable=True,
        ),
    )
    op.create_index(op.f("ix_api_key_workspace_id"), "api_key", ["workspace_id"])
    op.add_column("api_key", sa.Column("scopes", postgresql.JSONB(), nullable=False, server_default="[]"))
    op.add_column("api_key", sa.Column("ends_at", sa.DateTime(timezone=True), nullable=True))
    # A key that could do everything its person might, everywhere: kept where there is one workspace, ended elsewhere.
    op.execute(
        "UPDATE api_key SET workspace_id = (SELECT min(id) FROM workspace HAVING count(*) = 1), "
        """scopes = '["see", "gather", "plan", "label", "train", "weigh", "review", "deliver"]', """
        "ends_at = now() + interval '1 year'"
    )
    op.execute("UPDATE api_key SET revoked_at = coalesce(revoked_at, now()) WHERE workspace_id IS NULL")
    op.create_table(
        "person_session",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("person_id", sa.Integer(), sa.ForeignKey("person.id", name=op.f("fk_person_session_person_id"))),
        sa.Column("token_hash", sa.String(64), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("last_seen_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("agent", sa.String(200), nullable=False),
        sa.Column("address", sa.String(60), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_person_session")),
        sa.UniqueConstraint("token_hash", name=op.f("uq_person_session_token_hash")),
    )
    op.alter_column("person_session", "person_id", nullable=False)
    op.create_index(op.f("ix_person_session_person_id"), "person_session", ["person_id"])
    op.create_table(
        "sign_in_attempt",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("login", sa.String(80), nullable=False),
        sa.Column("address", sa.String(60), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sign_in_attempt")),
    )
    op.create_index(op.f("ix_sign_in_attempt_created_at"), "sign_in_attempt", ["created_at"])
    op.add_column("audit", sa.Column("workspace_id", sa.Integer(), nullable=True))
    op.create_index(op.f("ix_audit_workspace_id"), "audit", ["workspace_id"])
    op.execute(FINDS)
    op.execute("UPDATE audit SET workspace_id = jugum_workspace_of(object_kind, object_id)")
    op.execute(TRIGGER)


def downgrade() -> None:
    op.execute("DROP TRIGGER trace_workspace ON audit")
    op.execute("DROP FUNCTION jugum_trace_workspace()")
    op.execute("DROP FUNCTION jugum_workspace_of(text, bigint)")
    op.execute("DROP POLICY IF EXISTS wall ON audit")  # it looks at the column
    op.drop_column("audit", "workspace_id")
    op.drop_table("sign_in_attempt")
    op.drop_table("person_session")
    for column in ("ends_at", "scopes", "workspace_id"):
        op.drop_column("api_key", column)
    op.drop_table("membership")
