"""Results out as CSV (RFC 4180) and JSON; values keyed by hand in as CSV."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Sequence
from dataclasses import dataclass

from jugum.errors import InputError

KEYED_COLUMNS = ("file", "type", "field", "value")


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
    """One line a paper; several values of a field are joined by "; ". Cells that a spreadsheet would take for a formula
    are led by an apostrophe, negative amounts aside."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(["document", "file", "state", "received", *fields])
    for row in rows:
        cells = ["; ".join(value.normal for value in row.values.get(field, ())) for field in fields]
        writer.writerow([row.document, _safe(row.file), row.state, row.received, *map(_safe, cells)])
    return out.getvalue()


def _safe(cell: str) -> str:
    if cell[:1] in ("=", "+", "@", "\t") or (cell[:1] == "-" and not cell[1:2].isdigit()):
        return "'" + cell
    return cell


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
                "values": {key: [vars(value) for value in values] for key, values in row.values.items()},
            }
            for row in rows
        ],
        ensure_ascii=False,
        indent=1,
    )


def keyed_values(data: bytes) -> list[dict[str, str]]:
    """Rows of a CSV `file,type,field,value` (UTF-8, comma or semicolon). InputError names what is missing and where."""
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise InputError(
            f"The CSV is not UTF-8 text (byte {error.start}). Save it as UTF-8 and send it again."
        ) from error
    first = text.split("\n", 1)[0]
    reader = csv.DictReader(io.StringIO(text), delimiter=";" if first.count(";") > first.count(",") else ",")
    names = [name.strip().lower() for name in reader.fieldnames or ()]
    missing = [name for name in KEYED_COLUMNS if name not in names]
    if missing:
        raise InputError(
            f"The CSV lacks the column {', '.join(missing)}; its first line must be {','.join(KEYED_COLUMNS)}."
        )
    reader.fieldnames = names
    rows = []
    for number, row in enumerate(reader, start=2):
        if not (row["file"] or "").strip() or not (row["field"] or "").strip():
            raise InputError(f"Line {number} of the CSV has no file or no field.")
        rows.append({name: (row[name] or "").strip() for name in KEYED_COLUMNS})
    return rows
