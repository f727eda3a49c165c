"""Whole numbers and ordinals written in English words."""

from __future__ import annotations

import re

_ONES = (
    "zero one two three four five six seven eight nine ten eleven twelve thirteen fourteen fifteen sixteen seventeen "
    "eighteen nineteen"
).split()
_TENS = "twenty thirty forty fifty sixty seventy eighty ninety".split()
_SMALL = {word: value for value, word in enumerate(_ONES)} | {word: 20 + 10 * n for n, word in enumerate(_TENS)}
_SCALES = {"thousand": 10**3, "million": 10**6, "milliard": 10**9, "billion": 10**9}
_ORDINALS = {
    "first": 1,
    "second": 2,
    "third": 3,
    "fourth": 4,
    "fifth": 5,
    "sixth": 6,
    "seventh": 7,
    "eighth": 8,
    "ninth": 9,
    "tenth": 10,
    "eleventh": 11,
    "twelfth": 12,
    "twentieth": 20,
    "thirtieth": 30,
    "fortieth": 40,
    "fiftieth": 50,
} | {f"{word}th": 13 + n for n, word in enumerate(_ONES[13:])}


def parse_spelled(text: str) -> int | None:
    """A whole number in words, or in digits with words beside it: `"one hundred and twenty-four"` → 124,
    `"twenty-four (24)"` → 24, `"24"` → 24. None when it is neither, or when words and digits differ."""
    digits = re.findall(r"\d+", text)
    words = _tokens(re.sub(r"[\d()]+", " ", text))
    said = _number(words) if words else None
    if words and said is None:
        return None
    # "twenty (24)" contradicts itself: a person must say which
    if len(digits) > 1 or (digits and said is not None and int(digits[0]) != said):
        return None
    return int(digits[0]) if digits else said


def parse_year(words: list[str]) -> int | None:
    """A year in words: `two thousand and twenty-five` → 2025, `nineteen eighty-four` → 1984, `twenty twenty-six` →
    2026."""
    plain = [part for word in words for part in _tokens(word)]
    for cut in (1, 2):
        head, tail = _number(plain[:cut]), _number(plain[cut:])
        if head in (19, 20) and tail is not None and 10 <= tail <= 99:
            return 100 * head + tail
    return _number(plain)


def parse_ordinal(words: list[str]) -> int | None:
    """An ordinal in words: `twenty-first` → 21, `third` → 3."""
    plain = [part for word in words for part in _tokens(word)]
    if not plain or plain[-1] not in _ORDINALS:
        return None
    last = _ORDINALS[plain[-1]]
    if len(plain) == 1:
        return last
    tens = _SMALL.get(plain[0], 0)
    return tens + last if len(plain) == 2 and tens >= 20 and last < 10 else None


def _tokens(text: str) -> list[str]:
    return [word for word in re.split(r"[\s,\-–]+", text.casefold()) if word and word != "and"]


def _number(words: list[str]) -> int | None:
    """Words of a number → its value; scales must fall, so that "two three" or "thousand million" is none."""
    if not words:
        return None
    total, group, last_scale = 0, 0, 10**12
    empty, room = True, 1000  # room: what the next small number must be below
    for word in words:
        if word in _SMALL and (word != "zero" or len(words) == 1):
            value = _SMALL[word]
            if value >= room:  # "twenty thirty" is no number
                return None
            group, empty = group + value, False
            room = 10 if value >= 20 else 0
        elif word == "hundred" and 0 < group < 10:
            group, room = group * 100, 100
        elif word in _SCALES and not empty and _SCALES[word] < last_scale:
            last_scale = _SCALES[word]
            total, group, empty, room = total + group * last_scale, 0, True, 1000
        elif word == "a" and empty and word is words[0]:
            group, empty, room = 1, False, 0
        else:
            return None
    return total + group
