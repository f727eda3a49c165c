"""How a candidate stands to a field: the numbers the ranker decides on.

All are relations (likeness of surroundings to the field's printed names and to labelled examples, the same for
competing fields, place, shape, ranks within the paper), so that one model serves every field of a type.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jugum.core.classification import Layout, layout_similarity
from jugum.core.extraction.candidates import CHANNELS, Candidate
from jugum.core.extraction.likeness import likeness
from jugum.core.extraction.synonyms import meant_names
from jugum.core.page import Box
from jugum.core.schema import FieldPlan, Plan
from jugum.core.values import NUMERIC, DataType, ValueType, value_shape

Floats = npt.NDArray[np.float32]
NAME_CHANNELS = ("left", "above", "row_head", "column_head", "previous")
JOINT_WEIGHTS = np.array([0.3, 0.15, 0.2, 0.15, 0.1, 0.1], dtype=np.float32)
PLACE_SCALE = 0.03
NAME_LIKE_LEAST = 0.6
NAME_BEST = 2 * len(NAME_CHANNELS)  # the place of "name_best" in FEATURES
FIXED_BEFORE_RULE = 11  # of the 14 fixed figures, those that FEATURES names before "rule"

FEATURES = (
    *(f"name_{channel}" for channel in NAME_CHANNELS),
    *(f"name_words_{channel}" for channel in NAME_CHANNELS),
    "name_best", "name_rival", "name_lead", "name_gap", "name_rank",
    *(f"example_{channel}" for channel in CHANNELS),
    "example_joint", "example_rival", "example_lead", "example_gap", "example_rank",
    "place", "place_gap", "row_and_column", "row_and_column_gap",
    "shape_like", "value_like", "known_text", "is_name", "first_of_best",
    "words", "letters", "digits", "capitals", "bold", "height", "confidence",
    "whole_segment", "starts_segment", "ends_segment", "widest", "rule",
    "x", "y", "page", "examples", "alike_layout",
    "is_text", "is_date", "is_money", "is_number",
)  # fmt: skip


@dataclass(frozen=True)
class Example:
    """Where and how a value of a field stood on a labelled paper (known by its number among the papers)."""

    paper: int
    field: str
    contexts: tuple[str, ...]
    text: str
    shape: str
    page: int
    box: Box


def example_of(paper: int, field: str, candidate: Candidate) -> Example:
    return Example(
        paper, field, candidate.contexts, candidate.plain, value_shape(candidate.text), candidate.page, candidate.box
    )


@dataclass(frozen=True)
class Leading:
    """What is known of all candidates of a field (indices `chosen`) with some papers known: `names`, the columns of printed names in the
    order of FEATURES; how like printed names the candidates are themselves; greatest likeness to the field's examples (`mine`, a mask)
    jointly, to those of other fields, by place, and by row and column."""

    field: FieldPlan
    chosen: npt.NDArray[np.intp]
    known: npt.NDArray[np.bool_]
    mine: npt.NDArray[np.bool_]
    names: list[npt.NDArray[np.float32]]
    is_name: Floats
    joint: Floats
    rival: Floats
    place: Floats
    crossing: Floats

    @property
    def hardness(self) -> npt.NDArray[np.float64]:
        """How easily each candidate may be taken for the field's value by looks."""
        best, rival = self.names[NAME_BEST], self.names[NAME_BEST + 1]
        found: npt.NDArray[np.float64] = 0.7 * best - 0.2 * rival + self.joint + 0.5 * self.place - 0.5 * self.is_name
        return found


class PaperView:
    """One paper's candidates with their likeness to all examples and printed names, from which the features are
    taken for any choice of papers that may be known.

    Likenesses are the costly part and computed once; leaving papers out is masking columns.
    """

    def __init__(
        self,
        plan: Plan,
        candidates: Sequence[Candidate],
        layout: Layout,
        examples: Sequence[Example],
        layouts: Sequence[Layout],
        texts_of_papers: Sequence[frozenset[str]],
        by_rule: Mapping[str, Collection[int]] | None = None,
    ) -> None:
        self.plan = plan
        self.candidates = candidates
        self.by_kind: dict[ValueType, npt.NDArray[np.intp]] = {
            kind: np.array([i for i, c in enumerate(candidates) if c.kind == kind], dtype=np.intp)
            for kind in {field.value_type for field in plan.fields}
        }
        self._by_names: dict[str, list[npt.NDArray[np.float32]]] = {}
        self.by_rule = {key: frozenset(found) for key, found in (by_rule or {}).items()}
        self.papers = np.array([example.paper for example in examples], dtype=np.intp)
        self.fields = np.array([example.field for example in examples], dtype=object)
        self.alike = np.array([layout_similarity(layout, other) for other in layouts], dtype=np.float32)
        self._names(plan)
        self._examples(examples)
        self._fixed()
        self.seen_in = np.array(
            [[c.plain in texts for texts in texts_of_papers] for c in candidates], dtype=np.float32
        ).reshape(len(candidates), len(texts_of_papers))

    def _names(self, plan: Plan) -> None:
        """`name_table`: channels × candidates × fields, likeness of surroundings to printed names (two ways)."""
        meant = meant_names(plan)
        names = [(number, *one) for number, field in enumerate(plan.fields) for one in meant[field.key]]
        owner = np.array([number for number, _, _ in names], dtype=np.intp)
        weight = np.array([counts for _, _, counts in names], dtype=np.float32)
        count = len(self.candidates)
        self.name_table = np.zeros((2 * len(NAME_CHANNELS), count, len(plan.fields)), dtype=np.float32)
        self.is_name = np.zeros((count, len(plan.fields)), dtype=np.float32)
        texts = [name for _, name, _ in names]
        for place, channel in enumerate(NAME_CHANNELS):
            contexts = [candidate.contexts[CHANNELS.index(channel)] for candidate in self.candidates]
            for way, by_tokens in enumerate((False, True)):
                table = likeness(contexts, texts, by_tokens=by_tokens) * weight
                for field in range(len(plan.fields)):
                    self.name_table[way * len(NAME_CHANNELS) + place, :, field] = table[:, owner == field].max(
                        axis=1, initial=0.0
                    )
        own = likeness([candidate.plain for candidate in self.candidates], texts) * weight
        for field in range(len(plan.fields)):
            self.is_name[:, field] = own[:, owner == field].max(axis=1, initial=0.0)

    def _examples(self, examples: Sequence[Example]) -> None:
        """`example_table`: channels × candidates × examples; `joint`, `shape`, `value`, `place`: candidates × examples."""
        count = len(self.candidates)
        self.example_table = np.zeros((len(CHANNELS), count, len(examples)), dtype=np.float32)
        for channel in range(len(CHANNELS)):
            mine = [candidate.contexts[channel] for candidate in self.candidates]
            theirs = [example.contexts[channel] for example in examples]
            table = likeness(mine, theirs)
            both_empty = np.logical_and.outer([not text for text in mine], [not text for text in theirs])
            self.example_table[channel] = np.where(both_empty, 0.7, table)
        self.joint = np.einsum("c,cij->ij", JOINT_WEIGHTS, self.example_table)
        self.row_and_column = np.sqrt(
            np.maximum(self.example_table[CHANNELS.index("row_head")], self.example_table[CHANNELS.index("left")])
            * self.example_table[CHANNELS.index("column_head")]
        )
        self.shape = likeness([value_shape(c.text) for c in self.candidates], [example.shape for example in examples])
        self.value = likeness([c.plain for c in self.candidates], [example.text for example in examples])
        mine_at = np.array([(*c.box.middle, c.page) for c in self.candidates], dtype=np.float32).reshape(count, 3)
        theirs_at = np.array([(*e.box.middle, e.page) for e in examples], dtype=np.float32).reshape(-1, 3)
        distance = ((mine_at[:, None, :2] - theirs_at[None, :, :2]) ** 2).sum(axis=2)
        same_page = mine_at[:, None, 2] == theirs_at[None, :, 2]
        likely = self.alike[self.papers][None, :] if len(examples) else np.zeros((1, 0), dtype=np.float32)
        self.place = np.exp(-distance / (2 * PLACE_SCALE**2)) * same_page * likely

    def _fixed(self) -> None:
        rows = []
        for c in self.candidates:
            letters = max(1, len(c.text))
            rows.append(
                (
                    c.last - c.first + 1,
                    min(60, letters),
                    sum(map(str.isdigit, c.text)) / letters,
                    sum(map(str.isupper, c.text)) / letters,
                    c.bold,
                    min(3.0, c.relative_height),
                    c.confidence,
                    c.whole_segment,
                    c.starts_segment,
                    c.ends_segment,
                    c.widest,
                    c.box.middle[0],
                    c.box.middle[1],
                    min(c.page, 10),
                )
            )
        self.fixed = np.array(rows, dtype=np.float32).reshape(len(self.candidates), 14)

    def familiarity(self, known: npt.NDArray[np.bool_]) -> float:
        """Likeness (0–1) of this paper's layout to the most alike of the known papers."""
        return float(self.alike[known].max()) if known.any() else 0.0

    def features(self, field: FieldPlan, known: npt.NDArray[np.bool_]) -> tuple[npt.NDArray[np.intp], Floats]:
        """Indices of the field's candidates, and their features (candidates × len(FEATURES)), as if only the papers
        where `known` (a mask over papers) is true had been labelled."""
        leading = self.leading(field, known)
        return leading.chosen, self.features_of(leading, np.arange(len(leading.chosen)))

    def leading(self, field: FieldPlan, known: npt.NDArray[np.bool_]) -> Leading:
        """The figures of a field that all its candidates must be known for, since some are ranks among them."""
        chosen = self.by_kind[field.value_type]
        allowed = known[self.papers] if len(self.papers) else np.zeros(0, dtype=bool)
        mine = allowed & (self.fields == field.key)
        others = allowed & (self.fields != field.key)
        if field.key not in self._by_names:  # the same whichever papers are known
            self._by_names[field.key] = self._name_columns(field, chosen)
        return Leading(
            field, chosen, known, mine, self._by_names[field.key], self.is_name[chosen].max(axis=1, initial=0.0),
            _greatest(self.joint, chosen, mine), _greatest(self.joint, chosen, others), _greatest(self.place, chosen, mine),
            _greatest(self.row_and_column, chosen, mine),
        )  # fmt: skip

    def features_of(self, leading: Leading, rows: npt.NDArray[np.intp]) -> Floats:
        """Features (rows × len(FEATURES)) of some of a field's candidates: places in `leading.chosen`."""
        if not len(rows):
            return np.zeros((0, len(FEATURES)), dtype=np.float32)
        columns = [
            *(column[rows] for column in leading.names),
            *self._example_columns(leading, rows),
            *self._other_columns(leading, rows),
        ]
        return np.column_stack(columns).astype(np.float32)

    def _name_columns(self, field: FieldPlan, chosen: npt.NDArray[np.intp]) -> list[npt.NDArray[np.float32]]:
        number = self.plan.fields.index(field)
        table = self.name_table[:, chosen]
        best = self._name_best(table)
        own = best[:, number]
        rival = np.delete(best, number, axis=1).max(axis=1, initial=0.0)
        standing = _standing(own) if len(own) else (own, own)
        return [*table[:, :, number], own, rival, own - rival, *standing]

    @staticmethod
    def _name_best(table: Floats) -> Floats:
        """Best channel per candidate and field; by-words likeness counts a little less than the letters'."""
        half = len(NAME_CHANNELS)
        best: Floats = np.maximum(table[:half].max(axis=0), 0.9 * table[half:].max(axis=0))
        return best

    def name_score(self, field: FieldPlan) -> tuple[npt.NDArray[np.intp], Floats]:
        """Indices of the field's candidates and a fixed score of how printed names speak for each: own best
        likeness less half of the best rival field's, less what the candidate itself resembles a printed name."""
        chosen = self.by_kind[field.value_type]
        number = self.plan.fields.index(field)
        best = self._name_best(self.name_table[:, chosen])
        best = np.where(best >= NAME_LIKE_LEAST, best, 0.0).astype(np.float32)  # what is little alike says nothing
        rival = np.delete(best, number, axis=1).max(axis=1, initial=0.0)
        named = self.is_name[chosen].max(axis=1, initial=0.0)
        score: Floats = best[:, number] - 0.5 * rival - 0.5 * np.where(named >= NAME_LIKE_LEAST, named, 0.0)
        return chosen, score

    def _example_columns(self, leading: Leading, rows: npt.NDArray[np.intp]) -> list[npt.NDArray[np.float32]]:
        asked, mine = leading.chosen[rows], leading.mine
        joint, rival, place, crossing = leading.joint, leading.rival, leading.place, leading.crossing
        return [
            *(_greatest(table, asked, mine) for table in self.example_table),
            joint[rows], rival[rows], (joint - rival)[rows], *(column[rows] for column in _standing(joint)),
            place[rows], _standing(place)[0][rows], crossing[rows], _standing(crossing)[0][rows],
            _greatest(self.shape, asked, mine), _greatest(self.value, asked, mine),
        ]  # fmt: skip

    def _other_columns(self, leading: Leading, rows: npt.NDArray[np.intp]) -> list[npt.NDArray[np.float32]]:
        asked, known, count = leading.chosen[rows], leading.known, len(rows)
        seen = self.seen_in[np.ix_(asked, np.flatnonzero(known))].mean(axis=1) if known.any() else np.zeros(count)
        first = (rows == int(leading.names[NAME_BEST].argmax())).astype(np.float32)
        family = _family(leading.field.data_type)
        kinds = [np.full(count, family == one) for one in ("text", "date", "money", "number")]
        ruled = self.by_rule.get(leading.field.key, frozenset())
        fixed = self.fixed[asked].T
        return [
            seen,
            leading.is_name[rows],
            first,
            *fixed[:FIXED_BEFORE_RULE],
            np.array([index in ruled for index in asked.tolist()], dtype=np.float32),
            *fixed[FIXED_BEFORE_RULE:],
            np.full(count, np.log1p(leading.mine.sum())),
            np.full(count, self.familiarity(known)),
            *kinds,
        ]


def _family(data_type: DataType) -> str:
    """The ranker knows four families of values, so that it carries over from one data type to its kin."""
    if data_type in (DataType.DATE, DataType.MONEY):
        return data_type.value
    return "number" if data_type in NUMERIC else "text"


def _greatest(table: Floats, rows: npt.NDArray[np.intp], columns: npt.NDArray[np.bool_]) -> Floats:
    """Maximum of each chosen row over the chosen columns; zeros when none is chosen. Only what is chosen is copied: most of the time
    of training goes here."""
    if not columns.any():
        return np.zeros(len(rows), dtype=np.float32)
    greatest: Floats = table[np.ix_(rows, np.flatnonzero(columns))].max(axis=1)
    return greatest


def _standing(values: Floats) -> tuple[Floats, Floats]:
    """How far each value lies above the best of the others (negative for all but the best), and its rank as 1/(1+r)."""
    if len(values) == 1:
        return np.zeros(1, dtype=np.float32), np.ones(1, dtype=np.float32)
    order = np.sort(values)[::-1]
    gap = np.where(values == order[0], values - order[1], values - order[0])
    rank = np.searchsorted(-order, -values, side="left")
    return gap.astype(np.float32), (1 / (1 + rank)).astype(np.float32)
