"""Addresses that several pages link to: where a paper is worked on, and pictures of a place on it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from jugum.core.states import DONE_STATES, LABEL_STATES, DocumentState, Purpose
from jugum.flow.gather.documents import DocumentView


def document_address(document: DocumentView, type_id: int) -> str:
    """Where a paper is worked on in its state; "" when there is nothing to do with it now."""
    state = DocumentState(document.state)
    if document.purpose == Purpose.SAMPLE and state in LABEL_STATES:
        return f"/label/{document.id}"
    if state is DocumentState.HELD:
        return f"/review/{document.id}"
    if state in DONE_STATES:
        return f"/look/{document.id}"
    if state is DocumentState.TO_CUT or (state is DocumentState.UNPACKED and document.page_count):
        return f"/documents/{document.id}/table?type_id={type_id}"
    return ""


def crop_address(document: int | str, page: int, box: Sequence[float]) -> str:
    """The picture of a place with a little around it, more to the left, where printed names stand."""
    x0, y0, x1, y1 = box
    sides = (max(0.0, x0 - 0.08), max(0.0, y0 - 0.012), min(1.0, max(x1 + 0.05, x0 + 0.2)), min(1.0, y1 + 0.012))
    return f"/documents/{document}/pages/{page}/region.jpg?dpi=150&box={','.join(f'{side:.4f}' for side in sides)}"


def sample_crop_address(sample: str, place: Sequence[Any] | None) -> str:
    """The same for a place [page, box] of a version's sample; "" when it has no place or is no paper of this office."""
    return crop_address(sample, place[0], place[1]) if place and sample.isdigit() else ""
