"""The labelling desk: places of long values, looks, sets, two labellers, planted suggestions, keyed values, kept
labels."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

JSON = postgresql.JSONB(astext_type=sa.Text())
TABLES = ("opinion", "assignment", "plant", "keyed_value", "kept_label", "look")


def _to(table: str, column: str, other: str, ondelete: str | None = None) -> sa.ForeignKeyConstraint:
    return sa.ForeignKeyConstraint([column], [f"{other}.id"], name=op.f(f"fk_{table}_{column}"), ondelete=ondelete)


def _made(table: str, *parts: sa.schema.SchemaItem, unique: tuple[str, ...], indexed: tuple[str, ...]) -> None:
    op.create_table(
        table,
        sa.Column("id", sa.Integer(), nullable=False),
        *parts,
        sa.PrimaryKeyConstraint("id", name=op.f(f"pk_{table}")),
        sa.UniqueConstraint(*unique, name=op.f(f"uq_{table}_{'_'.join(unique)}")),
    )
    for column in indexed:
        op.create_index(op.f(f"ix_{table}_{column}"), table, [column], unique=False)


def _of_document(table: str) -> tuple[sa.schema.SchemaItem, ...]:
    return sa.Column("document_id", sa.Integer(), nullable=False), _to(table, "document_id", "document", "CASCADE")


def _of_field(table: str) -> tuple[sa.schema.SchemaItem, ...]:
    return sa.Column("field_id", sa.Integer(), nullable=False), _to(table, "field_id", "field", "CASCADE")


def _by(table: str) -> tuple[sa.schema.SchemaItem, ...]:
    return sa.Column("person_id", sa.Integer(), nullable=False), _to(table, "person_id", "person")


def _at() -> sa.Column[object]:
    return sa.Column("at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False)


def upgrade() -> None:
    _made(
        "look",
        sa.Column("type_id", sa.Integer(), nullable=False),
        _to("look", "type_id", "document_type", "CASCADE"),
        sa.Column("name", sa.String(length=80), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        unique=("type_id", "name"),
        indexed=("type_id",),
    )
    _made(
        "opinion",
        *_of_document("opinion"),
        *_of_field("opinion"),
        *_by("opinion"),
        sa.Column("absent", sa.Boolean(), nullable=False),
        sa.Column("how", sa.String(length=10), nullable=False),
        sa.Column("said", JSON, nullable=False),
        _at(),
        unique=("document_id", "field_id", "person_id"),
        indexed=("document_id", "field_id"),
    )
    _made(
        "assignment",
        *_of_document("assignment"),
        *_by("assignment"),
        sa.Column("done_at", sa.DateTime(timezone=True), nullable=True),
        unique=("document_id", "person_id"),
        indexed=("document_id", "person_id"),
    )
    _made(
        "plant",
        *_of_document("plant"),
        *_of_field("plant"),
        *_by("plant"),
        sa.Column("text", sa.String(), nullable=False),
        sa.Column("outcome", sa.String(length=10), nullable=False),
        _at(),
        sa.CheckConstraint("outcome IN ('', 'caught', 'agreed')", name=op.f("ck_plant_known_outcome")),
        unique=("document_id", "field_id", "person_id"),
        indexed=("document_id", "field_id"),
    )
    _made(
        "keyed_value",
        *_of_document("keyed_value"),
        *_of_field("keyed_value"),
        *_by("keyed_value"),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("text", sa.String(), nullable=False),
        sa.Column("state", sa.String(length=10), nullable=False),
        sa.Column("match", sa.String(length=12), nullable=False),
        sa.Column("places", JSON, nullable=False),
        _at(),
        sa.CheckConstraint(
            "state IN ('placed', 'ambiguous', 'not found', 'chosen')", name=op.f("ck_keyed_value_known_state")
        ),
        unique=("document_id", "field_id", "position"),
        indexed=("document_id", "field_id"),
    )
    _made(
        "kept_label",
        *_of_document("kept_label"),
        *_of_field("kept_label"),
        *_by("kept_label"),
        sa.Column("reason", sa.String(length=30), nullable=False),
        sa.Column("text", sa.String(), nullable=False),
        _at(),
        unique=("document_id", "field_id", "reason"),
        indexed=("document_id", "field_id"),
    )
    added: tuple[tuple[str, sa.Column[object]], ...] = (
        ("document_type", sa.Column("labelling", JSON, server_default=sa.text("'{}'"), nullable=False)),
        ("document", sa.Column("set_name", sa.String(length=10), server_default="train", nullable=False)),
        ("document", sa.Column("gauge", JSON, server_default=sa.text("'{}'"), nullable=False)),
        ("label", sa.Column("more", JSON, server_default=sa.text("'[]'"), nullable=False)),
        ("label", sa.Column("read", sa.String(), server_default="", nullable=False)),
        ("label", sa.Column("corrected", sa.Boolean(), server_default=sa.false(), nullable=False)),
    )
    for table, column in added:
        op.add_column(table, column)
        op.alter_column(table, column.name, server_default=None)
    op.add_column("label", sa.Column("printed", JSON, nullable=True))
    op.add_column("label", sa.Column("seconds", sa.Float(), nullable=True))
    op.create_check_constraint(op.f("ck_document_known_set"), "document", "set_name IN ('train', 'test', 'spare')")
    op.add_column("document", sa.Column("look_id", sa.Integer(), nullable=True))
    op.create_foreign_key(op.f("fk_document_look_id"), "document", "look", ["look_id"], ["id"], ondelete="SET NULL")
    op.create_index(op.f("ix_document_look_id"), "document", ["look_id"], unique=False)
    op.drop_column("document", "group")


def downgrade() -> None:
    op.add_column("document", sa.Column("group", sa.Integer(), nullable=True))
    op.drop_index(op.f("ix_document_look_id"), table_name="document")
    op.drop_constraint(op.f("fk_document_look_id"), "document")
    op.drop_constraint(op.f("ck_document_known_set"), "document")
    for table, column in (
        ("document", "look_id"),
        ("label", "corrected"),
        ("label", "seconds"),
        ("label", "printed"),
        ("label", "read"),
        ("label", "more"),
        ("document", "gauge"),
        ("document", "set_name"),
        ("document_type", "labelling"),
    ):
        op.drop_column(table, column)
    for table in TABLES:
        op.drop_table(table)
