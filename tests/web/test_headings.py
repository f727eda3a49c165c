"""Sentences that say what figures mean."""

from __future__ import annotations

from datetime import UTC, datetime

from jugum.core.evaluation.compare import Comparison, ComparisonVerdict
from jugum.core.evaluation.drift import Drift, DriftCause, DriftFigure
from jugum.core.thresholds import Evidence, EvidenceTable, outcome
from jugum.core.thresholds.checking import CheckRate
from jugum.core.thresholds.effort import Effort
from jugum.core.thresholds.periods import Span
from jugum.core.thresholds.promise import promise_of
from jugum.flow.train.versions import Against
from jugum.flow.weigh.live import LiveView
from jugum.flow.weigh.policies import PolicyView
from jugum.web import headings


def promised(passing: int, wrong: int, confidence: float = 0.995) -> str:
    """What is said of values on so many papers, one a paper."""
    table = EvidenceTable.of(
        [Evidence("a", confidence, number >= wrong, paper=str(number)) for number in range(passing)]
    )
    found = outcome(table, table.confidence >= 0.5)
    return headings.promise(found, promise_of(found, 0.02, table.papers))


def test_what_can_be_promised_is_said_with_what_is_missing() -> None:
    assert promised(200, 0) == "At most 2 % wrong among what passes: proven (bound 1.5 %)"
    assert promised(60, 0) == (
        "At most 2 % wrong among what passes: expected, not yet proven (bound 4.9 %; about 199 more checked papers)"
    )
    assert promised(100, 5) == (
        "At most 2 % wrong among what passes: not to be expected (5.0 % counted, 0.5 % expected by the confidences)"
    )
    assert (
        promised(60, 0, 0.9801) == "At most 2 % wrong among what passes: expected, but too close to prove (bound 4.9 %)"
    )
    assert promised(0, 0) == "No value passes, so there is nothing to promise"


def test_what_a_policy_changed_is_said_field_by_field() -> None:
    def policy(thresholds: dict[str, float], held: list[str], gate: float) -> PolicyView:
        return PolicyView(1, 1, 1, thresholds, gate, "", datetime(2026, 1, 1, tzinfo=UTC), "Runa", {}, held, {})

    names = {"amount": "Amount", "member": "Member", "day": "Day"}
    before = policy({"amount": 0.9, "member": 0.8}, [], 0.6)
    now = policy({"amount": 0.905, "member": 0.8, "day": 0.7}, ["member"], 0.5)
    assert headings.policy_changes(now, before, names) == [
        "Amount: 90 % → 90.5 %",
        "Member: 80 % → always a person",
        "Day: no threshold → 70 %",
        "Minimum layout similarity: 60 % → 50 %",
    ]
    assert headings.policy_changes(now, now, names) == headings.policy_changes(now, None, names) == []


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


def test_what_drifted_is_said_with_its_likely_cause() -> None:
    changes = [
        Drift(DriftFigure.MISSING, 0.1, 0.4, 30, 20, 0.001, DriftCause.FIELD_STOPPED, "bonus"),
        Drift(DriftFigure.CONFIDENCE, 0.95, 0.85, 30, 20, 0.001, DriftCause.UNKNOWN),
    ]
    view = LiveView(Span.WEEK, [], [], Effort(6, 4), changes, 30, 20, None, [])
    assert headings.drifts(view, {"bonus": "Bonus"}) == [
        "Bonus is missing: 40 % now, 10 % before (20 papers against 30); likely cause: a field stopped appearing.",
        "Mean confidence: 85 % now, 95 % before (20 papers against 30); the cause is not known.",
    ]


def test_why_so_many_papers_are_checked_is_said() -> None:
    def said(rate: float, needed: float, proven: float) -> str:
        return headings.rate_of_checks(CheckRate(rate, needed, proven, 30)).partition("now: ")[2]

    assert said(1.0, 1.0, 0.3) == "so few papers pass that all are needed to notice a breach in time"
    assert said(0.05, 0.05, 1.0) == "the promise is proven; so many are needed to notice a breach in time"
    assert said(0.3, 0.05, 0.25) == "on probation, 25 % of what would prove the promise"
    assert said(0.5, 0.05, 0.0) == "on probation"
