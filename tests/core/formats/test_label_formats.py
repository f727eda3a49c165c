"""Labels as files: JSON Lines and W3C annotations go out and come in alike; ALTO comes in."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from tests.core.extraction.test_learning_parts import page

from jugum.core.formats.alto_in import words_from_alto
from jugum.core.formats.labels_file import (
    FieldData,
    PaperData,
    PlaceData,
    ValueData,
    annotation_page,
    labels_schema,
    read_annotations,
    read_lines,
    write_lines,
)
from jugum.core.formats.pages import alto
from jugum.errors import InputError

sides = st.floats(0, 0.4).map(lambda side: round(side, 4))
places = st.builds(
    lambda number, x, y: PlaceData(page=number, box=(x, y, round(x + 0.3, 4), round(y + 0.2, 4))),
    st.integers(1, 9),
    sides,
    sides,
)
values = st.builds(ValueData, text=st.text(min_size=1, max_size=12), places=st.lists(places, max_size=2))
fields = st.one_of(
    st.builds(FieldData, values=st.lists(values, min_size=1, max_size=2)),
    st.builds(FieldData, absent=st.just(True)),
    st.builds(FieldData, rows=st.lists(st.fixed_dictionaries({"goods.sum": values}), min_size=1, max_size=2)),
)
papers = st.builds(
    PaperData,
    file=st.just("a.pdf"),
    sha256=st.just("ab" * 32),
    labels=st.fixed_dictionaries({"goods": fields, "fee": fields}),
)


@given(papers)
@example(
    PaperData(file="a.pdf", sha256="ab" * 32, labels={"goods": FieldData(values=[ValueData(text="1\x852\u20283")])})
)
def test_lines_come_back_as_they_went(paper: PaperData) -> None:
    assert read_lines(write_lines([paper]).encode()) == [paper]


@given(papers)
def test_annotations_come_back_with_their_texts_and_places(paper: PaperData) -> None:
    fee = FieldData(values=[ValueData(text="5", places=[])])  # rows belong to the table's own field
    paper = paper.model_copy(update={"labels": {"goods": paper.labels["goods"], "fee": fee}})
    (back,) = read_annotations(json.dumps(annotation_page([paper])).encode())
    assert (back.file, back.sha256) == (paper.file, paper.sha256)
    mine, theirs = paper.labels["goods"], back.labels["goods"]
    assert mine.absent == theirs.absent
    flat = [v for row in mine.rows or [] for v in row.values()] + mine.values
    again = [v for row in theirs.rows or [] for v in row.values()] + theirs.values
    assert [v.text for v in flat] == [v.text for v in again]
    for a, b in zip(flat, again, strict=True):
        assert [p.page for p in a.places] == [p.page for p in b.places]
        assert all(p.box == pytest.approx(q.box, abs=2e-5) for p, q in zip(a.places, b.places, strict=True))


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ('{"file": "a", "labels": {}, "colour": 1}', "Line 1 of the labels: colour"),
        (
            '{"file": "a", "labels": {"fee": {"values": [{"text": "5", "places": [{"page": 0, "box": [0,0,1,1]}]}]}}}',
            "page",
        ),
        ("no json", "Line 1"),
        ('{"file": "a", "labels": {}, "format": "other-2"}', "has format “other-2”"),
    ],
)
def test_a_line_that_can_t_be_read_is_named(line: str, said: str) -> None:
    with pytest.raises(InputError, match=said):
        read_lines(line.encode())


def test_annotations_of_another_shape_are_refused_with_their_number() -> None:
    with pytest.raises(InputError, match="not a W3C annotation page"):
        read_annotations(b"[]")
    with pytest.raises(InputError, match="Annotation 1"):
        read_annotations(json.dumps({"items": [{"body": []}]}).encode())


def test_the_published_schema_is_the_one_that_is_kept() -> None:
    published = Path(__file__).parents[3] / "docs/labels.schema.json"
    assert json.loads(published.read_text()) == labels_schema()
    assert labels_schema()["properties"]["labels"]["type"] == "object"


def test_words_written_as_alto_come_in_again() -> None:
    pages = [page((0.1, 0.1, "Harbour receipt"), (0.1, 0.2, "50,00")), page((0.2, 0.3, "second"), number=2)]
    back = words_from_alto(alto(pages, "a.pdf").encode())
    assert [[word.text for word in words] for words in back] == [["Harbour", "receipt", "50,00"], ["second"]]
    assert back[0][0].box == pytest.approx(pages[0].words[0].box, abs=0.001)


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"<html/>", "not an ALTO"),
        (b"<alto>", "not readable XML"),
        (b"<alto></alto>", "no pages"),
        (b"<alto><Page><String CONTENT='a'/></Page></alto>", "no size"),
        (b"<!DOCTYPE a [<!ENTITY x 'y'>]><alto>&x;</alto>", "not readable XML"),
    ],
)
def test_what_is_no_alto_is_refused(data: bytes, said: str) -> None:
    with pytest.raises(InputError, match=said):
        words_from_alto(data)
