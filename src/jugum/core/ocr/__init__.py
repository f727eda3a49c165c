"""Bytes → upright pages with words: text layer, OCR, straightening."""

from jugum.core.ocr.engines import CarefulEngine, Engine, QuickEngine, best_engine
from jugum.core.ocr.papers import Limits, Paper, open_paper
from jugum.core.ocr.reading import ReadPage, page_view, read_page

__all__ = [
    "CarefulEngine",
    "Engine",
    "Limits",
    "Paper",
    "QuickEngine",
    "ReadPage",
    "best_engine",
    "open_paper",
    "page_view",
    "read_page",
]
