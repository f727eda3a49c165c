"""Texts in files that spreadsheets open."""

from __future__ import annotations

import re

_FORMULA_STARTS = ("=", "+", "-", "@", "\t", "\r")
_SIGNED_NUMBERS = re.compile(r"[-+][\d., ]+(?:; [-+]?[\d., ]+)*")


def safe_cell(text: str) -> str:
    """A text that a spreadsheet would run as a formula, led by an apostrophe; numbers with a sign stay, several ones
    too: `"=cmd()"` → `"'=cmd()"`, `"-1+cmd()"` → `"'-1+cmd()"`, `"-12,50"` and `"-1.00; -2.00"` as they are."""
    # Values come from papers that strangers sent: a spreadsheet must not run one.
    runs = text.startswith(_FORMULA_STARTS) and not _SIGNED_NUMBERS.fullmatch(text)
    return f"'{text}" if runs else text
