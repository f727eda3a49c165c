"""Records of fields as signs of calibration: how a field does on papers of one layout."""

from __future__ import annotations

import numpy as np
import pytest

from jugum.core.calibration import Calibrator
from jugum.core.extraction.values.assignment import Decision


def test_a_field_that_one_layout_prints_badly_is_doubted_there_and_nowhere_else() -> None:
    def decided(field: str, layout: int, logit: float) -> Decision:
        return Decision(field, (), (), -logit, -9, 1.0 if layout >= 0 else 0.0, 1.0, layout=layout)

    rng = np.random.default_rng(5)
    records, right = [], []
    for field in ("name", "date"):
        for layout in range(4):
            for _ in range(6):
                records.append(decided(field, layout, float(rng.normal(2, 0.5))))
                right.append(not (field == "name" and layout == 3))
    calibrator = Calibrator().fit(records, right)

    def sure(field: str, layout: int) -> float:
        return float(calibrator.probabilities([decided(field, layout, 2.0)])[0])

    assert sure("name", 3) < 0.6 < 0.9 < sure("name", 0)
    assert sure("date", 3) > 0.9
    assert sure("name", 3) < sure("name", -1)  # of a new layout nothing is known
    back = Calibrator.from_data(calibrator.to_data(), "value")
    asked = [decided("name", layout, 2.0) for layout in (-1, 0, 3)]
    assert back.probabilities(asked) == pytest.approx(calibrator.probabilities(asked))


def test_a_decision_does_not_see_itself_in_the_record_of_its_layout() -> None:
    """Many layouts of two papers each, right or wrong by lot: the other paper tells nothing."""
    rng = np.random.default_rng(8)
    records = [Decision("name", (), (), -1.0, -9, 1.0, 1.0, layout=n) for n in range(100) for _ in range(2)]
    calibrator = Calibrator().fit(records, (rng.random(len(records)) < 0.5).tolist())
    found = calibrator.probabilities(records)
    assert found.max() - found.min() < 0.15
