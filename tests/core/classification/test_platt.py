"""Scores as chances."""

from __future__ import annotations

import numpy as np
import pytest

from jugum.core.classification.platt import SLOPE_LEAST, fit_platt


def chances(line: tuple[float, float], scores: np.ndarray) -> np.ndarray:
    return np.asarray(1 / (1 + np.exp(-(line[0] * scores + line[1]))))


def test_the_line_behind_scores_is_found() -> None:
    rng = np.random.default_rng(3)
    scores = rng.normal(2.0, 3.0, 20_000)
    right = rng.random(len(scores)) < chances((0.7, -1.2), scores)
    slope, offset = fit_platt(scores, right, np.ones(len(scores)))
    assert slope == pytest.approx(0.7, abs=0.03)
    assert offset == pytest.approx(-1.2, abs=0.08)


def test_a_weight_counts_as_so_many_of_the_same() -> None:
    scores = np.array([-2.0, -1.0, 0.5, 1.0, 3.0])
    right = np.array([False, True, False, True, True])
    weights = np.array([1.0, 2.0, 3.0, 1.0, 4.0])
    often = weights.astype(int)
    found = fit_platt(scores, right, weights)
    assert found == pytest.approx(fit_platt(scores.repeat(often), right.repeat(often), np.ones(11)), abs=1e-4)


@pytest.mark.parametrize("right", [[True] * 6, [False] * 6, [False, False, False, True, True, True]])
def test_what_is_told_apart_wholly_stays_a_chance(right: list[bool]) -> None:
    scores = np.linspace(-3.0, 3.0, 6)
    line = fit_platt(scores, np.array(right), np.ones(6))
    assert np.isfinite(line).all()
    found = chances(line, scores)
    assert (np.diff(found) > 0).all()
    assert found.max() < 0.995
    assert found.min() > 0.005


def test_a_better_score_never_means_a_smaller_chance() -> None:
    scores = np.linspace(-3.0, 3.0, 40)
    slope, offset = fit_platt(scores, scores < 0, np.ones(40))
    assert slope == SLOPE_LEAST
    assert chances((slope, offset), scores).mean() == pytest.approx(0.5, abs=0.02)
