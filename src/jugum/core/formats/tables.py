"""Tables in: values from past records, and lists, as CSV."""

from __future__ import annotations

import csv
import io

from jugum.errors import InputError

RECORD_COLUMNS = ("file", "type", "field", "value")


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
