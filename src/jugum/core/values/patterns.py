"""Patterns that analysts write: regular expressions that are matched without backtracking, in time linear in the text
and in bounded memory, whatever the pattern (RE2; Cox, "Regular expression matching can be simple and fast", 2007).

What such an engine can't do (looking ahead or behind, referring back) is refused when a pattern is written. Letters and
digits are those of every script: `\\w`, `\\d`, `\\s` mean what they say in "Åge" as in "Age".
"""

from __future__ import annotations

import re
from functools import lru_cache
from typing import Any

import re2

from jugum.errors import InputError

PATTERN_LETTERS_MAX = 400  # nobody reads a longer one
MEMORY_MAX = 4 << 20  # bytes that a compiled pattern and its states may take
# Shorthand → the inside of a class of the same letters in all scripts.
_CLASSES = {"w": r"\p{L}\p{M}\p{N}_", "d": r"\p{Nd}", "s": r"\s\p{Z}"}
# The same for what is none of them, as the kinds of signs that are left: a class can't hold the negation of another.
_OTHERS = {
    "W": r"\p{C}\p{Z}\p{Pd}\p{Ps}\p{Pe}\p{Pi}\p{Pf}\p{Po}\p{S}",
    "D": r"\p{L}\p{M}\p{Nl}\p{No}\p{C}\p{Z}\p{P}\p{S}",
    "S": r"\p{L}\p{M}\p{N}\p{P}\p{S}",
}
_ATOMS = re.compile(r"\\.|\[\^?\]?|\]|.", re.DOTALL)
_SAID = {
    "invalid repetition size": "a part may be repeated at most 1000 times, repetitions inside it counted",
    "invalid perl operator": "looking ahead or behind, and referring back, are not possible",
    "pattern too large": "it stands for too many texts",
    "missing )": "a bracket “(” is not closed",
    "unexpected )": "a bracket “)” closes nothing",
    "missing ]": "a bracket “[” is not closed",
    "invalid escape sequence": "a sign after “\\” has no meaning",
    "no argument for repetition operator": "there is nothing to repeat",
    "bad repetition operator": "there is nothing to repeat",
    "invalid character class range": "a range goes from a later to an earlier letter",
}


@lru_cache(maxsize=500)
def compiled(pattern: str) -> Any:
    """A pattern ready for use (search, fullmatch, finditer, groups). InputError tells what is wrong with it and
    where."""
    if len(pattern) > PATTERN_LETTERS_MAX:
        raise InputError(f"The pattern has {len(pattern)} letters; at most {PATTERN_LETTERS_MAX} are taken.")
    options = re2.Options()
    options.log_errors, options.max_mem = False, MEMORY_MAX
    try:
        return re2.compile(_in_all_scripts(pattern), options)
    except re2.error as error:
        raise InputError(_wrong(pattern, error)) from error


def matches(pattern: str, text: str) -> bool:
    """Whether a whole text fits a pattern."""
    return compiled(pattern).fullmatch(text) is not None


def _in_all_scripts(pattern: str) -> str:
    """`\\w`, `\\d` and `\\s` written out for all scripts; alone they mean ASCII to the engine."""
    written, inside = [], False
    for atom in _ATOMS.findall(pattern):
        shorthand = _CLASSES.get(atom[1:].lower()) if atom.startswith("\\") else None
        if shorthand and inside:
            written.append(_OTHERS.get(atom[1], shorthand))
        elif shorthand:
            written.append(f"[{'' if atom[1].islower() else '^'}{shorthand}]")
        else:
            written.append(atom)
            inside = (inside or atom.startswith("[")) and atom != "]"
    return "".join(written)


def _wrong(pattern: str, error: Exception) -> str:
    """What is wrong with a pattern, in words, from what the engine says: `invalid escape sequence: \\y`."""
    said = error.args[0].decode(errors="replace") if isinstance(error.args[0], bytes) else str(error)
    kind, _, part = said.partition(": ")
    words = next((ours for theirs, ours in _SAID.items() if kind.startswith(theirs)), kind)
    place = pattern.find(part) if part else -1
    at = f" at letter {place + 1}" if place >= 0 else ""
    return f"The pattern “{pattern}” is not valid{at}: {words}."
