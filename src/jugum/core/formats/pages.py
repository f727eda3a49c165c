"""Pages in open formats: plain text, JSON, hOCR (1.2), ALTO XML (4), tables as CSV and XLSX."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Sequence
from typing import Any
from xml.sax.saxutils import escape, quoteattr

from jugum.core.page import Box, Page, Word, union
from jugum.core.structure import Structure, Table, blocks_of, text_in_order
from jugum.core.values import safe_cell

ALTO = "http://www.loc.gov/standards/alto/ns-v4#"
UNITS_PT = 10  # pixels of hOCR and ALTO per point: 720 dpi


def page_text(pages: Sequence[Page]) -> str:
    """Lines in reading order, columns heeded; an empty line between blocks, a form feed between pages."""
    return "\f".join(text_in_order(page.words, page.width_pt / page.height_pt) + "\n" for page in pages)


def page_json(pages: Sequence[Page], structures: Sequence[Structure]) -> str:
    """Everything that was read: sizes in points, boxes [x0, y0, x1, y1] in fractions of the upright page."""
    return json.dumps(
        {"pages": [_page(page, layers) for page, layers in zip(pages, structures, strict=True)]},
        ensure_ascii=False,
        indent=1,
    )


def _box(box: Box) -> list[float]:
    return [round(side, 5) for side in box]  # a tenth of a pixel at 600 dpi


def _page(page: Page, layers: Structure) -> dict[str, Any]:
    return {
        "number": page.number,
        "width_pt": page.width_pt,
        "height_pt": page.height_pt,
        "rotation": page.rotation,
        "skew": page.skew,
        "source": page.source.value,
        "words": [
            {"text": w.text, "box": _box(w.box), "confidence": round(w.confidence, 3), "kind": w.kind.value}
            for w in page.words
        ],
        **structure_data(layers),
    }


def structure_data(layers: Structure) -> dict[str, Any]:
    """A page's layers as plain data; words by their index on the page."""
    return {
        "blocks": [{"box": _box(block.box), "lines": [list(line) for line in block.lines]} for block in layers.blocks],
        "rules": [{"box": _box(rule.box), "level": rule.level} for rule in layers.ruling.rules],
        "cells": [_box(cell) for cell in layers.ruling.cells],
        "pairs": [
            {
                "label": pair.label,
                "value": pair.value,
                "label_box": _box(pair.label_box),
                "value_box": _box(pair.value_box),
                "words": list(pair.words),
            }
            for pair in layers.pairs
        ],
        "tables": [
            {
                "box": _box(table.box),
                "rows": table.rows,
                "columns": table.columns,
                "ruled": table.ruled,
                "cells": [
                    {"row": cell.row, "column": cell.column, "text": cell.text, "box": _box(cell.box)}
                    for cell in table.cells
                ],
            }
            for table in layers.tables
        ],
        "ticks": [{"box": _box(tick.box), "ticked": tick.ticked, "ink": tick.ink} for tick in layers.ticks],
        "signatures": [_box(box) for box in layers.signatures],
        "strokes": [_box(box) for box in layers.strokes],
        "stamps": [_box(box) for box in layers.stamps],
        "zones": [
            {
                "kind": zone.kind,
                "lines": list(zone.lines),
                "checks": zone.checks,
                "repaired": zone.repaired,
                "parts": zone.parts(),
                "box": _box(zone.box) if zone.box else None,
            }
            for zone in layers.zones
        ],
        "codes": list(layers.codes),
        "struck": list(layers.words.struck),
        "ringed": list(layers.words.ringed),
    }


# ---- hOCR and ALTO ---------------------------------------------------------------------------------------------------


def _pixels(box: Box, page: Page) -> tuple[int, int, int, int]:
    across, down = page.width_pt * UNITS_PT, page.height_pt * UNITS_PT
    return round(box.x0 * across), round(box.y0 * down), round(box.x1 * across), round(box.y1 * down)


def hocr(pages: Sequence[Page], name: str) -> str:
    """HTML with the classes ocr_page, ocr_carea, ocr_line and ocrx_word; bounding boxes at 720 dpi."""
    body = "\n".join(_hocr_page(page, name) for page in pages)
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n<!DOCTYPE html>\n<html xmlns="http://www.w3.org/1999/xhtml">\n<head>\n'
        f"<title>{escape(name)}</title>\n<meta charset=\"utf-8\"/>\n<meta name='ocr-system' content='Jugum'/>\n"
        "<meta name='ocr-capabilities' content='ocr_page ocr_carea ocr_line ocrx_word'/>\n</head>\n<body>\n"
        f"{body}\n</body>\n</html>\n"
    )


def _hocr_page(page: Page, name: str) -> str:
    def bbox(box: Box) -> str:
        return "bbox {} {} {} {}".format(*_pixels(box, page))

    whole = bbox(Box(0, 0, 1, 1))
    out = [
        f"<div class='ocr_page' id='page_{page.number}' "
        f"title={quoteattr(f'image {name}; {whole}; ppageno {page.number - 1}')}>"
    ]
    for number, block in enumerate(blocks_of(page.words, page.width_pt / page.height_pt), 1):
        out.append(f" <div class='ocr_carea' id='block_{page.number}_{number}' title='{bbox(block.box)}'>")
        for line in block.lines:
            its = [page.words[index] for index in line]
            out.append(f"  <span class='ocr_line' title='{bbox(union(word.box for word in its))}'>")
            out += [
                f"   <span class='ocrx_word' title='{bbox(word.box)}; x_wconf "
                f"{round(100 * word.confidence)}'>{escape(word.text)}</span>"
                for word in its
            ]
            out.append("  </span>")
        out.append(" </div>")
    return "\n".join([*out, "</div>"])


def alto(pages: Sequence[Page], name: str) -> str:
    """ALTO 4: pages, text blocks, lines and strings; measured in pixels at 720 dpi."""
    out = [
        '<?xml version="1.0" encoding="UTF-8"?>',
        f'<alto xmlns="{ALTO}">',
        f"<Description><MeasurementUnit>pixel</MeasurementUnit><sourceImageInformation><fileName>{escape(name)}</fileName></sourceImageInformation></Description>",
        "<Layout>",
    ]
    for page in pages:
        _, _, wide, high = _pixels(Box(0, 0, 1, 1), page)
        out.append(f'<Page ID="page_{page.number}" PHYSICAL_IMG_NR="{page.number}" WIDTH="{wide}" HEIGHT="{high}">')
        out.append(f'<PrintSpace HPOS="0" VPOS="0" WIDTH="{wide}" HEIGHT="{high}">')
        for number, block in enumerate(blocks_of(page.words, page.width_pt / page.height_pt), 1):
            out.append(f'<TextBlock ID="block_{page.number}_{number}" {_place(block.box, page)}>')
            for line in block.lines:
                its = [page.words[index] for index in line]
                out.append(
                    f"<TextLine {_place(union(word.box for word in its), page)}>{_strings(its, page)}</TextLine>"
                )
            out.append("</TextBlock>")
        out.append("</PrintSpace></Page>")
    return "\n".join([*out, "</Layout>", "</alto>", ""])


def _strings(words: Sequence[Word], page: Page) -> str:
    return "<SP/>".join(
        f'<String {_place(word.box, page)} CONTENT={quoteattr(word.text)} WC="{word.confidence:.2f}"/>'
        for word in words
    )


def _place(box: Box, page: Page) -> str:
    x0, y0, x1, y1 = _pixels(box, page)
    return f'HPOS="{x0}" VPOS="{y0}" WIDTH="{x1 - x0}" HEIGHT="{y1 - y0}"'


# ---- Tables ----------------------------------------------------------------------------------------------------------


def tables_csv(tables: Sequence[tuple[int, Table]]) -> str:
    """All tables as (page, table), one below the other, each under a line that says where it stands."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    for number, (page, table) in enumerate(tables, 1):
        # tables of several pages in one file: where each comes from must not get lost
        writer.writerow([f"Table {number}, page {page}"])
        writer.writerows([safe_cell(cell) for cell in row] for row in table.grid())
        writer.writerow([])
    return out.getvalue()


def tables_xlsx(tables: Sequence[tuple[int, Table]]) -> bytes:
    """A workbook with a sheet for each (page, table); all cells as text, as they were read."""
    from openpyxl import Workbook  # a third of a second that no start of a web process needs

    book = Workbook()
    sheets = book.worksheets
    book.remove(sheets[0])
    for number, (page, table) in enumerate(tables, 1):
        sheet = book.create_sheet(f"Table {number} p. {page}")
        for row in table.grid():
            # control characters make a workbook that can't be opened
            sheet.append([safe_cell("".join(letter for letter in cell if letter.isprintable())) for cell in row])
    if not tables:  # a workbook must have a sheet
        book.create_sheet("No tables")
    buffer = io.BytesIO()
    book.save(buffer)
    return buffer.getvalue()
