"""Weighing how papers are placed and bundles split: evidence, policies in force, trying them, what became of papers."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from sqlalchemy import select, update
from tests import papers
from tests.office import Office
from tests.papers import slip_pdf, slips, words_pdf

from jugum.core.states import SortingSubject
from jugum.core.thresholds import FieldRules
from jugum.core.thresholds.sorting import BUNDLES
from jugum.errors import Forbidden, InputError, NotFound
from jugum.flow.gather import bundles, classification, documents, place
from jugum.flow.gather.classifiers import SPLIT_LEAST, LoadedClassifiers
from jugum.flow.gather.documents import Intake
from jugum.flow.office import types as types_
from jugum.flow.weigh.dial import DialSettings
from jugum.flow.weigh.sorting import sorting_place
from jugum.flow.weigh.sorting_lately import sorted_lately, sorting_trial
from jugum.flow.weigh.sorting_policies import go_back_sorting, save_sorting_policy, sorting_policies
from jugum.flow.weigh.sorting_view import SortingView, sorting_frontier, weigh_sorting
from jugum.store.models import Audit, Document

Run = Callable[[], None]
TYPES, BUNDLED = SortingSubject.TYPES, SortingSubject.BUNDLES
SOUP = ("Barley soup for winter evenings", "Two onions, a litre of stock", "Cook slowly and stir, then taste")


def view(office: Office, subject: SortingSubject = TYPES) -> SortingView:
    return weigh_sorting(office.store, LoadedClassifiers(), office.workspace_id, subject)


def publish(
    office: Office, thresholds: dict[str, float], subject: SortingSubject = TYPES, held: tuple[str, ...] = ()
) -> int:
    return save_sorting_policy(
        office.store,
        LoadedClassifiers(),
        office.analyst,
        office.workspace_id,
        subject,
        thresholds,
        "for a test",
        always_held=held,
    )


def came(office: Office, data: bytes, cut: str = "none") -> int:
    intake = Intake(workspace_id=office.workspace_id, cut=cut)
    return documents.receive(
        office.store, office.analyst, None, "came.pdf", data, purpose="live", intake=intake
    ).document_id


def slip(number: int = 40) -> bytes:
    return slip_pdf(slips(1, number)[0])


def type_of(office: Office, document: int) -> int | None:
    return documents.document_view(office.store, document).type_id


def test_papers_that_were_not_seen_are_the_evidence_of_each_type(office: Office, two_types: int) -> None:
    found = view(office)
    assert [field.name for field in found.fields] == ["Crew list", "Mooring slip"]
    assert found.policy is None
    assert found.judged == sum(len(field.points) for field in found.fields)
    right = [point for field in found.fields for point in field.points if point.right]
    assert len(right) >= 10
    assert all(0 < point.confidence <= 0.995 for point in right)
    strangers = [point for field in found.fields for point in field.points if "left out" in point.expected]
    assert len(strangers) >= 10
    where = sorting_place(office.store, office.workspace_id, right[0].document)
    assert (where.page, where.box) == (1, [0.0, 0.0, 1.0, 0.4])
    now = found.frontier.now
    assert now is not None  # what the program does without a policy
    assert now.point.outcome.passing_share > 0.5
    assert found.frontier.effort.measured_on == 0
    with pytest.raises(NotFound):
        sorting_place(office.store, office.workspace_id, 999)


def test_a_policy_of_types_is_in_force_at_once(office: Office, two_types: int, run_jobs: Run) -> None:
    slips_key, crew_key = str(office.type_id), str(two_types)
    assert publish(office, {slips_key: 1.0, crew_key: 0.0}) == 1
    held = came(office, slip())
    run_jobs()
    assert type_of(office, held) is None
    assert sorted_lately(office.store, 1, TYPES).waiting == 1
    tried = sorting_trial(office.store, 1, TYPES, {slips_key: 0.5, crew_key: 0.0})
    assert (tried.papers, tried.passing_now, tried.passing_then, tried.would_pass) == (1, 0, 1, 1)
    assert (tried.changes[0].value, tried.changes[0].corrected) == ("Mooring slip", None)
    assert publish(office, {slips_key: 0.5, crew_key: 0.0}) == 2
    run_jobs()
    assert type_of(office, held) == office.type_id  # what waited was judged again
    lately = sorted_lately(office.store, 1, TYPES)
    assert (lately.by_program, lately.changed, lately.waiting) == (1, 0, 0)
    assert publish(office, {slips_key: 0.5, crew_key: 0.0}, held=(slips_key,)) == 3
    classification.set_phrases(office.store, office.analyst, office.type_id, ["berth"], [])
    another = came(office, slip(41))
    run_jobs()
    assert type_of(office, another) is None  # nor do phrases give a type that only a person does
    classification.set_phrases(office.store, office.analyst, office.type_id, [], [])
    assert next(field for field in view(office).fields if field.key == slips_key).threshold is None
    assert go_back_sorting(office.store, LoadedClassifiers(), office.analyst, 1, TYPES, 2) == 4
    run_jobs()
    assert type_of(office, another) == office.type_id
    listed = sorting_policies(office.store, 1, TYPES)
    assert [policy.number for policy in listed] == [4, 3, 2, 1]
    assert listed[0].note == "Back to policy 2"
    assert listed[0].outcome["frontier"]
    with office.store.session() as session:
        assert len(session.scalars(select(Audit).where(Audit.action == "save sorting policy")).all()) == 4


def test_what_people_change_is_told(office: Office, two_types: int, run_jobs: Run) -> None:
    waiting = came(office, words_pdf(*SOUP))
    document = came(office, slip())
    run_jobs()
    assert type_of(office, document) == office.type_id
    assert sorted_lately(office.store, 1, TYPES).waiting == 1
    place.place(office.store, office.analyst, waiting, None)
    lately = sorted_lately(office.store, 1, TYPES)
    assert (lately.by_person, lately.as_proposed, lately.waiting) == (1, 0, 0)
    place.place(office.store, office.analyst, document, two_types)
    lately = sorted_lately(office.store, 1, TYPES)
    assert (lately.by_program, lately.changed, lately.by_person) == (1, 1, 1)
    keys = (str(office.type_id), str(two_types))
    found = sorting_trial(office.store, 1, TYPES, dict.fromkeys(keys, 0.0))
    wrongly = next(change for change in found.changes if change.document_id == waiting)
    assert (wrongly.corrected, wrongly.corrected_to, wrongly.would_pass) == (True, "no type", True)
    assert (found.checked, found.wrong) == (1, 1)
    strict = sorting_trial(office.store, 1, TYPES, dict.fromkeys(keys, 1.0))
    assert (strict.would_pass, strict.would_wait) == (0, 1)
    assert strict.minutes_then > strict.minutes_now


def test_a_type_that_came_later_is_placed_as_the_program_does(office: Office, two_types: int, run_jobs: Run) -> None:
    publish(office, {str(office.type_id): 1.0, str(two_types): 1.0})
    recipes = types_.add_type(office.store, office.analyst, 1, "Recipe")
    for number in range(3):
        data = words_pdf(*SOUP, f"Serves {number + 2}")
        documents.receive(office.store, office.analyst, recipes, f"soup-{number}.pdf", data, purpose="sample")
    run_jobs()
    soup = came(office, words_pdf(*SOUP, "Serves nine"))
    run_jobs()
    assert type_of(office, soup) == recipes
    with pytest.raises(InputError, match="A threshold is missing for Recipe"):
        publish(office, {str(office.type_id): 1.0, str(two_types): 1.0})
    publish(office, {str(office.type_id): 0.9, str(two_types): 0.9, str(recipes): 0.9})
    with office.store.session() as session:  # as of a type that is not this person's to see
        session.execute(update(Document).where(Document.type_id == recipes).values(state="set aside", reason="gone"))
    place.learn(office.store, 1)
    publish(office, {str(office.type_id): 0.8, str(two_types): 0.8})
    assert sorting_policies(office.store, 1, TYPES)[0].thresholds[str(recipes)] == 0.9


def test_what_can_t_be_meant_is_refused(office: Office, two_types: int) -> None:
    keys = (str(office.type_id), str(two_types))
    with pytest.raises(InputError, match="must be between 0 and 1"):
        publish(office, dict.fromkeys(keys, 1.5))
    with pytest.raises(InputError, match="key “77”"):
        publish(office, {**dict.fromkeys(keys, 0.9), "77": 0.9})
    with pytest.raises(InputError, match="key “77”"):
        publish(office, dict.fromkeys(keys, 0.9), held=("77",))
    with pytest.raises(NotFound, match="no policy 9"):
        go_back_sorting(office.store, LoadedClassifiers(), office.analyst, 1, TYPES, 9)
    with pytest.raises(Forbidden):
        save_sorting_policy(office.store, LoadedClassifiers(), office.reviewer, 1, TYPES, dict.fromkeys(keys, 0.9))
    with pytest.raises(NotFound):
        weigh_sorting(office.store, LoadedClassifiers(), 99, TYPES)
    settings = DialSettings(error_most=0.9)
    with pytest.raises(InputError, match="maximum error rate"):
        sorting_frontier(office.store, LoadedClassifiers(), 1, TYPES, settings)


def test_the_dial_of_types_is_set_like_that_of_fields(office: Office, two_types: int) -> None:
    rules = FieldRules({}, {str(two_types): 0.7}, frozenset({str(office.type_id), "77"}))  # 77 was removed since
    found = sorting_frontier(office.store, LoadedClassifiers(), 1, TYPES, DialSettings(rules=rules))
    assert all(point.point.thresholds[str(two_types)] == 0.7 for point in found.points)
    assert found.points[-1].point.outcome.passing_share < 0.6


def test_without_types_or_bundles_there_is_nothing_to_weigh(office: Office) -> None:
    for subject in SortingSubject:
        with pytest.raises(InputError, match="No types have been learned yet"):
            view(office, subject)


# ---- Bundles ---------------------------------------------------------------------------------------------------------


def crew(number: int) -> bytes:
    first = ("Crew list of the vessel Sildra", f"Skipper {number}", "Mate and deck hands on board", "Voyage")
    return papers.joined(words_pdf(*first), words_pdf("continued: deck hands", f"page 2, voyage {number}"))


@pytest.fixture
def cutting(office: Office, two_types: int, run_jobs: Run) -> int:
    """Papers of two pages, too, so that cutting is learned and judged."""
    for number in range(12):
        documents.receive(office.store, office.analyst, two_types, f"long-{number}.pdf", crew(number), purpose="sample")
    run_jobs()
    place.learn(office.store, 1)
    place.judge_cutting(office.store, 1)
    return two_types


def test_a_policy_of_bundles_says_from_which_chance_on_they_are_split(
    office: Office, cutting: int, run_jobs: Run
) -> None:
    found = view(office, BUNDLED)
    assert [field.key for field in found.fields] == [BUNDLES]
    assert found.fields[0].threshold == SPLIT_LEAST
    assert found.judged == len(found.fields[0].points) >= 2
    publish(office, {BUNDLES: 1.0}, BUNDLED)
    post = papers.joined(slip(33), crew(77), slip(34))
    held = came(office, post, "learned")
    run_jobs()
    shown = bundles.bundle_view(office.store, held)
    assert (shown.state, shown.sure_least) == ("to cut", 1.0)
    tried = sorting_trial(office.store, 1, BUNDLED, {BUNDLES: 0.0})
    assert (tried.would_pass, tried.changes[0].value) == (1, "3 papers: pages 1, 2–3, 4")
    publish(office, {BUNDLES: 0.0}, BUNDLED)
    done = came(office, papers.joined(slip(35), crew(78), slip(36)), "learned")
    run_jobs()
    assert bundles.bundle_view(office.store, done).state == "unpacked"
    lately = sorted_lately(office.store, 1, BUNDLED)
    assert (lately.by_program, lately.changed, lately.waiting) == (1, 0, 1)
    publish(office, {BUNDLES: 0.5}, BUNDLED, (BUNDLES,))
    assert bundles.bundle_view(office.store, held).sure_least == 1.0  # for always a person, too
    pieces = [piece for piece in shown.pieces if not piece.aside]
    bundles.cut(office.store, office.analyst, held, pieces, shown.revision)
    lately = sorted_lately(office.store, 1, BUNDLED)
    assert (lately.by_person, lately.as_proposed, lately.waiting) == (1, 1, 0)
    bundles.join_again(office.store, office.analyst, done)
    assert sorted_lately(office.store, 1, BUNDLED).changed == 1


def test_bundles_that_were_not_judged_yet_say_so(office: Office, two_types: int) -> None:
    with pytest.raises(InputError, match="four papers, one of several pages"):
        view(office, BUNDLED)
