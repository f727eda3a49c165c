"""Small charts of live figures, one figure each over the same days or weeks: where their parts stand."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import date

from jugum.core.thresholds.periods import Period, Span
from jugum.flow.weigh.live import LiveView
from jugum.web.charts import AxisTick
from jugum.web.figures import percent

LEFT, TOP, WIDTH, HEIGHT = 44.0, 12.0, 320.0, 104.0
TICKS_MOST = 6
MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
REASONS = ("low confidence", "missing", "fails a check")  # in the order in which bars stand on each other


@dataclass(frozen=True)
class At:
    """A period's figure: a dot with its bar, what it says, the first day of its period."""

    x: float
    y: float
    low: float
    high: float
    said: str
    start: date


@dataclass(frozen=True)
class Bar:
    """A part of a period's bar, of one kind."""

    x: float
    y: float
    width: float
    height: float
    kind: str
    said: str
    start: date


@dataclass(frozen=True)
class PeriodChart:
    """One figure over the periods: its name, what it is now, dots or bars, ticks, days on which a policy was
    published."""

    name: str
    now: str
    dots: list[At]
    line: str
    bars: list[Bar]
    x_ticks: list[AxisTick]
    y_ticks: list[AxisTick]
    policies: list[AxisTick] = field(default_factory=list)
    left: float = LEFT
    right: float = LEFT + WIDTH
    top: float = TOP
    bottom: float = TOP + HEIGHT


Interval = tuple[float, float]


def period_charts(view: LiveView) -> list[PeriodChart]:
    """All charts of a type's live figures; none without papers."""
    if not view.periods:
        return []
    frame = _Frame(view)
    return [
        frame.shares(
            "Straight through",
            lambda period: (period.through.share, period.through.interval, period.through.total, "papers"),
        ),
        frame.bars("Papers held, by reason"),
        frame.amounts("Minutes of review per 100 papers", lambda period: period.minutes),
        frame.shares(
            "Wrong among what passed",
            lambda period: (
                (period.checked.error_share, period.checked.error_interval, period.checked.passing, "checked values")
                if period.checked
                else None
            ),
        ),
        frame.shares(
            "Papers of new layouts",
            lambda period: (period.new_layouts.share, period.new_layouts.interval, period.new_layouts.total, "papers"),
        ),
        frame.shares("Mean confidence of values", lambda period: _mean(period.confidence, period)),
    ]


def _mean(share: float | None, period: Period) -> tuple[float | None, Interval | None, int, str]:
    return share, None, len(period.papers), "papers"


class _Frame:
    """The axis of time that all charts have."""

    def __init__(self, view: LiveView) -> None:
        self.periods, self.span = view.periods, view.span
        self.first = view.periods[0].start
        self.days = max(1, (view.periods[-1].start - self.first).days)
        every = max(1, math.ceil(len(view.periods) / TICKS_MOST))
        self.x_ticks = [AxisTick(self.x(period.start), day_name(period.start)) for period in view.periods[::every]]
        self.policies = [
            AxisTick(self.x(max(self.first, min(new.day, view.periods[-1].start))), f"policy {new.policy}")
            for new in view.published
        ]

    def x(self, day: date) -> float:
        inner = 14.0  # so that bars of the first and last have room
        return round(LEFT + inner + (WIDTH - 2 * inner) * (day - self.first).days / self.days, 1)

    def shares(
        self, name: str, of: Callable[[Period], tuple[float | None, Interval | None, int, str] | None]
    ) -> PeriodChart:
        known = [(period, found) for period in self.periods if (found := of(period)) and found[0] is not None]
        shares = [found[0] or 0.0 for _, found in known]
        low, high = _scale(shares)

        def y(share: float) -> float:
            kept = min(high, max(low, share))
            return round(TOP + HEIGHT * (high - kept) / (high - low), 1)

        dots = []
        for (period, (_, interval, total, unit)), share in zip(known, shares, strict=True):
            ends = interval or (share, share)
            between = f" (95 % interval {percent(ends[0], 1)} to {percent(ends[1], 1)})" if interval else ""
            said = f"{self._when(period.start)}: {percent(share, 1)} of {total} {unit}{between}"
            dots.append(At(self.x(period.start), y(share), y(ends[0]), y(ends[1]), said, period.start))
        ticks = [low, (low + high) / 2, high]
        digits = 0 if high - low >= 0.1 else 1
        now = f"{percent(shares[-1], 1)} of {known[-1][1][2]} {known[-1][1][3]}" if known else "nothing yet"
        return self._chart(name, now, dots, [AxisTick(y(share), percent(share, digits)) for share in ticks])

    def amounts(self, name: str, of: Callable[[Period], float | None]) -> PeriodChart:
        known = [(period, amount) for period in self.periods if (amount := of(period)) is not None]
        most = _round_up(max((amount for _, amount in known), default=1.0))

        def y(amount: float) -> float:
            return round(TOP + HEIGHT * (1 - amount / most), 1)

        dots = [
            At(
                self.x(period.start),
                y(amount),
                y(amount),
                y(amount),
                f"{self._when(period.start)}: {amount:.0f} min",
                period.start,
            )
            for period, amount in known
        ]
        ticks = [AxisTick(y(part * most), f"{part * most:g}") for part in (0.0, 0.5, 1.0)]
        return self._chart(name, f"{known[-1][1]:.0f} min" if known else "nothing yet", dots, ticks)

    def bars(self, name: str) -> PeriodChart:
        most = _round_up(max((sum(period.held.values()) for period in self.periods), default=1) or 1)
        width = round(min(22.0, 0.6 * (WIDTH - 28) / max(1, len(self.periods))), 1)
        made = []
        for period in self.periods:
            bottom = TOP + HEIGHT
            for reason in (*REASONS, *(reason for reason in period.held if reason not in REASONS)):
                count = period.held.get(reason, 0)
                height = HEIGHT * count / most
                bottom -= height
                if count:
                    said = f"{self._when(period.start)}: {count} of {len(period.papers)} papers held, {reason}"
                    made.append(
                        Bar(
                            round(self.x(period.start) - width / 2, 1),
                            round(bottom, 1),
                            width,
                            round(height, 1),
                            reason.replace(" ", "-"),
                            said,
                            period.start,
                        )
                    )
        last = self.periods[-1]
        held = len(last.papers) - last.through.count
        ticks = [AxisTick(round(TOP + HEIGHT * (1 - part), 1), f"{part * most:g}") for part in (0.0, 0.5, 1.0)]
        now = f"{held} of {len(last.papers)} papers"
        return PeriodChart(name, now, [], "", made, self.x_ticks, ticks, self.policies)

    def _chart(self, name: str, now: str, dots: list[At], y_ticks: list[AxisTick]) -> PeriodChart:
        line = " ".join(f"{dot.x},{dot.y}" for dot in dots)
        return PeriodChart(name, now, dots, line, [], self.x_ticks, y_ticks, self.policies)

    def _when(self, start: date) -> str:
        return day_name(start) if self.span is Span.DAY else f"week of {day_name(start)}"


def day_name(day: date) -> str:
    """A day without its year."""
    return f"{day.day} {MONTHS[day.month - 1]}"


def _scale(shares: Sequence[float]) -> Interval:
    """The part of 0 to 1 that shares are shown in: all of it, or the end that they lie at."""
    if not shares or (min(shares) < 0.4 and max(shares) > 0.6):
        return 0.0, 1.0
    for span in (0.05, 0.1, 0.2, 0.5):
        if max(shares) <= span * 0.95:
            return 0.0, span
        if min(shares) >= 1 - span * 0.95:
            return 1 - span, 1.0
    return 0.0, 1.0


def _round_up(amount: float) -> float:
    """The next number that is easily halved."""
    if amount <= 2:
        return 2.0
    power = 10.0 ** math.floor(math.log10(amount))
    return next(step * power for step in (1, 2, 4, 6, 8, 10) if amount <= step * power)


__all__ = ["PeriodChart", "day_name", "period_charts"]
