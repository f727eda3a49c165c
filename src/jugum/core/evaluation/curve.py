"""The learning curve: how many errors remain with so many papers, and what more of them would bring."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
import numpy.typing as npt

from jugum.core.evaluation.report_model import CurvePoint, FieldCurve, Forecast, Wanted
from jugum.core.training.holdout import HeldOut, Papers, judge_fold, paper_folds

SHARES = (0.25, 0.5, 0.75)  # of the labelled papers, that smaller trainings learn from; the whole is known already
WHOLE_SHARE = 0.8  # of all papers that the models behind held-out figures have learned from
PAPERS_LEAST = 3  # no training learns from fewer
FORECAST_TO = (1.5, 2.0, 3.0)  # times as many papers as there are
RESAMPLES = 200  # enough for an 80 % band, whose edges are not read to the digit
SLOPES = (0.0, 1.5)  # errors neither grow with more papers nor fall faster than has been seen of any model
WANTED_SHARE = 0.98  # of a field's values right, which the forecast of papers is made for
Floats = npt.NDArray[np.float64]


def curve_records(papers: Papers, *, seed: int = 0) -> dict[int, list[HeldOut]]:
    """Number of papers → decisions on held-out papers by models of so many: for each share, two folds of the five
    with nested samples of the rest. Of papers that were looked at as a whole, as in the report (see `report_of`)."""
    found: dict[int, list[HeldOut]] = {}
    folds = paper_folds(papers.corpus, seed)[:2]
    rng = np.random.default_rng(seed)
    orders = [rng.permutation([n for n in range(len(papers.samples)) if n not in set(fold)]) for fold in folds]
    for share in SHARES:
        for number, (fold, order) in enumerate(zip(folds, orders, strict=True)):
            count = round(share * len(order))
            if count >= PAPERS_LEAST:
                its = judge_fold(papers, fold, sorted(int(n) for n in order[:count]), number, unseen=False, seed=seed)
                found.setdefault(count, []).extend(record for record in its.records if papers.counted[record.paper])
    return found


def points_of(records: Mapping[int, Sequence[HeldOut]], field: str = "") -> list[CurvePoint]:
    """The curve of a field ("" for all together), fewest papers first."""
    found = []
    for papers, its in sorted(records.items()):
        mine = [record.right for record in its if not field or record.decision.field == field]
        if mine:
            found.append(CurvePoint(papers=papers, right=sum(mine), total=len(mine)))
    return found


def fitted(points: Sequence[CurvePoint]) -> tuple[float, float]:
    """Level a and slope b of errors = a · papers^(−b) (Cortes and others, 1994), by least squares on logarithms
    weighed by counts; b is kept within 0 to 1.5, so that more papers never make it worse. Half an error is added to
    each count, so that none is taken for perfect."""
    x = np.log([point.papers for point in points])
    y = np.log([(point.total - point.right + 0.5) / (point.total + 1) for point in points])
    weight = np.array([point.total for point in points], dtype=float)
    mean_x, mean_y = np.average(x, weights=weight), np.average(y, weights=weight)
    spread = float(np.sum(weight * (x - mean_x) ** 2))
    slope = -float(np.sum(weight * (x - mean_x) * (y - mean_y))) / spread if spread > 0 else 0.0
    slope = float(np.clip(slope, *SLOPES))
    return float(np.exp(mean_y + slope * mean_x)), slope


def share_at(papers: int, level: float, slope: float) -> float:
    """Share right with so many papers by a fitted curve."""
    return 1 - min(1.0, level * float(np.exp(-slope * np.log(papers))))


def forecast(points: Sequence[CurvePoint], papers: int, *, seed: int = 0) -> list[Forecast]:
    """What 1.5, 2 and 3 times as many papers may bring; intervals by drawing each point's count anew (binomial).
    Empty with fewer than three points."""
    if len(points) < 3:
        return []
    drawn = _drawn(points, seed)
    level, slope = fitted(points)
    found = []
    for times in FORECAST_TO:
        more = round(times * papers)
        low, high = np.quantile([share_at(more, *curve) for curve in drawn], [0.1, 0.9])
        share = share_at(more, level, slope)
        found.append(
            Forecast(
                papers=more,
                share=round(share, 4),
                low=round(min(share, float(low)), 4),
                high=round(max(share, float(high)), 4),
            )
        )
    return found


def _drawn(points: Sequence[CurvePoint], seed: int) -> list[tuple[float, float]]:
    rng = np.random.default_rng(seed)
    found = []
    for _ in range(RESAMPLES):
        rights = [int(rng.binomial(point.total, (point.right + 0.5) / (point.total + 1))) for point in points]
        drawn = [one.model_copy(update={"right": right}) for one, right in zip(points, rights, strict=True)]
        found.append(fitted(drawn))
    return found


def papers_wanted(points: Sequence[CurvePoint], papers: int, share: float, *, seed: int = 0) -> Wanted | None:
    """None with fewer than three points, or when the share is reached already."""
    if len(points) < 3:
        return None
    level, slope = fitted(points)
    if share_at(papers, level, slope) >= share:
        return None
    found = sorted(
        (_more(papers, share, *curve) for curve in _drawn(points, seed)), key=lambda one: (one is None, one or 0)
    )
    low, high = found[len(found) // 10], found[len(found) - 1 - len(found) // 10]
    return Wanted(share=share, more=_more(papers, share, level, slope), low=low, high=high)


def _more(papers: int, share: float, level: float, slope: float) -> int | None:
    if share_at(papers, level, slope) >= share:
        return 0
    if slope <= 0:
        return None
    needed = (
        float(np.log(level / (1 - share))) / slope
    )  # its logarithm: a flat curve would need more than can be counted
    return int(np.ceil(np.exp(needed))) - papers if needed <= np.log(10 * papers) else None


def learning_curve(papers: Papers, full: Mapping[str, tuple[int, int]], *, seed: int = 0) -> dict[str, FieldCurve]:
    """Errors by number of papers with their forecast, for all fields together ("") and for each; and how many more
    papers each needs for 98 %, if it was measured below. `full` has for each (values right, judged) in the held-out
    figures of the whole training, whose folds leave four fifths to learn from."""
    records = curve_records(papers, seed=seed)
    count = len(papers.samples)
    found = {}
    for key in ["", *(field.key for field in papers.plan.fields)]:
        points = points_of(records, key)
        right, total = full.get(key, (0, 0))
        if total:
            points.append(CurvePoint(papers=round(count * WHOLE_SHARE), right=right, total=total))
        if points:
            is_short = bool(total) and right < WANTED_SHARE * total
            wanted = papers_wanted(points, count, WANTED_SHARE, seed=seed) if is_short else None
            found[key] = FieldCurve(points=points, forecast=forecast(points, count, seed=seed), wanted=wanted)
    return found
