"""How a candidate stands to a field: the numbers the ranker decides on.

All are relations (likeness of surroundings to the field's printed names and to labelled examples, the same for
competing fields, place, shape, ranks within the paper), so that one model serves every field of a type.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from jugum.core.extraction.candidates.around import CHANNELS
from jugum.core.extraction.candidates.generate import Candidate
from jugum.core.extraction.candidates.meanings import distinct_nearness
from jugum.core.extraction.candidates.synonyms import Groups, known_names, meant_names
from jugum.core.extraction.candidates.text_similarity import Texts, distinct_likeness
from jugum.core.extraction.values.field_scores import FieldScores, family_of
from jugum.core.extraction.values.similarities import (
    AROUND,
    LABEL,
    LABEL_CHANNELS,
    SHAPE,
    VALUE,
    ContextSimilarities,
    Examples,
    ExampleSimilarities,
    compare,
    greatest,
    standing,
)
from jugum.core.extraction.values.surroundings import WORD_PLACES, naming, ranks_of, repeats_of, usual
from jugum.core.extraction.values.value_model import counts_of, value_log_odds
from jugum.core.extraction.values.value_signs import VALUE_SIGNS, ValueSigns
from jugum.core.schema import FieldPlan, Plan
from jugum.core.values import ValueType

Floats = npt.NDArray[np.float32]
Mask = npt.NDArray[np.bool_]
NAME_CHANNELS = ("left", "above", "row_head", "column_head", "previous", "below", "heading", "right")
NAME_LIKE_LEAST = 0.6  # what is less like a printed name says nothing about it
WORDS_THAT_TELL = 3  # of those around a value, the strongest
FAMILIES = ("text", "date", "money", "number")
NO_LINES = 0.5  # stands for the share of examples with as many lines where there are none

# Features by what they rest on. The order within FEATURES is that of the shipped prior's weights: it may grow at the
# end of a new prior, never change under one that is shipped.
NAME_FEATURES = (
    *(f"name_{channel}" for channel in NAME_CHANNELS),
    *(f"name_words_{channel}" for channel in NAME_CHANNELS),
    "name_best",
    "name_rival",
    "name_lead",
    "name_gap",
    "name_rank",
)
MEANING_FEATURES = (
    *(f"meaning_{channel}" for channel in LABEL_CHANNELS),
    "meaning_best",
    "meaning_lead",
    "meaning_gap",
    "meaning_rank",
    "said_around",
    "said_around_lead",
    "said_around_gap",
    "said_around_rank",
)
EXAMPLE_FEATURES = (
    *(f"example_{channel}" for channel in CHANNELS),
    "example_joint",
    "example_rival",
    "example_lead",
    "example_gap",
    "example_rank",
    "place",
    "place_gap",
    "row_and_column",
    "row_and_column_gap",
    "shape_like",
    "value_like",
    "value_odds",
    "label_like",
    "label_rival",
    "label_lead",
    "label_gap",
    "label_rank",
    "label_meaning",
    "label_meaning_gap",
    "around_like",
    "around_like_gap",
    "around_odds",
    "around_odds_gap",
    "around_odds_rank",
    "smallest_like",
    "largest_like",
    "early_like",
    "lines_like",
    "value_lead",
    "letters_odds",
    "letters_lead",
    "letters_gap",
    "letters_rank",
    "telling",
    "telling_best",
    "telling_gap",
    "sense_like",
    "sense_lead",
    "sense_gap",
)
OTHER_FEATURES = (
    "known_text",
    "is_name",
    "first_of_best",
    "words",
    "letters",
    "digits",
    "capitals",
    "bold",
    "height",
    "confidence",
    "whole_segment",
    "starts_segment",
    "ends_segment",
    "widest",
    "rule",
    "x",
    "y",
    "page",
    "examples",
    "alike_layout",
    "usual",
    "usual_first",
    "usual_last",
    "usual_before",
    "usual_after",
    "prose",
    "smallest",
    "largest",
    "early",
    "repeats",
    *(f"is_{family}" for family in FAMILIES),
)
FEATURES = (*NAME_FEATURES, *MEANING_FEATURES, *EXAMPLE_FEATURES, *OTHER_FEATURES)
COLUMN = {name: place for place, name in enumerate(FEATURES)}
Columns = Mapping[str, npt.NDArray[Any] | float]  # feature → its column, or one value for all candidates


class PaperFeatures:
    """One paper's candidates with their likeness to all examples and printed names, from which the features are taken
    for any choice of papers that may be known.

    `examples` name their papers by number; `alike` is the likeness (0–1) of this paper's layout to each of these
    papers, `texts_of_papers` the plain texts each holds.
    """

    def __init__(
        self,
        plan: Plan,
        candidates: Sequence[Candidate],
        examples: Examples,
        alike: npt.NDArray[np.floating],
        texts_of_papers: Sequence[frozenset[str]],
        by_rule: Mapping[str, Collection[int]] | None = None,
        groups: Groups | None = None,
    ) -> None:
        self.plan = plan
        self.candidates = candidates
        self.examples = examples
        self.by_kind: dict[ValueType, npt.NDArray[np.intp]] = {
            kind: np.array([i for i, c in enumerate(candidates) if c.kind == kind], dtype=np.intp)
            for kind in {field.value_type for field in plan.fields}
        }
        self._by_names: dict[str, dict[str, Floats]] = {}
        self.by_rule = {key: frozenset(found) for key, found in (by_rule or {}).items()}
        self.alike = np.asarray(alike, dtype=np.float32)
        around = ContextSimilarities.of(candidates, examples)
        self._names(plan, groups, around)
        self.ranks = ranks_of(candidates)
        self.lines = np.array([candidate.stacked for candidate in candidates], dtype=np.int8)
        self._against(around)
        ranks = dict(zip(("smallest", "largest", "early"), self.ranks.T, strict=True))
        self.fixed = _candidate_columns(candidates) | ranks | {"repeats": repeats_of(candidates)}
        self.seen_in = np.array(
            [[c.plain in texts for texts in texts_of_papers] for c in candidates], dtype=bool
        ).reshape(len(candidates), len(texts_of_papers))

    def _names(self, plan: Plan, groups: Groups | None, around: ContextSimilarities) -> None:
        """`name_table` and `meaning_table`: channels × candidates × fields, likeness of surroundings to printed
        names (two ways), and by meaning; `around_table` (candidates × fields): how much of a name all words around
        say."""
        meant = meant_names(plan, groups)
        names = [
            (number, *meant_name)
            for number, field in enumerate(plan.fields)
            for meant_name in meant[field.key] or [("", 0.0)]
        ]
        starts = [place for place, one in enumerate(names) if place == 0 or names[place - 1][0] != one[0]]
        weight = np.array([counts for _, _, counts in names], dtype=np.float32)
        texts = Texts.of([name for _, name, _ in names])
        mine = dict(zip(CHANNELS, around.contexts, strict=True))

        def by_field(rows: Texts, table: npt.NDArray[Any], unit: float) -> Floats:
            """The best name of each field, of distinct texts first, then of all."""
            # synonyms count less than the field's own names
            weighed = table[:, texts.places] * (weight / np.float32(unit))
            best = np.maximum.reduceat(weighed, starts, axis=1) if len(starts) else np.zeros((len(weighed), 0))
            return np.asarray(best[rows.places], dtype=np.float32)

        self.name_table: Floats = np.stack(
            [
                by_field(mine[channel], distinct_likeness(mine[channel], texts, by_tokens=by), 100)
                for by in (False, True)
                for channel in NAME_CHANNELS
            ]
        )
        self.meaning_table: Floats = np.stack(
            [by_field(mine[channel], distinct_nearness(mine[channel], texts), 1) for channel in LABEL_CHANNELS]
        )
        self.around_table: Floats = by_field(around.arounds, naming(around.arounds.distinct, texts.distinct), 1)
        plain = Texts.of([candidate.plain for candidate in self.candidates])
        named = by_field(plain, distinct_likeness(plain, texts), 100)
        known = known_names(groups)
        # What any paper prints as a name is hardly a value, whichever field it names.
        elsewhere = np.array([text in known for text in plain.distinct], dtype=bool)[plain.places]
        self.is_name: Floats = np.maximum(named.max(axis=1, initial=0.0), elsewhere).astype(np.float32)

    def _against(self, around: ContextSimilarities) -> None:
        """Each value type's candidates against the examples that may be asked for."""
        by_key = {field.key: field for field in self.plan.fields}
        kinds = [by_key[example.field].value_type for example in self.examples.every]
        families = np.array([family_of(kind.data_type) for kind in kinds], dtype=object)
        alike = self.alike[self.examples.papers] if len(self.examples.every) else np.zeros(0, dtype=np.float32)
        self.against: dict[ValueType, ExampleSimilarities] = {}
        self._values: dict[ValueType, ValueSigns] = {}
        self._words_around: dict[ValueType, npt.NDArray[np.float64]] = {}
        for kind, chosen in self.by_kind.items():
            family = np.flatnonzero(families == family_of(kind.data_type)) if len(kinds) else np.zeros(0, dtype=np.intp)
            own = np.array([n for n, at in enumerate(family) if kinds[int(at)] == kind], dtype=np.intp)
            self.against[kind] = compare(self.candidates, chosen, around, self.examples, family, own, alike)
            self._values[kind] = ValueSigns(self.against[kind], self.examples)
            self._words_around[kind] = counts_of(self.against[kind].words, WORD_PLACES)

    def layout_similarity(self, known: Mask) -> float:
        """Likeness (0–1) of this paper's layout to the most alike of the known papers."""
        return float(self.alike[known].max()) if known.any() else 0.0

    def features(self, field: FieldPlan, known: Mask) -> tuple[npt.NDArray[np.intp], Floats]:
        """Indices of the field's candidates, and their features (candidates × len(FEATURES)), as if only the papers
        where `known` (a mask over papers) is true had been labelled."""
        scores = self.field_scores(field, known)
        return scores.chosen, self.features_of(scores, np.arange(len(scores.chosen)))

    def field_scores(self, field: FieldPlan, known: Mask) -> FieldScores:
        """The figures of a field that all its candidates must be known for, since some are ranks among them."""
        kind = field.value_type
        chosen, against = self.by_kind[kind], self.against[kind]
        allowed = known[self.examples.papers[against.family]] if len(against.family) else np.zeros(0, dtype=bool)
        is_field = self.examples.fields[against.family] == field.key
        of_field = (allowed & is_field)[against.own]
        others = allowed & ~is_field
        if field.key not in self._by_names:  # the same whichever papers are known
            self._by_names[field.key] = self._name_columns(field, chosen)
        mine = against.family[against.own[of_field]]
        values = self._values[kind].by_field(allowed)
        rivals = [its for key, its in values.items() if key != field.key]
        joint, crossing, place = greatest(against.near, of_field)
        label, meaning = greatest(against.alike[LABEL:], of_field)
        return FieldScores(
            field,
            chosen,
            known,
            of_field,
            self._by_names[field.key],
            self.is_name[chosen],
            joint,
            greatest(against.joint, others),
            place,
            crossing,
            label,
            greatest(against.labels, others),
            meaning,
            values.get(field.key, self._values[kind].nothing),
            np.max(rivals, axis=0) if rivals else self._values[kind].nothing,
            greatest(against.alike[AROUND], of_field),
            value_log_odds(
                against.words,
                self.examples.words[mine],
                self._words_around[kind],
                len(chosen),
                strongest=WORDS_THAT_TELL,
            ),
            1 - np.abs(self.ranks[chosen] - (self.examples.ranks[mine].mean(axis=0) if len(mine) else 0.5)),
            (self.lines[chosen][:, None] == self.examples.lines[mine]).mean(axis=1, dtype=np.float32)
            if len(mine)
            else np.full(len(chosen), NO_LINES, dtype=np.float32),
        )

    def features_of(self, scores: FieldScores, rows: npt.NDArray[np.intp]) -> Floats:
        """Features (rows × len(FEATURES)) of some of a field's candidates: places in `scores.chosen`."""
        table = np.zeros((len(FEATURES), len(rows)), dtype=np.float32)
        if len(rows):
            for columns in (
                {name: values[rows] for name, values in scores.named.items()},
                self._example_columns(scores, rows),
                self._other_columns(scores, rows),
            ):
                for name, values in columns.items():
                    table[COLUMN[name]] = values
        return np.ascontiguousarray(table.T)

    def _name_columns(self, field: FieldPlan, chosen: npt.NDArray[np.intp]) -> dict[str, Floats]:
        """NAME_FEATURES and MEANING_FEATURES of all candidates of a field."""
        number = self.plan.fields.index(field)
        by_name = self.name_table[:, chosen]
        best = self._name_best(by_name)
        by_meaning = self.meaning_table[:, chosen]
        nearest = by_meaning.max(axis=0)
        said = self.around_table[chosen]
        channels = dict(zip(NAME_FEATURES, by_name[:, :, number], strict=False))
        channels |= zip(MEANING_FEATURES, by_meaning[:, :, number], strict=False)
        rival = _rival(best, number)
        return (
            channels
            | {"name_best": best[:, number], "name_rival": rival, "name_lead": best[:, number] - rival}
            | _standing("name", best[:, number])
            | {"said_around": said[:, number], "said_around_lead": said[:, number] - _rival(said, number)}
            | _standing("said_around", said[:, number])
            | {"meaning_best": nearest[:, number], "meaning_lead": nearest[:, number] - _rival(nearest, number)}
            | _standing("meaning", nearest[:, number])
        )

    @staticmethod
    def _name_best(table: Floats) -> Floats:
        """Best channel per candidate and field; by-words likeness counts a little less than the letters'."""
        half = len(NAME_CHANNELS)
        # by words, one that all names have ("total") is enough to be alike
        best: Floats = np.maximum(table[:half].max(axis=0), 0.9 * table[half:].max(axis=0))
        return best

    def name_score(self, field: FieldPlan) -> tuple[npt.NDArray[np.intp], Floats]:
        """Indices of the field's candidates and a fixed score of how printed names speak for each: own best likeness
        less half of the best rival field's, less what the candidate itself resembles a printed name. Names beneath
        and behind have no say: what stands there is more often the next value's."""
        chosen = self.by_kind[field.value_type]
        number = self.plan.fields.index(field)
        silent = [NAME_CHANNELS.index(channel) for channel in ("below", "right")]
        silent += [len(NAME_CHANNELS) + place for place in silent]
        said = np.delete(self.name_table[:, chosen], silent, axis=0)
        best = self._name_best(said)
        best = np.where(best >= NAME_LIKE_LEAST, best, 0.0).astype(np.float32)  # what is little alike says nothing
        rival = np.delete(best, number, axis=1).max(axis=1, initial=0.0)
        named = self.is_name[chosen]
        score: Floats = best[:, number] - 0.5 * rival - 0.5 * np.where(named >= NAME_LIKE_LEAST, named, 0.0)
        return chosen, score

    def _example_columns(self, scores: FieldScores, rows: npt.NDArray[np.intp]) -> Columns:
        """EXAMPLE_FEATURES of some of a field's candidates. Ranks and gaps are among all of them, so they are taken
        before the rows are."""
        alike = greatest(self.against[scores.field.value_type].alike[:AROUND], scores.of_field, rows)
        value, letters, telling, telling_best, sense = scores.values
        leads = dict(zip(VALUE_SIGNS, scores.values - scores.value_rivals, strict=True))
        among_all = {
            "example_joint": scores.joint,
            "example_rival": scores.rival,
            "example_lead": scores.joint - scores.rival,
            **_standing("example", scores.joint),
            "place": scores.place,
            "place_gap": standing(scores.place)[0],
            "row_and_column": scores.crossing,
            "row_and_column_gap": standing(scores.crossing)[0],
            "value_odds": value,
            "value_lead": leads["value"],
            "letters_odds": letters,
            "letters_lead": leads["letters"],
            **_standing("letters", letters),
            "telling": telling,
            "telling_best": telling_best,
            "telling_gap": standing(telling)[0],
            "sense_like": sense,
            "sense_lead": leads["sense"],
            "sense_gap": standing(sense)[0],
            "label_like": scores.label,
            "label_rival": scores.label_rival,
            "label_lead": scores.label - scores.label_rival,
            **_standing("label", scores.label),
            "label_meaning": scores.label_meaning,
            "label_meaning_gap": standing(scores.label_meaning)[0],
            "around_like": scores.around,
            "around_like_gap": standing(scores.around)[0],
            "around_odds": scores.around_odds,
            **_standing("around_odds", scores.around_odds),
            **dict(zip(("smallest_like", "largest_like", "early_like"), scores.ranks.T, strict=True)),
            "lines_like": scores.lines,
        }
        return {
            **{f"example_{channel}": alike[place] for place, channel in enumerate(CHANNELS)},
            "shape_like": alike[SHAPE],
            "value_like": alike[VALUE],
            **{name: values[rows] for name, values in among_all.items()},
        }

    def _other_columns(self, scores: FieldScores, rows: npt.NDArray[np.intp]) -> Columns:
        """OTHER_FEATURES of some of a field's candidates, but the families it does not belong to."""
        asked, known = scores.chosen[rows], scores.known
        by_rule = self.by_rule.get(scores.field.key, frozenset())
        return {
            "known_text": self.seen_in[asked][:, known].mean(axis=1) if known.any() else 0.0,
            "is_name": scores.is_name[rows],
            "first_of_best": rows == int(scores.named["name_best"].argmax()),
            **{name: values[asked] for name, values in self.fixed.items()},
            "rule": np.array([index in by_rule for index in asked.tolist()]) if by_rule else 0.0,
            "examples": np.log1p(scores.of_field.sum()),
            "alike_layout": self.layout_similarity(known),
            f"is_{family_of(scores.field.data_type)}": 1.0,
        }


def _rival(table: Floats, number: int) -> Floats:
    """The best of the other fields (columns) for each candidate (rows); 0 where there is no other field."""
    best: Floats = np.delete(table, number, axis=1).max(axis=1, initial=0.0)
    return best


def _standing(prefix: str, values: Floats) -> dict[str, Floats]:
    gap, rank = standing(values)
    return {f"{prefix}_gap": gap, f"{prefix}_rank": rank}


def _candidate_columns(candidates: Sequence[Candidate]) -> dict[str, Floats]:
    """What is true of each candidate whichever field asks: its length, letters, print and place."""
    figures = [_candidate_figures(candidate) for candidate in candidates]
    names = list(figures[0]) if figures else []
    table = np.array([list(each.values()) for each in figures], dtype=np.float32).reshape(len(figures), len(names))
    return {name: np.ascontiguousarray(table[:, place]) for place, name in enumerate(names)}


def _candidate_figures(candidate: Candidate) -> dict[str, float]:
    letters = max(1, len(candidate.text))
    x, y = candidate.box.middle
    return {
        "words": candidate.last - candidate.first + 1,
        "letters": min(60, letters),  # beyond a line, length tells no more
        "digits": sum(map(str.isdigit, candidate.text)) / letters,
        "capitals": sum(map(str.isupper, candidate.text)) / letters,
        "bold": candidate.bold,
        "height": min(3.0, candidate.relative_height),  # a headline is one, however large
        "confidence": candidate.confidence,
        "whole_segment": candidate.whole_segment,
        "starts_segment": candidate.starts_segment,
        "ends_segment": candidate.ends_segment,
        "widest": candidate.widest,
        "x": x,
        "y": y,
        "page": min(candidate.page, 10),  # far pages are all "later" to trees
        "prose": candidate.prose,
        **usual(candidate),
    }
