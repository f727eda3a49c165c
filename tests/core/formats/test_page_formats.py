"""Pages in open formats: what is written can be read again by others' tools."""

from __future__ import annotations

import csv
import io
import json

import pytest
from defusedxml import ElementTree
from openpyxl import load_workbook
from tests import papers
from tests.papers import slip_pdf, slips

from jugum.core.formats.pages import alto, hocr, page_json, page_text, tables_csv, tables_xlsx
from jugum.core.formats.searchable import searchable_pdf
from jugum.core.formats.separator import separator_sheet
from jugum.core.ocr import How, QuickEngine, open_paper, read_page, upright_picture
from jugum.core.page import Box, Page, Word
from jugum.core.structure import Table, TableCell, structure_of

ODD = Page(
    1, 595, 842, (Word('<A&B "q">', Box(0.1, 0.1, 0.3, 0.12), 0.87), Word("Çelik", Box(0.35, 0.1, 0.5, 0.12), 1.0))
)
TABLE = Table(
    Box(0, 0, 1, 1),
    2,
    2,
    tuple(
        TableCell(row, column, text, Box(0, 0, 1, 1), ())
        for row, texts in enumerate((("Item", "Sum"), ("=cmd()", "-12,50")))
        for column, text in enumerate(texts)
    ),
    False,
)


def test_hocr_is_well_formed_and_holds_words_with_their_boxes_and_confidence() -> None:
    root = ElementTree.fromstring(hocr([ODD], 'scan "1".pdf'))
    words = [item for item in root.iter() if item.get("class") == "ocrx_word"]
    assert [item.text for item in words] == ['<A&B "q">', "Çelik"]
    assert words[0].get("title") == "bbox 595 842 1785 1010; x_wconf 87"


def test_alto_is_well_formed_and_holds_words_with_their_boxes() -> None:
    root = ElementTree.fromstring(alto([ODD], "a&b.pdf"))
    strings = [item for item in root.iter() if item.tag.endswith("}String")]
    assert [item.get("CONTENT") for item in strings] == ['<A&B "q">', "Çelik"]
    assert (strings[0].get("HPOS"), strings[0].get("WIDTH"), strings[0].get("WC")) == ("595", "1190", "0.87")


def test_text_has_a_line_a_line_and_a_form_feed_a_page() -> None:
    assert page_text([ODD, ODD]) == '<A&B "q"> Çelik\n\f<A&B "q"> Çelik\n'


def test_json_holds_words_and_all_layers() -> None:
    paper = open_paper(slip_pdf(slips(1)[0]), "s.pdf")
    page = read_page(paper, 0, QuickEngine()).page
    layers = structure_of(page, upright_picture(paper, 0, page, 200, grey=True))
    (written,) = json.loads(page_json([page], [layers]))["pages"]
    assert [word["text"] for word in written["words"]][:2] == ["Harbour", "receipt"]
    assert {"label": "Total", "value": slips(1)[0].amount} in [
        {"label": pair["label"], "value": pair["value"]} for pair in written["pairs"]
    ]


def test_tables_open_in_spreadsheets_and_run_nothing() -> None:
    rows = list(csv.reader(io.StringIO(tables_csv([(3, TABLE)]))))
    assert rows[0] == ["Table 1, page 3"]
    assert rows[2] == ["'=cmd()", "-12,50"]
    book = load_workbook(io.BytesIO(tables_xlsx([(3, TABLE), (4, TABLE)])))
    assert book.sheetnames == ["Table 1 p. 3", "Table 2 p. 4"]
    assert book.worksheets[0]["A2"].value == "'=cmd()"
    assert load_workbook(io.BytesIO(tables_xlsx([]))).sheetnames == ["No tables"]


TEXT = (
    "Harbour receipt for the spring season",
    "Paid by Oddny Strand of Quay Street",
    "Valid until the end of the year",
)


def scan(turn: int, lean: float, kind: str) -> bytes:
    picture = papers.drawn(papers.words_pdf(*TEXT)).rotate(lean, fillcolor=255).rotate(-turn, expand=True)
    out = io.BytesIO()
    if kind == "PDF":
        picture.save(out, kind, resolution=200)
    else:
        picture.save(out, kind, dpi=(200, 200))
    return out.getvalue()


@pytest.mark.parametrize("kind", ["PDF", "JPEG", "TIFF"])
@pytest.mark.parametrize(("turn", "lean"), [(0, 0.0), (90, 0.0), (180, 2.0), (270, -1.5)])
def test_words_of_a_searchable_pdf_lie_under_their_print(kind: str, turn: int, lean: float) -> None:
    data = scan(turn, lean, kind)
    paper = open_paper(data, "scan")
    page = read_page(paper, 0, QuickEngine(), How(turn=(360 - turn) % 360)).page
    made = searchable_pdf(data, paper, [(0, page)])
    assert len(made) < 1.25 * len(data) + 30_000
    again = open_paper(made, "again.pdf")
    layer = again.text_layer(0)
    assert layer is not None
    assert layer.turn == 0
    found = {word.text: word.box.middle for word in layer.words}
    for word in page.words:
        if [other.text for other in page.words].count(word.text) == 1 and len(word.text) > 3:
            x, y = word.box.middle
            leaning = 0.03 if lean else 0.012  # the page itself stays as it leant
            assert found[word.text] == pytest.approx((x, y), abs=leaning)
    assert again.render(0, 60).mean() == pytest.approx(paper.render(0, 60).mean(), abs=6)  # seen as it was


def test_a_born_digital_page_is_kept_as_it_is() -> None:
    data = slip_pdf(slips(1)[0])
    paper = open_paper(data, "s.pdf")
    page = read_page(paper, 0, QuickEngine()).page
    made = open_paper(searchable_pdf(data, paper, [(0, page)]), "again.pdf").text_layer(0)
    assert made is not None
    assert [word.text for word in made.words] == [word.text for word in open_paper(data, "s.pdf").text_layer(0).words]  # type: ignore[union-attr]


def test_the_separator_sheet_is_one_page_with_words_for_people() -> None:
    layer = open_paper(separator_sheet(), "s.pdf").text_layer(0)
    assert layer is not None
    assert " ".join(word.text for word in layer.words).startswith("Next paper")
