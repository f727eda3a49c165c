"""Results out: CSV (RFC 4180) in one file or several, and JSON.

A paper has fields of one value, and repeating parts: tables, and fields of many values. A part is never squeezed
into one cell: it comes out as lines, either in one file, with the paper's other values on each line, or in a file of
its own.
"""

from __future__ import annotations

import csv
import io
import json
import zipfile
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from jugum.core.schema import FieldKind, Plan
from jugum.core.values import safe_cell

EARLIEST = (1980, 1, 1, 0, 0, 0)  # the first moment a ZIP can say: the same results make the same bytes


@dataclass(frozen=True)
class ResultValue:
    """One delivered value with its provenance. `origin` is "model" or "person"; `box` in page fractions; `position`
    is the value's place among those of its field, or its row in a table, counted from 0."""

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
class LetStand:
    """A check that fails on a paper and that a person let stand, with the reason of a blocking one."""

    check: str
    said: str
    reason: str
    person: str


@dataclass(frozen=True)
class ResultRow:
    """One paper's result: field key → its values, and the failing checks that were let stand. `corrects` is the
    delivery that one which was delivered before corrects."""

    document: int
    file: str
    sha256: str
    state: str
    received: str
    values: dict[str, tuple[ResultValue, ...]]
    let_stand: tuple[LetStand, ...] = ()
    corrects: int | None = None


Line = Mapping[str, ResultValue]


@dataclass(frozen=True)
class ResultColumns:
    """The keys of a type's results in the plan's order: `single` fields of one value, and `parts` that repeat, each
    with the keys of its columns (a field of many values is its own column). `checks` tells whether the plan has any, so
    that some may have been let stand."""

    single: tuple[str, ...]
    parts: Mapping[str, tuple[str, ...]]
    checks: bool = False

    @staticmethod
    def of(plan: Plan, rows: Iterable[ResultRow] = ()) -> ResultColumns:
        """Columns by a plan. A field of one value repeats all the same if one of the papers has several for it, from
        before the plan was changed: none is left out."""
        several = {key for row in rows for key, values in row.values.items() if len(values) > 1}
        parts: dict[str, tuple[str, ...]] = {}
        single: list[str] = []
        for field in plan.fields:
            if field.kind is FieldKind.TABLE:
                parts[field.key] = tuple(column.key for column in plan.inside(field.key))
            elif field.is_column:
                continue
            elif field.many or field.key in several:
                parts[field.key] = (field.key,)
            else:
                single.append(field.key)
        return ResultColumns(tuple(single), parts, bool(plan.checks))


def lines_of(row: ResultRow, columns: Sequence[str]) -> list[Line]:
    """The lines of a part on a paper: column → value. Values stand together by their position, so that an empty cell
    leaves a gap and nothing moves up into it; a row without any value is no line."""
    lines: dict[int, dict[str, ResultValue]] = {}
    for column in columns:
        for value in row.values.get(column, ()):
            lines.setdefault(value.position, {})[column] = value
    return [lines[position] for position in sorted(lines)]


def side_by_side(row: ResultRow, columns: ResultColumns, most: int) -> tuple[list[Line], int]:
    """The lines of all parts of a paper for a table on a screen, the first of each part on the first line and so on;
    at least one line, at most `most`. Also says how many lines of the longest part are left out."""
    parts = [lines_of(row, its_columns) for its_columns in columns.parts.values()]
    count = max(map(len, parts), default=0)
    lines: list[Line] = [
        {key: value for part in parts if n < len(part) for key, value in part[n].items()}
        for n in range(min(count, most))
    ]
    return lines or [{}], max(0, count - most)


# ---- CSV -------------------------------------------------------------------------------------------------------------

PAPER_COLUMNS = ("document", "file", "state", "received", "corrects")


def results_csv(rows: Sequence[ResultRow], columns: ResultColumns) -> str:
    """One file. A type without repeating parts has one line a paper. With some, it has one line for each line of each
    part: `part` names it, `line` counts from 1, and the paper's other values are repeated; a paper none of whose parts
    has a line still has one, with both empty. Cells that a spreadsheet would take for a formula are led by an
    apostrophe."""
    if not columns.parts:
        return _papers_csv(rows, columns)
    inner = [column for part in columns.parts.values() for column in part]
    lines: list[list[object]] = []
    for row in rows:
        paper, single = _paper(row, columns), _cells(row, columns.single)
        found = [
            [*paper, part, number, *single, *_line_cells(line, inner)]
            for part, its_columns in columns.parts.items()
            for number, line in enumerate(lines_of(row, its_columns), start=1)
        ]
        lines += found or [[*paper, "", "", *single, *("" for _ in inner)]]
    return _csv((*_paper_columns(columns), "part", "line"), (*columns.single, *inner), lines)


def results_zip(rows: Sequence[ResultRow], columns: ResultColumns) -> bytes:
    """Several CSV files in a ZIP: `papers.csv` with one line a paper, and one file for each repeating part in the
    folder `parts`, whose lines name their paper by `document` and are counted from 1; `let_stand.csv` has the checks
    that were let stand, where a plan has any. The same results give the same bytes."""
    files = {"papers.csv": _papers_csv(rows, columns)}
    for part, its_columns in columns.parts.items():
        # in a folder of their own, since a table may be called "papers"
        files[f"parts/{part}.csv"] = _csv(
            ("document", "file", "line"),
            its_columns,
            (
                [row.document, safe_cell(row.file), number, *_line_cells(line, its_columns)]
                for row in rows
                for number, line in enumerate(lines_of(row, its_columns), start=1)
            ),
        )
    if columns.checks:
        files["let_stand.csv"] = _csv(
            ("document", "file", "check", "said", "reason", "person"),
            (),
            (
                [row.document, *map(safe_cell, (row.file, each.check, each.said, each.reason, each.person))]
                for row in rows
                for each in row.let_stand
            ),
        )
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in files.items():
            archive.writestr(zipfile.ZipInfo(name, EARLIEST), text.encode("utf-8-sig"), zipfile.ZIP_DEFLATED)
    return out.getvalue()


def _papers_csv(rows: Sequence[ResultRow], columns: ResultColumns) -> str:
    """One line a paper with its single values."""
    lines = ([*_paper(row, columns), *_cells(row, columns.single)] for row in rows)
    return _csv(_paper_columns(columns), columns.single, lines)


def _csv(own: Sequence[str], keys: Sequence[str], lines: Iterable[Sequence[object]]) -> str:
    """A file whose head has names of our own and keys of fields; a field whose key is one of these names is told from
    it as `field-…`, which no key can be."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")  # as RFC 4180 has it
    writer.writerow([*own, *(f"field-{key}" if key in own else key for key in keys)])
    writer.writerows(lines)
    return out.getvalue()


def _paper_columns(columns: ResultColumns) -> tuple[str, ...]:
    return (*PAPER_COLUMNS, *(["let_stand"] if columns.checks else []))


def _paper(row: ResultRow, columns: ResultColumns) -> list[object]:
    """What a line says of its paper as a whole; keys of checks have no blanks."""
    stood = [" ".join(each.check for each in row.let_stand)] if columns.checks else []
    corrects = "" if row.corrects is None else row.corrects
    return [row.document, safe_cell(row.file), row.state, row.received, corrects, *stood]


def _cells(row: ResultRow, keys: Sequence[str]) -> list[str]:
    return [safe_cell(values[0].normal) if (values := row.values.get(key, ())) else "" for key in keys]


def _line_cells(line: Line, keys: Sequence[str]) -> list[str]:
    return [safe_cell(line[key].normal) if key in line else "" for key in keys]


# ---- JSON ------------------------------------------------------------------------------------------------------------


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
                "corrects": row.corrects,
                "values": {
                    key: [_value_data(value) for value in values]
                    for key, values in row.values.items()
                    if "." not in key
                },
                "tables": _tables(row),
                "let_stand": [vars(each) for each in row.let_stand],
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
    columns: dict[str, list[str]] = {}
    for key in row.values:
        table, dot, _ = key.partition(".")
        if dot:
            columns.setdefault(table, []).append(key)
    return {
        table: [
            {key.partition(".")[2]: _value_data(value) for key, value in line.items()} for line in lines_of(row, keys)
        ]
        for table, keys in columns.items()
    }
