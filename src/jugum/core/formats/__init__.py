"""Open formats in and out: the version file, CSV and JSON of results, CSV of values from past records."""

from jugum.core.formats.results import ResultColumns, ResultRow, results_csv, results_json, results_zip
from jugum.core.formats.tables import entries_of, past_records_of
from jugum.core.formats.version_file import pack_version, unpack_version

__all__ = [
    "ResultColumns",
    "ResultRow",
    "entries_of",
    "pack_version",
    "past_records_of",
    "results_csv",
    "results_json",
    "results_zip",
    "unpack_version",
]
