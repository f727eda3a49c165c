"""What is weighed, in words: values of papers, papers that are placed in a type, bundles that are split."""

from __future__ import annotations

from dataclasses import asdict, dataclass

from jugum.core.states import SortingSubject


@dataclass(frozen=True)
class WeighWords:
    """The words of a page of Weigh. A *decision* passes or goes to a person, and `passing` are those that pass; `unit`
    is what comes in, a hundred of which take minutes of `review`; wrong ones are told of 1,000 that are `done`;
    `wrong_most` follows "At most 2 %", `did` says what the program and people do, `work` heads what is left to
    people."""

    decision: str
    passes: str
    passing: str
    unit: str
    review: str
    done: str
    cost: str
    person: str
    wrong_most: str
    did: str
    work: str

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
    decision="value",
    passes="pass",
    passing="what passes",
    unit="papers",
    review="review",
    done="delivered",
    cost="A wrong value costs",
    person="wait for a person",
    wrong_most="wrong among what passes",
    did="read",
    work="Review",
)
SORTED = {
    SortingSubject.TYPES: WeighWords(
        decision="paper",
        passes="get their type from the program",
        passing="papers placed by the program",
        unit="papers",
        review="placing by a person",
        done="papers",
        cost="A wrongly placed paper costs",
        person="wait for a person to place them",
        wrong_most="of placed papers wrong",
        did="placed",
        work="By hand",
    ),
    SortingSubject.BUNDLES: WeighWords(
        decision="bundle",
        passes="are split by the program",
        passing="bundles split by the program",
        unit="bundles",
        review="splitting by a person",
        done="bundles",
        cost="A wrongly split bundle costs",
        person="wait for a person to split them",
        wrong_most="of split bundles wrong",
        did="split",
        work="By hand",
    ),
}

__all__ = ["FIELDS", "SORTED", "WeighWords"]
