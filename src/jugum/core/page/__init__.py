"""Words, pages, boxes, rows and segments: the language all of core speaks.

One coordinate system is stored: fractions 0–1 of the upright page, origin top left.
"""

from jugum.core.page.blob import pack_words, unpack_words
from jugum.core.page.geometry import Box, horizontal_overlap, overlap_share, union, vertical_overlap
from jugum.core.page.parts import lines_of, part_of
from jugum.core.page.rows import Segment, laid_out, reading_order, rows_of, segments_in, segments_of
from jugum.core.page.words import Page, PageSource, Word, WordKind, how_read, text_of

__all__ = [
    "Box",
    "Page",
    "PageSource",
    "Segment",
    "Word",
    "WordKind",
    "horizontal_overlap",
    "how_read",
    "laid_out",
    "lines_of",
    "overlap_share",
    "pack_words",
    "part_of",
    "reading_order",
    "rows_of",
    "segments_in",
    "segments_of",
    "text_of",
    "union",
    "unpack_words",
    "vertical_overlap",
]
