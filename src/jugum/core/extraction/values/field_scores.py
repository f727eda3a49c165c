"""What is known of all candidates of a field at once, and which of them are worth ranking."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jugum.core.extraction.values.value_signs import VALUE_SIGNS
from jugum.core.schema import FieldPlan
from jugum.core.values import NUMERIC, DataType

Floats = npt.NDArray[np.float32]
Mask = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class FieldScores:
    """What is known of all candidates of a field (indices `chosen`, n of them) with some papers known, each an array
    of n: `named`, the features of printed names and of their meanings; how like printed names the candidates are
    themselves; greatest likeness (0–1) to the field's examples (`of_field`, a mask over the examples of its type)
    jointly, to those of other fields (`rival`), by place, by row and column, by printed name; of its form and words
    (`values`, VALUE_SIGNS × n) and the best of these for another field of its type (`value_rivals`);
    nearness of all words around, and their log-odds; how alike the values' ranks are (n×3); the share of the field's
    examples that have as many lines."""

    field: FieldPlan
    chosen: npt.NDArray[np.intp]
    known: Mask
    of_field: Mask
    named: Mapping[str, Floats]
    is_name: Floats
    joint: Floats
    rival: Floats
    place: Floats
    crossing: Floats
    label: Floats
    label_rival: Floats
    label_meaning: Floats
    values: Floats
    value_rivals: Floats
    around: Floats
    around_odds: Floats
    ranks: Floats
    lines: Floats

    @property
    def _words(self) -> Floats:
        """How much the words of each candidate are this field's rather than another's; nothing where values are
        figures."""
        if family_of(self.field.data_type) != "text":
            return np.zeros(len(self.chosen), dtype=np.float32)
        signs, leads = (
            dict(zip(VALUE_SIGNS, its, strict=True)) for its in (self.values, self.values - self.value_rivals)
        )
        said: Floats = (
            0.3 * leads["value"] + 0.2 * signs["telling"] + 0.1 * signs["telling_best"] + 0.1 * signs["letters"]
        )
        return said

    @property
    def prefilter_score(self) -> npt.NDArray[np.float64]:
        """How easily each candidate may be taken for the field's value, from what is cheap to know. The weights only
        decide which candidates the ranker is asked about (the first CANDIDATES_MAX), and were set by hand."""
        score: npt.NDArray[np.float64] = (
            0.7 * self.named["name_best"]
            - 0.2 * self.named["name_rival"]
            + 0.3 * self.named["meaning_best"]
            + self.joint
            + 0.5 * self.label
            + 0.5 * self.place
            + 0.1 * self.values[0]
            + self._words
            + 0.1 * self.around_odds
            + 0.3 * self.named["said_around"]
            - 0.5 * self.is_name
        )
        return score


def family_of(data_type: DataType) -> str:
    """The ranker knows four families of values, so that it carries over from one data type to its kin."""
    if data_type in (DataType.DATE, DataType.MONEY):
        return data_type.value
    return "number" if data_type in NUMERIC else "text"
