"""Word-processor files as pages, through LibreOffice where it is installed."""

from __future__ import annotations

import shutil
import subprocess
import tempfile
from pathlib import Path

from jugum.errors import UnreadablePaper

SECONDS_MAX = 50  # a file that takes longer holds its worker up


def office_program() -> str | None:
    """Path of LibreOffice; None where it is not installed."""
    return shutil.which("soffice") or shutil.which("libreoffice")


def office_to_pdf(data: bytes, name: str, program: str | None) -> bytes:
    """The file printed to PDF. `program` is the path of LibreOffice; None where there is none.

    Raises UnreadablePaper when it is not installed, refuses the file, or takes more than SECONDS_MAX.
    """
    if program is None:
        raise UnreadablePaper(
            f"“{name}” is a word-processor file; this machine has no LibreOffice to open it. Save it as PDF "
            "and send that."
        )
    with tempfile.TemporaryDirectory() as folder:
        source = Path(folder, f"paper{Path(name).suffix.lower() or '.docx'}")
        source.write_bytes(data)
        command = [
            program,
            "--headless",
            f"-env:UserInstallation=file://{folder}/profile",
            "--convert-to",
            "pdf",
            "--outdir",
            folder,
            str(source),
        ]
        try:
            subprocess.run(command, capture_output=True, timeout=SECONDS_MAX, check=False)
        except subprocess.TimeoutExpired as error:
            raise UnreadablePaper(
                f"“{name}” took LibreOffice more than {SECONDS_MAX} s. Save it as PDF and send the PDF."
            ) from error
        made = source.with_suffix(".pdf")
        if not made.exists():
            raise UnreadablePaper(f"LibreOffice cannot open “{name}”. Save it as PDF and send the PDF.")
        return made.read_bytes()
