"""All layers of one page at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from jugum.core.ocr.rules import Ruling, ruling_of
from jugum.core.page import Box, Page, Word, WordKind
from jugum.core.structure.blocks import Block, blocks_of
from jugum.core.structure.marks import TickBox, pens, tick_boxes
from jugum.core.structure.pairs import Pair, pairs_of
from jugum.core.structure.tables import Table, tables_of
from jugum.core.structure.word_marks import WordMarks, word_marks
from jugum.core.structure.zones import Zone, read_zones

Grey = npt.NDArray[np.uint8]


@dataclass(frozen=True)
class Structure:
    """What a page holds beyond its words; indices are into the page's words, boxes in fractions of the page."""

    blocks: tuple[Block, ...]
    ruling: Ruling
    pairs: tuple[Pair, ...]
    tables: tuple[Table, ...]
    ticks: tuple[TickBox, ...]
    signatures: tuple[Box, ...]
    zones: tuple[Zone, ...]
    codes: tuple[int, ...]
    words: WordMarks = field(default_factory=WordMarks)
    strokes: tuple[Box, ...] = ()  # of a pen, perhaps: signatures where one is expected
    stamps: tuple[Box, ...] = ()  # round ones, and rectangular ones that stand askew


Structures = Sequence[Structure | None]  # of a paper's pages; None where a page's picture was not looked at


def structure_of(page: Page, grey: Grey) -> Structure:
    """All layers of an upright page with its H×W picture (see `core.ocr.reading_picture`)."""
    words: Sequence[Word] = page.words
    aspect = page.width_pt / page.height_pt
    ruling = ruling_of(grey)
    printed = [word for word in words if word.kind is not WordKind.BARCODE]
    ticks = tick_boxes(grey, page.width_pt, printed)
    inked = pens(grey, page.width_pt, words, ruling.rules)
    # A box that is a tick box is no cell, and a pen stroke in a tick box is no signature.
    cells = tuple(cell for cell in ruling.cells if not any(tick.box.contains(*cell.middle) for tick in ticks))
    return Structure(
        tuple(blocks_of(words, aspect)),
        Ruling(ruling.rules, cells),
        tuple(pairs_of(words, aspect, cells)),
        tuple(tables_of(words, cells, aspect)),
        tuple(ticks),
        inked.signatures,
        tuple(read_zones(words)),
        tuple(index for index, word in enumerate(words) if word.kind is WordKind.BARCODE),
        word_marks(grey, words),
        inked.strokes,
        inked.stamps,
    )
