"""A received file as a PDF whose text can be searched: the file is taken apart and put together anew."""

from __future__ import annotations

from typing import Any

from PIL import Image
from pydantic import TypeAdapter

from jugum.core.formats.searchable import searchable_pdf
from jugum.core.ocr.papers import Limits, open_paper
from jugum.core.page import Page
from jugum.parsing.kinds import Answers, Kind

Image.init()
PAGES = TypeAdapter(list[tuple[int, Page]])


def _searchable(data: bytearray, name: str, limits: dict[str, Any], pages: Any) -> Answers:
    received = bytes(data)
    paper = open_paper(received, name, Limits(**limits))
    yield None, searchable_pdf(received, paper, PAGES.validate_python(pages))


KIND = Kind({"searchable": _searchable})
