"""Types of papers, "none of these", and where papers begin in a bundle."""

from __future__ import annotations

import random
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from jugum.core.classification import (
    LEFT_OUT,
    OTHER,
    SEPARATOR,
    Placed,
    TypeSample,
    cut_by_blanks,
    cut_by_count,
    cut_by_separators,
    fit_cutter,
    fit_type_classifier,
    is_blank,
    is_separator,
)
from jugum.core.classification.bundles import _best_cut, _most_alike, _page_number
from jugum.core.classification.layout_book import linked
from jugum.core.classification.phrases import Phrases, heard, placed_by
from jugum.core.classification.types import general_papers
from jugum.core.classification.wording import Bags, Wording, look_of, terms_of
from jugum.core.evaluation.cutting import cut_figures
from jugum.core.formats.classifier_file import pack_classifier, unpack_classifier
from jugum.core.page import Box, Page, Word, WordKind
from jugum.errors import InputError, NothingToLearn

STOCK = {
    1: "berth fee harbour receipt paid member quay deposit total season mooring slip ledger".split(),
    2: "crew list vessel skipper mate deck hands voyage signed home port muster roll".split(),
    3: "catch landed cod haddock weight kilos buyer auction crate ice price".split(),
}
STRANGE = "barley soup onions stock simmer taste bread supper kitchen spoon garlic oven".split()


def page(words: list[str], *more: str, number: int = 1) -> Page:
    """A page with words in rows of five; `more` stands at its foot."""
    placed = [
        Word(text, Box(0.1 + 0.15 * (n % 5), 0.1 + 0.03 * (n // 5), 0.2 + 0.15 * (n % 5), 0.115 + 0.03 * (n // 5)))
        for n, text in enumerate(words)
    ]
    placed += [
        Word(text, Box(0.4 + 0.05 * n, 0.95, 0.44 + 0.05 * n, 0.96)) for n, text in enumerate(" ".join(more).split())
    ]
    return Page(number, 595, 842, tuple(placed))


def paper(kind: int, rng: random.Random, pages: int = 1) -> tuple[Page, ...]:
    """Pages of a kind: the first with its title, all with "page n of m" and the paper's own number."""
    own = f"{kind}{rng.randrange(10000, 99999)}"
    made = []
    for number in range(1, pages + 1):
        words = [*rng.choices(STOCK[kind], k=25), own]
        made.append(
            page([*STOCK[kind][:3], *words] if number == 1 else words, f"page {number} of {pages}", number=number)
        )
    return tuple(made)


def samples(each: int = 6) -> list[TypeSample]:
    rng = random.Random(3)
    return [TypeSample(paper(kind, rng, 1 + n % 2), kind, n % 3) for kind in STOCK for n in range(each)]


def test_new_papers_are_placed_and_strangers_are_refused() -> None:
    classifier, rng = fit_type_classifier(samples()), random.Random(8)
    for kind in STOCK:
        placed = classifier.place(paper(kind, rng))
        assert placed.accepted
        assert placed.likely[0][0] == kind
        assert sum(chance for _, chance in placed.likely) == pytest.approx(1)
    assert not classifier.place((page(rng.choices(STRANGE, k=30)),)).accepted
    assert not classifier.place((page([]),)).accepted


def in_two_wordings(kind: int, number: int, rng: random.Random) -> TypeSample:
    """A paper of a kind that is laid out in two ways: half of its words are said in both."""
    way = number % 2
    words = [*STOCK[kind][:4], *STOCK[kind][4 + 3 * way : 7 + 3 * way]]
    slack = "the of and with your this paper is for date number name".split()
    return TypeSample((page([*words, *rng.choices(words, k=12), *rng.choices(slack, k=12)]),), kind, way)


def test_a_layout_never_shown_is_placed_by_what_it_has_in_common_with_others_of_its_type() -> None:
    rng = random.Random(6)
    shown = [in_two_wordings(kind, number, rng) for kind in STOCK for number in range(12)]
    classifier = fit_type_classifier(shown)
    third = [
        page([*STOCK[kind][:4] * 3, *"please call us about this paper of the date above".split()]) for kind in STOCK
    ]
    assert [classifier.place((one,)).likely[0][0] for one in third] == list(STOCK)
    assert all(classifier.place((one,)).accepted for one in third)
    slack = page("the of and with your this paper is for date number name please call us about it".split() * 2)
    assert not classifier.place((slack,)).accepted


def test_types_are_told_from_general_papers_which_are_of_none() -> None:
    general = general_papers()
    assert len(general) >= 50
    assert all(np.linalg.norm(look) == pytest.approx(1, abs=0.01) for _, look in general)
    alone = fit_type_classifier([one for one in samples() if one.type_id == 1])
    assert alone.types.tolist() == [1]
    assert alone.place(paper(1, random.Random(2))).accepted
    assert not alone.place((page(STRANGE),)).accepted
    said = [terms_of(page(["the", "total", word])) for word in STRANGE]
    wording, vectors = Bags.of(said).telling(range(len(said)), 1)
    assert np.allclose(vectors.toarray(), wording.vectors(said).toarray())
    assert wording.idf[wording.places["the"]] < 0.1 < wording.idf[wording.places["barley"]]


def test_papers_of_no_type_teach_what_to_refuse() -> None:
    rng = random.Random(4)
    mixed = [*STRANGE[:4], *STOCK[1][:3]]
    others = [TypeSample((page(rng.choices(mixed, k=30)),), OTHER) for _ in range(5)]
    classifier = fit_type_classifier([*samples(), *others])
    assert OTHER not in classifier.types
    assert not classifier.place((page(rng.choices(mixed, k=30)),)).accepted


def test_one_paper_of_each_type_is_too_few() -> None:
    with pytest.raises(NothingToLearn, match="two papers"):
        fit_type_classifier(samples(1))


def test_the_same_papers_give_the_same_classifier_and_it_survives_its_file() -> None:
    first, again = fit_type_classifier(samples()), fit_type_classifier(samples())
    assert np.array_equal(first.weights, again.weights)
    cutter = fit_cutter([sample.pages for sample in samples()], first)
    classifier, kept = unpack_classifier(pack_classifier(first, cutter))
    probe = paper(2, random.Random(9), 3)
    assert classifier.place(probe).likely[0][0] == first.place(probe).likely[0][0]
    assert classifier.place(probe).confidence == pytest.approx(first.place(probe).confidence, abs=1e-3)
    assert kept is not None
    assert kept.boundaries(probe, classifier) == pytest.approx(cutter.boundaries(probe, first), abs=1e-3)
    with pytest.raises(InputError, match="not a classifier file"):
        unpack_classifier(b"nothing of the kind")


def test_a_bundle_of_papers_of_several_pages_is_cut_where_they_begin() -> None:
    known = samples(8)
    classifier = fit_type_classifier(known)
    cutter, rng = fit_cutter([sample.pages for sample in known], classifier), random.Random(12)
    bundle = [*paper(1, rng, 2), *paper(2, rng, 3), *paper(2, rng, 1), *paper(3, rng, 2)]
    pieces = cutter.cut(bundle, classifier)
    assert [piece.pages for piece in pieces] == [(0, 1), (2, 3, 4), (5,), (6, 7)]
    assert [piece.type_id for piece in pieces] == [1, 2, 2, 3]
    assert all(0 <= piece.sure <= 1 for piece in pieces)
    assert cutter.cut([], classifier) == []


def test_no_cut_around_a_strange_paper_is_surer_than_that_it_is_none() -> None:
    known = samples(8)
    classifier = fit_type_classifier(known)
    cutter, rng = fit_cutter([sample.pages for sample in known], classifier), random.Random(12)
    strange = page(rng.choices(STRANGE, k=30))
    pieces = cutter.cut([*paper(1, rng, 2), strange, *paper(3, rng, 2)], classifier)
    of_strange = next(piece for piece in pieces if 2 in piece.pages)
    assert of_strange.sure <= classifier.place([strange]).confidence < 0.9
    assert all(piece.sure > 0.9 for piece in cutter.cut([*paper(1, rng, 2), *paper(3, rng, 2)], classifier))


def test_parting_is_learned_from_papers_of_the_same_form_in_a_row_too() -> None:
    known = samples(3)
    first_pages = [terms_of(sample.pages[0]) for sample in known]
    alike = _most_alike(first_pages, Wording.learned(first_pages))
    assert all(number not in nearest for number, nearest in enumerate(alike))
    assert all(known[nearest[0]].type_id == its.type_id for its, nearest in zip(known, alike, strict=True))


def test_a_separator_sheet_parts_also_what_was_learned_to_belong_together_its_blank_back_or_not() -> None:
    known = samples(8)
    classifier = fit_type_classifier(known)
    cutter, rng = fit_cutter([sample.pages for sample in known], classifier), random.Random(12)
    one, two = paper(2, rng, 2)
    sheet = Page(1, 595, 842, (Word(SEPARATOR, Box(0.1, 0.1, 0.3, 0.2), 1.0, False, WordKind.BARCODE),))
    assert [piece.pages for piece in cutter.cut([one, two], classifier)] == [(0, 1)]
    assert [piece.pages for piece in cutter.cut([one, sheet, two], classifier)] == [(0,), (2,)]
    assert [piece.pages for piece in cutter.cut([one, sheet, page([]), two], classifier)] == [(0,), (3,)]
    assert [piece.pages for piece in cutter.cut([one, page([]), two], classifier)] == [(0, 2)]


def test_too_few_papers_to_learn_cutting_from() -> None:
    with pytest.raises(NothingToLearn, match="four papers"):
        fit_cutter([paper(1, random.Random(1))] * 5, None)


def test_separators_blanks_and_counts_part_pages() -> None:
    full = page(["a", "full", "page", "of", "words"])
    blank = page([])
    separator = replace(blank, words=(Word(SEPARATOR, Box(0.1, 0.1, 0.3, 0.2), 1.0, False, WordKind.BARCODE),))
    assert is_separator(separator)
    assert not is_blank(separator)
    pages = [separator, full, full, separator, blank, full]
    assert [piece.pages for piece in cut_by_separators(pages)] == [(1, 2), (5,)]
    assert [piece.pages for piece in cut_by_blanks([blank, full, blank, blank, full])] == [(1,), (4,)]
    assert [piece.pages for piece in cut_by_count(5, 2)] == [(0, 1), (2, 3), (4,)]


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("Page 2 of 3", (2, 3)),
        ("2/3", (2, 3)),
        ("seite 4", (4, None)),
        ("- 7 -", (7, None)),
        ("5 of 3", (None, None)),
        ("of", (None, None)),
    ],
)
def test_page_numbers_are_read_in_several_spellings(text: str, expected: tuple[int | None, int | None]) -> None:
    assert _page_number(text) == expected


def test_the_best_cut_is_the_one_of_greatest_sum() -> None:
    """Against trying all cuts of six pages."""
    rng = np.random.default_rng(5)
    for _ in range(20):
        chances, lengths = rng.uniform(0.05, 0.95, 6), np.log(rng.dirichlet(np.ones(6)))
        types = np.log(rng.dirichlet(np.ones(3), 6))
        best = max(_all_cuts(6), key=lambda starts: _worth(starts, chances, types, lengths))
        assert _best_cut(chances, types, lengths) == best


def _all_cuts(count: int) -> list[list[int]]:
    return [[0, *(n for n in range(1, count) if mask >> (n - 1) & 1)] for mask in range(2 ** (count - 1))]


def _worth(starts: list[int], chances: np.ndarray, types: np.ndarray, lengths: np.ndarray) -> float:
    total = 0.0
    for start, end in zip(starts, [*starts[1:], len(chances)], strict=True):
        total += np.log(chances[start]) if start else 0.0
        total += np.log1p(-chances[start + 1 : end]).sum() + 0.5 * lengths[end - start - 1]
        total += 0.6 * types[start:end].sum(axis=0).max()
    return float(total)


def test_terms_bring_numbers_to_their_shape_and_layouts_are_of_one_length() -> None:
    terms = terms_of(page(["Total", "1234,50", "due", "x"]))
    assert {"total", "due", "000000", "total 000000"} <= set(terms)
    assert "x" not in terms
    assert look_of(page(["a"])).shape == (50,)


# ---- Phrases and twins -----------------------------------------------------------------------------------------------


def _said(*texts: str) -> list[Page]:
    return [
        Page(1, 595, 842, tuple(Word(word, Box(0.1, 0.1, 0.2, 0.12), 1.0) for text in texts for word in text.split()))
    ]


def test_phrases_are_heard_over_line_breaks_and_case_and_one_against_rules_out() -> None:
    phrases = {1: Phrases(("pay stub", "wage slip"), ()), 2: Phrases((), ("pay stub",)), 3: Phrases(("stub p",), ())}
    assert heard(_said("Monthly PAY", "Stub. Page 1"), phrases) == {1: 1, 2: -1}
    assert heard(_said("paystub"), phrases) == {}


def test_a_phrase_lifts_its_type_and_takes_the_paper_only_when_no_other_s_speaks() -> None:
    judged = Placed(((1, 0.6), (2, 0.4)), False, 0.3)
    lifted = placed_by(judged, {2: 1})
    assert lifted is not None
    assert (lifted.likely[0][0], lifted.accepted) == (2, True)
    both = placed_by(judged, {1: 1, 2: 1})
    assert both is not None
    assert not both.accepted
    sure = placed_by(Placed(((1, 0.9), (2, 0.1)), True, 0.9), {1: -1})
    assert sure is not None
    assert (sure.likely[-1], sure.accepted) == ((1, 0.0), False)
    assert placed_by(judged, {}) == judged


def test_phrases_place_papers_before_anything_is_learned() -> None:
    alone = placed_by(None, {7: 2})
    assert alone is not None
    assert (alone.likely[0][0], alone.accepted) == (7, True)
    assert placed_by(None, {7: 1, 8: 1}) is None
    assert placed_by(None, {7: -1}) is None


def test_types_of_much_the_same_wording_are_told_as_twins() -> None:
    words = {
        1: "wages tax net paid employer month",
        2: "wages tax net paid employer bonus",
        3: "vessel berth harbour dues tide anchor",
    }
    papers = [
        TypeSample(tuple(_said(text, f"paper {number}")), kind, number)
        for kind, text in words.items()
        for number in range(4)
    ]
    pairs = fit_type_classifier(papers).twins()
    assert [(a, b) for a, b, _ in pairs] == [(2, 1)]
    assert 0.5 <= pairs[0][2] <= 1


def test_a_classifier_tells_what_became_of_papers_it_had_not_seen() -> None:
    """Distinct wordings: papers are placed as what they are, and what its judge had never met is mostly refused."""
    rng = random.Random(4)
    papers = [
        TypeSample(tuple(_said(" ".join(rng.sample(STOCK[kind], 9)))), kind, number % 2)
        for kind in (1, 2, 3)
        for number in range(8)
    ]
    classifier = fit_type_classifier(papers)
    counts = classifier.figures()
    placed = sum(n for (a, b), n in counts.items() if a == b != OTHER)
    confused = sum(n for (a, b), n in counts.items() if a > 0 and b > 0 and a != b)
    strangers = [
        sum(n for (a, b), n in counts.items() if a == LEFT_OUT and (b == OTHER) is refused) for refused in (True, False)
    ]
    assert placed > 5 * confused
    assert strangers[0] > strangers[1]
    assert sum(strangers) == 24
    assert [sum(n for (a, _), n in counts.items() if a == kind) for kind in (1, 2, 3, OTHER)] == [8, 8, 8, 0]
    assert unpack_classifier(pack_classifier(classifier, None))[0].figures() == counts


# ---- How well bundles are cut ----------------------------------------------------------------------------------------


def placed_papers(seed: int, *, telling: bool = True) -> list[TypeSample]:
    """Eighteen papers of three types and six layouts. Unless `telling`, all of their pages are of one and the same
    wording: nothing says where one begins."""
    rng = random.Random(seed)
    found = []
    for number in range(18):
        kind = 1 + number % 3
        if telling:
            pages = paper(kind, rng, pages=1 + rng.randrange(3))
        else:
            pages = tuple(page(rng.choices(STOCK[1], k=25)) for _ in range(1 + rng.randrange(3)))
        found.append(TypeSample(pages, kind, 10 * kind + (number // 3) % 2))
    return found


def test_bundles_of_held_out_papers_tell_how_well_they_are_cut() -> None:
    for unseen in (False, True):
        found = cut_figures(placed_papers(4), unseen=unseen)
        assert found is not None
        assert found.papers == 18  # each once
        assert found.starts.there == found.papers - found.bundles
        assert found.starts.f1 > 0.9
        assert found.starts_interval[0] <= found.starts.f1 <= found.starts_interval[1]
        assert found.whole_interval[0] <= found.whole / found.papers <= found.whole_interval[1]
        assert found == cut_figures(placed_papers(4), unseen=unseen)


def test_what_can_t_be_told_is_not_said_to_be_cut_well() -> None:
    found = cut_figures(placed_papers(4, telling=False), unseen=False)
    assert found is not None
    assert found.starts.f1 < 0.85
    assert found.whole < found.papers


def test_cutting_is_not_judged_on_too_few_papers_or_single_pages() -> None:
    assert cut_figures(placed_papers(4)[:11], unseen=False) is None
    single = [replace(one, pages=one.pages[:1]) for one in placed_papers(4)]
    assert cut_figures(single, unseen=False) is None
    one_layout = [replace(one, type_id=1, group=7) for one in placed_papers(4)]
    assert cut_figures(one_layout, unseen=True) is None  # with the only layout held out nothing is left to learn from


def linked_by_hand(likeness: np.ndarray, alike: float) -> list[int]:
    """Average linkage as it is defined: the two groups most alike on average are joined while that is at least
    `alike`."""
    groups = [[index] for index in range(len(likeness))]
    while len(groups) > 1:
        means = {
            (a, b): float(likeness[np.ix_(groups[a], groups[b])].mean()) for b in range(len(groups)) for a in range(b)
        }
        (a, b), best = max(means.items(), key=lambda pair: pair[1])
        if best < alike:
            break
        groups[a] = groups[a] + groups.pop(b)
    groups.sort(key=min)
    return [next(number for number, members in enumerate(groups) if index in members) for index in range(len(likeness))]


@given(st.integers(0, 12), st.integers(0, 10_000))
def test_groups_are_those_of_average_linkage(count: int, seed: int) -> None:
    half = np.random.default_rng(seed).random((count, count))
    likeness = (half + half.T) / 2
    np.fill_diagonal(likeness, 1.0)
    assert linked(likeness, 0.5) == linked_by_hand(likeness, 0.5)


def test_a_likeness_that_is_just_enough_joins() -> None:
    likeness = np.array([[1.0, 0.5, 0.1], [0.5, 1.0, 0.1], [0.1, 0.1, 1.0]])
    assert linked(likeness, 0.5) == [0, 0, 1]
