"""Alembic's entry: runs migrations over one connection."""

from alembic import context
from sqlalchemy import create_engine, pool

from jugum.store.models import Base

engine = create_engine(context.config.attributes["url"], poolclass=pool.NullPool)
with engine.connect() as connection:
    context.configure(
        connection=connection,
        target_metadata=Base.metadata,
        compare_type=True,
        include_object=lambda thing, name, kind, reflected, other: not (name or "").startswith("procrastinate"),
    )
    with context.begin_transaction():
        context.run_migrations()
