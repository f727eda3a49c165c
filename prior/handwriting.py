"""Learn to tell handwriting from print by what the recogniser sees, and write the weights where the program finds them,
with their figures beside them.

    npm ci --prefix prior/fonts
    .venv/bin/python -m prior.handwriting

Pages of forms are set in fonts of print and of pens, filled in and worn as scans are, and read. No font is shipped. The
letters of a pen are moved, turned and bent one by one, for no two of a real hand are the same; print comes in all
sizes and shades that pens have. One font in four of either kind is never learned from: by words in these it is judged.
"""

from __future__ import annotations

import json
import random
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from functools import cache
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt
from PIL import Image, ImageDraw, ImageFont
from sklearn.linear_model import LogisticRegression
from sklearn.metrics import roc_auc_score

from jugum.core.ocr.engines import finding_scale
from jugum.core.ocr.handwriting import DATA, LETTERS_LEAST, PenProbe
from jugum.core.ocr.network import LineFinder, LineReader, ReadLine, best_path, line_picture
from prior.ink import SYLLABLES

Floats = npt.NDArray[np.float32]
FONTS = Path(__file__).parent / "fonts/node_modules/@fontsource"
PENS = json.loads((Path(__file__).parent / "fonts/package.json").read_text())["pens"]
WIDE, HIGH = 1654, 1250  # pixels: the upper half of A4 at 200 dpi
MARGIN = 100
POINT = 200 / 72
PAGES, JUDGED = 280, 90
WRONG_MOST = 0.005  # of printed words that may be taken for a pen's, on fonts that were learned from
WRONG_TOGETHER = 0.02  # the same on pages on which a pen surely wrote
SEED = 90_125
SMALL = "a at by for from in is it no. not of on or the this to with we / - +/- (the % x 1 2 3 5 7 12 kg pcs".split()
WEAR = {"clean": 0.0, "light": 0.25, "worn": 0.6, "bad": 1.0, "fax": 0.5}


# ---- Words as they are drawn -----------------------------------------------------------------------------------------


def some_words(rng: random.Random) -> list[str]:
    """What is written into a form: names, dates, amounts, numbers."""

    def word() -> str:
        text = "".join(rng.choice(SYLLABLES) for _ in range(rng.randint(1, 4)))
        return rng.choice([text, text.capitalize(), text.capitalize(), text.upper()])

    kind = rng.random()
    if kind < 0.2:
        return [rng.choice(SMALL) if rng.random() < 0.5 else word() for _ in range(rng.randint(1, 5))]
    if kind < 0.5:
        return [word() for _ in range(rng.randint(1, 4))]
    if kind < 0.6:
        return [f"{rng.randint(1, 28)}.{rng.randint(1, 12):02}.{rng.randint(1990, 2029)}"]
    if kind < 0.75:
        return [f"{rng.randint(1, 99)},{rng.randint(0, 999):03}.{rng.randint(0, 99):02}"]
    if kind < 0.85:
        return [str(rng.randint(10, 10 ** rng.randint(2, 9)))]
    return [word(), str(rng.randint(1, 200))]


def drawn(text: str, font: ImageFont.FreeTypeFont, rng: random.Random, noise: np.random.Generator, pen: bool) -> Floats:
    """A word as ink (0–1); a pen's letters each in their own way, the whole bent."""
    size = int(font.size)
    wide, high = int(font.getlength(text) * 1.4) + 2 * size + 20, 3 * size
    ink = np.zeros((high, wide), np.float32)
    shaken = pen and rng.random() < 0.7
    x, by = float(size), rng.uniform(0.3, 1)
    for letter in text if shaken else [text]:
        picture = Image.new("L", (wide if not shaken else 3 * size, high), 0)
        ImageDraw.Draw(picture).text((size, size * 0.8), letter, font=font, fill=255)
        one = np.asarray(picture, np.float32) / 255
        if shaken:
            turn = cv2.getRotationMatrix2D(
                (1.5 * size, 1.5 * size), rng.gauss(0, 3.5 * by), 1 + rng.gauss(0, 0.05 * by)
            )
            turn[1, 2] += rng.gauss(0, 0.035 * by * size)
            one = cv2.warpAffine(one, turn, (one.shape[1], one.shape[0]))
        left = int(x) - size
        low, end = max(0, left), min(wide, left + one.shape[1])
        if end > low:
            ink[:, low:end] = np.maximum(ink[:, low:end], one[:, low - left : end - left])
        x += font.getlength(letter) * (1 + rng.gauss(0, 0.03 * by))
    return _bent(ink, size, rng, noise) if pen else ink


def _bent(ink: Floats, size: int, rng: random.Random, noise: np.random.Generator) -> Floats:
    """Ink as on rubber that is pulled a little here and there, leaning, with a broader pen at times."""
    high, wide = ink.shape
    step, far = rng.uniform(0.5, 1.5) * size, rng.uniform(0, 0.05) * size
    coarse = (max(2, int(high / step)), max(2, int(wide / step)))
    pulled = [
        cv2.resize(noise.normal(0, far, coarse).astype(np.float32), (wide, high), interpolation=cv2.INTER_CUBIC)
        for _ in range(2)
    ]
    across, down = np.meshgrid(np.arange(wide, dtype=np.float32), np.arange(high, dtype=np.float32))
    ink = cv2.remap(ink, across + pulled[0], down + pulled[1], cv2.INTER_LINEAR)
    turn = cv2.getRotationMatrix2D((wide / 2, high / 2), rng.gauss(0, 1.2), 1)
    turn[0, 1] += rng.gauss(0, 0.06)
    ink = cv2.warpAffine(ink, turn, (wide, high))
    return np.asarray(cv2.dilate(ink, np.ones((2, 2), np.uint8)) if rng.random() < 0.4 else ink, dtype=np.float32)


# ---- Pages -----------------------------------------------------------------------------------------------------------


@dataclass
class Sheet:
    """A page being drawn: darkness (0–1), and of each word its corners in pixels and whether a pen wrote it."""

    rng: random.Random
    noise: np.random.Generator
    ink: Floats = field(default_factory=lambda: np.zeros((HIGH, WIDE), np.float32))
    words: list[tuple[tuple[int, int, int, int], bool]] = field(default_factory=list)

    def put(self, x: int, y: int, words: Sequence[str], path: Path, size: int, *, pen: bool, dark: float) -> int:
        """Words on a base line at y, from x on; where they end."""
        font = ImageFont.truetype(str(path), size)
        for text in words:
            picture = drawn(text, font, self.rng, self.noise, pen)
            rows, columns = np.nonzero(picture > 0.4)
            if not len(rows) or x + int(np.ptp(columns)) > WIDE - 30:
                return x
            left, top = x - int(columns.min()), y - int(0.8 * size) - font.getmetrics()[0]
            low, high = max(0, top), min(HIGH, top + picture.shape[0])
            first, last = max(0, left), min(WIDE, left + picture.shape[1])
            if high <= low or last <= first:
                return x
            part = picture[low - top : high - top, first - left : last - left] * dark
            self.ink[low:high, first:last] = np.maximum(self.ink[low:high, first:last], part)
            corners = (left + columns.min(), top + rows.min(), left + columns.max() + 1, top + rows.max() + 1)
            self.words.append((tuple(map(int, corners)), pen))  # type: ignore[arg-type]
            x += int(np.ptp(columns)) + int(size * self.rng.uniform(0.25, 0.5))
        return x

    def at(self, x: float, y: float) -> int | None:
        """The word at a place; None where there is none, or where two overlap."""
        found = [
            number
            for number, ((left, top, right, bottom), _) in enumerate(self.words)
            if left - 3 <= x <= right + 3 and top - 3 <= y <= bottom + 3
        ]
        return found[0] if len(found) == 1 else None


def form(rng: random.Random, noise: np.random.Generator, prints: Sequence[Path], pens: Sequence[Path]) -> Sheet:
    """A form: headings, lines of print, and entries behind their names, by a pen or by a machine."""
    sheet = Sheet(rng, noise)
    body, large, machine, pen = rng.choice(prints), rng.choice(prints), rng.choice(prints), rng.choice(pens)
    size, pen_size = int(rng.uniform(6, 13) * POINT), int(rng.uniform(8, 20) * POINT)
    machine_size = int(rng.uniform(6.5, 20) * POINT) if rng.random() < 0.5 else size
    dark, pen_dark, machine_dark = rng.uniform(0.6, 1), rng.uniform(0.45, 1), rng.uniform(0.4, 1)
    written, ruled = rng.random() < 0.7, rng.choice(["lines", "boxes", "nothing"])
    y = 120
    while y < HIGH - 150:
        kind = rng.random()
        if kind < 0.08:
            tall = int(size * rng.uniform(1.2, 3))
            sheet.put(MARGIN, y, some_words(rng), large, tall, pen=False, dark=rng.uniform(0.4, 1))
        elif kind < 0.3:
            for _ in range(rng.randint(1, 3)):
                x, before = MARGIN, 0
                while before < x < WIDE - 200:
                    before, x = x, sheet.put(x, y, some_words(rng), body, size, pen=False, dark=dark)
                y += int(size * 1.35)
        else:
            columns = rng.choice([1, 2, 2, 3])
            width = (WIDE - 2 * MARGIN) // columns
            for column in range(columns):
                left = MARGIN + column * width
                x = sheet.put(left, y, some_words(rng)[:2], body, size, pen=False, dark=dark)
                by_pen = written and rng.random() < 0.75
                if rng.random() < 0.85:
                    how = (pen, pen_size, pen_dark) if by_pen else (machine, machine_size, machine_dark)
                    at = x + rng.randint(10, 50), y - (rng.randint(-3, 6) if by_pen else 0)
                    sheet.put(*at, some_words(rng)[:3], how[0], how[1], pen=by_pen, dark=how[2])
                if ruled == "lines":
                    cv2.line(sheet.ink, (x, y + 4), (left + width - 30, y + 4), 0.7, rng.choice([1, 2]))
                elif ruled == "boxes":
                    cv2.rectangle(sheet.ink, (left - 5, y - 2 * size), (left + width - 8, y + 10), 0.8, 2)
        y += int(max(size, pen_size if written else size) * rng.uniform(1.3, 2.2))
    return sheet


def scanned(sheet: Sheet, how: str) -> npt.NDArray[np.uint8]:
    """The page as a scanner or a fax gives it."""
    rng, wear = sheet.rng, WEAR[how]
    grey = 255 * rng.uniform(0.93, 1) * (1 - sheet.ink)
    if wear:
        lean = cv2.getRotationMatrix2D((WIDE / 2, HIGH / 2), rng.uniform(-0.4, 0.4), 1)
        grey = cv2.warpAffine(grey, lean, (WIDE, HIGH), borderValue=240)
        grey *= np.linspace(1 - 0.25 * wear * rng.random(), 1, WIDE, dtype=np.float32)[None, :]
        if rng.random() < 0.4 * wear:
            grey -= _pattern(rng)
        grey = 255 * (grey.clip(0, 255) / 255) ** rng.uniform(1 - 0.5 * wear, 1 + 0.8 * wear)
    grey = cv2.GaussianBlur(grey, (0, 0), 0.4 + 1.2 * wear * rng.uniform(0.2, 1))
    if wear:
        grey += sheet.noise.standard_normal(grey.shape, dtype=np.float32) * (3 + 14 * wear * rng.uniform(0.3, 1))
    picture = grey.clip(0, 255).astype(np.uint8)
    if how == "fax":
        picture = cv2.threshold(picture, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)[1]
    if how in ("worn", "bad"):
        quality = [cv2.IMWRITE_JPEG_QUALITY, int(rng.uniform(18, 70))]
        picture = cv2.imdecode(cv2.imencode(".jpg", picture, quality)[1], cv2.IMREAD_GRAYSCALE)
    if how == "bad" and rng.random() < 0.6:
        by = rng.uniform(0.45, 0.8)
        small = cv2.resize(picture, None, fx=by, fy=by, interpolation=cv2.INTER_AREA)
        picture = cv2.resize(small, (WIDE, HIGH), interpolation=cv2.INTER_LINEAR)
    return np.asarray(picture, dtype=np.uint8)


def _pattern(rng: random.Random) -> Floats:
    """A ground of fine waves or dots, as on certificates, in grey levels."""
    down, across = np.mgrid[0:HIGH, 0:WIDE].astype(np.float32)
    one, other = rng.uniform(2, 9), rng.uniform(2, 9)
    waves = np.sin(across / one + np.sin(down / 40) * rng.uniform(0, 3)) * np.sin(down / other)
    return np.asarray((waves > rng.uniform(0.2, 0.7)) * rng.uniform(10, 45), dtype=np.float32)


# ---- What the recogniser sees ----------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Seen:
    """Words of a page as the recogniser sees them: for each what it sees of its letters (L × 120), whether a pen wrote
    it, how the page is worn, and which page it is."""

    letters: Floats
    pen: bool
    wear: str
    page: int


@cache
def networks() -> tuple[LineFinder, LineReader]:
    """Made once in each process."""
    cv2.setNumThreads(1)
    return LineFinder(), LineReader("latin")


def seen_on(seed: int) -> list[Seen]:
    """The words of a page; of one seed in two in fonts that are never learned from."""
    rng, noise = random.Random(seed), np.random.default_rng(seed)
    judged = seed % 2 == SEED % 2
    prints, pens = ([path for path, held in fonts(kind) if held is judged] for kind in (False, True))
    sheet, how = form(rng, noise, prints, pens), rng.choice(["bad", *sorted(WEAR)])
    grey = scanned(sheet, how)
    find, read = networks()
    of_word: dict[int, list[Floats]] = {}
    for line in find(grey, finding_scale(grey)):
        picture = line_picture(grey, line)
        chance, numbers, step = read.seen(picture)
        for _, columns in best_path(chance):
            along = (columns[0] + columns[-1] + 1) / 2 * step
            if (word := sheet.at(*middle_at(line, along))) is not None:
                of_word.setdefault(word, []).append(numbers[columns].mean(axis=0))
    return [
        Seen(np.stack(its).astype(np.float32), sheet.words[word][1], how, seed)
        for word, its in of_word.items()
        if len(its) >= LETTERS_LEAST
    ]


def middle_at(line: ReadLine, along: float) -> tuple[float, float]:
    """Where on the page the middle of a line lies, at a share of its length."""
    left, right = (line.corners[0] + line.corners[3]) / 2, (line.corners[1] + line.corners[2]) / 2
    x, y = left + (right - left) * along
    return float(x), float(y)


@cache
def fonts(pen: bool) -> tuple[tuple[Path, bool], ...]:
    """Font files of a kind, each with whether its family is never learned from."""
    found = []
    for number, family in enumerate(sorted(path.name for path in FONTS.iterdir() if (path.name in PENS) is pen)):
        faces = ("400-normal",) if pen else ("400-normal", "400-italic", "700-normal")
        paths = [FONTS / family / f"files/{family}-latin-{face}.woff" for face in faces]
        found += [(path, number % 4 == 1) for path in paths if path.exists()]
    return tuple(found)


# ---- The line through it ---------------------------------------------------------------------------------------------


def fitted(words: Sequence[Seen]) -> PenProbe:
    """A logistic regression on words and how far they are from their pages, its levels such that of printed
    ones WRONG_MOST, or WRONG_TOGETHER, are taken for a pen's."""
    own = np.stack([word.letters.mean(axis=0) for word in words])
    pages = np.array([word.page for word in words])
    usual = {page: np.median(own[pages == page], axis=0) for page in np.unique(pages)}
    rows = np.hstack([own, own - np.stack([usual[page] for page in pages])])
    mean, scale = rows.mean(axis=0), rows.std(axis=0) + 1e-6
    pens = np.array([word.pen for word in words])
    line = LogisticRegression(C=0.01, max_iter=3000).fit((rows - mean) / scale, pens)
    weights = (line.coef_[0] / scale).astype(np.float32).reshape(2, -1).T
    scores = np.sort(scored(PenProbe(weights, 0.0), words)[0][~pens])[::-1]
    level, lower = (float(scores[int(share * len(scores))]) for share in (WRONG_MOST, WRONG_TOGETHER))
    return PenProbe(weights, -level, level - lower)


def scored(probe: PenProbe, words: Sequence[Seen]) -> tuple[Floats, npt.NDArray[np.bool_]]:
    """The score of each word beside the others of its page, and whether a pen is told to have written it."""
    marks = probe.marks(np.stack([word.letters.mean(axis=0) for word in words]))
    pages = np.array([word.page for word in words])
    scores, told = np.zeros(len(words), dtype=np.float32), np.zeros(len(words), dtype=bool)
    for page in np.unique(pages):
        scores[pages == page] = probe.scores(marks[pages == page])
        told[pages == page] = probe.told(scores[pages == page])
    return scores, told


def figures(probe: PenProbe, words: Sequence[Seen]) -> dict[str, Any]:
    """Of words in fonts that were never learned from: the area under the curve, the share of a pen's words that are
    told, and of printed ones that are taken for it; by wear, too."""
    found: dict[str, Any] = {}
    scores, told = scored(probe, words)
    pens = np.array([word.pen for word in words])
    on_pen_pages = np.isin([word.page for word in words], [word.page for word in words if word.pen])
    for name in ("all", *WEAR):
        of_wear = np.array([name in ("all", word.wear) for word in words])
        found[name] = {
            "words_by_pen": int((of_wear & pens).sum()),
            "words_in_print": int((of_wear & ~pens).sum()),
            "area_under_curve": round(float(roc_auc_score(pens[of_wear], scores[of_wear])), 4),
            "pens_told": round(float(told[of_wear & pens].mean()), 4),
            "print_taken_for_pens": round(float(told[of_wear & ~pens].mean()), 5),
            "print_taken_for_pens_on_pages_without": round(float(told[of_wear & ~pens & ~on_pen_pages].mean()), 5),
        }
    return found


def main() -> None:
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        learned, judged = (
            [word for page in pool.map(seen_on, seeds) for word in page]
            for seeds in (range(SEED + 1, SEED + 1 + 2 * PAGES, 2), range(SEED, SEED + 2 * JUDGED, 2))
        )
    probe = fitted(learned)
    about = {
        "level": round(probe.level, 5),
        "lower": round(probe.lower, 5),
        "weights": [[round(float(weight), 5) for weight in pair] for pair in probe.weights],
        "words_learned_from": len(learned),
        "on_fonts_never_learned_from": figures(probe, judged),
    }
    DATA.parent.mkdir(exist_ok=True)
    DATA.write_text(json.dumps(about, indent=1) + "\n")
    for name, its in about["on_fonts_never_learned_from"].items():
        print(f"{name:8}", ", ".join(f"{key} {value}" for key, value in its.items()))


if __name__ == "__main__":
    main()
