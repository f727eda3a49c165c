"""Results out as CSV (RFC 4180) and JSON; values keyed by hand in as CSV."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Sequence
from dataclasses import dataclass

from jugum.core.values import safe_cell
from jugum.errors import InputError

RECORD_COLUMNS = ("file", "type", "field", "value")


@dataclass(frozen=True)
class ResultValue:
    """One delivered value with its provenance. `origin` is "model" or "person"; `box` in page fractions."""

    text: str
    normal: str
    page: int | None
    box: tuple[float, float, float, float] | None
    confidence: float | None
    origin: str
    version: int | None
    policy: int | None
    person: str | None
    position: int = 0


@dataclass(frozen=True)
class ResultRow:
    """One paper's result: field key → its values."""

    document: int
    file: str
    sha256: str
    state: str
    received: str
    values: dict[str, tuple[ResultValue, ...]]


def results_csv(rows: Sequence[ResultRow], fields: Sequence[str]) -> str:
    """One line a paper; several values of a field, and a table column's rows, are joined by "; ". Cells that a
    spreadsheet would take for a formula are led by an apostrophe, negative amounts aside."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")  # as RFC 4180 has it
    writer.writerow(["document", "file", "state", "received", *fields])
    for row in rows:
        cells = ["; ".join(value.normal for value in row.values.get(field, ())) for field in fields]
        writer.writerow([row.document, safe_cell(row.file), row.state, row.received, *map(safe_cell, cells)])
    return out.getvalue()


def results_json(rows: Sequence[ResultRow]) -> str:
    """A list of papers with every value's provenance."""
    return json.dumps(
        [
            {
                "document": row.document,
                "file": row.file,
                "sha256": row.sha256,
                "state": row.state,
                "received": row.received,
                "values": {
                    key: [_value_data(value) for value in values]
                    for key, values in row.values.items()
                    if "." not in key
                },
                "tables": _tables(row),
            }
            for row in rows
        ],
        ensure_ascii=False,
        indent=1,
    )


def _value_data(value: ResultValue) -> dict[str, object]:
    return {name: part for name, part in vars(value).items() if name != "position"}


def _tables(row: ResultRow) -> dict[str, list[dict[str, object]]]:
    """A paper's tables, row by row: column → value; empty cells are left out."""
    tables: dict[str, dict[int, dict[str, object]]] = {}
    for key, values in row.values.items():
        table, dot, column = key.partition(".")
        for value in values if dot else ():
            # by position: a row keeps its place though cells of it are empty
            tables.setdefault(table, {}).setdefault(value.position, {})[column] = _value_data(value)
    return {table: [rows[position] for position in sorted(rows)] for table, rows in tables.items()}


def past_records_of(data: bytes) -> list[dict[str, str]]:
    """Rows of a CSV `file,type,field,value` (UTF-8, comma or semicolon). InputError names what is missing and where."""
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise InputError(
            f"The CSV is not UTF-8 text (byte {error.start}). Save it as UTF-8 and send it again."
        ) from error
    first = text.split("\n", 1)[0]
    reader = csv.DictReader(io.StringIO(text), delimiter=";" if first.count(";") > first.count(",") else ",")
    # spreadsheets add blanks and capitals to heads
    names = [name.strip().lower() for name in reader.fieldnames or ()]
    missing = [name for name in RECORD_COLUMNS if name not in names]
    if missing:
        raise InputError(
            f"The CSV lacks the column {', '.join(missing)}; its first line must be {','.join(RECORD_COLUMNS)}."
        )
    reader.fieldnames = names
    rows = []
    for number, row in enumerate(reader, start=2):  # the head is line 1, as a spreadsheet counts
        if not (row["file"] or "").strip() or not (row["field"] or "").strip():
            raise InputError(f"Line {number} of the CSV has no file or no field.")
        rows.append({name: (row[name] or "").strip() for name in RECORD_COLUMNS})
    return rows


def entries_of(data: bytes) -> list[str]:
    """The first column of a CSV or the lines of a text, UTF-8; a first line such as "name" is a heading and left
    out."""
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise InputError(
            f"The list is not UTF-8 text (byte {error.start}). Save it as UTF-8 and send it again."
        ) from error
    first = text.split("\n", 1)[0]
    rows = csv.reader(io.StringIO(text), delimiter=";" if first.count(";") > first.count(",") else ",")
    entries = [row[0].strip() for row in rows if row and row[0].strip()]
    return entries[1:] if entries and entries[0].lower() in ("name", "names", "entry", "entries", "value") else entries
