"""Word-processor files, printed to PDF by LibreOffice, which starts as a program without rights and without network."""

from __future__ import annotations

from jugum.core.ocr.office import office_to_pdf
from jugum.parsing.kinds import Answers, Kind


def _to_pdf(data: bytearray, name: str, program: str | None) -> Answers:
    yield None, office_to_pdf(bytes(data), name, program)


KIND = Kind({"to_pdf": _to_pdf}, may_start_programs=True, megabytes_least=1500)
