"""The database and the file store. Knows core's plain types only."""

from jugum.store.database import Store
from jugum.store.files import FileStore

__all__ = ["FileStore", "Store"]
