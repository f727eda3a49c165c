"""Labelled values as examples, each with the printed name that its surroundings show."""

from __future__ import annotations

from collections.abc import Sequence

from jugum.core.extraction.candidates.around import CHANNELS
from jugum.core.extraction.candidates.generate import Candidate
from jugum.core.extraction.candidates.synonyms import Groups, meant_names
from jugum.core.extraction.values.similarities import LABEL_CHANNELS, Example, label_of
from jugum.core.extraction.values.surroundings import RANKS, ranks_of
from jugum.core.schema import Plan


def example_of(
    paper: int, field: str, candidate: Candidate, label: str = "", ranks: tuple[float, ...] = (0.0,) * RANKS
) -> Example:
    """A candidate of a paper as an example of a field's value; `label` is the printed name it bore there, `ranks` how
    small, large and early it was among the values of its type."""
    return Example(
        paper,
        field,
        candidate.contexts,
        candidate.plain,
        candidate.shape,
        candidate.page,
        candidate.box,
        label,
        candidate.around,
        ranks,
        candidate.stacked,
    )


def labelled_examples(
    plan: Plan,
    paper: int,
    candidates: Sequence[Candidate],
    placed: Sequence[tuple[str, int]],
    groups: Groups | None = None,
) -> list[Example]:
    """Examples of a paper's values (field key, number of the candidate), each with the printed name that its
    surroundings show. What stands around values of several of its fields ("This month" over all amounts) is the name
    of none; other papers have no say, so that none shows through where it is held out."""
    by_text: dict[str, dict[str, int]] = {}
    for key, number in placed:
        for text in {candidates[number].contexts[CHANNELS.index(channel)] for channel in LABEL_CHANNELS}:
            counts = by_text.setdefault(text, {})
            counts[key] = counts.get(key, 0) + 1
    names = {key: [name for name, _ in its] for key, its in meant_names(plan, groups).items()}
    ranks = ranks_of(candidates)
    found = []
    for key, number in placed:
        one = candidates[number]
        seen = {
            # 1 by this field's values alone, −1 by those of others alone
            text: (2 * counts.get(key, 0) - sum(counts.values())) / sum(counts.values())
            for text, counts in by_text.items()
        }
        label = label_of(one.contexts, names[key], seen)
        found.append(example_of(paper, key, one, label, tuple(map(float, ranks[number]))))
    return found
