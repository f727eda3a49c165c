"""Bundles, sorting by type, batches."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from tests import papers
from tests.office import Office
from tests.papers import slip_pdf, slips, words_pdf

from jugum.core.formats import classifier_file
from jugum.core.formats.separator import separator_sheet
from jugum.errors import Conflict, InputError, NotFound
from jugum.flow.gather import batches, bundles, classification, documents, place
from jugum.flow.gather.bundles import PieceView
from jugum.flow.gather.classifiers import LoadedClassifiers
from jugum.flow.gather.documents import Intake
from jugum.flow.gather.pages import pages_of
from jugum.flow.gather.read_again import ReadAgain, read_again
from jugum.flow.office import types as types_

Run = Callable[[], None]


def bundle(office: Office, data: bytes, how: str, *, typed: bool = True) -> int:
    type_id = office.type_id if typed else None
    intake = Intake(cut=how)
    return documents.receive(
        office.store, office.analyst, type_id, "post.pdf", data, purpose="sample", intake=intake
    ).document_id


def pieces_of(office: Office, document: int) -> list[list[int]]:
    return [piece.pages for piece in bundles.bundle_view(office.store, document).pieces if not piece.aside]


def two_slips() -> tuple[bytes, bytes]:
    one, two = slips(2)
    return slip_pdf(one), slip_pdf(two, 1)


# ---- Cutting ---------------------------------------------------------------------------------------------------------


def test_separator_sheets_and_their_blank_backs_part_papers_and_are_left_out(office: Office, run_jobs: Run) -> None:
    one, two = two_slips()
    document = bundle(office, papers.joined(one, separator_sheet(), None, two, two), "separators")
    run_jobs()
    assert pieces_of(office, document) == [[1], [4, 5]]
    children = bundles.bundle_view(office.store, document).papers
    assert [documents.document_view(office.store, child).page_count for child in children] == [1, 2]
    assert all(documents.document_view(office.store, child).state == "to label" for child in children)
    assert documents.document_view(office.store, document).state == "unpacked"


@pytest.mark.parametrize(("how", "expected"), [("blanks", [[1], [3, 4]]), ("every:2", [[1, 2], [3, 4]])])
def test_blank_pages_and_fixed_counts_part_papers(
    office: Office, run_jobs: Run, how: str, expected: list[list[int]]
) -> None:
    one, two = two_slips()
    document = bundle(office, papers.joined(one, None, two, two), how)
    run_jobs()
    assert pieces_of(office, document) == expected


def test_without_anything_learned_a_bundle_waits_on_the_light_table(office: Office, run_jobs: Run) -> None:
    document = bundle(office, papers.joined(*two_slips()), "learned")
    run_jobs()
    assert documents.document_view(office.store, document).state == "to cut"
    assert pieces_of(office, document) == [[1, 2]]
    assert bundles.open_bundles(office.store, 1)[0]["id"] == document


def test_cuts_are_kept_made_and_undone(office: Office, run_jobs: Run) -> None:
    document = bundle(office, papers.joined(*two_slips(), None), "learned")
    run_jobs()
    revision = bundles.bundle_view(office.store, document).revision
    layout = [PieceView([2], office.type_id), PieceView([1], office.type_id), PieceView([3], aside=True)]
    revision = bundles.save_pieces(office.store, office.analyst, document, layout, revision)
    assert pieces_of(office, document) == [[2], [1]]
    with pytest.raises(Conflict, match="Somebody else"):
        bundles.save_pieces(office.store, office.analyst, document, layout, revision - 1)
    made = bundles.cut(office.store, office.analyst, document, layout, revision)
    run_jobs()
    with office.store.session() as session:
        texts = [pages_of(session, child)[0].words[0].text for child in made]
    assert texts == ["Berth", "Harbour"]  # the second page came first
    assert (
        documents.original(office.store, office.analyst, made[0])[1]
        == documents.original(office.store, office.analyst, document)[1]
    )
    bundles.join_again(office.store, office.analyst, document)
    assert documents.document_view(office.store, document).state == "to cut"
    assert pieces_of(office, document) == [[2], [1]]


def test_a_cut_stays_once_somebody_has_worked_on_its_papers(office: Office, run_jobs: Run) -> None:
    document = bundle(office, papers.joined(*two_slips()), "every:1")
    run_jobs()
    child = bundles.bundle_view(office.store, document).papers[0]
    office.label_whole(child, slips(1)[0])
    with pytest.raises(Conflict, match="in progress already"):
        bundles.join_again(office.store, office.analyst, document)


def test_a_layout_left_on_the_light_table_survives_setting_aside_and_taking_back(office: Office, run_jobs: Run) -> None:
    document = bundle(office, papers.joined(*two_slips()), "learned")
    run_jobs()
    layout = [PieceView([1], office.type_id), PieceView([2], office.type_id)]
    bundles.save_pieces(
        office.store, office.analyst, document, layout, bundles.bundle_view(office.store, document).revision
    )
    documents.set_aside(office.store, office.analyst, document, "wrong office")
    documents.return_document(office.store, office.analyst, document)
    run_jobs()
    assert documents.document_view(office.store, document).state == "to cut"
    assert pieces_of(office, document) == [[1], [2]]


def test_a_bundle_that_was_cut_is_not_set_aside_but_joined(office: Office, run_jobs: Run) -> None:
    document = bundle(office, papers.joined(*two_slips()), "every:1")
    run_jobs()
    with pytest.raises(Conflict, match="divided into papers"):
        documents.set_aside(office.store, office.analyst, document, "wrong office")


def test_a_type_of_another_workspace_is_no_type_of_a_piece(office: Office, run_jobs: Run) -> None:
    document = bundle(office, papers.joined(*two_slips()), "learned")
    run_jobs()
    other = types_.add_type(
        office.store, office.analyst, types_.add_workspace(office.store, office.analyst, "Elsewhere"), "Note"
    )
    for type_id in (other, 999):
        layout = [PieceView([1, 2], type_id)]
        with pytest.raises(InputError, match="does not have"):
            bundles.cut(
                office.store, office.analyst, document, layout, bundles.bundle_view(office.store, document).revision
            )


@pytest.mark.parametrize(
    ("layout", "said"),
    [
        ([PieceView([1])], "Each of the 2 pages"),
        ([PieceView([1, 2]), PieceView([2])], "Each of the 2 pages"),
        ([PieceView([1, 2], aside=True)], "All pages are set aside"),
        ([PieceView([1, 2]), PieceView([])], "at least one page"),
    ],
)
def test_cuts_that_make_no_sense_are_refused(office: Office, run_jobs: Run, layout: list[PieceView], said: str) -> None:
    document = bundle(office, papers.joined(*two_slips()), "learned")
    run_jobs()
    with pytest.raises(InputError, match=said):
        bundles.cut(
            office.store, office.analyst, document, layout, bundles.bundle_view(office.store, document).revision
        )
    with pytest.raises(InputError, match="not a way to cut"):
        bundles.check_method("every:0")


# ---- Types -----------------------------------------------------------------------------------------------------------


def unknown(office: Office, name: str, data: bytes, how: str = "none") -> int:
    intake = Intake(workspace_id=1, cut=how)
    return documents.receive(
        office.store, office.analyst, None, name, data, purpose="sample", intake=intake
    ).document_id


def test_papers_without_a_type_are_placed_where_they_belong_and_strangers_wait(
    office: Office, two_types: int, run_jobs: Run
) -> None:
    slip = unknown(office, "x.pdf", slip_pdf(slips(1, 40)[0]))
    crew = unknown(
        office,
        "y.pdf",
        words_pdf(
            "Crew list of the vessel Sildra",
            "Skipper Tor Vik",
            "Mate and deck hands on board",
            "Voyage 77",
            "Signed on in the home port",
        ),
    )
    strange = unknown(
        office,
        "z.pdf",
        words_pdf(
            "Barley soup for winter evenings", "Two onions, a litre of stock", "Cook slowly and stir, then taste"
        ),
    )
    run_jobs()
    assert documents.document_view(office.store, slip).type_id == office.type_id
    assert documents.document_view(office.store, crew).type_id == two_types
    waiting = place.unplaced(office.store, 1)
    assert [paper.id for paper in waiting] == [strange]
    assert [likely.name for likely in waiting[0].likely]


def test_placing_a_paper_teaches_and_none_of_these_is_kept(office: Office, two_types: int, run_jobs: Run) -> None:
    soup = ("Barley soup for winter evenings", "Two onions, a litre of stock", "Cook slowly and stir, then taste")
    first = unknown(office, "soup.pdf", words_pdf(*soup))
    run_jobs()
    recipes = types_.add_type(office.store, office.analyst, 1, "Recipe")
    place.place(office.store, office.analyst, first, recipes)
    for number in range(2):
        place.place(
            office.store, office.analyst, _read(office, run_jobs, words_pdf(*soup, f"Serves {number + 2}")), recipes
        )
    run_jobs()
    another = unknown(office, "more-soup.pdf", words_pdf(*soup, "Serves nine"))
    run_jobs()
    assert documents.document_view(office.store, another).type_id == recipes
    odd = _read(
        office,
        run_jobs,
        words_pdf("Ferry timetable for the winter months", "Quay Monday Saturday Sunday", "08:15 09:20"),
    )
    place.place(office.store, office.analyst, odd, None)
    run_jobs()
    assert [(paper.id, paper.none_of_these) for paper in place.unplaced(office.store, 1)] == [(odd, True)]
    documents.set_aside(office.store, office.analyst, odd, "not ours")
    documents.return_document(office.store, office.analyst, odd)
    run_jobs()
    assert [(paper.id, paper.none_of_these) for paper in place.unplaced(office.store, 1)] == [(odd, True)]


def _read(office: Office, run_jobs: Run, data: bytes) -> int:
    document = unknown(office, "odd.pdf", data)
    run_jobs()
    return document


def test_the_overview_says_what_waits_for_a_place(office: Office, two_types: int, run_jobs: Run) -> None:
    from jugum.flow.overview import overview

    unknown(
        office, "z.pdf", words_pdf("Barley soup for winter evenings", "Two onions, a litre of stock", "Cook slowly")
    )
    run_jobs()
    said = [
        (step.step.step, step.step.reason)
        for step in overview.urgent_steps(office.store, overview.overview(office.store))
    ]
    assert said[0] == ("gather", "1 paper has no clear type")
    assert len(said) <= 3
    with office.store.session() as session:
        session.execute(
            documents.update(documents.Document).values(state="unplaced", type_id=None, placed_by="program")
        )
    said = [
        (step.step.step, step.step.reason)
        for step in overview.urgent_steps(office.store, overview.overview(office.store))
    ]
    assert ("gather", "11 papers have no clear type") in said


def test_a_labelled_paper_keeps_its_type(office: Office, two_types: int) -> None:
    with office.store.session() as session:
        document = (
            session.execute(
                documents.select(documents.Document.id)
                .where(documents.Document.type_id == office.type_id)
                .order_by(documents.Document.id)
            )
            .scalars()
            .first()
        )
    assert document is not None
    office.label_whole(document, slips(1)[0])
    with pytest.raises(Conflict, match="labels"):
        place.place(office.store, office.analyst, document, two_types)


def test_a_learned_cut_parts_a_bundle_by_what_was_learned(office: Office, two_types: int, run_jobs: Run) -> None:
    crew = [
        words_pdf(
            "Crew list of the vessel Sildra",
            "Skipper Tor Vik",
            "Mate and deck hands on board",
            "Voyage 77",
            "Signed on in the home port",
        ),
        words_pdf("continued: deck hands", "page 2"),
    ]
    whole = documents.receive(
        office.store, office.analyst, two_types, "two-pages.pdf", papers.joined(*crew), purpose="sample"
    )
    run_jobs()
    assert documents.document_view(office.store, whole.document_id).page_count == 2
    place.learn(office.store, 1)
    document = unknown(
        office, "post.pdf", papers.joined(slip_pdf(slips(1, 33)[0]), crew[0], slip_pdf(slips(1, 34)[0])), "learned"
    )
    run_jobs()
    assert pieces_of(office, document) == [[1], [2], [3]]


def test_learning_says_how_well_bundles_of_unseen_papers_are_cut(office: Office, two_types: int, run_jobs: Run) -> None:
    assert (
        classification.sorting_view(office.store, LoadedClassifiers(), two_types).cutting == []
    )  # pages stand alone: nothing to cut
    for number in range(4):
        pages = [
            words_pdf("Crew list of the vessel Sildra", f"Skipper {number}", "Voyage"),
            words_pdf("continued: deck hands", "page 2"),
        ]
        documents.receive(
            office.store, office.analyst, two_types, f"long-{number}.pdf", papers.joined(*pages), purpose="sample"
        )
    run_jobs()
    place.learn(office.store, 1)
    classifiers = LoadedClassifiers()
    view = classification.sorting_view(office.store, classifiers, two_types)
    assert [figures.layouts for figures in view.cutting][:1] == ["known"]
    seen = view.cutting[0]
    assert seen.papers == 14
    assert seen.starts == 14 - seen.bundles
    assert seen.f1_interval[0] <= seen.f1 <= seen.f1_interval[1]
    tables = {table.key: table for table in classification.sorting_tables(view)}
    assert tables["bundles"].rows[0][0] == "known"
    assert sum(row[1] for row in tables["types"].rows if isinstance(row[1], int)) > 0
    place.learn(office.store, 1)
    assert (
        classification.sorting_view(office.store, classifiers, two_types).cutting == view.cutting
    )  # the next classifier has them at once
    place.judge_cutting(office.store, 1)
    again = classification.sorting_view(office.store, classifiers, two_types).cutting
    assert again == view.cutting  # the same papers, the same figures


# ---- Batches ---------------------------------------------------------------------------------------------------------


def test_a_paused_batch_waits_goes_on_and_tells_its_steps(office: Office, run_jobs: Run) -> None:
    batch = batches.add(office.store, office.analyst, 1, "Letters", "from Monday", 1)
    intake = Intake(batch_id=batch)
    documents.receive(
        office.store, office.analyst, office.type_id, "a.pdf", papers.many_pages(3), purpose="sample", intake=intake
    )
    batches.pause(office.store, office.analyst, batch)
    run_jobs()
    view = batches.batch_view(office.store, batch)
    assert (view.paused, view.pages_read, view.steps["being read"]) == (True, 0, 1)
    batches.resume(office.store, office.analyst, batch)
    batches.set_priority(office.store, office.analyst, batch, -1)
    run_jobs()
    view = batches.batch_view(office.store, batch)
    assert (view.papers, view.pages, view.pages_read, view.steps["read"]) == (1, 3, 3, 1)


def test_a_batch_of_another_workspace_takes_no_paper(office: Office) -> None:
    other = batches.add(
        office.store, office.analyst, types_.add_workspace(office.store, office.analyst, "Elsewhere"), "Post"
    )
    for batch in (other, 999):
        with pytest.raises(NotFound, match="no batch"):
            documents.receive(
                office.store,
                office.analyst,
                office.type_id,
                "a.pdf",
                b"x",
                purpose="sample",
                intake=Intake(batch_id=batch),
            )


def test_a_read_paper_of_a_paused_batch_is_read_again_when_a_person_asks(office: Office, run_jobs: Run) -> None:
    batch = batches.add(office.store, office.analyst, 1, "Letters")
    got = documents.receive(
        office.store,
        office.analyst,
        office.type_id,
        "a.pdf",
        slip_pdf(slips(1)[0]),
        purpose="sample",
        intake=Intake(batch_id=batch),
    )
    run_jobs()
    batches.pause(office.store, office.analyst, batch)
    read_again(office.store, office.analyst, got.document_id, None, ReadAgain(turn=180))
    run_jobs()
    assert documents.document_view(office.store, got.document_id).pages_read == 1


def test_removing_a_batch_keeps_what_somebody_worked_on(office: Office, run_jobs: Run) -> None:
    batch = batches.add(office.store, office.analyst, 1, "Letters")
    kept = documents.receive(
        office.store,
        office.analyst,
        office.type_id,
        "a.pdf",
        slip_pdf(slips(1)[0]),
        purpose="sample",
        intake=Intake(batch_id=batch),
    )
    documents.receive(
        office.store,
        office.analyst,
        office.type_id,
        "b.pdf",
        slip_pdf(slips(2)[1]),
        purpose="sample",
        intake=Intake(batch_id=batch),
    )
    run_jobs()
    office.label_whole(kept.document_id, slips(1)[0])
    assert batches.remove(office.store, office.analyst, batch) == (1, 1)
    assert [view.name for view in documents.documents(office.store, office.type_id)] == ["a.pdf"]
    with pytest.raises(InputError, match="name"):
        batches.add(office.store, office.analyst, 1, "  ")


def test_what_an_older_program_learned_is_learned_anew(
    office: Office, two_types: int, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    with monkeypatch.context() as older:
        older.setattr(classifier_file, "FORMAT", classifier_file.FORMAT - 1)
        number = place.learn(office.store, 1)
    classifiers = LoadedClassifiers()
    assert classifiers.newest(office.store, 1) is None
    run_jobs()
    newest = classifiers.newest(office.store, 1)
    assert newest is not None
    assert number is not None
    assert newest.number == number + 1
