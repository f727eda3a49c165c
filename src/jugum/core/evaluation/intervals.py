"""Intervals of a share that was counted: how sure a figure is, from how many cases it stands on."""

from __future__ import annotations


def upper_bound(wrong: int, total: int, *, level: float = 0.95) -> float:
    """One-sided Clopper–Pearson upper bound of a share (Clopper and Pearson, 1934): 0 of 45 at 90 % → 0.050.

    It takes decisions as independent; those on one paper are not quite.
    """
    if total <= 0 or wrong >= total:
        return 1.0
    from scipy.special import betaincinv  # here: loading SciPy would delay every start by half a second

    return float(betaincinv(wrong + 1, total - wrong, level))


def share_interval(hits: int, total: int, *, level: float = 0.95) -> tuple[float, float]:
    """Two-sided Wilson interval of a share (Wilson, 1927): 28 of 30 → (0.787, 0.982). (0, 1) when total is 0."""
    if total <= 0:
        return 0.0, 1.0
    from scipy.special import ndtri

    z = float(ndtri(0.5 + level / 2))
    share = hits / total
    centre = (share + z * z / (2 * total)) / (1 + z * z / total)
    half = z / (1 + z * z / total) * (share * (1 - share) / total + z * z / (4 * total * total)) ** 0.5
    return max(0.0, centre - half), min(1.0, centre + half)
