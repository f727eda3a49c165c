"""A version's report as it is kept, shown and exchanged: typed, with a format number. Shares are fractions of one,
intervals are at 95 %."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, ConfigDict, Field

from jugum.core.training.confidence import EvidenceRow
from jugum.errors import InputError

CHANCE_LEAST = 0.05  # what chance alone does more seldom is no chance (the usual level)
FORMAT = 1  # a report of another format is not guessed at
Interval = tuple[float, float]


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)  # a figure that nobody knows would be shown by nobody


class Counted(_Part):
    """Right ones of a total, and the interval of their share."""

    right: int
    total: int
    interval: Interval


class Precision(_Part):
    """Shares 0–1; `f1` is their harmonic mean."""

    precision: float
    recall: float
    f1: float


class CountedPrecision(Precision):
    """`there` counts what there is to find."""

    there: int


class TableFigures(_Part):
    """A table's cells, and its rows with every cell right."""

    cells: CountedPrecision
    rows: CountedPrecision


class BothTableFigures(_Part):
    """A table's figures on known layouts and on new ones; None where nothing was held out."""

    seen: TableFigures | None = None
    unseen: TableFigures | None = None


class FieldFigures(_Part):
    """A field's exact matches (in normal form; a table's when all its cells are right) on held-out papers: of known
    layouts (`seen`), and with whole layout groups held out (`unseen`). `labels` counts papers whose label has a
    value, `absent` those without one. `seen` and `unseen` have precision, recall and F1 (of a table's cells),
    `printed` the share of found values that are right letter for letter, too."""

    field: str
    kind: str = "value"
    labels: int
    absent: int
    seen_right: int
    seen_total: int
    seen_interval: Interval
    unseen_right: int
    unseen_total: int
    unseen_interval: Interval
    seen: Precision
    unseen: Precision
    printed: float | None = None
    cells: BothTableFigures = BothTableFigures()


class ReliabilityFigures(_Part):
    """Decisions of like confidence: how many, their mean confidence, the share right and its interval."""

    count: int
    confidence: float
    right: float
    interval: Interval


class ConfidenceFigures(_Part):
    """Calibration of some decisions: stated confidence against observed accuracy."""

    calibration_error: float
    brier: float
    risk_coverage: float
    reliability: list[ReliabilityFigures]
    decisions: int


class Overall(ConfidenceFigures, Precision):
    """All fields together: micro and macro precision, recall and F1, exact match, papers without any error."""

    f1_interval: Interval
    macro_f1: float
    exact: float
    exact_interval: Interval
    whole_papers: int
    papers: int
    whole_interval: Interval


class Gap(_Part):
    """The share right by a version's own held-out decisions beside that on the papers kept for testing, and how often
    chance alone would part them as far (0–1; by papers)."""

    own: Counted
    test: Counted
    chance: float

    @property
    def is_wide(self) -> bool:
        """Whether it is wider than chance allows."""
        return self.chance < CHANCE_LEAST


class TestFigures(ConfidenceFigures):
    """What the finished version does on papers kept for testing: on all, on layouts similar enough to pass the
    layout gate, and on new ones; and the gaps between the latter and what the version says of itself."""

    __test__ = False  # no test of pytest's

    papers: int
    right: int
    total: int
    interval: Interval
    known_layouts: Counted
    new_layouts: Counted
    fields: dict[str, Counted]
    known_gap: Gap | None = None
    new_gap: Gap | None = None


class LayoutFigures(_Part):
    """Papers of a layout group: judged with others of the group among the labelled ones, and with the whole group
    held out."""

    group: int
    papers: int
    seen: Counted
    unseen: Counted


class HardPaper(_Part):
    """A held-out paper with how many of its decisions were wrong, and the mean confidence (0–1) of all of them."""

    sample: str
    wrong: int
    total: int
    confidence: float


class CurvePoint(_Part):
    """With `papers` labelled papers: values right, and judged, on papers held out."""

    papers: int
    right: int
    total: int

    @property
    def share(self) -> float:
        """Share right, 0–1; 0 of none."""
        return self.right / self.total if self.total else 0.0


class Forecast(_Part):
    """The share right that so many papers are expected to bring, with an 80 % interval."""

    papers: int
    share: float
    low: float
    high: float


class Wanted(_Part):
    """How many more papers bring a field to a share, with an 80 % interval; `more` is None when the curve does not
    get there within ten times as many."""

    share: float
    more: int | None
    low: int | None
    high: int | None


class FieldCurve(_Part):
    """What smaller trainings found, what more papers are expected to bring, and how many of them a person may want."""

    points: list[CurvePoint]
    forecast: list[Forecast]
    wanted: Wanted | None = None


class LeftOutFold(_Part):
    """A fold that gave no evidence about values, and why."""

    fold: int
    papers: int
    unseen: bool
    reason: str


class Report(_Part):
    """What a version's training showed. It has learned from `papers`, `reviewed` of them from review, of which a person
    has seen `reviewed_whole` as a whole. Figures are of papers that were looked at as a whole; `held_values` counts the
    values that were looked at because they were held, on known layouts.

    `curve` (field key → curve, "" for all together) is made after the training;
    `curve_problem` says why it could not be. `left_out` are folds that could give no evidence. `stage_seconds` is how
    long each stage of the training took."""

    format: int = FORMAT
    papers: int
    reviewed: int = 0
    reviewed_whole: int = 0
    held_values: Counted | None = None
    groups: int
    layout_similarity_min: float
    fields: list[FieldFigures]
    seen_right: int
    seen_total: int
    unseen_right: int
    unseen_total: int
    calibration_error: float
    seen: Overall | None = None
    unseen: Overall | None = None
    test: TestFigures | None = None
    layouts: list[LayoutFigures] = Field(default_factory=list)
    errors: list[EvidenceRow] = Field(default_factory=list)
    hardest: list[HardPaper] = Field(default_factory=list)
    left_out: list[LeftOutFold] = Field(default_factory=list)
    curve: dict[str, FieldCurve] = Field(default_factory=dict)
    curve_problem: str = ""
    stage_seconds: dict[str, float] = Field(default_factory=dict)

    def to_data(self) -> dict[str, Any]:
        """JSON-able."""
        return self.model_dump(mode="json")

    @staticmethod
    def from_data(data: dict[str, Any]) -> Report | None:
        """The inverse; None for no report. InputError for a report of another format, or a damaged one."""
        if not data:
            return None
        if data.get("format") != FORMAT:
            raise InputError(f"This report has format {data.get('format')}; format {FORMAT} can be read.")
        try:
            return Report.model_validate(data)
        except ValueError as error:
            raise InputError("This report is damaged: its parts don't fit together.") from error
