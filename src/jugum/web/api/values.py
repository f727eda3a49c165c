"""Bodies that labelling and review share: what a person says of a field."""

from __future__ import annotations

from pydantic import BaseModel, Field

from jugum.flow.label.desk_parts import SpotInput, ValueInput
from jugum.flow.label.rows import CellInput, LabelMetadata

Sides = tuple[float, float, float, float]


class SpotIn(BaseModel):
    """A further place of a value: a page, and the words there (or a box)."""

    page: int
    words: list[int] = Field(default_factory=list)
    box: Sides | None = None

    def given(self) -> SpotInput:
        return SpotInput(self.page, tuple(self.words), self.box)


class ValueIn(BaseModel):
    """A value by the words it stands on (page from 1, indices into the page's words), by text, or by both: a text
    put right where the words were misread, or a part of what they say. `box` is [x0, y0, x1, y1] in page fractions,
    for a place without words; `more_places` are further lines and pages of it; `normal` is what it means, where its
    words don't say so: the option of a choice, an ISO date."""

    text: str | None = Field(None, max_length=20_000)
    page: int | None = None
    words: list[int] = Field(default_factory=list)
    box: Sides | None = None
    more_places: list[SpotIn] = Field(default_factory=list, max_length=400)
    normal: str = Field("", max_length=4000)

    def given(self) -> ValueInput:
        places = tuple(place.given() for place in self.more_places)
        return ValueInput(self.text, self.page, tuple(self.words), self.box, places, self.normal)


class CellIn(BaseModel):
    """A cell of a table; without text it is empty. `normal` is what it means, where its words don't say so."""

    text: str = Field("", max_length=4000)
    page: int | None = None
    box: Sides | None = None
    normal: str = Field("", max_length=4000)

    def given(self) -> CellInput:
        return CellInput(self.text, self.page, self.box, self.normal)


class PrintedIn(BaseModel):
    """Where a value's printed name stands, and what it says."""

    text: str = Field(max_length=200)
    page: int
    box: Sides


class SaidIn(BaseModel):
    """What a field's values are; `absent` says that it is not on this paper; a table's `rows` are column key → cell.
    `seconds` is how long it took; `corrected`, that a suggestion stood there and was not taken. `revision` is the
    paper's that the caller knows; 409 when it was changed since."""

    values: list[ValueIn] = Field(default_factory=list)
    absent: bool = False
    method: str = "marked"
    rows: list[dict[str, CellIn]] | None = Field(None, max_length=5000)
    seconds: float | None = Field(None, ge=0, le=3600)
    corrected: bool = False
    printed: PrintedIn | None = None
    revision: int

    def given_rows(self) -> list[dict[str, CellInput]] | None:
        return None if self.rows is None else [{key: cell.given() for key, cell in row.items()} for row in self.rows]

    def metadata(self) -> LabelMetadata:
        return LabelMetadata(
            self.method, self.seconds, self.corrected, self.printed.model_dump(mode="json") if self.printed else None
        )
