"""Values of personal fields in JSON columns are masked as they leave the store, for who may not see them.

The scope of a request names the keys of the fields that are hidden (`Scope.hidden`); nothing of this is written back,
since only the program's own work changes these columns, and it sees everything.
"""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from sqlalchemy import Dialect
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.types import TypeDecorator

from jugum.store.scope import hidden_keys

MASKED = "•••"  # stands for a personal value that the actor may not see
VALUES = ("found", "expected")  # of a row of evidence


class MaskedJson(TypeDecorator[Any]):
    """JSON with rows of evidence somewhere in it."""

    impl = JSONB
    cache_ok = True

    def process_result_value(self, value: Any, dialect: Dialect) -> Any:
        """As it is, or with what is hidden masked."""
        hidden = hidden_keys()
        return masked(value, hidden) if hidden else value


def masked(value: Any, hidden: Collection[str]) -> Any:
    """JSON in which each object that says it is of a hidden field (or a column of a hidden table) has no values."""
    if isinstance(value, list):
        return [masked(item, hidden) for item in value]
    if not isinstance(value, dict):
        return value
    field = value.get("field")
    if isinstance(field, str) and "found" in value and (field in hidden or field.split(".", 1)[0] in hidden):
        return {**value, **{name: MASKED for name in VALUES if value.get(name)}, "detail": {}}
    return {key: masked(item, hidden) for key, item in value.items()}
