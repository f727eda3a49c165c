"""Lists of papers: filters that combine, every column sorts, no paper on two pages or on none."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime

import pytest
from sqlalchemy import update
from tests.office import Office
from tests.papers import slip_pdf, slips

from jugum.core.states import WITHOUT_TYPE, DocumentState, Purpose, states_of
from jugum.errors import InputError
from jugum.flow.deliver import results
from jugum.flow.gather import batches, bundles, documents, lists, place
from jugum.flow.gather.documents import Intake
from jugum.flow.gather.lists import PaperList, Wanted, paper_list
from jugum.flow.label.next_paper import first_to_label
from jugum.flow.review import queue
from jugum.store.models import Document, Field, Hold, PageRow


def papers_of(office: Office, wanted: Wanted | None = None) -> PaperList:
    return paper_list(office.store, office.type_id, wanted or Wanted())


def bring(office: Office, count: int, **intake: int) -> list[int]:
    """Papers with different names, sizes and days."""
    found = [
        documents.receive(
            office.store,
            office.analyst,
            office.type_id,
            f"{'ba'[n % 2]}-{n:02d}.pdf",
            slip_pdf(slip, n % 3),
            purpose="sample" if n % 2 else "live",
            intake=Intake(**intake),
        ).document_id
        for n, slip in enumerate(slips(count))
    ]
    with office.store.session() as session:
        for n, document in enumerate(found):
            day = datetime(2026, 3, 1 + n % 20, 12, tzinfo=UTC)
            session.execute(update(Document).where(Document.id == document).values(received_at=day))
    return found


def put(office: Office, document: int, **values: object) -> None:
    with office.store.session() as session:
        session.execute(update(Document).where(Document.id == document).values(**values))


def test_filters_combine_and_say_how_many_there_are(office: Office) -> None:
    batch = batches.add(office.store, office.analyst, 1, "Monday post")
    inside = bring(office, 4, batch_id=batch)
    other = documents.receive(
        office.store, office.analyst, office.type_id, "a-%.pdf", slip_pdf(slips(60)[59]), purpose="live"
    ).document_id
    put(office, inside[0], state=DocumentState.HELD)

    def ids(**asked: object) -> set[int]:
        return {row.id for row in papers_of(office, Wanted(**asked)).rows}  # type: ignore[arg-type]

    assert ids() == {*inside, other}
    assert ids(batch=batch) == set(inside)
    assert ids(purpose="live") == {inside[0], inside[2], other}
    assert ids(purpose="live", state="held", batch=batch) == {inside[0]}
    assert ids(text="A-") == {inside[1], inside[3], other}
    assert ids(text="%") == {other}  # as it is written, no pattern
    assert ids(since=datetime(2026, 3, 2).date(), until=datetime(2026, 3, 3).date()) == {inside[1], inside[2]}
    shown = papers_of(office)
    assert {choice.name: choice.papers for choice in shown.states} == {"received": 4, "held": 1}
    assert [(choice.name, choice.papers) for choice in shown.batches] == [("Monday post", 4)]
    samples = papers_of(office, Wanted(purpose="sample"))
    assert [(choice.name, choice.papers) for choice in samples.batches] == [("Monday post", 2)]


@pytest.mark.parametrize("sort", lists.SORTS)
def test_every_column_sorts_both_ways(office: Office, run_jobs: Callable[[], None], sort: str) -> None:
    brought = bring(office, 5)
    run_jobs()
    put(office, brought[2], page_count=3)
    with office.store.session() as session:
        scanned = PageRow.document_id == brought[1]
        session.execute(update(PageRow).where(scanned).values(source="ocr", confidence=0.5))
    down, up = (papers_of(office, Wanted(sort=sort, upwards=upwards)).rows for upwards in (False, True))
    assert [row.id for row in down] == [row.id for row in reversed(up)]
    column = {
        "name": lambda row: row.name,
        "received": lambda row: row.received_at,
        "size": lambda row: row.bytes,
        "state": lambda row: row.state,
        "purpose": lambda row: row.purpose,
        "pages": lambda row: row.page_count,
        "text": lambda row: row.source,
        "confidence": lambda row: row.confidence,
    }[sort]
    assert [column(row) for row in up] == sorted(column(row) for row in up)
    assert len({column(row) for row in up}) > 1


def test_no_paper_is_on_two_pages_or_on_none(office: Office, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(lists, "ROWS_A_PAGE", 3)
    brought = bring(office, 8)
    with office.store.session() as session:  # all of one moment: the order must not be left to chance
        session.execute(update(Document).values(received_at=datetime(2026, 3, 1, tzinfo=UTC)))
    pages = [papers_of(office, Wanted(page=number)) for number in (1, 2, 3, 9)]
    assert [page.pages for page in pages] == [3, 3, 3, 3]
    assert sorted(row.id for page in pages[:3] for row in page.rows) == sorted(brought)
    assert pages[3].wanted.page == 3  # past the end: the last


def test_a_types_list_has_its_own_papers_and_the_untyped_are_apart(office: Office) -> None:
    mine, stranger = bring(office, 2)
    put(office, stranger, type_id=None, state=DocumentState.UNPLACED)
    assert [row.id for row in papers_of(office).rows] == [mine]
    assert papers_of(office).untyped == 1
    assert [row.id for row in papers_of(office, Wanted(untyped=True)).rows] == [stranger]


@pytest.mark.parametrize(
    "asked", [Wanted(sort="nose"), Wanted(state="lost"), Wanted(purpose="fun")], ids=["sort", "state", "purpose"]
)
def test_what_a_list_does_not_have_is_refused_in_words(office: Office, asked: Wanted) -> None:
    with pytest.raises(InputError, match="Choose"):
        papers_of(office, asked)


def test_what_is_asked_for_is_all_that_the_address_says() -> None:
    assert Wanted().asked() == {}
    asked = Wanted(purpose="live", page=3).sorted_by("name")
    assert asked.asked() == {"purpose": "live", "sort": "name", "upwards": True}
    assert asked.sorted_by("name").asked() == {"purpose": "live", "sort": "name"}
    assert not Wanted(sort="name", page=2).narrows
    assert Wanted(text="x").narrows


@pytest.mark.parametrize(
    ("purpose", "state"), [(purpose, state) for purpose in Purpose for state in states_of(purpose)]
)
def test_a_paper_of_every_state_is_found_where_its_work_is(
    office: Office, purpose: Purpose, state: DocumentState
) -> None:
    """In the list of all papers, by its state; and in the one place where somebody works on it or takes it away."""
    document = office.bring(slips(1)[0], purpose.value)
    typed = state not in (DocumentState.UNPLACED, DocumentState.TO_CUT, DocumentState.UNPACKED)
    assert typed or state in WITHOUT_TYPE
    reason = "why" if state is DocumentState.SET_ASIDE else None
    put(office, document, state=state, type_id=office.type_id if typed else None, pieces=[], reason=reason)
    if state is DocumentState.HELD:
        with office.store.session() as session:
            field = session.query(Field.id).filter_by(type_id=office.type_id).first()
            assert field is not None
            session.add(Hold(document_id=document, field_id=field[0], reason="missing", detail=""))
    assert [row.id for row in papers_of(office, Wanted(state=state, untyped=not typed)).rows] == [document]

    store, kind = office.store, office.type_id
    places = {
        "bundles": {row["id"] for row in bundles.open_bundles(store, 1)},
        "unplaced": {row.id for row in place.unplaced(store, 1)},
        "label": {first_to_label(store, kind, office.analyst.id)[0]} - {None},
        "review": {row.id for row in queue.queue(store, office.reviewer, kind).rows},
        "deliver": {row.document for row in results.results(store, kind).rows},
    }
    work = {
        DocumentState.TO_CUT: "bundles",
        DocumentState.UNPLACED: "unplaced",
        DocumentState.TO_LABEL: "label",
        DocumentState.IN_PROGRESS: "label",
        DocumentState.HELD: "review",
        DocumentState.PASSED: "deliver",
        DocumentState.SETTLED: "deliver",
        DocumentState.DELIVERED: "deliver",
        DocumentState.CORRECTED: "deliver",
    }.get(state)
    assert [name for name, found in places.items() if document in found] == ([work] if work else [])
