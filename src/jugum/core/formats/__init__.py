"""Open formats in and out: the version file, CSV and JSON of results, CSV of keyed values."""

from jugum.core.formats.tables import ResultRow, entries_of, keyed_values, results_csv, results_json
from jugum.core.formats.version_file import pack_version, unpack_version

__all__ = ["ResultRow", "entries_of", "keyed_values", "pack_version", "results_csv", "results_json", "unpack_version"]
