"""What is weighed, in words: values of papers, papers that are placed in a type, bundles that are split."""

from __future__ import annotations

from dataclasses import asdict, dataclass

from jugum.core.states import SortingSubject


@dataclass(frozen=True)
class WeighWords:
    """The words of a page of Weigh. A *decision* passes or goes to a person, and `passing` are those that pass; `unit`
    is what comes in, a hundred of which take minutes of `review`; wrong ones are told of 1,000 that are `done`;
    `wrong_most` follows "At most 2 %", and `did` says what the program and people do."""

    decision: str
    passes: str
    passing: str
    unit: str
    review: str
    done: str
    cost: str
    person: str
    wrong_most: str = "wrong among what passes"
    did: str = "read"
    work: str = "Review"

    @property
    def x_axis(self) -> str:
        return f"minutes of {self.review} per 100 {self.unit}"

    @property
    def y_axis(self) -> str:
        return f"wrong in 1,000 {self.done}"

    def to_data(self) -> dict[str, str]:
        """All of them, for a page's script."""
        return {**asdict(self), "x_axis": self.x_axis, "y_axis": self.y_axis}


FIELDS = WeighWords(
    "value", "pass", "what passes", "papers", "review", "delivered", "A wrong value costs", "wait for a person"
)
SORTED = {
    SortingSubject.TYPES: WeighWords(
        "paper",
        "get their type from the program",
        "papers placed by the program",
        "papers",
        "placing by a person",
        "papers",
        "A wrongly placed paper costs",
        "wait for a person to place them",
        "of placed papers wrong",
        "placed",
        "By hand",
    ),
    SortingSubject.BUNDLES: WeighWords(
        "bundle",
        "are split by the program",
        "bundles split by the program",
        "bundles",
        "splitting by a person",
        "bundles",
        "A wrongly split bundle costs",
        "wait for a person to split them",
        "of split bundles wrong",
        "split",
        "By hand",
    ),
}

__all__ = ["FIELDS", "SORTED", "WeighWords"]
