"""What any page holds beyond its words, with no plan at all: blocks in reading order, ruling lines and cells,
label–value pairs, tables, tick boxes, signatures, words that a pen struck or ringed, machine-readable zones.

Words come in, and the picture of the upright page; nothing is learned and nothing is kept here.
"""

from jugum.core.ocr.rules import Rule, Ruling, cells_of, ruling_of
from jugum.core.structure.blocks import Block, blocks_of, text_in_order
from jugum.core.structure.marks import TickBox, pens, tick_boxes
from jugum.core.structure.page import Structure, Structures, structure_of
from jugum.core.structure.pairs import Pair, pairs_of
from jugum.core.structure.tables import Table, TableCell, tables_of
from jugum.core.structure.word_marks import WordMarks, word_marks
from jugum.core.structure.zones import Zone, read_zones, repaired_zone

__all__ = [
    "Block",
    "Pair",
    "Rule",
    "Ruling",
    "Structure",
    "Structures",
    "Table",
    "TableCell",
    "TickBox",
    "WordMarks",
    "Zone",
    "blocks_of",
    "cells_of",
    "pairs_of",
    "pens",
    "read_zones",
    "repaired_zone",
    "ruling_of",
    "structure_of",
    "tables_of",
    "text_in_order",
    "tick_boxes",
    "word_marks",
]
