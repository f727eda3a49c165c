"""Labelling as a whole: past records, layouts, sets, double labelling, suspicious labels, figures, files."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from fastapi import APIRouter, File, Form, Request, UploadFile
from fastapi.responses import Response
from pydantic import BaseModel, Field

from jugum.core.evaluation.splits import Shares
from jugum.core.formats.labels_file import labels_schema
from jugum.flow.label import control_suggestions, double_labelling, layouts, past_records, sets, suspicious
from jugum.flow.label import files as label_files
from jugum.flow.label import pace as label_pace
from jugum.flow.label.double_labelling import DoubleLabellingView
from jugum.flow.label.files import TakenIn
from jugum.flow.label.layouts import LayoutPaper, LayoutView
from jugum.flow.label.pace import LabellingFigures
from jugum.flow.label.past_records import PastRecordsReport, PastRecordsView
from jugum.flow.label.sets import SetView
from jugum.flow.label.suspicious import Suspect
from jugum.web.api.label import Revision
from jugum.web.api.office import Made
from jugum.web.downloads import download, gives
from jugum.web.gate import DATA_BYTES_MOST, GatedRoute, takes_files
from jugum.web.progress import telling
from jugum.web.security import MayGather, MayLabel, MaySee
from jugum.web.threads import at_length

router = APIRouter(route_class=GatedRoute, tags=["Label"])
MEDIA = {
    "jsonl": ("application/jsonl", "labels.jsonl"),
    "annotations": ("application/ld+json", "labels.annotations.json"),
}


# ---- Past records ----------------------------------------------------------------------------------------------------


@router.post("/types/{type_id}/labels.csv", response_model=PastRecordsReport)
@takes_files(lambda settings: DATA_BYTES_MOST)
@at_length
def import_past_records(
    request: Request,
    type_id: int,
    actor: MayLabel,
    file: Annotated[UploadFile, File(description="UTF-8 CSV: file,type,field,value")],
    complete: Annotated[bool, Form(description="the CSV has every value of the papers it names")] = False,
) -> Any:
    """Values keyed in the past become labels; the place of each on its page is found by matching. With `Accept:
    application/x-ndjson`, lines tell how far it is."""
    store, data = request.app.state.store, file.file.read()
    return telling(
        request,
        lambda told: past_records.import_records(store, actor, type_id, data, complete=complete, told=told),
    )


@router.get("/types/{type_id}/past-records")
def past_records_view(request: Request, type_id: int, actor: MayLabel) -> PastRecordsView:
    """What became of values from past records, and those whose place waits to be chosen."""
    return past_records.overview(request.app.state.store, type_id)


class PlaceIn(BaseModel):
    """One of a value from past records's places, from 0; null: it stands at none of them."""

    place: int | None
    revision: int


@router.put("/past-records/{record_id}")
def choose_place(request: Request, record_id: int, actor: MayLabel, body: PlaceIn) -> Revision:
    chosen = past_records.choose(request.app.state.store, actor, record_id, body.place, revision=body.revision)
    return Revision(revision=chosen)


# ---- Layouts and sets ------------------------------------------------------------------------------------------------


@router.get("/types/{type_id}/layouts")
def all_layouts(request: Request, type_id: int, actor: MayLabel) -> list[LayoutView]:
    """Layout groups with their papers."""
    return layouts.layout_groups(request.app.state.store, type_id)


@router.get("/layouts/{layout_group_id}/papers")
def layout_papers(request: Request, layout_group_id: int, actor: MayLabel) -> list[LayoutPaper]:
    return layouts.papers_of(request.app.state.store, layout_group_id)


class NameIn(BaseModel):
    name: str


@router.put("/layouts/{layout_group_id}")
def rename_layout(request: Request, layout_group_id: int, actor: MayLabel, body: NameIn) -> dict[str, bool]:
    layouts.rename(request.app.state.store, actor, layout_group_id, body.name)
    return {"renamed": True}


class LayoutsIn(BaseModel):
    layouts: list[int]


@router.post("/layouts/merge")
def merge_layouts(request: Request, actor: MayLabel, body: LayoutsIn) -> Made:
    """One layout of several; the first one's name stays."""
    return Made(id=layouts.merge(request.app.state.store, actor, body.layouts))


class PapersIn(BaseModel):
    papers: list[int]
    name: str = ""


@router.post("/layouts/split", status_code=201)
def split_layout(request: Request, actor: MayLabel, body: PapersIn) -> Made:
    """Papers out of their look into one of their own."""
    return Made(id=layouts.split(request.app.state.store, actor, body.papers, body.name))


@router.get("/types/{type_id}/sets")
def all_sets(request: Request, type_id: int, actor: MaySee) -> list[SetView]:
    return sets.sets(request.app.state.store, type_id)


class DealIn(BaseModel):
    """Shares 0–1; `apart` keeps whole looks in one set; the seed makes the deal repeatable."""

    test: float = Field(0.2, ge=0, lt=1)
    spare: float = Field(0.0, ge=0, lt=1)
    apart: bool = False
    seed: int = Field(1, ge=0, lt=2**32)


@router.post("/types/{type_id}/sets")
def deal(request: Request, type_id: int, actor: MayLabel, body: DealIn) -> list[SetView]:
    """Deal all samples to training, test and spare sets anew."""
    shares = Shares(body.test, body.spare)
    return sets.split(request.app.state.store, actor, type_id, shares, apart=body.apart, seed=body.seed)


class IntoSet(BaseModel):
    papers: list[int]
    set: Literal["train", "test", "spare"]


@router.put("/sets")
def put_into_set(request: Request, actor: MayLabel, body: IntoSet) -> dict[str, bool]:
    sets.put(request.app.state.store, actor, body.papers, body.set)
    return {"put": True}


# ---- Two labellers, quality, figures ---------------------------------------------------------------------------------


class LabellingIn(BaseModel):
    """Planted suggestions per hundred (0–10, off by default), and the order of papers ("teaches most" or "in
    order")."""

    plant: float | None = None
    order: str | None = None


@router.put("/types/{type_id}/labelling")
def set_labelling(request: Request, type_id: int, actor: MayLabel, body: LabellingIn) -> dict[str, bool]:
    control_suggestions.set_labelling(request.app.state.store, actor, type_id, plant=body.plant, order=body.order)
    return {"set": True}


class GiveIn(BaseModel):
    papers: int = Field(ge=1, le=500)
    people: tuple[int, int]


@router.post("/types/{type_id}/double-labelling", status_code=201)
def give(request: Request, type_id: int, actor: MayLabel, body: GiveIn) -> dict[str, list[int]]:
    """Give samples nobody has begun to two people, who label them apart."""
    return {"papers": double_labelling.give(request.app.state.store, actor, type_id, body.papers, body.people)}


@router.get("/types/{type_id}/double-labelling")
def double_labelling_view(request: Request, type_id: int, actor: MayLabel) -> DoubleLabellingView:
    """How far two labellers agree, field by field, and what they dispute."""
    return double_labelling.overview(request.app.state.store, type_id)


class ChosenAnswer(Revision):
    person_id: int


@router.post("/documents/{document_id}/labels/{key}/dispute")
def settle_dispute(request: Request, document_id: int, key: str, actor: MayLabel, body: ChosenAnswer) -> Revision:
    """The answer of one of the two becomes the label."""
    store = request.app.state.store
    settled = double_labelling.settle(store, actor, document_id, key, body.person_id, revision=body.revision)
    return Revision(revision=settled)


@router.get("/types/{type_id}/suspects")
@at_length
def suspects(request: Request, type_id: int, actor: MayLabel) -> list[Suspect]:
    """Labels that the data type, a check, the reading or the model speaks against."""
    return suspicious.suspects(request.app.state.store, type_id)


class KeepIn(Revision):
    reason: str


@router.post("/documents/{document_id}/labels/{key}/keep")
def keep(request: Request, document_id: int, key: str, actor: MayLabel, body: KeepIn) -> Revision:
    """Let a suspicious label stand."""
    store = request.app.state.store
    kept = suspicious.keep(store, actor, document_id, key, body.reason, revision=body.revision)
    return Revision(revision=kept)


class MendIn(Revision):
    """The text to put there instead; empty: it is not on the paper."""

    text: str = Field(max_length=4000)


@router.post("/documents/{document_id}/labels/{key}/mend")
def mend(request: Request, document_id: int, key: str, actor: MayLabel, body: MendIn) -> Revision:
    """Put another text in the place of a suspicious label."""
    store = request.app.state.store
    mended = suspicious.mend(store, actor, document_id, key, body.text, revision=body.revision)
    return Revision(revision=mended)


@router.get("/types/{type_id}/labelling-figures")
def figures(request: Request, type_id: int, actor: MaySee) -> LabellingFigures:
    """Labels by field and way, papers an hour, seconds a value, suggestions agreed."""
    return label_pace.figures(request.app.state.store, type_id)


# ---- Files -----------------------------------------------------------------------------------------------------------


@router.get("/labels-schema")
def schema(request: Request, actor: MaySee) -> dict[str, object]:
    """The JSON Schema of one line of a labels file."""
    return labels_schema()


@router.get("/types/{type_id}/labels-file", **gives(*(media for media, _ in MEDIA.values())))
@at_length
def labels_out(request: Request, type_id: int, actor: MayLabel, kind: str = "jsonl") -> Response:
    """All labels as JSON Lines (`jsonl`) or as W3C Web Annotations (`annotations`)."""
    data = label_files.written(request.app.state.store, type_id, kind)
    media, name = MEDIA[kind]
    return download(name, data, media)


@router.post("/types/{type_id}/labels-file")
@takes_files(lambda settings: DATA_BYTES_MOST)
@at_length
def labels_in(
    request: Request,
    type_id: int,
    actor: MayLabel,
    file: Annotated[UploadFile, File()],
    kind: Annotated[str, Form()] = "jsonl",
) -> TakenIn:
    """Labels from a file, onto the samples of the same bytes or name."""
    return label_files.take_in(request.app.state.store, actor, type_id, file.file.read(), kind)


@router.put("/documents/{document_id}/words.alto")
@takes_files(lambda settings: DATA_BYTES_MOST)
def words_in(
    request: Request,
    document_id: int,
    actor: MayGather,
    file: Annotated[UploadFile, File()],
    revision: Annotated[int, Form()],
) -> dict[str, int]:
    """Words of an ALTO XML file in place of those that were read."""
    store, data = request.app.state.store, file.file.read()
    return {"words": label_files.take_words(store, actor, document_id, data, revision=revision)}
