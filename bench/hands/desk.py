"""What all hands need: a page that notes where values were written, and papers in the folder format that
`bench.folder` reads."""

from __future__ import annotations

import json
import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from pathlib import Path
from typing import Any, Protocol

import numpy as np
import pypdfium2 as pdfium
from PIL import Image
from reportlab.pdfbase.pdfmetrics import stringWidth

from jugum.demo.scans import worn
from jugum.demo.sheet import Sheet

A4 = (595.0, 842.0)
SPLITS = {"train": 50, "test_known": 24, "test_new": 20}
QUALITIES = ("digital", "scan", "digital", "scan", "digital", "bad")
SEVERITY = {"scan": 0.25, "bad": 0.9}
Place = list[float]


@dataclass
class Written:
    """A value as it stands on a paper: as printed, in normal form, and the box of each of its lines ([page from 0, x0,
    y0, x1, y1], shares of the page)."""

    value: str
    normal: str
    boxes: list[Place] = field(default_factory=list)

    def to_data(self) -> dict[str, Any]:
        boxes = [[int(page), *sides] for page, *sides in self.boxes]
        place = {"box": boxes[0]} if len(boxes) == 1 else {"boxes": boxes}
        return {"value": self.value, "normal": self.normal, **place}


class Desk:
    """A sheet of A4 pages, and what was written on it where. Lines are counted from the top, in points."""

    def __init__(self, face: str = "Helvetica", size: float = 10.0) -> None:
        self.sheet, self.face, self.size = Sheet(A4), face, size
        self.fields: dict[str, list[Written]] = {}
        self.rows: dict[str, list[dict[str, Written | None]]] = {}

    def write(self, x: float, y: float, text: str, size: float = 0.0, *, bold: bool = False) -> Place:
        """Text from a place on; the box it takes. Returns the place of it."""
        size = size or self.size
        self.sheet.text(x, y, text, size, bold=bold, font=self.face)
        return self.box(x, y - 0.75 * size, x + self.wide(text, size, bold), y + 0.22 * size)

    def wide(self, text: str, size: float = 0.0, bold: bool = False) -> float:
        name = {"Times": "Times-Bold" if bold else "Times-Roman"}.get(self.face, self.face + ("-Bold" if bold else ""))
        return float(stringWidth(text, name, size or self.size))

    def box(self, x0: float, y0: float, x1: float, y1: float) -> Place:
        page = float(len(self.sheet.pages) - 1)
        return [page, *(round(v, 5) for v in (x0 / A4[0], y0 / A4[1], x1 / A4[0], y1 / A4[1]))]

    def note(self, key: str, value: str, normal: str, *boxes: Place) -> None:
        """That a field's value was written there."""
        self.fields[key] = [Written(value, normal, list(boxes))]

    def put(self, key: str, x: float, y: float, value: str, normal: str = "", *, bold: bool = False) -> None:
        """Write a field's value."""
        self.note(key, value, normal or value, self.write(x, y, value, bold=bold))

    def prose(self, x: float, y: float, width: float, parts: Sequence[str | tuple[str, str, str]]) -> float:
        """Running text broken into lines; a part that is a triple (field, value, normal) is a value. The y below it."""
        words: list[tuple[str, str | None]] = []
        normals: dict[str, tuple[str, str]] = {}
        for part in parts:
            if isinstance(part, str):
                words += [(word, None) for word in part.split()]
            else:
                key, value, normal = part
                normals[key] = value, normal
                words += [(word, key) for word in value.split()]
        places: dict[str, list[Place]] = {}
        at = x
        blank = self.wide(" ")
        for word, key in words:
            if at > x and at + self.wide(word) > x + width and word[0].isalnum():
                at, y = x, y + 1.45 * self.size
            if word in {".", ",", ";", ")"}:
                at -= blank
            place = self.write(at, y, word)
            if key is not None:
                line = places.setdefault(key, [])
                if line and line[-1][2] == place[2]:
                    line[-1][3] = place[3]
                else:
                    line.append(place)
            at += self.wide(word) + blank
        for key, (value, normal) in normals.items():
            self.note(key, value, normal, *places[key])
        return y + 2.1 * self.size


class Hand(Protocol):
    """A module that draws papers of one type."""

    TYPE: str
    SCHEMA: Mapping[str, Any]
    KNOWN: Sequence[str]
    NEW: Sequence[str]

    def draw(self, layout: str, rng: random.Random) -> Desk: ...


def a_day(rng: random.Random, first: int = 2019, last: int = 2026) -> date:
    return date(rng.randint(first, last), rng.randint(1, 12), rng.randint(1, 28))


def write_folder(folder: Path, hand: Hand, seed: int) -> None:
    """Papers of a hand: training papers and tests of known layouts, tests of new ones, as PDF or scanned."""
    rng = random.Random(f"{hand.TYPE} {seed}")
    folder.mkdir(parents=True, exist_ok=True)
    lines, number = [], 0
    for split, count in SPLITS.items():
        layouts = hand.NEW if split == "test_new" else hand.KNOWN
        (folder / split).mkdir(exist_ok=True)
        order = [(layouts[n % len(layouts)], QUALITIES[n // len(layouts) % len(QUALITIES)]) for n in range(count)]
        rng.shuffle(order)
        for layout, quality in order:
            number += 1
            desk = hand.draw(layout, rng)
            name = f"{split}/{hand.TYPE}-{number:03}.{'pdf' if quality == 'digital' else 'png'}"
            _save(folder / name, desk.sheet.done(), quality, rng.randrange(1 << 30))
            lines.append(
                {
                    "file": name,
                    "type": hand.TYPE,
                    "layout": layout,
                    "split": split,
                    "quality": quality,
                    "fields": {
                        one["key"]: [written.to_data() for written in desk.fields.get(one["key"], ())]
                        for one in hand.SCHEMA["fields"]
                    },
                    "tables": {
                        key: [{name: cell.to_data() if cell else None for name, cell in row.items()} for row in rows]
                        for key, rows in desk.rows.items()
                    },
                }
            )
    (folder / "schema.json").write_text(json.dumps({"types": {hand.TYPE: hand.SCHEMA}}, indent=1))
    (folder / "truth.jsonl").write_text("".join(json.dumps(line, ensure_ascii=False) + "\n" for line in lines))


def _save(path: Path, pdf: bytes, quality: str, seed: int) -> None:
    if quality == "digital":
        path.write_bytes(pdf)
        return
    document = pdfium.PdfDocument(pdf)
    page = np.ascontiguousarray(document[0].render(scale=200 / 72).to_numpy()[:, :, 2::-1])
    document.close()
    picture = worn(page, np.random.default_rng(seed), SEVERITY[quality])
    Image.fromarray(picture).convert("L").save(path, "PNG", dpi=(200, 200))
