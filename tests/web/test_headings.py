"""Sentences that say what figures mean."""

from __future__ import annotations

from jugum.core.evaluation.compare import Comparison, ComparisonVerdict
from jugum.core.evaluation.intervals import upper_bound
from jugum.core.thresholds import ThresholdOutcome
from jugum.core.thresholds.promise import promise_of
from jugum.flow.train.versions import Against
from jugum.web import headings


def promised(passing: int, wrong: int) -> str:
    outcome = ThresholdOutcome(passing + 20, passing, wrong, upper_bound(wrong, passing))
    return headings.promise(outcome, promise_of(outcome, 0.02, 6))


def test_what_can_be_promised_is_said_with_what_is_missing() -> None:
    assert promised(200, 0) == (
        "Over all fields, at most 1.5 % of the values that pass are wrong (95 % confidence): the maximum of 2.0 % is "
        "kept."
    )
    assert promised(60, 0) == (
        "A maximum of 2.0 % can't be promised yet: 0 of 60 values that pass are wrong, which shows at most 4.9 % "
        "(95 % confidence). About 89 more values that pass from about 9 labelled papers would show it, if errors stay "
        "as rare."
    )
    assert promised(100, 5).startswith("A maximum of 2.0 % can't be promised: 5 of 100 values that pass are wrong.")
    assert promised(0, 0).startswith("No held-out value passes, so nothing can be promised.")


def test_a_version_is_said_to_be_better_only_when_chance_is_unlikely() -> None:
    def compared(gained: int, lost: int, chance: float, verdict: ComparisonVerdict, live: bool = True) -> str:
        return headings.compared(
            3, Against(2, live, Comparison(66, 60, 60 + gained - lost, gained, lost, chance, verdict))
        )

    assert compared(3, 1, 0.625, ComparisonVerdict.OPEN) == (
        "On the 66 values that both were tested on, version 3 has 62 right, version 2 (live) has 60: 3 newly right, "
        "1 newly wrong. The difference may be chance (62 %, McNemar's exact test)."
    )
    assert compared(6, 0, 0.031, ComparisonVerdict.BETTER, live=False).endswith(
        "Version 3 is better: chance alone gives such a difference in 3.1 % of cases."
    )
    nothing = Against(2, True, Comparison(0, 0, 0, 0, 0, 1.0, ComparisonVerdict.OPEN))
    assert "can't be compared" in headings.compared(3, nothing)
