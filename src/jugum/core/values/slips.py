"""Letters that OCR puts where a digit stands, put right where the rest says it is a number."""

from __future__ import annotations

_DIGIT_FOR = str.maketrans("OoQDIl|iSsBZz", "0000111155822")


def mend_digits(text: str) -> str:
    """Replace letters that look alike by digits, if at least half of the letters and digits are digits already.

    `"l2.O4.2025"` → `"12.04.2025"`; `"Solo"` stays.
    """
    digits = sum(letter.isdigit() for letter in text)
    mended = text.translate(_DIGIT_FOR)
    solid = sum(letter.isalnum() for letter in text)
    if not solid or digits * 2 < solid:
        return text
    return mended
