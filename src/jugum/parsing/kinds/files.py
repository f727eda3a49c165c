"""Mails, archives and files of data: what they are, what is in them."""

from __future__ import annotations

from typing import Any

from pydantic import TypeAdapter

from jugum.core.formats.alto_in import words_from_alto
from jugum.core.formats.labels_file import PaperData, read_annotations, read_lines
from jugum.core.formats.tables import entries_of, past_records_of
from jugum.core.ocr.containers import kind_of, mail_name, mail_note, unpack
from jugum.core.ocr.papers import Limits
from jugum.core.page import Word
from jugum.parsing.kinds import Answers, Kind

PAGES = TypeAdapter(list[tuple[Word, ...]])
PAPERS = TypeAdapter(list[PaperData])


def _kind(data: bytearray, name: str) -> Answers:
    yield kind_of(bytes(data), name).value, b""


def _mail_note(data: bytearray) -> Answers:
    yield mail_note(bytes(data)), b""


def _mail_name(data: bytearray) -> Answers:
    yield mail_name(bytes(data)), b""


def _unpack(data: bytearray, name: str, limits: dict[str, Any]) -> Answers:
    for part in unpack(bytes(data), name, Limits(**limits)):
        yield {"path": part.path, "problem": part.problem}, part.data


def _alto(data: bytearray) -> Answers:
    yield PAGES.dump_python(words_from_alto(bytes(data)), mode="json"), b""


def _past_records(data: bytearray) -> Answers:
    yield past_records_of(bytes(data)), b""


def _entries(data: bytearray) -> Answers:
    yield entries_of(bytes(data)), b""


def _labels(data: bytearray, form: str) -> Answers:
    papers = read_lines(bytes(data)) if form == "jsonl" else read_annotations(bytes(data))
    yield PAPERS.dump_python(list(papers), mode="json"), b""


KIND = Kind(
    {
        "kind": _kind,
        "mail_note": _mail_note,
        "mail_name": _mail_name,
        "unpack": _unpack,
        "alto": _alto,
        "past_records": _past_records,
        "entries": _entries,
        "labels": _labels,
    }
)
