"""How figures are written, and which styles there are."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest

from jugum.core.values.date_styles import DateStyle
from jugum.web.figures import article, many, percent, size, when
from jugum.web.rendering import HERE, STYLE_SHEETS


@pytest.mark.parametrize(
    ("share", "digits", "said"),
    [
        (0.975, 0, "98 %"),
        (0.9996, 0, "99.5 %"),
        (1.0, 0, "100 %"),
        (None, 0, "–"),
        (0.0, 1, "0.0 %"),
        (0.99999, 1, "99.95 %"),
    ],
)
def test_shares_are_never_rounded_up_to_all(share: float | None, digits: int, said: str) -> None:
    assert percent(share, digits) == said


def test_counts_agree_with_their_noun() -> None:
    assert many(1, "paper") == "1 paper"
    assert many(0, "paper") == "0 papers"
    assert many(2, "is", "are") == "2 are"


def test_a_noun_has_its_article() -> None:
    assert (article("inspection report"), article("pay stub")) == ("an", "a")


def test_sizes_and_times_are_short() -> None:
    assert (size(10), size(2_400), size(3_210_000)) == ("1 kB", "2 kB", "3.2 MB")
    assert when(None) == "–"
    assert when(datetime(2001, 2, 3, 12, tzinfo=UTC)) == "3 Feb 2001"
    assert when(datetime(2001, 2, 3, 12, tzinfo=UTC), DateStyle.DOTS) == "03.02.2001"
    assert ":" in when(datetime.now(UTC))
    assert ":" not in when(datetime.now(UTC) - timedelta(days=40))


def test_every_style_sheet_is_in_the_frame() -> None:
    files = {path.stem for path in (HERE / "static" / "css").iterdir()}
    assert files == set(STYLE_SHEETS)
