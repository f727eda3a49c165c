"""Words of a page as one compressed columnar blob: about 9 bytes a word instead of a row a word."""

from __future__ import annotations

import json
import zlib
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from jugum.core.page.geometry import Box
from jugum.core.page.rows import reading_order
from jugum.core.page.words import Word, WordKind

FORMAT = 1  # words of another format are refused, not guessed at
_GRID = 65535  # boxes are kept to 1/65535 of a page: 0.003 mm on A4


def pack_words(words: Sequence[Word]) -> bytes:
    """Words → bytes: a JSON head line (format, texts, kinds of words that are no print, places of words that a
    second reading has otherwise, and of those written by hand) and three columns (uint16 boxes, uint8 confidences,
    bold); a fourth (int16) where words stand in ruled cells. They are kept in the reading order of their rounded
    boxes: a word at the edge of two rows may change its row by rounding."""
    words = reading_order([replace(word, box=_rounded(word.box)) for word in words])
    boxes = np.array([word.box for word in words], dtype=np.float64).reshape(-1, 4)
    described: dict[str, object] = {"format": FORMAT, "texts": [word.text for word in words]}
    kinds = {number: word.kind.value for number, word in enumerate(words) if word.kind is not WordKind.TEXT}
    if kinds:
        described["kinds"] = kinds
    differ = [number for number, word in enumerate(words) if word.differs]
    if differ:
        described["differ"] = differ
    written = [number for number, word in enumerate(words) if word.by_hand]
    if written:
        described["by_hand"] = written
    celled = any(word.cell >= 0 for word in words)
    if celled:
        described["celled"] = True
    head = json.dumps(described, ensure_ascii=False).encode()
    columns = (
        np.rint(boxes * _GRID).astype("<u2").T.tobytes(),
        np.rint(np.array([word.confidence for word in words]) * 255).astype("u1").tobytes(),
        np.array([word.bold for word in words], dtype="u1").tobytes(),
        np.array([word.cell for word in words], dtype="<i2").tobytes() if celled else b"",
    )
    return zlib.compress(head + b"\n" + b"".join(columns), 6)


def _rounded(box: Box) -> Box:
    return Box(*(round(min(1.0, max(0.0, edge)) * _GRID) / _GRID for edge in box))


def unpack_words(blob: bytes) -> tuple[Word, ...]:
    """The inverse of `pack_words`, to within 1/65535 of a page and 1/255 of confidence, in reading order."""
    head, _, columns = zlib.decompress(blob).partition(b"\n")
    described = json.loads(head)
    if described["format"] != FORMAT:
        raise ValueError(f"words of format {described['format']} can't be read; this program reads format {FORMAT}")
    texts = described["texts"]
    count = len(texts)
    boxes = np.frombuffer(columns, "<u2", 4 * count).reshape(4, count).T / _GRID
    confidences = np.frombuffer(columns, "u1", count, offset=8 * count) / 255
    bold = np.frombuffer(columns, "u1", count, offset=9 * count)
    kinds = {int(number): WordKind(kind) for number, kind in described.get("kinds", {}).items()}
    cells = np.frombuffer(columns, "<i2", count, offset=10 * count) if described.get("celled") else [-1] * count
    differ, written = (frozenset(described.get(name, ())) for name in ("differ", "by_hand"))
    return tuple(
        Word(
            text,
            Box(*map(float, boxes[n])),
            float(confidences[n]),
            bool(bold[n]),
            kinds.get(n, WordKind.TEXT),
            int(cells[n]),
            n in differ,
            n in written,
        )
        for n, text in enumerate(texts)
    )
