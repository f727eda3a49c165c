"""Machine-readable zones (ICAO 9303 parts 3–6): finding their lines, and repairing misread letters by alphabet and
check digit."""

from __future__ import annotations

import itertools
import re
from collections.abc import Sequence
from dataclasses import dataclass

from jugum.core.page import Box, Word, rows_of, union

SWAPS_MAX = 2  # letters put right so that check digits agree; three could make any line agree by chance
# What readers take for each other, both ways. Only the alphabet of a field and its check digit decide.
_TO_DIGIT = {
    "O": "0",
    "Q": "0",
    "D": "0",
    "U": "0",
    "I": "1",
    "L": "1",
    "Z": "2",
    "S": "5",
    "G": "6",
    "T": "7",
    "B": "8",
    "A": "4",
}
_TO_LETTER = {"0": "O", "1": "I", "2": "Z", "5": "S", "6": "G", "8": "B", "4": "A", "7": "T"}
_CONFUSED = {
    "O": "0QDU",
    "0": "OQDU",
    "Q": "O0",
    "D": "O0",
    "I": "1L",
    "1": "IL7",
    "L": "1I",
    "Z": "2",
    "2": "Z",
    "S": "5",
    "5": "S6",
    "G": "6C",
    "6": "G5",
    "B": "8",
    "8": "B3",
    "3": "8",
    "T": "7",
    "7": "T1",
    "A": "4",
    "4": "A",
    "U": "0V",
    "V": "UY",
    "C": "G<",
    "K": "<X",
    "<": "KC",
    "M": "N",
    "N": "M",
    "X": "K",
    "Y": "V",
    "E": "F",
    "F": "E",
    "P": "R",
    "R": "P",
    "W": "M",
    "H": "N",
    "J": "I",
}


@dataclass(frozen=True)
class Zone:
    """A zone: its kind ("TD1", "TD2", "TD3"), its lines after repair, what each check digit says, how many letters were
    changed, and where it stands (None when it was given as text)."""

    kind: str
    lines: tuple[str, ...]
    checks: dict[str, bool]
    repaired: int
    box: Box | None = None

    @property
    def whole(self) -> bool:
        """Whether all check digits agree."""
        return all(self.checks.values())

    def parts(self) -> dict[str, str]:
        """The zone's fields by name: document, country, surname, given names, number, nationality, born, sex,
        expires, more."""
        one, two = self.lines[0], self.lines[1]
        if self.kind == "TD1":
            names, number, more = self.lines[2], one[5:14], (one[15:30] + two[18:29])
            born, sex, expires, nation = two[0:6], two[7], two[8:14], two[15:18]
        else:
            names, number, more = one[5:], two[0:9], two[28:42] if self.kind == "TD3" else two[28:35]
            nation, born, sex, expires = two[10:13], two[13:19], two[20], two[21:27]
        surname, _, given = names.partition("<<")
        return {
            "document": one[0:2].strip("<"),
            "country": one[2:5].strip("<"),
            "surname": _plain(surname),
            "given names": _plain(given),
            "number": number.strip("<"),
            "nationality": nation.strip("<"),
            "born": born,
            "sex": sex,
            "expires": expires,
            "more": _plain(more),
        }


def _plain(text: str) -> str:
    return " ".join(text.replace("<", " ").split())


@dataclass(frozen=True)
class _Format:
    """Line lengths; alphabets by line and span; check digits as (name, spans checked, where the digit stands)."""

    lengths: tuple[int, ...]
    digits: tuple[tuple[int, int, int], ...]
    letters: tuple[tuple[int, int, int], ...]
    checks: tuple[tuple[str, tuple[tuple[int, int, int], ...], tuple[int, int]], ...]


# Places by ICAO 9303: part 5 (TD1), part 6 (TD2), part 4 (TD3).
_FORMATS = {
    "TD1": _Format(
        (30, 30, 30),
        ((1, 0, 7), (1, 8, 15), (1, 29, 30)),
        ((0, 0, 5), (1, 7, 8), (1, 15, 18), (2, 0, 30)),
        (
            ("number", ((0, 5, 14),), (0, 14)),
            ("born", ((1, 0, 6),), (1, 6)),
            ("expires", ((1, 8, 14),), (1, 14)),
            ("all", ((0, 5, 30), (1, 0, 7), (1, 8, 15), (1, 18, 29)), (1, 29)),
        ),
    ),
    "TD2": _Format(
        (36, 36),
        ((1, 13, 20), (1, 21, 28), (1, 35, 36), (1, 9, 10)),
        ((0, 0, 36), (1, 10, 13), (1, 20, 21)),
        (
            ("number", ((1, 0, 9),), (1, 9)),
            ("born", ((1, 13, 19),), (1, 19)),
            ("expires", ((1, 21, 27),), (1, 27)),
            ("all", ((1, 0, 10), (1, 13, 20), (1, 21, 35)), (1, 35)),
        ),
    ),
    "TD3": _Format(
        (44, 44),
        ((1, 13, 20), (1, 21, 28), (1, 43, 44), (1, 9, 10)),
        ((0, 0, 44), (1, 10, 13), (1, 20, 21)),
        (
            ("number", ((1, 0, 9),), (1, 9)),
            ("born", ((1, 13, 19),), (1, 19)),
            ("expires", ((1, 21, 27),), (1, 27)),
            ("more", ((1, 28, 42),), (1, 42)),
            ("all", ((1, 0, 10), (1, 13, 20), (1, 21, 43)), (1, 43)),
        ),
    ),
}


def check_value(text: str) -> int:
    """The check digit of ICAO 9303-3 §4.9: weights 7, 3, 1 over 0–9, A = 10 … Z = 35, < = 0; "520727" → 3."""
    total = 0
    for place, letter in enumerate(text):
        value = 0 if letter == "<" else int(letter) if letter.isdigit() else ord(letter) - 55
        total += value * (7, 3, 1)[place % 3]
    return total % 10


def repaired_zone(lines: Sequence[str], box: Box | None = None) -> Zone | None:
    """The zone that lines of text are, with misread letters set right where alphabet and check digits tell how; None
    when they are no zone.

    First every letter in a field of digits (and every digit in one of letters) becomes what it was taken for; then,
    for each check that fails, at most two confused letters are swapped, if just one such change makes it agree.
    """
    cleaned = [_cleaned(line) for line in lines]
    for kind, shape in _FORMATS.items():
        fitted = _fitted(cleaned, shape)
        if fitted is None:
            continue
        fixed = [list(line) for line in fitted]
        # Alphabets before check digits: what no alphabet allows need not be searched for.
        for line, start, end in shape.digits:
            fixed[line][start:end] = [_TO_DIGIT.get(letter, letter) for letter in fixed[line][start:end]]
        for line, start, end in shape.letters:
            fixed[line][start:end] = [_TO_LETTER.get(letter, letter) for letter in fixed[line][start:end]]
        # The digit of the optional part may be a filler, so its alphabet does not say "digits".
        if kind == "TD3" and fixed[1][42] == "O":
            fixed[1][42] = "0"
        for check in shape.checks:
            _mend(fixed, shape, check)
        made = tuple("".join(line) for line in fixed)
        changed = sum(a != b for old, new in zip(fitted, made, strict=True) for a, b in zip(old, new, strict=True))
        checks = {name: _agrees(fixed, spans, digit) for name, spans, digit in shape.checks}
        # One digit agrees by chance in a tenth of lines; with the document codes of ICAO 9303 it is a zone.
        if sum(checks.values()) >= 1 and made[0][0] in "PIACV":
            return Zone(kind, made, checks, changed, box)
    return None


def _cleaned(line: str) -> str:
    # readers give these for the filler
    text = line.upper().replace(" ", "").translate(str.maketrans("«‹〈く≤({[", "<<<<<<<<"))
    return re.sub(r"[^A-Z0-9<]", "", text)


def _fitted(lines: Sequence[str], shape: _Format) -> list[str] | None:
    """Lines brought to the format's lengths: runs of fillers are stretched or shortened, nothing else; None if that
    can't be."""
    if len(lines) != len(shape.lengths):
        return None
    fitted = []
    for line, length in zip(lines, shape.lengths, strict=True):
        # Runs of fillers lose or gain a few when read; more than a sixth is another line.
        if abs(len(line) - length) > max(3, length // 6):
            return None
        runs = [match for match in re.finditer(r"<+", line)]
        longest = max(runs, key=lambda match: match.end() - match.start(), default=None)
        missing = length - len(line)
        if missing:
            # without fillers nobody knows where a letter is missing
            if longest is None or longest.end() - longest.start() + missing < 1:
                return None
            line = line[: longest.start()] + "<" * (longest.end() - longest.start() + missing) + line[longest.end() :]
        fitted.append(line)
    return fitted


Spans = tuple[tuple[int, int, int], ...]


def _agrees(lines: list[list[str]], spans: Spans, digit: tuple[int, int]) -> bool:
    given = lines[digit[0]][digit[1]]
    text = "".join("".join(lines[line][start:end]) for line, start, end in spans)
    if given == "<":  # an empty optional field may carry a filler for its digit
        return set(text) == {"<"}
    return given.isdigit() and int(given) == check_value(text)


def _mend(lines: list[list[str]], shape: _Format, check: tuple[str, Spans, tuple[int, int]]) -> None:
    """Swap confused letters until the check agrees, if there is one fewest-swaps way to do it."""
    _, spans, digit = check
    if _agrees(lines, spans, digit):
        return
    places = [(line, place) for line, start, end in spans for place in range(start, end) if lines[line][place] != "<"]
    for swaps in range(1, SWAPS_MAX + 1):
        ways = []
        for chosen in itertools.combinations(places, swaps):
            options = [
                [c for c in _CONFUSED.get(lines[line][place], "") if _allowed(shape, line, place, c)]
                for line, place in chosen
            ]
            for letters in itertools.product(*options):
                before = [lines[line][place] for line, place in chosen]
                for (line, place), letter in zip(chosen, letters, strict=True):
                    lines[line][place] = letter
                if _agrees(lines, spans, digit):
                    ways.append(list(zip(chosen, letters, strict=True)))
                for (line, place), letter in zip(chosen, before, strict=True):
                    lines[line][place] = letter
            if len(ways) > 40:  # so many ways can only be guesses
                return
        if len(ways) == 1:
            for (line, place), letter in ways[0]:
                lines[line][place] = letter
            return
        if ways:  # several ways with the fewest swaps: a person must choose
            return


def _allowed(shape: _Format, line: int, place: int, letter: str) -> bool:
    if any(at == line and start <= place < end for at, start, end in shape.digits):
        return letter.isdigit()
    if any(at == line and start <= place < end for at, start, end in shape.letters):
        return not letter.isdigit()
    return True


def zone_rows(words: Sequence[Word], known: Sequence[Sequence[int]] | None = None) -> list[list[tuple[str, Box]]]:
    """Stacks of two or three neighbouring rows that look like a zone: long, upper case, with fillers; from top to
    bottom. `known` are the words' rows, if they are there already."""
    rows = []
    for row in rows_of(words) if known is None else known:
        raw = "".join(words[index].text for index in row)
        text = _cleaned(raw)
        looks = (
            # Lines have 30 to 44 letters; readers drop or add some. A line of digits has no filler.
            24 <= len(text) <= 50 and (text.count("<") >= 2 or len(text) >= 0.9 * len(raw) >= 27) and raw == raw.upper()
        )
        rows.append((text, union(words[index].box for index in row)) if looks else None)
    stacks: list[list[tuple[str, Box]]] = []
    current: list[tuple[str, Box]] = []
    for row_found in [*rows, None]:
        # lines of a zone stand close
        if row_found is not None and (not current or row_found[1].y0 - current[-1][1].y1 < 3 * row_found[1].height):
            current.append(row_found)
            continue
        if len(current) >= 2:
            stacks.append(current[-3:])
        current = [row_found] if row_found is not None else []
    return stacks


def read_zones(words: Sequence[Word], rows: Sequence[Sequence[int]] | None = None) -> list[Zone]:
    """The zones among a page's words, whose `rows` may be known."""
    zones = []
    for stack in zone_rows(words, rows):
        for size in (3, 2):  # three first: a TD1 zone's last two lines must not pass for a zone of their own
            if len(stack) < size:
                continue
            part = stack[-size:]
            zone = repaired_zone([text for text, _ in part], union(box for _, box in part))
            if zone is not None:
                zones.append(zone)
                break
    return zones
