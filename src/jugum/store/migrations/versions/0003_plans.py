"""Plans: kinds of fields, checks, versions, lists; where a reading came from; who sees personal values."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


_DATA_TYPES = (
    "'text', 'name', 'date', 'money', 'number', 'percent', 'number in words', 'identifier', 'phone', 'e-mail', 'address', "
    "'country', 'choice', 'tick box', 'signature', 'machine-readable zone'"
)


def upgrade() -> None:
    op.create_table(
        "named_list",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("workspace_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("entries", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("changed_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("changed_by", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["changed_by"], ["person.id"], name=op.f("fk_named_list_changed_by")),
        sa.ForeignKeyConstraint(["workspace_id"], ["workspace.id"], name=op.f("fk_named_list_workspace_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_named_list")),
        sa.UniqueConstraint("workspace_id", "name", name=op.f("uq_named_list_workspace_id_name")),
    )
    op.create_index(op.f("ix_named_list_workspace_id"), "named_list", ["workspace_id"], unique=False)
    op.create_table(
        "plan_version",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("type_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("said", sa.String(), nullable=False),
        sa.Column("plan", postgresql.JSONB(astext_type=sa.Text()), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("created_by", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(["created_by"], ["person.id"], name=op.f("fk_plan_version_created_by")),
        sa.ForeignKeyConstraint(["type_id"], ["document_type.id"], name=op.f("fk_plan_version_type_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_plan_version")),
        sa.UniqueConstraint("type_id", "number", name=op.f("uq_plan_version_type_id_number")),
    )
    op.create_index(op.f("ix_plan_version_type_id"), "plan_version", ["type_id"], unique=False)
    op.create_table(
        "let_stand",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("document_id", sa.Integer(), nullable=False),
        sa.Column("check_key", sa.String(length=90), nullable=False),
        sa.Column("said", sa.String(), nullable=False),
        sa.Column("person_id", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.ForeignKeyConstraint(
            ["document_id"], ["document.id"], name=op.f("fk_let_stand_document_id"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["person_id"], ["person.id"], name=op.f("fk_let_stand_person_id")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_let_stand")),
        sa.UniqueConstraint("document_id", "check_key", name=op.f("uq_let_stand_document_id_check_key")),
    )
    op.create_index(op.f("ix_let_stand_document_id"), "let_stand", ["document_id"], unique=False)
    op.add_column("document_type", sa.Column("plan_number", sa.Integer(), server_default="0", nullable=False))
    op.add_column(
        "document_type",
        sa.Column("checks", postgresql.JSONB(astext_type=sa.Text()), server_default=sa.text("'[]'"), nullable=False),
    )
    op.add_column(
        "document_type",
        sa.Column(
            "date_order", postgresql.JSONB(astext_type=sa.Text()), server_default=sa.text("'{}'"), nullable=False
        ),
    )
    op.add_column("field", sa.Column("kind", sa.String(length=10), server_default="value", nullable=False))
    op.add_column("field", sa.Column("inside", sa.String(length=90), server_default="", nullable=False))
    op.add_column("field", sa.Column("personal", sa.Boolean(), server_default=sa.false(), nullable=False))
    op.add_column(
        "field",
        sa.Column("spec", postgresql.JSONB(astext_type=sa.Text()), server_default=sa.text("'{}'"), nullable=False),
    )
    op.alter_column(
        "field", "key", existing_type=sa.VARCHAR(length=90), type_=sa.String(length=190), existing_nullable=False
    )
    op.alter_column(
        "field", "data_type", existing_type=sa.VARCHAR(length=20), type_=sa.String(length=24), existing_nullable=False
    )
    op.add_column(
        "hold",
        sa.Column("checks", postgresql.JSONB(astext_type=sa.Text()), server_default=sa.text("'[]'"), nullable=False),
    )
    op.add_column("person", sa.Column("sees_personal", sa.Boolean(), server_default=sa.true(), nullable=False))
    op.add_column("reading", sa.Column("engine", sa.String(length=20), server_default="model", nullable=False))
    op.add_column("reading", sa.Column("why", sa.String(), server_default="", nullable=False))
    for table, columns in (
        ("document_type", ("plan_number", "checks", "date_order")),
        ("field", ("kind", "inside", "personal", "spec")),
        ("hold", ("checks",)),
        ("person", ("sees_personal",)),
        ("reading", ("engine", "why")),
    ):
        for column in columns:
            op.alter_column(table, column, server_default=None)
    op.execute(
        "UPDATE field SET spec = jsonb_build_object('key', key, 'name', name, 'data_type', data_type, "
        "'printed_names', printed_names, 'required', required, 'many', many)"
    )
    op.drop_constraint(op.f("ck_field_known_data_type"), "field")
    op.create_check_constraint(op.f("ck_field_known_data_type"), "field", f"data_type IN ({_DATA_TYPES})")
    op.create_check_constraint(op.f("ck_field_known_kind"), "field", "kind IN ('value', 'table', 'clause', 'derived')")
    op.drop_constraint(op.f("ck_result_known_origin"), "result")
    op.create_check_constraint(op.f("ck_result_known_origin"), "result", "origin IN ('model', 'plan', 'person')")


def downgrade() -> None:
    op.drop_constraint(op.f("ck_result_known_origin"), "result")
    op.create_check_constraint(op.f("ck_result_known_origin"), "result", "origin IN ('model', 'person')")
    op.execute("DELETE FROM field WHERE data_type NOT IN ('text', 'date', 'money', 'number') OR kind <> 'value'")
    op.drop_constraint(op.f("ck_field_known_kind"), "field")
    op.drop_constraint(op.f("ck_field_known_data_type"), "field")
    op.create_check_constraint(
        op.f("ck_field_known_data_type"), "field", "data_type IN ('text', 'date', 'money', 'number')"
    )
    op.drop_column("reading", "why")
    op.drop_column("reading", "engine")
    op.drop_column("person", "sees_personal")
    op.drop_column("hold", "checks")
    op.alter_column(
        "field", "data_type", existing_type=sa.String(length=24), type_=sa.VARCHAR(length=20), existing_nullable=False
    )
    op.alter_column(
        "field", "key", existing_type=sa.String(length=190), type_=sa.VARCHAR(length=90), existing_nullable=False
    )
    op.drop_column("field", "spec")
    op.drop_column("field", "personal")
    op.drop_column("field", "inside")
    op.drop_column("field", "kind")
    op.drop_column("document_type", "date_order")
    op.drop_column("document_type", "checks")
    op.drop_column("document_type", "plan_number")
    op.drop_index(op.f("ix_let_stand_document_id"), table_name="let_stand")
    op.drop_table("let_stand")
    op.drop_index(op.f("ix_plan_version_type_id"), table_name="plan_version")
    op.drop_table("plan_version")
    op.drop_index(op.f("ix_named_list_workspace_id"), table_name="named_list")
    op.drop_table("named_list")
