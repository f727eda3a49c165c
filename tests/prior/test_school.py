"""The school of the prior: what its papers' labels say stands where they say it, in every hand, and the papers of one
type are of one world."""

from __future__ import annotations

import random
from dataclasses import replace

import pytest
from prior.forms import FORM_WAYS, SENDERS
from prior.papers import kind, paper
from prior.prose import PROSE_WAYS
from prior.things import THINGS
from prior.worlds import FIRM, TRADES, World, world

from jugum.core.page import text_of


@pytest.mark.parametrize("way", [*FORM_WAYS, *PROSE_WAYS])
def test_labels_stand_on_the_words_that_they_say(way: str) -> None:
    rng = random.Random(7)
    for number in range(4):
        drawn = kind(rng, (way,))
        made = paper(rng, drawn, drawn.layouts[0], str(number))
        (page,) = made.pages
        told = [label for its in made.labels.values() for label in its]
        assert told
        for label in told:
            boxes = [label.box, *(box for _, box in label.more_places)]
            words = [word for word in page.words if any(box and box.contains(*word.box.middle) for box in boxes)]
            assert text_of(words).rstrip(",.;:)").endswith(label.text.split()[-1].rstrip(",.;:)"))
            assert label.text.split()[0] in text_of(words)


def test_the_same_seed_draws_the_same_papers() -> None:
    def drawn() -> list[object]:
        rng = random.Random(11)
        its = kind(rng)
        return [paper(rng, its, layout, "1") for layout in its.layouts]

    assert drawn() == drawn()


def of_firms(its: World, rng: random.Random, thing: str) -> list[bool]:
    """Of eight names of a thing whether they are a firm's, which has its trade in its name."""
    return [not set(TRADES).isdisjoint(its.name(rng, thing).split()) for _ in range(8)]


def test_a_name_is_a_firm_s_or_a_person_s_on_all_papers_of_most_types() -> None:
    rng = random.Random(3)
    mixed = [0 < sum(of_firms(world(rng, THINGS), rng, "seller")) < 8 for _ in range(60)]
    assert 0 < sum(mixed) < 20
    sure = replace(world(rng, THINGS), firms={"seller": 1.0, "patient": 0.0})
    assert all(of_firms(sure, rng, "seller"))
    assert not any(of_firms(sure, rng, "patient"))


def test_senders_and_likely_firms_are_things_of_the_school() -> None:
    assert {*SENDERS, *FIRM} <= THINGS.keys()
