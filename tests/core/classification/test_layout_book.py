"""Layouts in books: which papers are of one form, how familiar a new one is, and that no fixed measure is in it."""

from __future__ import annotations

import json
import random

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from jugum.core.classification import Layout, LayoutBook
from jugum.core.classification.layout_book import BookOfPlaces, Scale, book_from, grouped
from jugum.core.classification.lookalikes import layout_similarity

SYLLABLES = "ka lo mi tar ven dro sel nor hal fen bri mos gar tul win".split()


def word(rng: random.Random) -> str:
    return "".join(rng.choice(SYLLABLES) for _ in range(3))


def laid(lines: list[str], shift: float = 0.0) -> Layout:
    """Lines down a page, words side by side."""
    return Layout.from_data(
        [
            [text, 0.1 + 0.09 * place + shift, 0.05 + 0.02 * line + shift]
            for line, words in enumerate(lines)
            for place, text in enumerate(words.split())
        ]
    )


class Office:
    """Forms of one office: each has a title and lines of its own; `clauses` are common to all of them (each
    has half of all), and values are a paper's own."""

    def __init__(self, seed: int, *, forms: int, own: int, clauses: int, values: int) -> None:
        self.rng = random.Random(seed)
        self.common = [" ".join(word(self.rng) for _ in range(7)) for _ in range(clauses)]
        self.forms = [[" ".join(word(self.rng) for _ in range(4)) for _ in range(own)] for _ in range(forms)]
        self.values = values

    def paper(self, form: int) -> Layout:
        lines = [*self.forms[form], *random.Random(form).sample(self.common, len(self.common) // 2)]
        for _ in range(self.values):
            at = self.rng.randrange(3, len(lines) + 1)
            lines.insert(at, " ".join(word(self.rng) for _ in range(5)))
        return laid(lines, self.rng.uniform(-0.01, 0.01))


OFFICES = {
    "forms with little in them": {"own": 8, "clauses": 0, "values": 3},
    "forms full of values": {"own": 8, "clauses": 0, "values": 20},
    "contracts that share their clauses": {"own": 4, "clauses": 24, "values": 6},
}


@pytest.mark.parametrize("name", OFFICES)
@pytest.mark.parametrize("papers", [6, 24])
def test_papers_are_grouped_by_form_however_alike_the_papers_of_a_type_are(name: str, papers: int) -> None:
    office = Office(5, forms=3, **OFFICES[name])
    book = LayoutBook([office.paper(number % 3) for number in range(papers)])
    assert book.groups == [number % 3 for number in range(papers)]


@pytest.mark.parametrize("name", OFFICES)
def test_new_papers_of_known_forms_are_familiar_and_those_of_another_form_are_not(name: str) -> None:
    office = Office(7, forms=4, **OFFICES[name])
    book = LayoutBook([office.paper(number % 3) for number in range(15)])
    known = [float(book.likeness(office.paper(form)).max()) for form in (0, 1, 2) for _ in range(4)]
    new = [float(book.likeness(office.paper(3)).max()) for _ in range(6)]
    assert min(known) > 0.7
    assert max(new) < 0.4
    more = LayoutBook([*book.layouts, office.paper(1), office.paper(3)])
    assert more.joined([*book.groups, None, None])[-2:] == [1, None]


def test_places_alone_are_no_measure_for_that() -> None:
    """What was wrong: pairs of one form of wordy papers are less alike than pairs of different forms of others."""
    plain, wordy = Office(1, forms=2, own=8, clauses=0, values=3), Office(2, forms=2, own=8, clauses=0, values=20)
    assert layout_similarity(wordy.paper(0), wordy.paper(0)) < 0.45 < layout_similarity(plain.paper(0), plain.paper(0))


def test_one_form_is_one_group_and_forms_that_come_once_are_each_their_own() -> None:
    office = Office(3, forms=6, own=8, clauses=0, values=4)
    assert LayoutBook([office.paper(0) for _ in range(8)]).groups == [0] * 8
    assert LayoutBook([office.paper(form) for form in range(6)]).groups == list(range(6))


def test_papers_that_come_one_by_one_join_their_own_form() -> None:
    office = Office(9, forms=3, own=8, clauses=0, values=3)
    layouts = [office.paper(number % 3) for number in range(12)]
    groups: list[int | None] = []
    for number in range(12):
        joined = LayoutBook(layouts[: number + 1]).joined([*groups, None])[-1]
        groups.append(joined if joined is not None else number)
    assert groups == [number % 3 for number in range(12)]


def test_groups_that_people_made_are_kept() -> None:
    office = Office(4, forms=3, own=8, clauses=0, values=3)
    book = LayoutBook([*(office.paper(number % 2) for number in range(8)), *map(office.paper, range(3))])
    assert book.joined([7] * 8 + [None] * 3) == [7] * 8 + [7, 7, None]  # two forms are one layout to them
    parted = [7, 1, 8, 1, 7, 1, 8, 1]  # and one form may be two
    assert book.joined([*parted, None, None, None])[8:] in ([7, 1, None], [8, 1, None])


def test_empty_papers_and_books_of_none_or_one() -> None:
    office = Office(6, forms=2, own=8, clauses=0, values=3)
    empty = Layout.from_data([])
    assert LayoutBook([]).groups == []
    assert LayoutBook([]).likeness(office.paper(0)).tolist() == []
    assert LayoutBook([]).joined([]) == []
    alone = LayoutBook([office.paper(0)])
    assert alone.groups == [0]
    assert float(alone.likeness(office.paper(0))[0]) > 0.5 > float(alone.likeness(office.paper(1))[0])
    with_empty = LayoutBook([office.paper(0), empty, office.paper(0), office.paper(1), office.paper(1)])
    assert with_empty.groups == [0, 1, 0, 2, 2]
    assert with_empty.likeness(empty).max() < 0.1


def test_a_book_comes_back_from_its_data_and_one_of_old_versions_means_what_it_meant() -> None:
    office = Office(8, forms=3, own=8, clauses=4, values=5)
    book = LayoutBook([office.paper(number % 2) for number in range(6)])
    asked = office.paper(1)
    back = book_from(json.loads(json.dumps(book.to_data())))
    assert back.likeness(asked) == pytest.approx(book.likeness(asked), abs=0.01)
    old = book_from([layout.to_data() for layout in book.layouts])
    assert isinstance(old, BookOfPlaces)
    assert old.likeness(asked) == pytest.approx([layout_similarity(asked, one) for one in book.layouts], abs=0.01)
    assert book_from(old.to_data()).likeness(asked) == pytest.approx(old.likeness(asked), abs=0.01)


@given(st.lists(st.floats(-200, 200), min_size=2, max_size=6), st.floats(-5, 3), st.floats(0.25, 1))
def test_likeness_is_a_share_that_rises_with_the_log_odds(odds: list[float], middle: float, spread: float) -> None:
    scale = Scale(middle, spread)
    found = scale.likeness(sorted(odds))
    assert np.all((found >= 0) & (found <= 1))
    assert np.all(np.diff(found) >= 0)
    assert float(scale.likeness(middle)) == 0.5


@given(st.integers(0, 10), st.integers(0, 10_000))
def test_every_paper_is_in_a_group_numbered_by_its_first_member(count: int, seed: int) -> None:
    half = np.random.default_rng(seed).normal(-2, 3, (count, count))
    log_odds = (half + half.T) / 2
    np.fill_diagonal(log_odds, 3.0)
    groups = grouped(log_odds)
    assert len(groups) == count
    assert list(dict.fromkeys(groups)) == list(range(len(set(groups))))
