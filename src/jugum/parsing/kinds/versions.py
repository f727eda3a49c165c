"""Version files: unpacked, and tried on a paper, so that a damaged one ends this process and no other."""

from __future__ import annotations

from typing import Any

from pydantic import TypeAdapter

from jugum.core.evaluation.report_model import Report
from jugum.core.formats.version_file import judged_parts, unpack_version
from jugum.core.page import Page
from jugum.core.schema import field_data
from jugum.core.training.confidence import EvidenceRow
from jugum.core.training.version import confident_decisions
from jugum.parsing.kinds import Answers, Kind

PAGES = TypeAdapter(list[Page])
EVIDENCE = TypeAdapter(list[EvidenceRow])


def _tried(data: bytearray, pages: Any, judged: bool) -> Answers:
    """The manifest, the plan and, where asked for, report and evidence of a version that has read the pages."""
    packed = bytes(data)
    trained_model, calibrators, manifest = unpack_version(packed)
    report: Report | None = None
    evidence: list[EvidenceRow] = []
    if judged:
        report, evidence = judged_parts(packed)
    read = confident_decisions(trained_model, calibrators, PAGES.validate_python(pages))
    said = {
        "labels_sha256": str(manifest.get("labels_sha256", "")),
        "plan": [field_data(field) for field in trained_model.plan.fields],
        "report": report.to_data() if report else None,
        "evidence": EVIDENCE.dump_python(evidence, mode="json"),
        "decisions": len(read),
    }
    yield said, b""


KIND = Kind({"tried": _tried}, megabytes_least=4000)
