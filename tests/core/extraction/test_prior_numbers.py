"""The shipped prior gives the numbers it was made with: its features keep their order and their meaning."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from tests.core.training.test_few_papers import PLAN, sample
from tests.papers import slips

from jugum.core.extraction.values.corpus import Corpus
from jugum.core.extraction.values.prior import shipped_prior

# For each field of the slips: sums of the features over candidates, by column, and the prior's log-odds of each
# candidate.
KEPT = json.loads((Path(__file__).parent / "data/prior_numbers.json").read_text())


@pytest.mark.parametrize("key", list(KEPT))
def test_features_and_prior_give_the_numbers_kept(key: str) -> None:
    made = [sample(slip, number % 2, str(number)) for number, slip in enumerate(slips(6))]
    corpus = Corpus(PLAN, made, groups=[number % 2 for number in range(6)])
    known = np.array([True, True, True, True, False, False])
    places, rows = corpus.view(5).features(PLAN.field(key), corpus.reference_mask(known))
    kept = KEPT[key]
    assert len(places) == kept["candidates"]
    # Sums in double precision of single-precision features: another processor's matrix product may differ in the last
    # bit.
    assert rows.astype(np.float64).sum(axis=0) == pytest.approx(kept["columns"], rel=1e-6, abs=1e-6)
    assert shipped_prior().logits(rows) == pytest.approx(kept["logits"], rel=1e-12)
