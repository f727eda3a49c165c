"""Where the parts of a chart stand, for templates that draw SVG: no arithmetic is left to them."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

from jugum.core.evaluation.report_model import ConfidenceFigures, FieldCurve
from jugum.flow.weigh.spot_checks import Won
from jugum.web.figures import percent

LEFT, TOP, WIDTH, HEIGHT = 46.0, 10.0, 300.0, 170.0
WINNINGS_WIDTH, WINNINGS_HEIGHT = 560.0, 236.0
WINNINGS_LEAST = 1e-4  # times the stake: what is less is lost all the same


@dataclass(frozen=True)
class AxisTick:
    at: float
    text: str


@dataclass(frozen=True)
class Dot:
    """A point with its bar (from `low` to `high` on the page), its size, and what it says."""

    x: float
    y: float
    low: float
    high: float
    radius: float
    said: str
    strange: bool = False


@dataclass(frozen=True)
class Chart:
    """Dots, lines of points as SVG wants them, ticks of both axes, and a sentence that says the chart in words."""

    dots: list[Dot]
    lines: dict[str, str] = field(default_factory=dict)
    area: str = ""
    x_ticks: list[AxisTick] = field(default_factory=list)
    y_ticks: list[AxisTick] = field(default_factory=list)
    said: str = ""
    left: float = LEFT
    right: float = LEFT + WIDTH
    top: float = TOP
    bottom: float = TOP + HEIGHT


def _tenth(value: float) -> float:
    return round(float(value), 1)


def reliability_chart(seen: ConfidenceFigures | None, unseen: ConfidenceFigures | None) -> Chart | None:
    """Share right against stated confidence, bins of seen layouts and of layouts not seen; None without decisions.
    Axes begin at the lowest figure there is."""
    bins = [(level, is_new) for its, is_new in ((seen, False), (unseen, True)) if its for level in its.reliability]
    if not bins:
        return None
    least = math.floor(10 * min(min(one.confidence, one.right) for one, _ in bins)) / 10
    least = min(least, 0.9)

    def x(share: float) -> float:
        return _tenth(LEFT + WIDTH * (share - least) / (1 - least))

    def y(share: float) -> float:
        return _tenth(TOP + HEIGHT * (1 - (max(least, share) - least) / (1 - least)))

    dots = [
        Dot(
            x(one.confidence),
            y(one.right),
            y(one.interval[0]),
            y(one.interval[1]),
            round(2.5 + 0.35 * math.sqrt(one.count), 1),
            f"{one.count} decisions stated at {percent(one.confidence, 1)}: {percent(one.right, 1)} right",
            strange,
        )
        for one, strange in bins
    ]
    ticks = _tenths(least)
    said = "; ".join(dot.said + (" (new layouts)" if dot.strange else "") for dot in dots)
    return Chart(
        dots,
        {"true": f"{x(least)},{y(least)} {x(1)},{y(1)}"},
        "",
        [AxisTick(x(tick), f"{tick * 100:.0f} %") for tick in ticks],
        [AxisTick(y(tick), f"{tick * 100:.0f} %") for tick in ticks],
        said,
    )


@dataclass(frozen=True)
class WinningsChart:
    """The bet against a promise: its line, dots of the papers on which something was wrong, and the alarm's height."""

    dots: list[PaperDot]
    line: str
    alarm: float
    x_ticks: list[AxisTick]
    y_ticks: list[AxisTick]
    said: str
    left: float = LEFT
    right: float = LEFT + WINNINGS_WIDTH
    top: float = TOP
    bottom: float = TOP + WINNINGS_HEIGHT


@dataclass(frozen=True)
class PaperDot:
    """A checked paper with wrong values."""

    x: float
    y: float
    document: int
    said: str


def winnings_chart(winnings: Sequence[Won], alarm: float) -> WinningsChart | None:
    """What a bet against the promise has won after each checked paper, in powers of ten; None without one."""
    if not winnings:
        return None
    most = max(10 * alarm, *(won.winnings for won in winnings))
    least = max(WINNINGS_LEAST, min(0.1, *(won.winnings for won in winnings)))
    low, high = math.floor(math.log10(least)), math.ceil(math.log10(most))
    count = winnings[-1].papers

    def x(papers: float) -> float:
        return _tenth(LEFT + WINNINGS_WIDTH * papers / max(1, count))

    def y(value: float) -> float:
        power = math.log10(min(10.0**high, max(10.0**low, value)))
        return _tenth(TOP + WINNINGS_HEIGHT * (high - power) / (high - low))

    step = max(1, (high - low) // 5)
    every = max(1, math.ceil(count / 6))
    highest = max(won.winnings for won in winnings)
    return WinningsChart(
        [
            PaperDot(x(won.papers), y(won.winnings), won.document_id, f"{won.paper}: {won.wrong} wrong")
            for won in winnings
            if won.wrong
        ],
        " ".join([f"{x(0)},{y(1)}", *(f"{x(won.papers)},{y(won.winnings)}" for won in winnings)]),
        y(alarm),
        [AxisTick(x(papers), str(papers)) for papers in range(0, count + 1, every)],
        [AxisTick(y(10.0**power), f"{10.0**power:g}") for power in range(low, high + 1, step)],
        f"After {count} checked papers the bet against the promise has {winnings[-1].winnings:.2g} times its stake, "
        f"at most {highest:.2g}; the alarm is at {alarm:g}",
    )


def _tenths(least: float) -> list[float]:
    step = 0.1 if least < 0.6 else 0.05 if least < 0.85 else 0.02
    count = round((1 - least) / step)
    every = max(1, math.ceil(count / 6))
    return [round(1 - step * number, 3) for number in range(0, count + 1, every)]


def curve_chart(curve: FieldCurve | None) -> Chart | None:
    """Share right against the number of labelled papers, with the forecast and its interval; None with fewer than
    two points."""
    if curve is None or len(curve.points) < 2:
        return None
    points, ahead = curve.points, curve.forecast
    shares = [point.share for point in points]
    least = math.floor(20 * min([*shares, *(forecast.low for forecast in ahead)])) / 20
    least = min(least, 0.95)
    most = max([point.papers for point in points] + [forecast.papers for forecast in ahead])

    def x(papers: float) -> float:
        return _tenth(LEFT + WIDTH * papers / most)

    def y(share: float) -> float:
        return _tenth(TOP + HEIGHT * (1 - (max(least, share) - least) / (1 - least)))

    dots = [
        Dot(
            x(one.papers),
            y(share),
            y(share),
            y(share),
            3.5,
            f"from {one.papers} papers {percent(share, 1)} of {one.total} values right",
        )
        for one, share in zip(points, shares, strict=True)
    ]
    measured = " ".join(f"{dot.x},{dot.y}" for dot in dots)
    lines, area = {"measured": measured}, ""
    if ahead:
        start = f"{dots[-1].x},{dots[-1].y}"
        lines["forecast"] = " ".join([start, *(f"{x(forecast.papers)},{y(forecast.share)}" for forecast in ahead)])
        upper = [f"{x(forecast.papers)},{y(forecast.high)}" for forecast in ahead]
        lower = [f"{x(forecast.papers)},{y(forecast.low)}" for forecast in reversed(ahead)]
        area = " ".join([start, *upper, *lower])
    expected = [
        f"expected from {forecast.papers} papers {percent(forecast.share, 1)} "
        f"({percent(forecast.low, 1)} to {percent(forecast.high, 1)})"
        for forecast in ahead
    ]
    said = "; ".join([*(dot.said for dot in dots), *expected])
    papers = [point.papers for point in points] + [forecast.papers for forecast in ahead]
    return Chart(
        dots,
        lines,
        area,
        [AxisTick(x(paper), str(paper)) for paper in papers],
        [AxisTick(y(tenth), f"{tenth * 100:.0f} %") for tenth in _tenths(least)],
        said,
    )
