"""A trained version as one ZIP of data files: manifest.json, model.json, trees.txt, tagger.crfsuite,
tables.crfsuite. No pickles."""

from __future__ import annotations

import hashlib
import io
import json
import zipfile
from collections.abc import Mapping
from importlib.metadata import version as library_version
from typing import Any

from pydantic import TypeAdapter

from jugum.core.calibration import Calibrator, Calibrators
from jugum.core.classification.layout_book import book_from
from jugum.core.evaluation.report_model import Report
from jugum.core.extraction.model import TrainedModel
from jugum.core.extraction.parts import PartReader
from jugum.core.extraction.presence import Presence
from jugum.core.extraction.values.extractor import Extractor
from jugum.core.extraction.values.second_opinion import check_model
from jugum.core.schema import Plan, field_data, field_from
from jugum.core.training.confidence import EvidenceRow
from jugum.errors import InputError

FORMAT = 4  # 4 has the SHA-256 of each part (decision 0014)
# 2 knows no labeller of tables, and fewer calibration features; 2 and 3 have no sums of their parts.
READABLE = (2, 3, 4)
MANIFEST, MODEL, TREES, TAGGER, TABLES = (
    "manifest.json",
    "model.json",
    "trees.txt",
    "tagger.crfsuite",
    "tables.crfsuite",
)
REPORT, EVIDENCE = "report.json", "evidence.json"  # of an exported one
EVIDENCE_ROWS = TypeAdapter(list[EvidenceRow])
NO_VERSION = "This is no version file of Jugum, or it is damaged."
LIBRARIES = ("numpy", "scikit-learn", "lightgbm", "rapidfuzz", "python-crfsuite")
UNPACKED_MAX = 400_000_000  # bytes that the files of a version may hold together


def pack_version(trained_model: TrainedModel, calibrators: Calibrators, about: dict[str, Any]) -> bytes:
    """The ZIP's bytes. `about` (JSON-able) goes into the manifest, beside the format, the plan, the SHA-256 of each
    part and the versions of the libraries it was made with."""
    values, trees = trained_model.extractor.to_data() if trained_model.extractor else (None, "")
    parts = trained_model.parts
    model = {
        "values": values,
        "layouts": trained_model.book.to_data(),
        "presence": trained_model.presence.to_data(),
        "parts": {"plan": [field_data(field) for field in parts.plan.fields], **parts.to_data()} if parts else None,
        "calibrators": {kind: one.to_data() for kind, one in calibrators.items()},
    }
    tagger = trained_model.extractor.tagger if trained_model.extractor else None
    files = {
        MODEL: json.dumps(model).encode(),
        TREES: trees.encode(),
        TAGGER: tagger.model if tagger else b"",
        TABLES: parts.tagger.model if parts and parts.tagger else b"",
    }
    manifest = {
        "format": FORMAT,
        "plan": [field_data(field) for field in trained_model.plan.fields],
        "parts": {name: _sum(data) for name, data in files.items()},
        "libraries": {name: library_version(name) for name in LIBRARIES},
        **about,
    }
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in {MANIFEST: json.dumps(manifest, indent=1, sort_keys=True).encode(), **files}.items():
            # No time of day: the same version gives the same bytes.
            archive.writestr(zipfile.ZipInfo(name), data, zipfile.ZIP_DEFLATED)
    return buffer.getvalue()


def _sum(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def unpack_version(data: bytes) -> tuple[TrainedModel, dict[str, Calibrator], dict[str, Any]]:
    """The inverse of `pack_version`. InputError for what is no version file, for one of another format, and for one
    any part of which is damaged, naming the part."""
    files = _files(data)
    try:
        manifest = json.loads(files[MANIFEST])
    except ValueError as error:
        raise InputError(NO_VERSION) from error
    if not isinstance(manifest, dict) or manifest.get("format") not in READABLE:
        found = manifest.get("format") if isinstance(manifest, dict) else "unknown"
        raise InputError(
            f"This version file has format {found}; formats {READABLE[0]} to {FORMAT} can be read. Train a new version."
        )
    for name, expected in manifest.get("parts", {}).items():
        if _sum(files.get(name, b"")) != expected:
            raise InputError(f"This version file is damaged: its part {name} has changed. Export it again.")
    try:
        plan = Plan(tuple(field_from(field) for field in manifest["plan"]))
        model = json.loads(files[MODEL])
        trained_model = _trained_model(plan, model, files)
        calibrators = {kind: Calibrator.from_data(one, kind) for kind, one in model["calibrators"].items()}
    except (KeyError, TypeError, ValueError, IndexError, AttributeError) as error:
        raise InputError("This version file is damaged: its parts don't fit together.") from error
    return trained_model, calibrators, manifest


def _files(data: bytes) -> dict[str, bytes]:
    """The files of the ZIP by name; the tables' labeller is missing in older ones."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            if sum(entry.file_size for entry in archive.infolist()) > UNPACKED_MAX:
                raise InputError("This version file holds more than a version can.")
            files = {name: archive.read(name) for name in (MANIFEST, MODEL, TREES, TAGGER)}
            files[TABLES] = archive.read(TABLES) if TABLES in archive.namelist() else b""
            return files
    except (zipfile.BadZipFile, KeyError, ValueError) as error:
        raise InputError(NO_VERSION) from error


def _trained_model(plan: Plan, model: Mapping[str, Any], files: Mapping[str, bytes]) -> TrainedModel:
    """The model of a version's parts; whatever a part's own library says of damage is a ValueError."""
    for name in (TAGGER, TABLES):
        check_model(files[name])
    trees = files[TREES].decode()
    extractor = Extractor.from_data(plan, model["values"], trees, files[TAGGER]) if model["values"] else None
    parts = None
    if model["parts"]:
        its = Plan(tuple(field_from(field) for field in model["parts"]["plan"]))
        parts = PartReader.from_data(its, model["parts"], files[TABLES])
    return TrainedModel(
        plan, extractor, parts, book_from(model["layouts"]), Presence.from_data(model.get("presence", []))
    )


def misfit(version_plan: Plan, plan: Plan) -> str:
    """Why a version can't read papers of a plan, in words; "" when it can. What it reads must be there with the same
    kind and data type; what is new is read by the plan alone."""
    now = {field.key: field for field in plan.fields}
    gone = [field.name for field in version_plan.fields if field.key not in now]
    fits = readable(version_plan, plan)
    changed = [field.name for field in version_plan.fields if field.key in now and field.key not in fits]
    if gone and len(gone) == len(version_plan.fields):
        return "none of the fields it reads is in the plan"
    if changed:
        return (
            "the plan has another kind of field for "
            f"{', '.join(changed[:3])}{' and others' if len(changed) > 3 else ''}"
        )
    return ""


def readable(version_plan: Plan, plan: Plan) -> set[str]:
    """Keys of the fields of a plan that a version trained for another plan can read: there in both, with the same
    kind and data type."""
    then = {field.key: (field.kind, field.data_type) for field in version_plan.fields}
    return {field.key for field in plan.fields if then.get(field.key) == (field.kind, field.data_type)}


def judged_parts(data: bytes) -> tuple[Report, list[EvidenceRow]]:
    """Report and evidence that an exported version brings along. InputError where they are missing or damaged."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        if not {REPORT, EVIDENCE} <= set(archive.namelist()):
            raise InputError(
                "This version file has no report and no evidence, so no threshold could be set for it. Export it "
                "again in Train."
            )
        try:
            report = Report.from_data(json.loads(archive.read(REPORT)))
            evidence = EVIDENCE_ROWS.validate_python(json.loads(archive.read(EVIDENCE)))
        except ValueError as error:
            raise InputError("This version file is damaged: its report or its evidence can't be read.") from error
    if report is None or not evidence:
        raise InputError("This version file is damaged: its report or its evidence is empty.")
    return report, evidence


def with_judged_parts(packed: bytes, report: object, evidence: object) -> bytes:
    """A packed version with its report and evidence (JSON values), as it is exported."""
    buffer = io.BytesIO(packed)
    with zipfile.ZipFile(buffer, "a", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(zipfile.ZipInfo(REPORT), json.dumps(report), zipfile.ZIP_DEFLATED)
        archive.writestr(zipfile.ZipInfo(EVIDENCE), json.dumps(evidence), zipfile.ZIP_DEFLATED)
    return buffer.getvalue()
