"""What the program asks of parsing processes, in the words of core: each function here does what the one of the same
name in core does, elsewhere."""

from __future__ import annotations

import atexit
import contextlib
import threading
from collections.abc import Callable, Iterator, Sequence
from contextlib import closing
from dataclasses import asdict, dataclass
from typing import Any, TypeVar

from pydantic import TypeAdapter, ValidationError

from jugum.core.formats.labels_file import PaperData
from jugum.core.ocr.containers import FileKind, Part
from jugum.core.ocr.office import office_program
from jugum.core.ocr.papers import Limits
from jugum.core.page import Page, Word
from jugum.errors import InputError, JugumError, UnreadablePaper
from jugum.parsing.opened import OpenedPaper, ended_words
from jugum.parsing.process import Cause, ParsingProcess, ProcessEnded, Request

T = TypeVar("T")
OFFICE_SECONDS = 50.0
PAGES_OF_WORDS = TypeAdapter(list[tuple[Word, ...]])
PAPERS = TypeAdapter(list[PaperData])
NUMBERED_PAGES = TypeAdapter(list[tuple[int, Page]])
PAGES = TypeAdapter(list[Page])
RECORDS = TypeAdapter(list[dict[str, str]])
TEXTS = TypeAdapter(list[str])


@dataclass(frozen=True)
class ParsingLimits:
    """What a parsing process may use: MB of memory beyond what the program itself takes, and seconds of a processor for
    each page or file it works on."""

    megabytes: int = 1100
    seconds: float = 15.0


class Parsers:
    """The parsing processes of this process: one for papers, which stay open, and one for other files, so that neither
    waits for the other. Others are started for one file and ended after it."""

    def __init__(self, limits: ParsingLimits) -> None:
        self.limits = limits
        self._papers = ParsingProcess("papers", limits.megabytes)
        self._files = ParsingProcess("files", limits.megabytes)

    def warm(self) -> None:
        """Start the process for papers, so that the first need not wait for it."""
        with contextlib.suppress(JugumError):
            self._papers.start()

    def open_paper(self, load: Callable[[], bytes], name: str, limits: Limits) -> OpenedPaper:
        """Open a PDF or a picture, whose bytes `load` gives; it is asked again when the process had to be replaced.
        Raises UnreadablePaper and LockedPaper as `core.ocr.open_paper`."""
        return OpenedPaper(self._papers, self.limits.seconds, load, name, limits)

    def check_opens(self, data: bytes, name: str, limits: Limits) -> None:
        """Raise what opening a paper raises."""
        self._once(self._papers, "check", data, name, {"limits": asdict(limits), "name": name})

    def unlocked(self, data: bytes, name: str, password: str) -> bytes:
        """A PDF without its password."""
        _, opened = self._once(self._papers, "unlocked", data, name, {"name": name, "password": password})
        return bytes(opened)

    def kind_of(self, data: bytes, name: str) -> FileKind:
        """What a file is, by its bytes. What can't be told in time is unknown."""
        value, _ = self._once(self._files, "kind", data, name, {"name": name})
        return FileKind(value)

    def mail_note(self, data: bytes, name: str) -> str:
        """Who wrote, when, about what, and a mail's text."""
        return str(self._once(self._files, "mail_note", data, name, {})[0])[:4000]

    def mail_name(self, data: bytes) -> str:
        """A file name for a mail, after its subject; a plain one where the mail can't be taken apart."""
        try:
            return str(self._once(self._files, "mail_name", data, "mail.eml", {})[0])[:255]
        except InputError:
            return "mail.eml"

    def unpack(self, data: bytes, name: str, limits: Limits) -> Iterator[Part]:
        """The papers in a mail or an archive, one by one; they come while the caller keeps the last."""
        request = Request(
            "unpack",
            {"name": name, "limits": asdict(limits)},
            4 * self.limits.seconds,
            answer_most=limits.bytes_max + 1,
        )
        try:
            with closing(self._files.ask(request, data)) as answers:
                for value, blob in answers:
                    yield Part(str(value["path"]), bytes(blob), str(value["problem"]))
        except ProcessEnded as ended:
            raise UnreadablePaper(ended_words(ended.cause, f"“{name}”", self.limits.megabytes)) from ended

    def words_from_alto(self, data: bytes) -> list[tuple[Word, ...]]:
        """Words of each page of an ALTO file."""
        return self._validated(PAGES_OF_WORDS, self._once(self._files, "alto", data, "ALTO file", {})[0])

    def past_records_of(self, data: bytes) -> list[dict[str, str]]:
        """Rows of a CSV of values keyed in the past."""
        return self._validated(RECORDS, self._once(self._files, "past_records", data, "CSV", {})[0])

    def entries_of(self, data: bytes) -> list[str]:
        """Entries of a list."""
        return self._validated(TEXTS, self._once(self._files, "entries", data, "list", {})[0])

    def labels_of(self, data: bytes, form: str) -> list[PaperData]:
        """Papers with their labels, from a labels file of the form `jsonl` or `annotations`."""
        return self._validated(PAPERS, self._once(self._files, "labels", data, "labels file", {"form": form})[0])

    def office_to_pdf(self, data: bytes, name: str) -> bytes:
        """A word-processor file printed to PDF, where LibreOffice is installed."""
        program = office_program()
        process = ParsingProcess("office", self.limits.megabytes)
        try:
            _, made = self._once(process, "to_pdf", data, name, {"name": name, "program": program}, OFFICE_SECONDS)
        finally:
            process.end()
        return bytes(made)

    def searchable_pdf(self, data: bytes, name: str, limits: Limits, pages: Sequence[tuple[int, Page]]) -> bytes:
        """Pages of a file (index in the file, page) as a PDF whose text can be searched."""
        process = ParsingProcess("searchable", self.limits.megabytes)
        arguments = {
            "name": name,
            "limits": asdict(limits),
            "pages": NUMBERED_PAGES.dump_python(list(pages), mode="json"),
        }
        try:
            seconds = self.limits.seconds * (1 + len(pages) / 10)
            return bytes(self._once(process, "searchable", data, name, arguments, seconds)[1])
        finally:
            process.end()

    def tried_version(self, data: bytes, name: str, pages: Sequence[Page], *, judged: bool) -> dict[str, Any]:
        """What a version file says of itself after it has read `pages`: `labels_sha256`, `plan` (fields as data) and,
        when `judged`, `report` and `evidence`. InputError for one that is damaged or does not come through it."""
        process = ParsingProcess("versions", self.limits.megabytes)
        arguments = {"pages": PAGES.dump_python(list(pages), mode="json"), "judged": judged}
        try:
            with closing(process.ask(Request("tried", arguments, 2 * self.limits.seconds), data)) as answers:
                said: dict[str, Any] = next((value for value, _ in answers), {})
        except ProcessEnded as ended:
            raise InputError(
                f"“{name}” was tried on a paper and did not come through ({ended.cause}): the file is damaged. Export "
                "it again, or train a new version."
            ) from ended
        finally:
            process.end()
        return said

    def _once(
        self,
        process: ParsingProcess,
        operation: str,
        data: bytes,
        name: str,
        arguments: dict[str, Any],
        seconds: float | None = None,
    ) -> tuple[Any, bytearray]:
        """One answer to one request. What earlier files left in the process is no reason to refuse this one: it gets a
        second try in a new one, unless it took too long."""
        request = Request(operation, arguments, seconds or self.limits.seconds)
        cause = Cause.CRASH
        for _ in range(2):
            try:
                return process.answer(request, data)
            except ProcessEnded as ended:
                cause = ended.cause
                if cause is Cause.TIME:
                    break
        raise UnreadablePaper(ended_words(cause, f"“{name}”", self.limits.megabytes))

    @staticmethod
    def _validated(adapter: TypeAdapter[T], value: Any) -> T:
        try:
            return adapter.validate_python(value)
        except ValidationError as error:
            raise InputError("The file is damaged: what is in it does not fit together.") from error

    def close(self) -> None:
        """End the processes; the next request starts new ones."""
        for process in (self._papers, self._files):
            with process.lock:
                process.end()


_shared: dict[ParsingLimits, Parsers] = {}
_lock = threading.Lock()


def shared_parsers(limits: ParsingLimits) -> Parsers:
    """The parsers of this process with these limits; they end with it."""
    with _lock:
        if limits not in _shared:
            _shared[limits] = Parsers(limits)
            atexit.register(_shared[limits].close)
        return _shared[limits]
