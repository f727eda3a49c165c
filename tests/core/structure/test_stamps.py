"""Stamps on pictures drawn here: found, and told from the pens that they lie across."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from jugum.core.structure.marks import Pens, pens

WIDTH, HEIGHT = 1654, 1100  # an A4 page's width at 200 dpi
MIDDLE, RADIUS = (800, 600), 85


def page(*, stamp: bool, signed: bool, double: bool = True, gap: float = 0.0) -> np.ndarray:
    grey = np.full((HEIGHT, WIDTH), 255, dtype=np.uint8)
    cv2.putText(grey, "Received in good order at the quay", (200, 250), cv2.FONT_HERSHEY_SIMPLEX, 1.2, 20, 3)
    if stamp:
        start = 360 * gap
        for radius in (RADIUS, RADIUS - 11) if double else (RADIUS,):
            cv2.ellipse(grey, MIDDLE, (radius, radius), 0, start, 360, 90, 4, cv2.LINE_AA)
        cv2.putText(grey, "GOODS IN", (748, 600), cv2.FONT_HERSHEY_SIMPLEX, 0.75, 90, 2)
        cv2.putText(grey, "12.05.26", (752, 632), cv2.FONT_HERSHEY_SIMPLEX, 0.75, 90, 2)
    if signed:
        x = np.arange(0, 300)
        way = np.stack([650 + x, 590 + 34 * np.sin(x / 45)], axis=1).round().astype(np.int32)
        cv2.polylines(grey, [way], False, 40, 4, cv2.LINE_AA)
    return grey


def scanned(grey: np.ndarray) -> np.ndarray:
    blurred = cv2.GaussianBlur(grey, (0, 0), 1.2).astype(float)
    grain = np.random.default_rng(3).normal(0, 9, grey.shape)
    return np.clip(0.8 * blurred + 20 + grain, 0, 255).astype(np.uint8)


def below_print(found: Pens) -> list[tuple[float, float]]:
    """Middles (pixels) of what may be a pen's, without the line of print, which no word explains here."""
    return [
        (box.middle[0] * WIDTH, box.middle[1] * HEIGHT) for box in (*found.signatures, *found.strokes) if box.y0 > 0.35
    ]


@pytest.mark.parametrize("scan", [False, True], ids=["clean", "scanned"])
@pytest.mark.parametrize("double", [False, True], ids=["one ring", "two rings"])
def test_a_stamp_is_no_signature(double: bool, scan: bool) -> None:
    grey = page(stamp=True, signed=False, double=double)
    found = pens(scanned(grey) if scan else grey, 595.0, [], [])
    assert below_print(found) == []
    (stamp,) = found.stamps
    assert stamp.middle[0] * WIDTH == pytest.approx(MIDDLE[0], abs=6)
    assert stamp.middle[1] * HEIGHT == pytest.approx(MIDDLE[1], abs=6)
    assert stamp.width * WIDTH == pytest.approx(2 * RADIUS, abs=12)


@pytest.mark.parametrize("scan", [False, True], ids=["clean", "scanned"])
def test_a_signature_under_a_stamp_shows_beside_it(scan: bool) -> None:
    grey = page(stamp=True, signed=True)
    found = pens(scanned(grey) if scan else grey, 595.0, [], [])
    assert len(found.stamps) == 1
    assert {x < MIDDLE[0] for x, _ in below_print(found)} == {True, False}  # what is left at both its sides


@pytest.mark.parametrize("signed", [False, True])
def test_where_nothing_is_stamped_there_is_no_stamp(signed: bool) -> None:
    found = pens(page(stamp=False, signed=signed), 595.0, [], [])
    assert found.stamps == ()
    assert bool(below_print(found)) is signed


def test_an_open_arc_is_no_stamp() -> None:
    assert pens(page(stamp=True, signed=False, double=False, gap=0.4), 595.0, [], []).stamps == ()


def test_letters_and_boxes_are_no_stamps() -> None:
    grey = np.full((HEIGHT, WIDTH), 255, dtype=np.uint8)
    cv2.putText(grey, "O Q 0 G", (200, 300), cv2.FONT_HERSHEY_SIMPLEX, 3, 0, 6)
    cv2.rectangle(grey, (300, 500), (480, 680), 0, 4)
    assert pens(grey, 595.0, [], []).stamps == ()


def framed(
    askew: float,
    *,
    signed: bool = False,
    open_side: bool = False,
    size: tuple[int, int] = (420, 150),
    words: bool = True,
) -> np.ndarray:
    """A rectangular stamp with a date in it, some degrees askew, on a page with a printed box."""
    grey = page(stamp=False, signed=signed)
    cv2.rectangle(grey, (180, 900), (1000, 1200), 0, 3)
    turn = cv2.getRotationMatrix2D((0, 0), askew, 1)
    half = np.array(size) / 2
    corners = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * half
    line = np.rint(corners @ turn[:, :2].T + MIDDLE).astype(np.int32)
    cv2.polylines(grey, [line], not open_side, 90, 5, cv2.LINE_AA)
    if not words:
        return grey
    stamp = np.full_like(grey, 255)
    cv2.putText(stamp, "RECEIVED", (MIDDLE[0] - 150, MIDDLE[1] - 8), cv2.FONT_HERSHEY_SIMPLEX, 1.4, 90, 4)
    cv2.putText(stamp, "12.05.2026", (MIDDLE[0] - 150, MIDDLE[1] + 48), cv2.FONT_HERSHEY_SIMPLEX, 1.4, 90, 4)
    turned = cv2.warpAffine(
        stamp, cv2.getRotationMatrix2D(MIDDLE, askew, 1), (WIDTH, HEIGHT), borderValue=255, flags=cv2.INTER_LINEAR
    )
    return np.minimum(grey, turned)


@pytest.mark.parametrize("scan", [False, True], ids=["clean", "scanned"])
@pytest.mark.parametrize("askew", [-14.0, -3.5, 4.0, 9.0, 28.0])
def test_a_frame_that_stands_askew_is_a_stamp(askew: float, scan: bool) -> None:
    grey = framed(askew)
    (stamp,) = pens(scanned(grey) if scan else grey, 595.0, [], []).stamps
    assert stamp.middle[0] * WIDTH == pytest.approx(MIDDLE[0], abs=8)
    assert stamp.middle[1] * HEIGHT == pytest.approx(MIDDLE[1], abs=8)


def test_a_signature_is_found_in_a_frame() -> None:
    found = pens(framed(6.0, signed=True, words=False), 595.0, [], [])
    assert len(found.stamps) == 1
    assert below_print(found)


@pytest.mark.parametrize(
    "drawn", [framed(0.0), framed(1.0), framed(9.0, open_side=True), framed(9.0, size=(90, 40), words=False)]
)
def test_printed_boxes_and_what_is_open_or_small_are_no_stamps(drawn: np.ndarray) -> None:
    assert pens(drawn, 595.0, [], []).stamps == ()


def test_the_cells_of_a_page_that_stands_askew_are_no_stamps() -> None:
    grey = page(stamp=False, signed=False)
    for top in (300, 420, 540, 660):
        cv2.rectangle(grey, (500, top), (900, top + 100), 0, 3)
    turn = cv2.getRotationMatrix2D(MIDDLE, 5.0, 1)
    askew = cv2.warpAffine(grey, turn, (WIDTH, HEIGHT), borderValue=255, flags=cv2.INTER_LINEAR)
    assert pens(askew, 595.0, [], []).stamps == ()
