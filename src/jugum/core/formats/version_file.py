"""A trained version as one ZIP of data files: manifest.json, model.json, trees.txt, tagger.crfsuite, tables.crfsuite. No pickles."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Mapping
from importlib.metadata import version as library_version
from typing import Any

from jugum.core.calibration import Calibrator
from jugum.core.classification import Layout
from jugum.core.extraction.model import Reader
from jugum.core.extraction.parts import PartReader
from jugum.core.extraction.values.extractor import Extractor
from jugum.core.schema import Plan, field_data, field_from
from jugum.errors import InputError

FORMAT = 3
READABLE = (2, 3)  # 2 knows no labeller of tables, and fewer calibration features
LIBRARIES = ("numpy", "scikit-learn", "lightgbm", "rapidfuzz", "python-crfsuite")
UNPACKED_MAX = 400_000_000  # bytes that the files of a version may hold together


def pack_version(reader: Reader, calibrators: Mapping[str, Calibrator], about: dict[str, Any]) -> bytes:
    """The ZIP's bytes. `about` (JSON-able) goes into the manifest, beside the format, the plan and the versions of the libraries it was made with."""
    values, trees = reader.extractor.to_data() if reader.extractor else (None, "")
    manifest = {
        "format": FORMAT, "plan": [field_data(field) for field in reader.plan.fields],
        "libraries": {name: library_version(name) for name in LIBRARIES}, **about,
    }  # fmt: skip
    parts = reader.parts
    model = {
        "values": values, "layouts": [layout.to_data() for layout in reader.layouts],
        "parts": {"plan": [field_data(field) for field in parts.plan.fields], **parts.to_data()} if parts else None,
        "calibrators": {kind: one.to_data() for kind, one in calibrators.items()},
    }  # fmt: skip
    tagger = reader.extractor.tagger.model if reader.extractor and reader.extractor.tagger else b""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, text in (
            ("manifest.json", json.dumps(manifest, indent=1, sort_keys=True)), ("model.json", json.dumps(model)), ("trees.txt", trees),
            ("tagger.crfsuite", tagger), ("tables.crfsuite", parts.tagger.model if parts and parts.tagger else b""),
        ):  # fmt: skip
            # No time of day: the same version gives the same bytes.
            archive.writestr(zipfile.ZipInfo(name), text, zipfile.ZIP_DEFLATED)
    return buffer.getvalue()


def unpack_version(data: bytes) -> tuple[Reader, dict[str, Calibrator], dict[str, Any]]:
    """The inverse of `pack_version`. InputError for what is no version file or one of another format."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            if sum(one.file_size for one in archive.infolist()) > UNPACKED_MAX:
                raise InputError("This version file holds more than a version can.")
            manifest = json.loads(archive.read("manifest.json"))
            model = json.loads(archive.read("model.json"))
            trees = archive.read("trees.txt").decode()
            tagger = archive.read("tagger.crfsuite")
            tables = archive.read("tables.crfsuite") if "tables.crfsuite" in archive.namelist() else b""
    except (zipfile.BadZipFile, KeyError, ValueError) as error:
        raise InputError("This is no version file of Jugum, or it is damaged.") from error
    if not isinstance(manifest, dict) or manifest.get("format") not in READABLE:
        found = manifest.get("format") if isinstance(manifest, dict) else "unknown"
        raise InputError(
            f"This version file has format {found}; formats {READABLE[0]} to {FORMAT} can be read. Train a new version."
        )
    try:
        plan = Plan(tuple(field_from(one) for one in manifest["plan"]))
        return (
            _reader(plan, model, trees, tagger, tables),
            {kind: Calibrator.from_data(one, kind) for kind, one in model["calibrators"].items()},
            manifest,
        )
    except (KeyError, TypeError, ValueError, IndexError) as error:
        raise InputError("This version file is damaged: its parts don't fit together.") from error


def _reader(plan: Plan, model: Mapping[str, Any], trees: str, tagger: bytes, tables: bytes) -> Reader:
    extractor = Extractor.from_data(plan.learned, model["values"], trees, tagger) if model["values"] else None
    parts = None
    if model["parts"]:
        its = Plan(tuple(field_from(one) for one in model["parts"]["plan"]))
        parts = PartReader.from_data(its, model["parts"], tables)
    return Reader(plan, extractor, parts, tuple(Layout.from_data(one) for one in model["layouts"]))


def misfit(version_plan: Plan, plan: Plan) -> str:
    """Why a version can't read papers of a plan, in words; "" when it can. What it reads must be there with the same kind and data type; what is
    new is read by the plan alone."""
    now = {field.key: field for field in plan.fields}
    gone = [one.name for one in version_plan.fields if one.key not in now]
    fits = readable(version_plan, plan)
    changed = [one.name for one in version_plan.fields if one.key in now and one.key not in fits]
    if gone and len(gone) == len(version_plan.fields):
        return "none of the fields it reads is in the plan"
    if changed:
        return f"the plan has another kind of field for {', '.join(changed[:3])}{' and others' if len(changed) > 3 else ''}"
    return ""


def readable(version_plan: Plan, plan: Plan) -> set[str]:
    """Keys of the fields of a plan that a version trained for another plan can read: there in both, with the same kind and data type."""
    then = {field.key: (field.kind, field.data_type) for field in version_plan.fields}
    return {field.key for field in plan.fields if then.get(field.key) == (field.kind, field.data_type)}
