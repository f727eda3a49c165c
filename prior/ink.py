"""Words being set on a page of the school, and the spellings of values."""

from __future__ import annotations

import random
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta

from jugum.core.page import Box, Word, union

SYLLABLES = "ka lo mi tar ven dro sel nor hal fen bri mos gar tul win dal ber cro lin sta por eld rum vas".split()
MONTHS = "January February March April May June July August September October November December".split()
ONES = (
    "zero one two three four five six seven eight nine ten eleven twelve thirteen fourteen fifteen sixteen seventeen "
    "eighteen nineteen"
).split()
TENS = "zero ten twenty thirty forty fifty sixty seventy eighty ninety".split()
GIVEN = "Anna|Peter|Lisa|Mark|Eva|Tom|Nora|Paul|Ida|Karl|Ruth|Jon|Maya|Otto|Lena|Hugo".split("|")
FIRMS = ("", " Ltd", " & Sons", " Trading", " AG", " Group", " and Partners", " Works", " Foundation", " plc")
LETTER, BLANK, LINE = 0.0075, 0.006, 0.013  # widths of a letter and a blank, height of a line, in page widths


@dataclass
class Ink:
    """Words being set on a page; 0.0075 page widths a letter, 0.013 high."""

    words: list[Word] = field(default_factory=list)

    def text(
        self, x: float, y: float, text: str, *, bold: bool = False, size: float = 1.0, cell: int = -1
    ) -> Box | None:
        """Words on one line from a place on; the box of what there was room for."""
        boxes = []
        for part in text.split():
            width = LETTER * size * len(part)
            if x + width > 0.99:
                break
            box = Box(x, y, x + width, y + LINE * size)
            self.words.append(Word(part, box, 1.0, bold, cell=cell))
            boxes.append(box)
            x += width + BLANK * size
        return union(boxes) if boxes else None

    def paragraph(
        self, x: float, y: float, right: float, pieces: Sequence[tuple[str, str]], *, step: float = 0.02
    ) -> tuple[float, dict[str, list[Box]]]:
        """Running text between two edges. `pieces` are texts with the key of the value they are ("" for none), one
        after the other; what follows a value without a blank before it ("," or ").") is set close. Gives the height
        below, and the boxes of each value, one a line."""
        at = x
        found: dict[str, list[Box]] = {}
        for text, key in pieces:
            glued = not text[:1].isalnum() and text[:1] in ",.;:)" and bool(self.words)
            for number, part in enumerate(text.split()):
                if glued and number == 0:
                    last = self.words.pop()
                    box = Box(last.box.x0, last.box.y0, last.box.x1 + LETTER * len(part), last.box.y1)
                    self.words.append(Word(last.text + part, box, 1.0, last.bold))
                    at = box.x1 + BLANK
                    continue
                width = LETTER * len(part)
                if at + width > right and at > x:
                    at, y = x, y + step
                box = Box(at, y, at + width, y + LINE)
                self.words.append(Word(part, box))
                if key:
                    lines = found.setdefault(key, [])
                    if lines and abs(lines[-1].y0 - y) < 1e-9:
                        lines[-1] = union([lines[-1], box])
                    else:
                        lines.append(box)
                at = box.x1 + BLANK
        return y + step, found


def word(rng: random.Random) -> str:
    return "".join(rng.choice(SYLLABLES) for _ in range(rng.randint(2, 3)))


def spelled_number(number: int) -> str:
    """Below one hundred, in words."""
    if number < 20:
        return ONES[number]
    return TENS[number // 10] + (f"-{ONES[number % 10]}" if number % 10 else "")


def ordinal(day: int) -> str:
    return f"{day}{'th' if 10 < day < 14 else {1: 'st', 2: 'nd', 3: 'rd'}.get(day % 10, 'th')}"


DATE_WAYS = 9


def spelled_date(day: date, way: int) -> str:
    month = MONTHS[day.month - 1]
    return (
        f"{day.day:02d}.{day.month:02d}.{day.year}",
        f"{day.day} {month} {day.year}",
        f"{day.isoformat()}",
        f"{day.day:02d}/{day.month:02d}/{day.year}",
        f"{day.day:02d} {month[:3]} {day.year}",
        f"{month} {day.day}, {day.year}",
        f"{ordinal(day.day)} {month} {day.year}",
        f"{day.day:02d}.{day.month:02d}.{day.year % 100:02d}",
        f"the {ordinal(day.day)} of {month} {day.year}",
    )[way % DATE_WAYS]


AMOUNT_WAYS = 8


def spelled_amount(amount: float, way: int) -> str:
    whole, cents = int(amount), round(amount * 100) % 100
    grouped = f"{whole:,}"
    plain = (
        f"{grouped.replace(',', ' ')},{cents:02d}",
        f"{grouped.replace(',', '.')},{cents:02d}",
        f"{grouped}.{cents:02d}",
        f"{whole}.{cents:02d}",
        f"{grouped.replace(',', chr(39))}.{cents:02d}",
        f"{grouped.replace(',', ' ')}",
    )
    return (plain[0], plain[1], plain[2], plain[3], plain[4], f"{plain[0]} kr", f"EUR {plain[2]}", f"{plain[5]} kr")[
        way % AMOUNT_WAYS
    ]


def spelled_span(rng: random.Random, way: int, unit: str = "") -> str:
    """A number of days, weeks, months or years, or of the `unit` given."""
    count, unit = rng.randint(2, 60), unit or rng.choice(["days", "weeks", "months", "years"])
    number = (f"{count}", f"{spelled_number(count)} ({count})", spelled_number(count))[way % 3]
    return f"{number} {unit}"


def identifier(rng: random.Random, way: int) -> str:
    letters = "".join(rng.choice("ABCDEFGHKLMNPRSTUVWX") for _ in range(1 + way % 3))
    digits = str(rng.randint(10_000, 9_999_999))
    return (
        digits,
        f"{letters}-{digits}",
        f"{letters}{digits}",
        f"{digits[:3]}/{digits[3:]}",
        f"{letters} {digits}",
        f"{digits[:4]}-{digits[4:]}-{rng.randint(1, 9)}",
        f"{letters}.{digits}",
    )[way % 7]


def later(day: date, rng: random.Random, when: tuple[int, int]) -> date:
    return day + timedelta(days=rng.randint(*when))
