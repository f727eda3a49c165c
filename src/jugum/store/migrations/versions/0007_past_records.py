"""Values from past records under that name; what a second labeller said, with the names that labels have."""

from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

METHODS = ("marked", "typed", "agreed", "keyed", "review")
LABELLED = ("label", "blind_label")  # tables that say how a label was given
PLACES = {"more": "more_places", "read": "ocr_text"}  # keys of a value in blind_label.value


def upgrade() -> None:
    _rename("keyed_value", "past_record")
    _methods("keyed", "recorded")
    for old, new in PLACES.items():
        _rename_key(old, new)


def downgrade() -> None:
    for old, new in PLACES.items():
        _rename_key(new, old)
    _methods("recorded", "keyed")
    _rename("past_record", "keyed_value")


def _rename(old: str, new: str) -> None:
    """A table with its sequence, constraints and indexes."""
    op.rename_table(old, new)
    op.execute(f"ALTER SEQUENCE {old}_id_seq RENAME TO {new}_id_seq")
    op.execute(
        f"""
        DO $$ DECLARE found record; BEGIN
          FOR found IN SELECT conname FROM pg_constraint WHERE conrelid = '{new}'::regclass AND conname LIKE '%{old}%'
          LOOP EXECUTE format('ALTER TABLE {new} RENAME CONSTRAINT %I TO %I',
            found.conname, replace(found.conname, '{old}', '{new}')); END LOOP;
          FOR found IN SELECT indexname FROM pg_indexes WHERE tablename = '{new}' AND indexname LIKE '%{old}%'
          LOOP EXECUTE format('ALTER INDEX %I RENAME TO %I',
            found.indexname, replace(found.indexname, '{old}', '{new}')); END LOOP;
        END $$
        """
    )


def _methods(old: str, new: str) -> None:
    op.drop_constraint(op.f("ck_label_known_way"), "label")
    for table in LABELLED:
        op.execute(f"UPDATE {table} SET method = '{new}' WHERE method = '{old}'")
    methods = [new if method in ("keyed", "recorded") else method for method in METHODS]
    values = ", ".join(repr(method) for method in methods)
    op.create_check_constraint(op.f("ck_label_known_way"), "label", f"method IN ({values})")


def _rename_key(old: str, new: str) -> None:
    op.execute(
        f"""
        UPDATE blind_label SET value = (
          SELECT jsonb_agg(CASE WHEN jsonb_typeof(one) = 'object' AND one ? '{old}'
            THEN (one - '{old}') || jsonb_build_object('{new}', one -> '{old}') ELSE one END)
          FROM jsonb_array_elements(value) AS one)
        WHERE jsonb_typeof(value) = 'array' AND jsonb_array_length(value) > 0
        """
    )
