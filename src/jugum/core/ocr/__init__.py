"""Bytes → upright pages with words: containers, text layers, straightening, OCR, bar codes, form fields."""

from jugum.core.ocr.containers import FileKind, Part, kind_of, mail_note, plain_name, unpack
from jugum.core.ocr.engines import (
    BothEngine,
    CarefulEngine,
    Engine,
    QuickEngine,
    check_engine,
    check_language,
    engine_named,
)
from jugum.core.ocr.office import office_to_pdf
from jugum.core.ocr.papers import Limits, Paper, open_paper, unlocked
from jugum.core.ocr.reading import (
    How,
    ReadPage,
    page_view,
    picture_bytes,
    read_page,
    read_region,
    reading_picture,
    region_picture,
    upright_picture,
    view_size,
)
from jugum.core.ocr.rules import in_cells_as

__all__ = [
    "BothEngine",
    "CarefulEngine",
    "Engine",
    "FileKind",
    "How",
    "Limits",
    "Paper",
    "Part",
    "QuickEngine",
    "ReadPage",
    "check_engine",
    "check_language",
    "engine_named",
    "in_cells_as",
    "kind_of",
    "mail_note",
    "office_to_pdf",
    "open_paper",
    "page_view",
    "picture_bytes",
    "plain_name",
    "read_page",
    "read_region",
    "reading_picture",
    "region_picture",
    "unlocked",
    "unpack",
    "upright_picture",
    "view_size",
]
