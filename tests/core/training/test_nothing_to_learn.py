"""Evidence never shrinks in silence: a fold without anything to learn is named, any other fault fails the training."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from tests.core.training.test_few_papers import PLAN, sample
from tests.papers import slips

from jugum.core.classification import TypeSample
from jugum.core.evaluation import cutting
from jugum.core.evaluation.report import report_of
from jugum.core.extraction.candidates.samples import Sample
from jugum.core.extraction.values import prior
from jugum.core.extraction.values.corpus import Corpus
from jugum.core.extraction.values.features import PaperFeatures
from jugum.core.schema import Plan
from jugum.core.training import holdout, train_version
from jugum.core.training.holdout import Papers, held_out_decisions
from jugum.errors import NothingToLearn

GROUPS = {str(number): number % 2 for number in range(8)}


@pytest.fixture(scope="module")
def samples() -> list[Sample]:
    return [sample(slip, number % 2, str(number)) for number, slip in enumerate(slips(8))]


def test_an_error_in_one_fold_fails_the_whole_training(samples: list[Sample], monkeypatch: pytest.MonkeyPatch) -> None:
    real, calls = holdout.train_extractor, []

    def breaks_once(*given: object, **named: object) -> object:
        calls.append(given)
        if len(calls) == 3:
            raise ValueError("a fault of the program")
        return real(*given, **named)  # type: ignore[arg-type]

    monkeypatch.setattr(holdout, "train_extractor", breaks_once)
    with pytest.raises(ValueError, match="a fault of the program"):
        train_version(PLAN, samples, groups=GROUPS)


def test_a_feature_that_is_no_number_fails_the_training(samples: list[Sample], monkeypatch: pytest.MonkeyPatch) -> None:
    real = PaperFeatures.features_of

    def no_number(self: PaperFeatures, *given: object) -> object:
        rows = real(self, *given)  # type: ignore[arg-type]
        rows[:, 0] = np.nan
        return rows

    monkeypatch.setattr(PaperFeatures, "features_of", no_number)
    with pytest.raises(ValueError, match="NaN"):
        train_version(PLAN, samples, groups=GROUPS)


def test_a_prior_that_does_not_fit_the_features_fails_the_training(
    samples: list[Sample], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(prior, "FEATURES", (*prior.FEATURES, "one more"))
    prior.shipped_prior.cache_clear()
    with pytest.raises(ValueError, match="other features"):
        train_version(PLAN, samples, groups=GROUPS)


def test_a_fold_that_leaves_nothing_to_learn_is_named_in_the_report(samples: list[Sample]) -> None:
    """Only the papers of one layout have values: when they are held out, the rest has none."""
    given = [one if GROUPS[one.key] == 0 else replace(one, labels=dict.fromkeys(one.labels, ())) for one in samples]
    trained = train_version(PLAN, given, groups=GROUPS)
    left_out = report_of(trained).left_out
    assert [(fold.unseen, fold.papers) for fold in left_out] == [(True, 4)]
    assert "right" in left_out[0].reason


def test_labels_that_tell_nothing_apart_are_told_with_the_reason(samples: list[Sample]) -> None:
    nowhere = [replace(one, labels={**dict.fromkeys(one.labels, ())}) for one in samples]
    papers = Papers.of(PLAN, nowhere, Corpus(PLAN, nowhere, groups=list(GROUPS.values())))
    held_out = held_out_decisions(papers, unseen=False)
    assert held_out.records == []
    assert len(held_out.left_out) == 5
    assert sum(one.papers for one in held_out.left_out) == len(nowhere)


def test_bundles_that_could_not_be_judged_say_why(monkeypatch: pytest.MonkeyPatch, samples: list[Sample]) -> None:
    typed = [TypeSample((one.pages[0], one.pages[0]), 1 + number % 2, number) for number, one in enumerate(samples * 2)]
    real, calls = cutting.fit_cutter, []

    def too_few(*given: object) -> object:
        calls.append(given)
        if len(calls) == 1:
            raise NothingToLearn("too few papers")
        return real(*given)  # type: ignore[arg-type]

    monkeypatch.setattr(cutting, "fit_cutter", too_few)
    figures = cutting.cut_figures(typed, unseen=False)
    assert figures is not None
    assert figures.left_out == ("too few papers",)

    def broken(*given: object) -> object:
        raise ValueError("a fault of the program")

    monkeypatch.setattr(cutting, "fit_cutter", broken)
    with pytest.raises(ValueError, match="a fault of the program"):
        cutting.cut_figures(typed, unseen=False)


def test_a_plan_without_learned_values_leaves_no_fold_out(samples: list[Sample]) -> None:
    plan = Plan(())
    papers = Papers.of(plan, samples, Corpus(plan, samples, groups=list(GROUPS.values())))
    assert held_out_decisions(papers, unseen=False).left_out == []
