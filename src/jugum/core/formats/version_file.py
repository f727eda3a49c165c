"""A trained version as one ZIP of data files: manifest.json, model.json, trees.txt. No pickles."""

from __future__ import annotations

import io
import json
import zipfile
from typing import Any

from jugum.core.calibration import Calibrator
from jugum.core.extraction import Extractor
from jugum.core.schema import Plan, field_data, field_from
from jugum.errors import InputError

FORMAT = 1


def pack_version(extractor: Extractor, calibrator: Calibrator, about: dict[str, Any]) -> bytes:
    """The ZIP's bytes. `about` (JSON-able) goes into the manifest, beside the format and the plan."""
    model, trees = extractor.to_data()
    manifest = {"format": FORMAT, "plan": [field_data(field) for field in extractor.plan.fields], **about}
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("manifest.json", json.dumps(manifest, indent=1, sort_keys=True))
        archive.writestr("model.json", json.dumps({**model, "calibrator": calibrator.to_data()}))
        archive.writestr("trees.txt", trees)
    return buffer.getvalue()


def unpack_version(data: bytes) -> tuple[Extractor, Calibrator, dict[str, Any]]:
    """The inverse of `pack_version`. InputError for what is no version file or one of another format."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            manifest = json.loads(archive.read("manifest.json"))
            model = json.loads(archive.read("model.json"))
            trees = archive.read("trees.txt").decode()
    except (zipfile.BadZipFile, KeyError, ValueError) as error:
        raise InputError("This is no version file of Jugum, or it is damaged.") from error
    if manifest.get("format") != FORMAT:
        raise InputError(f"This version file has format {manifest.get('format')}; format {FORMAT} can be read.")
    plan = Plan(tuple(field_from(data) for data in manifest["plan"]))
    return Extractor.from_data(plan, model, trees), Calibrator.from_data(model["calibrator"]), manifest
