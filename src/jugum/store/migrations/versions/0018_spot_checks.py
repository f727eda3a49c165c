"""Spot checks of what passed, breaches, policies that are suspended, papers that are delivered again corrected."""

from datetime import datetime

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None

JSON = postgresql.JSONB(astext_type=sa.Text())
SAMPLES = ("received", "unpacked", "to cut", "unplaced", "to label", "in progress", "labelled", "set aside")
LIVES = ("received", "unpacked", "to cut", "unplaced", "placed", "drafted", "held", "passed", "settled", "delivered")
PRIMARY = op.f("pk_delivered_document")


def upgrade() -> None:
    op.add_column("policy", sa.Column("suspended", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("policy", "suspended", server_default=None)
    op.add_column("policy", sa.Column("check_rate", sa.Float(), nullable=True))
    op.add_column("document_type", sa.Column("checking", JSON, nullable=False, server_default="{}"))
    op.alter_column("document_type", "checking", server_default=None)
    op.add_column("document", _to("document", "drafted_layout_id", "layout_group", "SET NULL", nullable=True))
    op.create_table(
        "spot_check",
        sa.Column("id", sa.Integer(), nullable=False),
        _to("spot_check", "document_id", "document", "CASCADE"),
        _to("spot_check", "policy_id", "policy"),
        sa.Column("probability", sa.Float(), nullable=False),
        sa.Column("blind", sa.Boolean(), nullable=False),
        _at("drawn_at"),
        sa.Column("done_at", sa.DateTime(timezone=True), nullable=True),
        _to("spot_check", "done_by", "person", nullable=True),
        sa.CheckConstraint("probability > 0 AND probability <= 1", name=op.f("ck_spot_check_probability_is_a_chance")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_spot_check")),
        sa.UniqueConstraint("document_id", name=op.f("uq_spot_check_document_id")),
    )
    op.create_table(
        "checked_value",
        sa.Column("id", sa.Integer(), nullable=False),
        _to("checked_value", "spot_check_id", "spot_check", "CASCADE"),
        _to("checked_value", "document_id", "document", "CASCADE"),
        _to("checked_value", "field_id", "field", "CASCADE"),
        *(sa.Column(name, sa.Float(), nullable=False) for name in ("confidence", "layout_similarity", "share")),
        *(sa.Column(name, sa.String(), nullable=False) for name in ("found", "said")),
        sa.Column("is_right", sa.Boolean(), nullable=True),
        sa.Column("answered_at", sa.DateTime(timezone=True), nullable=True),
        _to("checked_value", "answered_by", "person", nullable=True),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_checked_value")),
        sa.UniqueConstraint("spot_check_id", "field_id", name=op.f("uq_checked_value_spot_check_id_field_id")),
    )
    op.create_table(
        "breach",
        sa.Column("id", sa.Integer(), nullable=False),
        _to("breach", "type_id", "document_type"),
        _to("breach", "policy_id", "policy"),
        *(sa.Column(name, sa.Integer(), nullable=False) for name in ("papers", "values", "wrong")),
        sa.Column("winnings", sa.Float(), nullable=False),
        sa.Column("suspends", sa.Boolean(), nullable=False),
        _at("noticed_at"),
        sa.Column("told", sa.String(), nullable=False),
        sa.Column("resumed_at", sa.DateTime(timezone=True), nullable=True),
        _to("breach", "resumed_by", "person", nullable=True),
        sa.Column("reason", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_breach")),
    )
    for table, columns in (
        ("spot_check", ("policy_id",)),
        ("checked_value", ("spot_check_id", "document_id", "field_id")),
        ("breach", ("type_id", "policy_id")),
        ("document", ("drafted_layout_id",)),
    ):
        for column in columns:
            op.create_index(op.f(f"ix_{table}_{column}"), table, [column])
    op.drop_constraint(PRIMARY, "delivered_document")
    op.create_primary_key(PRIMARY, "delivered_document", ["document_id", "delivery_id"])
    _allow((*LIVES, "corrected"))


def downgrade() -> None:
    op.execute("UPDATE document SET state = 'delivered' WHERE state = 'corrected'")
    _allow(LIVES)
    # Of a paper that was delivered twice the first delivery stays known.
    op.execute(
        "DELETE FROM delivered_document d USING delivered_document e "
        "WHERE d.document_id = e.document_id AND d.delivery_id > e.delivery_id"
    )
    op.drop_constraint(PRIMARY, "delivered_document")
    op.create_primary_key(PRIMARY, "delivered_document", ["document_id"])
    for table in ("breach", "checked_value", "spot_check"):
        op.drop_table(table)
    op.drop_column("document", "drafted_layout_id")
    op.drop_column("document_type", "checking")
    op.drop_column("policy", "check_rate")
    op.drop_column("policy", "suspended")


def _to(table: str, column: str, other: str, ondelete: str | None = None, *, nullable: bool = False) -> sa.Column[int]:
    key = sa.ForeignKey(f"{other}.id", name=op.f(f"fk_{table}_{column}"), ondelete=ondelete)
    return sa.Column(column, sa.Integer(), key, nullable=nullable)


def _at(name: str) -> sa.Column[datetime]:
    return sa.Column(name, sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False)


def _allow(lives: tuple[str, ...]) -> None:
    name = op.f("ck_document_known_state")
    op.drop_constraint(name, "document")
    op.create_check_constraint(
        name,
        "document",
        f"(purpose = 'sample' AND {_one_of(SAMPLES)}) OR (purpose = 'live' AND {_one_of((*lives, 'set aside'))})",
    )


def _one_of(states: tuple[str, ...]) -> str:
    return f"state IN ({', '.join(repr(state) for state in states)})"
