"""Tables whose heads say nothing, values in ruled cells, values of several lines, words that two readings have
otherwise."""

from __future__ import annotations

import io
import json
import random
import zipfile
from collections.abc import Sequence
from dataclasses import replace

import pytest
from reportlab.pdfgen import canvas
from tests.papers import drawn

from jugum.core.calibration import CALIBRATION_FEATURES, VALUE, Calibrator, features_of
from jugum.core.extraction.candidates.around import CHANNELS
from jugum.core.extraction.candidates.generate import Candidate, candidates_of
from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.extraction.clauses.sections import sections_of
from jugum.core.extraction.decided import PartDecision, PartKind
from jugum.core.extraction.parts import fit_parts, part_right
from jugum.core.extraction.tables.cells import cell_of_words
from jugum.core.extraction.tables.tagger import tagged_tables
from jugum.core.extraction.values.assignment import Choice, Decision, decide
from jugum.core.extraction.values.corpus import Corpus
from jugum.core.formats.version_file import pack_version, unpack_version
from jugum.core.ocr import QuickEngine, open_paper, read_page
from jugum.core.ocr.engines import reconcile_words
from jugum.core.ocr.rules import in_cells, in_cells_as
from jugum.core.page import Box, Page, PageSource, Word, reading_order
from jugum.core.schema import FieldKind, FieldPlan, Plan
from jugum.core.training import train_version
from jugum.core.training.version import TrainedVersion
from jugum.core.values import DataType

GOODS = ("rope", "oars", "lamp oil", "tar", "net", "copper nails", "sail", "hull paint")
PLAN = Plan(
    (
        FieldPlan("keeper", "Keeper", DataType.TEXT, ("Kept by",)),
        FieldPlan("goods", "Goods", kind=FieldKind.TABLE),
        FieldPlan("goods.item", "Item", inside="goods"),
        FieldPlan("goods.sum", "Sum", DataType.MONEY, inside="goods"),
    )
)


def written(x: float, y: float, text: str) -> list[Word]:
    """The words of a text, each letter 0.011 wide."""
    words, at = [], x
    for part in text.split():
        words.append(Word(part, Box(at, y, at + 0.011 * len(part), y + 0.014)))
        at += 0.011 * (len(part) + 1)
    return words


def store_list(number: int, *, heads: bool = False, broken: bool = True) -> Sample:
    """A store's list: a line with the keeper, then goods and sums in two columns, without heads unless told, two of
    the goods' names broken over two lines (unless told), then a line of thanks with a figure in it."""
    rng = random.Random(number)
    keeper = rng.choice(("Runa Selvik", "Odd Brekke", "Tove Marn"))
    words = [
        *written(0.1, 0.1, "Harbour store of Tarnby"),
        *written(0.1, 0.16, "Kept by"),
        *written(0.3, 0.16, keeper),
    ]
    labels: dict[str, list[SampleLabel]] = {"keeper": [_label(keeper, words[-2:])], "goods.item": [], "goods.sum": []}
    y = 0.25 + 0.01 * (number % 3)
    if heads:
        words += [*written(0.12, y - 0.03, "Item"), *written(0.6, y - 0.03, "Sum")]
    for row in range(rng.randint(3, 6)):
        item, amount = rng.choice(GOODS), f"{rng.randint(5, 400)}.{rng.randint(10, 99)}"
        name, figure = written(0.12, y, item), written(0.6, y, amount)
        words += [*name, *figure]
        if broken and row in (1, 2):
            y += 0.018
            more = written(0.12, y, "best kind")
            words, name, item = [*words, *more], [*name, *more], f"{item} best kind"
        labels["goods.item"].append(_label(item, name))
        labels["goods.sum"].append(_label(amount, figure))
        y += 0.03
    words += written(0.1, y + 0.05, f"Thank you for {rng.randint(2, 9)} years with us")
    return Sample(
        str(number), (Page(1, 595, 842, reading_order(words)),), {key: tuple(its) for key, its in labels.items()}
    )


def _label(text: str, words: Sequence[Word]) -> SampleLabel:
    box = Box(words[0].box.x0, words[0].box.y0, max(w.box.x1 for w in words), words[-1].box.y1)
    return SampleLabel(text, text, 1, box)


@pytest.fixture(scope="module")
def lists() -> list[Sample]:
    return [store_list(number) for number in range(14)]


@pytest.fixture(scope="module")
def version(lists: list[Sample]) -> TrainedVersion:
    return train_version(PLAN, lists, seed=1)


def table_of(version: TrainedVersion, paper: Sample) -> tuple[PartDecision, float | None]:
    decided = version.decide_with_confidence(paper.pages)
    return next((one, sure) for one, sure in decided if isinstance(one, PartDecision) and one.field == "goods")


def test_a_table_without_heads_is_read_by_the_labeller_on_layouts_it_knows(version: TrainedVersion) -> None:
    right = 0
    for number in range(50, 60):
        decision, sure = table_of(version, store_list(number))
        assert decision.kind is PartKind.TABLE
        assert decision.why == {"labeller": 1.0}
        right += part_right(PLAN, decision, store_list(number).labels)
        assert sure is not None
        assert 0.3 < sure < 1
    assert right >= 9


def test_words_are_tagged_by_the_row_and_cell_they_open() -> None:
    sample = store_list(4)
    paper = tagged_tables(PLAN, sample)
    opened = [tag for tag in paper.tags[0] if tag.startswith("N-")]
    assert len(opened) == len(sample.labels["goods.sum"])
    assert set(opened) == {"N-goods.item"}
    assert paper.tags[0].count("B-goods.sum") == len(opened)
    assert "I-goods.item" in paper.tags[0]  # the second line of a name


def test_where_heads_tell_all_tables_no_labeller_is_made() -> None:
    headed = [store_list(number, heads=True, broken=False) for number in range(8)]
    parts = fit_parts(PLAN, headed)
    assert parts.tagger is None
    assert all(part_right(PLAN, parts.decide(one.pages, None, 1.0)[0], one.labels) for one in headed)
    assert (
        fit_parts(PLAN, [store_list(number, broken=False) for number in range(8)]).tagger is not None
    )  # the same without heads
    assert fit_parts(PLAN, [store_list(number) for number in range(4)]).tagger is None  # too few to learn from


def test_a_labeller_that_is_no_better_than_the_heads_is_not_kept() -> None:
    """The sums are labelled from the last row to the first: neither heads nor a labeller, which go down a page, can
    read that."""
    mixed = [store_list(number) for number in range(6)]
    torn = [replace(one, labels={**one.labels, "goods.sum": tuple(reversed(one.labels["goods.sum"]))}) for one in mixed]
    assert fit_parts(PLAN, torn).tagger is None


def test_a_strange_layout_is_left_to_the_heads(lists: list[Sample]) -> None:
    parts = fit_parts(PLAN, lists)
    assert parts.tagger is not None
    strange = Page(
        1, 595, 842, reading_order([*written(0.2, 0.5, "Quite another paper altogether"), *written(0.2, 0.6, "12.50")])
    )
    decision = parts.decide([strange], None, 0.1)[0]
    assert decision.absent
    assert "labeller" not in decision.why


def test_a_version_file_keeps_the_labeller_and_files_of_the_format_before_are_read(version: TrainedVersion) -> None:
    data = pack_version(version.trained_model, version.calibrators, {})
    trained_model, calibrators, _ = unpack_version(data)
    paper = store_list(71)
    before, after = version.trained_model.decide(paper.pages), trained_model.decide(paper.pages)
    assert [one.found for one in after if isinstance(one, PartDecision)] == [
        one.found for one in before if isinstance(one, PartDecision)
    ]
    older = _as_format_2(data)
    trained_model, calibrators, manifest = unpack_version(older)
    assert manifest["format"] == 2
    assert trained_model.parts is not None
    assert trained_model.parts.tagger is None
    values = [one for one in trained_model.decide(paper.pages) if isinstance(one, Decision)]
    assert (calibrators["value"].probabilities(values) > 0).all()


def _as_format_2(data: bytes) -> bytes:
    """A version file as the format before had it: no labeller, one sign less for values and for tables."""
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(out, "w") as new:
        for name in old.namelist():
            text = old.read(name)
            if name == "manifest.json":
                manifest = json.loads(text)
                del manifest["parts"]
                text = json.dumps({**manifest, "format": 2}).encode()
            if name == "model.json":
                model = json.loads(text)
                del model["parts"]["tables"]
                for kind, known in (("value", 10), ("table", 7)):
                    calibrator = model["calibrators"][kind]
                    for key in ("features", "strange_coefficients", "strange_intercept"):
                        del calibrator[key]
                    for key in ("mean", "scale", "coefficients"):
                        del calibrator[key][known:]
                text = json.dumps(model).encode()
            if name != "tables.crfsuite":
                new.writestr(name, text)
    return out.getvalue()


# ---- Ruled cells -----------------------------------------------------------------------------------------------------


def boxed_form() -> bytes:
    """Two rows of three boxes: a small name in the upper left corner of each, a figure in its lower right, near the
    next box's."""
    buffer = io.BytesIO()
    pen = canvas.Canvas(buffer, (595, 842))
    pen.setLineWidth(0.5)
    names = ("Wages paid", "Tax kept", "Fund dues", "Meals", "Travel", "Gifts")
    for number, name in enumerate(names):
        x, y = 60 + 150 * (number % 3), 700 - 40 * (number // 3)
        pen.rect(x, y, 150, 40)
        pen.setFont("Helvetica", 6.5)
        pen.drawString(x + 4, y + 31, f"{number + 1}  {name}")
        pen.setFont("Helvetica", 10)
        pen.drawRightString(x + 148, y + 8, f"{100 + number}.50")
    pen.showPage()
    pen.save()
    return buffer.getvalue()


def context(one: Candidate, channel: str) -> str:
    return one.contexts[CHANNELS.index(channel)]


def test_a_value_in_a_ruled_cell_bears_the_name_in_its_corner() -> None:
    page = read_page(open_paper(boxed_form(), "form.pdf"), 0, QuickEngine()).page
    assert len({word.cell for word in page.words}) == 6
    assert all(word.cell >= 0 for word in page.words)
    found = {
        candidate.text: candidate
        for candidate in candidates_of([page], {DataType.MONEY})
        if candidate.widest and "." in candidate.text
    }
    assert {text: context(found[text], "above") for text in ("100.50", "102.50", "104.50")} == {
        "100.50": "0 wages paid",
        "102.50": "0 fund dues",
        "104.50": "0 travel",
    }
    assert context(found["101.50"], "below") == ""  # the next row's box says nothing of this one


def test_letters_in_boxes_of_their_own_stay_one_piece() -> None:
    words = written(0.1, 0.1, "4 7 1 1")
    cells = [Box(word.box.x0 - 0.004, 0.095, word.box.x1 + 0.004, 0.12) for word in words]
    assert [word.cell for word in in_cells(words, cells, (595, 842))] == [-1] * 4
    wide = [Box(0.05, 0.09, 0.12, 0.12), Box(0.12, 0.09, 0.3, 0.12)]
    assert [word.cell for word in in_cells(words, wide, (595, 842))] == [0, 1, 1, 1]


def test_a_text_of_several_close_lines_is_a_candidate_and_lines_far_apart_are_not() -> None:
    near = [
        *written(0.1, 0.1, "Repair of the"),
        *written(0.1, 0.12, "north quay wall"),
        *written(0.1, 0.16, "Elsewhere"),
    ]
    texts = {candidate.text for candidate in candidates_of([Page(1, 595, 842, reading_order(near))], {DataType.TEXT})}
    assert "Repair of the north quay wall" in texts
    assert not any("wall Elsewhere" in text for text in texts)


# ---- Two readings ----------------------------------------------------------------------------------------------------


def test_what_a_second_reading_has_otherwise_speaks_against_a_value() -> None:
    first = [*written(0.1, 0.1, "412.50"), *written(0.1, 0.2, "388.10"), *written(0.1, 0.3, "77.00")]
    second = [*written(0.1, 0.1, "412.50"), *written(0.1, 0.2, "383.10")]
    both = reconcile_words(first, second)
    assert [word.differs for word in both] == [False, True, False]
    found = {
        candidate.text: candidate for candidate in candidates_of([Page(1, 595, 842, tuple(both))], {DataType.MONEY})
    }
    assert found["388.10"].differs
    assert not found["412.50"].differs

    def decision(differs: bool) -> Decision:
        choice = Choice(found["388.10" if differs else "412.50"], 3.0)
        return Decision("amount", (choice,), (), 3.0, -9.0, 0.9, 0.9, misread=differs)

    named = dict(zip(CALIBRATION_FEATURES[VALUE], features_of(decision(True)), strict=True))
    assert named["readings_differ"] == 1
    read = [decision(number % 2 == 1) for number in range(40)]
    sure = Calibrator().fit(read, [not one.misread or number % 10 == 1 for number, one in enumerate(read)])
    well, ill = sure.probabilities([decision(False), decision(True)])
    assert well > 0.9 > 0.4 > ill
    luck = Calibrator().fit(read, [one.misread for one in read]).probabilities([decision(False), decision(True)])
    assert luck[1] <= luck[0]  # differing readings never speak for a value, whatever a few papers show


def test_what_a_pen_wrote_is_known_of_a_value_a_cell_and_a_decision() -> None:
    words = [*written(0.1, 0.1, "412.50"), *written(0.1, 0.2, "388.10")]
    page = Page(1, 595, 842, (words[0], replace(words[1], by_hand=True)))
    print_, pen = candidates_of([page], {DataType.MONEY})
    assert (print_.by_hand, pen.by_hand) == (False, True)
    plan = Plan((FieldPlan("amount", "amount", DataType.MONEY),))
    (decided,) = decide(plan, {"amount": [Choice(pen, 3.0), Choice(print_, 1.0)]}, 0.9)
    assert decided.by_hand
    assert not decide(plan, {"amount": [Choice(print_, 3.0)]}, 0.9)[0].by_hand
    column = FieldPlan("list.amount", "amount", DataType.MONEY, inside="list")
    cells = [cell_of_words(column, page, [number], "") for number in (0, 1)]
    assert [cell and cell.by_hand for cell in cells] == [False, True]
    table = PartDecision("list", PartKind.TABLE, {"list.amount": tuple(cells)}, (), {}, 0.9, 0.9)
    assert table.by_hand


def test_the_cells_of_a_scan_are_told_by_its_picture() -> None:
    picture = io.BytesIO()
    drawn(boxed_form()).save(picture, "PNG")
    page = read_page(open_paper(picture.getvalue(), "form.png"), 0, QuickEngine()).page
    assert page.source is PageSource.OCR
    assert len({word.cell for word in page.words if word.cell >= 0}) == 6
    amounts = [
        candidate
        for candidate in candidates_of([page], {DataType.MONEY})
        if candidate.widest and candidate.normal.endswith(".50")
    ]
    assert len(amounts) >= 5
    named = 0
    for amount in amounts:
        name = ("wages", "tax", "fund", "meals", "travel", "gifts")[int(float(amount.normal)) - 100]
        if any(name in word.text.lower() for word in page.words):
            assert name in context(amount, "above")
            named += 1
    assert named >= 4


def test_words_of_a_region_read_anew_stay_in_their_cells() -> None:
    known = [replace(word, cell=cell) for cell, x in enumerate((0.1, 0.4)) for word in written(x, 0.1, "old word")]
    anew = [*written(0.11, 0.1, "new"), *written(0.41, 0.101, "other")]
    assert [word.cell for word in in_cells_as(anew, known)] == [0, 1]
    assert in_cells_as(anew, [replace(word, cell=-1) for word in known]) == anew
    assert in_cells_as(anew, []) == anew


# ---- Headings of scans -----------------------------------------------------------------------------------------------

PROSE = (
    "Liability for indirect loss is excluded in every case that follows here",
    "and compensation is limited to the price that was agreed on for the works",
)


def prose_page(*lines: tuple[str, float], bold: str = "") -> Page:
    """A page of lines (text, y); the words of `bold` are printed so."""
    words = [replace(word, bold=text == bold) for text, y in lines for word in written(0.1, y, text)]
    return Page(1, 595, 842, tuple(words))


def headings(page: Page) -> list[str]:
    return [section.heading for section in sections_of([page])]


def test_a_short_line_by_itself_over_prose_heads_it_where_nothing_is_bold() -> None:
    lines = (
        ("Limits of liability", 0.2),
        (PROSE[0], 0.222),
        (PROSE[1], 0.24),
        ("Notice", 0.3),
        (PROSE[0], 0.322),
        (PROSE[1], 0.34),
    )
    assert headings(prose_page(*lines)) == ["Limits of liability", "Notice"]
    found = sections_of([prose_page(*lines)])
    assert found[1].text == f"Notice {PROSE[0]} {PROSE[1]}"


@pytest.mark.parametrize(
    "lines",
    [
        (("Runa Selvik", 0.2), ("Tarnby", 0.222), ("Norhaven", 0.244)),  # no prose below: an address
        (("Limits of liability.", 0.2), (PROSE[0], 0.222)),  # a sentence
        (("Item 7 of the list", 0.2), (PROSE[0], 0.222)),  # a figure in it
        (("Limits of liability", 0.2), (PROSE[0], 0.3)),  # too far above
        ((PROSE[0], 0.2), ("and so on", 0.218), (PROSE[1], 0.236)),  # a line of a paragraph
        (("Limits of liability", 0.2), ("short words here", 0.222)),
    ],
)
def test_what_is_no_heading_of_a_scan(lines: tuple[tuple[str, float], ...]) -> None:
    assert not any(headings(prose_page(*lines)))


def test_where_headings_are_printed_bold_others_are_not_guessed() -> None:
    lines = (("Payment", 0.1), (PROSE[0], 0.122), ("Limits of liability", 0.16), (PROSE[0], 0.182))
    assert headings(prose_page(*lines, bold="Payment")) == ["Payment"]


# ---- How much is learned from ----------------------------------------------------------------------------------------


def test_rows_are_taken_from_as_many_papers_as_teach_something_spread_over_the_layouts() -> None:
    samples = [store_list(number) for number in range(40)]
    plan = Plan(tuple(FieldPlan(f"f{number}", f"Field {number}") for number in range(12)))
    groups = [0] * 34 + [1] * 6
    corpus = Corpus(plan, [replace(sample, labels={}) for sample in samples], groups=groups)
    assert len(corpus.training_papers) == 400 // 12
    assert sum(groups[number] for number in corpus.training_papers) == 6  # the rare layout keeps all of its papers
    few = Corpus(Plan(plan.fields[:2]), [replace(sample, labels={}) for sample in samples], groups=groups)
    assert len(few.training_papers) == 40
