"""A report as tables: each downloads as CSV, and all of them make one page that opens offline."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from html import escape

from jugum.core.evaluation.report_model import FieldCurve, FieldFigures, LayoutFigures, Overall, Report, TestFigures
from jugum.core.training.confidence import EvidenceRow
from jugum.core.values import safe_cell

KNOWN, NEW = "known layouts", "new layouts"
Cell = str | int | float | None


@dataclass(frozen=True)
class ReportTable:
    """A table with its key (for files and addresses), what it tells, its columns and rows. Shares are fractions of
    one."""

    key: str
    title: str
    columns: tuple[str, ...]
    rows: tuple[tuple[Cell, ...], ...]

    @property
    def csv(self) -> str:
        """RFC 4180 text with a head row; a cell that a spreadsheet would take for a formula gets an apostrophe
        before it."""
        out = io.StringIO()
        writer = csv.writer(out)
        writer.writerow(self.columns)
        writer.writerows([[safe_cell(cell) if isinstance(cell, str) else cell for cell in row] for row in self.rows])
        return out.getvalue()


def report_tables(report: Report, names: Mapping[str, str], layouts: Mapping[int, str]) -> list[ReportTable]:
    """All tables of a report; `names` of its fields by key, `layouts` of layout groups by number."""
    both = [(name, one) for name, one in ((KNOWN, report.seen), (NEW, report.unseen)) if one is not None]
    found = [
        ReportTable(
            "summary",
            "All fields together",
            (
                "layouts",
                "F1",
                "F1 low",
                "F1 high",
                "precision",
                "recall",
                "macro F1",
                "exact match",
                "exact low",
                "exact high",
                "papers",
                "papers without any error",
                "calibration error",
                "Brier score",
                "area under risk–coverage",
            ),
            tuple(_summary(name, one) for name, one in both),
        ),
        ReportTable(
            "fields",
            "By field",
            (
                "field",
                "kind",
                "labels",
                "not on paper",
                "known right",
                "known of",
                "known low",
                "known high",
                "known precision",
                "known recall",
                "known F1",
                "new right",
                "new of",
                "new low",
                "new high",
                "new F1",
                "right as printed",
            ),
            tuple(_field(field, names) for field in report.fields),
        ),
        ReportTable(
            "layouts",
            "By layout",
            (
                "layout",
                "papers",
                "known right",
                "known of",
                "known low",
                "known high",
                "new right",
                "new of",
                "new low",
                "new high",
            ),
            tuple(_layout(layout, layouts) for layout in report.layouts),
        ),
        ReportTable(
            "tables",
            "Tables",
            ("table", "layouts", "cells there", "cell precision", "cell recall", "cell F1", "rows there", "row F1"),
            tuple(row for field in report.fields for row in _cells(field, names)),
        ),
        ReportTable(
            "test",
            "Papers kept for testing, beside what the version says of itself",
            ("layouts", "test right", "test of", "held-out right", "held-out of", "so far apart by chance"),
            tuple(_beside(report.test)) if report.test else (),
        ),
        ReportTable(
            "reliability",
            "Calibration: stated confidence against observed accuracy",
            ("layouts", "decisions", "mean confidence", "share right", "low", "high"),
            tuple(
                (name, bin_.count, bin_.confidence, bin_.right, *bin_.interval)
                for name, its in both
                for bin_ in its.reliability
            ),
        ),
        ReportTable(
            "curve",
            "Learning curve",
            ("field", "papers", "share right", "of values", "forecast", "low", "high"),
            tuple(row for key, one in report.curve.items() for row in _curve(names.get(key, key) or "all fields", one)),
        ),
        ReportTable(
            "errors",
            "What it got wrong",
            ("field", "found", "expected", "confidence", "layout", "paper", "why", "next candidate"),
            tuple(_error(error, names) for error in report.errors),
        ),
        ReportTable(
            "hardest",
            "The hardest papers",
            ("paper", "wrong", "of values", "mean confidence"),
            tuple((paper.sample, paper.wrong, paper.total, paper.confidence) for paper in report.hardest),
        ),
    ]
    # a table without rows would only raise the question what is missing
    return [table for table in found if table.rows]


def _summary(name: str, one: Overall) -> tuple[Cell, ...]:
    return (
        name,
        one.f1,
        *one.f1_interval,
        one.precision,
        one.recall,
        one.macro_f1,
        one.exact,
        *one.exact_interval,
        one.papers,
        one.whole_papers,
        one.calibration_error,
        one.brier,
        one.risk_coverage,
    )


def _field(one: FieldFigures, names: Mapping[str, str]) -> tuple[Cell, ...]:
    seen, unseen = one.seen, one.unseen
    return (
        names.get(one.field, one.field),
        one.kind,
        one.labels,
        one.absent,
        one.seen_right,
        one.seen_total,
        *_rounded(one.seen_interval),
        seen.precision,
        seen.recall,
        seen.f1,
        one.unseen_right,
        one.unseen_total,
        *_rounded(one.unseen_interval),
        unseen.f1,
        one.printed,
    )


def _layout(one: LayoutFigures, layouts: Mapping[int, str]) -> tuple[Cell, ...]:
    seen, unseen = one.seen, one.unseen
    return (
        layouts.get(one.group, "a paper without a layout"),  # layout groups may have been merged since
        one.papers,
        seen.right,
        seen.total,
        *_rounded(seen.interval),
        unseen.right,
        unseen.total,
        *_rounded(unseen.interval),
    )


def _cells(one: FieldFigures, names: Mapping[str, str]) -> list[tuple[Cell, ...]]:
    return [
        (
            names.get(one.field, one.field),
            name,
            its.cells.there,
            its.cells.precision,
            its.cells.recall,
            its.cells.f1,
            its.rows.there,
            its.rows.f1,
        )
        for name, its in ((KNOWN, one.cells.seen), (NEW, one.cells.unseen))
        if its is not None
    ]


def _curve(name: str, one: FieldCurve) -> list[tuple[Cell, ...]]:
    measured: list[tuple[Cell, ...]] = [
        (name, point.papers, round(point.share, 4), point.total, None, None, None) for point in one.points
    ]
    # A forecast is in columns of its own, so that nobody takes it for a measurement.
    return measured + [(name, ahead.papers, None, None, ahead.share, ahead.low, ahead.high) for ahead in one.forecast]


def _error(one: EvidenceRow, names: Mapping[str, str]) -> tuple[Cell, ...]:
    others = one.detail.get("others") or []
    return (
        names.get(one.field, one.field),
        one.found,
        one.expected,
        one.confidence,
        NEW if one.unseen else KNOWN,
        one.sample,
        one.detail.get("why", ""),
        others[0] if others else "",
    )


def _rounded(pair: Sequence[float]) -> tuple[float, float]:
    return round(float(pair[0]), 4), round(float(pair[1]), 4)


def _beside(test: TestFigures) -> Iterator[tuple[Cell, ...]]:
    for name, its, gap in ((KNOWN, test.known_layouts, test.known_gap), (NEW, test.new_layouts, test.new_gap)):
        if its.total:
            own = (gap.own.right, gap.own.total, gap.chance) if gap else (None, None, None)
            yield name, its.right, its.total, *own


_STYLE = """body{font:15px/1.45 system-ui,sans-serif;margin:2rem auto;max-width:70rem;padding:0 1rem;
color:#1d2330;background:#f4f1ea}
h1{font-size:1.5rem}h2{font-size:1.1rem;margin:2rem 0 .4rem}table{border-collapse:collapse;background:#fff;width:100%}
th,td{border-bottom:1px solid #d8d2c4;padding:.25rem .5rem;text-align:left;vertical-align:top}
td.n{text-align:right;font-variant-numeric:tabular-nums}
th{font-weight:600}.q{color:#555d6b}.wide{overflow-x:auto}"""


def report_html(title: str, tables: Sequence[ReportTable]) -> str:
    """All tables as one HTML page without any outside part."""
    parts = [
        # One file, to be sent by mail and read years later: no script, no font, no address.
        "<!doctype html><html lang=en><head><meta "
        f"charset=utf-8><title>{escape(title)}</title><style>{_STYLE}</style></head><body>",
        f"<h1>{escape(title)}</h1><p class=q>Every figure is of papers that the model behind it had not seen: five "
        "folds of papers (known ",
        "layouts), then five folds of whole layout groups (new layouts). Shares are fractions of one; low and high "
        "are 95 % intervals.</p>",
    ]
    for table in tables:
        head = "".join(f"<th scope=col>{escape(column)}</th>" for column in table.columns)
        rows = "".join(f"<tr>{''.join(map(_html_cell, row))}</tr>" for row in table.rows)
        parts.append(
            f"<h2>{escape(table.title)}</h2><div "
            f"class=wide><table><thead><tr>{head}</tr></thead><tbody>{rows}</tbody></table></div>"
        )
    return "".join([*parts, "</body></html>\n"])


def _html_cell(cell: Cell) -> str:
    if isinstance(cell, int | float):
        # three places: beyond them lies less than the intervals
        return f"<td class=n>{cell:.3f}</td>" if isinstance(cell, float) else f"<td class=n>{cell}</td>"
    return f"<td>{escape(cell or '')}</td>"
