"""Labels as files: JSON Lines (one paper a line) with a published JSON Schema, and W3C Web Annotations, both out and
in."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable, Sequence
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from jugum.errors import InputError

FORMAT = "jugum-labels-1"
ANNOTATION = "http://www.w3.org/ns/anno.jsonld"
_FRAGMENT = re.compile(r"page=(\d+)&xywh=percent:([\d.]+),([\d.]+),([\d.]+),([\d.]+)")

Fraction = Annotated[float, Field(ge=0, le=1)]
BoxData = tuple[Fraction, Fraction, Fraction, Fraction]


class _StrictModel(BaseModel):
    model_config = ConfigDict(extra="forbid")


class PlaceData(_StrictModel):
    """Where something stands: page from 1, box as left, top, right, bottom in fractions of the upright page."""

    page: int = Field(ge=1)
    box: BoxData


class ValueData(_StrictModel):
    """One value: its text, its normal form (needed where the text does not say it, as the option of a choice), and its
    places (more than one when it goes over lines or pages; none when it is not known where it stands)."""

    text: str = Field(max_length=20_000)  # a clause over several pages; more is no value
    normal: str = ""
    places: list[PlaceData] = Field(default_factory=list)


class FieldData(_StrictModel):
    """What is said of a field: its values, or that it is not on the paper. A table has `rows`: column key → value."""

    absent: bool = False
    values: list[ValueData] = Field(default_factory=list)
    rows: list[dict[str, ValueData]] | None = None
    method: str = "marked"
    person: str = ""
    created_at: str = ""


class PaperData(_StrictModel):
    """One paper: the file it came as, its SHA-256, its set, and its labels by field key."""

    format: str = FORMAT
    file: str
    sha256: str = ""  # The file's name may be given twice; its bytes tell which paper is meant.
    set: str = "train"
    state: str = "labelled"
    labels: dict[str, FieldData]


def labels_schema() -> dict[str, Any]:
    """The JSON Schema of one line of a labels file."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Jugum labels, one paper a line",
        **{key: part for key, part in PaperData.model_json_schema().items() if key != "title"},
    }


def write_lines(papers: Iterable[PaperData]) -> str:
    """JSON Lines, a paper a line."""
    return "".join(paper.model_dump_json(exclude_defaults=False) + "\n" for paper in papers)


def read_lines(data: bytes) -> list[PaperData]:
    """The papers of a JSON Lines file. InputError names the line and what is wrong with it."""
    papers = []
    # The whole file is checked before anything is taken over: half an import could not be undone.
    for number, line in enumerate(_text(data).split("\n"), start=1):  # a text may hold a line end of Unicode
        if not line.strip():
            continue
        try:
            paper = PaperData.model_validate_json(line)
        except ValidationError as error:
            first = error.errors()[0]
            where = ".".join(str(part) for part in first["loc"]) or "the line"
            raise InputError(f"Line {number} of the labels: {where}: {first['msg']}.") from error
        if paper.format != FORMAT:
            raise InputError(f"Line {number} of the labels has format “{paper.format}”; {FORMAT} can be read.")
        papers.append(paper)
    return papers


def _text(data: bytes) -> str:
    try:
        return data.decode("utf-8-sig")  # spreadsheets put a mark of the byte order first
    except UnicodeDecodeError as error:
        raise InputError(f"The file is not UTF-8 text (byte {error.start}).") from error


# ---- W3C Web Annotations ---------------------------------------------------------------------------------------------


def annotation_page(papers: Sequence[PaperData]) -> dict[str, Any]:
    """A W3C annotation page (Web Annotation Data Model, 2017): one annotation for each value, field key and cell as
    tags, the text as body, its places as media fragments of the paper's pages in per cent."""
    items = [
        annotation
        for paper in papers
        for key, field in paper.labels.items()
        for annotation in _of_field(paper, key, field)
    ]
    return {"@context": ANNOTATION, "type": "AnnotationPage", "items": items}


def _of_field(paper: PaperData, key: str, field: FieldData) -> list[dict[str, Any]]:
    if field.absent:
        return [_annotation(paper, field, key, 0, None)]
    if field.rows is not None:
        return [_annotation(paper, field, c, n, v) for n, row in enumerate(field.rows) for c, v in row.items()]
    return [_annotation(paper, field, key, number, value) for number, value in enumerate(field.values)]


def _annotation(paper: PaperData, field: FieldData, key: str, position: int, value: ValueData | None) -> dict[str, Any]:
    # by its bytes: other installations have other addresses
    source = f"urn:sha256:{paper.sha256}" if paper.sha256 else f"urn:file:{paper.file}"
    places = value.places if value else []
    targets = [
        {
            "source": source,
            "selector": {
                "type": "FragmentSelector",
                "conformsTo": "http://www.w3.org/TR/media-frags/",
                "value": _fragment(place),
            },
        }
        for place in places
    ]
    said = {"type": "TextualBody", "purpose": "describing", "value": value.text if value else ""}
    tags = [key, f"{position}", *(["not on this paper"] if value is None else []), f"method:{field.method}"]
    return {
        "type": "Annotation",
        "creator": {"type": "Person", "name": field.person},
        "created": field.created_at,
        "label": paper.file,
        "body": [said, *({"type": "TextualBody", "purpose": "tagging", "value": tag} for tag in tags)],
        "target": targets or source,
    }


def _fragment(place: PlaceData) -> str:
    x0, y0, x1, y1 = (100 * side for side in place.box)
    return f"page={place.page}&xywh=percent:{x0:.3f},{y0:.3f},{x1 - x0:.3f},{y1 - y0:.3f}"


def read_annotations(data: bytes) -> list[PaperData]:
    """Papers from an annotation page as `annotation_page` writes it. InputError says which item can't be read."""
    try:
        items = json.loads(_text(data))["items"]
    except (ValueError, KeyError, TypeError) as error:
        raise InputError("This is not a W3C annotation page: a JSON object with items is needed.") from error
    papers: dict[str, PaperData] = {}
    for number, item in enumerate(items, start=1):
        try:
            _read_item(item, papers)
        except (KeyError, TypeError, ValueError, IndexError) as error:
            raise InputError(
                f"Annotation {number} can't be read: it needs a body with its text, a tag with the field's key, and "
                "a target."
            ) from error
    return list(papers.values())


def _read_item(item: dict[str, Any], papers: dict[str, PaperData]) -> None:
    # the standard lets a single target and a single body stand without a list
    targets = item["target"] if isinstance(item["target"], list) else [item["target"]]
    source = targets[0] if isinstance(targets[0], str) else targets[0]["source"]
    name = str(item.get("label", ""))
    paper = papers.setdefault(
        source, PaperData(file=name, sha256=source.removeprefix("urn:sha256:") if "sha256" in source else "", labels={})
    )
    bodies = item["body"] if isinstance(item["body"], list) else [item["body"]]
    tags = [str(body["value"]) for body in bodies if body.get("purpose") == "tagging"]
    text = next(str(body["value"]) for body in bodies if body.get("purpose") != "tagging")
    key, position = tags[0], int(tags[1]) if len(tags) > 1 and tags[1].isdigit() else 0
    method = next((tag.removeprefix("method:") for tag in tags if tag.startswith("method:")), "marked")
    places = [_place(target["selector"]["value"]) for target in targets if not isinstance(target, str)]
    field = paper.labels.setdefault(
        key.split(".", 1)[0], FieldData(method=method, person=str(item.get("creator", {}).get("name", "")))
    )
    if "not on this paper" in tags:
        field.absent = True
    elif "." in key:
        field.rows = field.rows or []
        # Rows may come in any order, and empty rows not at all.
        field.rows.extend({} for _ in range(position + 1 - len(field.rows)))
        field.rows[position][key] = ValueData(text=text, places=places)
    else:
        field.values.append(ValueData(text=text, places=places))


def _place(fragment: str) -> PlaceData:
    found = _FRAGMENT.fullmatch(fragment)
    if found is None:
        raise ValueError(fragment)
    x, y, width, height = (float(part) / 100 for part in found.groups()[1:])
    # rounded to three places, a box at the edge reaches out by a hair
    return PlaceData(page=int(found[1]), box=(x, y, min(1.0, x + width), min(1.0, y + height)))
